"""Triangles as they come from a file, before they become a working surface."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray


def summed(index: NDArray, weights: NDArray, count: int) -> NDArray[np.float64]:
    """(count,) float64: the weights summed by index."""
    return np.bincount(index, weights, minlength=count).astype(np.float64, copy=False)


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
        used = np.zeros(len(self.vertices), np.bool_)
        used[self.faces.ravel()] = True
        # column by column: numpy reduces a narrow array along its first axis many times slower
        return np.array([[pick(self.vertices[used, k]) for k in range(3)] for pick in (np.min, np.max)])

    def corners(self) -> NDArray[np.float64]:
        """(F, 3, 3) float64 corner points; float64 because areas and volumes are sums over a million terms."""
        return self.vertices[self.faces].astype(np.float64)

    def crosses(self) -> NDArray[np.float64]:
        """(F, 3) float64: a face's normal, twice its area long."""
        c = self.corners()
        u, v = c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]
        out = np.empty_like(u)
        for k in range(3):  # np.cross makes three times the temporaries
            i, j = (k + 1) % 3, (k + 2) % 3
            np.multiply(u[:, i], v[:, j], out=out[:, k])
            out[:, k] -= u[:, j] * v[:, i]
        return out

    def face_areas(self) -> NDArray[np.float64]:
        """(F,) float64, in the square of the file's unit."""
        n = self.crosses()
        return np.sqrt(np.einsum("ij,ij->i", n, n)) / 2

    def area(self) -> float:
        """Whole area, in the square of the file's unit."""
        return float(self.face_areas().sum())

    def volume(self) -> float:
        """Signed volume by the divergence theorem; only means something for closed shells that face outward."""
        c = self.corners() - self.bounds.mean(axis=0)  # near the origin, so that large coordinates cancel less
        return float(np.einsum("ij,ij->", c[:, 0], np.cross(c[:, 1], c[:, 2])) / 6)
