"""Airbrushed layers: a base by brush, then mixes from where the lamp is and from below, and a
brush for what no spray reaches (CP-7, CP-30)."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .....coat.coat import Coat
from .....coat.spray import Spray, in_half_seconds, roughly
from .....coat.technique import technique
from .....errors import SettingError
from .....paint.colour import delta_e, lab, xyz
from .....paint.mix import Mix, only
from .....sculpt.mesh import evenly
from .....sculpt.site import Site
from ....brief import BRUSHED, COLOUR, Brief, brushed, lost_of, paints_for, quantiles
from ....steps.step import SPRAYED_CUP
from ...undercoat.schools.school import spray_distance
from .glazes import restated
from .groups import Film, improved
from .layers import covering_um
from .way import Way

LOOKED_AT = 900  # samples of the region that passes are tried on
ROUGHLY, LOOKED_CLOSELY = 5, 8  # of them every fifth first, and so many passes on all
SHARES = (0.02, 0.15, 0.35, 0.6, 0.8, 0.93, 0.99)  # of the area are darker than the colours that passes are mixed for
UMS = (0.6, 1.2, 2.5, 5.0, 9.0)  # where a pass lies thickest
PSI, NEEDLE, DETAIL = 25.0, 0.3, 0.2
DETAIL_MM = 60.0
MORE, BRUSHED_AFTER = 6, 4
LEAST_GAIN = 0.01
LONGEST_S = 120.0  # on the trigger for one pass: what would need more is not within reach of a spray. From memory
FULL = 97.0  # percentile of a pass that counts as where it lies thickest


@dataclass(frozen=True)
class Pass:
    """A pass that may be tried. unit: (n,) µm at the samples looked at, where it lies 1 µm thick at its thickest.
    a_second: µm there of a second at full trigger, if the paint were all solids."""

    spray: Spray
    unit: NDArray[np.float64]
    a_second: float
    words: str

    def seconds(self, mix: Mix, um: float) -> float:
        """On the trigger, for so many µm of a mix where it lies thickest."""
        return um * (1 + self.spray.water) / (self.a_second * mix.solids)

    def film(self, coat: Coat) -> NDArray[np.float64]:
        """(n,) µm that a coat lays which was made of it."""
        return self.unit * self.a_second * coat.solids * coat.settings.seconds * coat.settings.trigger


class Sprayed(Way):
    """Each pass is the direction, the mix and the amount that bring most of the region near."""

    name, order, title = "sprayed", 15, "Airbrushed layers"
    when = "Mask, then spray: the smoothest blends on large, open shapes."
    weak = "Overspray to mask or to cover; small and hidden spots get none."

    def coats(self, brief: Brief) -> list[Coat]:
        """A base coat by brush, which stays inside its lines, then passes."""
        if not brief.tools.sprays:
            raise SettingError("airbrushed layers need an airbrush; see “My tools”")
        samples = evenly(np.flatnonzero(brief.mask), LOOKED_AT)
        few = brief.site.only(samples.astype(np.int32), np.zeros((0, 3), np.int32))
        mixes = self._mixes(brief)
        wanted, weight = brief.lab[samples], brief.areas[samples] / brief.areas[samples].sum()
        passes = self._passes(brief, few)
        bases = [brushed(brief, m, "base coat", None, covering_um(m, brief.ground)) for m in mixes]
        looks = [c.mix.pigment.film(np.full(len(samples), c.settings.film_um), brief.under[samples]) for c in bases]
        worth = (
            brief.worth * (sum(SPRAYED_CUP) + technique("spray").handling) / brief.counts
        )  # of a pass with its cup
        first = int(np.argmin([float(_lost(seen, wanted, weight)) for seen in looks]))
        coats, seen = [bases[first]], looks[first]
        for _ in range(MORE):
            best, least = None, float(_lost(seen, wanted, weight)) - max(LEAST_GAIN, worth)
            every = [(m, by, d) for m in mixes for by in passes for d in UMS if by.seconds(m, d) <= LONGEST_S]
            rough = np.concatenate([self._roughly(mix, every, seen, wanted, weight) for mix in mixes])
            for k in np.argsort(rough, kind="stable")[:LOOKED_CLOSELY]:  # only the likeliest on all of them
                mix, pass_, um = every[k]
                lost = float(_lost(mix.pigment.film(um * pass_.unit, seen), wanted, weight))
                if lost < least:
                    best, least = every[k], lost
            if best is None:
                break
            mix, pass_, um = best
            coat = self._coat(brief, mix, pass_, um)
            coats.append(coat)
            seen = mix.pigment.film(pass_.film(coat), seen)
        shades = [Film(m, round(s * m.coat_um, 1), 2.0, "shade by brush") for m in mixes[:3] for s in (0.3, 0.6, 1.2)]
        return improved(brief, coats, [*restated(brief), *shades], BRUSHED_AFTER)

    @staticmethod
    def _roughly(
        mix: Mix,
        every: Sequence[tuple[Mix, Pass, float]],
        seen: NDArray[np.float64],
        wanted: NDArray[np.float64],
        weight: NDArray[np.float64],
    ) -> NDArray[np.float64]:
        """What each try with a mix costs, by a few of the samples."""
        few = slice(None, None, ROUGHLY)
        films = np.array([um * pass_.unit[few] for m, pass_, um in every if m is mix])
        return _lost(mix.pigment.film(films, seen[few]), wanted[few], weight[few]) if len(films) else np.zeros(0)

    @staticmethod
    def _mixes(brief: Brief) -> list[Mix]:
        wanted, value = brief.lab[brief.mask], brief.value[brief.mask]
        cuts = quantiles(value, brief.weight(), SHARES)
        colours = [np.average(wanted[np.abs(value - v) <= 0.3], axis=0) for v in cuts]
        paints = paints_for([colours[0], colours[len(colours) // 2], colours[-1]], brief.paints(*BRUSHED))
        return list(dict.fromkeys(brief.mix(c, paints) for c in colours))

    @staticmethod
    def _passes(brief: Brief, few: Site) -> list[Pass]:
        lamp, far = brief.lamp, spray_distance(brief.site.surface)
        at = [
            ("from the lamp", lamp.azimuth, lamp.elevation, "stroke"),
            ("from above the lamp", lamp.azimuth, min(90.0, lamp.elevation + 25), "stroke"),
            ("from the lamp's left", lamp.azimuth - 50, lamp.elevation, "stroke"),
            ("from the lamp's right", lamp.azimuth + 50, lamp.elevation, "stroke"),
            ("from below, all round", 0.0, -40.0, "turn"),
            ("from opposite the lamp", lamp.azimuth + 180, max(lamp.elevation - 60, -40.0), "stroke"),
        ]
        out = []
        for words, azimuth, elevation, way in at:
            needle = brief.tools.needle(NEEDLE if way == "turn" else DETAIL)
            distance = far if needle > DETAIL else min(DETAIL_MM, far)
            height = float(np.clip(elevation, -90, 90))
            one = Spray(
                (azimuth + 180) % 360 - 180, height, distance, 1.0, way, needle=needle, psi=brief.tools.psi(PSI)
            )
            film = _laid(few, one, only(brief.paints(*BRUSHED)[0]))
            most = float(np.percentile(film, FULL))
            if most > 1e-6:
                out.append(Pass(one, film.astype(np.float64) / most, most, words))
        if not out:
            raise SettingError("no spray reaches this region: brush it")
        return out

    @staticmethod
    def _coat(brief: Brief, mix: Mix, pass_: Pass, um: float) -> Coat:
        settings = in_half_seconds(replace(pass_.spray, seconds=pass_.seconds(mix, um)))
        label = f"{brief.name}: {mix.words()} {pass_.words}"[:80]
        return Coat("spray", mix, settings, brief.where, label=label, stage=COLOUR)


def _laid(few: Site, pass_: Spray, mix: Mix) -> NDArray[np.float32]:
    """(n,) µm of a pass if the paint were all solids, on each part painted apart by itself."""
    if not few.loose:
        return roughly(few, pass_, 1.0).film
    coat = Coat("spray", mix, pass_)
    return (coat.unbound(few, np.ones(len(few), np.bool_)) / np.float32(coat.solids)).astype(np.float32, copy=False)


def _lost(seen: NDArray, wanted: NDArray, weight: NDArray) -> NDArray[np.float64]:
    """(...) what reflectances (..., n, 36) cost beside what is wanted (n, 3)."""
    return np.asarray(lost_of(delta_e(lab(xyz(seen)), wanted)) @ weight)


WAY = Sprayed()
