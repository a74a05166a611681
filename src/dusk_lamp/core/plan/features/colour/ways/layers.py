"""Layers: dark to light, each on less than the one before (CP-16, CP-31)."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .....coat.brush import Even
from .....coat.coat import Coat
from .....paint.colour import delta_e, lab, xyz
from .....paint.mix import Mix
from ....brief import BRUSH, BRUSHED, LEAST_MM2, Brief, brushed, lost_of, paints_for, quantiles
from ....palette.share import palette_minutes
from .way import Way

STEP = 0.6  # values from layer to layer: half a step off at most, and steps of about half a value read as smooth
BORDER = 1.5  # values between neighbouring mixes: more shows as a border
FEWEST = 2
MOST_COATS = 3  # of one layer, until what is under it does not show
SHOWS = 1.0  # ΔE00 of a film from its masstone that nobody sees


def covering_um(mix: Mix, under: NDArray) -> float:
    """µm of dry film, in whole coats, over which what is under (36,) does not show; or of MOST_COATS."""
    wanted = lab(xyz(mix.pigment.masstone))
    for coats in range(1, MOST_COATS):
        if delta_e(lab(xyz(mix.pigment.film(coats * mix.coat_um, under))), wanted) <= SHOWS:
            return round(coats * mix.coat_um, 1)
    return round(MOST_COATS * mix.coat_um, 1)


class Layers(Way):
    """A ladder of mixes through the colours that the region should have, of as many steps as are worth their
    minutes."""

    name, order, title = "layers", 10, "Layers"
    when = "Opaque mixes, dark to light, each on less: sure, needs no sketch."
    weak = "More mixes than glazes, and as much time."

    def coats(self, brief: Brief) -> list[Coat]:
        """The darkest on all of it, then each lighter one where it should be lighter."""
        value, weight = brief.value[brief.mask], brief.weight()
        low, high = quantiles(value, weight, (0.01, 0.99))
        few, many = (int(np.ceil((high - low) / step)) for step in (BORDER, STEP))
        fewest = max(FEWEST, few)
        ladders = [_ladder(brief, low, high, count) for count in range(fewest, max(many, fewest) + 1)]
        return max(ladders, key=lambda steps: _worth(brief, steps)).coats(brief)


@dataclass(frozen=True)
class Ladder:
    """Mixes dark to light, and from which value on each is laid; the first on all of it."""

    mixes: tuple[Mix, ...]
    cuts: tuple[float, ...]

    def coats(self, brief: Brief) -> list[Coat]:
        """Each on what is as light as its cut or lighter, over the one before."""
        out: list[Coat] = []
        under = brief.ground
        for k, (mix, cut) in enumerate(zip(self.mixes, self.cuts, strict=True)):
            step = f"layer {k + 1} of {len(self.mixes)}, where it is value {cut:.1f} or lighter"
            samples = brief.mask & (brief.value >= cut) if k else None
            out.append(brushed(brief, mix, step if k else "base coat", samples, covering_um(mix, under)))
            under = mix.pigment.masstone
        return out


def _ladder(brief: Brief, low: float, high: float, count: int) -> Ladder:
    """So many even steps of value; those that would be too small to mix for, or of one puddle, are one."""
    value, weight, wanted = brief.value[brief.mask], brief.weight(), brief.lab[brief.mask]
    cuts = np.linspace(low, high, count + 1)[:-1]
    band = np.searchsorted(cuts[1:], value, side="right")
    share = np.bincount(band, weight, count) / weight.sum()
    steps = [
        (cut, np.average(wanted[band == k], axis=0, weights=weight[band == k]), float(share[k]))
        for k, cut in enumerate(cuts)
        if share[k] * weight.sum() >= LEAST_MM2
    ]
    if not steps:  # smaller than a spot of any mix: one coat of what it is on the whole
        steps = [(low, np.average(wanted, axis=0, weights=weight + 1e-9), 1.0)]
    ends = [steps[k][1] for k in sorted({0, len(steps) // 2, len(steps) - 1})]
    paints = paints_for(ends, brief.paints(*BRUSHED))
    mixes: dict[Mix, float] = {}
    for cut, colour, share in steps:
        mixes.setdefault(brief.mix(colour, paints, share, list(mixes)), float(cut))
    return Ladder(tuple(mixes), tuple(mixes.values()))


def _worth(brief: Brief, ladder: Ladder) -> float:
    """What it brings, less what its minutes are worth."""
    value, weight = brief.value[brief.mask], brief.weight()
    laid = np.searchsorted(np.array(ladder.cuts[1:]), value, side="right")
    off = delta_e(np.stack([m.colour.lab for m in ladder.mixes])[laid], brief.lab[brief.mask])
    under = brief.ground
    minutes, out = 0.0, list(brief.out)
    for k, mix in enumerate(ladder.mixes):
        coats = BRUSH.coats(Even(covering_um(mix, under), BRUSH.usual(mix).water), mix)
        (palette,) = palette_minutes([mix], out)
        minutes += palette + brief.brush_minutes(float(weight[laid >= k].sum()), coats, k > 0)
        out.append(mix)
        under = mix.pigment.masstone
    return -brief.counts * float(lost_of(off) @ weight) / float(weight.sum()) - brief.worth * minutes


WAY = Layers()
