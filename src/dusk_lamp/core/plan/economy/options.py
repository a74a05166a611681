"""Options: ways to paint one region with some puddles, dark to light, hard edges or blended, found by a dynamic
programme.

For a price of each step, the best run of puddles over the region's groups is found exactly: a group is painted with
one puddle as it is, or lies in the blend between two that follow each other.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numba
import numpy as np
from numpy.typing import NDArray

from ...coat.brush import Even, job_water
from ...coat.technique import technique
from ...datasets.prices import price
from ...paint.colour import delta_e, lab, xyz
from ...paint.film import film, masstone
from ..features.colour.ways.layers import covering_um
from ..steps.care import hand_minutes
from .candidates import Candidates, reaching_most, score
from .groups import Group

LEVELS = (0.04, 0.09, 0.17, 0.35)  # of a coat that hides, in a blend
MOST_OF_ONE = 14  # puddles of a pool that are tried for one region
HIDING_COATS = 2.0  # of a normal coat, that a step is laid in
FADED = 0.2  # of the zone of a blend, on average over the demo sculpts, gets enough of it to take time
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

    @property
    def tones(self) -> int:
        """How many tones it reads as."""
        return self.steps


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


@numba.njit(cache=True, nogil=True)
def _back(
    last: int, came_flat: NDArray[np.int64], came_mix: NDArray[np.bool_]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The run itself, (B,) the puddle of each group and (B,) the one it is blended into, else −1; see _best_run."""
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
            at, into = came_flat[b, at] - count, at
        else:
            at = came_flat[b, at]
    return bands, mixed


@numba.njit(cache=True, nogil=True)
def _best_runs(
    gain: NDArray[np.float64], blend: NDArray[np.float64], steps: NDArray[np.float64], joined: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The best run at each price of a step, (S, B) twice; see _best_run and _back."""
    bands = np.empty((len(steps), gain.shape[1]), np.int64)
    mixed = np.empty_like(bands)
    for s in range(len(steps)):
        last, came_flat, came_mix = _best_run(gain, blend, steps[s], joined[s])
        bands[s], mixed[s] = _back(last, came_flat, came_mix)
    return bands, mixed


@dataclass(frozen=True)
class Known:
    """What was worked out of a region's candidates before. blends: by what lies below and above, (B,) what a blend
    gains on each group; coats: by candidate, what it lies on (−1 for the ground) and the job, how many it takes."""

    blends: dict[tuple[int, int], NDArray[np.float64]] = field(default_factory=dict)
    coats: dict[tuple[int, int, str], int] = field(default_factory=dict)


def job_of(k: int, base: int, count: int) -> str:
    """What the k-th of so many puddles, dark to light, is thinned for."""
    if k == base:
        return "base coat"
    return "fine highlight" if k == count - 1 > base + 1 else "layer"


class RegionPool:
    """One region with a pool of puddles, ready to be asked for options. keep: candidates of the pool that are never
    left out, however little they bring. known: what is known of its candidates, added to."""

    def __init__(
        self,
        place: int,
        group: Group,
        found: Candidates,
        pool: Sequence[int],
        near: NDArray,
        keep: Sequence[int] = (),
        known: Known | None = None,
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
        self.gain = gain[order].astype(np.float64)  # (P, B)
        self.known = known or Known()
        self.blend = self._blends(self.known.blends)  # (P, P, B)

    def _blends(self, known: dict[tuple[int, int], NDArray[np.float64]]) -> NDArray[np.float64]:
        """What a blend of two puddles gains on each group: the best of its levels."""
        k, count = self.pool, len(self.pool)
        out = np.zeros((count, count, len(self.group.mm2)))
        lightness = self.found.lab[k, 0]
        # lights are blended over darks, never the other way
        pairs = np.argwhere(lightness[None] > lightness[:, None] + LIGHTER)
        new = np.array([(p, q) for p, q in pairs if (k[p], k[q]) not in known], np.int64).reshape(-1, 2)
        for (p, q), gained in zip(new, self._blended(k[new[:, 0]], k[new[:, 1]]), strict=True):
            known[k[p], k[q]] = gained
        for p, q in pairs:
            out[p, q] = known[k[p], k[q]]
        return out

    def _blended(self, under: NDArray[np.int64], over: NDArray[np.int64]) -> NDArray[np.float64]:
        """(n, B) what candidates blended over others gain on each group."""
        K, S = self.found.K, self.found.S
        ground = masstone(K[under], S[under])
        um = np.array([self.found.mix(int(i)).coat_um * HIDING_COATS for i in over])
        out = np.zeros((len(over), len(self.group.mm2)))
        for level in LEVELS if len(over) else ():
            seen = film(K[over], S[over], level * um, ground)
            off = delta_e(lab(xyz(seen))[:, None], self.group.lab[None])
            out = np.maximum(out, score(off) * self.group.weight)
        return out

    def within(self, pool: Sequence[int]) -> NDArray[np.int64]:
        """Places of its puddles that are in a pool."""
        wanted = set(pool)
        return np.array([place for place, k in enumerate(self.pool.tolist()) if k in wanted], np.int64)

    def runs(
        self, rows: NDArray[np.int64], steps: Sequence[float], blends: bool = True
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """The best run with some of its puddles for each of some prices of a step, as a share of the weighted area:
        (S, B) the place of each group's puddle among its own, and of the one it is blended into, else −1."""
        price = np.array(steps, np.float64)
        joined = JOINED * price if blends else np.full(len(price), np.inf)
        bands, mixed = _best_runs(self.gain[rows], self.blend[rows[:, None], rows], price, joined)
        return rows[bands], np.where(mixed >= 0, rows[mixed], -1)

    def best(self, rows: NDArray[np.int64], step: float, blends: bool = True) -> Option | None:
        """The best option with some of its puddles; see runs."""
        if not len(rows):
            return None
        bands, mixed = self.runs(rows, [step], blends)
        return self.option(bands[0], mixed[0])

    def option(self, bands: NDArray[np.int64], mixed: NDArray[np.int64]) -> Option:
        """A run as an option: its puddles in the order they appear, dark to light."""
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
            self.blend[order[place[b]], order[join[b]], b] if join[b] >= 0 else self.gain[order[place[b]], b]
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
        care, minutes = self.group.care, 0.0
        for k in range(len(order)):
            over = -1 if k == base else int(self.pool[order[k - 1 if k > base else k + 1]])
            coats = self._coats(int(self.pool[order[k]]), over, job_of(k, base, len(order)))
            if k == base:
                minutes += hand_minutes(brush, None, float(mm2.sum()), False, coats, care)
                continue
            join_up, join_down = k > 0 and blended[k - 1], k + 1 < len(order) and blended[k]
            mine = join_up if k > base else join_down
            # it fades out in its own zone, and is whole below what is blended over it
            area = flat[k] + (FADED * zone[k] if join_up else 0) + (zone[k + 1] if join_down else 0)
            minutes += hand_minutes(blend if mine else brush, None, float(area), True, coats, care)
        puddles = tuple(int(self.pool[k]) for k in order)
        borders = price("band") * blended.count(False) * float(self.group.weight.sum())
        return Option(self.place, puddles, place, tuple(blended), join, float(sum(near)) - borders, minutes, base)

    def _coats(self, k: int, over: int, job: str) -> int:
        """How many coats a candidate takes over another, or over the ground where that is −1."""
        if (k, over, job) not in self.known.coats:
            mix = self.found.mix(k)
            under = self.group.ground if over < 0 else masstone(self.found.K[over], self.found.S[over])
            laid = Even(covering_um(mix, under), job_water(job))
            self.known.coats[k, over, job] = technique("brush").coats(laid, mix)
        return self.known.coats[k, over, job]
