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
from ....brief import BRUSHED, COLOUR, TINTING, Task, brushed, paints_for, quantiles, seen_after
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

    def coats(self, task: Task) -> list[Coat]:
        """Base, wash, base again, lights."""
        value, weight = task.value[task.own], task.weight()
        dark, deep, low, middling, high = quantiles(value, weight, (0.1, 0.25, 0.3, RESTATED, 0.7))
        middle = np.average(task.lab[task.own][(value >= low) & (value <= high)], axis=0)
        base = task.mix(middle)
        um = covering_um(base, task.ground)
        coats = [brushed(task, base, "base coat", None, um)]
        wash = self._wash(task, coats)
        if wash is None:
            coats = [replace(coats[0], label=f"{task.name}: {NO_WASH}")]
        else:
            coats.append(wash)
            again = task.own & (task.value >= middling)
            coats.append(brushed(task, base, "the base again on what stands out", again, round(base.coat_um, 1)))
        darks = [np.average(task.lab[task.own][value <= v], axis=0) for v in (dark, deep)]
        paints = paints_for(darks, task.paints(*BRUSHED))
        shades = [
            Film(m, round(s * m.coat_um, 1), 2.0, "shade")
            for m in (task.mix(d, paints) for d in darks)
            for s in (0.3, 0.6, 1.2)
        ]
        return improved(task, coats, [*restated(task, 0.6), *shades], LIGHTS + DARKS)

    @staticmethod
    def _wash(task: Task, coats: list[Coat]) -> Coat | None:
        """The wash that brings it nearest, a thin one where it is near already; None where even that does harm."""
        seen, some = seen_after(task, coats)[task.looked_at], np.flatnonzero(task.own)[task.looked_at]
        wanted, weight = task.lab[some], task.areas[some]
        best, least = None, np.inf
        off = np.minimum(delta_e(lab(xyz(seen)), wanted), 15)
        without = float(np.average(off, weights=weight))
        inked = (
            ("ink",) if material_called(task.material).shaggy else ()
        )  # dense: it shades hair as a wash shades cloth
        wash = technique("wash")
        flow = wash.film(task.site, wash.Settings(1.0))[some]
        for paint in task.paints(*TINTING, *inked):
            usual = usual_coat("wash", only(paint), f"{task.name}: wash", COLOUR)
            for um in WASH_UM:
                got = appearance([(usual, (um * flow).astype(np.float32))], len(some), seen)
                lost = float(np.average(np.minimum(delta_e(lab(xyz(got)), wanted), 15), weights=weight))
                if lost < least:
                    best, least = (usual, um), lost
        if best is None or least > without + HARM:
            return None
        coat = best[0].with_settings({"film_um": best[1]})
        return Coat(coat.technique, coat.mix, coat.settings, task.where, label=coat.label, stage=COLOUR)


WAY = Washed()
