"""Sculpting in code: forms as signed distances in mm (negative inside), and meshing them.

A form is a function of points (N, 3) that returns (N,) distances. Distances need not be exact, only never much larger
than the truth, so that blocks far from the surface can be skipped.
Source of most formulas: Quilez, "distance functions" (articles on implicit primitives), from memory.
"""

from collections.abc import Callable
from functools import wraps
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import PchipInterpolator

from dusk_lamp.core.sculpt.mesh import Mesh

Points = NDArray[Any]
Field = NDArray[Any]
Form = Callable[[Points], Field]

NEAR_MM = 1.0  # a form further off than this cannot touch a block, blends included
BLOCK = 12  # cells to a side of a block that is skipped when the surface is not near


def vec(x: Any) -> NDArray[np.float32]:
    """float32 of numbers or places: half the memory and twice the speed over millions of points."""
    return np.asarray(x, np.float32)


def length(v: NDArray) -> Field:
    """(N,) length of rows."""
    return np.sqrt(np.einsum("ij,ij->i", v, v))


def ball(p: Points, at: ArrayLike, r: ArrayLike) -> Field:
    """A ball, or with three radii an ellipsoid."""
    q = p - vec(at)
    r = np.broadcast_to(vec(r), 3)
    if r[0] == r[1] == r[2]:
        return length(q) - r[0]
    k0, k1 = length(q / r), length(q / (r * r))
    return k0 * (k0 - 1) / np.maximum(k1, 1e-6)


def rod(p: Points, a: ArrayLike, b: ArrayLike, ra: float, rb: float | None = None) -> Field:
    """A rounded rod from a to b whose radius runs from ra to rb."""
    a, b = vec(a), vec(b)
    ab = b - a
    t = np.clip((p - a) @ ab / float(ab @ ab), 0, 1)
    r = ra if rb is None else ra + (rb - ra) * t
    return length(p - a - t[:, None] * ab) - r


def path(p: Points, places: ArrayLike, r: float | list[float]) -> Field:
    """Rods through a row of places."""
    places = np.asarray(places, np.float32)
    radii = [r] * len(places) if isinstance(r, int | float) else r
    out = rod(p, places[0], places[1], radii[0], radii[1])
    for k in range(1, len(places) - 1):
        out = np.minimum(out, rod(p, places[k], places[k + 1], radii[k], radii[k + 1]))
    return out


def box(p: Points, at: ArrayLike, half: ArrayLike, round_: float = 0.1, turn: NDArray | None = None) -> Field:
    """A box with rounded edges. turn: (3, 3) rotation from the world to the box."""
    q = p - vec(at)
    if turn is not None:
        q = q @ vec(turn).T
    q = np.abs(q) - (vec(half) - vec(round_))
    return length(np.maximum(q, 0)) + np.minimum(q.max(axis=1), 0) - vec(round_)


def drum(p: Points, at: ArrayLike, r: float, half: float, round_: float = 0.1) -> Field:
    """An upright cylinder with rounded rims."""
    q = p - vec(at)
    d = np.stack([np.hypot(q[:, 0], q[:, 1]) - (r - round_), np.abs(q[:, 2]) - (half - round_)], axis=1)
    return length(np.maximum(d, 0)) + np.minimum(d.max(axis=1), 0) - vec(round_)


def ring(p: Points, at: ArrayLike, axis: ArrayLike, radius: float, thick: float) -> Field:
    """A torus round an axis."""
    q = p - vec(at)
    n = vec(axis) / np.linalg.norm(axis)
    along = q @ n
    across = length(q - along[:, None] * n)
    return np.hypot(across - radius, along) - thick


def arc(at: ArrayLike, u: ArrayLike, v: ArrayLike, radius: float, start: float, stop: float, n: int = 9) -> NDArray:
    """(n, 3) places along an arc in the plane of u and v, degrees."""
    t = np.radians(np.linspace(start, stop, n))[:, None]
    return np.asarray(at) + radius * (np.cos(t) * np.asarray(u) + np.sin(t) * np.asarray(v))


def join(a: Field, b: Field, k: float = 0.0) -> Field:
    """Union; with k > 0 the two flow into each other over about k mm."""
    if k <= 0:
        return np.minimum(a, b)
    h = np.maximum(k - np.abs(a - b), 0) / k
    return np.minimum(a, b) - h * h * k / 4


def cut(a: Field, b: Field, k: float = 0.0) -> Field:
    """a without b."""
    return -join(-a, b, k)


def both(a: Field, b: Field, k: float = 0.0) -> Field:
    """Where a and b overlap."""
    return -join(-a, -b, k)


def near(p: Points, at: ArrayLike, radius: float, form: Form) -> Field:
    """The form, which lies inside a ball; not worked out for a block of points far from it."""
    far = length(p - vec(at)) - vec(radius)
    return far if far.min() > NEAR_MM else form(p)


def within(at: ArrayLike, radius: float) -> Callable[[Callable[..., Field]], Callable[..., Field]]:
    """Says that a form lies inside a ball, so that a block of points far from it need not be worked out."""

    def bounded(form: Callable[..., Field]) -> Callable[..., Field]:
        @wraps(form)
        def quick(p: Points, *rest: object) -> Field:
            return near(p, at, radius, lambda block: form(block, *rest))

        return quick

    return bounded


def profile(z: NDArray, heights: ArrayLike, radii: ArrayLike) -> Field:
    """Smooth curve through (height, radius) pairs that never overshoots them; flat beyond the ends."""
    curve = PchipInterpolator(heights, radii)
    return curve(np.clip(z, np.min(heights), np.max(heights))).astype(np.float32)


def smoothstep(x: NDArray, low: float, high: float) -> NDArray:
    """0 below low, 1 above high, smooth between."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def turn_z(degrees: float) -> NDArray[np.float64]:
    """(3, 3) rotation about the upright."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])


def turn_x(degrees: float) -> NDArray[np.float64]:
    """(3, 3) rotation about the axis to the viewer's right."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([[1, 0, 0], [0, c, s], [0, -s, c]])


def mesh_of(form: Form, low: ArrayLike, high: ArrayLike, cell: float) -> Mesh:
    """Mesh the surface of a form inside a box, by marching cubes (scikit-image, a build-time package).

    Only blocks near the surface are filled in; the rest keeps the sign of its middle.
    """
    from skimage.measure import marching_cubes

    low, high = np.asarray(low, float), np.asarray(high, float)
    blocks = np.ceil((high - low) / cell / BLOCK).astype(int)
    shape = blocks * BLOCK
    field = np.empty(shape, np.float32)
    half_diagonal = np.sqrt(3) / 2 * BLOCK * cell
    grid = np.indices(blocks).reshape(3, -1).T
    middles = (low + (grid + 0.5) * BLOCK * cell).astype(np.float32)
    far = form(middles)
    inner = np.indices((BLOCK,) * 3).reshape(3, -1).T
    for index, distance in zip(grid, far, strict=True):
        at = tuple(slice(i * BLOCK, (i + 1) * BLOCK) for i in index)
        if abs(distance) > 2.5 * half_diagonal:  # 2.5: folds and blends stretch the distances
            field[at] = distance
        else:
            points = (low + (index * BLOCK + inner) * cell).astype(np.float32)
            field[at] = form(points).reshape(BLOCK, BLOCK, BLOCK)
    vertices, faces, _, _ = marching_cubes(field, 0.0, spacing=(cell,) * 3)
    return Mesh((vertices + low).astype(np.float32), np.ascontiguousarray(faces, dtype=np.int32))
