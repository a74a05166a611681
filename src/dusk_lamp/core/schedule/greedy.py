"""A list schedule: what can be begun first is begun, of several what has the most to come after it. A bound for the
exact solver, and the answer when its time is up. Source: the serial scheme of resource-constrained scheduling."""

from collections.abc import Callable, Sequence
from math import inf

import numpy as np
from numpy.typing import NDArray

from .problem import EPSILON, HANDS, After, Problem, Stint

SHAKEN = 12  # orders with a little chance in them that are tried too
Taken = dict[str, list[tuple[float, float]]]  # by lane, from when to when


def tails(problem: Problem) -> NDArray[np.float64]:
    """(W,) minutes from the beginning of each work to the end of all that has to follow it."""
    follows: list[list[After]] = [[] for _ in problem.works]
    for a in problem.afters:
        follows[a.earlier].append(a)
    out = np.array([w.minutes for w in problem.works], float)
    for k in reversed(problem.order()):
        out[k] = max([out[k], *(a.minutes + out[a.later] for a in follows[k])])
    return out


def listed(problem: Problem, rank: Sequence[float]) -> list[float]:
    """The minute at which each work begins, where of what can be begun at the same time the highest rank goes first;
    infinite where there are no hours for it."""
    before: list[list[After]] = [[] for _ in problem.works]
    for a in problem.afters:
        before[a.later].append(a)
    count = len(problem.works)
    left = [len(b) for b in before]
    follows: list[list[int]] = [[] for _ in problem.works]
    for a in problem.afters:
        follows[a.earlier].append(a.later)
    starts = [inf] * count
    free: dict[str, float] = {}
    # what is pinned takes up its lane before anything else is placed
    taken: Taken = {}
    for w in problem.works:
        if w.pin is not None and w.minutes > 0:
            taken.setdefault(w.lane, []).append((w.pin, w.pin + w.minutes))
    for spans in taken.values():
        spans.sort()
    ready = {k for k in range(count) if not left[k]}
    while ready:
        at: dict[int, float] = {}
        for k in ready:
            w = problem.works[k]
            begin = max([w.earliest, *(starts[a.earlier] + a.minutes for a in before[k])])
            at[k] = w.pin if w.pin is not None else _gap(problem, taken, max(begin, free.get(w.lane, 0.0)), w)
        first = min(at.values())
        # what may begin within what the shortest takes waits for the higher rank instead
        k = max((k for k in ready if at[k] <= first + EPSILON), key=lambda k: (rank[k], -k))
        w = problem.works[k]
        starts[k] = at[k]
        if w.minutes > 0 and w.pin is None:
            free[w.lane] = at[k] + w.minutes
        ready.discard(k)
        for j in follows[k]:
            left[j] -= 1
            if not left[j]:
                ready.add(j)
    return starts


def _gap(problem: Problem, taken: Taken, begin: float, work: Stint) -> float:
    """The first minute from `begin` on at which a lane is free for a work, what is pinned left alone."""
    minutes = work.minutes
    while True:
        at = problem.fits(begin, minutes) if work.lane == HANDS else begin
        if at == inf:
            return inf
        clash = next(
            (b for a, b in taken.get(work.lane, ()) if at < b - EPSILON and at + minutes > a + EPSILON), None
        )
        if clash is None:
            return at
        begin = clash


def end_of(problem: Problem, starts: Sequence[float]) -> float:
    """The minute at which the last work is done."""
    return max((s + w.minutes for s, w in zip(starts, problem.works, strict=True)), default=0.0)


def greedy(problem: Problem) -> list[float]:
    """The best of a few list schedules: by what is still to come, by the order given, and by both with a little
    chance, from a fixed seed."""
    tail = tails(problem)
    given = -np.arange(len(problem.works), dtype=float)
    ranks: list[NDArray] = [tail, given, tail + 0.01 * given]
    rng = np.random.default_rng(7)
    ranks += [tail * rng.uniform(0.7, 1.3, len(tail)) for _ in range(SHAKEN)]
    best: list[float] = []
    least = inf
    for rank in ranks:
        starts = listed(problem, rank.tolist())
        end = end_of(problem, starts)
        if end < least - EPSILON or not best:
            best, least = starts, end
    return best


def fitting(problem: Problem, make: Callable[[Problem], list[float]] = greedy) -> tuple[list[float], list[int]]:
    """A list schedule that ends in time, and what it leaves out: what is worth least for its minutes, one after
    another."""
    dropped: list[int] = []
    starts = make(problem)
    until = problem.until
    if until is None:
        return starts, dropped
    can = sorted(
        (k for k, w in enumerate(problem.works) if w.worth is not None and w.minutes > 0),
        key=lambda k: (problem.works[k].worth or 0.0) / problem.works[k].minutes,
    )
    while end_of(problem.without(dropped), starts) > until + EPSILON and can:
        dropped.append(can.pop(0))
        starts = make(problem.without(dropped))
    # what was left out too eagerly comes back
    for k in sorted(dropped, key=lambda k: -(problem.works[k].worth or 0.0)):
        fewer = [j for j in dropped if j != k]
        again = make(problem.without(fewer))
        if end_of(problem.without(fewer), again) <= until + EPSILON:
            dropped, starts = fewer, again
    return starts, dropped
