"""The metal stage: painted metal by one of three schools on this very model, edge highlights, lining, and their
coats."""

from . import changes, facets, pictures
from .common import blueprint
from .page import panel

__all__ = ["blueprint", "changes", "facets", "panel", "pictures"]
