"""The exposure: how light becomes value, and how values are laid between the paints there are."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.value import luminance_from_munsell, munsell_from_luminance
from ..plain import checked, number


@dataclass(frozen=True)
class Exposure:
    """How light becomes value: the rig's full light reads as the white, no light as the primer.

    primer, white: Munsell values of the darkest and the lightest paint. 1.5 is a matt black primer (L* 15), 9.5 a
    dense white (L* 96): from memory, bench cards of matt paint. gain: brightness; above 1 the lights run out into
    white sooner.
    """

    primer: float = number(1.5, 0, 10, "the value of the primer")
    white: float = number(9.5, 0, 10, "the value of the white")
    gain: float = number(1.0, 0.25, 4, "brightness", step=0.05)

    def __post_init__(self) -> None:
        checked(self)
        if self.primer >= self.white:
            raise SettingError("the primer must be darker than the white")


def value_of_light(light: NDArray[np.float32], exposure: Exposure, full: float = 1.0) -> NDArray[np.float32]:
    """(N,) Munsell value to paint where this much light falls; `full` is the light of the best-lit spot (Rig.full).

    Painted light must look as light does: its luminance is proportional to the light between the primer's and the
    white's, and only then is it counted in value, which is how the eye spaces it.
    """
    dark, bright = luminance_from_munsell([exposure.primer, exposure.white])
    Y = dark + (bright - dark) * np.clip(light * np.float32(exposure.gain / full), 0, 1)
    return munsell_from_luminance(Y).astype(np.float32)


def laid_between(
    value: NDArray[np.float32], exposure: Exposure, darkest: float, lightest: float
) -> NDArray[np.float32]:
    """(N,) a target's values laid between the darkest and the lightest value that paints reach."""
    share = (value - exposure.primer) / max(exposure.white - exposure.primer, 1e-9)
    return (darkest + np.clip(share, 0, 1) * (lightest - darkest)).astype(np.float32)
