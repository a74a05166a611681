"""What a camera with a lens sees of a surface: one ray a pixel."""

import numpy as np
from numpy.typing import NDArray

from ..sculpt.surface import Surface
from ..view.raster import Snapshot
from .pinhole import Pinhole


def seen_by(surface: Surface, camera: Pinhole, width: int, height: int) -> Snapshot:
    """What is seen in each pixel of a picture of so many, ready to be painted with any field."""
    own = camera.sized(width, height)
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    pixels = np.column_stack([x.ravel(), y.ravel()])
    corners = np.full((height * width, 3), -1, np.int32)
    weights = np.zeros((height * width, 3), np.float32)
    inside = np.flatnonzero(_near(surface, own, pixels))
    if len(inside):
        toward = own.rays(pixels[inside]).astype(np.float32)
        origins = np.broadcast_to(np.asarray(own.position, np.float32), toward.shape)
        face, u, v = surface.caster.first_hits_along(np.ascontiguousarray(origins), toward)
        hit = face >= 0
        corners[inside[hit]] = surface.faces[face[hit]]
        weights[inside] = np.stack([1 - u - v, u, v], axis=1)
    return Snapshot(corners.reshape(height, width, 3), weights.reshape(height, width, 3), 0.0)


def _near(surface: Surface, camera: Pinhole, pixels: NDArray) -> NDArray[np.bool_]:
    """(P,) the pixels within the bounds of the surface in the picture: no ray is cast past it."""
    at, depth = camera.project(surface.outermost)
    if (depth <= 0).any():
        return np.ones(len(pixels), np.bool_)
    low, high = at.min(axis=0) - 2, at.max(axis=0) + 2
    return ((pixels >= low) & (pixels <= high)).all(axis=1)
