"""Glazes over the sketch: transparent colour, so that the sketch's values show through, with the stop (CP-17)."""

import numpy as np

from .....coat.coat import Coat
from .....paint.mix import Mix, only
from .....paint.rack import Paint
from ....brief import BRUSHED, CLEAR, TINTING, Task, brushed, paints_for, quantiles
from .groups import Film, best_everywhere, glaze_films, improved
from .layers import covering_um
from .way import Way

THIN = 10.0  # parts of water and medium: from here on ordinary paints glaze, CP-17
PASSES = (1, 2, 3, 4)  # more lose the sketch, and nobody has the patience; common practice, CP-17
CLEAR_PASSES = (1, 2, 3, 4)
MORE = 5  # glazes and re-stated lights after the first
LIGHTS = 4  # mixes that lights may be re-stated with
LIGHT_SHARE = 0.15  # of a region, that a re-stated light is mixed for
CANDIDATES = 26


class Glazes(Way):
    """One colour over all of it, then what is still missing: darker glazes in the shadows, re-stated lights on
    top."""

    name, order, title = "glazes", 20, "Glazes over the sketch"
    when = "Thin, transparent colour over the undercoat: smooth, and its light is used."
    weak = "Many dry passes; pale colours struggle over a dark sketch."

    def coats(self, task: Task) -> list[Coat]:
        """The glaze that brings it nearest, and up to MORE after it."""
        films = _films(task)
        first = best_everywhere(task, task.own_under, films)
        coat = brushed(task, first.mix, f"{first.words} over all of it", None, first.um, first.water)
        return improved(task, [coat], [*films, *restated(task)], MORE)


def _films(task: Task) -> list[Film]:
    clear = [p for p in task.rack if p.kind in (*CLEAR, *TINTING)]
    plain = task.paints(*BRUSHED)
    mixes = [only(p) for p in _likely(task, plain)] + [_wanted(task, plain)]
    return glaze_films([only(p) for p in clear], CLEAR_PASSES, 1.0) + glaze_films(mixes, PASSES, THIN)


def _wanted(task: Task, paints: list[Paint]) -> Mix:
    """The mix nearest to the middle of what it should look like."""
    return task.mix(np.average(task.lab[task.own], axis=0, weights=task.weight()), paints)


def _likely(task: Task, paints: list[Paint]) -> list[Paint]:
    """Those whose hue and lightness are nearest to what it should look like."""
    middle = np.average(task.lab[task.own], axis=0, weights=task.weight())
    away = [float(np.hypot(*(p.looks.lab - middle)[1:]) + 0.4 * abs(p.looks.lab[0] - middle[0])) for p in paints]
    return [paints[k] for k in np.argsort(away, kind="stable")[:CANDIDATES]]


def restated(task: Task, lightest: float = 0.5) -> list[Film]:
    """Opaque mixes of the lighter colours that it should have: lights are re-stated with them."""
    wanted, weight = task.lab[task.own], task.weight()
    cuts = quantiles(wanted[:, 0], weight, np.linspace(1 - lightest, 0.99, LIGHTS).tolist())
    near = [np.abs(wanted[:, 0] - L) <= 2 for L in cuts]
    colours = [np.average(wanted[own], axis=0, weights=weight[own] + 1e-9) for own in near]
    paints = paints_for([colours[0], colours[-1]], task.paints(*BRUSHED))
    out = []
    for colour in colours:
        mix = task.mix(colour, paints, LIGHT_SHARE)
        um = covering_um(mix, task.ground)
        out += [Film(mix, round(share * um, 1), 1.0, "re-stated light") for share in (0.25, 0.5, 1.0)]
    return out


WAY = Glazes()
