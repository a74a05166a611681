"""Ladders of mixes: from a dark paint to a light one in even steps of value, and as they are mixed by habit."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..plain import Range, plain, refuse_outside
from .mix import Mix, compositions, only
from .rack import Paint

PART_COST = 0.01  # of a value step for every part: 1:1 beats 4:5 where they look the same


@dataclass(frozen=True)
class LadderStep:
    """One step: the mix, the value that was wanted (None where it is what practice says), and how far it is off."""

    mix: Mix
    wanted: float | None

    @property
    def error(self) -> float:
        """Value steps too light (positive) or too dark."""
        return 0.0 if self.wanted is None else self.mix.colour.value - self.wanted

    def report(self) -> dict[str, Any]:
        """As plain values: parts, wanted value, colour, how far off."""
        return {
            "parts": self.mix.counted(),
            "wanted": None if self.wanted is None else round(self.wanted, 2),
            "colour": plain(self.mix.colour),
            "error": round(self.error, 2),
        }


STEPS = Range("the number of steps", 2, 12, step=1)


def ladder(
    dark: Paint, light: Paint, middle: Paint | None = None, steps: int = 5, wanted: Sequence[float] | None = None
) -> list[LadderStep]:
    """Mixes from dark to light, even in value, dark first. Mixed pairwise: dark with middle, middle with light.

    Equal parts are not equal steps: a little of a dark paint drags a light one down a long way. Each step is the mix
    in at most eight whole parts that comes nearest to its wanted value; steps never turn back.

    Args:
        wanted: values (Munsell) of the steps; even between the ends where they are not given.
    Raises:
        SettingError: a number of steps outside 2..12, or a dark that is lighter than the light.
    """
    count = len(wanted) if wanted is not None else steps
    refuse_outside(STEPS, count)
    low, high = only(dark).colour.value, only(light).colour.value
    if low >= high:
        raise SettingError(
            f"“{dark.name}” (value {low:.1f}) is not darker than “{light.name}” (value {high:.1f}); swap them"
        )
    values = np.linspace(low, high, count) if wanted is None else np.sort(np.asarray(wanted, np.float64))
    rungs = [only(dark), only(light)]
    pairs = [(dark, light)] if middle is None else [(dark, middle), (middle, light)]
    if middle is not None:
        rungs.append(only(middle))
    for a, b in pairs:
        rungs += [Mix((a, b), (int(m), int(n))) for m, n in compositions(2)]
    rungs.sort(key=lambda r: (r.colour.value, sum(r.parts)))
    rung_values = np.array([r.colour.value for r in rungs])
    cost = np.abs(rung_values - values[:, None]) + PART_COST * np.array([sum(r.parts) for r in rungs])
    if wanted is None:  # the ends are the paints themselves
        for k, end in ((0, only(dark)), (-1, only(light))):
            cost[k, [r != end for r in rungs]] = np.inf
    best = _climbing(rung_values, cost)
    return [LadderStep(rungs[r], float(v)) for r, v in zip(best, values, strict=True)]


def _climbing(rung_values: NDArray[np.float64], cost: NDArray[np.float64]) -> list[int]:
    """The rung for each step that costs least in all (steps, rungs), every one lighter than the one before."""
    whole = cost[0]
    came_from = []
    for row in cost[1:]:
        darker = rung_values[:, None] < rung_values - 1e-9  # from, to
        ways = np.where(darker, whole[:, None], np.inf)
        came_from.append(np.argmin(ways, axis=0))
        whole = ways.min(axis=0) + row
    if not np.isfinite(whole.min()):
        raise SettingError("these paints do not give so many different steps in small parts; ask for fewer")
    path = [int(np.argmin(whole))]
    for back in reversed(came_from):
        path.append(int(back[path[-1]]))
    return path[::-1]


CUSTOMARY = {  # parts of dark, middle, light; CP-21 and CP-22
    "three paints, five steps": ((1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1)),
    "painted steel": ((1, 1, 0), (1, 2, 0), (0, 1, 0), (0, 1, 1), (0, 1, 2)),
}


def customary(dark: Paint, middle: Paint, light: Paint, which: str) -> list[LadderStep]:
    """A ladder as it is mixed by habit; `wanted` says what even steps between its own ends would be.

    Source: common practice, CP-21 and CP-22.
    """
    mixes = [Mix((dark, middle, light), parts) for parts in CUSTOMARY[which]]
    ends = mixes[0].colour.value, mixes[-1].colour.value
    return [LadderStep(m, float(v)) for m, v in zip(mixes, np.linspace(*ends, len(mixes)), strict=True)]


def ladder_unevenness(steps: Sequence[LadderStep]) -> float:
    """How far a ladder is from even, at its worst step, in value."""
    values = np.array([s.mix.colour.value for s in steps])
    return float(np.abs(values - np.linspace(values[0], values[-1], len(values))).max())
