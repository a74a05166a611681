"""A region painted as metal: what it shall look like, the coats, and from how far round the story holds."""

from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...coat.coat import Coat, usual_coat
from ...light.lamp import Lamp
from ...light.reflect import WORLDS, World, world_called
from ...plain import checked, text
from ...sculpt.display import seen_from
from ...sculpt.site import Site
from ...target.local import VALUES, Local, lab_of, ladder
from ..ways import way
from ..ways.way import BRUSHED, Task, nearest_mix
from . import metal_school
from .school import DARKEST, LIGHTEST, School, Shine, value_of

STAGE = "metal"
FURTHEST, STEP = 60, 15  # degrees round the display view that are looked at
TELLS = 0.6  # correlation of values with those of the display view: the same story
DARK, LIGHT = 2.5, 8.5  # values that count as near-black and near-white
JUMP = 1.5  # values between neighbouring mixes that show as a border (craft page, section 11)
EDGE_VALUES, EDGE_MM = (7.2, 9.0), (0.4, 0.2)  # of the two lines; common practice, from memory
EDGE_CHROMA, EDGE_HIGHER = (
    0.5,
    20.0,
)  # of the region's own colour that is left in them, and degrees that the second lamp is higher
CASTS = {  # what steel leans to under a world: it is never grey only. Shadow, light
    "noon": ("cool", "neutral"), "dusk": ("cool", "warm"), "red sky": ("warm", "warm"), "under a roof": ("cool", "neutral"),
    "by the fire": ("cool", "warm"),
}  # fmt: skip


@dataclass(frozen=True)
class Metal:
    """How a region's metal is painted. school, world: names."""

    school: str = text("lamp", (1, 20), "a school of metal")
    world: str = text("noon", (1, 20), "a world")
    shine: Shine = field(default_factory=Shine)

    def __post_init__(self) -> None:
        checked(self)
        metal_school(self.school)
        world_called(self.world)

    @property
    def by(self) -> School:
        """The school itself."""
        return metal_school(self.school)

    @property
    def mirrors(self) -> World:
        """The world itself."""
        return WORLDS[self.world]


def values(site: Site, metal: Metal, lamp: Lamp) -> NDArray[np.float32]:
    """(N,) Munsell values of the whole sculpt, were it this metal."""
    return value_of(metal.by.shares(site, metal.shine, metal.mirrors, lamp), metal.shine)


def colours(value: NDArray[np.float32], metal: Metal, colour: str) -> NDArray[np.float64]:
    """(N, 3) linear RGB of metal of a local colour at values (N,), with what the world casts on it."""
    shadow, light = CASTS.get(metal.world, ("cool", "neutral"))
    table = ladder(Local(colour, "metal", "important", DARKEST, LIGHTEST, None, shadow, light))
    at = np.clip(value.astype(np.float64), 0, 10)
    return np.stack([np.interp(at, VALUES, table[:, k]) for k in range(3)], axis=1)


def coats(task: Task, metal: Metal, value: NDArray[np.float32], colour: str) -> list[Coat]:
    """The layers that paint a region as this metal."""
    wanted = replace(task, value=value, lab=lab_of(colours(value, metal, colour)))
    return [replace(c, stage=STAGE, way="metal") for c in way("layers").coats(wanted)]


def edge_coats(task: Task, lamp: Lamp) -> list[Coat]:
    """Two lines along the crests of a region that the lamp sees: a wide one, then a fine one, nearly white, on those that
    are seen from higher up (craft page, section 12)."""
    paints = task.paints(*BRUSHED)
    middle = np.average(task.lab[task.own], axis=0, weights=task.weight())
    out = []
    for k, (value, width) in enumerate(zip(EDGE_VALUES, EDGE_MM, strict=True)):
        wanted = np.array([10 * value, middle[1] * EDGE_CHROMA, middle[2] * EDGE_CHROMA])
        label = f"{task.name}: edge highlight, {'fine, the brightest' if k else 'the wide one'}"
        coat = usual_coat("line", nearest_mix(wanted, paints), label, STAGE)
        high = min(lamp.elevation + EDGE_HIGHER * k, 90.0)
        settings = replace(coat.settings, width=width, azimuth=lamp.azimuth, elevation=high)
        out.append(replace(coat, settings=settings, where=task.where, way="edges"))
    return out


@dataclass(frozen=True)
class Holds:
    """degrees: how far round the display view, to either side, the highlights still tell the same story. told: (azimuth off
    the display view, correlation) of each look. contrast: whether near-black lies beside near-white."""

    degrees: int
    told: list[tuple[int, float]]
    contrast: bool
    words: str


def holds(site: Site, own: NDArray[np.bool_], metal: Metal, lamp: Lamp) -> Holds:
    """From how far round a region's metal holds: what is painted for the display view against what a mirror would show
    from beside it, on what is seen from there."""
    painted = values(site, metal, lamp)
    told = []
    for off in range(-FURTHEST, FURTHEST + 1, STEP):
        azimuth, elevation = metal.shine.view
        beside = replace(metal, shine=replace(metal.shine, view=(azimuth + off, elevation)))
        seen = own & seen_from(site.surface, azimuth + off, elevation)
        other = painted if off == 0 else values(site, beside, lamp)
        told.append((off, _correlation(painted[seen], other[seen], site.areas[seen])))
    degrees = 0
    for off in range(STEP, FURTHEST + 1, STEP):
        if min(c for o, c in told if abs(o) == off) < TELLS:
            break
        degrees = off
    a, b = site.surface.edges
    mine = own[a] & own[b]
    near = site.surface.spacing * 6
    contrast = _beside(site, painted, own, near) if mine.any() else False
    words = f"The highlights tell the same story up to {degrees}° to either side. "
    words += (
        "Near-black lies beside near-white."
        if contrast
        else "Nowhere does near-black lie beside near-white: sharper, or more contrast."
    )
    return Holds(degrees, told, contrast, words)


def _correlation(one: NDArray, other: NDArray, weight: NDArray) -> float:
    if len(one) < 10:
        return 1.0
    w = weight.astype(np.float64) / max(float(weight.sum(dtype=np.float64)), 1e-12)
    a, b = one - w @ one, other - w @ other
    size = float(np.sqrt((w @ a**2) * (w @ b**2)))
    return float(w @ (a * b)) / size if size > 1e-9 else 1.0


def _beside(site: Site, value: NDArray[np.float32], own: NDArray[np.bool_], near: float) -> bool:
    from scipy.spatial import cKDTree

    dark, light = own & (value < DARK), own & (value > LIGHT)
    if not dark.any() or not light.any():
        return False
    far = cKDTree(site.surface.points[dark]).query(site.surface.points[light], workers=-1)[0]
    return bool(far.min() <= near)


def jumps(layers: list[Coat]) -> list[str]:
    """Where neighbouring mixes are further apart than reads as smooth, and what mends it."""
    out = []
    for below, above in pairwise(layers):
        step = above.mix.colour.value - below.mix.colour.value
        if step > JUMP:
            out.append(
                f"{below.mix.words()} to {above.mix.words()} jumps {step:.1f} values: mix the two 1:1 in between, or glaze the border"
            )
    return out
