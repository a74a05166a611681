"""What a camera with a lens sees of a surface: one ray a pixel, or the outline alone."""

import numba
import numpy as np
from numpy.typing import NDArray

from ..sculpt.mesh import Mesh
from ..sculpt.surface import Surface
from ..view.raster import Snapshot
from .pinhole import Pinhole


def seen_by(surface: Surface, camera: Pinhole, width: int, height: int) -> Snapshot:
    """What is seen in each pixel of a picture of so many, ready to be painted with any field."""
    sized = camera.sized(width, height)
    corners, weights = np.full((height, width, 3), -1, np.int32), np.zeros((height, width, 3), np.float32)
    near = _near(surface, sized)
    x, y = np.meshgrid(np.arange(width)[near[1]] + 0.5, np.arange(height)[near[0]] + 0.5)
    if x.size:
        toward = sized.rays(np.column_stack([x.ravel(), y.ravel()])).astype(np.float32)
        origins = np.broadcast_to(np.asarray(sized.position, np.float32), toward.shape)
        face, u, v = surface.caster.first_hits_along(np.ascontiguousarray(origins), toward)
        met = np.where((face >= 0)[:, None], surface.faces[np.maximum(face, 0)], -1)
        corners[near] = met.reshape(*x.shape, 3)
        weights[near] = np.stack([1 - u - v, u, v], axis=1).reshape(*x.shape, 3)
    return Snapshot(corners, weights, 0.0)


def pixels_covered(mesh: Mesh, camera: Pinhole) -> NDArray[np.bool_]:
    """(H, W) the pixels whose middle a mesh covers: its faces are filled as they lie in the picture. Of a few
    thousand faces that is a third of the time of a ray a pixel, and the same. For a lens that does not bend lines."""
    out = np.zeros((camera.height, camera.width), np.bool_)
    _fill(*camera.project(mesh.vertices), mesh.faces, out)
    return out


@numba.njit(cache=True, nogil=True)
def _fill(at, depth, faces, out):
    """Pixels whose middle lies in a face, by the sides of its three edges; (N, 2) and (N,) of corners."""
    height, width = out.shape
    for k in range(len(faces)):
        a, b, c = faces[k, 0], faces[k, 1], faces[k, 2]
        if depth[a] <= 0 or depth[b] <= 0 or depth[c] <= 0:
            continue
        ax, ay, bx, by, cx, cy = at[a, 0], at[a, 1], at[b, 0], at[b, 1], at[c, 0], at[c, 1]
        left, right = max(np.ceil(min(ax, bx, cx) - 0.5), 0.0), min(np.floor(max(ax, bx, cx) - 0.5), width - 1.0)
        top, bottom = max(np.ceil(min(ay, by, cy) - 0.5), 0.0), min(np.floor(max(ay, by, cy) - 0.5), height - 1.0)
        for row in range(int(top), int(bottom) + 1):
            y = row + 0.5
            for column in range(int(left), int(right) + 1):
                if out[row, column]:
                    continue
                x = column + 0.5
                one = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
                two = (cx - bx) * (y - by) - (cy - by) * (x - bx)
                three = (ax - cx) * (y - cy) - (ay - cy) * (x - cx)
                if (one >= 0 and two >= 0 and three >= 0) or (one <= 0 and two <= 0 and three <= 0):
                    out[row, column] = True


def _near(surface: Surface, camera: Pinhole) -> tuple[slice, slice]:
    """Rows and columns of the pixels within the bounds of the surface in the picture: no ray is cast past it."""
    at, depth = camera.project(surface.outermost)
    if (depth <= 0).any():
        return slice(0, camera.height), slice(0, camera.width)
    low, high = at.min(axis=0) - 2, at.max(axis=0) + 2  # the middle of a pixel is a half further on than its number
    first, last = np.maximum(np.ceil(low - 0.5), 0).astype(int), np.floor(high - 0.5).astype(int) + 1
    last = np.maximum(np.minimum(last, (camera.width, camera.height)), first)
    return slice(first[1], last[1]), slice(first[0], last[0])
