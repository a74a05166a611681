"""The working surface: evenly spread samples of a sculpt, fine enough for a fine brush, few enough to relight at
once."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..places import tree_of
from ..rays import Caster
from .decimate import DENSE, THIN, cubes, decimated, proper, thinned
from .edges import connected, edges_of, same_places
from .mend import weld
from .mesh import Mesh, cross, sides, summed

BRUSH_MARK_SHARE = 0.15 / 32  # sample spacing over height: a fine brush mark, 0.15 mm on a 32 mm figure
# by default, before sharp edges are split; a painter may ask for others
FEWEST_SAMPLES, MOST_SAMPLES = 100_000, 190_000
SAMPLES_LIMIT = 2_000_000
SHARP_DEGREES = 40.0  # a bend sharper than this is an edge of the form and gets a normal on either side
AS_IS_LIFT_SHARE = 5e-5  # nearer, where a file's own vertices are compared; still far above rounding
LIFT_SHARE = 3e-4  # rays start this share of the size off the skin (0.01 mm at 32 mm), far below a brush mark
INSET_SHARE = 0.02  # and this share of the way to the middle of their own faces, so no seam swallows a sample


@dataclass(frozen=True)
class Surface:
    """The samples everything is computed on. A field is an array whose first axis is N.

    points (N, 3) float32 mm, normals (N, 3) float32 unit (0 where no face), areas (N,) float32 mm²,
    faces (F, 3) int32, part (N,) int32, inset (N, 3) float32 mm from a sample toward its own faces.
    """

    points: NDArray[np.float32]
    normals: NDArray[np.float32]
    areas: NDArray[np.float32]
    faces: NDArray[np.int32]
    part: NDArray[np.int32]
    inset: NDArray[np.float32]
    lift_share: float = LIFT_SHARE  # rays start this share of the size off the skin
    blockers: "Surface | None" = None  # what rays run into, where that is not this surface itself

    def __len__(self) -> int:
        return len(self.points)

    @cached_property
    def size(self) -> float:
        """Longest side of the bounding box, mm."""
        return float(max(np.ptp(self.points[:, k]) for k in range(3)))

    @cached_property
    def outermost(self) -> NDArray[np.float32]:
        """(H, 3) the corners of its convex hull: as far as it reaches in any direction, some of these reach."""
        from scipy.spatial import ConvexHull, QhullError

        try:
            return self.points[ConvexHull(self.points.astype(np.float64)).vertices]
        except (QhullError, ValueError):  # a flat sheet, or hardly any points
            return self.points

    @property
    def height(self) -> float:
        """Height of the bounding box, mm."""
        return float(np.ptp(self.points[:, 2]))

    @cached_property
    def spacing(self) -> float:
        """Mean distance between neighbouring samples, mm: that of a triangular grid with as many to the mm²."""
        return float(np.sqrt(2 / np.sqrt(3) * self.areas.sum(dtype=np.float64) / max(len(self), 1)))

    @cached_property
    def origins(self) -> NDArray[np.float32]:
        """(N, 3) where rays start: a hair off the skin, so that no spot shadows itself."""
        lift = np.float32(self.lift_share * (self.blockers or self).size)
        return np.ascontiguousarray(self.points + self.inset + lift * self.normals, dtype=np.float32)

    @cached_property
    def caster(self) -> Caster:
        """The surface made ready for rays."""
        return self.blockers.caster if self.blockers is not None else Caster(self.points, self.faces)

    @cached_property
    def edges(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """The two ends (E,) of every edge between samples. The two sides of a sharp edge share none."""
        ends = edges_of(self.faces, len(self)).ends
        return ends[:, 0], ends[:, 1]


def working_surface(
    mesh: Mesh, shell: NDArray[np.int32] | None = None, samples: int | None = None, most: int | None = None
) -> Surface:
    """Lay out the samples of a mended mesh that stands on the bench in mm.

    What is denser than needed is decimated (quadric error, `fast-simplification`), what is coarser is subdivided at
    its long edges, and samples are split where the form has a sharp edge. The number of samples is what a spacing of
    0.15 mm at 32 mm of height needs, between FEWEST_SAMPLES and MOST_SAMPLES, or `samples`.

    Args:
        mesh: welded, outward, mm.
        shell: (F,) int32 shell of each face; all one where not given.
        samples: about how many samples to lay out. most: but no more than so many, for a small machine.
    Raises:
        SettingError: samples outside 100 .. SAMPLES_LIMIT.
    """
    area = mesh.area()
    tall = float(np.ptp(mesh.bounds[:, 2])) or float(np.ptp(mesh.bounds, axis=0).max())
    per_mm2 = 2 / np.sqrt(3) / (BRUSH_MARK_SHARE * tall) ** 2
    if samples is None:
        samples = int(np.clip(area * per_mm2, FEWEST_SAMPLES, MOST_SAMPLES))
        samples = samples if most is None else max(100, min(samples, most))
    elif not 100 <= samples <= SAMPLES_LIMIT:
        raise SettingError(f"samples are between 100 and {SAMPLES_LIMIT:,}, not {samples:,}")
    shell = np.zeros(len(mesh.faces), np.int32) if shell is None else shell
    mesh, shell = _evened(mesh, shell, samples)
    return _sorted(_split_at_edges(mesh, shell))


def _evened(mesh: Mesh, shell: NDArray[np.int32], samples: int) -> tuple[Mesh, NDArray[np.int32]]:
    """A mesh of about so many vertices, and the shell of each of its faces: decimated where it is denser than need
    be, subdivided where it is coarser."""
    area, target_faces = mesh.area(), 2 * samples
    if len(mesh.faces) > DENSE * target_faces:
        mesh, shell = thinned(mesh, shell, int(THIN * samples))
    if len(mesh.faces) > target_faces:  # a little too few, so that long edges can still be cut where it went too far
        mesh, shell = decimated(mesh, shell, int(0.85 * target_faces))
    spacing = np.sqrt(2 / np.sqrt(3) * area / samples)
    return _subdivided(mesh, shell, spacing, target_faces)


def smoothed(surface: Surface, field: NDArray[np.float32], rounds: int) -> NDArray[np.float32]:
    """(N,) float32 field evened out over about so many samples' spacing, never across a sharp edge.

    Each round takes the mean of a sample and its neighbours.
    """
    return _means(*surface.edges, field.astype(np.float64), rounds).astype(np.float32)


@numba.njit(cache=True, nogil=True)
def _means(a, b, field, rounds):
    """(N,) a field after so many rounds of means with what edges (E,) from a to b join."""
    count = np.ones(len(field))
    for e in range(len(a)):
        count[a[e]] += 1
        count[b[e]] += 1
    one, other = np.empty_like(field), np.empty_like(field)
    for _ in range(rounds):
        one[:], other[:] = 0, 0
        for e in range(len(a)):
            one[a[e]] += field[b[e]]
            other[b[e]] += field[a[e]]
        field = (field + one + other) / count
    return field


QUICK_SAMPLES = 30_000  # enough to tell how much of a sculpt is how; a fifth of the work
ROUGH_SAMPLES = 12_000  # enough to show a sculpt whose light moves


def quick_samples(surface: Surface, samples: int = QUICK_SAMPLES) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Which samples (M,) int32, and faces (G, 3) int32 between them by place in that list, stand for all: one for
    each small cube, so that each stands for about as much area."""
    if len(surface) <= samples:
        return np.arange(len(surface), dtype=np.int32), surface.faces
    number, chosen, _ = cubes(Mesh(surface.points, surface.faces), samples)
    faces = number[surface.faces]
    return chosen, np.ascontiguousarray(faces[proper(faces)])


class RoughForm(NamedTuple):
    """Few samples that show a form. chosen: (M,) int32 samples. faces: (G, 3) int32 between them, by place in that
    list. areas: (M,) float32 mm², of the form that each stands for."""

    chosen: NDArray[np.int32]
    faces: NDArray[np.int32]
    areas: NDArray[np.float32]


def rough_form(surface: Surface, samples: int = ROUGH_SAMPLES) -> RoughForm:
    """The form in about so many of its own samples, evened as the whole was: few where it is flat, and thin things
    stay whole. While a lamp is dragged only these are lit and drawn."""
    if len(surface) <= samples:
        return RoughForm(np.arange(len(surface), dtype=np.int32), surface.faces, surface.areas)

    place, first = same_places(surface.points)  # samples on either side of an edge share a place
    whole = Mesh(surface.points[first], place[surface.faces].astype(np.int32))
    form, _ = _evened(whole, np.zeros(len(whole.faces), np.int32), samples)
    at = tree_of(whole.vertices).query(form.vertices, workers=-1)[1][form.faces]
    at = at[proper(at)]
    form = Mesh(whole.vertices, at.astype(np.int32))
    faces = _facing(form, np.argsort(place, kind="stable"), np.bincount(place), surface.normals)
    chosen, between = np.unique(faces, return_inverse=True)
    between = between.reshape(-1, 3)
    areas = summed(between.ravel(), np.repeat(form.face_areas() / 3, 3), len(chosen))
    return RoughForm(chosen.astype(np.int32), between.astype(np.int32), areas.astype(np.float32))


def _facing(
    form: Mesh, samples: NDArray[np.int64], counts: NDArray[np.int64], normals: NDArray[np.float32]
) -> NDArray[np.int64]:
    """(F, 3) for each corner of a form, of the samples at its place the one that faces most as the face does.
    samples: all of them, place by place. counts: of those at each place."""
    return _facing_most(form.faces, form.crosses(), samples, np.cumsum(counts) - counts, counts, normals)


@numba.njit(cache=True, nogil=True)
def _facing_most(faces, across, samples, starts, counts, normals):
    out = np.empty(faces.shape, np.int64)
    for f in range(len(faces)):
        for k in range(3):
            place = faces[f, k]
            most, out[f, k] = -np.inf, samples[starts[place]]
            for j in range(starts[place], starts[place] + counts[place]):
                normal = normals[samples[j]]
                facing = across[f, 0] * normal[0] + across[f, 1] * normal[1] + across[f, 2] * normal[2]
                if facing > most:
                    most, out[f, k] = facing, samples[j]
    return out


def some_samples(
    surface: Surface, chosen: NDArray[np.int32], faces: NDArray[np.int32], areas: NDArray[np.float32] | None = None
) -> Surface:
    """Only the chosen samples (M,), joined by faces (G, 3), shadowed by the whole surface. areas: (M,) that they
    stand for; None for their own."""
    return Surface(
        surface.points[chosen],
        surface.normals[chosen],
        surface.areas[chosen] if areas is None else areas,
        faces,
        surface.part[chosen],
        surface.inset[chosen],
        surface.lift_share,
        blockers=surface,
    )


def as_is_surface(mesh: Mesh) -> Surface:
    """The file's own vertices as samples, so that results can be compared vertex by vertex.

    Normals are smoothed over neighbours up to SHARP_DEGREES, also where the file repeats a corner; a vertex that the
    file itself shares across a sharp edge gets the mean. A vertex without a face has no normal and receives no light.
    """
    welded = weld(mesh)
    smooth, _, toward, patch = _patch_fields(welded)
    owner, n, angles = mesh.faces.ravel(), len(mesh.vertices), _angles(mesh)
    normals = np.stack([summed(owner, smooth[patch, k] * angles, n) for k in range(3)], axis=1)
    length = np.linalg.norm(normals, axis=1)
    normals /= np.where(length > 0, length, 1)[:, None]
    uses = np.maximum(np.bincount(owner, minlength=n), 1)
    inset = np.stack([summed(owner, toward[patch, k], n) for k in range(3)], axis=1) / uses[:, None]
    # a coarse file's vertices must not wander: no further along the skin than off it
    most = AS_IS_LIFT_SHARE * float(np.ptp(mesh.bounds, axis=0).max())
    inset *= np.minimum(1, most / np.maximum(np.linalg.norm(inset, axis=1), 1e-300))[:, None]
    return Surface(
        points=mesh.vertices,
        normals=normals.astype(np.float32),
        areas=summed(owner, np.repeat(mesh.face_areas() / 3, 3), n).astype(np.float32),
        faces=mesh.faces,
        part=np.zeros(n, np.int32),
        inset=inset.astype(np.float32),
        lift_share=AS_IS_LIFT_SHARE,
    )


def _subdivided(
    mesh: Mesh, shell: NDArray[np.int32], spacing: float, most_faces: float
) -> tuple[Mesh, NDArray[np.int32]]:
    """Split long edges in the middle until none is longer than it need be, or the faces run out.

    Both faces of an edge see the same split, so no cracks open. Starts with the very long edges and tightens, so that
    when the faces run out they were spent where the file was coarsest. Faces with short edges alone stay as they are.
    """
    longest = float(np.ptp(mesh.bounds, axis=0).max()) * 1.8
    limits = spacing * 1.35 * 2.0 ** np.arange(max(0, np.ceil(np.log2(longest / spacing))), -1, -1)
    long = mesh.longest_sides() > limits[-1]
    short, its_shell = mesh.faces[~long], shell[~long]
    points, faces, shell = _cut(mesh.vertices, mesh.faces[long], shell[long], limits, most_faces - len(short))
    return Mesh(points, np.concatenate([short, faces])), np.concatenate([its_shell, shell])


def _cut(points, faces, shell, limits, most_faces):
    """Points, faces and their shells after all edges longer than a limit are split, from one limit to the next."""
    edges, length = None, None
    for limit in limits:
        for _ in range(2):
            if edges is None or length is None:
                edges = edges_of(faces, len(points))
                length = _lengths(points, edges.ends)
            long = length > limit
            if not long.any():
                break
            extra = int(long[edges.edge].sum())
            if len(faces) + extra > most_faces:  # only the longest of them
                room = max(0, int((most_faces - len(faces)) / 2))
                cut = np.sort(length)[-room] if 0 < room < len(length) else np.inf
                long &= length >= cut
                if not long.any():
                    return points, faces, shell
            points, faces, shell = _split_edges(points, faces, shell, edges, long)
            edges = None
    return points, faces, shell


@numba.njit(cache=True, nogil=True)
def _lengths(points, ends):
    """(E,) float32 length of each edge."""
    out = np.empty(len(ends), np.float32)
    for e in range(len(ends)):
        a, b = ends[e]
        x, y, z = points[a, 0] - points[b, 0], points[a, 1] - points[b, 1], points[a, 2] - points[b, 2]
        out[e] = np.sqrt(x * x + y * y + z * z)
    return out


def _split_edges(points, faces, shell, edges, long):
    """Put a new point in the middle of every long edge and cut the faces accordingly (1, 2 or 3 cuts)."""
    middle = np.full(len(long), -1, np.int64)
    a, b = edges.ends[long].T
    middle[long] = len(points) + np.arange(int(long.sum()))
    points = np.concatenate([points, (points[a] + points[b]) / 2]).astype(np.float32)
    m = middle[edges.edge].reshape(-1, 3)  # middle of ab, bc, ca
    cuts = (m >= 0).sum(axis=1)
    out, out_shell = [faces[cuts == 0]], [shell[cuts == 0]]

    three = cuts == 3
    (a, b, c), (ab, bc, ca) = faces[three].T, m[three].T
    for piece in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)):
        out.append(np.stack(piece, axis=1))
        out_shell.append(shell[three])

    one = cuts == 1  # turn the face so that the cut edge is ab
    turn = np.argmax(m[one] >= 0, axis=1)
    f, mm = _turned(faces[one], turn), _turned(m[one], turn)
    (a, b, c), ab = f.T, mm[:, 0]
    for piece in ((a, ab, c), (ab, b, c)):
        out.append(np.stack(piece, axis=1))
        out_shell.append(shell[one])

    two = cuts == 2  # turn the face so that the whole edge is ca
    turn = (np.argmin(m[two] >= 0, axis=1) + 1) % 3
    f, mm = _turned(faces[two], turn), _turned(m[two], turn)
    (a, b, c), (ab, bc, _) = f.T, mm.T
    for piece in ((ab, b, bc), (a, ab, bc), (a, bc, c)):
        out.append(np.stack(piece, axis=1))
        out_shell.append(shell[two])
    return points, np.concatenate(out).astype(np.int32), np.concatenate(out_shell)


def _turned(rows, turn):
    return np.take_along_axis(rows, (np.arange(3) + turn[:, None]) % 3, axis=1)


@numba.njit(cache=True, nogil=True)
def _sines(vertices, faces, sine, cosine):
    """(F, 3) sine and cosine of the angle at each corner of each face, both times the lengths of the two sides."""
    for f in range(len(faces)):
        for k in range(3):
            a, b, c = faces[f, k], faces[f, (k + 1) % 3], faces[f, (k + 2) % 3]
            u0, u1, u2, v0, v1, v2 = sides(vertices, a, b, c)
            x, y, z = cross(u0, u1, u2, v0, v1, v2)
            sine[f, k] = np.sqrt(x * x + y * y + z * z)
            cosine[f, k] = u0 * v0 + u1 * v1 + u2 * v2


def _angles(mesh: Mesh) -> NDArray[np.float64]:
    """(3F,) the angle of each face at each of its corners, radians."""
    sine, cosine = np.empty((2, len(mesh.faces), 3))
    _sines(mesh.vertices, mesh.faces, sine, cosine)
    return np.arctan2(sine, cosine).ravel()


def _patch_fields(mesh: Mesh):
    """For each smooth patch round a vertex (P): its normal, a third of its faces' area, and a little of the way
    toward its middle; and which patch each face corner (3F,) is of (one number per vertex and smooth side of it).

    Source of the weights: Thürmer and Wüthrich (1998), angle-weighted vertex normals.
    """
    faces = mesh.faces
    cross = mesh.crosses()
    length = np.sqrt(np.einsum("ij,ij->i", cross, cross))
    unit = cross / np.maximum(length, 1e-300)[:, None]

    # corners of one vertex belong together where their faces meet at a bend gentler than SHARP_DEGREES
    mate = edges_of(faces, len(mesh.vertices)).mate
    e = np.flatnonzero(mate > np.arange(len(mate)))
    g = mate[e]
    fe, fg = e // 3, g // 3
    gentle = np.einsum("ij,ij->i", unit[fe], unit[fg]) > np.cos(np.radians(SHARP_DEGREES))
    e, g, fe, fg = e[gentle], g[gentle], fe[gentle], fg[gentle]
    e2, g2 = fe * 3 + (e + 1 - fe * 3) % 3, fg * 3 + (g + 1 - fg * 3) % 3  # the corner at the edge's other end
    same = faces.ravel()[e] == faces.ravel()[g]
    patch = connected(faces.size, np.r_[e, e2], np.r_[np.where(same, g, g2), np.where(same, g2, g)])
    count = int(patch.max()) + 1

    normal, areas, inset = _patches(mesh.vertices, faces, patch.reshape(-1, 3), _angles(mesh).reshape(-1, 3), count)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    inset *= (INSET_SHARE / np.maximum(areas, 1e-300))[:, None]
    inset -= np.einsum("ij,ij->i", inset, normal)[:, None] * normal  # along the skin only
    return normal, areas, inset, patch


@numba.njit(cache=True, nogil=True)
def _patches(vertices, faces, patch, angles, count):
    """For each smooth patch round a vertex, from patch (F, 3) and angles (F, 3): its normal (count, 3), a third of
    the area of its faces (count,), and the way (count, 3) to their middles, weighed by area; not of unit length."""
    normal, area, toward = np.zeros((count, 3)), np.zeros(count), np.zeros((count, 3))
    for f in range(len(faces)):
        a, b, c = faces[f]
        u0, u1, u2, v0, v1, v2 = sides(vertices, a, b, c)
        x, y, z = cross(u0, u1, u2, v0, v1, v2)
        twice = np.sqrt(x * x + y * y + z * z)
        scale = 1 / max(twice, 1e-300)
        third = twice / 6
        # from corner a to the middle; b and c lie u and v further on
        m0, m1, m2 = (u0 + v0) / 3, (u1 + v1) / 3, (u2 + v2) / 3
        for k in range(3):
            p = patch[f, k]
            weight = angles[f, k] * scale
            normal[p, 0] += weight * x
            normal[p, 1] += weight * y
            normal[p, 2] += weight * z
            area[p] += third
            toward[p, 0] += third * (m0 - (u0 if k == 1 else v0 if k == 2 else 0.0))
            toward[p, 1] += third * (m1 - (u1 if k == 1 else v1 if k == 2 else 0.0))
            toward[p, 2] += third * (m2 - (u2 if k == 1 else v2 if k == 2 else 0.0))
    return normal, area, toward


def _split_at_edges(mesh: Mesh, shell: NDArray[np.int32]) -> Surface:
    """One sample per vertex and smooth side of it."""
    normals, areas, inset, patch = _patch_fields(mesh)
    first = np.zeros(len(areas), np.int64)
    first[patch[::-1]] = np.arange(len(patch))[::-1]  # any corner of the patch would do; take its first
    return Surface(
        points=mesh.vertices[mesh.faces.ravel()[first]],
        normals=normals.astype(np.float32),
        areas=areas.astype(np.float32),
        faces=patch.reshape(-1, 3).astype(np.int32),
        part=np.repeat(shell, 3)[first],
        inset=inset.astype(np.float32),
    )


def _sorted(s: Surface) -> Surface:
    """Samples and faces along a Morton curve: neighbours in space are neighbours in memory, so rays find the same
    boxes in the cache."""
    low, high = s.points.min(axis=0), s.points.max(axis=0)

    def along(points):
        q = ((points - low) / max(float((high - low).max()), 1e-30) * 1023).astype(np.uint32)
        for shift, mask in ((16, 0x030000FF), (8, 0x0300F00F), (4, 0x030C30C3), (2, 0x09249249)):
            q = (q | (q << np.uint32(shift))) & np.uint32(mask)
        return np.argsort(q[:, 0] | (q[:, 1] << np.uint32(1)) | (q[:, 2] << np.uint32(2)), kind="stable")

    order = along(s.points)
    new = np.empty(len(order), np.int32)
    new[order] = np.arange(len(order), dtype=np.int32)
    points, faces = s.points[order], new[s.faces]
    faces = faces[along(sum(points[faces[:, k]] for k in range(3)) / np.float32(3))]
    return Surface(points, s.normals[order], s.areas[order], faces, s.part[order], s.inset[order])
