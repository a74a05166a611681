"""Ways to paint a region in colour: each gives the coats that bring it from what lies under it to what it shall look
like.

A way is one file of this folder with a class below `Way` and one of it as `WAY`. Nothing else has to be changed for
it: the page of the colour stage, the command line and the comparison of ways read the registry.
"""

from collections.abc import Mapping
from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from types import MappingProxyType

from ...errors import SettingError
from .way import Way


@cache
def ways() -> Mapping[str, Way]:
    """Every way by its name, in their usual order."""
    package = import_module(__package__)
    found = [import_module(f"{__package__}.{info.name}") for info in iter_modules(package.__path__)]
    known = sorted((m.WAY for m in found if hasattr(m, "WAY")), key=lambda w: w.order)
    return MappingProxyType({w.name: w for w in known})


def way(name: str) -> Way:
    """The way of a name.

    Raises:
        SettingError: there is none.
    """
    try:
        return ways()[name]
    except KeyError:
        raise SettingError(f"a way is one of {', '.join(ways())}, not '{name[:40]}'") from None
