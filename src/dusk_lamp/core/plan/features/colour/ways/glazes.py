"""Glazes over the sketch: transparent colour, so that the sketch's values show through, with the stop (CP-17)."""

import numpy as np

from .....coat.coat import Coat
from .....paint.mix import Mix, only
from .....paint.rack import Paint
from ....brief import BRUSHED, CLEAR, TINTING, Brief, brushed, paints_for, quantiles
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

    def coats(self, brief: Brief) -> list[Coat]:
        """The glaze that brings it nearest, and up to MORE after it."""
        films = _films(brief)
        first = best_everywhere(brief, brief.under_here, films)
        coat = brushed(brief, first.mix, f"{first.words} over all of it", None, first.um, first.water)
        return improved(brief, [coat], [*films, *restated(brief)], MORE)


def _films(brief: Brief) -> list[Film]:
    clear = [p for p in brief.rack if p.kind in (*CLEAR, *TINTING)]
    plain = brief.paints(*BRUSHED)
    mixes = [only(p) for p in _likely(brief, plain)] + [_wanted(brief, plain)]
    return glaze_films([only(p) for p in clear], CLEAR_PASSES, 1.0) + glaze_films(mixes, PASSES, THIN)


def _wanted(brief: Brief, paints: list[Paint]) -> Mix:
    """The mix nearest to the middle of what it should look like."""
    return brief.mix(np.average(brief.lab[brief.mask], axis=0, weights=brief.weight()), paints)


def _likely(brief: Brief, paints: list[Paint]) -> list[Paint]:
    """Those whose hue and lightness are nearest to what it should look like."""
    middle = np.average(brief.lab[brief.mask], axis=0, weights=brief.weight())
    away = [float(np.hypot(*(p.looks.lab - middle)[1:]) + 0.4 * abs(p.looks.lab[0] - middle[0])) for p in paints]
    return [paints[k] for k in np.argsort(away, kind="stable")[:CANDIDATES]]


def restated(brief: Brief, lightest: float = 0.5) -> list[Film]:
    """Opaque mixes of the lighter colours that it should have: lights are re-stated with them."""
    wanted, weight = brief.lab[brief.mask], brief.weight()
    cuts = quantiles(wanted[:, 0], weight, np.linspace(1 - lightest, 0.99, LIGHTS).tolist())
    near = [np.abs(wanted[:, 0] - L) <= 2 for L in cuts]
    colours = [np.average(wanted[mask], axis=0, weights=weight[mask] + 1e-9) for mask in near]
    paints = paints_for([colours[0], colours[-1]], brief.paints(*BRUSHED))
    out = []
    for colour in colours:
        mix = brief.mix(colour, paints, LIGHT_SHARE)
        um = covering_um(mix, brief.ground)
        out += [Film(mix, round(share * um, 1), 1.0, "re-stated light") for share in (0.25, 0.5, 1.0)]
    return out


WAY = Glazes()
