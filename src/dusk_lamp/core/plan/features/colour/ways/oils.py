"""Oils: a base, a varnish so that it wipes clean, a dark stain wiped off what stands out, lights, a pin wash (CP-32
and craft page, section 7)."""

from dataclasses import replace

import numpy as np

from .....coat.coat import Coat, usual_coat
from .....coat.finish import finish_of
from .....coat.stack import appearance
from .....coat.technique import technique
from .....errors import SettingError
from .....paint.colour import delta_e, lab, xyz
from .....paint.mix import Mix, only
from ....brief import BRUSHED, COLOUR, MATT, Brief, brushed, paints_for, quantiles, seen_after
from ...undercoat.pots import DARK_OIL, LIGHT_OIL, sealer
from .glazes import restated
from .groups import Film, improved
from .layers import covering_um
from .way import Way

STAINS_UM, PRESSURES = (1.0, 2.0, 4.0, 8.0), (0.6, 0.8, 0.95)
PINS_UM = (0.5, 1.0, 2.0)
MOST_LOST = 15.0  # ΔE00 of a spot: further off is no worse
BASE_SHARE = 0.6  # of the area is darker than the base: it has to bear a stain
MORE = 6
BLENDED = "oil light blended into what is left wet"
LEFT, LEFT_SHARES = "oil foundation left in the shade, its rim blended", (0.15, 0.4, 1.0)


class OilsWay(Way):
    """The stain is the oil, the film and the pressure of the cloth that bring it nearest."""

    name, order, title = "oils", 50, "Oils: stain and wipe"
    when = "Soft blends with time to correct: dark runs in by itself and is wiped off where light falls."
    weak = "A varnish first, a day to dry, and solvents: open a window, wear gloves."

    def coats(self, brief: Brief) -> list[Coat]:
        """Base, varnish, stain and wipe, pin wash, lights."""
        oils = brief.paints("oil")
        stains = [p for p in oils if p.looks.value <= DARK_OIL] or oils
        bright = [p for p in oils if p.looks.value >= LIGHT_OIL]
        varnish = sealer(brief.rack, brief.tools.varnishes)
        if varnish is None:
            raise SettingError(
                "oils need a satin or gloss varnish under them, on the rack and among your tools: over bare matt "
                "they stain and do not wipe clean"
            )
        value, weight = brief.value[brief.mask], brief.weight()
        base = brief.mix(self._base(brief))
        um = covering_um(base, brief.ground)
        sealed = replace(
            usual_coat("brush", only(varnish), f"{brief.name}: varnish under the oils", COLOUR), where=brief.where
        )
        coats = [brushed(brief, base, "base coat", None, um), sealed]
        for name, label, settings in (
            ("oil wipe", "stain, then wipe", [{"film_um": f, "pressure": p} for f in STAINS_UM for p in PRESSURES]),
            ("wash", "pin wash of thinned oil", [{"film_um": f, "pooling": 12.0} for f in PINS_UM]),
        ):
            found = self._best(brief, coats, [only(p) for p in stains], name, settings, must=name == "oil wipe")
            if found is not None:
                coats.append(replace(found, where=brief.where, label=f"{brief.name}: {label}"))
        dark, deep = quantiles(value, weight, (0.1, 0.25))
        darks = [np.average(brief.lab[brief.mask][value <= v], axis=0) for v in (dark, deep)]
        mixes = [brief.mix(d, paints_for(darks, brief.paints(*BRUSHED))) for d in darks]
        shades = [Film(m, round(s * m.coat_um, 1), 2.0, "shade") for m in mixes for s in (0.3, 0.6, 1.2)]
        left = [Film(m, round(s * m.coat_um, 1), 1.0, LEFT) for m in map(only, stains) for s in LEFT_SHARES]
        lights = [
            Film(m, round(s * m.coat_um, 1), 0.0, BLENDED)
            for p in bright
            for m in (only(p), *(Mix((p, dark), (3, 1)) for dark in stains[:2]))
            for s in LEFT_SHARES
        ]
        return improved(brief, coats, [*restated(brief, 0.7), *shades, *left, *lights], MORE)

    @staticmethod
    def _base(brief: Brief) -> np.ndarray:
        """(3,) L*a*b* of its lighter middle."""
        value = brief.value[brief.mask]
        low, high = quantiles(value, brief.weight(), (BASE_SHARE - 0.2, BASE_SHARE + 0.1))
        return np.average(brief.lab[brief.mask][(value >= low) & (value <= high)], axis=0)

    @staticmethod
    def _best(
        brief: Brief, coats: list[Coat], mixes: list[Mix], name: str, settings: list[dict[str, float]], must: bool
    ) -> Coat | None:
        """The coat that brings it nearest; None where none does good, unless it must be one."""
        seen, samples = seen_after(brief, coats)[brief.looked_at], np.flatnonzero(brief.mask)[brief.looked_at]
        covered = np.zeros(len(brief.mask), np.bool_)
        covered[samples] = True
        few = brief.site.few(covered)
        films = [np.full(len(few), c.settings.film_um, np.float32) for c in coats if c.technique == "brush"]
        brushes = [c for c in coats if c.technique == "brush"]
        finish = finish_of(zip(brushes, films, strict=True), len(few), MATT)
        wanted, weight = brief.lab[samples], brief.areas[samples]

        def lost(reflectance: np.ndarray) -> float:
            off = delta_e(lab(xyz(reflectance)), wanted)
            return float(np.average(np.minimum(off, MOST_LOST), weights=weight))

        best, least = None, np.inf if must else lost(seen)
        for given in settings:
            every = [Coat(name, mix, replace(technique(name).usual(mix), **given), stage=COLOUR) for mix in mixes]
            film = every[0].film(few, finish)  # how it runs does not depend on its colour
            for coat in every:
                after = lost(appearance([(coat, film)], len(few), seen))
                if after < least:
                    best, least = coat, after
        return best


WAY = OilsWay()
