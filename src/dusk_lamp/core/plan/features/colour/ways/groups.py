"""Spots that are alike: the samples of a region in a few hundred groups, so that many films can be tried on all of
it at once."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array

from .....coat.brush import GLAZE_WATER, Even
from .....coat.coat import Coat
from .....paint.colour import delta_e, lab, xyz
from .....paint.film import film
from .....paint.glaze import WICKED
from .....paint.mix import Mix
from .....sculpt.mesh import summed
from .....units import counted
from ....brief import BRUSH, LEAST_MM2, Brief, brushed, lost_of, quantiles, seen_after
from ....palette.share import palette_minutes
from ..needed import needed

WANTED_STEP, UNDER_STEP = 2.5, 4.0  # L* of a group
MOST_COLUMNS = 1000  # of L*, whatever their step
LEAST_GAIN, LEAST_GAIN_OF_SPOT = 0.01, 0.02  # of a region's area that is worth another coat, and of a spot of it


@dataclass(frozen=True)
class Film:
    """A film that may be tried: so many µm of a mix, thinned with so much water, said in words."""

    mix: Mix
    um: float
    water: float
    words: str

    @property
    def coats(self) -> int:
        """How many thin coats it is laid in."""
        return BRUSH.coats(Even(self.um, self.water), self.mix)


class Groups:
    """Groups of a task's own samples by what they should be and by what is there, (n, 36)."""

    def __init__(self, brief: Brief, under: NDArray[np.float32]) -> None:
        self.brief = brief
        now = lab(xyz(under))
        wanted = brief.lab[brief.mask]
        rows, columns = (np.rint(v).astype(np.int64) for v in (wanted[:, 0] / WANTED_STEP, now[:, 0] / UNDER_STEP))
        _, self.of = np.unique(rows * MOST_COLUMNS + columns, return_inverse=True)
        weight, count = brief.weight(), int(self.of.max()) + 1
        self.weight = summed(self.of, weight, count)
        means = csr_array((weight, (self.of, np.arange(len(weight)))), (count, len(weight)))
        safe = np.maximum(self.weight, 1e-12)[:, None]
        self.wanted = means @ wanted / safe
        self.under = np.where(self.weight[:, None] > 0, means @ under.astype(np.float64) / safe, 0.2)

    @property
    def lost(self) -> NDArray[np.float64]:
        """(G,) as it is."""
        return lost_of(delta_e(lab(xyz(self.under)), self.wanted))

    def tried(self, films: Sequence[Film]) -> NDArray[np.float64]:
        """(F, G) what it would cost under each film alone."""
        K = np.stack([f.mix.pigment.K for f in films])[:, None]
        S = np.stack([f.mix.pigment.S for f in films])[:, None]
        um = np.broadcast_to(np.array([f.um for f in films])[:, None], (len(films), len(self.under)))
        return lost_of(delta_e(lab(xyz(film(K, S, um, self.under[None]))), self.wanted[None]))

    def samples(self, groups: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(N,) the samples of some groups."""
        mask = np.zeros(len(self.brief.mask), np.bool_)
        mask[np.flatnonzero(self.brief.mask)[groups[self.of]]] = True
        return mask


def best_everywhere(brief: Brief, under: NDArray[np.float32], films: Sequence[Film]) -> Film:
    """The film that brings the whole region nearest, for its minutes."""
    alike, area = Groups(brief, under), float(brief.weight().sum())
    lost = brief.counts * (alike.tried(films) @ alike.weight) / alike.weight.sum()
    hand = np.array([brief.brush_minutes(area, f.coats, spotted=False) for f in films])
    palette = np.array(palette_minutes([f.mix for f in films], brief.out))
    return films[int(np.argmin(lost + brief.worth * (hand + palette)))]


def improved(brief: Brief, coats: list[Coat], films: Sequence[Film], most: int) -> list[Coat]:
    """Coats with up to so many more after them, always the one that brings most for its minutes, on those spots only
    where it is worth them; without those that later ones made needless."""
    seen, first = seen_after(brief, coats), len(coats)
    at_model = np.array([[brief.brush_minutes(mm2, f.coats) for mm2 in (0.0, 1.0)] for f in films])
    begin, each = at_model[:, 0], at_model[:, 1] - at_model[:, 0]  # minutes, and minutes of a mm²
    while len(coats) < first + most:
        out = [*brief.out, *(c.mix for c in coats)]
        alike = Groups(brief, seen)
        whole = alike.weight.sum()
        gain = brief.counts * (alike.lost[None] - alike.tried(films)) * alike.weight / whole
        least = np.maximum(LEAST_GAIN_OF_SPOT * brief.counts / whole, brief.worth * each)[:, None]
        does = gain > least * alike.weight
        area, brings = does @ alike.weight, np.where(does, gain, 0).sum(axis=1)
        minutes = begin + each * area + palette_minutes([f.mix for f in films], out)
        net = np.where(area < LEAST_MM2, -np.inf, brings - brief.worth * minutes)
        best = int(np.argmax(net))
        if net[best] <= 0 or brings[best] < LEAST_GAIN * brief.counts:
            break
        mask = alike.samples(does[best])
        chosen = films[best]
        coat = brushed(brief, chosen.mix, _label(brief, chosen, mask), mask, chosen.um, chosen.water)
        coats = [*coats, coat]
        seen = seen_after(brief, [coat], seen)
    return _worth_it(brief, coats, first)


def _worth_it(brief: Brief, coats: list[Coat], first: int) -> list[Coat]:
    """Coats without those, from the first that may be left out on, that later ones made needless."""
    samples = np.flatnonzero(brief.mask)[brief.looked_at]
    weight = brief.counts * brief.areas[samples] / brief.areas[samples].sum()
    films = [f[samples] for f in brief.films(coats)]

    def costs(k: int, rest: list[int]) -> float:
        mm2 = float(brief.areas[coats[k].where.samples(len(brief.mask))].sum())
        hand = brief.brush_minutes(mm2, coats[k].by.coats(coats[k].settings, coats[k].mix))
        (palette,) = palette_minutes([coats[k].mix], [*brief.out, *(coats[n].mix for n in rest)])
        return brief.worth * (hand + palette)

    left = needed(coats, films, brief.under[samples], brief.lab[samples], weight, range(first, len(coats)), costs)
    return [coats[k] for k in left]


def _label(brief: Brief, chosen: Film, mask: NDArray[np.bool_]) -> str:
    weight = brief.weight(mask)
    low, high = quantiles(brief.value[mask], weight, (0.05, 0.95))
    return f"{chosen.words}, where it is value {low:.1f} to {high:.1f}"


def glaze_films(mixes: Sequence[Mix], passes: Sequence[int], water: float) -> list[Film]:
    """Thin films of mixes: passes of a wicked brush; of transparent paint, which is thinned little, thin coats."""
    out = []
    for mix in mixes:
        one = WICKED * mix.coat_um / (1 + water)
        for n in passes:
            film = Film(mix, round(n * one, 2), water, "")
            what = ("pass of glaze", "passes of glaze") if water >= GLAZE_WATER else ("thin coat", "thin coats")
            out.append(replace(film, words=counted(film.coats, *what)))
    return out
