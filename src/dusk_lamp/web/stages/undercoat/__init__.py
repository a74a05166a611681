"""The undercoat stage: schools as pictures of this very model, coats to scrub through, what is too light or too
dark."""

from . import changes, pictures, primers, squad, touching_up
from .common import blueprint
from .page import confirm, panel

__all__ = ["blueprint", "changes", "confirm", "panel", "pictures", "primers", "squad", "touching_up"]
