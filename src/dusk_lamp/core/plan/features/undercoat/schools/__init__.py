"""Schools: ways to lay the light down as an undercoat (craft page, section 5), one a file.

A school is one file of this folder with a class below `School` and one of it as `SCHOOL`. Nothing else has to be
changed for it: the page of the undercoat, the command line and the fit in a school's own values read the registry.
"""

from collections.abc import Mapping
from functools import cache

from .....coat.coat import Coat
from .....errors import SettingError
from .....registry import registered
from .school import Kit, UndercoatSchool

FIT = "fit"  # what coats that were fitted to the light say they came from
SUITED = "suited"  # a school that is chosen with the colours
USUAL = "ladder"


@cache
def schools() -> Mapping[str, UndercoatSchool]:
    """Every school by its name, in their usual order."""
    return registered(__name__, "SCHOOL")


def school_title(name: str) -> str:
    """What coats came from, at the head of a sheet."""
    return schools()[name].title if name in schools() else "Passes fitted to your light" if name == FIT else ""


def school_coats(name: str, kit: Kit) -> list[Coat]:
    """The coats of a school, in order, in usual amounts.

    Raises:
        SettingError: no such school, or something is missing for it.
    """
    if name not in schools():
        raise SettingError(f"a school is one of {', '.join(schools())} or {FIT}, not '{name[:40]}'")
    if lack := schools()[name].lack(kit):
        raise SettingError(f"{schools()[name].title} {lack}; see “My tools” and the rack")
    return schools()[name].coats(kit)
