"""Options: ways to paint one region with some puddles, dark to light, hard edges or blended, found by a dynamic
programme.

For a price of each step, the best run of puddles over the region's groups is found exactly: a group is painted with
one puddle as it is, or lies in the blend between two that follow each other.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ...coat.technique import technique
from ...paint.colour import delta_e, lab, xyz
from ...paint.film import film, masstone
from ..care import hand_minutes
from .candidates import Candidates, reaching_most, score
from .groups import Group

LEVELS = (0.04, 0.09, 0.17, 0.35)  # of a coat that hides, in a blend
MOST_OF_ONE = 14  # puddles of a pool that are tried for one region
USUAL_COATS = 1.2  # that a step of these plans takes, on average over the demo sculpts
HIDING_COATS = 2.0  # of a normal coat, that a step is laid in
LIGHTER = 3.0  # L* that a light is above what it is blended over
JOINED = 1.3  # times the price of a step, where it is blended into the one before
PRICES = (0.0006, 0.0015, 0.004, 0.01, 0.025)  # of a step, as a share of the whole: from many steps to few


@dataclass(frozen=True)
class Option:
    """One way to paint a region. region: its place among the groups. puddles: candidates, dark to light. bands: (B,)
    the place of the puddle that each group is painted with. blended: for each puddle but the first, whether it is
    blended into the one before. mixed: (B,) the place of the lighter puddle, where a group lies in a blend, else −1.
    gain: of the weighted area. minutes: of work at the model. base: the place of the puddle that is laid first."""

    region: int
    puddles: tuple[int, ...]
    bands: NDArray[np.int64]
    blended: tuple[bool, ...]
    mixed: NDArray[np.int64]
    gain: float
    minutes: float
    base: int

    @property
    def steps(self) -> int:
        """How many."""
        return len(self.puddles)


@numba.njit(cache=True, nogil=True)
def _best_run(
    gain: NDArray[np.float64], blend: NDArray[np.float64], step: float, joined: float
) -> tuple[int, NDArray[np.int64], NDArray[np.bool_]]:
    """The dynamic programme over the groups (P, B) of a region, dark to light. blend: (P, P, B) what a blend of two
    gains. step, joined: the price of a step, and of one that is blended. The puddle that the best run ends with; for
    each group and puddle (B, P) where the run came from: the same puddle, another one by a hard edge, or P + the one
    it was blended out of; and (B, P, P) whether a blend began there."""
    count, bins = gain.shape
    flat = gain[:, 0] - step
    mix = np.full((count, count), -np.inf)
    came_flat = np.zeros((bins, count), np.int64)
    came_mix = np.zeros((bins, count, count), np.bool_)
    new_flat = np.zeros(count)
    for b in range(1, bins):
        over = int(np.argmax(flat))
        hard = flat[over] - step
        for q in range(count):
            out_of, left = 0, mix[0, q]
            for p in range(1, count):
                if mix[p, q] > left:
                    out_of, left = p, mix[p, q]
            most = max(flat[q], hard, left)
            came_flat[b, q] = q if most == flat[q] else count + out_of if most == left else over
            new_flat[q] = most + gain[q, b]
        for p in range(count):
            begin = flat[p] - joined
            for q in range(count):
                if p == q:
                    continue
                if begin > mix[p, q]:
                    came_mix[b, p, q] = True
                    mix[p, q] = begin
                mix[p, q] += blend[p, q, b]
        flat[:] = new_flat
    return int(np.argmax(flat)), came_flat, came_mix


class Region:
    """One region with a pool of puddles, ready to be asked for options. keep: candidates of the pool that are never
    left out, however little they bring."""

    def __init__(
        self,
        place: int,
        group: Group,
        found: Candidates,
        pool: Sequence[int],
        near: NDArray,
        keep: Sequence[int] = (),
    ) -> None:
        self.place, self.group, self.found = place, group, found
        gain = near[list(pool)] * group.weight
        kept = np.flatnonzero(np.isin(np.asarray(pool, np.int64), np.asarray(keep, np.int64)))
        best = reaching_most(gain, MOST_OF_ONE)
        if not len(best):  # nothing comes near: the least bad one
            middle = np.average(group.lab, axis=0, weights=group.mm2)
            best = np.array([np.argmin(np.linalg.norm(found.lab[list(pool)] - middle, axis=1))])
        order = np.unique(np.concatenate([best, kept]))
        self.pool = np.array(pool, np.int64)[order]
        self.gain = gain[order]  # (P, B)
        self.blend = self._blends()  # (P, P, B)

    def _blends(self) -> NDArray[np.float64]:
        """What a blend of two puddles gains on each group: the best of its levels."""
        k, count = self.pool, len(self.pool)
        under = masstone(self.found.K[k], self.found.S[k])
        coat = [self.found.mix(int(i)).coat_um * HIDING_COATS for i in k]
        out = np.zeros((count, count, len(self.group.mm2)))
        lightness = self.found.lab[k, 0]
        # lights are blended over darks, never the other way
        p, q = np.nonzero(lightness[None] > lightness[:, None] + LIGHTER)
        um = np.array(coat)[q]
        for level in LEVELS:  # q over p
            seen = film(self.found.K[k][q], self.found.S[k][q], level * um, under[p])
            off = delta_e(lab(xyz(seen))[:, None], self.group.lab[None])
            out[p, q] = np.maximum(out[p, q], score(off) * self.group.weight)
        return out

    def within(self, pool: Sequence[int]) -> NDArray[np.int64]:
        """Places of its puddles that are in a pool."""
        return np.flatnonzero(np.isin(self.pool, np.asarray(list(pool), np.int64)))

    def best(self, some: NDArray[np.int64], step: float, blends: bool = True) -> Option | None:
        """The best option with some of its puddles, where each step costs so much of the weighted area."""
        if not len(some):
            return None
        gain, blend = self.gain[some].astype(np.float64), self.blend[np.ix_(some, some)]
        last, came_flat, came_mix = _best_run(gain, blend, step, JOINED * step if blends else np.inf)
        return self._traced(some, last, came_flat, came_mix)

    def _traced(
        self, some: NDArray[np.int64], last: int, came_flat: NDArray[np.int64], came_mix: NDArray[np.bool_]
    ) -> Option:
        bins, count = came_flat.shape
        bands, mixed = np.zeros(bins, np.int64), np.full(bins, -1, np.int64)
        at, into = last, -1  # the puddle, and the one a blend goes into while in one
        for b in range(bins - 1, -1, -1):
            bands[b], mixed[b] = at, into
            if b == 0:
                break
            if into >= 0:
                if came_mix[b, at, into]:
                    into = -1
            elif came_flat[b, at] >= count:
                at, into = int(came_flat[b, at]) - count, at
            else:
                at = int(came_flat[b, at])
        return self._option(some, bands, mixed)

    def _option(self, some: NDArray[np.int64], bands: NDArray[np.int64], mixed: NDArray[np.int64]) -> Option:
        """Puddles in the order they appear, dark to light."""
        order, blended = [int(bands[0])], []
        place = np.zeros(len(bands), np.int64)
        join = np.full(len(bands), -1, np.int64)
        for b in range(len(bands)):
            if mixed[b] >= 0:
                if mixed[b] != order[-1] or join[b - 1] < 0:
                    order.append(int(mixed[b]))
                    blended.append(True)
                place[b], join[b] = len(order) - 2, len(order) - 1
            else:
                if bands[b] != order[-1]:
                    order.append(int(bands[b]))
                    blended.append(False)
                place[b] = len(order) - 1
        near = [
            self.blend[some[order[place[b]]], some[order[join[b]]], b]
            if join[b] >= 0
            else self.gain[some[order[place[b]]], b]
            for b in range(len(bands))
        ]
        mm2 = self.group.mm2
        flat = np.array([mm2[(place == k) & (join < 0)].sum() for k in range(len(order))])
        zone = np.array([mm2[join == k].sum() for k in range(len(order))])
        lowest = next(
            (j for j, joint in enumerate(blended) if joint), len(order) - 1
        )  # lights are blended over darks
        base = int(np.argmax((flat + 0.5 * zone)[: lowest + 1]))
        brush, blend = technique("brush"), technique("blend")
        coats, care = USUAL_COATS, self.group.care
        minutes = hand_minutes(brush, None, float(mm2.sum()), False, coats, care)
        for k in range(len(order)):
            if k == base:
                continue
            join_up, join_down = k > 0 and blended[k - 1], k + 1 < len(order) and blended[k]
            mine = join_up if k > base else join_down
            area = (
                flat[k] + (zone[k] if join_up else 0) + (zone[k + 1] if join_down else 0)
            )  # what is blended over it, too
            minutes += hand_minutes(blend if mine else brush, None, float(area), True, coats, care)
        puddles = tuple(int(self.pool[some[k]]) for k in order)
        return Option(self.place, puddles, place, tuple(blended), join, float(sum(near)), minutes, base)
