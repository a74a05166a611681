"""How a finished model is looked at: the display view, the spots the eye should go to, and what is seen from
there."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..errors import SettingError
from ..plain import checked, number
from .marking import Marking
from .mesh import summed
from .surface import Surface

MOST_SPOTS = 3  # an eye that is called everywhere goes nowhere


@dataclass(frozen=True)
class Display:
    """Where the model is looked at from, and up to three focal spots.

    azimuth, elevation: degrees, as a lamp's. spots: places in the sculpt's own file axes, so that they stay where
    they are when it is stood up again.
    """

    azimuth: float = number(0.0, -180, 180, "the view's direction", "degrees")
    elevation: float = number(8.0, -90, 90, "the view's height", "degrees")
    spots: tuple[tuple[float, float, float], ...] = ()

    def __post_init__(self) -> None:
        checked(self)
        if len(self.spots) > MOST_SPOTS:
            raise SettingError(f"{MOST_SPOTS} focal spots are as many as an eye can follow; take one away first")
        if not np.isfinite(np.array([v for s in self.spots for v in s], float)).all():
            raise SettingError("a focal spot is three numbers")


def seen_from(surface: Surface, azimuth: float, elevation: float) -> NDArray[np.bool_]:
    """(N,) whether a far eye sees each sample: it faces the eye and nothing lies between."""
    toward = direction_of(azimuth, elevation)
    seen = np.zeros(len(surface), np.bool_)
    facing = np.flatnonzero(surface.normals @ toward > 0)
    seen[facing] = ~surface.caster.blocked(surface.origins[facing], toward)
    return seen


def seen_shares(
    surface: Surface, marking: Marking, seen: NDArray[np.bool_], paintable: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """(R + 1,) share of the paintable area of the rest and of each region that is seen (N,) from a view."""
    count = len(marking.regions) + 1
    whole = marking.areas(surface, paintable)
    return summed(marking.labels, np.where(seen & paintable, surface.areas, 0), count) / np.maximum(whole, 1e-12)
