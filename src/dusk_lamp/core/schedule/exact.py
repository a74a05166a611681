"""The exact solver: intervals on lanes, by OR-tools' CP-SAT."""

from collections.abc import Sequence
from math import ceil, floor, inf
from typing import Any

from .problem import HANDS, Problem

GRAIN = 10  # parts that a minute is divided into
GOOD_GAP = 0.01  # of the end, at which a schedule is good enough
WORTHS = 10_000  # parts that a worth of 1 is divided into
SEED = 11


def exact(
    problem: Problem, hint: Sequence[float | None], seconds: float
) -> tuple[list[float | None], float, bool] | None:
    """The minute at which each work begins (None: left out), a bound on the end, and whether it is the best there is;
    None where nothing was found in time. Where something may be left out, what is kept is worth the most, and the
    end is whatever is in time (bound 0). hint: a schedule to begin from."""
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    if problem.until is None:
        known = [h + w.minutes for h, w in zip(hint, problem.works, strict=True) if h is not None and h < inf]
        horizon = _up(max([*known, *(w.minutes for w in problem.works)], default=0.0)) + 1
    else:
        horizon = floor(problem.until * GRAIN)
    begins: list[Any] = []
    presents: list[Any] = []
    lanes: dict[str, list[Any]] = {}
    for k, work in enumerate(problem.works):
        size = _up(work.minutes)
        low = _up(work.earliest)
        begin = model.new_int_var(min(low, horizon), max(horizon, low), f"b{k}")
        if work.pin is not None:
            model.add(begin == round(work.pin * GRAIN))
        here = None if work.worth is None else model.new_bool_var(f"p{k}")
        begins.append(begin)
        presents.append(here)
        if size:
            span = (
                model.new_fixed_size_interval_var(begin, size, f"i{k}")
                if here is None
                else model.new_optional_fixed_size_interval_var(begin, size, here, f"i{k}")
            )
            lanes.setdefault(work.lane, []).append(span)
    shut = [] if HANDS not in lanes else _shut(problem, horizon)
    lanes.setdefault(HANDS, []).extend(
        model.new_fixed_size_interval_var(a, b - a, f"shut{n}") for n, (a, b) in enumerate(shut)
    )
    for spans in lanes.values():
        model.add_no_overlap(spans)
    for a in problem.afters:
        both = [p for p in (presents[a.earlier], presents[a.later]) if p is not None]
        ordered = model.add(begins[a.later] >= begins[a.earlier] + _up(a.minutes))
        if both:
            ordered.only_enforce_if(both)
    end = model.new_int_var(0, horizon, "end")
    for k, work in enumerate(problem.works):
        ends = model.add(end >= begins[k] + _up(work.minutes))
        if presents[k] is not None:
            ends.only_enforce_if(presents[k])
    for k, at in enumerate(hint):
        if at is not None and at < inf:
            model.add_hint(begins[k], min(_up(at), horizon))
        if presents[k] is not None:
            model.add_hint(presents[k], at is not None)
    optional = [k for k, p in enumerate(presents) if p is not None]
    solver = cp_model.CpSolver()
    solver.parameters.random_seed = SEED
    solver.parameters.num_workers = 1  # the same every time
    solver.parameters.max_time_in_seconds = seconds
    choosing = bool(optional) and problem.until is not None
    if choosing:
        worths = [round(WORTHS * (problem.works[k].worth or 0.0)) for k in optional]
        model.maximize(sum((1 + w) * presents[k] for k, w in zip(optional, worths, strict=True)))
    else:
        for k in optional:
            model.add(presents[k] == 1)
        solver.parameters.relative_gap_limit = GOOD_GAP
        model.minimize(end)
    found = solver.solve(model)
    if found not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None
    starts: list[float | None] = [
        None if p is not None and not solver.value(p) else solver.value(b) / GRAIN
        for b, p in zip(begins, presents, strict=True)
    ]
    bound = 0.0 if choosing else solver.best_objective_bound / GRAIN
    proven = solver.best_objective_bound >= solver.objective_value - 0.5  # within the gap it says optimal, too
    return starts, bound, found == cp_model.OPTIMAL and (choosing or proven)


def _up(minutes: float) -> int:
    """Minutes in parts, rounded up: nothing is begun too early."""
    return ceil(minutes * GRAIN - 1e-4)


def _shut(problem: Problem, horizon: int) -> list[tuple[int, int]]:
    """When there are no hands."""
    if not problem.windows:
        return []
    out, at = [], 0
    for low, high in problem.windows:
        begin, end = _up(low), floor(high * GRAIN + 1e-4)
        if begin > at:
            out.append((at, begin))
        at = max(at, end)
        if at >= horizon:
            break
    return [*out, (at, at + 10 * horizon + 1)]
