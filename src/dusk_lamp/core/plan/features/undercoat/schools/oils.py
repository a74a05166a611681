"""Oils: a light primer under varnish, stained with a dark foundation and wiped, lights blended into what is left."""

from .....coat.coat import Coat
from .....errors import SettingError
from .....paint.mix import Mix, only
from .....paint.rack import Paint
from .school import Kit, UndercoatSchool, by_hand, primed

STAIN_UM, PRESSURE = 4.0, 0.4  # enough is left for the lights to be blended into
HALF_LIGHT_UM, LIGHT_UM = 6.0, 10.0


class OilsSchool(UndercoatSchool):
    """One foundation, or two mixed to a coloured black; the lights lean to its temperature: cream over a brown, a
    cool white over a blue. Source: common practice, craft section 7, CP-32, CP-38."""

    needs = ()
    name, order, title = "oils", 60, "Oils over white"
    when = "Stain with dark oil, wipe the raised parts, blend lights into what is left: soft, and mistakes wipe off."
    weak = "A varnish first, thinner to work with, and a day until anything else goes over it."

    def lack(self, kit: Kit) -> str:
        """A dark oil, and a varnish that it wipes clean on."""
        if not kit.pots.foundations:
            return "needs a dark oil on the rack"
        if kit.pots.varnish is None or kit.pots.varnish.of("finish") not in kit.tools.varnishes:
            return "needs a satin or gloss varnish, on the rack and among your tools"
        return super().lack(kit)

    def coats(self, kit: Kit) -> list[Coat]:
        """White primer, varnish, stain and wipe, two lights where there is a light oil.

        Raises:
            SettingError: something is missing for it.
        """
        pots, varnish, lack = kit.pots, kit.pots.varnish, self.lack(kit)
        if lack or varnish is None:
            raise SettingError(f"{self.title} {lack}")
        stain = foundation(pots.foundations)
        out = [
            primed(only(pots.bright_primer), "white everywhere", kit.tools),
            by_hand("brush", only(varnish), "varnish under the oils, so that they wipe clean"),
            by_hand("oil wipe", stain, "foundation over all, then wiped", film_um=STAIN_UM, pressure=PRESSURE),
        ]
        light = light_for(stain, pots.oil_lights)
        if light is None:
            return out
        toward = {"azimuth": kit.lamp.azimuth, "elevation": kit.toward[1]}
        above = {"azimuth": kit.lamp.azimuth, "elevation": kit.above[1]}
        half = Mix((light, stain.paints[0]), (3, 1))
        return [
            *out,
            by_hand("oil light", half, "half light, blended in", film_um=HALF_LIGHT_UM, spread=0.7, **toward),
            by_hand("oil light", only(light), "light, the last of it", film_um=LIGHT_UM, spread=0.35, **above),
        ]


def foundation(oils: list[Paint]) -> Mix:
    """The darkest oil; where there is another of the other temperature, both 1:1: a coloured black."""
    first = oils[0]
    other = next((p for p in oils[1:] if (p.looks.b > 0) != (first.looks.b > 0)), None)
    return only(first) if other is None else Mix((first, other), (1, 1))


def light_for(stain: Mix, lights: list[Paint]) -> Paint | None:
    """The light oil whose temperature is that of the foundation: cream over brown, a cool white over blue; None where
    there is none."""
    if not lights:
        return None
    warmest = sorted(lights, key=lambda p: (p.looks.b, p.name))
    return warmest[-1] if stain.colour.b > 0 else warmest[0]


SCHOOL = OilsSchool()
