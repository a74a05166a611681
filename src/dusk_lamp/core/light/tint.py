"""Tints: the colours of lamp, sky and ground, and what they make of the light on each spot. How much light there is
they leave alone."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.colour import RGB_TO_XYZ, XYZ_TO_RGB, bands, linear, rgb_from_hex, screen_hex
from ..plain import text
from .rig import Light

LUMINANCE = RGB_TO_XYZ[1]  # of red, green and blue light
PLANCK = 1.438776877e-2  # second radiation constant, m K; CODATA 2018
COLDEST, HOTTEST = 1000.0, 20000.0  # K
DARKEST_LAMP = 0.005  # of white: a lamp of this colour gives no light to see by


@dataclass(frozen=True)
class Tints:
    """Colours as `#rrggbb`; white leaves everything as it is. ground: of what sends light back up: its own colour."""

    lamp: str = text("#ffffff", (7, 7), "the lamp's colour")
    sky: str = text("#ffffff", (7, 7), "the sky's colour")
    ground: str = text("#ffffff", (7, 7), "the ground's colour")

    def __post_init__(self) -> None:
        for name, colour in (("lamp", self.lamp), ("sky", self.sky), ("ground", self.ground)):
            if float(linear(rgb_from_hex(colour)) @ LUMINANCE) < DARKEST_LAMP and name != "ground":
                raise SettingError(f"a black {name} gives no light; choose a lighter colour")

    @property
    def none(self) -> bool:
        """Whether all of them are neutral."""
        return all(len(set(linear(rgb_from_hex(c)))) == 1 for c in (self.lamp, self.sky, self.ground))


def of_temperature(kelvin: float) -> str:
    """`#rrggbb` of a lamp of a colour temperature, its strongest channel full.

    Source: Planck's law on the 36 bands of the CIE 1931 observer.

    Raises:
        SettingError: outside 1000 to 20 000 K.
    """
    if not COLDEST <= kelvin <= HOTTEST:
        raise SettingError(f"a lamp's temperature is between 1000 and 20 000 K, not {kelvin:g}")
    table = bands()
    metres = table["nm"] * 1e-9
    power = metres**-5.0 / np.expm1(PLANCK / (metres * kelvin))
    XYZ = np.array([power @ table[axis] for axis in "xyz"])
    rgb = np.maximum(XYZ @ XYZ_TO_RGB.T, 0)
    return screen_hex(rgb / rgb.max())


def even_light(colour: str) -> NDArray[np.float64]:
    """(3,) linear light of a colour, of luminance 1; white where it is black."""
    rgb = linear(rgb_from_hex(colour))
    Y = float(rgb @ LUMINANCE)
    return rgb / Y if Y > 0 else np.ones(3)


def tint_of(light: Light, tints: Tints) -> NDArray[np.float32] | None:
    """(N, 3) linear light on each sample by channel, of luminance 1; None where it is white everywhere.

    What comes back from the ground has met the lamp's or the sky's colour, and then the ground's own.
    """
    if tints.none and light.glow is None:
        return None
    lamp, sky, ground = even_light(tints.lamp), even_light(tints.sky), even_light(tints.ground)
    back = ground * (lamp if light.key is not None else sky)
    back = back / max(float(back @ LUMINANCE), 1e-9)
    whole = np.zeros((len(light.total), 3))
    for part, colour in ((light.key, lamp), (light.sky, sky), (light.bounce, back)):
        if part is not None:
            whole += part[:, None].astype(np.float64) * colour
    if light.glow is not None:
        whole += light.glow
    Y = whole @ LUMINANCE
    return np.where(Y[:, None] > 1e-6, whole / np.maximum(Y, 1e-6)[:, None], 1.0).astype(np.float32)
