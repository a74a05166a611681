"""Ways to paint a region in colour: each gives the coats that bring it from what lies under it to what it should look
like.

A way is one file of this folder with a class below `Way` and one of it as `WAY`. Nothing else has to be changed for
it: the page of the colour stage, the command line and the comparison of ways read the registry.
"""

from collections.abc import Mapping
from functools import cache

from .....errors import SettingError
from .....registry import registered
from .way import Way


@cache
def ways() -> Mapping[str, Way]:
    """Every way by its name, in their usual order."""
    return registered(__name__, "WAY")


def way_called(name: str) -> Way:
    """The way of a name.

    Raises:
        SettingError: there is none.
    """
    try:
        return ways()[name]
    except KeyError:
        raise SettingError(f"a way is one of {', '.join(ways())}, not '{name[:40]}'") from None
