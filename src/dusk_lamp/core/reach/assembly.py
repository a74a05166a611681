"""Assembly: which parts are painted apart so that the brush gets everywhere, with as few seams as can be (CP-1)."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from ..places import tree_of
from ..plain import rounded
from ..sculpt.parts import Part, seams
from ..sculpt.site import Site
from .spots import Obstacles, asked_spots, can_reach
from .tool import BRUSH, NOZZLE, Tool

MOST_TRIED = 7  # parts of which every choice is tried; of more, one after another is added
NOTHING = 0.004  # of the paintable area: so little out of reach is nothing
SIDES = 2.0  # mm that a spot counts as further off which faces another way
WORTH_IT = 0.002  # of the paintable area: what a further part apart has to bring


@dataclass(frozen=True)
class RegionReach:
    """What is out of reach of one region. mm2: of it. brush, nozzle: mm² out of their reach with all parts on; apart:
    mm² out of the brush's reach with the parts painted apart."""

    name: str
    mm2: float = rounded(2)
    brush: float = rounded(2)
    nozzle: float = rounded(2)
    apart: float = rounded(2)


@dataclass(frozen=True)
class Reach:
    """What a brush gets at. spots: (M,) numbers of the samples that were asked; brush, nozzle: (M,) what they reach
    with all parts on; with_apart: (M,) what the brush reaches with some apart. apart: numbers of the parts to paint
    apart. seams: of those, (part, part, mm). regions: the rest and every region."""

    spots: NDArray[np.int64]
    brush: NDArray[np.bool_]
    nozzle: NDArray[np.bool_]
    with_apart: NDArray[np.bool_]
    apart: tuple[int, ...]
    seams: tuple[tuple[int, int, float], ...]
    regions: tuple[RegionReach, ...]

    @property
    def mm2(self) -> float:
        """Out of the brush's reach with all parts on."""
        return sum(r.brush for r in self.regions)

    def missed(self, site: Site, got: NDArray[np.bool_] | None = None) -> NDArray[np.bool_]:
        """(N,) the samples of the sculpt that are out of reach, each like the spot nearest to it that was asked. got:
        (M,) what is reached; None for the brush with all parts on."""
        got = self.brush if got is None else got
        turned = np.column_stack([site.surface.points, SIDES * site.surface.normals])
        nearest = tree_of(turned[self.spots]).query(turned, workers=-1)[1]
        return ~got[nearest] & site.paintable

    @property
    def left(self) -> float:
        """Out of its reach with the parts apart."""
        return sum(r.apart for r in self.regions)


def spots_in_reach(
    site: Site,
    named: Sequence[Part],
    brush: Tool = BRUSH,
    nozzle: Tool = NOZZLE,
    stopped: Callable[[], bool] | None = None,
    most: int | None = None,
) -> Reach:
    """What a brush and a nozzle get at on a sculpt, and the parts to paint apart so that the brush gets everywhere.

    Of all choices of parts that leave (nearly) nothing out of reach the one with the shortest seams is taken; where
    none does, the one that leaves least. A part painted apart is in nobody's way, and nothing is in its own.

    Args:
        named: the parts. most: spots that are asked.

    Raises:
        Stopped: `stopped` said so.
    """
    surface = site.surface
    spots = asked_spots(surface, site.paintable) if most is None else asked_spots(surface, site.paintable, most)
    weight = _weights(site, spots)
    everything = Obstacles(surface)
    by_brush = can_reach(surface, spots, brush, everything, stopped)
    by_nozzle = can_reach(surface, spots, nozzle, everything, stopped)
    part = surface.part[spots]
    count = max(len(named), int(surface.part.max(initial=0)) + 1)
    missed = np.flatnonzero(~by_brush)
    chosen: tuple[int, ...] = ()
    with_apart = by_brush.copy()
    if len(missed) and count > 1:
        chosen, got = _chosen(
            site, named, spots[missed], part[missed], weight[missed], weight.sum(), brush, count, stopped
        )
        with_apart[missed] = got
    found = tuple((s.a, s.b, round(s.length, 2)) for s in _seams(site, named, chosen))
    return Reach(
        spots,
        by_brush,
        by_nozzle,
        with_apart,
        chosen,
        found,
        _regions(site, spots, weight, by_brush, by_nozzle, with_apart),
    )


def _weights(site: Site, spots: NDArray[np.int64]) -> NDArray[np.float64]:
    """mm² that each asked spot stands for."""
    areas = site.areas.astype(np.float64)
    weights = areas[spots]
    return weights * (areas[site.paintable].sum() / max(float(weights.sum()), 1e-12))


def _seams(site: Site, named: Sequence[Part], apart: Sequence[int]):
    parts = [replace(p, apart=k in apart) for k, p in enumerate(named)]
    return seams(site.surface, parts, site.paintable)


def _chosen(
    site: Site,
    named: Sequence[Part],
    spots: NDArray[np.int64],
    part: NDArray,
    weight: NDArray,
    whole: float,
    brush: Tool,
    count: int,
    stopped: Callable[[], bool] | None,
) -> tuple[tuple[int, ...], NDArray[np.bool_]]:
    """The parts to paint apart, and which of the missed spots the brush reaches then."""
    surface = site.surface
    sizes = np.array([site.areas[surface.part == k].sum() for k in range(count)])
    body = int(np.argmax(sizes))  # the largest is what the others are taken off
    can = [k for k in range(count) if k != body]
    alone: dict[int, NDArray[np.bool_]] = {}

    def with_off(off: tuple[int, ...]) -> NDArray[np.bool_]:
        out = np.zeros(len(spots), np.bool_)
        on = [k for k in range(count) if k not in off]
        rest = np.flatnonzero(np.isin(part, on))
        if len(rest):
            out[rest] = can_reach(surface, spots[rest], brush, Obstacles(surface, on), stopped)
        for k in off:
            rows = np.flatnonzero(part == k)
            if len(rows):
                if k not in alone:
                    alone[k] = can_reach(surface, spots[rows], brush, Obstacles(surface, [k]), stopped)
                out[rows] = alone[k]
        return out

    def missed(got: NDArray[np.bool_]) -> float:
        return float(weight[~got].sum())

    best: tuple[int, ...] = ()
    got = np.zeros(len(spots), np.bool_)
    left = float(weight.sum())
    if left <= NOTHING * whole:
        return (), got
    if len(can) <= MOST_TRIED:
        for size in range(1, len(can) + 1):
            tried = []
            for off in combinations(can, size):
                now = with_off(off)
                tried.append((missed(now), sum(s.length for s in _seams(site, named, off)), off, now))
            enough = [t for t in tried if t[0] <= NOTHING * whole]
            if enough:
                _, _, best, got = min(enough, key=lambda t: (t[1], t[2]))
                return best, got
            least = min(tried, key=lambda t: (t[0], t[1], t[2]))
            if left - least[0] > WORTH_IT * whole:
                left, best, got = least[0], least[2], least[3]
        return best, got
    while left > NOTHING * whole:
        further = [(missed(now), k, now) for k in can if k not in best for now in [with_off((*best, k))]]
        if not further:
            break
        least_left, k, now = min(further, key=lambda t: (t[0], t[1]))
        if left - least_left <= WORTH_IT * whole:
            break
        left, best, got = least_left, (*best, k), now
    return tuple(sorted(best)), got


def _regions(
    site: Site, spots: NDArray, weight: NDArray, brush: NDArray, nozzle: NDArray, apart: NDArray
) -> tuple[RegionReach, ...]:
    labels = site.labels[spots]
    out = []
    for number, name in enumerate(["the rest", *(r.name for r in site.marking.regions)]):
        mask = labels == number
        if mask.any() and (number or mask.sum() > 0):
            out.append(
                RegionReach(
                    name,
                    float(weight[mask].sum()),
                    float(weight[mask & ~brush].sum()),
                    float(weight[mask & ~nozzle].sum()),
                    float(weight[mask & ~apart].sum()),
                )
            )
    return tuple(out)


def marks_of(reach: Reach, site: Site) -> NDArray[np.uint8]:
    """(N,) what to draw on the model: 1 out of the nozzle's reach, 2 out of the brush's with all parts on, 3 out of
    its reach even with the parts apart that are proposed, 4 a glue face of a part painted apart; 0 for nothing."""
    out = np.zeros(len(site), np.uint8)
    for mark, got in ((1, reach.nozzle), (2, reach.brush), (3, reach.with_apart)):
        out[reach.missed(site, got)] = mark
    out = out[site.shown]
    out[site.glued] = 4  # inside, too: it is seen once the parts are off
    return out


def reach_words(reach: Reach, named: Sequence[Part]) -> list[str]:
    """What it means for the hands, in sentences."""
    out = []
    hidden = sorted((r for r in reach.regions if r.brush >= 1.0), key=lambda r: -r.brush)
    if not hidden:
        return ["A brush gets everywhere with all parts on: glue it together and paint it whole."]
    for r in hidden[:4]:
        out.append(f"{r.name}: {r.brush:.0f} of {r.mm2:.0f} mm² are out of reach with all parts on.")
    if reach.apart:
        names = ", ".join(named[k].name for k in reach.apart)
        mm = sum(length for _, _, length in reach.seams)
        out.append(
            f"Paint apart: {names}. That leaves {reach.left:.0f} mm² out of reach, and {mm:.0f} mm of seams to match."
        )
    elif len(named) > 1:
        out.append("No part that could stay off would help; use a long, fine brush, or leave it dark.")
    else:
        out.append("It is in one piece: use a long, fine brush, or leave it dark.")
    return out
