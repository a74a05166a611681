"""The target: the value that each spot ought to have."""

from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.value import luminance_from_munsell, munsell_from_luminance


@dataclass(frozen=True)
class Exposure:
    """How light becomes value: the rig's full light reads as the white, no light as the primer.

    primer, white: Munsell values of the darkest and the lightest paint. 1.5 is a matt black primer (L* 15), 9.5 a
    dense white (L* 96): from memory, bench cards of matt paint. gain: brightness, 0.25..4; above 1 the lights run out into white sooner.
    """

    primer: float = 1.5
    white: float = 9.5
    gain: float = 1.0

    def __post_init__(self) -> None:
        if not 0 <= self.primer < self.white <= 10:
            raise SettingError("the primer must be darker than the white, both between 0 and 10")
        if not 0.25 <= self.gain <= 4:
            raise SettingError(f"brightness is between 0.25 and 4, not {self.gain:g}")

    def as_dict(self) -> dict[str, float]:
        """Plain values, for JSON."""
        return asdict(self)


def target_value(light: NDArray[np.float32], exposure: Exposure, full: float = 1.0) -> NDArray[np.float32]:
    """(N,) Munsell value to paint where this much light falls; `full` is the light of the best-lit spot (Rig.full).

    Painted light must look as light does: its luminance is proportional to the light between the primer's and the
    white's, and only then is it counted in value, which is how the eye spaces it.
    """
    dark, bright = luminance_from_munsell([exposure.primer, exposure.white])
    Y = dark + (bright - dark) * np.clip(light * np.float32(exposure.gain / full), 0, 1)
    return munsell_from_luminance(Y).astype(np.float32)
