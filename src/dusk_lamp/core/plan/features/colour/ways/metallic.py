"""Metallic paint: a metal base, or a transparent colour over silver; a dark wash; a bright edge, sparingly on gold,
more on steel (craft page, section 11)."""

from dataclasses import replace

import numpy as np

from .....coat.coat import Coat, usual_coat
from .....paint.colour import delta_e, lab, xyz
from .....paint.mix import Mix, only
from .....paint.rack import Paint
from ....brief import CLEAR, COLOUR, TINTING, Brief, brushed, quantiles
from .way import Way

MIDDLE = 0.2  # of its range of value, to either side: a metal's ends are its mirror's, its middle is its own
PASSES = (1, 2)  # of a transparent colour over silver
TINT_GAIN = 4.0  # ΔE00 that a tint must bring nearer, to be worth its time
GOLD_CHROMA = 18.0  # C* from which a metal counts as gold
EDGE = {
    "steel": (0.35, 0.0),
    "gold": (0.2, 25.0),
}  # mm wide, and degrees that the light that finds its crests is higher
WASH_SHARE = 0.7  # of a wash's usual film: a metal is dulled soon


class Metallic(Way):
    """The base that comes nearest, alone or under a transparent colour."""

    name, order, title = "metallic", 60, "Metallic paint"
    when = "True metal: a base, a dark wash, a bright edge. Its sheen moves with the light."
    for_some = True
    weak = "The light decides where it shines, not you; bright only toward the mirror."

    def coats(self, brief: Brief) -> list[Coat]:
        """Base, tint where that is nearer, wash, edge."""
        metals = brief.paints("metallic")
        value, weight = brief.value[brief.mask], brief.weight()
        low, high = quantiles(value, weight, (0.02, 0.98))
        middle = np.abs(value - (low + high) / 2) <= max(MIDDLE * (high - low), 0.3)
        wanted = np.average(brief.lab[brief.mask][middle], axis=0, weights=weight[middle] + 1e-9)
        base, tint, passes = self._nearest(brief, metals, wanted)
        coats = [brushed(brief, base, "metallic base, neat", None, round(2 * base.coat_um, 1), 0.0)]
        for k in range(passes):
            label = f"transparent colour over the metal, {k + 1} of {passes}"
            coats.append(brushed(brief, tint or base, label, None, round((tint or base).coat_um / 2, 1), 1.0))
        washes = [p for p in brief.rack if p.kind in TINTING]
        if washes:
            dark = only(min(washes, key=lambda p: p.looks.value))
            wash = usual_coat("wash", dark, f"{brief.name}: dark wash into the recesses", COLOUR)
            thin = replace(wash.settings, film_um=round(WASH_SHARE * wash.settings.film_um, 1))
            coats.append(replace(wash, settings=thin, where=brief.where))
        bright = only(max(metals, key=lambda p: p.looks.value))
        width, higher = EDGE["gold" if self._chroma(base, tint) > GOLD_CHROMA else "steel"]
        edge = usual_coat("line", bright, f"{brief.name}: bright edge", COLOUR)
        high = min(brief.lamp.elevation + higher, 90.0)
        given = replace(edge.settings, width=width, azimuth=brief.lamp.azimuth, elevation=high)
        return [*coats, replace(edge, settings=given, where=brief.where)]

    @staticmethod
    def _nearest(brief: Brief, metals: list[Paint], wanted: np.ndarray) -> tuple[Mix, Mix | None, int]:
        """The base, and the transparent colour over it, that come nearest in hue and value."""
        best = min(metals, key=lambda p: float(delta_e(p.looks.lab, wanted)))
        least = float(delta_e(best.looks.lab, wanted))
        found: tuple[Mix, Mix | None, int] = (only(best), None, 0)
        silver = min(metals, key=lambda p: p.looks.chroma)
        for paint in (p for p in brief.rack if p.kind in CLEAR):
            for passes in PASSES:
                film = paint.pigment.film(passes * paint.of("coat_um") / 2, silver.pigment.masstone)
                off = float(delta_e(lab(xyz(film)), wanted)) + (TINT_GAIN if found[1] is None else 0)
                if off < least:
                    least, found = off - (TINT_GAIN if found[1] is None else 0), (only(silver), only(paint), passes)
        return found

    @staticmethod
    def _chroma(base: Mix, tint: Mix | None) -> float:
        return (tint or base).colour.chroma


WAY = Metallic()
