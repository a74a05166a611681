"""Edges: highlights along crests that the lamp sees, dots where they meet, dark lines along creases."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...coat.coat import Coat
from ...errors import SettingError
from ...plain import checked, number
from ..context import Context
from ..edges import EDGE_MM, edge_coats, lining_coat
from .metal import HANDY
from .stage import Item, Stage, Takers, wishes_taken


@dataclass(frozen=True)
class RegionEdges:
    """Of one region. highlight: whether its crests get a light line; lining: whether its creases get a dark one.
    least: mm of the shortest edge that is highlighted. line: mm, the width of the wide line."""

    highlight: bool = False
    lining: bool = False
    least: float = number(0.0, 0, 100, "the shortest edge", "mm", step=0.5, form="Shortest edge", slide=20)
    line: float = number(
        EDGE_MM[0], 0.05, 5, "the width of a line", "mm", step=0.05, form="Width of the line", slide=1.5
    )

    def __post_init__(self) -> None:
        checked(self)


@dataclass(frozen=True)
class EdgeWishes:
    """regions: what is wished for each region, by its id as text."""

    regions: dict[str, RegionEdges] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if strange := [k for k in self.regions if not k.isdecimal()]:
            raise SettingError(f"edges are set by a region's id, a whole number, not '{strange[0][:40]}'")

    def of(self, id_: int) -> RegionEdges:
        """Of a region."""
        return self.regions.get(str(id_), RegionEdges())

    def with_one(self, id_: int, own: RegionEdges | None) -> "EdgeWishes":
        """The same with one region set, or back to what is usual."""
        others = {k: v for k, v in self.regions.items() if k != str(id_)}
        return EdgeWishes(others if own is None or own == RegionEdges() else {**others, str(id_): own})


class Edges(Stage):
    """Source: common practice, craft page, section 12."""

    name, order, title = "edges", 50, "Edges and lining"
    shares_pots = True
    Wishes = EdgeWishes

    def lightness(self, context: Context) -> NDArray[np.float64]:
        """(R + 1,) mean value of the rest and of each region: no dark line lies between two whites."""
        site, value = context.site, context.target(self.name).value
        area = np.bincount(site.labels, weights=site.areas, minlength=len(site.marking.regions) + 1)
        return np.bincount(site.labels, weights=site.areas * value, minlength=len(area)) / np.maximum(area, 1e-9)

    def items(self, context: Context) -> list[Item]:
        """Lining first, then highlights: each region that was set."""
        own, regions = context.wishes(self.name), context.site.marking.regions
        lined = [Item("lining", r.id, f"{r.name}: lining") for r in regions if own.of(r.id).lining]
        return [*lined, *(Item("edges", r.id, f"{r.name}: edges") for r in regions if own.of(r.id).highlight)]

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """A wide line, a fine one and dots; or the dark line."""
        wish = context.wishes(self.name).of(item.region)
        task = context.task(self.name, context.site.marking.number_of(item.region))
        if item.way == "edges":
            return edge_coats(task, context.plan.light.lamp or HANDY, wish.least, wish.line)
        line = lining_coat(task, self.lightness(context))
        if line is None:
            raise SettingError("there is no crease round this region to line, or only between two whites")
        return [line]

    def rank(self, coat: Coat) -> int:
        """Lining before highlights."""
        return int(coat.way == "edges")

    def without_region(self, wishes: EdgeWishes, id_: int) -> EdgeWishes:
        """The same without it."""
        return wishes.with_one(id_, None)

    def carried(self, wishes: EdgeWishes, own: EdgeWishes, takers: Takers, first_id: int) -> EdgeWishes:
        """Edges of the regions that take after others."""
        return EdgeWishes(wishes_taken(wishes.regions, own.regions, takers))


STAGE = Edges()
