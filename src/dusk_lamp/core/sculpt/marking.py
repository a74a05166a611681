"""The marking of a sculpt: every sample belongs to exactly one region, and what is unmarked is the rest."""

import re
from collections.abc import Mapping
from dataclasses import MISSING, dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..datasets.materials import MATERIALS, TABLE, USUAL_MATERIAL, suggested_material
from ..errors import SettingError
from ..plain import checked, choice, number, text
from .mesh import summed
from .surface import Surface

ATTENTION = ("focal point", "important", "quiet")
TEXTURES = ("as it is found", "smooth", "textured")  # what a painter says of a region's skin
CASTS = ("neutral", "cool", "warm", "complement")  # what shadows and lights lean to
MOST_REGIONS = 60  # more than any painter keeps apart, and few enough for a byte
LONGEST_NAME = 60
HEX = re.compile("#[0-9a-fA-F]{6}")


LOOKED_AT_FIRST = (
    "face",
    "eye",
    "head",
    "mask",
    "visor",
)  # words in the name of what one looks at first; from memory


def suggested_attention(region: "Region") -> str:
    """How much attention a region probably deserves, where nobody has said more than the usual: a face first, a base
    last."""
    words = region.name.casefold()
    if region.attention != ATTENTION[1]:
        return region.attention
    if any(hint in words for hint in LOOKED_AT_FIRST):
        return ATTENTION[0]
    return (
        ATTENTION[2]
        if any(hint in words for one in TABLE.values() if one.ground for hint in one.words)
        else ATTENTION[1]
    )


BARE = 0.02  # of the area: with less unmarked, nothing is proposed any more
LEAST_OF_THE_REST = 0.003  # of the area: less of a guess than that is no region
UNNAMED = re.compile(r"(Region|Guess) \d+")  # what a region is called before somebody names it


def suggestions(before: "Region", named: Mapping[Any, str]) -> dict[str, str]:
    """Material and attention that the first name of a region suggests, as far as nobody has said them. named: what is
    being said of it now."""
    if not UNNAMED.fullmatch(before.name) or "name" not in named:
        return {}
    out = {}
    if "material" not in named and before.material == USUAL_MATERIAL:
        out["material"] = suggested_material(named["name"])
    if "attention" not in named:
        out["attention"] = suggested_attention(replace(before, name=named["name"]))
    return out


@dataclass(frozen=True)
class Region:
    """One region: its name, what it is made of, how much attention it deserves, and what it should look like.

    colour: name of the paint or recipe, or `#rrggbb`; "" while open. low, middle, high: Munsell values of its
    darkest, its middle and its lightest, None for what material and attention ask for. shadow, light: casts. dark,
    bright: `#rrggbb` that its hue path goes to in shadow and in light; "" for its own colour. texture: whether its
    skin is texture at the scale of a brush. way: of painting it; "" while open. id: which region it is, whatever it
    is called and wherever it stands in the list; 0 until a marking gives it one.
    """

    name: str = text(MISSING, (1, LONGEST_NAME), "a region's name")
    material: str = choice(USUAL_MATERIAL, MATERIALS, "a material")
    attention: str = choice("important", ATTENTION, "attention")
    colour: str = text("", (0, LONGEST_NAME), "a colour's name")
    low: float | None = number(None, 0, 10, "the value of its darkest", step=0.1, form="Darkest")
    middle: float | None = number(None, 0, 10, "the value of its middle", step=0.1, form="Middle")
    high: float | None = number(None, 0, 10, "the value of its lightest", step=0.1, form="Lightest")
    shadow: str = choice("neutral", CASTS, "the cast of its shadows")
    light: str = choice("neutral", CASTS, "the cast of its lights")
    dark: str = text("", (0, 7), "the colour of its shadows")
    bright: str = text("", (0, 7), "the colour of its lights")
    texture: str = choice("as it is found", TEXTURES, "its texture")
    way: str = text("", (0, 20), "a way to paint it")
    id: int = number(0, 0, 2**31 - 1, "a region's id")

    def __post_init__(self) -> None:
        checked(self)
        for colour in (self.dark, self.bright):
            if colour and not HEX.fullmatch(colour):
                raise SettingError(f"a hue path goes to colours such as #46122c, not '{colour[:20]}'")


@dataclass(frozen=True)
class Marking:
    """Which sample belongs to which region.

    labels: (N,) uint8, 0 for the rest, else the number of a region from 1. regions: in the order of their numbers;
    one without an id gets the next that was never given. last_id: the highest id that was ever given in this plan,
    also to regions that are gone, so that none comes again.

    Raises:
        SettingError: a label without a region, or an id that two regions share.
    """

    labels: NDArray[np.uint8]
    regions: tuple[Region, ...] = ()
    last_id: int = 0

    def __post_init__(self) -> None:
        if len(self.labels) and int(self.labels.max()) > len(self.regions):
            raise SettingError("the marking names a region that is not there")
        given = [r.id for r in self.regions if r.id]
        if len(set(given)) < len(given):
            raise SettingError("two regions have the same id; give each its own, or leave the ids out")
        last, named = max([self.last_id, *given]), []
        for region in self.regions:
            last += not region.id
            named.append(region if region.id else replace(region, id=last))
        object.__setattr__(self, "regions", tuple(named))
        object.__setattr__(self, "last_id", last)

    @property
    def ids(self) -> tuple[int, ...]:
        """Of the rest (0) and of every region, by their numbers."""
        return (0, *(r.id for r in self.regions))

    def number_of(self, id_: int) -> int:
        """The number of the region of an id; 0 is the rest.

        Raises:
            SettingError: it is not there any more.
        """
        try:
            return self.ids.index(id_)
        except ValueError:
            raise SettingError("this region is not there any more; choose another") from None

    def painted(self, mask: NDArray[np.bool_], number: int | None, *, take: bool = False) -> "Marking":
        """The samples of the mask given to a region, to a new one (None), or, with `take`, given back to the rest.

        Raises:
            SettingError: no such region, or no room for another.
        """
        labels, regions = self.labels.copy(), self.regions
        if number is None:
            if len(regions) >= MOST_REGIONS:
                raise SettingError(f"{MOST_REGIONS} regions are as many as can be kept apart; remove one first")
            regions = (*regions, Region(f"Region {len(regions) + 1}", id=self.last_id + 1))
            number = len(regions)
        self._known(number, len(regions))
        if take:
            labels[mask & (labels == number)] = 0
        else:
            labels[mask] = number
        return Marking(labels, regions, self.last_id)

    def most_of(self, mask: NDArray[np.bool_], areas: NDArray[np.floating]) -> int:
        """The number of the region that most of a mask (N,) lies on, by mm² (N,).

        Raises:
            SettingError: it lies on no region.
        """
        share = np.bincount(self.labels[mask], areas[mask], minlength=len(self.regions) + 1)[1:]
        if not len(share) or share.max() <= 0:
            raise SettingError("there is no region there; mark one first")
        return int(np.argmax(share)) + 1

    def described(self, number: int, **changes: Any) -> "Marking":
        """The marking with a region's name, material or attention changed."""
        self._known(number, len(self.regions))
        regions = list(self.regions)
        regions[number - 1] = replace(regions[number - 1], **changes)
        return Marking(self.labels, tuple(regions), self.last_id)

    def without(self, number: int) -> "Marking":
        """The marking without a region; its samples go back to the rest."""
        self._known(number, len(self.regions))
        move = np.arange(len(self.regions) + 1, dtype=np.uint8)
        move[number] = 0
        move[number + 1 :] -= 1
        return Marking(move[self.labels], self.regions[: number - 1] + self.regions[number:], self.last_id)

    def renewed(self, before: "Marking", *, by_name: bool = False) -> "Marking":
        """The marking in the place of another: its regions get ids that were never given. by_name: a region called
        as one of the other is that one."""
        known = {r.name.casefold(): r.id for r in before.regions} if by_name else {}
        regions = tuple(replace(r, id=known.pop(r.name.casefold(), 0)) for r in self.regions)
        return Marking(self.labels, regions, max(self.last_id, before.last_id))

    def room_for(self, areas: NDArray[np.floating]) -> int:
        """How many pieces of a first guess may lie over what is not marked yet; none where that is hardly anything.
        areas: mm² of the rest and of each region."""
        return MOST_REGIONS - len(self.regions) if areas[0] > BARE * areas.sum() else 0

    def filled_with(self, found: "Marking", surface: Surface, paintable: NDArray[np.bool_]) -> "Marking":
        """The marking with what it leaves unmarked given to the regions of another, as far as they are worth a
        region of their own there."""
        out, free = self, (self.labels == 0) & paintable
        least = LEAST_OF_THE_REST * float(surface.areas[paintable].sum())
        taken = {r.name.casefold() for r in self.regions}
        for k, region in enumerate(found.regions, 1):
            mask = free & (found.labels == k)
            if surface.areas[mask].sum() < least or len(out.regions) >= MOST_REGIONS:
                continue
            out = out.painted(mask, None)
            if not UNNAMED.fullmatch(region.name) and region.name.casefold() not in taken:
                known = {"name": region.name, "material": region.material, "attention": region.attention}
                out = out.described(len(out.regions), **known)
        return out

    def areas(self, surface: Surface, paintable: NDArray[np.bool_] | None = None) -> NDArray[np.float64]:
        """(R + 1,) mm² of the rest and of each region; what is not paintable (N,) is left out."""
        areas = surface.areas if paintable is None else np.where(paintable, surface.areas, 0)
        return summed(self.labels, areas, len(self.regions) + 1)

    @staticmethod
    def _known(number: int, count: int) -> None:
        if not 1 <= number <= count:
            raise SettingError("this region is not there any more; choose another")
