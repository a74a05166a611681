"""Layers: dark to light, each on less than the one before (CP-16, CP-31)."""

import numpy as np
from numpy.typing import NDArray

from ...coat.coat import Coat
from ...paint.colour import delta_e, lab, xyz
from ...paint.mix import Mix
from .way import BRUSHED, LEAST_MM2, Task, Way, brushed, nearest_mix, paints_for, quantiles

STEP = 0.6  # values from layer to layer: half a step off at most, and steps of about half a value read as smooth
FEWEST, MOST = 2, 9
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
    """A ladder of mixes through the colours that the region should have, as many as its range of value needs."""

    name, order, title = "layers", 10, "Layers"
    when = "Opaque mixes, dark to light, each on less: sure, needs no sketch."
    weak = "The most mixes and the most time."

    def coats(self, task: Task) -> list[Coat]:
        """The darkest on all of it, then each lighter one where it should be lighter."""
        return ladder_coats(task, task.own)


def ladder_coats(task: Task, on: NDArray[np.bool_], most: int = MOST, first: str = "base coat") -> list[Coat]:
    """Layers on some samples of a region; the first on all of it where those are all."""
    value, weight = task.value[on], task.weight(on)
    low, high = quantiles(value, weight, (0.01, 0.99))
    count = int(np.clip(np.ceil((high - low) / STEP), FEWEST, most))
    edges = np.linspace(low, high, count + 1)
    cuts = edges[1:-1]
    band = np.searchsorted(cuts, value, side="right")
    wanted = []
    for k in range(count):
        own = band == k
        if weight[own].sum() < LEAST_MM2:
            continue
        wanted.append((k, np.average(task.lab[on][own], axis=0, weights=weight[own])))
    if not wanted:  # smaller than a spot of any mix: one coat of what it is on the whole
        wanted = [(0, np.average(task.lab[on], axis=0, weights=weight + 1e-9))]
    ends = [wanted[k][1] for k in sorted({0, len(wanted) // 2, len(wanted) - 1})]
    paints = paints_for(ends, task.paints(*BRUSHED))
    out: list[Coat] = []
    under: NDArray = np.average(task.under[on], axis=0, weights=weight)
    for place, (k, colour) in enumerate(wanted):
        mix = nearest_mix(colour, paints)
        samples = on if not place else on & (task.value >= cuts[k - 1])
        whole = None if samples.sum() == task.own.sum() else samples
        label = (
            first
            if not place
            else f"layer {place + 1} of {len(wanted)}, where it is value {cuts[k - 1]:.1f} or lighter"
        )
        out.append(brushed(task, mix, label, whole, covering_um(mix, under)))
        under = mix.pigment.masstone
    return out


WAY = Layers()
