"""A glowing plane that stands where nobody has placed it yet: lava under the feet, a kiln's mouth beside them."""

import numpy as np

from ..errors import SettingError
from ..sculpt.surface import Surface
from .emitter import Source

SIDES = {  # as one looks at the front of the model; the way the plane shines
    "under": (0.0, 0.0, 1.0),
    "left": (1.0, 0.0, 0.0),
    "right": (-1.0, 0.0, 0.0),
    "front": (0.0, 1.0, 0.0),
    "behind": (0.0, -1.0, 0.0),
}
UNDER_MM, UNDER_TIMES = 1.0, 1.5  # below the feet, and so many times as wide as they
GAP, WIDE, HIGH = 0.15, 0.6, 0.5  # of the sculpt's height: off its side, wide and high


def plane_at(surface: Surface, side: str) -> Source:
    """A plane on one side of a sculpt, that shines on it.

    Raises:
        SettingError: no such side.
    """
    if side not in SIDES:
        raise SettingError(f"a plane stands {', '.join(SIDES)}, not '{side[:40]}'")
    low, high = surface.points.min(axis=0).astype(float), surface.points.max(axis=0).astype(float)
    middle, normal = (low + high) / 2, np.array(SIDES[side])
    if side == "under":
        wide = UNDER_TIMES * float(np.ptp([low[:2], high[:2]], axis=0).max())
        at, width, height = np.array([middle[0], middle[1], low[2] - UNDER_MM]), wide, wide
    else:
        width, height = WIDE * surface.height, HIGH * surface.height
        at = middle - normal * ((high - low) / 2 @ np.abs(normal) + GAP * surface.height)
        at[2] = low[2] + height / 2
    x, y, z = (float(v) for v in at)
    return Source("plane", 0, (x, y, z), 1.0, SIDES[side], max(width, 1.0), max(height, 1.0))
