"""The features of a plan, found by their folders; nothing else has to be changed for a new one.

A feature is a folder of `features/`: `wishes.py` (what can be wished, see plan/wishes.py) and `feature.py` with a
class below `Feature` and one of it as `FEATURE`.
"""

from collections.abc import Mapping
from functools import cache

from ..registry import registered_below
from .features.feature import Feature


@cache
def features() -> Mapping[str, Feature]:
    """Every feature by its name, in the order of their coats."""
    return registered_below(f"{__package__}.features", "feature", "FEATURE")
