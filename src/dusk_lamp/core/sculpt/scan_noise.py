"""Normals of a mesh without its noise: how far a scan's vertices are off, and planes fitted round every spot."""

import numba
import numpy as np
from numpy.typing import NDArray

from ..places import tree_of
from .mesh import Mesh

OFF_BY_NOISE = 1.15  # measured on boxes, prisms, cylinders and balls with known noise: 1.0 to 1.3
ROOM_MM, ROOM_TIMES = (0.3, 1.0), 25.0  # how far round a spot a plane is fitted to it: so many times the noise
EDGES_IN_ROOM, DOTS_IN_ROOM, MOST_DOTS, NEIGHBOURS = 1.5, 4.0, 400_000, 48


def noise_of(mesh: Mesh, normals: NDArray, twice: NDArray, mates: NDArray) -> float:
    """How far the vertices are off, mm: by how much a face is turned from the mean of its neighbours, times its
    height. A smooth form, however bent, is turned by next to nothing."""
    turn = np.arccos(np.clip(_cosine_to_neighbours(normals, mates), -1, 1))
    off = turn * twice / np.maximum(mesh.longest_sides(), 1e-12)
    order = np.argsort(off)
    upto = np.cumsum(twice[order])
    return float(off[order[np.searchsorted(upto, upto[-1] / 2)]]) / OFF_BY_NOISE


@numba.njit(cache=True, parallel=True)
def _cosine_to_neighbours(normals, mates):
    """(F,) cosine between the normal of each face and the mean of its neighbours'."""
    out = np.empty(len(mates))
    for f in numba.prange(len(mates)):
        x, y, z = 0.0, 0.0, 0.0
        for k in range(3):
            g = np.int64(mates[f, k])
            if g < 0:
                g = np.int64(f)
            x, y, z = x + normals[g, 0], y + normals[g, 1], z + normals[g, 2]
        length = max(np.sqrt(x * x + y * y + z * z), 1e-12)
        out[f] = normals[f, 0] * x / length + normals[f, 1] * y / length + normals[f, 2] * z / length
    return out


@numba.njit(cache=True, parallel=True)
def smoothed_normals(normals, area, mates, least_dot):
    """(F, 3) unit normals, each with those of its neighbours (F, 3) by area, as far as their cosine is more than
    least_dot."""
    out = np.empty_like(normals)
    for f in numba.prange(len(mates)):
        a = area[f]
        x, y, z = a * normals[f, 0], a * normals[f, 1], a * normals[f, 2]
        for k in range(3):
            g = mates[f, k]
            if g >= 0:
                dot = normals[f, 0] * normals[g, 0] + normals[f, 1] * normals[g, 1] + normals[f, 2] * normals[g, 2]
                if dot > least_dot:
                    w = area[g]
                    x += w * normals[g, 0]
                    y += w * normals[g, 1]
                    z += w * normals[g, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 1e-300:
            out[f, 0], out[f, 1], out[f, 2] = x / length, y / length, z / length
        else:
            out[f] = normals[f]
    return out


def dots_on(mesh: Mesh, area: NDArray, spacing: float) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Points (D, 3) spread evenly over a mesh, and the face of each: every face has one at least."""
    count = np.maximum(np.round(area / spacing**2).astype(np.int64), 1)
    face = np.repeat(np.arange(len(area)), count)
    order = np.arange(len(face)) - np.repeat(np.cumsum(count) - count, count)
    # the R2 sequence (Roberts, 2018, from memory), folded into the triangle
    u, v = (0.5 + (order + 1) * 0.7548776662466927) % 1, (0.5 + (order + 1) * 0.5698402909980532) % 1
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    lone = np.repeat(count == 1, count)
    u, v = np.where(lone, 1 / 3, u), np.where(lone, 1 / 3, v)
    a, b, c = (mesh.vertices.take(mesh.faces[:, k].take(face), axis=0).astype(np.float64) for k in range(3))
    return a + u[:, None] * (b - a) + v[:, None] * (c - a), face


def fitted_normals(
    mesh: Mesh, raw: NDArray, area: NDArray, middle: NDArray, noise: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(F, 3) normals of a noisy mesh: of planes fitted round every spot to what lies near, what lies off them
    counting less and less, so that a bend stays one (robust moving least squares; Fleishman, Cohen-Or and Silva,
    2005, from memory); and (F,) how much they change round each face."""

    edge = float(np.sqrt(np.median(area) * 4 / np.sqrt(3)))
    room = float(np.clip(max(ROOM_TIMES * noise, EDGES_IN_ROOM * edge), *ROOM_MM))
    spacing = max(room / DOTS_IN_ROOM, float(np.sqrt(area.sum() / MOST_DOTS)))
    dots, face = dots_on(mesh, area, spacing)
    if len(dots) > 2 * MOST_DOTS:  # a fine file: its own faces are more than enough
        few = np.linspace(0, len(dots) - 1, MOST_DOTS).astype(np.int64)
        dots, face = dots[few], face[few]
    tree = tree_of(dots)
    _, near = tree.query(dots, k=min(NEIGHBOURS, len(dots)), distance_upper_bound=2 * room, workers=-1)
    near = np.where(near == len(dots), -1, near).astype(np.int64).reshape(len(dots), -1)
    normals = _planes_round(dots, raw[face], near, room, noise)
    at = tree.query(middle, k=min(4, len(dots)), workers=-1)[1].reshape(len(middle), -1)
    # of the spots nearest to a face the first that looks its way: a thin blade has another side
    facing = np.einsum("fkj,fj->fk", normals[at], raw) > 0
    chosen = at[np.arange(len(at)), np.argmax(facing, axis=1)]
    return normals[chosen], _change_round(normals, near)[chosen]


@numba.njit(cache=True, parallel=True)
def _change_round(normals, near):
    out = np.empty(len(near))
    for d in numba.prange(len(near)):
        total, count = 0.0, 0
        for q in range(near.shape[1]):
            e = near[d, q]
            if e >= 0:
                dot = normals[e, 0] * normals[d, 0] + normals[e, 1] * normals[d, 1] + normals[e, 2] * normals[d, 2]
                if dot > 0:
                    total += 1 - dot
                    count += 1
        out[d] = total / max(count, 1)
    return out


@numba.njit(cache=True, parallel=True)
def _planes_round(dots, normals, near, room, noise):
    count, most = near.shape
    out = np.empty((count, 3))
    for d in numba.prange(count):
        n = np.zeros(3)
        for q in range(most):  # where it looks, roughly
            e = near[d, q]
            if e < 0:
                continue
            dot = normals[e, 0] * normals[d, 0] + normals[e, 1] * normals[d, 1] + normals[e, 2] * normals[d, 2]
            if dot > 0.3:
                n += normals[e]
        n /= max(np.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2), 1e-300)
        p = dots[d].copy()
        for turn in range(4):
            width = noise * (8.0 if turn == 0 else 4.0 if turn == 1 else 2.5)
            total = 0.0
            mean = np.zeros(3)
            cov = np.zeros((3, 3))
            for step in range(2):
                for q in range(most):
                    e = near[d, q]
                    if e < 0:
                        continue
                    looks = normals[e, 0] * n[0] + normals[e, 1] * n[1] + normals[e, 2] * n[2]
                    if looks < 0.2:
                        continue
                    far, off = 0.0, 0.0
                    for i in range(3):
                        far += (dots[e, i] - dots[d, i]) ** 2
                        off += (dots[e, i] - p[i]) * n[i]
                    w = np.exp(-far / (room * room)) * np.exp(-((off / width) ** 2))
                    if step == 0:
                        total += w
                        for i in range(3):
                            mean[i] += w * dots[e, i]
                    else:
                        for i in range(3):
                            for j in range(3):
                                cov[i, j] += w * (dots[e, i] - mean[i]) * (dots[e, j] - mean[j])
                if step == 0:
                    if total < 1e-12:
                        break
                    mean /= total
            if total < 1e-12:
                break
            # the direction in which they spread least: inverse iteration by the adjugate
            adj = np.empty((3, 3))
            for i in range(3):
                for j in range(3):
                    a, b = (i + 1) % 3, (i + 2) % 3
                    c, e2 = (j + 1) % 3, (j + 2) % 3
                    adj[i, j] = cov[a, c] * cov[b, e2] - cov[a, e2] * cov[b, c]
            for _ in range(3):
                m = adj @ n
                length = np.sqrt(m[0] ** 2 + m[1] ** 2 + m[2] ** 2)
                if length < 1e-300:
                    break
                sign = 1.0 if m[0] * n[0] + m[1] * n[1] + m[2] * n[2] >= 0 else -1.0
                n = sign * m / length
            p = mean
        out[d] = n
    return out


@numba.njit(cache=True, parallel=True)
def unevenness(normals, mates):
    """(F,) the mean turn of a face to its neighbours, as 1 − cosine."""
    out = np.empty(len(mates))
    for f in numba.prange(len(mates)):
        total, count = 0.0, 0
        for k in range(3):
            g = mates[f, k]
            if g >= 0:
                dot = normals[f, 0] * normals[g, 0] + normals[f, 1] * normals[g, 1] + normals[f, 2] * normals[g, 2]
                total += 1.0 - dot
                count += 1
        out[f] = total / count if count else 2.0
    return out
