"""Painted metal, no metal in the paint: three schools (craft page, section 11), one a file. Each gives a share 0..1 of the
way from a metal's darkest to its lightest at every spot.

A school is one file of this folder with a class below `School` and one of it as `SCHOOL`; nothing else has to be changed.
"""

from collections.abc import Mapping
from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from types import MappingProxyType

from ...errors import SettingError
from .school import School


@cache
def metal_schools() -> Mapping[str, School]:
    """Every school by its name, in their usual order."""
    package = import_module(__package__)
    found = [import_module(f"{__package__}.{info.name}") for info in iter_modules(package.__path__)]
    known = sorted((m.SCHOOL for m in found if hasattr(m, "SCHOOL")), key=lambda s: s.order)
    return MappingProxyType({s.name: s for s in known})


def metal_school(name: str) -> School:
    """The school of a name.

    Raises:
        SettingError: there is none.
    """
    try:
        return metal_schools()[name]
    except KeyError:
        raise SettingError(f"a school of metal is one of {', '.join(metal_schools())}, not '{name[:40]}'") from None
