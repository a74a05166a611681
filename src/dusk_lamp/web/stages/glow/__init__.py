"""The glow stage: what glows, how far it is read, what it reaches, and the coats that paint it."""

from . import changes, pictures
from .common import blueprint
from .page import panel

__all__ = ["blueprint", "changes", "panel", "pictures"]
