"""Mending: weld, drop what is no surface, turn shells the right way out, and say what was found."""

from dataclasses import asdict, dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SculptShapeError
from ..rays import Caster
from .edges import Edges, compact, connected, edges_of, same_rows
from .mesh import Mesh, summed

SPECK_SHARE = 0.0025  # a shell smaller than this share of the whole (0.08 mm at 32 mm) is dust of the export
FEWEST_FACES = 4  # a closed form needs four


@dataclass(frozen=True)
class Findings:
    """What was found in a file, and what was mended. Counts, and lengths in the file's units."""

    triangles_read: int
    triangles: int
    vertices: int
    shells: int
    welded: int  # corners that lay exactly on another corner
    degenerate_faces: int  # dropped: no area
    duplicate_faces: int  # dropped: the same three corners again
    specks: int  # shells dropped as dust
    turned_faces: int  # faces that wound against their neighbours
    flipped_shells: int  # whole shells that were inside out
    holes: int
    open_edge_length: float
    nonmanifold_edges: int

    def as_dict(self) -> dict[str, int | float]:
        """Plain numbers, for JSON."""
        return asdict(self)

    def sentences(self) -> list[str]:
        """The findings in a painter's words; empty when the file was clean."""
        said = []

        def say(count: int, one: str, many: str) -> None:
            if count:
                said.append(one if count == 1 else many.format(f"{count:,}"))

        say(self.degenerate_faces, "One triangle without area dropped.", "{} triangles without area dropped.")
        say(self.duplicate_faces, "One doubled triangle dropped.", "{} doubled triangles dropped.")
        say(self.specks, "One stray speck dropped.", "{} stray specks dropped.")
        say(self.turned_faces, "One triangle turned to face outward.", "{} triangles turned to face outward.")
        say(self.flipped_shells, "One shell was inside out: turned.", "{} shells were inside out: turned.")
        say(self.holes, "One hole left open: it stays dark inside.", "{} holes left open: they stay dark inside.")
        say(
            self.nonmanifold_edges,
            "One edge is shared by more than two triangles: harmless for the light.",
            "{} edges are shared by more than two triangles: harmless for the light.",
        )
        return said


@dataclass(frozen=True)
class Mended:
    """A welded, consistently facing mesh, and the shell each face belongs to, largest shell first."""

    mesh: Mesh
    shell: NDArray[np.int32]
    findings: Findings


def weld(mesh: Mesh) -> Mesh:
    """Join corners whose coordinates are exactly equal, keeping the order of first appearance.

    Exact on purpose: a tolerance closes gaps a sculptor meant, and exporters write shared corners bit for bit.
    """
    points = mesh.vertices + np.float32(0)  # −0.0 and 0.0 are one place but two bit patterns
    index, kept = same_rows(np.ascontiguousarray(points).view(np.uint32).reshape(-1, 3))
    return Mesh(points[kept], index[mesh.faces])


@numba.njit(cache=True)
def _turn(faces, mate, turned):
    """Walk every patch of faces from neighbour to neighbour; a face that winds against the walk is turned."""
    count = len(faces)
    seen = np.zeros(count, np.bool_)
    patch = np.empty(count, np.int32)
    for start in range(count):
        if seen[start]:
            continue
        seen[start] = True
        patch[0] = start
        members, done, flips = 1, 0, 0
        while done < members:
            f = patch[done]
            done += 1
            for k in range(3):
                m = mate[3 * f + k]
                if m < 0:  # an open edge, or one shared by many, where no winding is the right one
                    continue
                g = m // 3
                if not seen[g]:
                    seen[g] = True
                    # neighbours that agree run along their shared edge in opposite ways
                    alike = faces[f, k] == faces[g, m - 3 * g]
                    turned[g] = turned[f] ^ alike
                    flips += turned[g]
                    patch[members] = g
                    members += 1
        if flips * 2 > members:  # the majority was right: turn the minority
            for k in range(members):
                turned[patch[k]] = not turned[patch[k]]


def _wound_alike(mesh: Mesh, edges: Edges) -> tuple[Mesh, int]:
    """The mesh with its faces wound as their neighbours are, and how many had to be turned."""
    turned = np.zeros(len(mesh.faces), np.bool_)
    _turn(mesh.faces, edges.mate, turned)
    if not turned.any():
        return mesh, 0
    faces = mesh.faces.copy()
    faces[turned] = faces[turned][:, ::-1]
    return Mesh(mesh.vertices, faces), int(turned.sum())


def shells_of(mesh: Mesh) -> NDArray[np.int32]:
    """(F,) which connected shell a face belongs to; shells are numbered by their first vertex."""
    a, b, c = mesh.faces.T
    return connected(len(mesh.vertices), np.r_[a, a], np.r_[b, c])[a]


def _enclosed(mesh: Mesh, shell: NDArray[np.int32], candidates: NDArray[np.int64]) -> set[int]:
    """Those of the candidate shells that lie inside another closed shell: hollows, rightly facing inward."""
    inside = set()
    for s in candidates:
        corner = mesh.vertices[mesh.faces[np.flatnonzero(shell == s)[0], 0]]
        others = mesh.faces[shell != s]
        if not len(others):
            continue
        crossings = Caster(mesh.vertices, others).crossings(corner, np.array([0.137, 0.261, 0.955], np.float32))
        if crossings % 2:
            inside.add(int(s))
    return inside


def _face_outward(mesh: Mesh, shell: NDArray[np.int32]) -> tuple[Mesh, int]:
    """Turn shells whose enclosed volume is negative, unless they are the inner wall of a hollow cast."""
    count = int(shell.max()) + 1
    corners, crosses = mesh.corners(), mesh.crosses()
    areas = np.sqrt(np.einsum("ij,ij->i", crosses, crosses)) / 2
    weight = summed(shell, areas, count)
    middle = corners.sum(axis=1) / 3
    # for an open shell the middle of its own surface is the fairest place to measure a volume from
    centre = [summed(shell, areas * middle[:, k], count) / np.maximum(weight, 1e-300) for k in range(3)]
    middle -= np.stack(centre, axis=1)[shell]
    volumes = summed(shell, np.einsum("ij,ij->i", middle, crosses) / 6, count)
    # a flat sheet has no inside; rounding must not flip it
    negative = np.flatnonzero(volumes < -1e-6 * weight**1.5)
    flip = np.setdiff1d(negative, list(_enclosed(mesh, shell, negative)) if count > 1 else [])
    if not len(flip):
        return mesh, 0
    faces = mesh.faces.copy()
    turn = np.isin(shell, flip)
    faces[turn] = faces[turn][:, ::-1]
    return Mesh(mesh.vertices, faces), len(flip)


def mend(raw: Mesh) -> Mended:
    """Weld exactly, drop degenerate and doubled faces and specks, wind consistently, turn shells outward.

    Raises:
        SculptShapeError: fewer than four faces with area are left.
    """
    mesh = weld(raw)
    welded = len(raw.vertices) - len(mesh.vertices)

    faces = mesh.faces
    distinct = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    longest = float(np.ptp(mesh.bounds, axis=0).max())
    distinct &= mesh.face_areas() > (1e-9 * longest) ** 2
    faces = faces[distinct]

    number, first = same_rows(np.sort(faces, axis=1).view(np.uint32))
    keep = first[number] == np.arange(len(faces))
    duplicates = int((~keep).sum())
    faces = faces[keep]
    if len(faces) < FEWEST_FACES:
        raise SculptShapeError(
            f"only {len(faces)} {'triangle' if len(faces) == 1 else 'triangles'} with any area: "
            "that is a scrap, not a sculpt; export the whole figure"
        )

    mesh = Mesh(mesh.vertices, faces)
    shell = shells_of(mesh)
    dust = _specks(mesh, shell, longest)
    if len(dust):
        faces = faces[~np.isin(shell, dust)]
    mesh = Mesh(*compact(mesh.vertices, faces))

    edges = edges_of(mesh.faces, len(mesh.vertices))
    mesh, turned = _wound_alike(mesh, edges)
    shell = shells_of(mesh)
    mesh, flipped = _face_outward(mesh, shell)
    area = np.bincount(shell, mesh.face_areas())
    shell = np.argsort(np.argsort(-area, kind="stable"), kind="stable")[shell].astype(np.int32)

    holes, open_length = _open_edges(mesh, edges)
    return Mended(
        mesh,
        shell,
        Findings(
            triangles_read=len(raw.faces),
            triangles=len(mesh.faces),
            vertices=len(mesh.vertices),
            shells=int(shell.max()) + 1,
            welded=welded,
            degenerate_faces=int((~distinct).sum()),
            duplicate_faces=duplicates,
            specks=len(dust),
            turned_faces=turned,
            flipped_shells=flipped,
            holes=holes,
            open_edge_length=open_length,
            nonmanifold_edges=int((edges.faces > 2).sum()),
        ),
    )


def _specks(mesh: Mesh, shell: NDArray[np.int32], longest: float) -> NDArray[np.int64]:
    """Shells too small to be anything. Never all of them, and never the largest."""
    count = shell.max() + 1
    if count == 1:
        return np.zeros(0, np.int64)
    low = np.full((count, 3), np.inf)
    high = np.full((count, 3), -np.inf)
    for k in range(3):
        np.minimum.at(low, shell, mesh.vertices[mesh.faces[:, k]])
        np.maximum.at(high, shell, mesh.vertices[mesh.faces[:, k]])
    span = (high - low).max(axis=1)
    small = span < SPECK_SHARE * longest
    small[np.argmax(span)] = False
    return np.flatnonzero(small)


def _open_edges(mesh: Mesh, edges: Edges) -> tuple[int, float]:
    """Number of holes (connected rims) and their whole length."""
    a, b = edges.ends[edges.faces == 1].T
    if not len(a):
        return 0, 0.0
    length = float(np.linalg.norm(mesh.vertices[a].astype(float) - mesh.vertices[b], axis=1).sum())
    return len(np.unique(connected(len(mesh.vertices), a, b)[a])), length
