"""What a school of the undercoat is given, and the passes they share."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from .....coat.coat import Coat, usual_coat
from .....coat.spray import STICKS, Spray, in_half_seconds
from .....light.lamp import Lamp
from .....paint.mix import Mix, only
from .....sculpt.surface import Surface
from .....workplace.tools import EVERYTHING, Tools
from ..pots import Pots

DETAIL_NEEDLE, DETAIL_MM = 0.2, 140.0  # the last white, and how far off it is still sprayed at most (CP-7)
INK_PSI = 30.0  # CP-8: high pressure, so that it dries as it lands
CAN_MM, CAN_FILM = 370.0, 0.7  # CP-4; a can lays more than it is asked for


@dataclass(frozen=True)
class Kit:
    """What a school works with: the surface, the lamp it is sprayed for, the paints, the tools."""

    surface: Surface
    lamp: Lamp
    pots: Pots
    tools: Tools = EVERYTHING

    @property
    def toward(self) -> tuple[float, float]:
        """Azimuth and elevation of a stroke from the lamp."""
        return self.lamp.azimuth, max(self.lamp.elevation, -60.0)

    @property
    def above(self) -> tuple[float, float]:
        """The same, a little higher: for the last of the light."""
        return self.lamp.azimuth, min(90.0, self.lamp.elevation + 20)

    def grey_at(self, share: float) -> Mix:
        """The grey at a share of the way from the darkest to the lightest."""
        last = len(self.pots.greys) - 1
        return self.pots.greys[min(last, max(0, round(share * last)))]

    def primed(self) -> Coat:
        """The primer everywhere."""
        return primed(only(self.pots.primer), "primer everywhere", self.tools)

    def last_white(self, mix: Mix, film_um: float, label: str) -> Coat:
        """The last of the light by the fine needle: white ink where there is some, dense and thin enough for it, at
        the pressure that dries it as it lands (CP-8); else the lightest mix there is."""
        ink = self.pots.fine_white
        if ink is None or ink.kind != "ink" or mix.paints != (self.pots.white,):
            return self.spray(mix, self.above, film_um, "stroke", label, DETAIL_NEEDLE)
        return self.spray(only(ink), self.above, film_um, "stroke", label, DETAIL_NEEDLE, INK_PSI)

    def spray(
        self,
        mix: Mix,
        from_: tuple[float, float],
        film_um: float,
        way: str,
        label: str,
        needle: float = 0.3,
        psi: float = 25.0,
    ) -> Coat:
        """A pass from azimuth and elevation whose best-hit spots get so many µm."""
        return sprayed(self.surface, mix, *from_, film_um, way, label, self.tools, needle, psi)


class UndercoatSchool:
    """One way to lay the light down. A subclass gives its coats, in usual amounts; they are fitted to the light
    afterwards. Source: common practice, craft page, section 5."""

    name: ClassVar[str]
    needs: ClassVar[tuple[str, ...]] = ("airbrush",)  # it can be done with any one of these; () with brushes alone
    order: ClassVar[int]
    title: ClassVar[str]  # as painters call it
    when: ClassVar[str]  # to take it
    weak: ClassVar[str]  # what it is bad at

    def lack(self, kit: Kit) -> str:
        """What it needs and is not there, in a few words; "" where nothing is missing."""
        return kit.tools.lack(*self.needs)

    def coats(self, kit: Kit) -> list[Coat]:
        """Its coats, in order."""
        raise NotImplementedError


def primed(mix: Mix, label: str, tools: Tools = EVERYTHING) -> Coat:
    """Primer everywhere, three thin coats (CP-5)."""
    return usual_coat("prime", mix, label).with_settings({"tool": tools.primes_with})


def spray_distance(surface: Surface) -> float:
    """mm from the nozzle to the middle of the model: the cone takes in about a third of it."""
    return float(max(60.0, round(2.2 * surface.size / 5) * 5))


def sprayed(
    surface: Surface,
    mix: Mix,
    azimuth: float,
    elevation: float,
    film_um: float,
    way: str,
    label: str,
    tools: Tools,
    needle: float = 0.3,
    psi: float = 25.0,
) -> Coat:
    """A pass whose best-hit spots get so many µm: the seconds follow from what one second lays."""
    if tools.sprays:
        distance = spray_distance(surface) if needle > DETAIL_NEEDLE else min(DETAIL_MM, spray_distance(surface))
        one = Spray(azimuth, elevation, distance, 1.0, way, needle=tools.needle(needle), psi=tools.psi(psi))
    else:
        one = Spray(azimuth, elevation, CAN_MM, 1.0, way, "can", water=0.0)
    solids = Coat("spray", mix, one).solids
    flow = one.wet_ml * 1000 * solids * STICKS[one.tool]  # dry mm³ a second that stick
    outline = (surface.size + 2 * one.cone * one.distance) ** 2
    seconds = film_um / 1000 * outline / flow * (1.6 if way == "turn" else 1.0)
    return Coat("spray", mix, in_half_seconds(replace(one, seconds=seconds)), label=label)


def by_hand(technique: str, mix: Mix, label: str, **settings: Any) -> Coat:
    """A coat by hand with some settings of its technique."""
    return usual_coat(technique, mix, label).with_settings(settings)


def more_dark(coats: Sequence[Coat], kit: Kit) -> list[Coat]:
    """The way out of "too grey all over": the dark is brought back from where the lamp does not reach, or by a dry
    brush."""
    dark, label, from_above = only(kit.pots.primer), "dark brought back from below", kit.lamp.elevation > 0
    if kit.tools.sprays:
        return [*coats, kit.spray(dark, (0, -40 if from_above else 60), 6, "turn", label)]
    height = -60.0 if from_above else 60.0
    return [
        *coats,
        by_hand("drybrush", dark, label, film_um=8, softness=0.8, azimuth=kit.lamp.azimuth, elevation=height),
    ]
