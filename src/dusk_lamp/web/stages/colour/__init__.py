"""The colour stage: each region painted one way over the undercoat, with real mixes, predicted on this very model."""

from . import changes, pictures
from .common import blueprint
from .page import panel

__all__ = ["blueprint", "changes", "panel", "pictures"]
