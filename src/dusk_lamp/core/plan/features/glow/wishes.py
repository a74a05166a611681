"""What is wished to glow, and which regions are lenses."""

from dataclasses import dataclass, replace
from typing import ClassVar

from ....errors import SettingError
from ....light.flame import HUES
from ....paint.colour import rgb_from_hex
from ....plain import checked, choice, number, text
from ...wishes import Takers, Wishes, ids_taken

EVENNESS = ("even", "middle", "line", "end")
Place = tuple[float, float, float]


MOST = 12


KINDS = ("region", "ball", "plane", "hot metal", "flame")


SHINING = ("region", "ball", "plane")  # kinds that throw light: heat and flame are painted only


AMBER, LAVA = "#ffb347", "#ff5a1f"


EVENNESS_WORDS = {
    "middle": "in its middle",
    "line": "along its inner curve",
    "end": "at its upper end",
    "even": "evenly",
}


@dataclass(frozen=True)
class GlowWish:
    """One glow. id: that no other ever has. region: the id of the region that glows. place: in the file's axes, of a
    ball's foot or a plane's middle; out: the direction off the surface, or that a plane shines in. off: mm from the
    foot to a ball. spots: places of heat and flame; length: mm of those."""

    id: int = 0
    kind: str = choice("region", KINDS, "what glows")
    name: str = text("", (0, 60), "the name of a glow")
    region: int = 0
    place: Place = (0.0, 0.0, 0.0)
    out: Place = (0.0, 0.0, 1.0)
    off: float = number(4.0, 0, 300, "the distance off the surface", "mm", step=0.5, form="Off the surface, mm")
    radius: float = number(1.5, 0.05, 100, "the radius of a glowing ball", "mm", step=0.05, form="Its radius, mm")
    width: float = number(40.0, 0.5, 1000, "the width of a glowing plane", "mm", step=0.5, form="Its width, mm")
    height: float = number(40.0, 0.5, 1000, "the height of a glowing plane", "mm", step=0.5, form="Its length, mm")
    colour: str = text(AMBER, (7, 7), "the colour of a glow")
    strength: float = number(1.0, 1e-6, 1e7, "the strength of a glow")
    evenness: str = choice("middle", EVENNESS, "where a glow is hottest", EVENNESS_WORDS, form="Hottest")
    shadow: bool = True
    on: bool = True
    spots: tuple[Place, ...] = ()
    length: float = number(8.0, 0.2, 300, "the length of heat", "mm", step=0.2, form="Length", slide=60)
    hues: str = choice("fire", tuple(HUES), "the hues of a flame", form="Hues")
    heart: bool = False
    seed: int = number(1, 0, 9999, "the pattern of a flame", step=1, form="Other edges")

    def __post_init__(self) -> None:
        checked(self)
        rgb_from_hex(self.colour)

    @property
    def way(self) -> str:
        """What its coats are known by."""
        return f"glow-{self.id}"

    @property
    def shines(self) -> bool:
        """Whether it throws light."""
        return self.kind in SHINING


@dataclass(frozen=True)
class GlowWishes(Wishes):
    """glows: what glows. lenses: ids of the regions that are painted as lenses, gems or eyes."""

    name: ClassVar[str] = "glow"
    order: ClassVar[int] = 60
    title: ClassVar[str] = "Glows and lenses"

    glows: tuple[GlowWish, ...] = ()
    lenses: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        ids = [g.id for g in self.glows]
        if len(set(ids)) < len(ids):
            raise SettingError("two glows have the same id; give each its own")
        if len(self.glows) > MOST:
            raise SettingError(f"a plan can have {MOST} glows at most; remove one first")

    @property
    def ids(self) -> list[int]:
        """Of its glows."""
        return [g.id for g in self.glows]

    def one(self, id_: int) -> GlowWish:
        """One of them.

        Raises:
            SettingError: it is not there any more.
        """
        found = next((g for g in self.glows if g.id == id_), None)
        if found is None:
            raise SettingError("this glow is not there any more; reload the page")
        return found

    def with_one(self, glow: GlowWish) -> "GlowWishes":
        """The same with one changed, or added."""
        if all(g.id != glow.id for g in self.glows):
            return replace(self, glows=(*self.glows, glow))
        return replace(self, glows=tuple(glow if g.id == glow.id else g for g in self.glows))

    def without(self, id_: int) -> "GlowWishes":
        """The same without one."""
        return replace(self, glows=tuple(g for g in self.glows if g.id != id_))

    def without_region(self, id_: int) -> "GlowWishes":
        """No lens any more; a glow of it stays, and says that its region is gone."""
        return replace(self, lenses=tuple(i for i in self.lenses if i != id_))

    def carried(self, theirs: "GlowWishes", takers: Takers, first_id: int) -> "GlowWishes":
        """Glows of regions shine from those that take after them; what glows at a place, only on its own sculpt."""
        taking = {k for ids in takers.values() for k in ids}
        glows = [g for g in theirs.glows if g.kind != "region" or g.region not in taking]
        for glow in self.glows:
            for k in takers.get(glow.region, ()) if glow.kind == "region" else ():
                kept = next((g.id for g in theirs.glows if g.kind == "region" and g.region == k), 0)
                glows.append(replace(glow, region=k, id=kept or first_id))
                first_id += not kept
        return GlowWishes(tuple(glows[:MOST]), ids_taken(self.lenses, theirs.lenses, takers))


WISHES = GlowWishes
