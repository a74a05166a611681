"""Which faces meet at which edge, and what hangs together. Linear-time kernels: sorting a million edges is slower."""

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

CROWD = 64  # edges of one vertex that are still looked through one by one
OPEN, CROWDED = -1, -2  # what stands for the mate of a half-edge that has none, or more than one


class Edges(NamedTuple):
    """The edges of a mesh. Half-edge 3f + k of face f runs from its corner k to corner k + 1.

    ends: (E, 2) int32 vertices, the lower number first. edge: (3F,) int32 edge of each half-edge. faces: (E,) int32
    how many faces share the edge. mate: (3F,) int32 the other half-edge of an edge shared by two, else OPEN or
    CROWDED.
    """

    ends: NDArray[np.int32]
    edge: NDArray[np.int32]
    faces: NDArray[np.int32]
    mate: NDArray[np.int32]


@numba.njit(cache=True, nogil=True)
def _edges(faces, vertices):
    n = faces.size
    start = np.zeros(vertices + 1, np.int32)
    for f in range(len(faces)):
        for k in range(3):
            start[min(faces[f, k], faces[f, k - 2]) + 1] += 1
    for v in range(vertices):
        start[v + 1] += start[v]
    # edges are met in the order of the half-edges; a bucket per lower vertex holds the few it has, by their other end
    filled = np.zeros(vertices, np.int32)
    far, bucket = np.empty(n, np.int32), np.empty(n, np.int32)
    edge = np.empty(n, np.int32)
    ends = np.empty((n, 2), np.int32)
    shared = np.zeros(n, np.int32)
    first = np.empty(n, np.int32)
    mate = np.full(n, OPEN, np.int32)
    count = 0
    # a vertex that very many faces share, the hub of a fan, has too many to look through: those are hashed
    heavy = 0
    for v in range(vertices):
        if start[v + 1] - start[v] > CROWD:
            heavy += start[v + 1] - start[v]
    size = 1
    while size < 2 * heavy:
        size *= 2
    table = np.full(size if heavy else 1, -1, np.int32)
    crowded = False
    for f in range(len(faces)):
        for side in range(3):
            a, b = faces[f, side], faces[f, side - 2]
            v, w = min(a, b), max(a, b)
            found = -1
            hashed = start[v + 1] - start[v] > CROWD
            slot = 0
            if hashed:
                slot = (np.int64(w) * 2654435761 + v) % size
                while table[slot] >= 0:
                    if ends[table[slot], 1] == w and ends[table[slot], 0] == v:
                        found = table[slot]
                        break
                    slot = (slot + 1) % size
            else:
                for k in range(start[v], start[v] + filled[v]):
                    if far[k] == w:
                        found = bucket[k]
                        break
            h = 3 * f + side
            if found < 0:
                found = count
                if hashed:
                    table[slot] = count
                else:
                    k = start[v] + filled[v]
                    far[k], bucket[k] = w, count
                    filled[v] += 1
                ends[count, 0] = v
                ends[count, 1] = w
                first[count] = h
                count += 1
            edge[h] = found
            shared[found] += 1
            if shared[found] == 2:
                mate[h] = first[found]
                mate[first[found]] = h
            elif shared[found] > 2:
                crowded = True
    if crowded:
        for h in range(n):
            if shared[edge[h]] > 2:
                mate[h] = CROWDED
    return ends[:count].copy(), edge, shared[:count].copy(), mate


def edges_of(faces: NDArray[np.int32], vertices: int) -> Edges:
    """The edges of (F, 3) int32 faces among so many vertices."""
    return Edges(*_edges(np.ascontiguousarray(faces), vertices))


@numba.njit(cache=True, nogil=True)
def connected(count, a, b):
    """(count,) int32 label of the connected piece of each of `count` things, where a[i] and b[i] hang together.

    Pieces are numbered in the order of their first member. Union-find with path halving.
    """
    parent = np.arange(count).astype(np.int32)
    for i in range(len(a)):
        x, y = a[i], b[i]
        while parent[x] != x:
            parent[x] = parent[parent[x]]
            x = parent[x]
        while parent[y] != y:
            parent[y] = parent[parent[y]]
            y = parent[y]
        if x < y:
            parent[y] = x
        else:
            parent[x] = y
    label = np.empty(count, np.int32)
    pieces = 0
    for i in range(count):  # a root is always its piece's lowest member, so it is met first
        x = i
        while parent[x] != x:
            x = parent[x]
        parent[i] = x
        if x == i:
            label[i] = pieces
            pieces += 1
        else:
            label[i] = label[x]
    return label


def same_places(points: NDArray[np.float32]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """For points (N, 3): the number (N,) of each distinct place, and the first point that lies at each."""
    bits = np.ascontiguousarray(points + np.float32(0)).view(np.uint32)  # −0 is 0
    place, first = same_rows(bits.reshape(-1, 3))
    return place, first


@numba.njit(cache=True, nogil=True)
def same_rows(rows):
    """For (N, 3) uint32 rows: the number (N,) int32 of each distinct row, and where each first stands (distinct,).

    An open-addressing hash of the exact bits; distinct rows are numbered in the order of first appearance.
    """
    n = len(rows)
    size = 16
    while size < 2 * n:
        size *= 2
    table = np.full(size, -1, np.int32)
    mask = size - 1
    number = np.empty(n, np.int32)
    first = np.empty(n, np.int32)
    distinct = 0
    for i in range(n):
        h = np.uint64(rows[i, 0]) * np.uint64(0x9E3779B97F4A7C15)
        h ^= np.uint64(rows[i, 1]) * np.uint64(0xC2B2AE3D27D4EB4F)
        h ^= np.uint64(rows[i, 2]) * np.uint64(0x165667B19E3779F9)
        h ^= h >> np.uint64(29)
        h *= np.uint64(0xBF58476D1CE4E5B9)
        slot = np.int64((h >> np.uint64(20)) & np.uint64(mask))
        while True:
            k = table[slot]
            if k < 0:
                table[slot] = i
                number[i] = distinct
                first[distinct] = i
                distinct += 1
                break
            if rows[k, 0] == rows[i, 0] and rows[k, 1] == rows[i, 1] and rows[k, 2] == rows[i, 2]:
                number[i] = number[k]
                break
            slot = (slot + 1) & mask
    return number, first[:distinct].copy()


def compact(vertices: NDArray[np.float32], faces: NDArray[np.int32]) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """Only the vertices that some face uses, in their old order."""
    used = np.zeros(len(vertices), np.bool_)
    used[faces.ravel()] = True
    if used.all():
        return vertices, faces
    new = np.cumsum(used, dtype=np.int32) - np.int32(1)
    return vertices[used], new[faces]
