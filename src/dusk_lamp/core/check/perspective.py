"""What a camera with a lens sees of a surface: one ray a pixel."""

import numpy as np

from ..sculpt.surface import Surface
from ..view.raster import Snapshot
from .pinhole import Pinhole


def seen_by(surface: Surface, camera: Pinhole, width: int, height: int) -> Snapshot:
    """What is seen in each pixel of a picture of so many, ready to be painted with any field."""
    own = camera.sized(width, height)
    corners, weights = np.full((height, width, 3), -1, np.int32), np.zeros((height, width, 3), np.float32)
    near = _near(surface, own)
    x, y = np.meshgrid(np.arange(width)[near[1]] + 0.5, np.arange(height)[near[0]] + 0.5)
    if x.size:
        toward = own.rays(np.column_stack([x.ravel(), y.ravel()])).astype(np.float32)
        origins = np.broadcast_to(np.asarray(own.position, np.float32), toward.shape)
        face, u, v = surface.caster.first_hits_along(np.ascontiguousarray(origins), toward)
        met = np.where((face >= 0)[:, None], surface.faces[np.maximum(face, 0)], -1)
        corners[near] = met.reshape(*x.shape, 3)
        weights[near] = np.stack([1 - u - v, u, v], axis=1).reshape(*x.shape, 3)
    return Snapshot(corners, weights, 0.0)


def _near(surface: Surface, camera: Pinhole) -> tuple[slice, slice]:
    """Rows and columns of the pixels within the bounds of the surface in the picture: no ray is cast past it."""
    at, depth = camera.project(surface.outermost)
    if (depth <= 0).any():
        return slice(0, camera.height), slice(0, camera.width)
    low, high = at.min(axis=0) - 2, at.max(axis=0) + 2  # the middle of a pixel is a half further on than its number
    first, last = np.maximum(np.ceil(low - 0.5), 0).astype(int), np.floor(high - 0.5).astype(int) + 1
    last = np.maximum(np.minimum(last, (camera.width, camera.height)), first)
    return slice(first[1], last[1]), slice(first[0], last[0])
