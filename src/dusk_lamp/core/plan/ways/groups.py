"""Spots that are alike: the samples of a region in a few hundred groups, so that many films can be tried on all of
it at once."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array

from ...coat.coat import Coat
from ...paint.colour import delta_e, lab, xyz
from ...paint.film import film
from ...paint.mix import Mix
from ...sculpt.mesh import summed
from .way import LEAST_MM2, NEAR, Task, brushed, quantiles, seen_after

WANTED_STEP, UNDER_STEP = 2.5, 4.0  # L* of a group
MOST_COLUMNS = 1000  # of L*, whatever their step
PASS_SHARE = 0.4  # of a coat's film that a wicked brush leaves, as in paint.glaze
FAR = 0.02  # what a ΔE counts beside not being near
LEAST_GAIN = 0.01  # of the area that is worth another coat


@dataclass(frozen=True)
class Film:
    """A film that may be tried: so many µm of a mix, thinned with so much water, said in words."""

    mix: Mix
    um: float
    water: float
    words: str


class Groups:
    """Groups of a task's samples by what they should be and by what is there."""

    def __init__(self, task: Task, under: NDArray[np.float32]) -> None:
        self.task = task
        now = lab(xyz(under[task.own]))
        wanted = task.lab[task.own]
        rows, columns = (np.rint(v).astype(np.int64) for v in (wanted[:, 0] / WANTED_STEP, now[:, 0] / UNDER_STEP))
        _, self.of = np.unique(rows * MOST_COLUMNS + columns, return_inverse=True)
        weight, count = task.weight(), int(self.of.max()) + 1
        self.weight = summed(self.of, weight, count)
        means = csr_array((weight, (self.of, np.arange(len(weight)))), (count, len(weight)))
        safe = np.maximum(self.weight, 1e-12)[:, None]
        self.wanted = means @ wanted / safe
        self.under = np.where(self.weight[:, None] > 0, means @ under[task.own].astype(np.float64) / safe, 0.2)

    def _lost(self, off: NDArray) -> NDArray:
        """What a difference costs: being not near, softly, and a little of how far."""
        return 1 - np.exp(-((off / NEAR) ** 4)) + FAR * off

    @property
    def lost(self) -> NDArray[np.float64]:
        """(G,) as it is."""
        return self._lost(delta_e(lab(xyz(self.under)), self.wanted))

    def tried(self, films: Sequence[Film]) -> NDArray[np.float64]:
        """(F, G) what it would cost under each film alone."""
        K = np.stack([f.mix.pigment.K for f in films])[:, None]
        S = np.stack([f.mix.pigment.S for f in films])[:, None]
        um = np.broadcast_to(np.array([f.um for f in films])[:, None], (len(films), len(self.under)))
        return self._lost(delta_e(lab(xyz(film(K, S, um, self.under[None]))), self.wanted[None]))

    def samples(self, groups: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(N,) the samples of some groups."""
        own = np.zeros(len(self.task.own), np.bool_)
        own[np.flatnonzero(self.task.own)[groups[self.of]]] = True
        return own


def best_everywhere(task: Task, under: NDArray[np.float32], films: Sequence[Film]) -> Film:
    """The film that brings the whole region nearest."""
    alike = Groups(task, under)
    return films[int(np.argmin(alike.tried(films) @ alike.weight))]


def improved(task: Task, coats: list[Coat], films: Sequence[Film], most: int) -> list[Coat]:
    """Coats with up to so many more after them, always the one that brings most near, on those spots only that it
    does good."""
    seen = seen_after(task, coats)
    for _ in range(most):
        alike = Groups(task, seen)
        gain = (alike.lost[None] - alike.tried(films)) * alike.weight
        does = gain > 0
        best = int(np.argmax(np.where(does, gain, 0).sum(axis=1)))
        groups = does[best] & (gain[best] > 0.02 * alike.weight)
        if gain[best][groups].sum() < LEAST_GAIN * alike.weight.sum() or alike.weight[groups].sum() < LEAST_MM2:
            break
        own = alike.samples(groups)
        chosen = films[best]
        coat = brushed(task, chosen.mix, _label(task, chosen, own), own, chosen.um, chosen.water)
        coats = [*coats, coat]
        seen = seen_after(task, [coat], seen)
    return coats


def _label(task: Task, chosen: Film, own: NDArray[np.bool_]) -> str:
    weight = task.weight(own)
    low, high = quantiles(task.value[own], weight, (0.05, 0.95))
    return f"{chosen.words}, where it is value {low:.1f} to {high:.1f}"


def glaze_films(mixes: Sequence[Mix], passes: Sequence[int], water: float) -> list[Film]:
    """Thin films of mixes: passes of a wicked brush."""
    out = []
    for mix in mixes:
        one = PASS_SHARE * mix.coat_um / (1 + water)
        for n in passes:
            out.append(Film(mix, round(n * one, 2), water, f"{n} {'passes' if n > 1 else 'pass'} of glaze"))
    return out
