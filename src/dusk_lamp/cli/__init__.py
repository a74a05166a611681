"""The command line: the same core, without a browser. One file a family of commands; each loads what it needs when
it runs."""

from .main import main

__all__ = ["main"]
