"""Touch-ups: what the nozzle could not reach, gathered into a short list for the brush.

Spots that are off by more than half a value are gathered by the shade they want. Each such patch is one coat on its
spots only: by brush, or by dry brush or wash where one of these brings as much of it near, since it is quicker.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....coat.stack import appearance, looks
from ....paint.mix import Mix
from ....places import pieces_joined
from ....plain import rounded
from ....results import result
from ....sculpt.site import Site, Where
from ....workplace.tools import EVERYTHING, Tools
from .pots import HALF_VALUE, Pots

ENOUGH = 0.95  # of the visible area, and the rest is left alone
LEAST_SPOT_MM2, LEAST_PATCH_MM2 = 0.15, 0.5  # what a fine brush still hits, and what is worth mixing for
MOST_PATCHES = 16
BRUSHED_COATS = 2  # thin ones
SURE = 0.45  # values from a shade to what is wanted: near enough, whatever shines through
NAMED_SHARE, MOST_NAMED = 0.15, 3  # of a patch's area that makes a region worth naming, and how many are
QUICKER = 0.05  # of a patch that a dry brush or a wash may leave off, for being quicker
DRYBRUSH_UM, WASH_UM = (6.0, 12.0, 24.0), (1.0, 2.0, 4.0, 8.0)
SPOT_WIDTH = 0.6  # of the width of a spot: how wide the brush for it is


@dataclass(frozen=True)
class TouchUp:
    """One patch: spots that want one shade.

    region: where they lie, in words. mm2: of the spots, and how many there are. direction: lighter or darker. paint:
    the mix in words. technique: how. gains: the share of the visible area that it brings within half a value. brush:
    its width, mm, None where there is none. coat: the coat itself.
    """

    region: str
    mm2: float = rounded(1)
    spots: int = 0
    direction: str = "lighter"
    paint: str = ""
    technique: str = "brush"
    gains: float = rounded(4, 0.0)
    brush: float | None = rounded(1, None)
    coat: Coat | None = None

    @property
    def words(self) -> str:
        """In a line."""
        by = {"brush": "by brush", "drybrush": "dry-brushed", "wash": "as a wash"}[self.technique]
        size = f", {self.brush:g} mm" if self.brush and self.technique == "brush" else ""
        return f"{self.direction}, {self.region}: {self.paint} {by}{size}"


def touch_ups(
    site: Site, seen: NDArray[np.float32], target: NDArray[np.float32], pots: Pots, tools: Tools = EVERYTHING
) -> list[TouchUp]:
    """The patches that bring a painted model within half a value of its target on ENOUGH of the visible area,
    largest first.

    Args:
        seen: (N, 36) reflectance of the model as it is. target: (N,) values.
    """
    value, areas = looks(seen)[0], site.areas.astype(np.float64)
    off = (np.abs(value - target) > HALF_VALUE) & (areas > 0)
    whole = areas.sum()
    missing = float(areas[off].sum() / whole) - (1 - ENOUGH)
    if missing <= 0:
        return []
    out: list[TouchUp] = []
    for group, spots, lighter, mix in _groups(site, off, value, target, areas, pots):
        patch = _patch(site, group, spots, lighter, mix, seen, target, pots, tools)
        if patch.gains <= 0:
            continue
        out.append(patch)
        missing -= patch.gains
        if missing <= 0:
            break
    return out


def _groups(
    site: Site, off: NDArray[np.bool_], value: NDArray, target: NDArray, areas: NDArray, pots: Pots
) -> Iterator[tuple[NDArray[np.bool_], int, bool, Mix]]:
    """The patches there are, the largest first: always the shade and direction that most of what is left can be done
    with."""
    shades = np.array([m.colour.value for m in pots.shades])
    left = np.flatnonzero(off)
    done_with: set[tuple[bool, int]] = set()
    for _ in range(MOST_PATCHES):
        lighter = target[left] > value[left]
        fits = np.abs(target[left, None] - shades[None]) <= SURE
        covered = {
            (way, shade): float(areas[left[mask]] @ fits[mask, shade])
            for way, mask in ((True, lighter), (False, ~lighter))
            for shade in range(len(shades))
            if (way, shade) not in done_with
        }
        way, shade = max(covered, key=covered.__getitem__)
        if covered[way, shade] < LEAST_PATCH_MM2:
            return
        done_with.add((way, shade))
        taken = (lighter == way) & fits[:, shade]
        group = np.zeros(len(off), np.bool_)
        group[left[taken]] = True
        left = left[~taken]
        group, spots = _spots(site, group, areas)
        if group.any():
            yield group, spots, way, pots.shades[shade]


def _regions_of(site: Site, group: NDArray[np.bool_], areas: NDArray) -> str:
    """The regions that a patch lies on, in words; those with a fair share of it by name."""
    named = site.marking.regions
    if not named:
        return "the model"
    share = np.bincount(site.labels[group], weights=areas[group], minlength=len(named) + 1)
    share = share / share.sum()
    order = [int(k) for k in np.argsort(-share) if share[k] >= NAMED_SHARE][:MOST_NAMED]
    names = [named[k - 1].name if k else "the rest" for k in order]
    elsewhere = ["elsewhere"] if share[order].sum() < 1 - NAMED_SHARE else []
    said = [*names, *elsewhere]
    return said[0] if len(said) == 1 else f"{', '.join(said[:-1])} and {said[-1]}"


@result()
def _neighbours(site: Site) -> NDArray[np.int32]:
    """(E, 2) two sides of every facet: all neighbours are on one."""
    return np.vstack([site.surface.faces[:, (0, 1)], site.surface.faces[:, (1, 2)]])


def _spots(site: Site, mask: NDArray[np.bool_], areas: NDArray) -> tuple[NDArray[np.bool_], int]:
    """The spots of a mask (N,) that a brush can hit, and how many there are."""
    ends = _neighbours(site)
    both = ends[mask[ends].all(axis=1)]
    number = pieces_joined(both[:, 0], both[:, 1], len(mask))
    size = np.bincount(number[mask], weights=areas[mask], minlength=int(number.max()) + 1)
    large = size >= LEAST_SPOT_MM2
    return mask & large[number], int(large.sum())


def _patch(
    site: Site,
    group: NDArray[np.bool_],
    spots: int,
    lighter: bool,
    mix: Mix,
    seen: NDArray,
    target: NDArray,
    pots: Pots,
    tools: Tools,
) -> TouchUp:
    areas = site.areas.astype(np.float64)
    where, samples = Where.some(group), np.flatnonzero(group)
    few = site.only(samples.astype(np.int32), np.zeros((0, 3), np.int32))

    def near(coat: Coat) -> float:
        film = coat.by.film(few, coat.settings, coat.solids)
        value = looks(appearance([(coat, film)], len(samples), seen[samples]))[0]
        return float(areas[samples][np.abs(value - target[samples]) <= HALF_VALUE].sum())

    mm2 = float(areas[samples].sum())
    width = SPOT_WIDTH * float(np.sqrt(mm2 / spots))
    brush = usual_coat("brush", mix).with_settings({"film_um": round(BRUSHED_COATS * mix.coat_um, 1)})
    best, gained = brush, near(brush)
    for other in _sweeps(mix, lighter, pots):
        swept = near(other)
        if swept >= gained - QUICKER * mm2 and (best is brush or swept > gained):
            best, gained = other, swept
    region = _regions_of(site, group, areas)
    direction = "lighter" if lighter else "darker"
    said = f"touch-up: {direction}, {region}"
    coat = Coat(best.technique, best.mix, best.settings, where, label=said[:80])
    return TouchUp(
        region,
        mm2,
        spots,
        direction,
        best.mix.words(),
        best.technique,
        gained / float(areas.sum()),
        tools.brush(width),
        coat,
    )


def _sweeps(mix: Mix, lighter: bool, pots: Pots) -> Sequence[Coat]:
    """Quicker ways than the brush: dry brush where it is to be lighter, a wash where darker."""
    if lighter:
        return [usual_coat("drybrush", mix).with_settings({"film_um": um, "softness": 0.9}) for um in DRYBRUSH_UM]
    wash = Mix((pots.wash,), (1,))
    return [usual_coat("wash", wash).with_settings({"film_um": um}) for um in WASH_UM]


def with_all(coats: Sequence[Coat], patches: Sequence[TouchUp]) -> list[Coat]:
    """Coats with patches after them."""
    return [*coats, *(p.coat for p in patches if p.coat is not None)]
