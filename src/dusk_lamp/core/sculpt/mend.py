"""Mending: weld, drop what is no surface, turn shells the right way out, and say what was found."""

from dataclasses import asdict, dataclass, replace

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SculptShapeError
from ..rays import Caster
from .edges import Edges, compact, connected, edges_of, same_rows
from .mesh import Mesh, cross, sides

SPECK_SHARE = 0.0025  # a shell smaller than this share of the whole (0.08 mm at 32 mm) is dust of the export
FIN_SHARE = 0.01  # a flap smaller than this share of the whole is a leftover of decimation, not a sheet
MOST_CROSSED = 4096  # faces a ray is followed through
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
    fins: int  # single triangles dropped that stick out of an edge
    turned_faces: int  # faces that wound against their neighbours
    flipped_shells: int  # whole shells that were inside out
    holes: int
    open_edge_length: float
    nonmanifold_edges: int

    def sentences(self) -> list[str]:
        """The findings in a painter's words; empty when the file was clean."""
        said = []

        def say(count: int, one: str, many: str) -> None:
            if count:
                said.append(one if count == 1 else many.format(f"{count:,}"))

        say(self.degenerate_faces, "One triangle without area dropped.", "{} triangles without area dropped.")
        say(self.duplicate_faces, "One doubled triangle dropped.", "{} doubled triangles dropped.")
        say(self.specks, "One stray speck dropped.", "{} stray specks dropped.")
        say(self.fins, "One stray flap dropped.", "{} stray flaps dropped.")
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
    """A welded, consistently facing mesh, and what each of its faces is.

    shell: (F,) the connected shell, largest first. turned: (F,) bool, whether it faced the wrong way in the file.
    """

    mesh: Mesh
    shell: NDArray[np.int32]
    turned: NDArray[np.bool_]
    findings: Findings


def weld(mesh: Mesh) -> Mesh:
    """Join corners whose coordinates are exactly equal, keeping the order of first appearance.

    Exact on purpose: a tolerance closes gaps a sculptor meant, and exporters write shared corners bit for bit.
    """
    points = mesh.vertices + np.float32(0)  # −0.0 and 0.0 are one place but two bit patterns
    index, kept = same_rows(np.ascontiguousarray(points).view(np.uint32).reshape(-1, 3))
    return Mesh(points[kept], index[mesh.faces])


@numba.njit(cache=True, nogil=True)
def _ascending(faces):
    """(F, 3) uint32 the corners of each face, the lowest number first."""
    out = np.empty((len(faces), 3), np.uint32)
    for f in range(len(faces)):
        a, b, c = faces[f]
        low, high = min(a, b, c), max(a, b, c)
        out[f, 0], out[f, 1], out[f, 2] = low, a + b + c - low - high, high
    return out


@numba.njit(cache=True, nogil=True)
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


def _wound_alike(mesh: Mesh, edges: Edges) -> tuple[Mesh, NDArray[np.bool_]]:
    """The mesh with its faces wound as their neighbours are, and which (F,) had to be turned."""
    turned = np.zeros(len(mesh.faces), np.bool_)
    _turn(mesh.faces, edges.mate, turned)
    if not turned.any():
        return mesh, turned
    faces = mesh.faces.copy()
    faces[turned] = faces[turned][:, ::-1]
    return Mesh(mesh.vertices, faces), turned


def shells_of(mesh: Mesh) -> NDArray[np.int32]:
    """(F,) which connected shell a face belongs to; shells are numbered by their first vertex."""
    a, b, c = mesh.faces.T
    return connected(len(mesh.vertices), np.r_[a, a], np.r_[b, c])[a]


def _enclosed(mesh: Mesh, shell: NDArray[np.int32], candidates: NDArray[np.int64]) -> set[int]:
    """Those of the candidate shells that lie inside another closed shell: hollows, rightly facing inward."""
    if not len(candidates) or len(candidates) == int(shell.max()) + 1 == 1:
        return set()
    inside = set()
    caster = Caster(mesh.vertices, mesh.faces)  # one for all: what a shell's own faces stop is not counted
    first = np.unique(shell, return_index=True)[1]
    for s in candidates:
        corner = mesh.vertices[mesh.faces[first[s], 0]]
        met = caster.passed(corner, np.array([0.137, 0.261, 0.955], np.float32), MOST_CROSSED)
        if sum(shell[face] != s for face, _, _ in met) % 2:
            inside.add(int(s))
    return inside


@numba.njit(cache=True, nogil=True)
def _enclosing(vertices, faces, shell, count):
    """Area (count,) and signed volume (count,) of each shell. For an open shell the middle of its own surface is the
    fairest place to measure a volume from."""
    area, volume, middle = np.zeros(count), np.zeros(count), np.zeros((count, 3))
    for measuring in (False, True):
        for f in range(len(faces)):
            a, b, c = faces[f]
            s = shell[f]
            u0, u1, u2, v0, v1, v2 = sides(vertices, a, b, c)
            x, y, z = cross(u0, u1, u2, v0, v1, v2)
            m0, m1, m2 = (
                vertices[a, 0] + (u0 + v0) / 3,
                vertices[a, 1] + (u1 + v1) / 3,
                vertices[a, 2] + (u2 + v2) / 3,
            )
            if measuring:
                volume[s] += ((m0 - middle[s, 0]) * x + (m1 - middle[s, 1]) * y + (m2 - middle[s, 2]) * z) / 6
            else:
                half = np.sqrt(x * x + y * y + z * z) / 2
                area[s] += half
                middle[s, 0] += half * m0
                middle[s, 1] += half * m1
                middle[s, 2] += half * m2
        if not measuring:
            for s in range(count):
                for k in range(3):
                    middle[s, k] /= max(area[s], 1e-300)
    return area, volume


def _face_outward(mesh: Mesh, shell: NDArray[np.int32]) -> tuple[Mesh, NDArray[np.int64]]:
    """Turn shells whose enclosed volume is negative, unless they are the inner wall of a hollow cast; and which."""
    count = int(shell.max()) + 1
    weight, volumes = _enclosing(mesh.vertices, mesh.faces, shell, count)
    # a flat sheet has no inside; rounding must not flip it
    negative = np.flatnonzero(volumes < -1e-6 * weight**1.5)
    flip = np.setdiff1d(negative, list(_enclosed(mesh, shell, negative)) if count > 1 else [])
    if not len(flip):
        return mesh, flip
    faces = mesh.faces.copy()
    turn = np.isin(shell, flip)
    faces[turn] = faces[turn][:, ::-1]
    return Mesh(mesh.vertices, faces), flip


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
    faces = faces if distinct.all() else faces[distinct]

    number, first = same_rows(_ascending(faces))
    keep = first[number] == np.arange(len(faces))
    duplicates = int((~keep).sum())
    faces = faces[keep] if duplicates else faces
    if len(faces) < FEWEST_FACES:
        raise SculptShapeError(
            f"only {len(faces)} {'triangle' if len(faces) == 1 else 'triangles'} with any area: that is a scrap, "
            "not a sculpt; export the whole figure"
        )

    mesh = Mesh(mesh.vertices, faces)
    shell = shells_of(mesh)
    dust = _specks(mesh, shell, longest)
    if len(dust):
        faces = faces[~np.isin(shell, dust)]
    whole, mesh = mesh, Mesh(*compact(mesh.vertices, faces))

    mesh, fins, edges = _without_fins(mesh, longest)
    mesh, turned = _wound_alike(mesh, edges)
    if len(dust) or fins or mesh.vertices is not whole.vertices:  # else what hangs together is known
        shell = shells_of(mesh)
    mesh, flipped = _face_outward(mesh, shell)
    wrong = turned | np.isin(shell, flipped)
    area = np.bincount(shell, mesh.face_areas())
    shell = np.argsort(np.argsort(-area, kind="stable"), kind="stable")[shell].astype(np.int32)

    holes, open_length = _open_edges(mesh, edges)
    return Mended(
        mesh,
        shell,
        wrong,
        Findings(
            triangles_read=len(raw.faces),
            triangles=len(mesh.faces),
            vertices=len(mesh.vertices),
            shells=int(shell.max()) + 1,
            welded=welded,
            degenerate_faces=int((~distinct).sum()),
            duplicate_faces=duplicates,
            specks=len(dust),
            fins=fins,
            turned_faces=int(turned.sum()),
            flipped_shells=len(flipped),
            holes=holes,
            open_edge_length=open_length,
            nonmanifold_edges=int((edges.faces > 2).sum()),
        ),
    )


def _without_fins(mesh: Mesh, longest: float) -> tuple[Mesh, int, Edges]:
    """Drop single small triangles that stick out of an edge: open on one side, one too many on another. The mesh, how
    many they were, and its edges."""
    edges = edges_of(mesh.faces, len(mesh.vertices))
    of_face, met = edges.edge.reshape(-1, 3), edges.faces.copy()
    kept = np.ones(len(mesh.faces), np.bool_)
    small = mesh.face_areas() < (FIN_SHARE * longest) ** 2
    for _ in range(4):  # what stood beside a fin may be the next one
        if not (met > 2).any():
            break
        shared = met.take(of_face)
        fin = (shared == 1).any(axis=1) & (shared > 2).any(axis=1) & small & kept
        if not fin.any():
            break
        kept &= ~fin
        np.subtract.at(met, of_face[fin].ravel(), 1)
    if kept.all():
        return mesh, 0, edges
    before, mesh = len(mesh.faces), Mesh(*compact(mesh.vertices, mesh.faces[kept]))
    return mesh, before - len(mesh.faces), edges_of(mesh.faces, len(mesh.vertices))


def put_together(pieces: list[Mended]) -> tuple[Mended, NDArray[np.int32]]:
    """Several mended files as one, in their own places, and the file (F,) each face came in.

    Shells keep their order within a file, and follow those of the files before it. Nothing is joined across files.
    """
    if len(pieces) == 1:
        return pieces[0], np.zeros(len(pieces[0].mesh.faces), np.int32)
    vertices, faces, shells, files = [], [], [], []
    before = shell = 0
    for k, piece in enumerate(pieces):
        vertices.append(piece.mesh.vertices)
        faces.append(piece.mesh.faces + np.int32(before))
        shells.append(piece.shell + np.int32(shell))
        files.append(np.full(len(piece.mesh.faces), k, np.int32))
        before += len(piece.mesh.vertices)
        shell += piece.findings.shells
    found = [asdict(piece.findings) for piece in pieces]
    whole = Findings(**{name: type(value)(sum(f[name] for f in found)) for name, value in found[0].items()})
    mesh = Mesh(np.concatenate(vertices), np.concatenate(faces))
    turned = np.concatenate([piece.turned for piece in pieces])
    return Mended(mesh, np.concatenate(shells), turned, whole), np.concatenate(files)


def holes_closed(mended: Mended) -> Mended:
    """The same with a flat skin over every hole whose rim is one plain ring: a fan from the ring's middle."""
    mesh = mended.mesh
    edges = edges_of(mesh.faces, len(mesh.vertices))
    onward: dict[int, int] = {}
    crossed: set[int] = set()
    face_of: dict[int, int] = {}
    for h in np.flatnonzero(edges.faces[edges.edge] == 1).tolist():
        f = h // 3
        a, b = int(mesh.faces[f, h - 3 * f]), int(mesh.faces[f, (h + 1 - 3 * f) % 3])
        if b in onward:  # two rims meet in one corner: which way round is anybody's guess
            crossed.add(b)
        onward[b] = a  # the skin runs along the rim against its neighbours
        face_of[b] = f
    middles: list[NDArray[np.float64]] = []
    fans: list[tuple[int, int, int]] = []
    shells: list[int] = []
    seen: set[int] = set()
    for start in sorted(onward):
        ring, v = [], start
        while v in onward and v not in seen:
            seen.add(v)
            ring.append(v)
            v = onward[v]
        if v != start or len(ring) < 3 or crossed & set(ring):
            continue
        middle = len(mesh.vertices) + len(middles)
        middles.append(mesh.vertices[ring].astype(np.float64).mean(axis=0))
        fans += [(p, q, middle) for p, q in zip(ring, [*ring[1:], ring[0]], strict=True)]
        shells += [int(mended.shell[face_of[ring[0]]])] * len(ring)
    if not fans:
        return mended
    whole = Mesh(
        np.concatenate([mesh.vertices, np.array(middles, np.float32)]),
        np.concatenate([mesh.faces, np.array(fans, np.int32)]),
    )
    left, open_length = _open_edges(whole, edges_of(whole.faces, len(whole.vertices)))
    return Mended(
        whole,
        np.concatenate([mended.shell, np.array(shells, np.int32)]),
        np.concatenate([mended.turned, np.zeros(len(fans), np.bool_)]),
        replace(
            mended.findings,
            triangles=len(whole.faces),
            vertices=len(whole.vertices),
            holes=left,
            open_edge_length=open_length,
        ),
    )


def _specks(mesh: Mesh, shell: NDArray[np.int32], longest: float) -> NDArray[np.int64]:
    """Shells too small to be anything. Never all of them, and never the largest."""
    count = shell.max() + 1
    if count == 1:
        return np.zeros(0, np.int64)
    order = np.argsort(shell, kind="stable")
    first = np.searchsorted(shell[order], np.arange(count))
    corners = [mesh.vertices[mesh.faces[order, k]] for k in range(3)]
    low = np.minimum.reduceat(np.minimum.reduce(corners), first)
    high = np.maximum.reduceat(np.maximum.reduce(corners), first)
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
