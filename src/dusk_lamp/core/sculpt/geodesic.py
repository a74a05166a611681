"""Geodesic distance: how far spots are apart along the skin, in mm."""

import heapq

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from .mesh import summed
from .relief import Bends
from .surface import Surface

BACK = 30  # places on the way back that a straight line is tried from
TURNED = 1.2  # radians between the normals of its ends, beyond which a line is not straight along the skin any more


def along_the_skin(surface: Surface, bends: Bends, spots: NDArray, most: float = np.inf) -> NDArray[np.float32]:
    """(N,) mm along the skin from the nearest of some spots (S, 3); inf where none can be reached without leaving it,
    or not within `most` mm.

    Dijkstra's way over the edges, with every step drawn straight from as far back as the skin stays smooth (after
    Campen and Kobbelt, 2013, who sum up the last few edges as vectors); a line between two spots whose normals differ
    by an angle is as long as the arc that turns by it. Right to about 1 % where faces are of even shape; long thin
    ones make it up to some 5 % longer on their way across.

    Raises:
        SettingError: no spot, or one far off the sculpt.
    """
    spots = np.atleast_2d(np.asarray(spots, np.float64))
    if spots.shape[1:] != (3,) or not len(spots) or not np.isfinite(spots).all():
        raise SettingError("a hot spot is three numbers in mm")
    mesh = bends.joined
    points = np.ascontiguousarray(mesh.vertices, np.float64)
    faces = np.ascontiguousarray(mesh.faces, np.int64)
    across = np.cross(points[faces[:, 1]] - points[faces[:, 0]], points[faces[:, 2]] - points[faces[:, 0]])
    corners, three = faces.ravel(), np.repeat(across, 3, axis=0)
    normal = np.stack([summed(corners, three[:, k], len(points)) for k in range(3)], axis=1)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-30)[:, None]
    pairs = bends.edges.ends.astype(np.int64)
    both = np.concatenate([pairs, pairs[:, ::-1]])
    both = both[np.argsort(both[:, 0], kind="stable")]
    start = np.searchsorted(both[:, 0], np.arange(len(points) + 1))
    nearest = []
    for spot in spots:
        off = np.linalg.norm(points - spot, axis=1)
        k = int(np.argmin(off))
        if off[k] > max(0.1 * surface.size, 1.0):
            raise SettingError("a hot spot lies off the sculpt; put it on the surface")
        nearest.append(k)
    far = _spread(points, normal, start, np.ascontiguousarray(both[:, 1]), np.array(nearest, np.int64), float(most))
    return far[bends.place].astype(np.float32)


@numba.njit(cache=True)
def _spread(points, normal, start, other, sources, most):
    count = len(points)
    far = np.full(count, np.inf)
    before = np.full(count, -1, np.int64)
    done = np.zeros(count, np.bool_)
    heap = [(0.0, sources[0])]
    far[sources[0]] = 0.0
    for s in sources[1:]:
        far[s] = 0.0
        heapq.heappush(heap, (0.0, s))
    while heap:
        at, v = heapq.heappop(heap)
        if done[v]:
            continue
        if at > most:
            break
        done[v] = True
        for e in range(start[v], start[v + 1]):
            w = other[e]
            if done[w]:
                continue
            best = np.inf
            u = v
            for _ in range(BACK):
                dx, dy, dz = points[w, 0] - points[u, 0], points[w, 1] - points[u, 1], points[w, 2] - points[u, 2]
                chord = np.sqrt(dx * dx + dy * dy + dz * dz)
                same = normal[w, 0] * normal[u, 0] + normal[w, 1] * normal[u, 1] + normal[w, 2] * normal[u, 2]
                angle = np.arccos(min(max(same, -1.0), 1.0))
                if angle > TURNED:
                    if u == v:
                        best = min(best, far[u] + chord)
                    break
                bent = chord if angle < 1e-4 else chord * (angle / 2) / np.sin(angle / 2)
                best = min(best, far[u] + bent)
                u = before[u]
                if u < 0:
                    break
            if best < far[w]:
                far[w] = best
                before[w] = v
                heapq.heappush(heap, (best, w))
    for v in range(count):
        if not done[v]:
            far[v] = np.inf
    return far
