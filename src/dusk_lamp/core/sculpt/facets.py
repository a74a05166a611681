"""Facets: flat parts of a surface bounded by sharp edges, and parts that bend like a cylinder or a ball."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..plain import checked, choice, rounded
from .relief import Bends
from .surface import Surface

KINDS = ("flat", "cylinder", "ball", "none")
SHARP = np.radians(14.0)  # a bend beyond this bounds a facet
FLAT = np.radians(7.0)  # normals within a flat facet differ by no more, by area
LEAST_SHARE = 0.004  # of the whole skin
ONE_WAY, EVERY_WAY = (
    0.02,
    0.12,
)  # of the spread of normals: less along an axis and it is a cylinder; this much and it is a ball


@dataclass(frozen=True)
class Facet:
    """One part. kind: flat, cylinder or ball. own: (N,) its samples. normal: (3,) mean. along: (3,) its length's
    direction, or a cylinder's axis. length, width: mm. neighbours: numbers of the facets it meets."""

    kind: str
    own: NDArray[np.bool_]
    normal: NDArray[np.float64]
    along: NDArray[np.float64]
    neighbours: tuple[int, ...]
    length: float = rounded(2)
    width: float = rounded(2)
    mm2: float = rounded(2)


@dataclass(frozen=True)
class FacetNote:
    """What a painter says the facet at a place (3,) mm is."""

    place: tuple[float, float, float] = (0.0, 0.0, 0.0)
    kind: str = choice("flat", KINDS, "what a facet is")

    def __post_init__(self) -> None:
        checked(self)


def facets(
    surface: Surface, bends: Bends, on: NDArray[np.bool_] | None = None, notes: Sequence[FacetNote] = ()
) -> list[Facet]:
    """The facets of a surface, the largest first.

    Faces that meet gently hang together; a part is flat where its normals hardly differ, else a cylinder or a ball by how
    its normals spread; what is none of these is left out. on: (N,) samples that are looked at. notes: what a painter knows
    better; the last word counts.
    """
    mesh = bends.joined
    count = len(mesh.faces)
    f, g = bends.faces.T
    real = (f >= 0) & (g >= 0)
    gentle = real & (bends.angle < SHARP)
    allowed: NDArray[np.bool_] = np.ones(count, np.bool_)
    if on is not None:
        allowed = np.asarray(on[surface.faces].all(axis=1), np.bool_)
    keep = gentle & allowed[np.maximum(f, 0)] & allowed[np.maximum(g, 0)]
    graph = coo_matrix((np.ones(int(keep.sum())), (f[keep], g[keep])), (count, count))
    label = connected_components(graph, directed=False)[1]
    area = np.linalg.norm(mesh.crosses(), axis=1) / 2
    size = np.bincount(label, area * allowed)
    whole = float(area[allowed].sum())
    known = _noted(surface, label, notes)
    chosen = [int(k) for k in np.argsort(-size, kind="stable") if size[k] >= LEAST_SHARE * whole or k in known]
    out = []
    meets: dict[int, set[int]] = {k: set() for k in chosen}
    crossed = real & (label[np.maximum(f, 0)] != label[np.maximum(g, 0)])
    for a, b in np.unique(np.stack([label[f[crossed]], label[g[crossed]]], axis=1), axis=0):
        if int(a) in meets and int(b) in meets:
            meets[int(a)].add(int(b))
            meets[int(b)].add(int(a))
    found: list[int] = []
    for k in chosen:
        rows = np.flatnonzero((label == k) & allowed)
        kind, along = _kind(bends.normals[rows], area[rows])
        kind = known.get(k, kind)
        if kind in ("", "none"):
            continue
        own = np.zeros(len(surface), np.bool_)
        own[np.unique(surface.faces[rows])] = True
        normal = np.average(bends.normals[rows], axis=0, weights=area[rows])
        normal /= max(float(np.linalg.norm(normal)), 1e-12)
        points = surface.points[own].astype(float)
        if kind == "flat":
            away = points - points.mean(axis=0)
            along = np.linalg.svd(away - (away @ normal)[:, None] * normal, full_matrices=False)[2][0]
        across = np.cross(normal, along)
        out.append(
            (kind, own, normal, along, float(np.ptp(points @ along)), float(np.ptp(points @ across)), float(size[k]))
        )
        found.append(k)
    place = {k: n for n, k in enumerate(found)}
    return [
        Facet(kind, own, normal, along, tuple(sorted(place[m] for m in meets[k] if m in place)), length, width, mm2)
        for k, (kind, own, normal, along, length, width, mm2) in zip(found, out, strict=True)
    ]


def _noted(surface: Surface, label: NDArray, notes: Sequence[FacetNote]) -> dict[int, str]:
    """What was said of the parts (F,) that some places lie on."""
    if not notes:
        return {}
    middles = surface.points[surface.faces].mean(axis=1)
    at = cKDTree(middles).query(np.array([note.place for note in notes], float))[1]
    return {int(label[k]): one.kind for k, one in zip(at, notes, strict=True)}


def _kind(normals: NDArray[np.float64], area: NDArray[np.float64]) -> tuple[str, NDArray[np.float64]]:
    """What a part is by its normals (F, 3), and its axis; "" where it is nothing plain."""
    weight = area / max(float(area.sum()), 1e-30)
    mean = weight @ normals
    length = float(np.linalg.norm(mean))
    if length > np.cos(FLAT):
        return "flat", np.array([1.0, 0.0, 0.0])
    spread, axes = np.linalg.eigh(np.einsum("i,ij,ik->jk", weight, normals, normals))
    if spread[0] < ONE_WAY and spread[1] > EVERY_WAY:
        return "cylinder", axes[:, 0]
    if spread[0] > EVERY_WAY:
        return "ball", axes[:, 2]
    return "", axes[:, 0]


def on_edges(surface: Surface, bends: Bends, own: NDArray[np.bool_], sharper: float) -> NDArray[np.bool_]:
    """(N,) samples of a part on edges that bend outward by more than so many radians."""
    sharp = (bends.angle > sharper) & bends.convex
    ends = np.zeros(int(bends.place.max()) + 1, np.bool_)
    ends[bends.edges.ends[sharp].ravel()] = True
    return own & ends[bends.place]
