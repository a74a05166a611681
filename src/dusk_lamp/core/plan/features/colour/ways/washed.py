"""Base, wash, re-state, highlight: a base coat, a wash into the recesses, the base again on what stands out, lights
on top."""

from dataclasses import replace

import numpy as np

from .....coat.coat import Coat, usual_coat
from .....coat.stack import appearance
from .....coat.technique import technique
from .....datasets.materials import material_called
from .....paint.colour import delta_e, lab, xyz
from .....paint.mix import only
from ....brief import BRUSHED, COLOUR, TINTING, Brief, brushed, paints_for, quantiles, seen_after
from .glazes import restated
from .groups import Film, improved
from .layers import covering_um
from .way import Way

WASH_UM = (0.5, 1.0, 2.0, 4.0, 7.0)
HARM = 2.0  # ΔE00 further off on average, from which a wash does harm
NO_WASH = "base coat; a wash would only spoil it here, so its shades are brushed"
RESTATED = 0.45  # the base is laid again on what should be lighter than this share of the area
LIGHTS, DARKS = 4, 2


class Washed(Way):
    """The wash is the one that brings the recesses nearest; where it takes too little, transparent darks do the
    rest."""

    name, order, title = "wash", 40, "Base, wash, base again, highlight"
    when = "The quick, sure way: shade runs in by itself, lights are laid on what stands out."
    weak = "Shadows lie where recesses are, not where the lamp is; a wash is weak over light colours."

    def coats(self, brief: Brief) -> list[Coat]:
        """Base, wash, base again, lights."""
        value, weight = brief.value[brief.mask], brief.weight()
        dark, deep, low, middling, high = quantiles(value, weight, (0.1, 0.25, 0.3, RESTATED, 0.7))
        middle = np.average(brief.lab[brief.mask][(value >= low) & (value <= high)], axis=0)
        base = brief.mix(middle)
        um = covering_um(base, brief.ground)
        coats = [brushed(brief, base, "base coat", None, um)]
        wash = self._wash(brief, coats)
        if wash is None:
            coats = [replace(coats[0], label=f"{brief.name}: {NO_WASH}")]
        else:
            coats.append(wash)
            again = brief.mask & (brief.value >= middling)
            coats.append(brushed(brief, base, "the base again on what stands out", again, round(base.coat_um, 1)))
        darks = [np.average(brief.lab[brief.mask][value <= v], axis=0) for v in (dark, deep)]
        paints = paints_for(darks, brief.paints(*BRUSHED))
        shades = [
            Film(m, round(s * m.coat_um, 1), 2.0, "shade")
            for m in (brief.mix(d, paints) for d in darks)
            for s in (0.3, 0.6, 1.2)
        ]
        return improved(brief, coats, [*restated(brief, 0.6), *shades], LIGHTS + DARKS)

    @staticmethod
    def _wash(brief: Brief, coats: list[Coat]) -> Coat | None:
        """The wash that brings it nearest, a thin one where it is near already; None where even that does harm."""
        seen, samples = seen_after(brief, coats)[brief.looked_at], np.flatnonzero(brief.mask)[brief.looked_at]
        wanted, weight = brief.lab[samples], brief.areas[samples]
        best, least = None, np.inf
        off = np.minimum(delta_e(lab(xyz(seen)), wanted), 15)
        without = float(np.average(off, weights=weight))
        inked = (
            ("ink",) if material_called(brief.material).shaggy else ()
        )  # dense: it shades hair as a wash shades cloth
        wash = technique("wash")
        flow = wash.film(brief.site, wash.Settings(1.0))[samples]
        for paint in brief.paints(*TINTING, *inked):
            usual = usual_coat("wash", only(paint), f"{brief.name}: wash", COLOUR)
            for um in WASH_UM:
                got = appearance([(usual, (um * flow).astype(np.float32))], len(samples), seen)
                lost = float(np.average(np.minimum(delta_e(lab(xyz(got)), wanted), 15), weights=weight))
                if lost < least:
                    best, least = (usual, um), lost
        if best is None or least > without + HARM:
            return None
        coat = best[0].with_settings({"film_um": best[1]})
        return Coat(coat.technique, coat.mix, coat.settings, brief.where, label=coat.label, stage=COLOUR)


WAY = Washed()
