"""Planes on a mesh: parts that are flat but for the noise of a scan, kept apart from a bend of six degrees on.

Region growing on smoothed normals and on the distance from the plane grown so far (after Besl and Jain, 1988, from
memory), the flattest places first; what bends within itself is given back. How finely the surface is laid out for
painting plays no part: this looks at the triangles of the file.
"""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..places import pieces_joined
from .edges import edges_of
from .mesh import Mesh, summed
from .scan_noise import fitted_normals, noise_of, smoothed_normals, unevenness

LEAST_BEND = np.radians(6.0)  # between planes that are kept apart
REACH = np.radians(3.2)  # of a normal from that of its plane
LEAST_NOISE_MM, MOST_NOISE_MM = 0.006, 0.08  # less is none
LEAST_WIDTH_MM = 0.35  # of a plane
FILL_ROUNDS, RIM_ROUNDS = 6, 4
BENT, BENT_ROUGH = 0.4, 0.8  # of REACH: a part that bends by more within itself is no plane; of a noisy file
SLACK_MM, NOISE_TIMES = 0.02, 3.0  # of a point from its plane, besides so many times the noise
ALIKE_BEND, ALIKE_WIDTH, TESSELLATED = 0.3, 0.35, np.radians(16.0)  # strips of a round form as a file has it


@dataclass(frozen=True)
class Planes:
    """label: (F,) the plane of each face, −1 for none. normals: (P, 3) unit. middles: (P, 3) mm. mm2: (P,). The
    largest first. smooth: (F, 3) normals without the noise. mates: (F, 3) the faces beside each face, −1 where there
    is none. noise_mm: of the vertices, as estimated."""

    label: NDArray[np.int32]
    normals: NDArray[np.float64]
    middles: NDArray[np.float64]
    mm2: NDArray[np.float64]
    smooth: NDArray[np.float64]
    mates: NDArray[np.int32]
    noise_mm: float


def planes_of(mesh: Mesh, least_mm2: float) -> Planes:
    """The planes of a mesh (mm) of at least so much area."""
    mates = (edges_of(mesh.faces, len(mesh.vertices)).mate.reshape(-1, 3)).astype(np.int64)
    mates = np.where(mates >= 0, mates // 3, -1).astype(np.int32)
    cross = mesh.crosses()
    twice = np.linalg.norm(cross, axis=1)
    area, raw = twice / 2, cross / np.maximum(twice, 1e-300)[:, None]
    middle = mesh.middles()
    noise = noise_of(mesh, raw, twice, mates)
    if LEAST_NOISE_MM < noise < MOST_NOISE_MM:  # more is no noise but a coarse file
        smooth, uneven = fitted_normals(mesh, raw, area, middle, noise)
        tilt = max(np.radians(12.0), 6 * noise / float(np.sqrt(np.median(area))))
    else:
        noise, smooth, tilt = 0.0, smoothed_normals(raw, area, mates, np.cos(LEAST_BEND / 2)), np.radians(12.0)
        uneven = unevenness(smooth, mates)
    order = np.argsort(uneven, kind="stable").astype(np.int32)
    slack = SLACK_MM + NOISE_TIMES * noise
    label, count = _grown(
        smooth,
        middle,
        area,
        mates,
        order,
        np.cos(REACH),
        slack,
        least_mm2,
        LEAST_WIDTH_MM,
        (BENT_ROUGH if noise else BENT) * REACH,
    )
    label = _joined(label, count, mates, smooth, middle, area, slack)
    for _ in range(FILL_ROUNDS if noise else 0):
        label = _filled(label, mates)
    label = _without_strips(label, mates, middle, area, smooth)
    for _ in range(RIM_ROUNDS * (3 if noise else 1)):
        label = _rimmed(label, mates, raw, middle, area, slack, tilt)
    if noise:
        label = _joined(label, int(label.max(initial=-1)) + 1, mates, smooth, middle, area, slack)
    return _gathered(label, mates, raw, smooth, middle, area, least_mm2, noise)


def _means(label: NDArray, normals: NDArray, middle: NDArray, area: NDArray) -> tuple[NDArray, NDArray, NDArray]:
    """Normal, middle and area of every part (P, 3), (P, 3), (P,)."""
    part, count = label + 1, int(label.max(initial=-1)) + 2  # what is none is summed, too, and left out
    mm2 = summed(part, area, count)[1:]
    mean, at = (
        np.stack([summed(part, area * x[:, k], count)[1:] for k in range(3)], axis=1) for x in (normals, middle)
    )
    at /= np.maximum(mm2, 1e-30)[:, None]
    return mean / np.maximum(np.linalg.norm(mean, axis=1), 1e-30)[:, None], at, mm2


def _borders(label: NDArray, mates: NDArray) -> tuple[NDArray, NDArray, NDArray]:
    """Faces (M,) on borders of parts, the face beyond, and which side is counted once."""
    f = np.repeat(np.arange(len(label)), 3)
    g = mates.ravel()
    real = (g >= 0) & (label[f] >= 0)
    f, g = f[real], g[real]
    crossed = (label[g] >= 0) & (label[f] != label[g])
    return f[crossed], g[crossed], f[crossed] < g[crossed]


def _joined(
    label: NDArray, count: int, mates: NDArray, normals: NDArray, middle: NDArray, area: NDArray, slack: float
):
    """Planes that meet and are one, as one."""

    if count == 0:
        return label
    mean, at, _ = _means(label, normals, middle, area)
    near = near_parts(label, mates)
    a, b = near.T if len(near) else (np.zeros(0, int), np.zeros(0, int))
    same = np.einsum("ij,ij->i", mean[a], mean[b]) > np.cos(LEAST_BEND / 3)
    off = np.abs(np.einsum("ij,ij->i", at[b] - at[a], mean[a] + mean[b])) / 2
    same &= off < 1.5 * slack
    piece = pieces_joined(a[same], b[same], len(mean))
    return np.where(label >= 0, piece[np.maximum(label, 0)], -1).astype(np.int32)


def near_parts(label: NDArray, mates: NDArray) -> NDArray[np.int64]:
    """(M, 2) parts that meet, or have only a face or two that is none between them."""
    f, g, once = _borders(label, mates)
    pairs = [np.stack([label[f[once]], label[g[once]]], axis=1)]
    beyond = np.where(mates >= 0, label[np.maximum(mates, 0)], -1)
    gap = label < 0
    for i, j in ((0, 1), (0, 2), (1, 2)):
        closed = gap & (beyond[:, i] >= 0) & (beyond[:, j] >= 0) & (beyond[:, i] != beyond[:, j])
        pairs.append(beyond[closed][:, [i, j]])
    every = np.sort(np.concatenate(pairs), axis=1)
    return np.unique(every, axis=0).astype(np.int64) if len(every) else np.zeros((0, 2), np.int64)


def _without_strips(
    label: NDArray, mates: NDArray, middle: NDArray, area: NDArray, normals: NDArray
) -> NDArray[np.int32]:
    """Planes without the strips that a file makes of a round form: three and more in a row, each turned from its
    neighbours by much the same gentle bend."""
    mean, at, mm2 = _means(label, normals, middle, area)
    beside: dict[int, list[int]] = {}
    for a, b in near_parts(label, mates):
        if float(mean[a] @ mean[b]) > np.cos(TESSELLATED):
            beside.setdefault(int(a), []).append(int(b))
            beside.setdefault(int(b), []).append(int(a))

    def bend(a: int, b: int) -> float:
        angle = float(np.arccos(np.clip(mean[a] @ mean[b], -1, 1)))
        return angle if (at[b] - at[a]) @ (mean[b] - mean[a]) >= 0 else -angle

    def between(k: int) -> bool:
        for i in beside.get(k, ()):
            for j in beside[k]:
                if i < j and (mean[i] - mean[k]) @ (mean[j] - mean[k]) < 0:
                    one, other = bend(k, i), bend(k, j)
                    even = abs(one - other) <= ALIKE_BEND * max(abs(one), abs(other))
                    sizes = sorted((mm2[i], mm2[k], mm2[j]))
                    if one * other > 0 and even and sizes[0] >= (1 - ALIKE_WIDTH) ** 2 * sizes[2]:
                        return True
        return False

    strips = {k for k in beside if between(k)}
    rows: list[set[int]] = []
    left = set(strips)
    while left:
        row, waiting = set(), [left.pop()]
        while waiting:
            k = waiting.pop()
            row.add(k)
            new = {m for m in beside[k] if m in left}
            left -= new
            waiting += new
        rows.append(row)
    gone = {k for row in rows if len(row) >= 3 for k in row}
    gone |= {m for k in list(gone) for m in beside[k] if abs(mm2[m] - mm2[k]) <= ALIKE_WIDTH * mm2[k]}
    return np.where(np.isin(label, list(gone)), -1, label).astype(np.int32)


def _filled(label: NDArray, mates: NDArray) -> NDArray[np.int32]:
    """With faces that two neighbours of one plane enclose."""
    beyond = np.where(mates >= 0, label[np.maximum(mates, 0)], -1)
    out = label.copy()
    for i, j in ((0, 1), (0, 2), (1, 2)):
        joined = (label < 0) & (beyond[:, i] >= 0) & (beyond[:, i] == beyond[:, j])
        out[joined] = beyond[joined, i]
    return out


def _rimmed(
    label: NDArray, mates: NDArray, raw: NDArray, middle: NDArray, area: NDArray, slack: float, tilt: float
) -> NDArray[np.int32]:
    """Faces beside a plane that lie on it, with it; those between two with the nearer one."""
    if not (label >= 0).any():
        return label
    mean, at, _ = _means(label, raw, middle, area)
    beyond = np.where(mates >= 0, label[np.maximum(mates, 0)], -1)
    best = np.full(len(label), np.inf)
    chosen = label.copy()

    def off_from(rows: NDArray, part: NDArray) -> NDArray:
        return np.abs(np.einsum("ij,ij->i", middle.take(rows, 0) - at.take(part, 0), mean.take(part, 0)))

    mask = np.flatnonzero(label >= 0)
    # what is there stays, unless another is clearly nearer
    best[mask] = np.maximum(off_from(mask, label[mask]) - 0.25 * slack, 0)
    for k in range(3):
        samples = np.flatnonzero((beyond[:, k] >= 0) & (beyond[:, k] != label))
        part = beyond[samples, k]
        off = off_from(samples, part)
        off[np.einsum("ij,ij->i", raw.take(samples, 0), mean.take(part, 0)) < np.cos(tilt)] = np.inf
        off[off > slack] = np.inf
        better = off < best[samples]
        rows = samples[better]
        best[rows], chosen[rows] = off[better], part[better]
    return chosen


def _gathered(
    label: NDArray,
    mates: NDArray,
    raw: NDArray,
    smooth: NDArray,
    middle: NDArray,
    area: NDArray,
    least: float,
    noise: float,
) -> Planes:
    mean, at, mm2 = _means(label, smooth, middle, area)
    mask = label >= 0
    level = np.einsum("ij,ij->i", raw[mask], mean[label[mask]])  # a rough face is larger than what it covers
    mm2 = summed(label[mask], area[mask] * level, len(mm2))
    kept = [int(k) for k in np.argsort(-mm2, kind="stable") if mm2[k] >= least]
    place = np.full(len(mm2) + 1, -1, np.int32)
    place[kept] = np.arange(len(kept))
    return Planes(place[label], mean[kept], at[kept], mm2[kept], smooth, mates, noise)


@numba.njit(cache=True)
def _reached(seed, n, p, normals, middle, mates, label, stamp, turn, least_dot, slack, queue):
    """The faces round a seed that lie on a plane, in `queue`; how many."""
    queue[0] = seed
    stamp[seed] = turn
    head, tail = 0, 1
    while head < tail:
        f = queue[head]
        head += 1
        for k in range(3):
            g = mates[f, k]
            if g < 0 or label[g] >= 0 or stamp[g] == turn:
                continue
            dot, off = 0.0, 0.0
            for i in range(3):
                dot += normals[g, i] * n[i]
                off += (middle[g, i] - p[i]) * n[i]
            if dot >= least_dot and abs(off) <= slack:
                stamp[g] = turn
                queue[tail] = g
                tail += 1
    return tail


@numba.njit(cache=True)
def _plane(queue, count, normals, middle, area, n, p):
    """Mean normal and middle of some faces, into n and p; their area."""
    total = 0.0
    n[:] = 0.0
    p[:] = 0.0
    for q in range(count):
        f = queue[q]
        total += area[f]
        for i in range(3):
            n[i] += area[f] * normals[f, i]
            p[i] += area[f] * middle[f, i]
    length = np.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2)
    for i in range(3):
        n[i] /= max(length, 1e-300)
        p[i] /= max(total, 1e-300)
    return total


@numba.njit(cache=True)
def _bend_within(queue, count, normals, middle, area, n, p, least_dot):
    """By how much some faces turn from one rim to the other, radians: the slope of their normals over their places
    (least squares), times how far they reach that way. Only those that look nearly the same way count: at its rims a
    plane is a little round."""
    u = np.zeros(3)
    k = 0
    for i in range(1, 3):
        if abs(n[i]) < abs(n[k]):
            k = i
    u[k] = 1.0
    dot = n[k]
    for i in range(3):
        u[i] -= dot * n[i]
    u /= np.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2)
    v = np.array([n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]])
    total = 0.0
    xx = np.zeros((2, 2))
    xn = np.zeros((2, 2))
    for q in range(count):
        f = queue[q]
        s, t, a, b = 0.0, 0.0, 0.0, 0.0
        for i in range(3):
            d = middle[f, i] - p[i]
            s += d * u[i]
            t += d * v[i]
            a += normals[f, i] * u[i]
            b += normals[f, i] * v[i]
        if a * a + b * b > 1 - least_dot * least_dot:
            continue
        w = area[f]
        total += w
        xx[0, 0] += w * s * s
        xx[0, 1] += w * s * t
        xx[1, 1] += w * t * t
        xn[0, 0] += w * s * a
        xn[0, 1] += w * s * b
        xn[1, 0] += w * t * a
        xn[1, 1] += w * t * b
    if total <= 0:
        return 0.0
    xx[1, 0] = xx[0, 1]
    xx /= total
    xn /= total
    det = xx[0, 0] * xx[1, 1] - xx[0, 1] ** 2
    if det < 1e-18:
        return 0.0
    slope = np.empty((2, 2))
    slope[0] = (xx[1, 1] * xn[0] - xx[0, 1] * xn[1]) / det
    slope[1] = (xx[0, 0] * xn[1] - xx[0, 1] * xn[0]) / det
    worst = 0.0
    for k in range(12):  # in every direction: turn per mm times the reach
        angle = np.pi * k / 12
        c, d = np.cos(angle), np.sin(angle)
        bend = np.sqrt((c * slope[0, 0] + d * slope[1, 0]) ** 2 + (c * slope[0, 1] + d * slope[1, 1]) ** 2)
        reach = np.sqrt(12 * max(c * c * xx[0, 0] + 2 * c * d * xx[0, 1] + d * d * xx[1, 1], 0.0))
        worst = max(worst, bend * reach)
    return worst


@numba.njit(cache=True)
def _grown(normals, middle, area, mates, order, least_dot, slack, least_mm2, least_width, most_bend):
    half_dot = np.cos(np.arccos(least_dot) / 2)
    count = len(mates)
    label = np.full(count, -1, np.int32)
    stamp = np.full(count, -1, np.int32)
    dead = np.zeros(count, np.bool_)
    queue = np.empty(count, np.int32)
    n, p = np.empty(3), np.empty(3)
    parts, turn = 0, 0
    for seed in order:
        if label[seed] >= 0 or dead[seed]:
            continue
        for i in range(3):
            n[i] = normals[seed, i]
            p[i] = middle[seed, i]
        size, held = 0, 0
        for _ in range(6):  # grown again from the plane that was found, until it stays
            turn += 1
            size = _reached(seed, n, p, normals, middle, mates, label, stamp, turn, least_dot, slack, queue)
            total = _plane(queue, size, normals, middle, area, n, p)
            if size == held:
                break
            held = size
        spread = 0.0
        for q in range(size):
            for i in range(3):
                spread += area[queue[q]] * (middle[queue[q], i] - p[i]) ** 2
        wide = total >= least_width * np.sqrt(12 * spread / total)  # of a rectangle the area over the length
        if (
            total >= least_mm2
            and wide
            and _bend_within(queue, size, normals, middle, area, n, p, half_dot) <= most_bend
        ):
            for q in range(size):
                label[queue[q]] = parts
            parts += 1
        else:
            for q in range(size):  # none of those that look the same way begins another
                dot = 0.0
                for i in range(3):
                    dot += normals[queue[q], i] * n[i]
                dead[queue[q]] = dead[queue[q]] or dot > half_dot
            dead[seed] = True
    return label, parts
