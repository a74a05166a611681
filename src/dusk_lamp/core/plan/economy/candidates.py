"""Candidates: what a puddle may be. Neat pots, and mixes of two in the parts that are counted out without thinking
(CP-21)."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from ...errors import SettingError
from ...paint.colour import delta_e, lab, xyz
from ...paint.film import masstone
from ...paint.mix import Mix
from ...paint.rack import Paint
from .groups import Group

PARTS = ((1, 1), (1, 2), (2, 1), (1, 3), (3, 1), (1, 5), (5, 1))
MOST_POTS = 40  # that are mixed with each other; of a larger rack the likeliest
GOOD, POOR = (
    (4.0, 6.5),
    (7.0, 11.0),
)  # ΔE00: as good as promised to none of it; a hand is a tenth off, so 4 is aimed at
AT_A_TIME = 24  # rows that are looked at together
SHARES = (0.7, 0.3)  # of a score, for within 5 and within 8


def score(off: NDArray) -> NDArray:
    """0..1 of differences ΔE00: how much of a group counts as near."""
    first, second = (np.clip((high - off) / (high - low), 0, 1) for low, high in (GOOD, POOR))
    return SHARES[0] * first + SHARES[1] * second


@dataclass(frozen=True)
class Candidates:
    """pots: the paints. first, second: (C,) numbers of pots; the same where it is neat. parts: (C, 2). lab: (C, 3).
    K, S: (C, 36)."""

    pots: tuple[Paint, ...]
    first: NDArray[np.int64]
    second: NDArray[np.int64]
    parts: NDArray[np.int64]
    lab: NDArray[np.float64]
    K: NDArray[np.float64]
    S: NDArray[np.float64]

    def mix(self, k: int) -> Mix:
        """A candidate as a mix."""
        a, b = self.pots[self.first[k]], self.pots[self.second[k]]
        return Mix((a,), (1,)) if self.neat(k) else Mix((a, b), (int(self.parts[k, 0]), int(self.parts[k, 1])))

    def neat(self, k: int) -> bool:
        """Whether it comes from one pot."""
        return bool(self.first[k] == self.second[k])

    def pots_of(self, k: int) -> tuple[int, ...]:
        """The numbers of its pots."""
        return tuple(sorted({int(self.first[k]), int(self.second[k])}))


def candidates_of(paints: Sequence[Paint], groups: Sequence[Group]) -> Candidates:
    """All candidates of some paints, the likeliest for these groups where there are many.

    Raises:
        SettingError: there is nothing to paint with.
    """
    if not paints:
        raise SettingError("there is no base or layer paint on the rack to plan with; put some on it, or free a pin")
    pots = tuple(paints)
    if len(pots) > MOST_POTS:
        wanted = np.concatenate([g.lab for g in groups])
        weight = np.concatenate([g.weight for g in groups])
        labs = np.stack([p.looks.lab for p in pots])
        near = np.exp(-np.linalg.norm(labs[:, None] - wanted[None], axis=2) / 15) @ weight
        value = np.argsort(labs[:, 0])
        ends = {*value[:3].tolist(), *value[-3:].tolist()}
        best = [*ends, *(k for k in np.argsort(-near, kind="stable").tolist() if k not in ends)][:MOST_POTS]
        pots = tuple(pots[k] for k in sorted(best))
    K, S = (np.stack([getattr(p.pigment, name) for p in pots]).astype(np.float64) for name in "KS")
    pairs = np.array(list(combinations(range(len(pots)), 2)), np.int64).reshape(-1, 2)
    first, second = [np.arange(len(pots))], [np.arange(len(pots))]
    parts = [np.tile([1, 0], (len(pots), 1))]
    for ratio in PARTS:
        first.append(pairs[:, 0])
        second.append(pairs[:, 1])
        parts.append(np.tile(ratio, (len(pairs), 1)))
    a, b, n = np.concatenate(first), np.concatenate(second), np.concatenate(parts)
    share = (n / n.sum(axis=1, keepdims=True))[:, :, None]
    k, s = (share[:, 0] * x[a] + share[:, 1] * x[b] for x in (K, S))
    return Candidates(pots, a, b, n, lab(xyz(masstone(k, s))), k, s)


def scores(found: Candidates, group: Group) -> NDArray[np.float32]:
    """(C, B) how near every candidate is to every group of a region; what is far off is not looked at closely."""
    rough = np.linalg.norm(found.lab[:, None] - group.lab[None], axis=2)
    out = np.zeros(rough.shape, np.float32)
    near = rough < 2.2 * POOR[1]
    c, b = np.nonzero(near)
    out[c, b] = score(delta_e(found.lab[c], group.lab[b]))
    return out


def reaching_most(gain: NDArray, most: int) -> NDArray[np.int64]:
    """The few rows (C, B) that together reach the most, each the one that adds most to those before it; fewer where
    no further one adds anything. A row never adds more than it did before, so most rows need no second look (the
    accelerated greedy algorithm of Minoux, 1978)."""
    taken: list[int] = []
    best = np.zeros(gain.shape[1], gain.dtype)
    adds = gain.sum(axis=1, dtype=np.float64)  # what each row adds at most
    looked_at = np.zeros(len(gain), np.int64)  # how many were taken when that was last worked out
    while len(taken) < min(most, len(gain)):
        k = int(np.argmax(adds))
        if looked_at[k] < len(taken):
            rows = np.argpartition(-adds, AT_A_TIME)[:AT_A_TIME] if len(adds) > AT_A_TIME else np.arange(len(adds))
            rows = np.append(rows[looked_at[rows] < len(taken)], k)  # k, too, where many add the same
            adds[rows] = np.maximum(gain[rows] - best, 0).sum(axis=1, dtype=np.float64)
            looked_at[rows] = len(taken)
            continue
        if adds[k] <= 1e-9:
            break
        taken.append(k)
        best = np.maximum(best, gain[k])
        adds[k] = 0.0
    return np.array(taken, np.int64)
