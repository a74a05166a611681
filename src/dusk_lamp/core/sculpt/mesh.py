"""Triangles as they come from a file, before they become a working surface."""

from dataclasses import dataclass
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray


def summed(index: NDArray, weights: NDArray, count: int) -> NDArray[np.float64]:
    """(count,) float64: the weights summed by index."""
    return np.bincount(index, weights, minlength=count).astype(np.float64, copy=False)


def evenly(places: NDArray, most: int) -> NDArray:
    """At most so many of some places, evenly chosen; the first and the last are among them."""
    return places[np.linspace(0, len(places) - 1, min(most, len(places))).astype(np.int64)]


@numba.njit(cache=True, nogil=True)
def _bounds(vertices, faces):
    """(2, 3) lowest and highest of the vertices that some face uses."""
    out = np.empty((2, 3), vertices.dtype)
    out[0], out[1] = vertices[faces[0, 0]], vertices[faces[0, 0]]
    for f in range(len(faces)):
        for c in range(3):
            v = faces[f, c]
            for k in range(3):
                out[0, k] = min(out[0, k], vertices[v, k])
                out[1, k] = max(out[1, k], vertices[v, k])
    return out


@numba.njit(cache=True, nogil=True)
def sides(vertices, a, b, c):
    """The ways from corner a of a face to its corners b and c, six float64, since areas are sums of a million."""
    return (
        np.float64(vertices[b, 0]) - np.float64(vertices[a, 0]),
        np.float64(vertices[b, 1]) - np.float64(vertices[a, 1]),
        np.float64(vertices[b, 2]) - np.float64(vertices[a, 2]),
        np.float64(vertices[c, 0]) - np.float64(vertices[a, 0]),
        np.float64(vertices[c, 1]) - np.float64(vertices[a, 1]),
        np.float64(vertices[c, 2]) - np.float64(vertices[a, 2]),
    )


@numba.njit(cache=True, nogil=True)
def cross(u0, u1, u2, v0, v1, v2):
    """The cross product of two ways; of the sides of a face its normal, twice its area long."""
    return u1 * v2 - u2 * v1, u2 * v0 - u0 * v2, u0 * v1 - u1 * v0


@numba.njit(cache=True, parallel=True)
def _crosses(vertices, faces):
    """(F, 3) float64, a face's normal, twice its area long."""
    out = np.empty((len(faces), 3), np.float64)
    for f in numba.prange(len(faces)):
        a, b, c = faces[f]
        out[f, 0], out[f, 1], out[f, 2] = cross(*sides(vertices, a, b, c))
    return out


@numba.njit(cache=True, parallel=True)
def _areas(vertices, faces):
    """(F,) float64."""
    out = np.empty(len(faces), np.float64)
    for f in numba.prange(len(faces)):
        a, b, c = faces[f]
        x, y, z = cross(*sides(vertices, a, b, c))
        out[f] = np.sqrt(x * x + y * y + z * z) / 2
    return out


@numba.njit(cache=True, parallel=True)
def _middles(vertices, faces):
    """(F, 3) float64 middles of faces."""
    out = np.empty((len(faces), 3), np.float64)
    for f in numba.prange(len(faces)):
        a, b, c = faces[f]
        for k in range(3):
            out[f, k] = (np.float64(vertices[a, k]) + np.float64(vertices[b, k]) + np.float64(vertices[c, k])) / 3
    return out


@numba.njit(cache=True, nogil=True)
def _longest_sides(vertices, faces):
    """(F,) length of the longest side of each face."""
    out = np.empty(len(faces), np.float32)
    for f in range(len(faces)):
        most = 0.0
        for k in range(3):
            a, b = faces[f, k], faces[f, (k + 1) % 3]
            x, y, z = (
                vertices[b, 0] - vertices[a, 0],
                vertices[b, 1] - vertices[a, 1],
                vertices[b, 2] - vertices[a, 2],
            )
            most = max(most, x * x + y * y + z * z)
        out[f] = np.sqrt(most)
    return out


@dataclass(frozen=True)
class Mesh:
    """Triangles in the file's own axes and units.

    vertices: (V, 3) float32. faces: (F, 3) int32, each row three indices into vertices.
    """

    vertices: NDArray[np.float32]
    faces: NDArray[np.int32]

    @cached_property
    def bounds(self) -> NDArray[np.float32]:
        """(2, 3) lowest and highest corner of the vertices that some face uses."""
        return _bounds(self.vertices, self.faces)

    def corners(self) -> NDArray[np.float64]:
        """(F, 3, 3) float64 corner points; float64 because areas and volumes are sums over a million terms."""
        return self.vertices[self.faces].astype(np.float64)

    def middles(self) -> NDArray[np.float64]:
        """(F, 3) float64 middle of each face."""
        return _middles(self.vertices, np.ascontiguousarray(self.faces))

    def longest_sides(self) -> NDArray[np.float32]:
        """(F,) float32 length of the longest side of each face."""
        return _longest_sides(self.vertices, self.faces)

    def crosses(self) -> NDArray[np.float64]:
        """(F, 3) float64: a face's normal, twice its area long."""
        return _crosses(self.vertices, np.ascontiguousarray(self.faces))

    def face_areas(self) -> NDArray[np.float64]:
        """(F,) float64, in the square of the file's unit."""
        return _areas(self.vertices, self.faces)

    def area(self) -> float:
        """Whole area, in the square of the file's unit."""
        return float(self.face_areas().sum())

    def volume(self) -> float:
        """Signed volume by the divergence theorem; only means something for closed shells that face outward."""
        c = self.corners() - self.bounds.mean(axis=0)  # near the origin, so that large coordinates cancel less
        return float(np.einsum("ij,ij->", c[:, 0], np.cross(c[:, 1], c[:, 2])) / 6)
