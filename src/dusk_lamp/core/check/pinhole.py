"""A camera with a lens: where it stands, where it looks, how long its lens is."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..directions import cross_of, direction_of

FULL_FRAME_MM = 36.0  # the width of a full-frame picture, that focal lengths are given for
UNDISTORTING = 8  # rounds until a lens is turned round to a thousandth of a pixel


@dataclass(frozen=True)
class Pinhole:
    """position: (3,) mm on the bench. toward: unit vector that it looks along. up: unit vector to the top of the
    picture. focal_px: focal length in pixels. width, height: pixels. k1: radial distortion (Brown), of the square of
    the distance from the middle in focal lengths.

    Pixels count from the top left corner; the middle of the first pixel is (0.5, 0.5).
    """

    position: tuple[float, float, float]
    toward: tuple[float, float, float]
    up: tuple[float, float, float]
    focal_px: float
    width: int
    height: int
    k1: float = 0.0

    @classmethod
    def looking_at(
        cls,
        middle: NDArray,
        azimuth: float,
        elevation: float,
        distance: float,
        lens_mm: float,
        size: tuple[int, int],
        k1: float = 0.0,
    ) -> "Pinhole":
        """A camera at a distance (mm) from a place (3,), as azimuth and elevation are given for lamps, with a lens of
        so many mm of a full-frame camera."""
        out = direction_of(azimuth, elevation).astype(float)
        eye = np.asarray(middle, float) + distance * out
        side = cross_of(-out, [0.0, 0.0, 1.0])
        if np.linalg.norm(side) < 1e-6:  # straight from above: the figure's front is below
            side = np.array([1.0, 0.0, 0.0])
        side /= np.linalg.norm(side)
        up = cross_of(side, -out)
        return cls(_three(eye), _three(-out), _three(up), lens_mm / FULL_FRAME_MM * max(size), *size, k1)

    @cached_property
    def rows(self) -> NDArray[np.float64]:
        """(3, 3) right, down and forward: from the bench to the camera's own axes."""
        forward = np.asarray(self.toward, float)
        forward /= np.linalg.norm(forward)
        up = np.asarray(self.up, float)
        up = up - (up @ forward) * forward
        up /= np.linalg.norm(up)
        return np.stack([cross_of(forward, up), -up, forward])

    def project(self, points: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(N, 2) pixels of places (N, 3) mm, and their depths (N,) mm; what lies behind has a negative one."""
        seen = (np.asarray(points, float) - np.asarray(self.position)) @ self.rows.T
        depth = seen[:, 2]
        flat = seen[:, :2] / np.where(np.abs(depth) < 1e-9, 1e-9, depth)[:, None]
        flat = flat * (1 + self.k1 * (flat**2).sum(axis=1, keepdims=True))
        return self.focal_px * flat + np.array([self.width / 2, self.height / 2]), depth

    def rays(self, pixels: NDArray) -> NDArray[np.float64]:
        """(N, 3) unit vectors from the camera through pixels (N, 2)."""
        bent = (np.asarray(pixels, float) - np.array([self.width / 2, self.height / 2])) / self.focal_px
        flat = bent
        for _ in range(UNDISTORTING if self.k1 else 0):
            flat = bent / (1 + self.k1 * (flat**2).sum(axis=1, keepdims=True))
        out = np.column_stack([flat, np.ones(len(flat))]) @ self.rows
        return out / np.linalg.norm(out, axis=1, keepdims=True)

    def sized(self, width: int, height: int) -> "Pinhole":
        """The same camera with a larger or smaller picture."""
        times = width / self.width
        return Pinhole(self.position, self.toward, self.up, self.focal_px * times, width, height, self.k1)


def _three(v: NDArray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
