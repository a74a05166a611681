"""The room: how temperature and damp change what dries, and what that asks of the palette.

Water leaves at a rate that follows the vapour pressure deficit of the air: the saturation pressure at its
temperature, less what is there already (Magnus formula, WMO guide to instruments; FAO paper 56, equation 11). Oils
dry by taking up oxygen, about twice as fast for each ten degrees (van 't Hoff's rule).
"""

import math
from dataclasses import dataclass

from ..plain import checked, number

USUAL_C, USUAL_DAMP = 20.0, 50.0  # what data sheets give their times for: 20 to 23 °C, 50 % of humidity
QUICKEST, SLOWEST = 0.4, 3.0  # of the usual wait: a film's own water has to reach its skin; from memory
UNNOTICED = 0.95  # times the usual wait, from where on nobody notices
HOT_C, COLD_C, DRY, DAMP = 26.0, 12.0, 35.0, 70.0  # where painters notice; common practice, section 13


@dataclass(frozen=True)
class Room:
    """temperature: °C. humidity: %, relative."""

    temperature: float = number(USUAL_C, 0, 45, "the temperature of the room", "°C", step=1, form="Temperature, °C")
    humidity: float = number(USUAL_DAMP, 5, 98, "the humidity of the room", "%", step=1, form="Humidity, %")

    def __post_init__(self) -> None:
        checked(self)

    @property
    def deficit(self) -> float:
        """Vapour pressure deficit of its air, kPa."""
        return _saturation(self.temperature) * (1 - self.humidity / 100)

    def wait(self, kind: str) -> float:
        """Times the usual wait of a kind of paint."""
        if kind == "oil":
            times = 2 ** ((USUAL_C - self.temperature) / 10)
        else:
            times = Room().deficit / max(self.deficit, 1e-6)
        return min(SLOWEST, max(QUICKEST, times))

    @property
    def drying_words(self) -> str:
        """How long paint takes to dry there."""
        times = self.wait("layer")
        usual = UNNOTICED <= times <= 2 - UNNOTICED
        return f"Paint dries {'as usual' if usual else f'in {times:.1f} times the usual time'} here."

    @property
    def words(self) -> str:
        """What the room asks of the hand; "" where it is as usual."""
        said = []
        if self.temperature >= HOT_C and self.humidity >= DAMP:
            said.append("Hot and damp: rinse the brush often, it clogs before the paint dries.")
        elif self.wait("layer") <= 0.75:
            said.append("Dry air: paint skins on the palette. Wet it, cover it, and thin with a drop of retarder.")
        elif self.wait("layer") >= 1.5:
            said.append("Damp or cold air: coats stay soft for longer; touch nothing before it is dry.")
        if self.temperature < COLD_C:
            said.append("Too cold for spray cans and for acrylics to form a film: warm the room first.")
        return " ".join(said)


def _saturation(celsius: float) -> float:
    """Saturation vapour pressure over water, kPa."""
    return 0.6108 * math.exp(17.27 * celsius / (celsius + 237.3))
