"""Batches: the same step on several models from one puddle, as far as it stays wet (CP-29)."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import ceil

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from .jobs import DayStep
from .problem import HANDS, After, Stint


@dataclass(frozen=True)
class Batch:
    """One sitting at one step. members: model and number of its job there, in the order they are done. set_up, clean:
    minutes, once. hands: minutes at each member. part, parts: which piece of a step that was cut in pieces, because
    it is longer than any of the hours."""

    members: tuple[tuple[int, int], ...]
    hands: tuple[float, ...]
    set_up: float
    clean: float
    part: int = 0
    parts: int = 1

    @property
    def minutes(self) -> float:
        """All of it."""
        return self.set_up + sum(self.hands) + self.clean

    def begins(self, n: int) -> float:
        """Minutes from its beginning to that of its member number n."""
        return self.set_up + sum(self.hands[:n])

    def ends(self, n: int) -> float:
        """Minutes from its beginning until its member number n is done."""
        return self.begins(n) + self.hands[n]


def tenths(minutes: float) -> float:
    """Minutes rounded up to a tenth, as all schedules count."""
    return ceil(minutes * 10 - 1e-6) / 10


def batches_of(
    models: Sequence[Sequence[DayStep]],
    longest: float = float("inf"),
    practice: Callable[[int], float] = lambda n: 1.0,
) -> list[Batch]:
    """The jobs of all models in batches: what has the same key is done together, as far as the puddle stays wet.

    Args:
        longest: minutes of the longest of the hours, that a batch has to fit into. practice: the share of its time
        that a step takes at the n-th model of a batch.
    """
    together: dict[str, list[tuple[int, int]]] = {}
    for m, jobs in enumerate(models):
        for k, job in enumerate(jobs):
            together.setdefault(job.key, []).append((m, k))
    cut: list[list[tuple[int, int]]] = []
    for members in together.values():
        cut += _cut(models, members, longest, practice)
    cut = _without_rings(models, cut)
    return [b for members in cut for b in _pieces(models, members, longest, practice)]


def _cut(
    models: Sequence[Sequence[DayStep]],
    members: Sequence[tuple[int, int]],
    longest: float,
    practice: Callable[[int], float],
) -> list[list[tuple[int, int]]]:
    """Members as runs that end before the puddle dries and the hours are over. Two jobs of one model
    are never in one run."""
    first = models[members[0][0]][members[0][1]]
    once = tenths(first.set_up) + tenths(first.clean)
    room = max(0.0, min(first.wet, longest - once))
    runs: list[list[tuple[int, int]]] = []
    spent = 0.0
    for m, k in members:
        hand = _hand(models[m][k], len(runs[-1]) + 1 if runs else 1, practice)
        if not runs or spent + hand > room or any(m == other for other, _ in runs[-1]):
            runs.append([])
            spent, hand = 0.0, tenths(models[m][k].hand)
        runs[-1].append((m, k))
        spent += hand
    return runs


def _hand(job: DayStep, n: int, practice: Callable[[int], float]) -> float:
    """Minutes at the n-th model of a batch, from 1."""
    return tenths(job.hand * (1.0 if job.sprayed else practice(n)))


def _without_rings(
    models: Sequence[Sequence[DayStep]], cut: list[list[tuple[int, int]]]
) -> list[list[tuple[int, int]]]:
    """Batches that wait for each other in a ring, because two models want their steps in another order, taken apart
    into one for each model."""
    cut_of = {member: n for n, members in enumerate(cut) for member in members}
    needs = [
        (cut_of[m, need.job], cut_of[m, k])
        for m, jobs in enumerate(models)
        for k, job in enumerate(jobs)
        for need in job.needs
    ]
    first, then = np.array(needs, int).reshape(-1, 2).T
    graph = csr_array((np.ones(len(needs)), (first, then)), shape=(len(cut), len(cut)))
    _, ring = connected_components(graph, connection="strong")
    alone = np.bincount(ring, minlength=len(cut))[ring] == 1
    return [
        run
        for members, apart in zip(cut, alone, strict=True)
        for run in ([members] if apart else [[x] for x in members])
    ]


def _pieces(
    models: Sequence[Sequence[DayStep]],
    members: Sequence[tuple[int, int]],
    longest: float,
    practice: Callable[[int], float],
) -> list[Batch]:
    """One batch; several in a row where one model alone takes longer than any of the hours."""
    jobs = [models[m][k] for m, k in members]
    set_up, clean = tenths(jobs[0].set_up), tenths(jobs[0].clean)
    hands = tuple(_hand(j, n, practice) for n, j in enumerate(jobs, 1))
    whole = set_up + sum(hands) + clean
    if whole <= longest + 1e-6 or len(members) > 1:
        return [Batch(tuple(members), hands, set_up, clean)]
    room = max(longest - set_up - clean, 1.0)
    parts = max(1, ceil(hands[0] / room - 1e-9))
    each = tenths(hands[0] / parts)
    return [
        Batch(tuple(members), (min(each, round(hands[0] - each * n, 1)),), set_up, clean, n, parts)
        for n in range(parts)
    ]


def works_of(
    models: Sequence[Sequence[DayStep]], batches: Sequence[Batch], earliest: Sequence[Sequence[float]] | None = None
) -> tuple[list[Stint], list[After]]:
    """Batches as work with what comes after what. earliest: minute before which each job of each model cannot begin.

    A batch may begin so that each of its members is dry when its turn comes: the tenth model dries while the first is
    done.
    """
    works: list[Stint] = []
    place: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for n, batch in enumerate(batches):
        for at, member in enumerate(batch.members):
            place.setdefault(member, []).append((n, at))
        steps = [models[m][k] for m, k in batch.members]
        worths = [j.worth for j in steps]
        begin = 0.0
        if earliest is not None:
            begin = max(0.0, *(earliest[m][k] - batch.begins(at) for at, (m, k) in enumerate(batch.members)))
        worth = None if any(w is None for w in worths) or batch.parts > 1 else sum(w for w in worths if w is not None)
        works.append(Stint(batch.minutes, HANDS, tenths(begin), None, worth))
    lags: dict[tuple[int, int], float] = {}
    for m, jobs in enumerate(models):
        for k, job in enumerate(jobs):
            pieces = place[m, k]
            for (a, _), (b, _) in pairwise(pieces):  # the pieces of one step follow each other
                lags[a, b] = max(lags.get((a, b), 0.0), batches[a].minutes)
            later, at = pieces[0]
            for need in job.needs:
                earlier, where = place[m, need.job][-1]
                if earlier == later:
                    continue
                lag = batches[earlier].ends(where) + tenths(need.minutes) - batches[later].begins(at)
                lags[earlier, later] = max(lags.get((earlier, later), lag), lag)
    return works, [After(a, b, round(lag, 1)) for (a, b), lag in lags.items()]
