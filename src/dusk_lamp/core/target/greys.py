"""The greys: how many, which, and which part of the surface each of them covers."""

from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..plain import checked, number, plain
from ..sculpt.mesh import summed
from ..sculpt.surface import Surface, smoothed
from .exposure import Exposure

FEWEST_STEPS, MOST_STEPS = 2, 9
HISTOGRAM_STEP = 0.1  # the value ruler counts area in tenths of a Munsell value
BRUSH_ROUNDS = 2  # samples lie a fine brush mark apart; a mark and its surroundings are painted alike
LEAST_GAP = 0.05  # two cuts closer than this could not be kept apart with a brush


@dataclass(frozen=True)
class Greys:
    """The wish: how many greys from primer to white, and how rare the lightest should be.

    steps: the primer being the first. white_budget: the lightest step may cover at most this share of the surface,
    None for no limit. cuts: (steps − 1) Munsell values at which each lighter step begins, where the painter has slid
    them; None for half-way between neighbouring greys.
    """

    steps: int = number(5, FEWEST_STEPS, MOST_STEPS, "the number of greys")
    white_budget: float | None = number(0.03, 1e-6, 1, "the share of the surface that may be white", slide=0.2)
    cuts: tuple[float, ...] | None = None

    def __post_init__(self) -> None:
        checked(self)
        if self.cuts is not None:
            if len(self.cuts) != self.steps - 1:
                raise SettingError(f"{self.steps} steps need {self.steps - 1} cuts between them")
            if not np.isfinite(self.cuts).all() or (np.diff([0, *self.cuts, 10]) < LEAST_GAP).any():
                raise SettingError("each step must begin lighter than the one before it")

    def values(self, exposure: Exposure) -> NDArray[np.float64]:
        """(steps,) Munsell values from primer to white, evenly spaced: even steps blend most smoothly, CP-6."""
        return np.linspace(exposure.primer, exposure.white, self.steps)


@dataclass(frozen=True)
class Bands:
    """Greys laid on one surface.

    greys: (S,) Munsell values. cuts: (S − 1,) value at which each lighter step begins. step: (N,) uint8, the lightest
    step each sample receives. area_mm2: (S,) area on which each step stays visible in the end. covered_mm2: (S,) area
    each step is put on, which holds all lighter ones too (CP-16). histogram: (100,) mm² per tenth of a value.
    notice: a sentence where the wish could not be met, else "". hidden_mm2: area inside, that nobody can paint; in
    none of the others.
    """

    greys: NDArray[np.float64]
    cuts: NDArray[np.float64]
    step: NDArray[np.uint8]
    area_mm2: NDArray[np.float64]
    covered_mm2: NDArray[np.float64]
    histogram: NDArray[np.float64]
    notice: str
    hidden_mm2: float

    def report(self) -> dict[str, Any]:
        """The bands as plain values, with the shares of the surface beside the areas."""
        whole = float(self.area_mm2.sum())
        per = max(whole, 1e-30)
        return {
            "greys": plain(self.greys, 2),
            "cuts": plain(self.cuts, 3),
            "area_mm2": plain(self.area_mm2, 1),
            "share": plain(self.area_mm2 / per, 4),
            "covered_share": plain(self.covered_mm2 / per, 4),
            "histogram": plain(self.histogram, 1),
            "whole_mm2": round(whole, 1),
            "notice": self.notice,
            "hidden_mm2": round(self.hidden_mm2, 1),
            "least_gap": LEAST_GAP,
        }


def value_histogram(
    surface: Surface, value: NDArray[np.float32], paintable: NDArray[np.bool_] | None = None
) -> NDArray[np.float64]:
    """(100,) mm² of surface at each tenth of a Munsell value; what cannot be painted is left out."""
    areas = surface.areas if paintable is None else np.where(paintable, surface.areas, 0)
    return summed(np.clip((value / HISTOGRAM_STEP).astype(int), 0, 99), areas, 100)


def lay_bands(
    surface: Surface,
    value: NDArray[np.float32],
    wanted: Greys,
    exposure: Exposure,
    paintable: NDArray[np.bool_] | None = None,
) -> Bands:
    """Cut the target values into steps.

    Every sample gets the lightest step whose cut it reaches. Each step then lies inside the one before with a rim of
    it left showing, at least one sample (a fine brush mark) wide, also where a hard shadow jumps from dark to light:
    that is how a painter climbs to white, CP-16. The lightest step's cut moves up until it fits the budget, CP-14.

    Args:
        surface: the samples.
        value: (N,) target, Munsell 0..10.
        paintable: (N,) what can be reached; the rest has a step but no area. Everything where not given.
    """
    greys = wanted.values(exposure)
    areas = surface.areas.astype(np.float64)
    if paintable is not None:
        areas = np.where(paintable, areas, 0.0)
    histogram = value_histogram(surface, value, paintable)
    # what is finer than a brush mark cannot be painted as a band of its own
    value = smoothed(surface, value, BRUSH_ROUNDS)
    cuts = np.array(wanted.cuts) if wanted.cuts is not None else (greys[1:] + greys[:-1]) / 2
    lower, earns_top = _climbed(surface, value, cuts)
    notice = ""
    if wanted.white_budget is not None:
        cuts = _rationed(value, cuts, earns_top, areas, wanted.white_budget * float(areas.sum()))
        if (earns_top & (value >= (greys[-1] + greys[-2]) / 2)).any() and not (earns_top & (value >= cuts[-1])).any():
            notice = (
                "So much of the surface is equally bright that no spot earns the lightest step within its budget; "
                "move or soften the lamp, or allow more."
            )
    step = np.where(earns_top & (value >= cuts[-1]), np.uint8(len(cuts)), lower)
    shown = summed(step, areas, len(greys))
    hidden = float(surface.areas.sum(dtype=np.float64) - areas.sum())
    return Bands(greys, cuts, step, shown, np.cumsum(shown[::-1])[::-1], histogram, notice, hidden)


@numba.njit(cache=True)
def _leave_rims(step, a, b):
    """Lower every sample that is more than one step lighter than a neighbour, until none is."""
    settled = False
    while not settled:
        settled = True
        for i in range(len(a)):
            x, y = a[i], b[i]
            if step[x] > step[y] + 1:
                step[x] = step[y] + 1
                settled = False
            elif step[y] > step[x] + 1:
                step[y] = step[x] + 1
                settled = False


def _climbed(surface, value, cuts):
    """Steps by all cuts but the last, rims left; and which samples have none but the step below the top around them.

    The rims of the lower steps do not depend on where the top begins, so the top's cut can be moved freely after.
    """
    step = np.searchsorted(cuts[:-1], value, side="right").astype(np.uint8)
    a, b = surface.edges
    _leave_rims(step, a, b)
    below = len(cuts) - 1
    earns_top = step == below
    short = ~earns_top
    hemmed = np.zeros(len(step), np.bool_)
    hemmed[a[short[b]]] = True
    hemmed[b[short[a]]] = True
    return step, earns_top & ~hemmed


def _rationed(value, cuts, earns_top, areas, budget):
    """The cuts with the last one raised, if need be, until the samples above it fit the budget in mm²."""
    order = np.flatnonzero(earns_top & (value >= cuts[-1]))
    order = order[np.argsort(-value[order], kind="stable")]
    spent = np.cumsum(areas[order])
    if not len(order) or spent[-1] <= budget:
        return cuts
    over = value[
        order[np.searchsorted(spent, budget, side="right")]
    ]  # the brightest that no longer fits, and its equals
    fits = value[order][value[order] > over]
    cut = (float(fits[-1]) + float(over)) / 2 if len(fits) else float(over) + 1e-3
    return np.r_[cuts[:-1], max(cut, float(np.nextafter(np.float32(over), np.float32(np.inf))))]
