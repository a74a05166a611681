"""The pages of the stages, one a file or folder; `web/stage_registry.py` lists them in order."""
