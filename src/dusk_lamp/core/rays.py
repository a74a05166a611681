"""Rays: what a straight line runs into, cast by Embree."""

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from .embree import RayLook, Scene
from .errors import SettingError

THREADS = max(1, min(8, os.cpu_count() or 1))
Index = TypeVar("Index")
STRETCH = 8192  # samples that are cast from together, toward one direction after the other

# Embree lets go of the interpreter while it casts, so plain threads use every core; one pool for the whole process
# keeps two open tabs from crowding the machine.
_pool = ThreadPoolExecutor(THREADS, thread_name_prefix="rays")


class Caster:
    """Triangles made ready for rays. Both sides of a triangle block, so holes and odd windings do no harm.

    vertices: (V, 3) float32. faces: (F, 3) int32. Building it takes about 0.1 s for 300 k triangles. robust: see
    `embree.Scene`.
    """

    def __init__(self, vertices: NDArray[np.float32], faces: NDArray[np.int32], robust: bool = True) -> None:
        # Embree's own tolerances assume lengths near 1, so the shape is brought to a unit box first.
        low, high = vertices.min(axis=0), vertices.max(axis=0)
        self._centre = ((low + high) / 2).astype(np.float32)
        self._scale = np.float32(1 / max(float((high - low).max()), 1e-30))
        self._scene = Scene(self._to_box(vertices), faces, robust)

    def _to_box(self, points: NDArray[np.float32]) -> NDArray[np.float32]:
        if not np.isfinite(points).all():
            raise SettingError("a place that is no number cannot be looked from")
        return np.ascontiguousarray((points - self._centre) * self._scale, dtype=np.float32)

    def blocked(self, origins: NDArray[np.float32], direction: NDArray[np.float32]) -> NDArray[np.bool_]:
        """(N,) whether anything lies on the way from each origin (N, 3) toward one direction (3,)."""
        boxed = self._to_box(origins)
        if len(boxed) < 4096:  # below this the hand-over to threads costs more than the rays
            return self.boxed_blocked(boxed, direction)
        return np.concatenate(_in_parts(lambda part: self.boxed_blocked(part, direction), boxed))

    def boxed(self, origins: NDArray[np.float32]) -> NDArray[np.float32]:
        """Origins brought to the caster's own box, for those who cast from them toward many directions."""
        return self._to_box(origins)

    def boxed_blocked(
        self, boxed: NDArray[np.float32], direction: NDArray[np.float32], reach: float | None = None
    ) -> NDArray[np.bool_]:
        """As `blocked`, from origins already boxed, on the calling thread. reach: as of `boxed_first_face`."""
        return self._scene.occluded(boxed, _row(direction), self._far(reach))

    def boxed_first_face(
        self, boxed: NDArray[np.float32], direction: NDArray[np.float32], reach: float | None = None
    ) -> NDArray[np.int32]:
        """(N,) index of the first face met from boxed origins toward one direction (3,), or −1.

        reach: how far to look, in the caster's own unit of length; None for as far as there is.
        """
        return self._scene.met(boxed, _row(direction), self._far(reach))[0]

    def boxed_looked(
        self,
        boxed: NDArray[np.float32],
        normals: NDArray[np.float32],
        directions: NDArray[np.float32],
        wanted: NDArray[np.bool_],
    ) -> RayLook:
        """What boxed origins see along all directions that they face, on the calling thread; see `Scene.looked`."""
        return self._scene.looked(boxed, normals, _ways(directions), wanted)

    def _far(self, reach: float | None) -> NDArray[np.float32] | None:
        return None if reach is None else np.full(1, reach * self._scale, np.float32)

    def blocked_before(self, origins: NDArray[np.float32], place: NDArray[np.float32]) -> NDArray[np.bool_]:
        """(N,) whether anything lies between each origin (N, 3) and one place (3,)."""
        way = np.asarray(place, np.float32) - origins
        far = np.linalg.norm(way, axis=1)
        toward = np.ascontiguousarray(way / np.maximum(far, 1e-9)[:, None], np.float32)
        reach = np.ascontiguousarray(far * self._scale, np.float32)
        return np.concatenate(_in_parts(self._scene.occluded, self._to_box(origins), toward, reach))

    def hidden_from(
        self, origins: NDArray[np.float32], place: NDArray[np.float32], short: float
    ) -> NDArray[np.bool_]:
        """(N,) whether anything lies between each origin (N, 3) and one place (3,), the last `short` mm left out; on
        the calling thread."""
        way = place - origins
        far = np.linalg.norm(way, axis=1)
        toward = np.ascontiguousarray(way / np.maximum(far, 1e-9)[:, None], np.float32)
        reach = np.ascontiguousarray(np.maximum(far - np.float32(short), 0) * self._scale, np.float32)
        return self._scene.occluded(self._to_box(origins), toward, reach)

    def first_hits(
        self, origins: NDArray[np.float32], direction: NDArray[np.float32]
    ) -> tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float32]]:
        """First face (N,) or −1 toward one direction, with the barycentric u and v (N,) of the place met."""
        toward = _row(direction)
        return _faces_and_places(_in_parts(lambda part: self._scene.met(part, toward), self._to_box(origins)))

    def first_hits_along(
        self, origins: NDArray[np.float32], directions: NDArray[np.float32]
    ) -> tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float32]]:
        """The same from each origin (N, 3) toward a direction (N, 3) of its own."""
        toward = np.ascontiguousarray(directions, np.float32)
        return _faces_and_places(_in_parts(self._scene.met, self._to_box(origins), toward))

    def passed(
        self, origin: NDArray[np.float32], direction: NDArray[np.float32], most: int = 64
    ) -> Iterator[tuple[int, float, NDArray[np.float64]]]:
        """The faces one ray passes through, nearest first: number, distance, and place (3,) in the caster's unit."""
        at = self._to_box(np.asarray(origin, np.float32).reshape(1, 3))
        toward = (direction / np.linalg.norm(direction)).astype(np.float32).reshape(1, 3)
        far = 0.0
        for _ in range(most):
            face, distance, _, _ = self._scene.met(at, toward)
            if face[0] < 0:
                return
            step = float(distance[0])
            far += step
            at = (at + toward * np.float32(step)).astype(np.float32)
            yield int(face[0]), far / float(self._scale), at[0].astype(float) / self._scale + self._centre
            at = (at + toward * np.float32(2e-6)).astype(np.float32)

    def first_distance(self, origins: NDArray[np.float32], directions: NDArray[np.float32]) -> NDArray[np.float32]:
        """(N,) how far it is from each origin (N, 3) to the first face toward its own direction (N, 3); inf for
        none."""
        face, distance, _, _ = self._scene.met(self._to_box(origins), directions)
        return np.where(face >= 0, np.minimum(distance, 1e9) / self._scale, np.inf).astype(np.float32)

    def crossings(self, origin: NDArray[np.float32], direction: NDArray[np.float32], most: int = 4096) -> int:
        """How many faces one ray passes through; odd means the origin lies inside a closed shape."""
        at = self._to_box(np.asarray(origin, np.float32).reshape(1, 3))
        toward = (direction / np.linalg.norm(direction)).astype(np.float32).reshape(1, 3)
        count = 0
        while count < most:
            face, distance, _, _ = self._scene.met(at, toward)
            if face[0] < 0:
                break
            count += 1
            at = (at + toward * (distance[0] + np.float32(1e-6))).astype(np.float32)
        return count


def _row(direction: NDArray[np.float32]) -> NDArray[np.float32]:
    return _ways(direction).reshape(1, 3)


def _ways(directions: NDArray[np.float32]) -> NDArray[np.float32]:
    # a ray that is no number never comes back: it would keep the pool for good
    if not np.isfinite(directions).all():
        raise SettingError("a direction that is no number cannot be looked along")
    return np.ascontiguousarray(directions, dtype=np.float32)


def _in_parts(job: Callable[..., Any], *rays: NDArray) -> list[Any]:
    """What a job finds for rays, whose arrays (N, …) are cut alike, a part of them on each core."""
    parts = zip(*(np.array_split(chunk, THREADS) for chunk in rays), strict=True)
    return list(_pool.map(lambda part: job(*part), parts))


def _faces_and_places(found: list[Any]) -> tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float32]]:
    face, _, u, v = (np.concatenate(part) for part in zip(*found, strict=True))
    return face, u, v


def stretches(count: int) -> list[slice]:
    """So many samples in stretches. Those of one lie side by side, so that their rays, in any direction, meet the
    same boxes: these stay in the cache, which two threads share."""
    return [slice(start, min(start + STRETCH, count)) for start in range(0, count, STRETCH)]


def in_threads(job: Callable[[Index], None], indices: Iterable[Index]) -> None:
    """Run one job per index on the machine's cores; the first failure is raised."""
    for _ in _pool.map(job, indices):
        pass
