"""Directions: azimuth and elevation, frames and rings round an axis, even spreads, and where a thing comes from in
words.

Axes and angles are those of docs/conventions.md: azimuth 0 in front, +90 to the viewer's right; elevation 90
straight above.
"""

from collections.abc import Iterable

import numpy as np
from numpy.typing import ArrayLike, NDArray

from .plain import Range

# as a form asks for them; turned further round, a direction is another's
AZIMUTH = Range("a direction", -180, 180, "degrees", 1)
ELEVATION = Range("a height", -90, 90, "degrees", 1)
GOLDEN_TURN = np.pi * (3 - np.sqrt(5))
STEEP = 0.9  # an axis that rises more than this is framed by the x axis, or the frame would be ill-defined
BEARINGS = (
    "the front",
    "the front right",
    "the right",
    "the back right",
    "the back",
    "the back left",
    "the left",
    "the front left",
)
STRAIGHT_UP = 80.0  # degrees above which nobody tells a direction from straight above
LEVEL = 10.0  # degrees within which a hand calls it level


def direction_of(azimuth: float, elevation: float) -> NDArray[np.float32]:
    """(3,) unit vector toward an azimuth and elevation in degrees: (cos el·sin az, −cos el·cos az, sin el)."""
    a, e = np.radians(azimuth), np.radians(elevation)
    return np.array([np.cos(e) * np.sin(a), -np.cos(e) * np.cos(a), np.sin(e)], np.float32)


def angles_of(direction: ArrayLike) -> tuple[float, float]:
    """Azimuth and elevation, degrees, of a vector (3,) that is not nothing: `direction_of` turned round."""
    x, y, z = np.asarray(direction, np.float64) / np.linalg.norm(direction)
    return float(np.degrees(np.arctan2(x, -y))), float(np.degrees(np.arcsin(np.clip(z, -1, 1))))


DIAL_RIM = 0.28  # width of the zone below the horizon


def on_dial(azimuth: float, elevation: float) -> tuple[float, float]:
    """Where a direction stands on the dome seen from above: x to the right, y down toward the front, the horizon at
    1."""
    far = 1 - elevation / 90 if elevation >= 0 else 1 - DIAL_RIM * elevation / 90
    return float(far * np.sin(np.radians(azimuth))), float(far * np.cos(np.radians(azimuth)))


def cross_of(a: Iterable[float], b: Iterable[float]) -> NDArray[np.float64]:
    """(3,) the cross product of two vectors (3,): NumPy's own takes twenty times as long for a single pair."""
    (ax, ay, az), (bx, by, bz) = a, b
    return np.array([ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx], np.float64)


def frame_round(axis: ArrayLike) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Two unit vectors (3,) at right angles to an axis and to each other."""
    toward = np.asarray(axis, np.float64)
    side = cross_of(toward, [0.0, 0, 1] if abs(toward[2]) < STEEP else [1.0, 0, 0])
    side /= np.linalg.norm(side)
    return side, cross_of(toward, side)


def level_frame(azimuth: float, elevation: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Right and up (3,) of what is seen from a direction; right is level, so that a figure never leans."""
    a = np.radians(azimuth)
    right = np.array([np.cos(a), np.sin(a), 0.0])
    return right, cross_of(direction_of(azimuth, elevation).astype(np.float64), right)


def tilted(axis: ArrayLike, angle: ArrayLike, turn: ArrayLike) -> NDArray[np.float64]:
    """(K, 3) unit vectors at angles (K,) or one from an axis (3,), turned (K,) round it; radians."""
    side, over = frame_round(axis)
    out = np.multiply.outer(np.cos(angle) * np.ones(np.shape(turn)), np.asarray(axis, np.float64))
    around = np.multiply.outer(np.cos(turn), side) + np.multiply.outer(np.sin(turn), over)
    return out + np.asarray(np.sin(angle) * np.ones(np.shape(turn)))[..., None] * around


def ring_round(axis: ArrayLike, angle: float, count: int, start: float = 0.4) -> NDArray[np.float32]:
    """(count, 3) unit vectors evenly round an axis, at an angle from it; radians."""
    return tilted(axis, angle, start + np.arange(count) * 2 * np.pi / count).astype(np.float32)


def cap_round(axis: ArrayLike, radius: float, count: int) -> NDArray[np.float32]:
    """(count, 3) unit vectors within an angle (radians) of an axis, each for an equal solid angle.

    Source: Vogel (1979), sunflower spiral, laid on a spherical cap: stratified in radius, never two places on one
    line, so a straight edge cuts off the right share from any side.
    """
    i = np.arange(count)
    angle = np.arccos(1 - (i + 0.5) / count * (1 - np.cos(radius)))
    return tilted(axis, angle, i * GOLDEN_TURN).astype(np.float32)


def fibonacci_sphere(count: int) -> NDArray[np.float32]:
    """(count, 3) unit directions spread evenly over the whole sphere, from the top down.

    Source: Swinbank and Purser (2006), Fibonacci grids: equal-area rings turned by the golden angle.
    """
    i = np.arange(count)
    z = 1 - (2 * i + 1) / count
    turn = i * GOLDEN_TURN
    r = np.sqrt(1 - z * z)
    return np.stack([r * np.cos(turn), r * np.sin(turn), z], axis=1).astype(np.float32)


def far_apart(places: NDArray, count: int, first: int = 0) -> list[int]:
    """The numbers of so many places (P, D), each the one furthest from those before it, from a first one on."""
    chosen = [first]
    off = np.linalg.norm(places - places[first], axis=1)
    while len(chosen) < min(count, len(places)):
        chosen.append(int(np.argmax(off)))
        off = np.minimum(off, np.linalg.norm(places - places[chosen[-1]], axis=1))
    return chosen


def bearing(azimuth: float) -> str:
    """A direction on the ground in words, as the viewer sees the figure."""
    return BEARINGS[int(((azimuth + 22.5) % 360) // 45)]


def height_words(elevation: float) -> str:
    """How high or low a direction is: "30° above level", "level", "15° below level"."""
    if abs(elevation) < LEVEL / 2:
        return "level"
    return f"{abs(elevation):.0f}° {'above' if elevation > 0 else 'below'} level"


def from_words(azimuth: float, elevation: float) -> str:
    """Where something comes from: "from straight above", "from the front right, 30° above level"."""
    if elevation > STRAIGHT_UP:
        return "from straight above"
    if elevation < -STRAIGHT_UP:
        return "from straight below"
    return f"from {bearing(azimuth)}, {height_words(elevation)}"
