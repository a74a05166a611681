"""The choice: one option for every region, so that all share few pots and puddles within the time. An integer
programme, solved by HiGHS (scipy.optimize.milp): options, puddles and pots are its binaries."""

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_matrix

from .budget import Budget, price
from .candidates import Candidates
from .options import Option

GAP = 0.004  # relative, at which a solution is good enough
SECONDS = 8.0  # that one solution may take
MISSING = 10.0  # how much worse than anything a region without paint is


@dataclass(frozen=True)
class Choice:
    """options: that were chosen, by region. gap: of the solution to the best that there could be, relative."""

    options: list[Option]
    gap: float
    seconds: float

    @property
    def puddles(self) -> list[int]:
        """The candidates that are mixed."""
        return sorted({p for o in self.options for p in o.puddles})

    def worth(self, found: Candidates, budget: Budget) -> float:
        """What is maximised: the weighted area, less what the minutes are worth."""
        return sum(o.gain for o in self.options) - budget.worth * minutes_of(found, self.options)


def cost_of_puddle(found: Candidates, k: int) -> float:
    """Minutes to put it on the palette."""
    return price("neat puddle") if found.neat(k) else price("mixed puddle")


def minutes_of(found: Candidates, options: Sequence[Option]) -> float:
    """Of a choice: pots, puddles, steps."""
    puddles = {p for o in options for p in o.puddles}
    pots = {t for p in puddles for t in found.pots_of(p)}
    return price("pot") * len(pots) + sum(cost_of_puddle(found, p) for p in puddles) + sum(o.minutes for o in options)


def choose(found: Candidates, options: Sequence[Option], budget: Budget, seconds: float = SECONDS) -> Choice:
    """The options that bring the most weighted area near, less what the minutes are worth, within a budget. A region
    stays bare only where the budget cannot paint them all."""
    began = time.perf_counter()
    puddles = sorted({p for o in options for p in o.puddles})
    pots = sorted({t for p in puddles for t in found.pots_of(p)})
    count, ys, zs = len(options), len(puddles), len(pots)
    y_of, z_of = {p: count + k for k, p in enumerate(puddles)}, {t: count + ys + k for k, t in enumerate(pots)}
    regions = sorted({o.region for o in options})
    bare = {r: count + ys + zs + k for k, r in enumerate(regions)}
    total = count + ys + zs + len(regions)
    minutes = np.zeros(total)
    minutes[:count] = [o.minutes for o in options]
    minutes[count : count + ys] = [cost_of_puddle(found, p) for p in puddles]
    minutes[count + ys : count + ys + zs] = price("pot")
    aim = budget.worth * minutes
    aim[:count] -= [o.gain for o in options]
    aim[count + ys + zs :] = MISSING
    rows: list[tuple[dict[int, float], float, float]] = [(_all(minutes), -np.inf, budget.minutes)]
    for r in regions:
        rows.append(({**{k: 1.0 for k, o in enumerate(options) if o.region == r}, bare[r]: 1.0}, 1, 1))
        for p in puddles:
            own = {k: 1.0 for k, o in enumerate(options) if o.region == r and p in o.puddles}
            if own:
                rows.append(({**own, y_of[p]: -1.0}, -np.inf, 0))
    for p in puddles:
        rows += [({y_of[p]: 1.0, z_of[t]: -1.0}, -np.inf, 0) for t in found.pots_of(p)]
    for most, those in ((budget.puddles, list(y_of.values())), (budget.pots, list(z_of.values()))):
        if most is not None:
            rows.append((dict.fromkeys(those, 1.0), -np.inf, most))
    if budget.steps is not None:
        rows.append(({k: float(o.steps) for k, o in enumerate(options)}, -np.inf, budget.steps))
    i = np.concatenate([[n] * len(row) for n, (row, _, _) in enumerate(rows)])
    j = np.concatenate([list(row) for row, _, _ in rows])
    v = np.concatenate([list(row.values()) for row, _, _ in rows])
    matrix = coo_matrix((v, (i, j)), shape=(len(rows), total)).tocsr()
    solved = milp(
        aim,
        constraints=LinearConstraint(matrix, [low for _, low, _ in rows], [high for _, _, high in rows]),
        integrality=np.ones(total),
        bounds=Bounds(0, 1),
        options={"time_limit": seconds, "mip_rel_gap": GAP},
    )
    took = time.perf_counter() - began
    if solved.x is None:
        return Choice([], 1.0, took)
    chosen = [options[int(k)] for k in np.flatnonzero(solved.x[:count] > 0.5)]
    gap = float(solved.mip_gap) if solved.mip_gap is not None and np.isfinite(solved.mip_gap) else 0.0
    return Choice(sorted(chosen, key=lambda o: o.region), gap, took)


def _all(values: NDArray) -> dict[int, float]:
    return {int(k): float(values[k]) for k in np.flatnonzero(values)}
