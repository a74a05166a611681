"""Pieces: what a painter would mark as one thing, found at every size at once, as a tree of merged facets.

The surface is cut into about a thousand facets that keep to creases (a Voronoi diagram over the surface in which a
bend is a long way), and facets are merged two by two, the cheapest border first: gentle borders, like thicknesses,
small parts, long common borders. Every node of the tree is a piece; a spot's own pieces are the nodes above it.

Sources: random-walk and region-merging segmentation of meshes as handbooks have it; shape diameter, Shapira, Shamir
and Cohen-Or (2008); the weights were measured on the demo sculpts (docs/measurements.md).
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components, dijkstra

from ..datasets.materials import UNMARKED
from ..places import tree_of
from ..plain import Range
from .marking import Marking, Region
from .relief import Bends
from .scan_noise import smoothed_normals
from .surface import Surface

FACETS, RECENTRED = 1000, 2
STEP_SHARE = 0.08 / 32  # of the height: what a bend is spread over
LYING = 0.6  # of its size: a sculpt is taken to be at least so tall, however it lies
BEND = 35.0  # degrees over that, from where on a bend is a border
CONVEX, RAW = 0.05, 0.2  # what convex bends count, and what bends count that smoothing takes away
EDGE, SHARP = 0.1, 50.0  # what a sharp edge counts, however it bends, and the degrees from where on
SMOOTHED = 6  # rings that normals are smoothed over
EVERY_TURN = -2.0  # as a cosine: neighbours count however far they are turned
DETOUR = 30.0  # how many times longer the way across a border is
FLAT_COST, THICKNESS = 0.05, 0.1  # of every border, and of the difference of thickness (natural logarithm)
RAYS, RAY_DEGREES = 3, 25.0  # inward, that a thickness is looked for with, and how far from straight in they go
LEAST_SHARE = 0.004  # of the area: what is smaller is no piece of its own
LOW_SHARE = 0.1  # of the height: the base is what matches best what lies below it
BASE_MATCH = 0.5  # of the union of the two, at least
FLAT_BELOW, UPRIGHT, BUILT = -0.97, 0.3, 0.25  # of a normal's length upward; and how much of a base is one of the two
MOST_PIECES = 60
PIECES = Range("the number of pieces", 1, MOST_PIECES, step=1, slide=20)
USUAL_PIECES = 10

Say = Callable[[float], None]


@dataclass(frozen=True)
class Pieces:
    """The tree. facet: (F,) of every face of the joined mesh. children: (K − 1, 2) nodes merged into node K, K + 1
    … in order. cost: (K − 1,) of each merge. area: (2K − 1,) mm² of each node that can be painted. place: (N,)
    joined vertex of every sample. faces: of the joined mesh. beside: (M, 2) facets that meet; border: (M, 2) mm along
    which they do, and how much of a border it is on average, 0 to 1. base: the node that is the base, −1 where
    none is."""

    facet: NDArray[np.int32]
    children: NDArray[np.int32]
    cost: NDArray[np.float64]
    area: NDArray[np.float64]
    place: NDArray[np.int32]
    faces: NDArray[np.int32]
    face_area: NDArray[np.float64]
    beside: NDArray[np.int32]
    border: NDArray[np.float64]
    base: int = -1

    @property
    def leaves(self) -> int:
        """How many facets there are."""
        return len(self.children) + 1

    @cached_property
    def parent(self) -> NDArray[np.int32]:
        """(2K − 1,) the node that each is merged into, −1 for the whole."""
        out = np.full(2 * self.leaves - 1, -1, np.int32)
        for k, pair in enumerate(self.children):
            out[pair] = self.leaves + k
        return out

    @cached_property
    def spans(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """A row of all facets in which every node is one run: (K,) the facets, and (2K − 1, 2) where each node's run
        begins and ends."""
        count, n = 2 * self.leaves - 1, self.leaves
        size = np.ones(count, np.int64)
        for k, (a, b) in enumerate(self.children):
            size[n + k] = size[a] + size[b]
        span = np.zeros((count, 2), np.int32)
        span[count - 1] = 0, n
        for k in range(n - 2, -1, -1):
            a, b = self.children[k]
            start, end = span[n + k]
            span[a] = start, start + size[a]
            span[b] = start + size[a], end
        row = np.zeros(n, np.int32)
        row[span[:n, 0]] = np.arange(n)
        return row, span

    def of(self, node: int) -> NDArray[np.bool_]:
        """(K,) the facets of a node."""
        row, span = self.spans
        out = np.zeros(self.leaves, np.bool_)
        out[row[span[node, 0] : span[node, 1]]] = True
        return out

    def cut(self, count: int) -> NDArray[np.int32]:
        """(K,) which of at most so many pieces each facet belongs to, from 0, the largest first. The costliest
        borders are cut first; what is too small to be a piece stays with its neighbour. The base is a piece of its
        own."""
        least, area = LEAST_SHARE * self.area[-1], self.area.copy()
        masks: list[NDArray[np.bool_]] = []
        if self.base >= 0 and count > 1:
            masks, area = [self.of(self.base)], self._without_base()
        pieces = [self._next(2 * self.leaves - 2, [], area, least)]
        while len(pieces) + len(masks) < count:
            splits = [p for p in pieces if p[0] >= self.leaves]
            if not splits:
                break
            best = max(splits, key=lambda p: p[0])  # later merges cost more
            pieces.remove(best)
            a, b = (int(c) for c in self.children[best[0] - self.leaves])
            large, small = (a, b) if area[a] >= area[b] else (b, a)
            pieces += [self._next(large, best[1], area, least), self._next(small, [], area, least)]
        for node, loose in pieces:
            mask = self.of(node)
            for extra in loose:
                mask |= self.of(extra)
            masks.append(mask & ~masks[0] if masks and self.base >= 0 and count > 1 else mask)
        leaf_area = self.area[: self.leaves]
        masks = sorted((m for m in masks if m.any()), key=lambda m: -leaf_area[m].sum())
        owner = np.zeros(self.leaves, np.int32)
        for k, mask in enumerate(masks):
            owner[mask] = k
        return owner

    def _without_base(self) -> NDArray[np.float64]:
        """(2K − 1,) mm² of each node without what the base takes of it."""
        area = self.area.copy()
        up = int(self.parent[self.base])
        while up >= 0:
            area[up] -= self.area[self.base]
            up = int(self.parent[up])
        inside = [self.base]
        while inside:
            node = inside.pop()
            area[node] = 0
            if node >= self.leaves:
                inside += [int(c) for c in self.children[node - self.leaves]]
        return area

    def _next(self, node: int, loose: list[int], area: NDArray[np.float64], least: float) -> tuple[int, list[int]]:
        """Down from a node to where it parts into two that are large enough; what comes off on the way stays with
        it."""
        loose = list(loose)
        while node >= self.leaves:
            a, b = (int(c) for c in self.children[node - self.leaves])
            if min(area[a], area[b]) >= least:
                return node, loose
            node, off = (a, b) if area[a] >= area[b] else (b, a)
            loose.append(off)
        return node, loose

    @cached_property
    def facet_of_sample(self) -> NDArray[np.int32]:
        """(N,) the facet of the largest face at every sample."""
        order = np.argsort(self.face_area, kind="stable")  # the largest is written last
        out = np.zeros(int(self.place.max()) + 1, np.int32)
        for corner in range(3):
            out[self.faces[order, corner]] = self.facet[order]
        return out[self.place]

    def by_sample(self, owner: NDArray[np.int32]) -> NDArray[np.int32]:
        """(N,) samples with what most of the area round them has. owner: (K,) of every facet, from 0."""
        owners, count = owner[self.facet], int(owner.max()) + 1
        vertices = int(self.place.max()) + 1
        most = np.zeros(vertices)
        out = np.zeros(vertices, np.int32)
        for k in range(count):
            chosen = owners == k
            weight = np.bincount(self.faces[chosen].ravel(), np.repeat(self.face_area[chosen], 3), minlength=vertices)
            better = weight > most
            out[better], most[better] = k, weight[better]
        return out[self.place]


def pieces_of(
    surface: Surface,
    paintable: NDArray[np.bool_] | None = None,
    bends: Bends | None = None,
    say: Say = lambda _: None,
    facets: int = FACETS,
) -> Pieces:
    """The tree of a surface. paintable: (N,) samples that count; all where it is not said. The same every time."""
    bends = bends or Bends(surface)
    mesh = bends.joined
    face_area = np.maximum(mesh.face_areas().astype(np.float64), 1e-12)
    pair = np.flatnonzero(bends.faces[:, 0] >= 0)
    f, g = bends.faces[pair].T
    barrier = _barriers(surface, bends, pair, face_area)
    say(0.15)
    corners = mesh.vertices[mesh.faces].astype(np.float64)
    middles = corners.mean(axis=1)
    graph = _graph(middles, f, g, barrier, len(mesh.faces))
    facet = _facets(graph, middles, face_area, facets)
    for k in range(RECENTRED):
        say(0.3 + 0.15 * k)
        facet = _facets(graph, middles, face_area, facets, _middles_of(facet, middles, face_area))
    say(0.6)
    thick = _thickness(surface, bends, facet, middles)
    say(0.75)
    on = np.ones(len(surface), np.bool_) if paintable is None else paintable
    shown = np.zeros(len(mesh.vertices), np.bool_)
    shown[bends.place[on]] = True
    visible = face_area * shown[mesh.faces].mean(axis=1)
    count = int(facet.max()) + 1
    shared, walls = _borders(facet, f, g, barrier, bends.length[pair])
    _tie_shells(facet, middles, shared, walls)
    beside = np.argwhere(np.triu(shared) > 0).astype(np.int32)
    mm = shared[beside[:, 0], beside[:, 1]]
    border = np.stack([mm, walls[beside[:, 0], beside[:, 1]] / np.maximum(mm, 1e-12)], axis=1)
    area = np.bincount(facet, visible, minlength=count)
    small = np.maximum(area / max(float(area.sum()), 1e-12), 1e-9)
    children, cost, area = _merge_all(shared, walls, np.maximum(shared.sum(axis=1), 1e-9), small, area, thick)
    say(0.95)
    made = Pieces(facet, children, cost, area, bends.place, mesh.faces, face_area, beside, border)
    return _with_base(made, middles, visible, bends.normals[:, 2])


def _barriers(surface: Surface, bends: Bends, pair: NDArray, face_area: NDArray) -> NDArray[np.float64]:
    """(E,) 0 to 1: how much of a border each edge between two faces is."""
    mates = np.full((len(bends.joined.faces), 3), -1, np.int64)
    mate = bends.edges.mate
    inside = mate >= 0
    mates.reshape(-1)[inside] = mate[inside] // 3
    normals = bends.normals
    for _ in range(SMOOTHED):
        normals = smoothed_normals(normals, face_area, mates, EVERY_TURN)
    f, g = bends.faces[pair].T
    turn = np.arctan2(
        np.linalg.norm(np.cross(normals[f], normals[g]), axis=1), np.einsum("ij,ij->i", normals[f], normals[g])
    )
    over = STEP_SHARE * max(surface.height, LYING * surface.size, 1e-9)
    across = np.maximum(bends.across[pair], 1e-9)
    counts = np.where(bends.convex[pair], CONVEX, 1.0)

    def as_barrier(angle: NDArray) -> NDArray:
        return 1 - np.exp(-((np.degrees(angle / across * over) * counts / BEND) ** 2))

    sharp = EDGE * (1 - np.exp(-((np.degrees(bends.angle[pair]) / SHARP) ** 4)))  # of a box: convex, but a border
    return np.maximum(np.maximum(as_barrier(turn), RAW * as_barrier(bends.angle[pair])), sharp)


def _graph(middles: NDArray, f: NDArray, g: NDArray, barrier: NDArray, count: int) -> csr_matrix:
    """Faces as a graph of ways over the surface; across a border it is far."""
    way = np.linalg.norm(middles[f] - middles[g], axis=1) * (1 + DETOUR * barrier) + 1e-12
    return csr_matrix((np.concatenate([way, way]), (np.concatenate([f, g]), np.concatenate([g, f]))), (count, count))


def _facets(
    graph: csr_matrix, middles: NDArray, area: NDArray, count: int, seeds: NDArray | None = None
) -> NDArray[np.int32]:
    """(F,) the facet of every face, from 0: the nearest seed's over the surface. Every loose shell has one of its
    own."""
    shells, shell = connected_components(graph, directed=False)
    if seeds is None:
        order = np.argsort(_along(middles), kind="stable")  # spread evenly by area along a curve through space
        run = np.cumsum(area[order])
        wanted = (np.arange(min(count, len(area))) + 0.5) / min(count, len(area)) * run[-1]
        seeds = np.unique(order[np.searchsorted(run, wanted)])
    missing = np.setdiff1d(np.arange(shells), shell[seeds])
    if len(missing):
        first = np.full(shells, len(area), np.int64)
        np.minimum.at(first, shell, np.arange(len(area)))
        seeds = np.unique(np.concatenate([seeds, first[missing]]))
    source = dijkstra(graph, directed=False, indices=seeds, min_only=True, return_predecessors=True)[2]
    return np.searchsorted(seeds, source).astype(np.int32)


def _along(points: NDArray) -> NDArray[np.int64]:
    """(P,) places along a curve through space (Morton order)."""
    low = points.min(axis=0)
    cells = np.clip((points - low) / max(float(np.ptp(points, axis=0).max()), 1e-9) * 1023, 0, 1023).astype(np.int64)
    out = np.zeros(len(points), np.int64)
    for bit in range(10):
        for axis in range(3):
            out |= ((cells[:, axis] >> bit) & 1) << (3 * bit + axis)
    return out


def _middles_of(facet: NDArray, middles: NDArray, area: NDArray) -> NDArray[np.int64]:
    """The face nearest to the middle of every facet."""
    count = int(facet.max()) + 1
    whole = np.bincount(facet, area, minlength=count)
    middle = (
        np.stack([np.bincount(facet, area * middles[:, k], minlength=count) for k in range(3)], axis=1)
        / whole[:, None]
    )
    off = np.linalg.norm(middles - middle[facet], axis=1)
    order = np.lexsort((off, facet))
    return np.unique(order[np.searchsorted(facet[order], np.arange(count))])


def _thickness(surface: Surface, bends: Bends, facet: NDArray, middles: NDArray) -> NDArray[np.float64]:
    """(K,) natural logarithm of the mm that rays run inward from the middle of each facet until they come out: its
    shape diameter."""
    count, size = int(facet.max()) + 1, max(surface.size, 1e-9)
    area = np.maximum(bends.joined.face_areas().astype(np.float64), 1e-12)
    seeds = _middles_of(facet, middles, area)
    facets = facet[seeds]
    inward = -bends.normals[seeds]
    side = np.cross(inward, np.where(np.abs(inward[:, :1]) < 0.8, [[1.0, 0, 0]], [[0, 1.0, 0]]))
    side /= np.maximum(np.linalg.norm(side, axis=1), 1e-12)[:, None]
    other = np.cross(inward, side)
    found = []
    lean = np.radians(RAY_DEGREES)
    for turn in np.arange(RAYS) * 2 * np.pi / RAYS:
        way = np.cos(lean) * inward + np.sin(lean) * (np.cos(turn) * side + np.sin(turn) * other)
        origin = middles[seeds] + 1e-4 * size * way
        far = surface.caster.first_distance(origin.astype(np.float32), way.astype(np.float32))
        found.append(np.where(np.isfinite(far), far, size))
    diameter = np.full(count, size)
    diameter[facets] = np.clip(np.median(found, axis=0), 1e-3 * size, size)
    return np.log(diameter)


def _borders(
    facet: NDArray, f: NDArray, g: NDArray, barrier: NDArray, length: NDArray
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(K, K) twice: mm along which two facets meet, and the same times how much of a border it is."""
    count = int(facet.max()) + 1
    a, b = facet[f], facet[g]
    meet = a != b
    a, b, on, mm = a[meet], b[meet], barrier[meet], np.maximum(length[meet], 1e-12)
    shared, walls = np.zeros((count, count)), np.zeros((count, count))
    np.add.at(shared, (a, b), mm)
    np.add.at(walls, (a, b), mm * on)
    return shared + shared.T, walls + walls.T


def _tie_shells(facet: NDArray, middles: NDArray, shared: NDArray, walls: NDArray) -> None:
    """Tie every loose shell to the facet nearest to it in another, by a full border."""
    count = len(shared)
    shells, shell = connected_components(csr_matrix(shared > 0), directed=False)
    if shells == 1:
        return
    middle = np.stack([np.bincount(facet, middles[:, k], minlength=count) for k in range(3)], axis=1).astype(float)
    middle = middle / np.bincount(facet, minlength=count)[:, None]
    for k in range(shells):
        rows, others = np.flatnonzero(shell == k), np.flatnonzero(shell != k)
        off, at = tree_of(middle[others]).query(middle[rows])
        i = int(np.argmin(off))
        x, y = rows[i], others[at[i]]
        if shared[x, y] > 0:
            continue
        mm = max(float(min(shared[x].sum(), shared[y].sum())), 1e-3)
        shared[x, y] = shared[y, x] = walls[x, y] = walls[y, x] = mm


@numba.njit(cache=True)
def _merge_all(shared, walls, rim, small, area, thick):
    count = len(rim)
    node = np.arange(count).astype(np.int32)
    alive = np.ones(count, np.bool_)
    children = np.empty((count - 1, 2), np.int32)
    cost = np.empty(count - 1)
    areas = np.empty(2 * count - 1)
    areas[:count] = area
    best = np.full(count, np.inf)
    at = np.full(count, -1)
    for i in range(count):
        for j in range(count):
            if i != j and shared[i, j] > 0:
                c = _cost(shared, walls, rim, small, thick, i, j)
                if c < best[i]:
                    best[i], at[i] = c, j
    for step in range(count - 1):
        low, x = np.inf, -1
        for i in range(count):
            if alive[i] and best[i] < low:
                low, x = best[i], i
        if x < 0:  # nothing meets any more: what is left is put together in order
            for i in range(count):
                if alive[i]:
                    x = i
                    break
            for j in range(x + 1, count):
                if alive[j]:
                    at[x] = j
                    break
            low = 1e9
        y = at[x]
        if y < x:
            x, y = y, x
        children[step, 0], children[step, 1] = node[x], node[y]
        cost[step] = low
        share = small[x] + small[y]
        thick[x] = (thick[x] * small[x] + thick[y] * small[y]) / share
        rim[x] = max(rim[x] + rim[y] - 2 * shared[x, y], 1e-9)
        small[x] = share
        area[x] += area[y]
        areas[count + step] = area[x]
        node[x] = count + step
        alive[y] = False
        best[y] = np.inf
        for j in range(count):
            shared[x, j] += shared[y, j]
            walls[x, j] += walls[y, j]
            shared[j, x], walls[j, x] = shared[x, j], walls[x, j]
            shared[y, j] = shared[j, y] = 0.0
            walls[y, j] = walls[j, y] = 0.0
        shared[x, x] = walls[x, x] = 0.0
        for i in range(count):
            if not alive[i]:
                continue
            if i == x or at[i] == x or at[i] == y:
                best[i], at[i] = np.inf, -1
                for j in range(count):
                    if alive[j] and j != i and shared[i, j] > 0:
                        c = _cost(shared, walls, rim, small, thick, i, j)
                        if c < best[i]:
                            best[i], at[i] = c, j
            elif shared[i, x] > 0:
                c = _cost(shared, walls, rim, small, thick, i, x)
                if c < best[i]:
                    best[i], at[i] = c, x
    return children, cost, areas


@numba.njit(cache=True)
def _cost(shared, walls, rim, small, thick, i, j):
    mean = walls[i, j] / shared[i, j]
    together = 2 * small[i] * small[j] / (small[i] + small[j])
    around = min(rim[i], rim[j]) / shared[i, j]
    return (mean + FLAT_COST + THICKNESS * abs(thick[i] - thick[j])) * np.sqrt(together) * np.sqrt(around)


def _with_base(made: Pieces, middles: NDArray, visible: NDArray, up: NDArray) -> Pieces:
    """The tree with the node that matches best what lies below a tenth of the height, where that is built as a base
    is: flat below, or with upright walls. up: (F,) of the normals."""
    z = middles[:, 2]
    low = z <= z.min() + LOW_SHARE * max(float(np.ptp(z)), 1e-9)
    below = np.bincount(made.facet, visible * low, minlength=made.leaves)
    inside = np.zeros(2 * made.leaves - 1)
    inside[: made.leaves] = below
    for k, (a, b) in enumerate(made.children):
        inside[made.leaves + k] = inside[a] + inside[b]
    match = inside / np.maximum(made.area + below.sum() - inside, 1e-12)
    base = int(np.argmax(match))
    on = made.of(base)[made.facet]
    built = visible[on & ((up < FLAT_BELOW) | (np.abs(up) < UPRIGHT))].sum() / max(float(visible[on].sum()), 1e-12)
    if match[base] < BASE_MATCH or base == len(match) - 1 or built < BUILT:
        return made
    return replace(made, base=base)


def guess(made: Pieces, count: int = USUAL_PIECES) -> Marking:
    """At most so many pieces as regions, the largest first; the base is named, the others are numbered."""
    owner = made.cut(count)
    labels = made.by_sample(owner)
    base = -1
    if made.base >= 0:
        base_mask = made.of(made.base)
        base = int(np.bincount(owner[base_mask]).argmax())
    regions, number = [], 0
    for k in range(int(owner.max()) + 1):
        if k == base:
            regions.append(Region("Base", UNMARKED, "quiet"))
        else:
            number += 1
            regions.append(Region(f"Guess {number}"))
    return Marking((labels + 1).astype(np.uint8), tuple(regions))
