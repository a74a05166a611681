"""A region painted as metal: what it should look like, its coats, and from how far round it still reads as metal."""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....datasets.materials import METAL_MATERIAL, material_called
from ....errors import SettingError
from ....light.lamp import Lamp
from ....light.reflect import on_ball
from ....paint.colour import colour_of_hex, encoded
from ....paint.ladder import customary
from ....paint.mix import only
from ....paint.value import luminance_from_munsell
from ....places import tree_of
from ....sculpt.display import seen_from
from ....sculpt.site import Site
from ....target.local import VALUES, Local, colour_ladder, lab_of, seen_as, usual_local
from ...brief import BRUSHED, TINTING, Brief, brushed
from ..colour.ways import way_called
from ..colour.ways.layers import covering_um
from .schools.school import DARKEST, LIGHTEST, Shine, value_of
from .wishes import CUSTOMARY, DARK_WASH, NO_WASH, Metal

METAL = "metal"
STEEL = usual_local(METAL_MATERIAL)
FURTHEST, STEP = 60, 15  # degrees round the display view that are looked at
READS = 0.6  # correlation of values with those of the display view, from which on it reads as the same metal
DARK, LIGHT = 2.5, 8.5  # values that count as near-black and near-white
BESIDE = 6  # samples from one to the other, at most, where one lies beside the other
JUMP = 1.5  # values between neighbouring mixes that show as a border (craft page, section 11)
# dark to light, what a neutral metal takes from a world: it is never grey only (craft page, section 11)
WORLD_COLOURS = {
    "noon": ("#1b2330", "#5d6b7c", "#a9b5c0", "#f3f6f8"),
    "dusk": ("#181f33", "#4f5477", "#c39a88", "#f3e6d2"),
    "red sky": ("#2b1512", "#7c2419", "#cf6b2d", "#efe0bf"),
    "under a roof": ("#171c1e", "#4c5a5a", "#98a5a3", "#eef0ec"),
    "by the fire": ("#131a27", "#6d3a22", "#dc8b37", "#ffe8b9"),
}
# of a grey metal's hue that is the world's; C* of an own colour that keeps two thirds of it
WORLD_SHARE, OWN_CHROMA = 0.8, 30.0
OTHERS_SHARE = 0.25  # of that, where it is no metal
WASH_SHARE = 0.6  # of a wash's usual film: the layers over it should not have to begin again; from memory
GREYISH = 12.0  # C* of a pot that serves for steel; from memory


def usual_metal(material: str) -> Metal:
    """How a material shines where nobody has set anything."""
    usual = material_called(material)
    return Metal(
        usual.school, usual.world, Shine(roughness=usual.roughness, contrast=usual.contrast, gather=usual.gather)
    )


def local_for(local: Local) -> Local:
    """The local colour that a shine is painted with: metal runs from near-black to near-white, all else within its
    own key."""
    return replace(local, low=DARKEST, middle=None, high=LIGHTEST) if local.material == METAL_MATERIAL else local


def metal_values(site: Site, metal: Metal, lamp: Lamp, local: Local = STEEL) -> NDArray[np.float32]:
    """(N,) Munsell values of the whole sculpt, were it this metal."""
    low, _, high = local_for(local).key
    return value_of(metal.by.shares(site, metal.shine, metal.mirrors, lamp), metal.shine, low, high)


def colours(value: NDArray[np.float32], metal: Metal, local: Local = STEEL) -> NDArray[np.float64]:
    """(N, 3) linear RGB of metal of a local colour at values (N,), with the colours of its world in it: the greyer
    the metal, the more of them."""
    table = colour_ladder(local_for(local))
    if (world := WORLD_COLOURS.get(metal.world)) is not None:
        table_lab = lab_of(table)
        named = np.array([colour_of_hex(c).lab for c in world])
        chroma = float(np.hypot(*colour_of_hex(local.colour).lab[1:]))
        share = (
            WORLD_SHARE
            * float(np.exp(-chroma / OWN_CHROMA))
            * (1 if local.material == METAL_MATERIAL else OTHERS_SHARE)
        )
        cast = np.stack([np.interp(table_lab[:, 0], named[:, 0], named[:, k]) for k in (1, 2)], axis=1)
        table_lab[:, 1:] = (1 - share) * table_lab[:, 1:] + share * cast
        table = seen_as(table_lab, luminance_from_munsell(VALUES) / 100)
    at = np.clip(value.astype(np.float64), 0, 10)
    return np.stack([np.interp(at, VALUES, table[:, k]) for k in range(3)], axis=1)


def mirror_ball(metal: Metal, local: Local = STEEL, size: int = 160) -> NDArray[np.uint8]:
    """(size, size, 4) sRGB and cover of a ball of this metal in its world, as it is seen from the view."""
    axis = (np.arange(size) + 0.5) / size * 2 - 1
    x, y = np.meshgrid(axis, -axis)
    world = metal.mirrors
    shown = world.seen(on_ball(x, y, metal.shine.view).reshape(-1, 3))
    share = (np.clip(shown / max(world.brightest, 1e-9), 0, 1) ** (1 / 2.4)).astype(np.float32)
    low, _, high = local_for(local).key
    rgb = encoded(np.clip(colours(value_of(share, metal.shine, low, high), metal, local), 0, 1))
    cover = np.clip((1 - np.hypot(x, y)) * size / 2 + 0.5, 0, 1)
    return np.round(np.dstack([rgb.reshape(size, size, 3), cover]) * 255).astype(np.uint8)


def layers_of(
    brief: Brief,
    metal: Metal | None = None,
    value: NDArray[np.float32] | None = None,
    local: Local = STEEL,
    wash: str = NO_WASH,
) -> list[Coat]:
    """The layers that paint a region as metal: as its target has it, or as a metal of values (N,). wash: between base
    and layers, where no metal says so."""
    if metal is not None and value is not None:
        brief = replace(brief, value=value, lab=lab_of(colours(value, metal, local)))
    made = (
        customary_layers(brief)
        if metal is not None and metal.mixes == CUSTOMARY
        else way_called("layers").coats(brief)
    )
    if (wash if metal is None else metal.wash) == DARK_WASH:
        made = [made[0], dark_wash(brief), *made[1:]]
    return [replace(c, stage=METAL, way="metal") for c in made]


def dark_wash(brief: Brief) -> Coat:
    """The darkest wash of the rack, thin, over a region's base: its rivets and joints are shaded once for all, and
    the layers over it are laid on what stands out.

    Raises:
        SettingError: there is no wash on the rack.
    """
    dark = only(min(brief.paints(*TINTING), key=lambda p: p.looks.value))
    coat = usual_coat("wash", dark, f"{brief.name}: dark wash over the base", METAL)
    thin = replace(coat.settings, film_um=round(WASH_SHARE * coat.settings.film_um, 1))
    return replace(coat, settings=thin, where=brief.where)


def customary_layers(brief: Brief) -> list[Coat]:
    """The customary ladder of painted steel (CP-22) from three pots, each lighter mix where the metal is nearer to it
    than to the one before; the lightest of all on the edges is left to the edge highlights.

    Raises:
        SettingError: the rack has no three base or layer paints, dark, middle and light.
    """
    paints = sorted(brief.paints(*BRUSHED), key=lambda p: p.looks.value)
    greys = [p for p in paints if float(np.hypot(*p.looks.lab[1:])) <= GREYISH] or paints
    middle = min(
        greys, key=lambda p: abs(p.looks.value - float(np.average(brief.value[brief.mask], weights=brief.weight())))
    )
    dark, light = greys[0], greys[-1]
    if not dark.looks.value < middle.looks.value < light.looks.value:
        raise SettingError(
            "the customary ladder wants a dark, a middle and a light grey on the rack; take the nearest mixes"
        )
    steps = [s.mix for s in customary(dark, middle, light, "painted steel")]
    out: list[Coat] = []
    under = brief.ground
    for k, mix in enumerate(steps):
        on = (
            brief.mask if k == 0 else brief.mask & (brief.value >= (steps[k - 1].colour.value + mix.colour.value) / 2)
        )
        if not on.any():
            break
        label = "base of the steel ladder" if k == 0 else f"steel, step {k + 1} of {len(steps)}"
        out.append(brushed(brief, mix, label, None if k == 0 else on, covering_um(mix, under)))
        under = mix.pigment.masstone
    return out


@dataclass(frozen=True)
class Holds:
    """degrees: how far round the display view, to either side, it still reads as metal. looks: (azimuth off the
    display view, correlation with it) of each look. contrast: whether near-black lies beside near-white."""

    degrees: int
    looks: list[tuple[int, float]]
    contrast: bool
    words: str


def holds(site: Site, mask: NDArray[np.bool_], metal: Metal, lamp: Lamp, local: Local = STEEL) -> Holds:
    """From how far round a region's metal holds: what is painted for the display view against what a mirror would
    show from beside it, on what is seen from there."""
    painted = metal_values(site, metal, lamp, local)
    looks = []
    for off in range(-FURTHEST, FURTHEST + 1, STEP):
        azimuth, elevation = metal.shine.view
        beside = replace(metal, shine=replace(metal.shine, view=(azimuth + off, elevation)))
        seen = mask & seen_from(site.surface, azimuth + off, elevation)
        other = painted if off == 0 else metal_values(site, beside, lamp, local)
        looks.append((off, _correlation(painted[seen], other[seen], site.areas[seen])))
    degrees = 0
    for off in range(STEP, FURTHEST + 1, STEP):
        if min(c for o, c in looks if abs(o) == off) < READS:
            break
        degrees = off
    a, b = site.surface.edges
    mine = mask[a] & mask[b]
    contrast = _beside(site, painted, mask, BESIDE * site.surface.spacing) if mine.any() else False
    words = f"It still reads as metal from up to {degrees}° to either side of the display view. "
    words += (
        "Near-black lies beside near-white."
        if contrast
        else "Nowhere does near-black lie beside near-white: make it sharper, or give it more contrast."
    )
    return Holds(degrees, looks, contrast, words)


def _correlation(one: NDArray, other: NDArray, weight: NDArray) -> float:
    if len(one) < 10:
        return 1.0
    w = weight.astype(np.float64) / max(float(weight.sum(dtype=np.float64)), 1e-12)
    a, b = one - w @ one, other - w @ other
    size = float(np.sqrt((w @ a**2) * (w @ b**2)))
    return float(w @ (a * b)) / size if size > 1e-9 else 1.0


def _beside(site: Site, value: NDArray[np.float32], mask: NDArray[np.bool_], near: float) -> bool:
    dark, light = mask & (value < DARK), mask & (value > LIGHT)
    if not dark.any() or not light.any():
        return False
    far = tree_of(site.surface.points[dark]).query(site.surface.points[light], workers=-1)[0]
    return bool(far.min() <= near)


def jumps(layers: list[Coat]) -> list[str]:
    """Where neighbouring mixes are further apart than reads as smooth, or the first step is missing, and what mends
    it."""
    out = []
    if layers and layers[0].mix.colour.value > DARKEST + JUMP:
        first = layers[0].mix
        out.append(
            f"The first step is missing: {first.words()} is value {first.colour.value:.1f}, and metal begins near "
            "black. Mix a black into it 1:1 for the darkest, or put a black on the rack."
        )
    for below, above in pairwise(layers):
        step = above.mix.colour.value - below.mix.colour.value
        if step > JUMP:
            out.append(
                f"{below.mix.words()} to {above.mix.words()} jumps {step:.1f} values: mix the two 1:1 in between, "
                "or glaze the border"
            )
    return out
