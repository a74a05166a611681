"""Regions: the part of a surface that belongs to a spot, grown to the nearest creases."""

from heapq import heappop, heappush

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..places import tree_of
from ..plain import Range, refuse_outside
from .edges import same_places
from .relief import Bends, usual_scale
from .surface import Surface

CREASE = Range("a crease", 1, 180, "degrees", step=1, slide=120)
USUAL_CREASE = 40.0  # degrees: a cloak's folds are gentler, its hem is sharper
HARDNESS = 4  # the cost of a bend rises with its fourth power: many gentle ones cost less than one that is sharp
RECESS_REACH_SHARE = 0.15  # a seed is in a recess if much of what lies within this share of the size hems it in
RECESS_LOW, RECESS_HIGH = 0.1, 0.2  # cavity at which a seed begins to count as in a recess, and surely does


def grow(
    surface: Surface,
    seed: NDArray[np.floating],
    crease: float = USUAL_CREASE,
    bends: Bends | None = None,
    face: int | None = None,
) -> NDArray[np.bool_]:
    """The samples (N,) of the region round a seed.

    The region is every face that can be reached at a cost of at most 1, where crossing an edge costs (θ/crease)⁴, θ
    being how far the form turns there over a brush's breadth: the cheapest way over the dual graph, so a rim with a
    gap in it still holds, and a round form is not cut where its bends happen to add up. A seed that lies in a recess
    grows over the creases inside it and stops at the recess's rim; any other seed stops at creases as well as
    crests. The same input gives the same region.

    Args:
        surface: the samples.
        seed: (3,) mm; the nearest face to it is where growth begins.
        crease: degrees; the sharpest bend that does not stop the region.
        bends: of this surface, where they are known already.
        face: the face the seed lies on, where that is known already.
    Raises:
        SettingError: crease outside CREASE, or a seed that is no place.
    Source: cost-limited Dijkstra over faces; the minima rule (Hoffman and Richards 1984) for what bounds a part.
    """
    seed = np.asarray(seed, np.float64).reshape(-1)
    if seed.shape != (3,) or not np.isfinite(seed).all():
        raise SettingError("a seed is three numbers, X,Y,Z in mm")
    refuse_outside(CREASE, crease)
    bends = bends or Bends(surface)
    start = face_at(surface, seed) if face is None else face
    # a fine mesh spreads one bend over many edges: what counts is how far the form turns over a brush's breadth
    breadth = np.clip(bends.across / usual_scale(surface), 1e-6, 1)
    cost = (bends.angle / breadth / np.radians(crease)) ** HARDNESS * breadth
    hemmed = np.clip((seed_cavity(surface, start) - RECESS_LOW) / (RECESS_HIGH - RECESS_LOW), 0, 1)
    cost = np.where(bends.convex, cost, cost * (1 - hemmed))
    reached = _within(bends, cost, start)
    region = np.zeros(len(surface), np.bool_)
    region[surface.faces[reached].ravel()] = True
    return region


def face_at(surface: Surface, place: NDArray[np.floating]) -> int:
    """The face nearest to a place: of the faces round the nearest sample, the one whose plane and middle are
    closest."""
    near = np.linalg.norm(surface.points - place, axis=1)
    # a sharp edge holds several samples at one place; all faces of all of them are candidates
    close = np.zeros(len(surface), np.bool_)
    close[near <= near.min() + 1e-4 * surface.size] = True
    faces = np.flatnonzero(close[surface.faces].any(axis=1))
    if not len(faces):
        raise SettingError("there is no surface near this spot; click on the sculpt itself")
    middles = surface.points[surface.faces[faces]].mean(axis=1)
    return int(faces[np.argmin(np.linalg.norm(middles - place, axis=1))])


def seed_cavity(surface: Surface, face: int) -> float:
    """0..1: how much of the view from a face's middle its own surface blocks within a seventh of its size."""
    from ..directions import fibonacci_sphere

    corners = surface.points[surface.faces[face]]
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normal = (normal / max(float(np.linalg.norm(normal)), 1e-30)).astype(np.float32)
    origin = corners.mean(axis=0) + np.float32(3e-4 * surface.size) * normal
    boxed = surface.caster.boxed(origin[None])
    whole = blocked = 0.0
    for toward in fibonacci_sphere(256):
        cosine = float(normal @ toward)
        if cosine > 0:
            whole += cosine
            if surface.caster.boxed_first_face(boxed, toward, RECESS_REACH_SHARE * surface.size)[0] >= 0:
                blocked += cosine
    return blocked / whole


def _within(bends: Bends, cost: NDArray[np.float64], start: int) -> NDArray[np.int64]:
    """Faces that can be reached from one at a summed cost of at most 1."""
    best = np.full(len(bends.joined.faces), np.inf)
    _spread(bends.edges.edge, bends.edges.mate, cost, start, best)
    return np.flatnonzero(np.isfinite(best))


@numba.njit(cache=True)
def _spread(edge, mate, cost, start, best):
    best[start] = 0.0
    heap = [(0.0, start)]
    while len(heap) > 0:
        spent, f = heappop(heap)
        if spent > best[f]:
            continue
        for h in range(3 * f, 3 * f + 3):
            if mate[h] < 0:
                continue
            g = mate[h] // 3
            onward = spent + cost[edge[h]]
            if onward <= 1 and onward < best[g]:
                best[g] = onward
                heappush(heap, (onward, g))


def by_part(surface: Surface, seed: NDArray[np.floating]) -> NDArray[np.bool_]:
    """The samples (N,) of the whole part (connected shell) that a place (3,) lies on."""
    return surface.part == surface.part[surface.faces[face_at(surface, np.asarray(seed, float))][0]]


def widened(surface: Surface, region: NDArray[np.bool_], rounds: int = 1) -> NDArray[np.bool_]:
    """The region with its rim moved out by so many samples, over sharp edges too; a negative number moves it in."""
    if rounds < 0:
        return ~widened(surface, ~region, -rounds)
    # the two sides of a sharp edge lie at one place; there the rim may pass
    place, _ = same_places(surface.points)
    a, b = surface.edges
    out = region.copy()
    for _ in range(rounds):
        at_place = np.bincount(place, out) > 0
        wider = at_place[place]
        wider[a[wider[b]]] = True
        wider[b[wider[a]]] = True
        out = wider
    return out


def labels_carried(
    labels: NDArray[np.uint8], was: NDArray[np.floating], now: NDArray[np.floating], reach: float = np.inf
) -> NDArray[np.uint8]:
    """The labels (N,) of places (N, 3) carried to other places (M, 3) of the same axes: each takes the label of the
    nearest one that is no further than `reach`, else 0."""
    if not len(was):
        return np.zeros(len(now), np.uint8)
    far, nearest = tree_of(was).query(now, workers=-1)
    return np.where(far <= reach, labels[nearest], 0).astype(np.uint8)
