"""The colours of the regions."""
