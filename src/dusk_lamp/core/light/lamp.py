"""The lamp: where it is and how large it looks."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..directions import cap_round, direction_of
from ..plain import checked, number

LARGEST_DEG = 120.0  # an overcast window; larger is sky, which has its own setting


@dataclass(frozen=True)
class Lamp:
    """One distant lamp.

    azimuth: degrees, 0 in front, +90 to the viewer's right, 180 behind.
    elevation: degrees, 90 straight above, 0 at the horizon, −90 straight below.
    size: angular diameter in degrees, 0 (a hard point) to 120.
    """

    azimuth: float = number(0.0, -3600, 3600, "the lamp's direction", "degrees")
    elevation: float = number(90.0, -90, 90, "the lamp's height", "degrees")
    size: float = number(0.0, 0, LARGEST_DEG, "the lamp's size", "degrees", step=1)

    def __post_init__(self) -> None:
        checked(self)

    @property
    def direction(self) -> NDArray[np.float32]:
        """(3,) unit vector to the middle of the lamp. Axes as in docs/conventions.md."""
        return direction_of(self.azimuth, self.elevation)

    def pattern(self, rays: int) -> NDArray[np.float32]:
        """(K, 3) unit vectors to K fixed places on the lamp's disc, each standing for an equal solid angle; one
        where the lamp is a point."""
        if self.size == 0 or rays == 1:
            return self.direction[None]
        return cap_round(self.direction, np.radians(self.size / 2), rays)
