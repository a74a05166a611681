"""Texture: relief at the scale of a brush, without the form it lies on."""

import numpy as np
from numpy.typing import NDArray

from .surface import Surface, smoothed

# radii: what is averaged away as texture, and as form, on a model USUAL_HEIGHT high. From memory
FINE_MM, FORM_MM = 0.45, 1.6
USUAL_HEIGHT = 32.0
MOST_ROUNDS = 60


def texture_mm(surface: Surface) -> NDArray[np.float32]:
    """(N,) mm that a spot stands out of, or lies in, its surroundings at the scale of a brush.

    What a spot lies above the mean of its near surroundings, along the normal of the form, less the same of its
    surroundings: of a smooth arm, however thin, nothing is left; of scales, fur or mail their depth.
    """
    size = surface.height / USUAL_HEIGHT
    fine, form = (_rounds(surface, mm * max(size, 0.5)) for mm in (FINE_MM, FORM_MM))
    points = surface.points.astype(np.float32)
    near = np.column_stack([smoothed(surface, np.ascontiguousarray(points[:, k]), fine) for k in range(3)])
    normal = np.column_stack([smoothed(surface, np.ascontiguousarray(surface.normals[:, k]), form) for k in range(3)])
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-6)[:, None]
    above = np.einsum("ij,ij->i", points - near, normal).astype(np.float32)
    for _ in range(2):  # of a fold, that is form, some is left the first time
        above = above - smoothed(surface, above, fine)
    return above


def _rounds(surface: Surface, mm: float) -> int:
    """Rounds of smoothing that average over about so many mm: each moves by about a spacing, and they add up as steps
    of a random walk do."""
    return int(np.clip(round((mm / max(surface.spacing, 1e-6)) ** 2), 1, MOST_ROUNDS))
