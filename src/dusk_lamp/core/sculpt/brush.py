"""Marking with a round brush, and by what a spot looks like."""

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..plain import Range, refuse_outside
from .curvature import mean_curvature
from .edges import connected
from .mesh import summed
from .relief import Bends, usual_scale
from .surface import Surface

WAYS = ("up", "down", "outward")
FACING_DEGREES = 45.0  # within this of the way is facing that way
LIKE_SCALES = (0.7, 2.0)  # times the usual scale: a detail and the form it sits on
USUAL_LIKENESS = 0.15
LIKENESS = Range("how far spots may differ", 0.01, 1, step=0.01, slide=0.4)
USUAL_BRUSH_SHARE = 0.75 / 32  # radius over height
LARGEST_HOLE = 0.1  # a gap larger than this share of the region is not a gap but what lies beyond it
RIM_ROUNDS = 4


def dab(
    surface: Surface,
    place: NDArray[np.floating],
    toward: NDArray[np.floating],
    radius: float,
    through: bool = False,
) -> NDArray[np.int64]:
    """The samples that one dab of a round brush touches.

    Args:
        place: (3,) mm, where the middle of the brush is on the surface.
        toward: (3,) unit vector from there to the eye.
        radius: mm.
        through: everything under the brush, right through the model; else only what faces the eye, within the radius.
    Raises:
        SettingError: the radius is no positive length.
    """
    if not (np.isfinite(radius) and radius > 0):
        raise SettingError(f"a brush has a radius in mm, such as 0.5, not {radius:g}")
    toward = np.asarray(toward, np.float32)
    offset = surface.points - np.asarray(place, np.float32)
    away = np.einsum("ij,ij->i", offset, offset)
    if through:
        return np.flatnonzero(away - (offset @ toward) ** 2 <= radius * radius)
    near = np.flatnonzero(away <= radius * radius)
    return near[surface.normals[near] @ toward > 0]


def by_facing(surface: Surface, way: str) -> NDArray[np.bool_]:
    """(N,) the samples that face up, down, or outward from the upright through the middle.

    Raises:
        SettingError: no such way.
    """
    if way not in WAYS:
        raise SettingError(f"a spot can face {', '.join(WAYS)}, not '{way}'")
    least = np.cos(np.radians(FACING_DEGREES))
    z = surface.normals[:, 2]
    if way == "up":
        return z >= least
    if way == "down":
        return z <= -least
    low, high = surface.points.min(axis=0), surface.points.max(axis=0)
    out = surface.points[:, :2] - (low + high)[:2] / 2
    out /= np.maximum(np.linalg.norm(out, axis=1), 1e-9)[:, None]
    return np.einsum("ij,ij->i", surface.normals[:, :2], out) >= least


def likeness(surface: Surface, bends: Bends | None = None) -> NDArray[np.float64]:
    """(2, N) mean curvature over a brush's breadth and over a wider patch, each times the size of its patch: what
    spots are compared by."""
    bends = bends or Bends(surface)
    scales = [s * usual_scale(surface) for s in LIKE_SCALES]
    return np.stack([mean_curvature(surface, s, bends) * s for s in scales])


def alike(looks: NDArray[np.float64], sample: int, near: float = USUAL_LIKENESS) -> NDArray[np.bool_]:
    """(N,) the samples whose curvature is like that of one, at both scales.

    Args:
        looks: (2, N) from `likeness`. near: how far they may differ; 0.15 is the bend a patch half as round again
        shows.
    Raises:
        SettingError: near is outside LIKENESS.
    """
    refuse_outside(LIKENESS, near)
    return np.all(np.abs(looks - looks[:, sample : sample + 1]) <= near, axis=0)


def filled(bends: Bends, region: NDArray[np.bool_], free: NDArray[np.bool_], weight: NDArray) -> NDArray[np.bool_]:
    """(N,) the region with its gaps closed: patches of free samples that the region alone surrounds.

    Args:
        region, free: (N,) the region, and what may be taken for it. weight: (N,) area of the samples.
    """
    n = len(bends.joined.vertices)
    inside = np.bincount(bends.place, region, minlength=n) > 0
    closed = np.bincount(bends.place, ~free & ~region, minlength=n) > 0  # another region's
    a, b = bends.edges.ends.T
    out = ~inside[a] & ~inside[b]
    patch = connected(n, a[out], b[out])
    area = summed(patch[bends.place], np.where(region, 0, weight), int(patch.max()) + 1)
    touches = np.zeros(len(area), np.bool_)
    touches[patch[a[~inside[a] & inside[b]]]] = True
    touches[patch[b[~inside[b] & inside[a]]]] = True
    spoiled = np.zeros(len(area), np.bool_)
    spoiled[patch[closed]] = True
    gap = touches & ~spoiled & (area < LARGEST_HOLE * float(weight[region].sum()))
    return region | (gap[patch] & ~inside)[bends.place] & free


def evened(bends: Bends, region: NDArray[np.bool_], rounds: int = RIM_ROUNDS) -> NDArray[np.bool_]:
    """(N,) the region with a smooth rim: a sample belongs where most of its neighbourhood does."""
    n = len(bends.joined.vertices)
    a, b = bends.edges.ends.T
    count = 1 + np.bincount(a, minlength=n) + np.bincount(b, minlength=n)
    share = summed(bends.place, region.astype(float), n) / np.maximum(np.bincount(bends.place, minlength=n), 1)
    for _ in range(rounds):
        share = (share + summed(a, share[b], n) + summed(b, share[a], n)) / count
    return share[bends.place] > 0.5
