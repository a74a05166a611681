"""What is wished of edges and lining."""

from dataclasses import dataclass, field
from typing import ClassVar

from ....errors import SettingError
from ....plain import checked, number
from ...wishes import Takers, Wishes, wishes_taken

EDGE_MM, EDGE_MOST = (
    (0.4, 0.2),
    (9.2, 9.5),
)  # of the two lines: widths, and the lightest value each may have. From memory


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
class EdgeWishes(Wishes):
    """regions: what is wished for each region, by its id as text."""

    name: ClassVar[str] = "edges"
    order: ClassVar[int] = 50
    title: ClassVar[str] = "Edges and lining"

    regions: dict[str, RegionEdges] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if strange := [k for k in self.regions if not k.isdecimal()]:
            raise SettingError(f"edges are set by a region's id, a whole number, not '{strange[0][:40]}'")

    def of(self, id_: int) -> RegionEdges:
        """Of a region."""
        return self.regions.get(str(id_), RegionEdges())

    def with_one(self, id_: int, edges: RegionEdges | None) -> "EdgeWishes":
        """The same with one region set, or back to what is usual."""
        others = {k: v for k, v in self.regions.items() if k != str(id_)}
        return EdgeWishes(others if edges is None or edges == RegionEdges() else {**others, str(id_): edges})

    def without_region(self, id_: int) -> "EdgeWishes":
        """The same without it."""
        return self.with_one(id_, None)

    def carried(self, theirs: "EdgeWishes", takers: Takers, first_id: int) -> "EdgeWishes":
        """Edges of the regions that take after others."""
        return EdgeWishes(wishes_taken(self.regions, theirs.regions, takers))


WISHES = EdgeWishes
