"""The marking of a sculpt: every sample belongs to exactly one region, and what is unmarked is the rest."""

from dataclasses import MISSING, dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..plain import checked, choice, number, text
from .mesh import summed
from .surface import Surface

MATERIALS = (
    "cloth", "leather", "skin", "fur", "bone", "hair", "wood", "stone", "painted armour", "metal", "glass or gem",
)  # fmt: skip
ATTENTION = ("focal point", "important", "quiet")
CASTS = ("neutral", "cool", "warm", "complement")  # what shadows and lights lean to
MOST_REGIONS = 60  # more than any painter keeps apart, and few enough for a byte
LONGEST_NAME = 60


@dataclass(frozen=True)
class Region:
    """One region: its name, what it is made of, how much attention it deserves, and what it shall look like.

    colour: name of the paint or recipe, or `#rrggbb`; "" while open. low, middle, high: Munsell values of its
    darkest, its middle and its lightest, None for what material and attention ask for. shadow, light: casts. way: of
    painting it; "" while open.
    """

    name: str = text(MISSING, (1, LONGEST_NAME), "a region's name")
    material: str = choice("cloth", MATERIALS, "a material")
    attention: str = choice("important", ATTENTION, "attention")
    colour: str = text("", (0, LONGEST_NAME), "a colour's name")
    low: float | None = number(None, 0, 10, "the value of its darkest", step=0.1)
    middle: float | None = number(None, 0, 10, "the value of its middle", step=0.1)
    high: float | None = number(None, 0, 10, "the value of its lightest", step=0.1)
    shadow: str = choice("neutral", CASTS, "the cast of its shadows")
    light: str = choice("neutral", CASTS, "the cast of its lights")
    way: str = text("", (0, 20), "a way to paint it")

    def __post_init__(self) -> None:
        checked(self)


@dataclass(frozen=True)
class Marking:
    """labels: (N,) uint8, 0 for the rest, else the number of a region from 1. regions: in the order of their
    numbers."""

    labels: NDArray[np.uint8]
    regions: tuple[Region, ...] = ()

    def __post_init__(self) -> None:
        if len(self.labels) and int(self.labels.max()) > len(self.regions):
            raise SettingError("the marking names a region that is not there")

    def painted(self, mask: NDArray[np.bool_], number: int | None, *, take: bool = False) -> "Marking":
        """The samples of the mask given to a region, to a new one (None), or, with `take`, given back to the rest.

        Raises:
            SettingError: no such region, or no room for another.
        """
        labels, regions = self.labels.copy(), self.regions
        if number is None:
            if len(regions) >= MOST_REGIONS:
                raise SettingError(f"{MOST_REGIONS} regions are as many as can be kept apart; remove one first")
            regions = (*regions, Region(f"Region {len(regions) + 1}"))
            number = len(regions)
        self._known(number, len(regions))
        if take:
            labels[mask & (labels == number)] = 0
        else:
            labels[mask] = number
        return Marking(labels, regions)

    def described(self, number: int, **changes: Any) -> "Marking":
        """The marking with a region's name, material or attention changed."""
        self._known(number, len(self.regions))
        regions = list(self.regions)
        regions[number - 1] = replace(regions[number - 1], **changes)
        return Marking(self.labels, tuple(regions))

    def without(self, number: int) -> "Marking":
        """The marking without a region; its samples go back to the rest."""
        self._known(number, len(self.regions))
        move = np.arange(len(self.regions) + 1, dtype=np.uint8)
        move[number] = 0
        move[number + 1 :] -= 1
        return Marking(move[self.labels], self.regions[: number - 1] + self.regions[number:])

    def areas(self, surface: Surface, paintable: NDArray[np.bool_] | None = None) -> NDArray[np.float64]:
        """(R + 1,) mm² of the rest and of each region; what is not paintable (N,) is left out."""
        areas = surface.areas if paintable is None else np.where(paintable, surface.areas, 0)
        return summed(self.labels, areas, len(self.regions) + 1)

    @staticmethod
    def _known(number: int, count: int) -> None:
        if not 1 <= number <= count:
            raise SettingError("this region is not there any more; choose another")
