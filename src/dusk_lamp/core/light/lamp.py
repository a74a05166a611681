"""The lamp: where it is and how large it looks."""

from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError

LARGEST_DEG = 120.0  # an overcast window; larger is sky, which has its own setting
GOLDEN_TURN = np.pi * (3 - np.sqrt(5))


@dataclass(frozen=True)
class Lamp:
    """One distant lamp.

    azimuth: degrees, 0 in front, +90 to the viewer's right, 180 behind.
    elevation: degrees, 90 straight above, 0 at the horizon, −90 straight below.
    size: angular diameter in degrees, 0 (a hard point) to 120.
    """

    azimuth: float = 0.0
    elevation: float = 90.0
    size: float = 0.0

    def __post_init__(self) -> None:
        if not np.isfinite([self.azimuth, self.elevation, self.size]).all():
            raise SettingError("the lamp's direction and size must be numbers")
        if not -90 <= self.elevation <= 90:
            raise SettingError(f"the lamp's elevation is between −90 and 90 degrees, not {self.elevation:g}")
        if not 0 <= self.size <= LARGEST_DEG:
            raise SettingError(f"the lamp's size is between 0 and {LARGEST_DEG:g} degrees, not {self.size:g}")

    @property
    def direction(self) -> NDArray[np.float32]:
        """(3,) unit vector to the middle of the lamp. Axes as in docs/conventions.md."""
        return direction_of(self.azimuth, self.elevation)

    def as_dict(self) -> dict[str, float]:
        """Plain values, for JSON."""
        return asdict(self)

    def pattern(self, rays: int) -> NDArray[np.float32]:
        """(K, 3) unit vectors to K fixed places on the lamp's disc, each standing for an equal solid angle.

        One ray where the lamp is a point. Source: Vogel (1979), sunflower spiral, laid on a spherical cap: stratified
        in radius, never two places on one line, so a straight shadow edge cuts off the right share from any side.
        """
        toward = self.direction.astype(np.float64)
        if self.size == 0 or rays == 1:
            return toward[None].astype(np.float32)
        i = np.arange(rays)
        cos = 1 - (i + 0.5) / rays * (1 - np.cos(np.radians(self.size / 2)))
        sin = np.sqrt(1 - cos * cos)
        side = np.cross(toward, [0.0, 0, 1] if abs(toward[2]) < 0.9 else [1.0, 0, 0])
        side /= np.linalg.norm(side)
        over = np.cross(toward, side)
        turn = i * GOLDEN_TURN
        spread = cos[:, None] * toward + (sin * np.cos(turn))[:, None] * side + (sin * np.sin(turn))[:, None] * over
        return spread.astype(np.float32)


def direction_of(azimuth: float, elevation: float) -> NDArray[np.float32]:
    """(3,) unit vector toward an azimuth and elevation in degrees: (cos el·sin az, −cos el·cos az, sin el)."""
    a, e = np.radians(azimuth), np.radians(elevation)
    return np.array([np.cos(e) * np.sin(a), -np.cos(e) * np.cos(a), np.sin(e)], np.float32)
