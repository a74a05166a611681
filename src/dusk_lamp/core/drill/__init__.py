"""Drills: exercises for the eye, made from any sculpt and graded by computation. One file a drill."""

from collections.abc import Mapping
from functools import cache

from ..errors import SettingError
from ..registry import registered
from .drill import Drill


@cache
def drills() -> Mapping[str, Drill]:
    """Every drill by its name: whatever file of this folder has one."""
    return registered(__name__, "DRILL")


def drill(name: str) -> Drill:
    """A drill by its name.

    Raises:
        SettingError: there is none of that name.
    """
    if name not in drills():
        raise SettingError(f"a drill is one of {', '.join(drills())}, not '{name[:40]}'")
    return drills()[name]
