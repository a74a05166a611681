"""The check: a photo of the painted model beside its plan: matched points, a verdict, mends taken into the plan."""

from . import page, taking, verdict
from .common import blueprint

__all__ = ["blueprint", "page", "taking", "verdict"]
