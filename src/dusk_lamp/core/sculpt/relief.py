"""Relief: crests and creases as lines with lengths, cavity and exposedness as fields, at the scale of a brush."""

from collections.abc import Sequence
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..directions import fibonacci_sphere
from ..errors import SettingError
from ..rays import in_threads, stretches
from .edges import Edges, edges_of, same_places
from .mesh import Mesh, summed
from .surface import SHARP_DEGREES, Surface

DIRECTIONS, FEW_DIRECTIONS = 256, 48  # few where there are many samples, whose neighbours even them out
MANY_SAMPLES = 50_000
USUAL_SCALE_SHARE = 0.5 / 32  # 0.5 mm on a 32 mm figure, the middle of a brush's reach
RADIUS_SHARE = 0.5  # an edge rounder than this share of the scale is a curve of the form, not an edge
LEAST_DEGREES = 12.0  # a bend gentler than this is no edge, however small its radius: it is noise
DOUBLE_SHARE = 0.8  # a line with this share of its places beside a longer one is the same edge again
# of the model's size: a ring no wider is a stud's; no steeper, it faces up and is lit all round
STUD_SHARE, LEVEL = 0.08, 0.3
EVEN_ROUNDS = 2
_ALONGSIDE = 0.7  # cosine between an edge and one that runs beside it
LEAST_LENGTH = 2.0  # an edge shorter than this many scales is a bump
GRAZE = 0.05  # less light than this is a lamp that only grazes past
OPPOSITE = -0.5  # a face turned this far away is the other side of a thin sheet, not the far side of a crest


@dataclass(frozen=True)
class Line:
    """One crest or crease.

    places: (P, 3) float32 mm, from end to end (a ring repeats its first place). corners: (P,) int32, the same places
    by number in the relief's joined mesh. length: mm. angle: mean bend, degrees. convex: a crest, else a crease.
    """

    places: NDArray[np.float32]
    corners: NDArray[np.int32]
    length: float
    angle: float
    convex: bool


@dataclass(frozen=True)
class Relief:
    """What a brush feels of a surface: cavity and exposed (N,) 0..1, at the brush's scale."""

    cavity: NDArray[np.float32]
    exposed: NDArray[np.float32]


class Bends:
    """How the faces of a surface meet: the bend at every edge, and on which side.

    joined: the surface with the two sides of its sharp edges welded together again. place: (N,) int32, the joined
    vertex that each sample lies at. edges: its edges. angle: (E,) float64 radians between the normals of the two
    faces, 0 where there are not two. convex: (E,) bool. across: (E,) float64 mm from middle to middle of the two
    faces, measured square to the edge.
    """

    def __init__(self, surface: Surface) -> None:
        self.place, first = same_places(surface.points)
        self.joined: Mesh = Mesh(surface.points[first], self.place[surface.faces])
        self.edges: Edges = edges_of(self.joined.faces, len(self.joined.vertices))
        cross = self.joined.crosses()
        twice = np.maximum(np.linalg.norm(cross, axis=1), 1e-300)
        self.normals = cross / twice[:, None]
        half = np.flatnonzero(self.edges.mate > np.arange(len(self.edges.mate)))
        mate = self.edges.mate[half]
        f, g = half // 3, mate // 3
        edge = self.edges.edge[half]
        count = len(self.edges.ends)
        self.faces = np.full((count, 2), -1, np.int32)
        self.faces[edge] = np.stack([f, g], axis=1)
        self.angle = np.zeros(count)
        normals_f, normals_g = (self.normals.take(k, axis=0) for k in (f, g))
        cosine = np.einsum("ij,ij->i", normals_f, normals_g)
        sine = np.linalg.norm(np.cross(normals_f, normals_g), axis=1)
        self.angle[edge] = np.arctan2(sine, cosine)
        tip = self.joined.faces.take(3 * g + (mate - 3 * g + 2) % 3)  # the corner of g that f does not share
        vertices = self.joined.vertices
        foot = vertices.take(self.joined.faces.take(half), axis=0).astype(float)
        self.convex = np.ones(count, np.bool_)
        self.convex[edge] = np.einsum("ij,ij->i", vertices.take(tip, axis=0) - foot, normals_f) <= 0
        a, b = self.edges.ends.T
        self.along = (vertices.take(b, axis=0) - vertices.take(a, axis=0)).astype(float)
        self.length = np.linalg.norm(self.along, axis=1)
        self.across = np.zeros(count)
        self.across[edge] = (twice[f] + twice[g]) / 3 / np.maximum(self.length[edge], 1e-300)


def usual_scale(surface: Surface) -> float:
    """The scale in mm that relief is read at where none is asked for."""
    return USUAL_SCALE_SHARE * (surface.height or surface.size)


def lines(surface: Surface, scale: float | None = None, bends: Bends | None = None) -> list[Line]:
    """Crests and creases, longest first.

    An edge of the mesh belongs to one where it bends by more than SHARP_DEGREES, or where the bend is so tight that
    its radius (width over angle) is under RADIUS_SHARE of the scale and tighter than at the edges beside it. What is
    shorter than LEAST_LENGTH scales is sculpted noise and left out.

    Raises:
        SettingError: the scale is no positive length.
    """
    scale = _checked(surface, scale)
    bends = bends or Bends(surface)
    radius = bends.across / np.maximum(bends.angle, 1e-9)
    tight = (bends.angle > np.radians(LEAST_DEGREES)) & (radius < RADIUS_SHARE * scale) & _tightest(bends)
    chosen = (bends.angle > np.radians(SHARP_DEGREES)) | tight
    found = []
    for convex in (True, False):
        found += _chains(bends, np.flatnonzero(chosen & (bends.convex == convex)), convex, LEAST_LENGTH * scale)
    found.sort(key=lambda line: -line.length)
    return _without_doubles(found, RADIUS_SHARE * scale)


def _without_doubles(found: list[Line], near: float) -> list[Line]:
    """Lines, longest first, without those that run beside a longer one of their kind: a rounded edge on a fine mesh
    shows as two or three."""
    round_about = np.stack(np.meshgrid(*[[-1, 0, 1]] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    taken: dict[bool, set[tuple[int, ...]]] = {True: set(), False: set()}  # cells within reach of a kept line
    kept = []
    for line in found:
        cells = np.floor(line.places / near).astype(int)
        beside = [tuple(cell) in taken[line.convex] for cell in cells.tolist()]
        if np.mean(beside) < DOUBLE_SHARE:
            kept.append(line)
            taken[line.convex].update(map(tuple, (cells[:, None] + round_about).reshape(-1, 3).tolist()))
    return kept


def _run_length(places: NDArray[np.float32]) -> float:
    """Length of a line of mesh edges along its run: evened out, or a zigzag would count as detour."""
    return float(_evened_length(places.astype(np.float64), EVEN_ROUNDS))


@numba.njit(cache=True, nogil=True)
def _evened_length(p, rounds):
    last = len(p) - 1
    ring = last > 2 and p[0, 0] == p[last, 0] and p[0, 1] == p[last, 1] and p[0, 2] == p[last, 2]
    for _ in range(rounds):
        even = p.copy()
        for i in range(0 if ring else 1, last + 1 if ring else last):
            before, after = last - 1 if i == 0 else i - 1, 1 if i == last else i + 1
            for k in range(3):
                even[i, k] = (p[before, k] + 2 * p[i, k] + p[after, k]) / 4
        p = even
    whole = 0.0
    for i in range(last):
        whole += np.sqrt((p[i + 1, 0] - p[i, 0]) ** 2 + (p[i + 1, 1] - p[i, 1]) ** 2 + (p[i + 1, 2] - p[i, 2]) ** 2)
    return whole


def lengths(
    found: list[Line], bends: Bends, light: NDArray[np.float32], labels: NDArray[np.uint8], regions: int
) -> dict[str, dict[str, list[float]]]:
    """Whole length and the length the lamp can see, in mm, of the crests and the creases of each region.

    Args:
        found: the lines.
        bends: of the same surface.
        light: (N,) of the lamp alone; a piece counts as lit where a side of it gets more than GRAZE of it at both
        ends. labels: (N,) uint8 region of each sample, 0 for the rest. regions: how many there are beside the rest.
    Returns:
        for "crests" and "creases": "length" and "lit", each a list over the rest (first) and the regions.
    """
    count = len(bends.joined.vertices)
    lit, label = np.zeros(count, np.float32), np.zeros(count, np.uint8)
    np.maximum.at(lit, bends.place, light)
    np.maximum.at(label, bends.place, labels)  # an edge between a region and the rest is the region's
    out = {}
    for name, convex in (("crests", True), ("creases", False)):
        whole, seen = np.zeros(regions + 1), np.zeros(regions + 1)
        for line in found:
            if line.convex != convex:
                continue
            piece = np.linalg.norm(np.diff(line.places.astype(float), axis=0), axis=1)
            piece *= line.length / max(piece.sum(), 1e-12)  # the run of the line, not its zigzag
            a, b = line.corners[:-1], line.corners[1:]
            region = np.where(label[a] == label[b], label[a], 0)
            shone_on = np.minimum(lit[a], lit[b]) > GRAZE
            whole += np.bincount(region, piece, minlength=regions + 1)
            seen += np.bincount(region, piece * shone_on, minlength=regions + 1)
        out[name] = {"length": whole.round(2).tolist(), "lit": seen.round(2).tolist()}
    return out


def caught(line: Line, size: float) -> NDArray[np.bool_]:
    """(P − 1,) the pieces of a crest that take an edge highlight: all, but of the rim of a stud or a scale its upper
    half (craft page, section 12). size: of the model, mm."""
    middle = (line.places[:-1] + line.places[1:]) / 2
    wide = np.ptp(line.places, axis=0)
    ring = line.corners[0] == line.corners[-1] and float(wide.max()) < STUD_SHARE * size
    if not ring or wide[2] < LEVEL * float(wide.max()):
        return np.ones(len(middle), np.bool_)
    return middle[:, 2] >= line.places[:, 2].min() + wide[2] / 2


def closely(pieces: Sequence[NDArray], step: float) -> NDArray[np.float64]:
    """(M, 3) places along lines of places (P, 3), no further apart than `step` mm."""
    out = [np.zeros((0, 3))]
    for places in pieces:
        begin, end = np.asarray(places[:-1], float), np.asarray(places[1:], float)
        times = np.maximum(np.ceil(np.linalg.norm(end - begin, axis=1) / step), 1).astype(int)
        row = np.repeat(np.arange(len(begin)), times)
        share = (np.arange(len(row)) - np.repeat(np.cumsum(times) - times, times)) / times[row]
        out += [begin[row] + share[:, None] * (end - begin)[row], np.asarray(places[-1:], float)]
    return np.concatenate(out)


def covered_by(far: NDArray, half: NDArray | float, spacing: float) -> NDArray[np.float32]:
    """(N,) how much of what belongs to each sample a line covers that runs `far` (N,) mm from it and is `half` mm to
    either side: a border falls between samples, and follows the edge instead of them. spacing: mm from one sample to
    the next; a line finer than that is as wide as one."""
    return np.clip((np.maximum(half, 0.5 * spacing) - far) / spacing + 0.5, 0, 1).astype(np.float32)


def corners_seeing(surface: Surface, bends: Bends, toward: NDArray) -> NDArray[np.bool_]:
    """(V,) which places of the joined surface see out toward a direction (3,) past one of the faces that meet
    there."""
    mesh = bends.joined
    front = np.flatnonzero(bends.normals @ toward > GRAZE)
    corners, normals = mesh.faces[front].ravel(), np.repeat(bends.normals[front], 3, axis=0)
    out = np.stack([summed(corners, normals[:, k], len(mesh.vertices)) for k in range(3)], axis=1)
    far = np.linalg.norm(out, axis=1)
    seen = far > 0
    lift = max(2 * surface.lift_share * surface.size, 1e-6)
    origins = mesh.vertices[seen] + lift * out[seen] / far[seen][:, None]
    seen[seen] = ~surface.caster.blocked(origins.astype(np.float32), np.asarray(toward, np.float32))
    return seen


def _tightest(bends: Bends) -> NDArray[np.bool_]:
    """(E,) whether no edge that runs beside it, in the two faces it joins, bends more the same way."""
    unit = bends.along / np.maximum(bends.length, 1e-300)[:, None]
    return _unrivalled(bends.faces, bends.edges.edge.reshape(-1, 3), unit, bends.angle, bends.convex)


@numba.njit(cache=True, nogil=True)
def _unrivalled(faces, of_face, unit, angle, convex):
    best = np.ones(len(angle), np.bool_)
    for e in range(len(angle)):
        for side in range(2):
            f = faces[e, side]
            if f < 0:
                continue
            for k in range(3):
                other = of_face[f, k]
                if other != e and angle[other] > angle[e] and convex[other] == convex[e]:
                    across = unit[e, 0] * unit[other, 0] + unit[e, 1] * unit[other, 1] + unit[e, 2] * unit[other, 2]
                    if abs(across) > _ALONGSIDE:
                        best[e] = False
    return best


def _chains(bends: Bends, chosen: NDArray[np.int64], convex: bool, shortest: float) -> list[Line]:
    """Join edges end to end into lines, short ones left out; a place where three or more meet ends a line."""
    if not len(chosen):
        return []
    places, ends = np.unique(bends.edges.ends[chosen], return_inverse=True)
    ends = ends.reshape(-1, 2)
    meet = np.argsort(ends.ravel(), kind="stable") // 2  # the edges at each place, one place after another
    edges, corners, starts = _followed(ends, meet, np.searchsorted(np.sort(ends.ravel()), np.arange(len(places) + 1)))
    length = bends.length[chosen][edges]
    out = []
    for k in np.flatnonzero(np.add.reduceat(length, starts[:-1]) >= shortest).tolist():  # evening out only shortens
        span = slice(starts[k], starts[k + 1])
        run = places[corners[starts[k] + k : starts[k + 1] + k + 1]]  # one corner more than edges
        angle = float(np.degrees(np.average(bends.angle[chosen[edges[span]]], weights=length[span])))
        at = bends.joined.vertices[run]
        out.append(Line(at, run.astype(np.int32), _run_length(at), angle, convex))
    return out


@numba.njit(cache=True, nogil=True)
def _followed(ends, meet, starts):
    """Edges (E, 2) by the numbers of their ends, in the order in which they run end to end; the places they run
    through; and where each run of edges starts (runs + 1,). meet: the edges at each place; starts: where those of
    each begin. Open runs come first, from their ends; what is left over are rings."""
    used, edges = np.zeros(len(ends), np.bool_), np.empty(len(ends), np.int64)
    corners, begun = np.empty(2 * len(ends), np.int64), np.empty(len(ends) + 1, np.int64)
    runs, count = 0, 0
    for rings in (False, True):
        for begin in range(len(starts) - 1):
            if not rings and starts[begin + 1] - starts[begin] == 2:
                continue
            for first in meet[starts[begin] : starts[begin + 1]]:
                if used[first]:
                    continue
                e, v = first, begin
                begun[runs] = count
                corners[count + runs] = v
                while e >= 0:
                    used[e] = True
                    v = ends[e, 1] if v == ends[e, 0] else ends[e, 0]
                    edges[count] = e
                    count += 1
                    corners[count + runs] = v
                    e = -1
                    if starts[v + 1] - starts[v] == 2:
                        for other in meet[starts[v] : starts[v + 1]]:
                            if not used[other]:
                                e = other
                                break
                runs += 1
    begun[runs] = count
    return edges, corners, begun[: runs + 1]


def cavity(
    surface: Surface, scale: float | None = None, rows: NDArray[np.integer] | None = None
) -> NDArray[np.float32]:
    """(N,) 0..1: how much of its surroundings a spot sees blocked by its own surface, by cosine, within twice the
    scale. rows: (M,) of the samples that it is wanted of, None for all.

    A flat spot has 0; a hemispherical pit up to the scale in radius has 0.5 anywhere inside it (every spot of a
    sphere sees every other alike); a groove what its walls take of the view. Source: ambient occlusion, Zhukov et
    al. (1998).
    """
    return _met(surface, _checked(surface, scale), rows, inward=False)


def relief_of(surface: Surface, scale: float | None = None, rows: NDArray[np.integer] | None = None) -> Relief:
    """Cavity and exposedness together, of all samples or of some rows."""
    return Relief(cavity(surface, scale, rows), exposed(surface, scale, rows))


def exposed(
    surface: Surface, scale: float | None = None, rows: NDArray[np.integer] | None = None
) -> NDArray[np.float32]:
    """(N,) 0..1: the same looking into the body: how soon it ends. A flat spot of a thick body has 0, a crest much.

    What lies straight behind, the other side of a thin sheet, does not count: a cloak is no crest.
    """
    return _met(surface, _checked(surface, scale), rows, inward=True)


def _met(surface: Surface, scale: float, rows: NDArray[np.integer] | None, inward: bool) -> NDArray[np.float32]:
    reach, own_rows = 2 * scale, slice(None) if rows is None else rows
    sphere = fibonacci_sphere(FEW_DIRECTIONS if len(surface) > MANY_SAMPLES else DIRECTIONS)
    skin = surface.points[own_rows] + surface.inset[own_rows]
    lift = surface.origins[own_rows] - skin
    origins = surface.caster.boxed(skin - lift if inward else skin + lift)
    outward = surface.normals[own_rows]
    normals = -outward if inward else outward
    seen, whole = np.zeros(len(skin), np.float32), np.zeros(len(skin), np.float32)
    face_normals = _face_normals(surface) if inward else None

    def from_stretch(span: slice) -> None:
        for toward in sphere:
            cosine = normals[span] @ toward
            facing = np.flatnonzero(cosine > 0)
            cosine, facing = cosine[facing], facing + span.start
            if face_normals is None:
                hit = surface.caster.boxed_blocked(origins.take(facing, axis=0), toward, reach)
            else:
                met = surface.caster.boxed_first_face(origins.take(facing, axis=0), toward, reach)
                hit = met >= 0
                # the far side of a thin sheet looks the other way
                turned = np.einsum("ij,ij->i", face_normals[met[hit]], outward[facing[hit]])
                hit[np.flatnonzero(hit)[turned < OPPOSITE]] = False
            whole[facing] += cosine
            seen[facing[hit]] += cosine[hit]

    in_threads(from_stretch, stretches(len(skin)))
    np.divide(seen, whole, out=seen, where=whole > 0)
    return seen


def _face_normals(surface: Surface) -> NDArray[np.float32]:
    """(F, 3) across each face."""
    corners = surface.points[surface.faces]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return across / np.maximum(np.linalg.norm(across, axis=1), 1e-30)[:, None]


def _checked(surface: Surface, scale: float | None) -> float:
    if scale is None:
        return usual_scale(surface)
    if not (np.isfinite(scale) and scale > 0):
        raise SettingError(f"a scale is a length in mm, such as 0.5, not {scale:g}")
    return scale
