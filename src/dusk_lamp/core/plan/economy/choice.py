"""The choice: one option for every region, so that all share few pots and puddles within the time. An integer
programme, solved by HiGHS: options, puddles, pots and pairs of pots that are mixed are its binaries."""

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import highspy
import numpy as np
from numpy.typing import NDArray

from ..prices import price
from .budget import Budget
from .candidates import Candidates
from .options import Option

GAP = 0.008  # relative, at which a solution is good enough
SECONDS = 8.0  # that one solution may take
MISSING = 10.0  # how much worse than anything a region without paint is
SOLVER = {"output_flag": False, "mip_rel_gap": GAP, "mip_allow_restart": False}

Row = tuple[dict[int, float], float, float]  # numbers by variable, and what their sum is at least and at most


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
    """Minutes to put it on the palette, where it can be had by adding to another of the same two pots."""
    return price("neat puddle") if found.neat(k) else price("grown puddle")


def _fresh() -> float:
    """Minutes that the first mix of two pots takes more than one that grows out of it."""
    return price("mixed puddle") - price("grown puddle")


def minutes_of(found: Candidates, options: Sequence[Option]) -> float:
    """Of a choice: pots, puddles, steps. The first mix of two pots is a fresh one, further ones grow out of it."""
    puddles = {p for o in options for p in o.puddles}
    pots = {t for p in puddles for t in found.pots_of(p)}
    pairs = {found.pots_of(p) for p in puddles if not found.neat(p)}
    mixing = sum(cost_of_puddle(found, p) for p in puddles) + len(pairs) * _fresh()
    return price("pot") * len(pots) + mixing + sum(o.minutes for o in options)


def _does_for(one: Option, other: Option) -> bool:
    """Whether no choice needs the other where there is the one."""
    return (
        one.region == other.region
        and one.gain >= other.gain
        and one.minutes <= other.minutes
        and one.steps <= other.steps
        and set(other.puddles).issuperset(one.puddles)
    )


def undominated(options: Sequence[Option]) -> list[Option]:
    """The options without those for which another of the same region takes no other puddles, no more time and no
    more steps, and brings as much: no choice needs them."""
    out: list[Option] = []
    mine: list[Option] = []  # those kept of the region that is looked at
    for option in sorted(options, key=lambda o: (o.region, -o.gain, o.minutes, o.steps)):
        if mine and mine[0].region != option.region:
            mine = []
        if not any(_does_for(o, option) for o in mine):
            out.append(option)
            mine.append(option)
    return out


def choose(
    found: Candidates,
    options: Sequence[Option],
    budget: Budget,
    seconds: float = SECONDS,
    start: Sequence[Option] = (),
) -> Choice:
    """The options that bring the most weighted area near, less what the minutes are worth, within a budget. A region
    stays bare only where the budget cannot paint them all. start: a choice that is known, to begin from."""
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
    for (_, p), own in with_it.items():
        rows.append(({**dict.fromkeys(own, 1.0), y_of[p]: -1.0}, -np.inf, 0))
    for p in puddles:
        rows += [({y_of[p]: 1.0, z_of[t]: -1.0}, -np.inf, 0) for t in found.pots_of(p)]
        if not found.neat(p):
            rows.append(({y_of[p]: 1.0, w_of[found.pots_of(p)]: -1.0}, -np.inf, 0))
    for most, those in ((budget.puddles, list(y_of.values())), (budget.pots, list(z_of.values()))):
        if most is not None:
            rows.append((dict.fromkeys(those, 1.0), -np.inf, most))
    if budget.steps is not None:
        rows.append(({k: float(o.steps) for k, o in enumerate(options)}, -np.inf, budget.steps))
    begin = {next((k for k, o in enumerate(options) if _does_for(o, wanted)), -1) for wanted in start}
    x, gap = _solved(aim, rows, [k in begin for k in range(count)] if begin else [], seconds)
    took = time.perf_counter() - began
    if x is None:
        return Choice([], 1.0, took)
    chosen = [options[int(k)] for k in np.flatnonzero(x[:count] > 0.5)]
    return Choice(sorted(chosen, key=lambda o: o.region), gap, took)


def _solved(
    aim: NDArray[np.float64], rows: Sequence[Row], start: Sequence[bool], seconds: float
) -> tuple[NDArray[np.float64] | None, float]:
    """What makes the aim least, of zeros and ones, and its gap; None where the rows cannot be kept. start: the first
    of them, as they are known."""
    total = len(aim)
    asked, by_row = highspy.HighsLp(), highspy.HighsSparseMatrix()
    by_row.format_, by_row.num_col_, by_row.num_row_ = highspy.MatrixFormat.kRowwise, total, len(rows)
    by_row.start_ = np.cumsum([0, *(len(row) for row, _, _ in rows)])
    by_row.index_ = [k for row, _, _ in rows for k in row]
    by_row.value_ = [v for row, _, _ in rows for v in row.values()]
    asked.num_col_, asked.num_row_, asked.a_matrix_ = total, len(rows), by_row
    asked.col_cost_, asked.col_lower_, asked.col_upper_ = aim, np.zeros(total), np.ones(total)
    asked.row_lower_, asked.row_upper_ = [low for _, low, _ in rows], [high for _, _, high in rows]
    asked.integrality_ = [highspy.HighsVarType.kInteger] * total
    solver = highspy.Highs()
    for name, value in {**SOLVER, "time_limit": seconds}.items():
        solver.setOptionValue(name, value)
    solver.passModel(asked)
    if start:
        solver.setSolution(len(start), np.arange(len(start)), np.array(start, float))
    solver.run()
    info = solver.getInfo()
    if info.primal_solution_status != highspy.SolutionStatus.kSolutionStatusFeasible:
        return None, 1.0
    return np.array(solver.getSolution().col_value), info.mip_gap if np.isfinite(info.mip_gap) else 0.0


def _numbered(first: int, *sets: Sequence[Any]) -> list[dict[Any, int]]:
    """The variable of each thing of some sets, one after another from the first."""
    out = []
    for things in sets:
        out.append({thing: first + k for k, thing in enumerate(things)})
        first += len(things)
    return out


def _all(values: NDArray) -> dict[int, float]:
    return {int(k): float(values[k]) for k in np.flatnonzero(values)}
