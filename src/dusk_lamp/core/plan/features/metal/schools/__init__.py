"""Painted metal, no metal in the paint: three schools (craft page, section 11), one a file. Each gives a share 0..1
of the way from a metal's darkest to its lightest at every spot.

A school is one file of this folder with a class below `School` and one of it as `SCHOOL`; nothing else has to be
changed.
"""

from collections.abc import Mapping
from functools import cache

from .....errors import SettingError
from .....registry import registered
from .school import MetalSchool


@cache
def metal_schools() -> Mapping[str, MetalSchool]:
    """Every school by its name, in their usual order."""
    return registered(__name__, "SCHOOL")


def metal_school(name: str) -> MetalSchool:
    """The school of a name.

    Raises:
        SettingError: there is none.
    """
    try:
        return metal_schools()[name]
    except KeyError:
        raise SettingError(f"a school of metal is one of {', '.join(metal_schools())}, not '{name[:40]}'") from None
