"""Marking regions on the bench: a ray from the browser in, labels as bytes out."""

from . import changes, files, pieces, strokes
from .common import blueprint
from .page import panel

__all__ = ["blueprint", "changes", "files", "panel", "pieces", "strokes"]
