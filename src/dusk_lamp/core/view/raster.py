"""Pictures drawn in Python: thumbnails, plan sheets and exports. One ray per pixel, the field read where it lands."""

from dataclasses import dataclass
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray

from ..sculpt.surface import Surface
from .camera import Camera

SOFTEN = 2  # rays per pixel and direction: four a pixel smooth the outline


@dataclass(frozen=True)
class Snapshot:
    """What a camera sees, ready to be painted with any field.

    corners: (H, W, 3) int32 samples of the face seen, −1 where there is none. weights: (H, W, 3) float32,
    barycentric. scale: pixels per mm.
    """

    corners: NDArray[np.int32]
    weights: NDArray[np.float32]
    scale: float

    @cached_property
    def seen(self) -> NDArray[np.bool_]:
        """(H, W) whether a pixel shows the sculpt."""
        return self.corners[..., 0] >= 0

    @cached_property
    def close(self) -> tuple[slice, slice, "Snapshot"]:
        """Rows and columns of the part that shows the sculpt, with a margin, from one pixel of a smoothed picture to
        another; and a snapshot of that part alone."""
        rows, columns = (_close(np.asarray(self.seen.any(axis=axis))) for axis in (1, 0))
        return rows, columns, Snapshot(self.corners[rows, columns], self.weights[rows, columns], self.scale)

    @cached_property
    def _met(self) -> NDArray[np.int32]:
        """(M,) the sample nearest to each pixel that shows the sculpt."""
        corners = self.corners[self.seen]
        return corners[np.arange(len(corners)), np.argmax(self.weights[self.seen], axis=1)]

    def field(self, values: NDArray) -> NDArray[np.float32]:
        """(H, W) a field (N,), or (H, W, C) of (N, C), smoothly spread over the picture, 0 where nothing is seen."""
        out = np.zeros((*self.seen.shape, *values.shape[1:]), np.float32)
        rows = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
        pixels = out.size // rows.shape[1]
        _spread(self.corners.reshape(pixels, 3), self.weights.reshape(pixels, 3), rows, out.reshape(pixels, -1))
        return out

    def nearest(self, values: NDArray) -> NDArray:
        """(H, W) the field (N,) of the nearest sample, for fields that count and must not be mixed; 0 where nothing
        is seen."""
        out = np.zeros(self.seen.shape, values.dtype)
        out[self.seen] = values[self._met]
        return out


def _close(seen: NDArray[np.bool_]) -> slice:
    at = np.flatnonzero(seen)
    if not len(at):
        return slice(0, 0)
    low, high = at[0] // SOFTEN - 1, at[-1] // SOFTEN + 2
    return slice(max(0, int(low)) * SOFTEN, min(len(seen), int(high) * SOFTEN))


@numba.njit(cache=True, nogil=True)
def _spread(corners, weights, values, out):
    """Of each pixel that shows a face, the values of its three corners by their weights."""
    for i in range(len(corners)):
        a, b, c = corners[i, 0], corners[i, 1], corners[i, 2]
        if a >= 0:
            for j in range(values.shape[1]):
                out[i, j] = values[a, j] * weights[i, 0] + values[b, j] * weights[i, 1] + values[c, j] * weights[i, 2]


def snapshot(
    surface: Surface,
    camera: Camera,
    width: int,
    height: int,
    *,
    margin: float = 0.04,
    zoom_height: float | None = None,
) -> Snapshot:
    """Look at the surface from a camera, fitted into width × height pixels.

    margin: share of the picture left free on each side. zoom_height: mm that the picture's height should span, so
    that several views share one scale; None fits this view.
    """
    x, y = surface.points @ camera.right, surface.points @ camera.up
    middle = np.array([(x.max() + x.min()) / 2, (y.max() + y.min()) / 2])
    scale = min(width / max(float(np.ptp(x)), 1e-9), height / max(float(np.ptp(y)), 1e-9)) * (1 - 2 * margin)
    if zoom_height is not None:
        scale = height / zoom_height * (1 - 2 * margin)
    px = (middle[0] + (np.arange(width) + 0.5 - width / 2) / scale).astype(np.float32)
    py = (middle[1] - (np.arange(height) + 0.5 - height / 2) / scale).astype(np.float32)
    within = _within(py, y.min(), y.max()), _within(px, x.min(), x.max())  # no ray is cast past the sculpt
    away = 2 * surface.size
    depth = (surface.points @ camera.toward).max() + away
    across, along = px[within[1], None] * camera.right, py[within[0], None] * camera.up
    origins = ((across + along[:, None]) + depth * camera.toward).reshape(-1, 3).astype(np.float32)
    corners, weights = np.full((height, width, 3), -1, np.int32), np.zeros((height, width, 3), np.float32)
    if len(origins):
        face, u, v = surface.caster.first_hits(origins, -camera.toward)
        _place(face.reshape(len(along), -1), u, v, surface.faces, corners[within], weights[within])
    return Snapshot(corners, weights, float(scale))


def _within(at: NDArray[np.float32], low: float, high: float) -> slice:
    """Which of some evenly spaced places lie between two ends, and one beyond either."""
    inside = np.flatnonzero((at >= low) & (at <= high))
    return slice(max(0, inside[0] - 1), inside[-1] + 2) if len(inside) else slice(0, 0)


@numba.njit(cache=True, nogil=True)
def _place(face, u, v, faces, corners, weights):
    """The corners and weights of the face met in each pixel (H, W); u, v: (H·W,) barycentric."""
    k = 0
    for i in range(face.shape[0]):
        for j in range(face.shape[1]):
            f = face[i, j]
            if f >= 0:
                for c in range(3):
                    corners[i, j, c] = faces[f, c]
                weights[i, j, 0], weights[i, j, 1], weights[i, j, 2] = np.float32(1) - u[k] - v[k], u[k], v[k]
            k += 1


def averaged(pixels: NDArray, times: int = SOFTEN) -> NDArray[np.float32]:
    """The mean of each block of times × times pixels; pixels (H·t, W·t, C) → (H, W, C) float32."""
    h, w = pixels.shape[0] // times, pixels.shape[1] // times
    whole = pixels[: h * times, : w * times]
    offsets = [(i, j) for i in range(times) for j in range(times)]
    total = sum(whole[i::times, j::times].astype(np.float32) for i, j in offsets)
    return np.asarray(total / np.float32(len(offsets)), np.float32)


def averaged_levels(pixels: NDArray, times: int = SOFTEN) -> NDArray[np.uint8]:
    """The same as levels, uint8."""
    return np.round(averaged(pixels, times)).astype(np.uint8)


def colour_picture(
    surface: Surface, levels: NDArray[np.uint8], camera: Camera, width: int, height: int, ground: int = 119
) -> NDArray[np.uint8]:
    """(height, width, 3) uint8 picture of sRGB levels (N, 3) on a grey ground."""
    shot = snapshot(surface, camera, width * SOFTEN, height * SOFTEN)
    return averaged_levels(np.where(shot.seen[..., None], shot.field(levels), ground))


def cut_out(
    surface: Surface, levels: NDArray[np.uint8], camera: Camera, width: int, height: int, ground: int | None = None
) -> NDArray[np.uint8]:
    """(height, width, 4) RGBA picture of 8-bit levels, grey (N,) or in colour (N, 3); the ground is clear, or a grey
    level."""
    shot = snapshot(surface, camera, width * SOFTEN, height * SOFTEN)
    colour = shot.field(levels.reshape(len(levels), -1))
    alpha = shot.seen * 255.0
    if ground is not None:
        colour[~shot.seen] = ground
        alpha[:] = 255
    # colours are averaged where the sculpt is, or a dark rim would creep in from the clear ground
    soft_alpha = averaged_levels(alpha[..., None]).astype(np.float32)
    premultiplied = averaged_levels(colour * (alpha / 255)[..., None]).astype(np.float32)
    level = np.clip(premultiplied * 255 / np.maximum(soft_alpha, 1), 0, 255)
    rgb = np.broadcast_to(level, (*level.shape[:2], 3))
    return np.concatenate([rgb, soft_alpha], axis=-1).astype(np.uint8)
