"""What glows on a sculpt: sources and heats as they are kept, their light worked out once, and the coats that paint
them. Places are kept in the file's own axes, so that they stay when the sculpt is stood up anew."""

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..core.coat.coat import Coat
from ..core.errors import SettingError
from ..core.light.emitter import FEW_PLACES, PLACES, Glow, Source, glow_of
from ..core.plain import built, checked, choice, plain, text
from ..core.plain import number as amount
from ..core.plan.glow import EVENNESS
from ..core.sculpt.marking import Marking
from ..core.sculpt.site import Site
from .laid import Laid
from .models import Sculpt

MOST = 12
GLOW = "glow"  # the stage that their coats belong to
KINDS = ("region", "ball", "plane", "hot metal", "flame")


@dataclass(frozen=True)
class Kept:
    """One glow. region, of: number and name of the region that glows; the name finds it again when numbers change. place: (3,) in the file's axes, of a ball's foot or a plane's middle; out: the direction off the
    surface, or that a plane shines in. off: mm from the foot to a ball's middle. spots: of heat and flame. length: mm of
    those."""

    number: int
    kind: str = choice("region", KINDS, "what glows")
    name: str = text("", (0, 60), "the name of a glow")
    region: int = 0
    of: str = text("", (0, 60), "the region's name")
    place: tuple[float, float, float] = (0.0, 0.0, 0.0)
    out: tuple[float, float, float] = (0.0, 0.0, 1.0)
    off: float = amount(4.0, 0, 300, "how far it hangs off the surface", "mm")
    radius: float = amount(1.5, 0.05, 100, "the radius of a glowing ball", "mm")
    width: float = amount(40.0, 0.5, 1000, "the width of a glowing plane", "mm")
    height: float = amount(40.0, 0.5, 1000, "the height of a glowing plane", "mm")
    colour: str = text("#ffb347", (7, 7), "the colour of a glow")
    strength: float = amount(1.0, 1e-6, 1e7, "the strength of a glow")
    evenness: str = choice("middle", EVENNESS, "where a glow is hottest")
    shadow: bool = True
    on: bool = True
    spots: tuple[tuple[float, float, float], ...] = ()
    length: float = amount(8.0, 0.2, 300, "the length of heat", "mm")
    hues: str = text("fire", (1, 12), "the hues of a flame")
    heart: bool = False
    seed: int = 1

    def __post_init__(self) -> None:
        checked(self)

    @property
    def way(self) -> str:
        """What its coats are known by."""
        return f"glow-{self.number}"

    @property
    def shines(self) -> bool:
        """Whether it throws light: heat and flame are painted only."""
        return self.kind in ("region", "ball", "plane")

    def source(self, laid: Laid) -> Source:
        """The source on the bench, mm."""
        if self.kind == "region":
            return Source("region", self.region)
        x, y, z = laid.placing.to_bench(np.array(self.place, float)[None])[0]
        n = laid.placing.turn @ np.array(self.out, float)
        n = n / max(float(np.linalg.norm(n)), 1e-9)
        toward = (float(n[0]), float(n[1]), float(n[2]))
        if self.kind == "plane":
            return Source("plane", 0, (x, y, z), 1.0, toward, self.width, self.height)
        x, y, z = (float(v) for v in np.array([x, y, z]) + n * (self.off + self.radius))
        return Source("ball", 0, (x, y, z), self.radius)

    def on_bench(self, laid: Laid) -> NDArray[np.float64]:
        """(S, 3) its hot spots, mm."""
        return laid.placing.to_bench(np.array(self.spots, float).reshape(-1, 3))


@dataclass(frozen=True)
class Glows:
    """All of a sculpt. dusk: share of the lamp's light that is left."""

    dusk: float = amount(1.0, 0, 1, "how much of the lamp is left")
    all: tuple[Kept, ...] = ()

    def __post_init__(self) -> None:
        checked(self)

    def one(self, number_: int) -> Kept:
        """One of them.

        Raises:
            SettingError: it is not there any more.
        """
        found = next((k for k in self.all if k.number == number_), None)
        if found is None:
            raise SettingError("this glow is not there any more; reload the page")
        return found

    def with_one(self, own: Kept) -> "Glows":
        """The same with one changed, or added.

        Raises:
            SettingError: more than one can keep apart.
        """
        if all(k.number != own.number for k in self.all):
            if len(self.all) >= MOST:
                raise SettingError(f"{MOST} glows are as many as can be kept apart; put one out first")
            return replace(self, all=(*self.all, own))
        return replace(self, all=tuple(own if k.number == own.number else k for k in self.all))

    def without(self, number_: int) -> "Glows":
        """The same without one."""
        return replace(self, all=tuple(k for k in self.all if k.number != number_))

    @property
    def next_number(self) -> int:
        """A number that none has."""
        return max((k.number for k in self.all), default=0) + 1


def glows_of(sculpt: Sculpt) -> Glows:
    """What glows on a sculpt."""
    return built(Glows, sculpt.glows or {}, "what glows")


def found_again(glows: Glows, marking: Marking) -> Glows:
    """The same with the regions that glow found by their names, where those are still there."""
    names = [r.name for r in marking.regions]
    return replace(
        glows,
        all=tuple(
            replace(k, region=names.index(k.of) + 1) if k.kind == "region" and k.of in names else k for k in glows.all
        ),
    )


def keep(sculpt: Sculpt, glows: Glows) -> None:
    """Keep it."""
    sculpt.glows = plain(glows)


def light_of(laid: Laid, site: Site, kept: Kept, rough: bool = False, marking: int = 0) -> Glow:
    """Its light for a radiosity of 1, worked out once: reach, colour and dusk need no rays. marking: number of the
    regions' state, for those that are a region.

    Raises:
        SettingError: it cannot glow there.
    """
    source = kept.source(laid)
    key = json.dumps([plain(source), kept.shadow, rough, marking if kept.kind == "region" else 0], sort_keys=True)
    return laid.glows.of(key, lambda: glow_of(site, source, FEW_PLACES if rough else PLACES, kept.shadow))


def lens_way(region: int) -> str:
    """What the coats of a region's lenses are known by."""
    return f"lens-{region}"


def with_coats(coats: Sequence[Coat], way: str, new: Sequence[Coat]) -> list[Coat]:
    """The coats of a plan with those known by a name replaced, or put last."""
    mine = lambda c: c.stage == GLOW and c.way == way  # noqa: E731
    out = [c for c in coats if not mine(c)]
    first = next((k for k, c in enumerate(coats) if mine(c)), None)
    at = len(out) if first is None else sum(1 for c in coats[:first] if not mine(c))
    return [*out[:at], *(replace(c, way=way) for c in new), *out[at:]]
