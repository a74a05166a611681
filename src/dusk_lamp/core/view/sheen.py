"""Sheen: what a painted model shows beside its colour where the lamp lies on it. Gloss adds the lamp's own white,
small and bright, or broad and faint on matt; a metallic paint sends its own colour toward the mirror and is darker
elsewhere."""

import numpy as np
from numpy.typing import NDArray

from ..sculpt.surface import Surface

FAINT, BRIGHT, BROAD, SMALL = 0.02, 0.75, 3.0, 140.0  # of matt and of gloss: strength, and power of the lobe
# of a metallic paint: gain toward the mirror, power of its lobe, loss elsewhere
LEAFS, LEAF_POWER, AWAY = 1.6, 10.0, 0.3
NUMBERS = (FAINT, BRIGHT, BROAD, SMALL, LEAFS, LEAF_POWER, AWAY)  # as the turntable is given them


def with_sheen(
    levels: NDArray[np.uint8],
    surface: Surface,
    finish: NDArray[np.float32],
    metal: NDArray[np.float32],
    lamp: NDArray,
    eye: NDArray,
) -> NDArray[np.uint8]:
    """(N, 3) sRGB levels with the sheen on them, as the turntable draws it.

    Args:
        finish: (N,) matt (0) to gloss (1). metal: (N,) share of metallic paint in sight. lamp, eye: (3,) directions.
    """
    half = np.asarray(lamp, float) + np.asarray(eye, float)
    half /= max(float(np.linalg.norm(half)), 1e-9)
    n = surface.normals.astype(np.float64)
    facing = np.clip(n @ half, 0, 1) * (n @ np.asarray(lamp, float) > 0)
    shown = levels.astype(np.float64) / 255
    leaf = 1 + metal * (LEAFS * facing**LEAF_POWER - AWAY)
    squared = finish.astype(np.float64) ** 2
    white = (FAINT + (BRIGHT - FAINT) * squared) * facing ** (BROAD + (SMALL - BROAD) * squared)
    out = shown * leaf[:, None] + white[:, None]
    return np.round(np.clip(out, 0, 1) * 255).astype(np.uint8)
