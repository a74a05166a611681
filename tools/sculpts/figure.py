"""What figures share: hanging cloth, sleeves, fists, plate, scales, chain, ground."""

import numpy as np
from numpy.typing import ArrayLike

from .forms import (
    Field,
    Points,
    arc,
    ball,
    both,
    box,
    cut,
    drum,
    join,
    length,
    path,
    profile,
    rod,
    smoothstep,
    turn_x,
    turn_z,
    vec,
)


def folded(p, heights, radii, wide, deep, folds, phase, back=0.0, taut=24.0, loose=6.0):
    """Hanging cloth round the upright: a profile of radii over heights, thrown into folds of `folds` mm that deepen
    from the height where the cloth is taut to the one where it is loose.

    Returns the distance to the cloth's outer side.
    """
    z = p[:, 2]
    lean = back * smoothstep(z, 30, 4)
    x, y = p[:, 0] / wide, (p[:, 1] - lean) / deep
    around = np.arctan2(x, -y)
    r = profile(z, heights, radii)
    depth = folds * (0.12 + smoothstep(-z, -taut, -loose))
    swing = 0.35 * np.sin(z * 0.22 + phase)
    wave = (
        0.55 * np.cos(7 * around + 1.3 * np.sin(2 * around + phase) + swing)
        + 0.30 * np.cos(12 * around - 0.8 * np.cos(3 * around) - 1.5 * swing + phase)
        + 0.22 * np.cos(4 * around + 0.13 * z + 2 * phase)
    )
    # cloth folds are rounded outside and pinched inside
    wave = 1 - 1.6 * np.abs(np.sin(0.5 * np.arccos(np.clip(wave, -1, 1)))) ** 1.4
    return (np.hypot(x, y) - (r + depth * wave)) * vec(0.72)


def sleeve(p: Points, shoulder, elbow, wrist, drop: float) -> Field:
    """A wide sleeve: cloth round the arm that hangs open at the wrist."""
    shoulder, elbow, wrist = (np.array(v, float) for v in (shoulder, elbow, wrist))
    d = join(rod(p, shoulder, elbow, 1.6, 1.55), rod(p, elbow, wrist, 1.5, 1.35), 0.7)
    cuff = wrist + (0, 0, -drop * 0.55)
    d = join(d, rod(p, (elbow + wrist) / 2 - (0, 0, 0.4), cuff, 1.2, 1.1), 0.8)
    along = (wrist - elbow) / np.linalg.norm(wrist - elbow)
    t = (p - vec(elbow)) @ vec(along)
    creases = 0.17 * np.sin(2.3 * t + 0.9 * p[:, 2]) + 0.1 * np.sin(4.1 * t - 1.7 * p[:, 0] + 1.0)
    d = (d + creases) * vec(0.8)
    mouth = rod(p, wrist + along * 0.4 - (0, 0, drop * 0.2), wrist + along * 3 - (0, 0, drop * 0.2), 1.15)
    d = cut(d, mouth, 0.2)
    end = (p - vec(wrist + along * 0.85)) @ vec(along)
    trim = both(np.abs(d) - 0.14, np.abs(end + 0.45) - 0.4, 0.1)
    return join(np.maximum(d, end), np.maximum(trim, end), 0.1)


def fist(p: Points, at, axis, forward) -> Field:
    """A hand closed round a rod that runs along `axis`; `forward` is where the knuckles point."""
    at, axis, forward = np.array(at, float), np.array(axis, float), np.array(forward, float)
    axis /= np.linalg.norm(axis)
    forward -= axis * (forward @ axis)
    forward /= np.linalg.norm(forward)
    side = np.cross(axis, forward)
    d = rod(p, at - side * 0.75 - axis * 0.6, at - side * 0.75 + axis * 0.6, 0.62)
    for k in range(4):
        centre = at + axis * (-0.9 + 0.6 * k)
        r = 0.79 - 0.05 * abs(k - 1.5)
        finger = path(p, arc(centre, forward, side, r, -125, 115, 8), [0.3] * 3 + [0.28] * 3 + [0.25, 0.22])
        knuckle = ball(p, arc(centre, forward, side, r + 0.06, -45, 0, 2)[0], 0.33)
        d = join(d, join(finger, knuckle, 0.1), 0.05)
    thumb = path(p, arc(at + axis * 1.25, forward, side, 0.82, 215, 60, 6), [0.36, 0.34, 0.31, 0.3, 0.28, 0.24])
    return join(d, thumb, 0.08)


def along(p: Points, a: ArrayLike, b: ArrayLike, front: ArrayLike) -> tuple[Field, Field, Field]:
    """Where places lie round a limb from a to b: share of the way, distance from its axis, angle from its front."""
    a, b = vec(a), vec(b)
    axis = (b - a) / np.linalg.norm(b - a)
    ahead = vec(front) - axis * float(np.dot(vec(front), axis))
    ahead /= np.linalg.norm(ahead)
    side = np.cross(axis, ahead)
    q = p - a
    t = q @ axis
    around = np.arctan2(q @ side, q @ ahead)
    return t / vec(np.linalg.norm(b - a)), length(q - t[:, None] * axis), around


def plate_limb(p: Points, a, b, ra: float, rb: float, front=(0, -1, 0), keel: float = 0.22, lames: int = 0) -> Field:
    """A limb in plate: drawn to a keel in front, rolled rims at both ends, lames across it."""
    t, away, around = along(p, a, b, front)
    r = ra + (rb - ra) * np.clip(t, 0, 1)
    swell = 1 + 0.1 * np.sin(np.pi * np.clip(t, 0, 1))
    ridge = keel * np.maximum(0, 1 - np.abs(around) / 0.75)  # flat faces that meet in a line
    whole = float(np.linalg.norm(vec(b) - vec(a)))
    d = away - r * swell - ridge
    if lames:
        step = np.mod(t * lames, 1.0)
        d = d - 0.16 * (1 - step) + 0.05
    d = np.maximum(d, np.abs(t - 0.5) * whole - whole / 2)
    for end in (0.0, 1.0):
        rim = np.hypot(away - (r * swell + ridge), (t - end) * whole) - 0.2
        d = join(d, rim, 0.08)
    return d * vec(0.8)


def scales(p: Points, _radius: Field, top: float, row: float, count: int, centre=(0, 0)) -> Field:
    """How far rows of overlapping scales stand off a skirt of the given radius (N,), whose first row starts at
    `top`."""
    around = np.arctan2(p[:, 0] - centre[0], -(p[:, 1] - centre[1])) / (2 * np.pi)
    out = np.zeros(len(p), np.float32)
    place = (top - p[:, 2]) / row
    cell = np.floor(place)
    for k in (0, 1):  # the row here, and the one above whose tips hang over it
        v = place - (cell - k)
        u = np.mod(around * count + 0.5 * np.mod(cell - k, 2), 1.0) - 0.5
        tongue = 1.45 - 2.6 * u * u - v
        thick = (0.1 + 0.26 * v) * row * smoothstep(tongue, 0.0, 0.08)
        thick = thick + 0.07 * row * np.maximum(0, 1 - np.abs(u) / 0.18) * smoothstep(tongue, 0.0, 0.1)  # a rib
        out = np.maximum(out, thick)
    return out


def chain(p: Points, places: ArrayLike, link: float, thick: float) -> Field:
    """A chain along a row of places: links by turns flat and upright, each an oval through its neighbours."""
    places = np.asarray(places, float)
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    run = np.concatenate([[0], np.cumsum(steps)])
    count = int(run[-1] / (link * 1.15))
    at = np.linspace(0, run[-1], count + 1)
    way = np.stack([np.interp(at, run, places[:, k]) for k in range(3)], axis=1)
    low, high = way.min(axis=0) - link, way.max(axis=0) + link
    far = length(np.maximum(np.maximum(vec(low) - p, p - vec(high)), 0))
    if far.min() > 1.0:
        return far + vec(0.3)
    d = np.full(len(p), 9.0, np.float32)
    for k in range(count):
        a, b = way[k], way[k + 1]
        axis = (b - a) / np.linalg.norm(b - a)
        across = np.cross(axis, (0.31, 0.17, 0.94) if abs(axis[2]) < 0.9 else (0.9, 0.3, 0.1))
        across /= np.linalg.norm(across)
        if k % 2:
            across = np.cross(axis, across)
        middle = (a + b) / 2
        if length(p - vec(middle)).min() > 1.5 * link:
            d = np.minimum(d, length(p - vec(middle)) - vec(link))
            continue
        q = p - vec(middle)
        x = q @ vec(axis)
        y = q @ vec(across)
        z = q @ vec(np.cross(axis, across))
        straight = np.maximum(np.abs(x) - link * 0.32, 0)
        d = np.minimum(d, np.hypot(np.hypot(straight, y) - link * 0.36, z) - thick)
    return d


def slabs(p: Points, radius: float, tall: float, seed: int, size: tuple[float, float] = (5.2, 4.4)) -> Field:
    """A round plinth of worn stone slabs."""
    d = drum(p, (0, 0, tall / 2), radius, tall / 2, 0.3)
    rng = np.random.default_rng(seed)
    wide, deep = size
    for row, y in enumerate(np.arange(-radius, radius + deep, deep)):
        for x in np.arange(-radius + (row % 2) * wide / 2 - wide, radius + wide, wide):
            at = np.array([x, y]) + rng.normal(0, 0.12, 2)
            lift, turn = rng.uniform(0.15, 0.5), turn_z(rng.normal(0, 1.5)) @ turn_x(rng.normal(0, 1.2))
            if np.hypot(*at) < radius + 0.6 * wide and length(p - vec((*at, tall))).min() < wide:
                stone = box(p, (*at, tall - 0.6 + lift), (wide * 0.47, deep * 0.47, 0.7), 0.22, turn)
                worn = 0.05 * np.sin(1.9 * p[:, 0] + 3 * at[1]) * np.sin(1.7 * p[:, 1] + at[0])
                d = join(d, stone + worn, 0.08)
    return both(d, np.hypot(p[:, 0], p[:, 1]) - radius, 0.3)
