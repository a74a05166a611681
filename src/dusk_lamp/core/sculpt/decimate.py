"""A dense mesh in fewer triangles: roughly by small cubes, well by the planes of its faces."""

import fast_simplification
import numba
import numpy as np
from numpy.typing import NDArray

from ..places import tree_of
from .edges import same_rows
from .mesh import Mesh, cross, sides, summed

DENSE, THIN = 2.4, 2.2  # a mesh with more than 2.4 times the faces wanted is first thinned to 2.2 times the vertices
HOLD = 0.003  # how much a vertex keeps to the middle of those it stands for, against the planes round it
BACK = 0.3  # cosine: what faces further away than this is the other side of a thin sheet


def clustered(mesh: Mesh, vertices: int) -> tuple[Mesh, NDArray[np.int32]]:
    """The mesh with all vertices of one small cube drawn together, about so many left; and the number (V,) of the
    cube each vertex fell into.

    Rough, but thirty times faster than decimating well: for pictures of a thumb's size. Source: Rossignac and Borrel
    (1993), vertex clustering.
    """
    number, first, _ = cubes(mesh, vertices)
    return _drawn_together(mesh, number, _middles(mesh, number, len(first))), number


def thinned(mesh: Mesh, shell: NDArray[np.int32], vertices: int) -> tuple[Mesh, NDArray[np.int32]]:
    """The mesh in about so many vertices, and the shell of each face that is left: a tenth of the cost of decimating.

    As `clustered`, but a vertex comes to lie where the planes of the faces round it meet, so that edges stay edges,
    and the two sides of a thin sheet are not drawn together. Source: Lindstrom (2000), out-of-core simplification.
    """
    number, first, cell = cubes(mesh, vertices)
    two = 2 * number + _behind(mesh, number, first)
    used = np.zeros(2 * len(first), np.bool_)
    used[two] = True
    number = (np.cumsum(used, dtype=np.int32) - np.int32(1))[two]
    middles = _middles(mesh, number, int(used.sum()))
    thin = _drawn_together(mesh, number, _where_planes_meet(mesh.vertices, mesh.faces, number, middles, cell))
    return thin, shell[proper(number[mesh.faces])]


def decimated(mesh: Mesh, shell: NDArray[np.int32], target: int) -> tuple[Mesh, NDArray[np.int32]]:
    """The mesh in about so many faces, and the shell of each: of two vertices one where that costs least in quadric
    error (`fast-simplification`)."""
    points, faces = fast_simplification.simplify(mesh.vertices, mesh.faces, target_count=target, agg=7)
    thin = Mesh(points.astype(np.float32), faces.astype(np.int32))
    thin = Mesh(thin.vertices, thin.faces[thin.face_areas() > 0])
    if not len(thin.faces):
        return mesh, shell
    if shell.max() == 0:
        return thin, np.zeros(len(thin.faces), np.int32)
    # decimation forgets which shell a face was of: the nearest old face remembers

    old = tree_of(mesh.vertices[mesh.faces].mean(axis=1))
    _, nearest = old.query(thin.vertices[thin.faces].mean(axis=1), workers=-1)
    return thin, shell[nearest]


def cubes(mesh: Mesh, vertices: int) -> tuple[NDArray[np.int32], NDArray[np.int32], float]:
    """The number (V,) of the small cube each vertex lies in, the first vertex of each cube, and its side."""
    cell = float(np.sqrt(2 / np.sqrt(3) * mesh.area() / vertices))
    places = np.maximum((mesh.vertices - mesh.bounds[0]) / np.float32(cell), 0).astype(np.uint32)
    return *same_rows(np.ascontiguousarray(places)), cell


def _middles(mesh: Mesh, number: NDArray[np.int32], count: int) -> NDArray[np.float64]:
    """(count, 3) middles of the vertices of each number."""
    members = np.bincount(number, minlength=count)
    return np.stack([summed(number, mesh.vertices[:, k], count) / members for k in range(3)], axis=1)


def _drawn_together(mesh: Mesh, number: NDArray[np.int32], places: NDArray[np.float64]) -> Mesh:
    faces = number[mesh.faces]
    return Mesh(places.astype(np.float32), faces[proper(faces)])


def proper(faces: NDArray[np.int32]) -> NDArray[np.bool_]:
    """(F,) whether a face has three different corners."""
    a, b, c = faces.T
    return (a != b) & (b != c) & (c != a)


def _behind(mesh: Mesh, number: NDArray[np.int32], first: NDArray[np.int32]) -> NDArray[np.bool_]:
    """(V,) whether a vertex faces another way than the first one of its cube."""
    facing = _facing(mesh.vertices, mesh.faces)
    facing /= np.maximum(np.sqrt(np.einsum("ij,ij->i", facing, facing)), 1e-30)[:, None]
    return np.einsum("ij,ij->i", facing, facing[first][number]) < BACK


@numba.njit(cache=True, nogil=True)
def _facing(vertices, faces):
    """(V, 3) normals of vertices, weighed by the areas of their faces; not of unit length."""
    out = np.zeros((len(vertices), 3), np.float64)
    for f in range(len(faces)):
        a, b, c = faces[f]
        x, y, z = cross(*sides(vertices, a, b, c))
        for v in (a, b, c):
            out[v, 0] += x
            out[v, 1] += y
            out[v, 2] += z
    return out


@numba.njit(cache=True, nogil=True)
def _where_planes_meet(vertices, faces, number, middles, cell):
    """(K, 3) for each number the place nearest to the planes of all faces that touch its vertices, by least squares
    over their areas, held to the middle of the vertices and never further from it than a cell."""
    planes = np.zeros((len(middles), 6), np.float64)  # xx, xy, xz, yy, yz, zz of the planes' normals
    pull = np.zeros((len(middles), 3), np.float64)
    for f in range(len(faces)):
        a, b, c = faces[f]
        x, y, z = cross(*sides(vertices, a, b, c))
        twice = np.sqrt(x * x + y * y + z * z)
        if twice == 0:
            continue
        x, y, z = x / twice, y / twice, z / twice
        for v in (a, b, c):
            n = number[v]
            off = twice * (
                x * (vertices[a, 0] - middles[n, 0])
                + y * (vertices[a, 1] - middles[n, 1])
                + z * (vertices[a, 2] - middles[n, 2])
            )
            planes[n, 0] += twice * x * x
            planes[n, 1] += twice * x * y
            planes[n, 2] += twice * x * z
            planes[n, 3] += twice * y * y
            planes[n, 4] += twice * y * z
            planes[n, 5] += twice * z * z
            pull[n, 0] += off * x
            pull[n, 1] += off * y
            pull[n, 2] += off * z
    out = middles.copy()
    for n in range(len(middles)):
        xx, xy, xz, yy, yz, zz = planes[n]
        hold = HOLD * (xx + yy + zz)
        if hold == 0:
            continue
        xx, yy, zz = xx + hold, yy + hold, zz + hold
        # three equations in three unknowns, by Cramer's rule
        p, q, r = pull[n]
        one, two, three = yy * zz - yz * yz, xz * yz - xy * zz, xy * yz - xz * yy
        whole = xx * one + xy * two + xz * three
        dx = (one * p + two * q + three * r) / whole
        dy = (two * p + (xx * zz - xz * xz) * q + (xy * xz - xx * yz) * r) / whole
        dz = (three * p + (xy * xz - xx * yz) * q + (xx * yy - xy * xy) * r) / whole
        far = np.sqrt(dx * dx + dy * dy + dz * dz)
        share = min(1.0, cell / far) if far > 0 else 1.0
        out[n, 0] += share * dx
        out[n, 1] += share * dy
        out[n, 2] += share * dz
    return out
