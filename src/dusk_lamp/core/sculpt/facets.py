"""Facets: flat parts of a surface bounded by sharp edges, and parts that bend like a cylinder or a ball."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..places import pieces_joined, tree_of
from ..plain import checked, choice, rounded
from .mesh import Mesh, summed
from .planes import Planes, near_parts, planes_of
from .relief import Bends
from .scan_noise import dots_on
from .surface import Surface

KINDS = ("flat", "cylinder", "ball", "none")
SHARP = np.radians(14.0)  # a bend beyond this bounds a facet
FLAT = np.radians(7.0)  # normals within a flat facet differ by no more, by area
LEAST_SHARE = 0.004  # of the whole skin, of a round form
LEAST_MM2, USUAL_HEIGHT, LEAST_PLANE = 1.2, 32.0, 0.0004  # of a plane on a model so many mm high; share of the skin
MOST_DOTS, NEAREST = 400_000, 6
GOOD_SHARE = 0.3  # of the faces round a sample lie on the part that it goes with
BETWEEN = 4  # faces between facets that meet
ROUND = 0.1  # of the spread of normals that a cylinder or a ball leaves unexplained
LEAST_STROKE_MM = 0.05  # a stroke shorter than this has no direction
# of the spread of normals: less along an axis and it is a cylinder; this much and it is a ball
ONE_WAY, EVERY_WAY = 0.02, 0.12


@dataclass(frozen=True)
class Facet:
    """One part. kind: flat, cylinder or ball. mask: (N,) its samples. normal: (3,) mean. along: (3,) its length's
    direction, or a cylinder's axis. neighbours: numbers of the facets it meets. hollow: a fuller, a groove. length,
    width: mm."""

    kind: str
    mask: NDArray[np.bool_]
    normal: NDArray[np.float64]
    along: NDArray[np.float64]
    neighbours: tuple[int, ...]
    length: float = rounded(2)
    width: float = rounded(2)
    mm2: float = rounded(2)
    hollow: bool = False


@dataclass(frozen=True)
class FacetNote:
    """What a painter says the facet at a place (3,) mm is."""

    place: tuple[float, float, float] = (0.0, 0.0, 0.0)
    kind: str = choice("flat", KINDS, "what a facet is")

    def __post_init__(self) -> None:
        checked(self)


@dataclass(frozen=True)
class FacetCut:
    """A stroke from place (3,) to end (3,), mm, that cuts the facet under its middle in two."""

    place: tuple[float, float, float] = (0.0, 0.0, 0.0)
    end: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def __post_init__(self) -> None:
        checked(self)
        if np.linalg.norm(np.subtract(self.end, self.place)) < LEAST_STROKE_MM:
            raise SettingError("draw the stroke right across the facet that is to be cut")


def facets(
    surface: Surface,
    bends: Bends,
    mesh: Mesh | None = None,
    notes: Sequence[FacetNote] = (),
    cuts: Sequence[FacetCut] = (),
    planes: Planes | None = None,
) -> list[Facet]:
    """The facets of a surface, the largest first.

    Planes are found on the triangles of the file (see planes), so that it plays no part how finely the surface was
    laid out. What is no plane but hangs together gently is flat, a cylinder or a ball by how its normals spread; what
    is none of these is left out.

    Args:
        mesh: the file's triangles as they stand on the bench, mm; without them those of the surface. notes: what a
            painter knows better; the last word counts. cuts: strokes that cut one in two, each what the ones before
            have left. planes: of the mesh, where they are known; see flat_parts.
    """
    mesh = bends.joined if mesh is None else mesh
    planes = flat_parts(surface, mesh) if planes is None else planes
    area, middle = mesh.face_areas(), mesh.middles()
    whole = float(area.sum())
    label = _with_round_forms(planes, area, whole)
    label = _cut(mesh, label, planes.smooth, area, surface.spacing, cuts)
    known = _noted(mesh, label, area, surface.spacing, notes)
    mm2 = summed(np.maximum(label, 0), np.where(label >= 0, area, 0.0), int(label.max(initial=-1)) + 1)
    if not cuts:
        mm2[: len(planes.mm2)] = planes.mm2
    of_sample = None if mesh is bends.joined else _by_sample(surface, mesh, area, label)
    out: list[tuple[int, Facet]] = []
    for k in np.argsort(-mm2, kind="stable").tolist():
        rows = np.flatnonzero(label == k)
        if not len(rows):
            continue
        flat = k < len(planes.mm2)
        kind, along = ("flat", np.zeros(3)) if flat else _kind(planes.smooth[rows], area[rows], middle[rows])
        kind = known.get(k, kind)
        mask = np.zeros(len(surface), np.bool_)
        if of_sample is None:
            mask[np.unique(surface.faces[rows])] = True
        else:
            mask = of_sample == k
        if kind in ("", "none") or not mask.any():
            continue
        normal = planes.normals[k] if flat else _mean(planes.smooth[rows], area[rows])
        away = middle[rows] - np.average(middle[rows], axis=0, weights=area[rows])
        level = away - (away @ normal)[:, None] * normal
        if kind == "flat" or not along.any():
            along = np.linalg.eigh(np.einsum("i,ij,ik->jk", area[rows], level, level))[1][:, 2]
        across = np.cross(normal, along)
        points = mesh.vertices[np.unique(mesh.faces[rows])].astype(float)
        hollow = float(area[rows] @ np.einsum("ij,ij->i", planes.smooth[rows] - normal, away)) < 0
        out.append(
            (
                k,
                Facet(
                    kind,
                    mask,
                    normal,
                    along,
                    (),
                    float(np.ptp(points @ along)),
                    float(np.ptp(points @ across)),
                    float(mm2[k]),
                    kind != "flat" and hollow,
                ),
            )
        )
    place = {k: n for n, (k, _) in enumerate(out)}
    meets: dict[int, set[int]] = {k: set() for k in place}
    for a, b in near_parts(_spread(label, planes.mates), planes.mates).tolist():
        if a in place and b in place:
            meets[a].add(place[b])
            meets[b].add(place[a])
    return [replace(facet, neighbours=tuple(sorted(meets[k]))) for k, facet in out]


def flat_parts(surface: Surface, mesh: Mesh) -> Planes:
    """The planes of a sculpt's triangles (mm), before a painter says anything of them."""
    least = max(LEAST_MM2 * (surface.height / USUAL_HEIGHT) ** 2, LEAST_PLANE * float(mesh.face_areas().sum()))
    return planes_of(mesh, least)


def facet_fields(found: Sequence[Facet]) -> dict[str, NDArray]:
    """Facets as arrays, to be kept."""
    numbers = [(KINDS.index(f.kind), f.hollow, f.length, f.width, f.mm2, *f.normal, *f.along) for f in found]
    return {
        "numbers": np.array(numbers, np.float64).reshape(-1, 11),
        "own": np.packbits(np.array([f.mask for f in found], np.bool_).reshape(len(found), -1), axis=1),
        "meets": np.array([(k, n) for k, f in enumerate(found) for n in f.neighbours], np.int32).reshape(-1, 2),
    }


def facets_from(fields: Mapping[str, NDArray], samples: int) -> list[Facet]:
    """The facets that were kept as arrays, of a surface of so many samples."""
    out = []
    for k, (kind, hollow, length, width, mm2, *ways) in enumerate(fields["numbers"].tolist()):
        mask = np.unpackbits(fields["own"][k], count=samples).astype(np.bool_)
        meets = tuple(fields["meets"][fields["meets"][:, 0] == k, 1].tolist())
        normal, along = np.array(ways[:3]), np.array(ways[3:])
        out.append(Facet(KINDS[int(kind)], mask, normal, along, meets, length, width, mm2, bool(hollow)))
    return out


def _with_round_forms(planes: Planes, area: NDArray, whole: float) -> NDArray[np.int32]:
    """(F,) the parts: planes, then what is left and hangs together gently, as far as it is large."""
    label, mates = planes.label.copy(), planes.mates
    f, g = np.repeat(np.arange(len(label)), 3), mates.ravel()
    free = (g > f) & (label[f] < 0) & (label[np.maximum(g, 0)] < 0)
    f, g = f[free], g[free]
    gentle = np.einsum("ij,ij->i", planes.smooth.take(f, 0), planes.smooth.take(g, 0)) > np.cos(SHARP)
    part = pieces_joined(f[gentle], g[gentle], len(label))
    size = np.bincount(part, np.where(label < 0, area, 0.0))
    large = np.flatnonzero(size >= LEAST_SHARE * whole)
    number = np.full(len(size), -1)
    number[large] = len(planes.mm2) + np.arange(len(large))
    left = label < 0
    label[left] = number[part[left]]
    return label


def _spread(label: NDArray[np.int32], mates: NDArray[np.int32]) -> NDArray[np.int32]:
    """Parts grown into the few faces between them: a ridge is a little round on any print."""
    for _ in range(BETWEEN):
        beyond = np.where(mates >= 0, label[np.maximum(mates, 0)], -1).max(axis=1)
        label = np.where(label < 0, beyond, label).astype(np.int32)
    return label


def _by_sample(surface: Surface, mesh: Mesh, area: NDArray, label: NDArray[np.int32]) -> NDArray[np.int64]:
    """(N,) the part of each sample: of those that the faces round it lie on, the first that has a good share of them,
    so that all samples along an edge go with the same side, and a border is as straight as the edge."""
    dots, face = dots_on(mesh, area, max(surface.spacing, float(np.sqrt(area.sum() / MOST_DOTS))))
    laid = Mesh(surface.points, surface.faces)
    normals, middle, crosses = mesh.crosses(), laid.middles(), laid.crosses()
    at = tree_of(dots).query(middle, k=min(NEAREST, len(dots)), workers=-1)[1].reshape(len(middle), -1)
    nearest = face.take(at[:, 0])
    left = np.arange(len(at))  # faces whose nearest dot looks another way: the other side of a thin thing
    for k in range(at.shape[1]):
        other = face.take(at[left, k])
        facing = np.einsum("nj,nj->n", normals.take(other, axis=0), crosses.take(left, axis=0)) > 0
        nearest[left[facing]] = other[facing]
        left = left[~facing]
    part = label[nearest].astype(np.int64) + 1  # 0: none
    mm2, count = np.repeat(np.linalg.norm(crosses, axis=1), 3), int(part.max(initial=0)) + 1
    from scipy.sparse import coo_matrix

    round_it = coo_matrix((mm2, (surface.faces.ravel(), np.repeat(part, 3))), (len(surface), count)).tocsr()
    whole = np.maximum(np.asarray(round_it.sum(axis=1)).ravel(), 1e-12)
    round_it.sum_duplicates()
    rows = np.repeat(np.arange(len(surface)), np.diff(round_it.indptr))
    enough = (round_it.data >= GOOD_SHARE * whole[rows]) & (round_it.indices > 0)
    out = np.full(len(surface), count)
    np.minimum.at(out, rows[enough], round_it.indices[enough])
    return np.where(out < count, out - 1, -1)


def _noted(mesh: Mesh, label: NDArray, area: NDArray, spacing: float, notes: Sequence[FacetNote]) -> dict[int, str]:
    """What was said of the parts (F,) that some places lie on."""
    if not notes:
        return {}
    dots, face = dots_on(mesh, area, max(spacing, float(np.sqrt(area.sum() / MOST_DOTS))))
    at = tree_of(dots).query(np.array([note.place for note in notes], float))[1]
    return {int(label[face[k]]): one.kind for k, one in zip(at, notes, strict=True) if label[face[k]] >= 0}


def _cut(
    mesh: Mesh, label: NDArray[np.int32], normals: NDArray, area: NDArray, spacing: float, cuts: Sequence[FacetCut]
) -> NDArray[np.int32]:
    """(F,) the parts with those under strokes cut in two, along the plane through the stroke that stands on the
    part under its middle. The smaller side is the new one."""
    if not cuts:
        return label
    dots, face = dots_on(mesh, area, max(spacing, float(np.sqrt(area.sum() / MOST_DOTS))))
    middle, tree, label = mesh.middles(), tree_of(dots), label.copy()
    for cut in cuts:
        start, end = np.array(cut.place, float), np.array(cut.end, float)
        under = face[tree.query((start + end) / 2)[1]]
        part = label[under]
        if part < 0:
            continue
        rows = np.flatnonzero(label == part)
        across = np.cross(normals[under], end - start)
        side = (middle[rows] - start) @ across > 0
        if not side.any() or side.all():
            continue
        smaller = side if area[rows[side]].sum() <= area[rows[~side]].sum() else ~side
        label[rows[smaller]] = label.max() + 1
    return label


def _mean(normals: NDArray, area: NDArray) -> NDArray[np.float64]:
    mean = area @ normals
    return mean / max(float(np.linalg.norm(mean)), 1e-12)


def _kind(
    normals: NDArray[np.float64], area: NDArray[np.float64], middle: NDArray[np.float64]
) -> tuple[str, NDArray[np.float64]]:
    """What a part is by its faces' normals (F, 3) and middles (F, 3), and its axis; "" where it is nothing plain."""
    weight = area / max(float(area.sum()), 1e-30)
    if float(np.linalg.norm(weight @ normals)) > np.cos(FLAT):
        return "flat", np.array([1.0, 0.0, 0.0])
    spread, axes = np.linalg.eigh(np.einsum("i,ij,ik->jk", weight, normals, normals))
    if spread[0] < ONE_WAY and spread[1] > EVERY_WAY:
        round_ = axes[:, 1:]  # across its axis
        return ("cylinder" if _round(normals @ round_, middle @ round_, weight) else ""), axes[:, 0]
    if spread[0] > EVERY_WAY and _round(normals, middle, weight):
        return "ball", axes[:, 2]
    return "", axes[:, 0]


def _round(normals: NDArray, places: NDArray, weight: NDArray) -> bool:
    """Whether normals point away from one place or axis, and all from about as far: n = (p − c) / r, by least
    squares."""
    p, n = places - weight @ places, normals - weight @ normals
    curved = float(weight @ (p * n).sum(axis=1)) / max(float(weight @ (p * p).sum(axis=1)), 1e-30)
    left = float(weight @ ((n - curved * p) ** 2).sum(axis=1))
    return left < ROUND * float(weight @ (n * n).sum(axis=1))


def from_edges(surface: Surface, bends: Bends, sharper: float) -> NDArray[np.float64]:
    """(N,) mm from each sample to the nearest edge that bends outward by more than so many radians."""
    sharp = np.flatnonzero((bends.angle > sharper) & bends.convex)
    if not len(sharp):
        return np.full(len(surface), np.inf)
    start = bends.joined.vertices[bends.edges.ends[sharp, 0]].astype(float)
    count = np.maximum(np.ceil(bends.length[sharp] / (surface.spacing / 4)).astype(np.int64), 1)
    row = np.repeat(np.arange(len(sharp)), count)
    share = (np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)) / count[row]
    dots = start[row] + share[:, None] * bends.along[sharp][row]
    return tree_of(dots).query(surface.points, workers=-1)[0]
