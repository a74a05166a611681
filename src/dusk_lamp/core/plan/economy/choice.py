"""The choice: one option for every region, so that all share few pots and puddles within the time. An integer
programme, solved by HiGHS (scipy.optimize.milp): options, puddles, pots and pairs of pots that are mixed are its
binaries."""

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, linprog, milp
from scipy.sparse import coo_matrix

from ...datasets.prices import price
from .budget import Budget
from .candidates import Candidates
from .films import FilmOption
from .options import Option

AnyOption = Option | FilmOption

GAP, GOOD = 0.008, 0.01  # relative, at which a solver stops, and a solution is good enough
RISE = 0.006  # relative, of the aim: what raises it further is looked at only where it may be needed
SECONDS = 8.0  # that one solution may take
MISSING = 10.0  # how much worse than anything a region without paint is

Row = tuple[dict[int, float], float, float]  # numbers by variable, and what their sum is at least and at most


@dataclass(frozen=True)
class Choice:
    """options: that were chosen, by region. gap: of the solution to the best that there could be, relative."""

    options: list[AnyOption]
    gap: float
    seconds: float

    @property
    def puddles(self) -> list[int]:
        """The candidates that are mixed."""
        return sorted({p for o in self.options for p in o.puddles})

    def worth(self, found: Candidates, budget: Budget) -> float:
        """What is maximised: the weighted area, less what the minutes are worth."""
        return sum(o.gain for o in self.options) - budget.worth * choice_minutes(found, self.options)


def cost_of_puddle(found: Candidates, k: int) -> float:
    """Minutes to put it on the palette, where it can be had by adding to another of the same two pots."""
    return price("neat puddle") if found.neat(k) else price("grown puddle")


def _fresh() -> float:
    """Minutes that the first mix of two pots takes more than one that grows out of it."""
    return price("mixed puddle") - price("grown puddle")


def choice_minutes(found: Candidates, options: Sequence[AnyOption]) -> float:
    """Of a choice: pots, puddles, steps. The first mix of two pots is a fresh one, further ones grow out of it."""
    puddles = {p for o in options for p in o.puddles}
    pots = {t for p in puddles for t in found.pots_of(p)}
    pairs = {found.pots_of(p) for p in puddles if not found.neat(p)}
    mixing = sum(cost_of_puddle(found, p) for p in puddles) + len(pairs) * _fresh()
    return price("pot") * len(pots) + mixing + sum(o.minutes for o in options)


def undominated(options: Sequence[AnyOption]) -> list[AnyOption]:
    """The options without those for which another of the same region takes no other puddles, no more time and no
    more steps, and brings as much: no choice needs them."""
    out: list[AnyOption] = []
    mine: list[AnyOption] = []  # those kept of the region that is looked at
    for option in sorted(options, key=lambda o: (o.region, -o.gain, o.minutes, o.steps)):
        if mine and mine[0].region != option.region:
            mine = []
        puddles = set(option.puddles)
        better = (
            o.minutes <= option.minutes and o.steps <= option.steps and puddles.issuperset(o.puddles) for o in mine
        )
        if not any(better):
            out.append(option)
            mine.append(option)
    return out


def choose(
    found: Candidates,
    options: Sequence[AnyOption],
    budget: Budget,
    seconds: float = SECONDS,
    known: Choice | None = None,
    better_by: float = 0.0,
) -> Choice:
    """The options that bring the most weighted area near, less what the minutes are worth, within a budget. A region
    stays bare only where the budget cannot paint them all. known: a choice that is kept, and what is found is worth
    so much more, or nothing is."""
    began, options = time.perf_counter(), undominated(options)
    puddles = sorted({p for o in options for p in o.puddles})
    pots = sorted({t for p in puddles for t in found.pots_of(p)})
    pairs = sorted({found.pots_of(p) for p in puddles if not found.neat(p)})
    regions = sorted({o.region for o in options})
    count = len(options)
    y_of, z_of, w_of, bare = _numbered(count, puddles, pots, pairs, regions)
    total = count + len(y_of) + len(z_of) + len(w_of) + len(bare)
    minutes = np.zeros(total)
    minutes[:count] = [o.minutes for o in options]
    minutes[list(y_of.values())] = [cost_of_puddle(found, p) for p in puddles]
    minutes[list(z_of.values())] = price("pot")
    minutes[list(w_of.values())] = _fresh()
    aim = budget.worth * minutes
    aim[:count] -= [o.gain for o in options]
    aim[list(bare.values())] = MISSING
    rows: list[Row] = [(_all(minutes), -np.inf, budget.minutes)]
    with_it: dict[tuple[int, int], list[int]] = {}  # the options of a region that take a puddle
    for k, option in enumerate(options):
        for p in set(option.puddles):
            with_it.setdefault((option.region, p), []).append(k)
    for r in regions:
        rows.append(({**{k: 1.0 for k, o in enumerate(options) if o.region == r}, bare[r]: 1.0}, 1, 1))
    for (_, p), rows_here in with_it.items():
        rows.append(({**dict.fromkeys(rows_here, 1.0), y_of[p]: -1.0}, -np.inf, 0))
    for p in puddles:
        rows += [({y_of[p]: 1.0, z_of[t]: -1.0}, -np.inf, 0) for t in found.pots_of(p)]
        if not found.neat(p):
            rows.append(({y_of[p]: 1.0, w_of[found.pots_of(p)]: -1.0}, -np.inf, 0))
    for most, those in ((budget.puddles, list(y_of.values())), (budget.pots, list(z_of.values()))):
        if most is not None:
            rows.append((dict.fromkeys(those, 1.0), -np.inf, most))
    if budget.steps is not None:
        rows.append(({k: float(o.steps) for k, o in enumerate(options)}, -np.inf, budget.steps))
    below = np.inf
    if known is not None:
        below = MISSING * (len(regions) - len(known.options)) - known.worth(found, budget) - better_by
    x, gap = _solved(aim, rows, below, seconds)
    took = time.perf_counter() - began
    if x is None:
        return Choice([], 1.0, took)
    chosen = [options[int(k)] for k in np.flatnonzero(x[:count] > 0.5)]
    return Choice(sorted(chosen, key=lambda o: o.region), gap, took)


def _solved(
    aim: NDArray[np.float64], rows: Sequence[Row], below: float, seconds: float
) -> tuple[NDArray[np.float64] | None, float]:
    """What makes the aim least, of zeros and ones, and its gap; None where the rows cannot be kept, or nothing is
    below a number.

    The programme relaxed says of every variable how much the aim rises at least where it is one. What rises far is
    left out first, and taken in again where what is found does not yet prove it needless (reduced cost fixing,
    Dantzig, Fulkerson and Johnson, 1954): the best there is within the gap, as of all variables, sooner.
    """
    i = np.repeat(np.arange(len(rows)), [len(row) for row, _, _ in rows])
    j = np.fromiter((k for row, _, _ in rows for k in row), np.int64)
    v = np.fromiter((x for row, _, _ in rows for x in row.values()), np.float64)
    matrix = coo_matrix((v, (i, j)), shape=(len(rows), len(aim))).tocsr()
    low, high = (np.array([row[k] for row in rows]) for k in (1, 2))
    same = low == high
    relaxed = linprog(aim, matrix[~same], high[~same], matrix[same], high[same], bounds=(0, 1))
    if relaxed.x is None or relaxed.fun >= below:
        return None, 1.0
    rises, most = relaxed.lower.marginals, below - relaxed.fun
    left, ends = min(RISE * abs(relaxed.fun), most), time.perf_counter() + seconds
    best, off = None, np.inf  # off: from what nothing can be below
    while True:
        now = time.perf_counter()
        solved = milp(
            aim,
            constraints=LinearConstraint(matrix, low, high),
            integrality=np.ones(len(aim)),
            bounds=Bounds(0, rises <= left),
            options={"time_limit": max(ends - now, 0.1), "mip_rel_gap": GAP},
        )
        if solved.x is not None and solved.fun - relaxed.fun < off:
            best, off = solved.x, float(solved.fun - relaxed.fun)
        wider = min(off, most)
        complete = not (rises[rises > left] <= wider).any()  # nothing that is left out could be of use
        if complete or off <= GOOD * abs(relaxed.fun) or time.perf_counter() > ends:
            break
        left = wider
    if best is None or off >= most:
        return None, 1.0
    gap = off / max(abs(relaxed.fun + off), 1e-9)
    return best, min(gap, float(solved.mip_gap)) if complete and solved.x is not None else gap


def _numbered(first: int, *sets: Sequence[Any]) -> list[dict[Any, int]]:
    """The variable of each thing of some sets, one after another from the first."""
    out = []
    for things in sets:
        out.append({thing: first + k for k, thing in enumerate(things)})
        first += len(things)
    return out


def _all(values: NDArray) -> dict[int, float]:
    return {int(k): float(values[k]) for k in np.flatnonzero(values)}
