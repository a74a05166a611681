"""The kiln-keeper: a bust of the woman who fires the guild's lamp glasses, beside her open kiln. In two parts."""

import numpy as np

from .forms import (
    Field,
    Points,
    ball,
    both,
    box,
    cut,
    join,
    length,
    path,
    profile,
    ring,
    rod,
    smoothstep,
    turn_x,
    turn_z,
    vec,
    within,
)

HEAD = np.array([-4.0, -0.6, 40.4])  # middle of the skull; she looks down and to the kiln at the viewer's right
KILN = np.array([15.5, -3.0, 0.0])
_TURN = turn_z(24) @ turn_x(7)  # from the world to her head: turned toward the kiln, chin a little down


def _head(p: Points) -> Points:
    return (p - vec(HEAD)) @ vec(_TURN).T


@within((0, 0, 2.5), 31)
def plinth(p: Points) -> Field:
    """A stepped wooden plinth with a moulding and a brass plate."""
    d = box(p, (4.5, -1.0, 1.6), (21.5, 13.5, 1.6), 0.4)
    d = join(d, box(p, (4.5, -1.0, 3.6), (20.4, 12.4, 0.7), 0.5), 0.2)
    d = cut(d, np.hypot(np.maximum(np.abs(p[:, 1] + 1.0) - 13.5, -9), p[:, 2] - 2.5) - 0.45, 0.1)
    grain = 0.05 * np.sin(2.2 * p[:, 2] + 0.25 * p[:, 0] + 1.4 * np.sin(0.3 * p[:, 0])) + 0.03 * np.sin(
        6 * p[:, 1] + 0.2 * p[:, 0]
    )
    d = d + grain
    plate = box(p, (-4.0, -14.5, 1.7), (6.0, 0.35, 0.9), 0.15)
    for x in (-9.3, 1.3):
        plate = join(plate, ball(p, (x, -14.9, 1.7), 0.28))
    return join(d, plate)


@within((-4, 0, 38.5), 14.5)
def head(p: Points) -> Field:
    """Her face: brow, hooded eyes, long nose, high cheeks, thin lips, lines, ears, and the neck with its cords."""
    q = _head(p)
    d = ball(q, (0, 0.6, 2.2), (7.0, 8.2, 7.6))
    d = join(d, ball(q, (0, -2.0, -3.4), (5.4, 5.6, 6.2)), 2.5)
    d = join(d, ball(q, (0, -5.4, -8.2), (2.5, 2.2, 2.0)), 2.2)  # chin
    for s in (-1, 1):
        d = join(d, rod(q, (s * 5.0, 0.4, -4.0), (s * 2.4, -4.9, -8.0), 1.5, 1.3), 1.6)  # jaw
        d = join(d, ball(q, (s * 4.1, -5.0, -1.6), (2.1, 1.8, 1.6)), 1.3)  # cheekbone
        d = cut(d, ball(q, (s * 4.4, -5.9, -4.6), (1.6, 1.5, 2.2)), 1.4)  # hollow of the cheek
        d = cut(d, ball(q, (s * 2.75, -7.6, 1.0), (2.1, 1.9, 1.35)), 0.9)  # socket
        d = join(
            d, path(q, [(s * 0.9, -7.55, 2.5), (s * 2.6, -7.6, 3.1), (s * 4.7, -5.9, 2.4)], [0.75, 0.8, 0.55]), 0.9
        )  # brow
        eye = ball(q, (s * 2.7, -5.95, 0.85), (1.45, 1.3, 1.3))
        d = join(d, eye)
        lid = ball(q, (s * 2.7, -5.95, 0.95), (1.68, 1.55, 1.5))
        upper = np.maximum(lid, -(q[:, 2] - 0.85 - 0.45 * np.cos((q[:, 0] - s * 2.7) * 0.9) + 0.25))
        lower = np.maximum(lid, q[:, 2] - 0.25)
        d = join(d, join(upper, lower), 0.12)
        d = cut(d, rod(q, (s * 2.7, -7.2, 0.75), (s * 2.7, -8, 0.75), 0.28), 0.08)  # pupil
        d = cut(
            d, path(q, [(s * 1.5, -7.4, -0.75), (s * 2.8, -7.45, -1.15), (s * 4.0, -6.7, -0.8)], 0.13), 0.25
        )  # bag
        for k in range(3):  # crow's feet
            d = cut(d, path(q, [(s * 4.9, -5.2, 0.7 + 0.1 * k), (s * 6.2, -3.8, 1.4 - 0.9 * k)], [0.12, 0.06]), 0.22)
        fold = [(s * 1.6, -8.2, -3.1), (s * 2.7, -7.2, -4.6), (s * 3.0, -6.5, -6.4)]
        d = cut(d, path(q, fold, [0.2, 0.22, 0.1]), 0.55)
        ear = join(
            ring(q, (s * 7.0, 0.8, 0.2), (1, 0.2 * s, 0.1), 1.7, 0.45),
            ball(q, (s * 6.8, 0.8, -1.4), (0.5, 0.9, 0.9)),
            0.4,
        )
        d = join(d, join(ear, ball(q, (s * 6.7, 1.1, 0.3), (0.45, 1.4, 1.6)), 0.4), 0.35)
        d = join(d, ring(q, (s * 7.0, 0.4, -3.2), (0.2, 1, 0), 0.8, 0.2))  # an ear-ring
    d = join(
        d, path(q, [(0, -7.3, 2.2), (0, -8.4, 0.6), (0, -9.6, -1.4), (0, -9.9, -2.5)], [0.75, 0.7, 0.85, 1.0]), 0.7
    )
    for s in (-1, 1):
        d = join(d, ball(q, (s * 1.05, -8.7, -2.75), (0.85, 0.95, 0.75)), 0.4)
        d = cut(d, ball(q, (s * 0.6, -9.3, -3.35), (0.34, 0.5, 0.3)), 0.15)
    d = join(d, ball(q, (0, -7.0, -5.1), (2.7, 1.6, 1.7)), 1.0)
    for s in (-1, 1):
        d = join(
            d, path(q, [(0, -8.75, -4.65), (s * 1.1, -8.5, -4.55), (s * 2.4, -7.4, -5.1)], [0.36, 0.38, 0.14]), 0.3
        )
        d = join(
            d, path(q, [(0, -8.55, -5.75), (s * 1.1, -8.3, -5.65), (s * 2.3, -7.4, -5.15)], [0.5, 0.45, 0.14]), 0.3
        )
    d = cut(
        d,
        path(
            q, [(-2.5, -7.5, -5.1), (-1, -8.75, -5.12), (0, -8.95, -5.05), (1, -8.75, -5.12), (2.5, -7.5, -5.1)], 0.13
        ),
        0.12,
    )
    d = cut(d, path(q, [(-1.0, -7.9, -6.9), (1.0, -7.9, -6.9)], 0.2), 0.5)
    for k in range(3):  # lines of the forehead
        z = 4.2 + 0.9 * k
        y = -7.75 + 0.38 * k * k
        d = cut(
            d,
            path(
                q, [(-3.0, y + 0.75, z - 0.1), (-1.2, y, z + 0.15), (1.2, y, z + 0.1), (3.0, y + 0.75, z - 0.1)], 0.09
            ),
            0.3,
        )
    neck = rod(p, HEAD + (0.2, 1.6, -4), (-3.8, 2.4, 26), 4.3, 5.0)
    for s in (-1, 1):
        neck = join(neck, rod(p, HEAD + (s * 4.8, 2.0, -5), (-3.4 + s * 1.6, -2.6, 26.5), 1.2, 1.0), 1.2)
    neck = cut(neck, ball(p, (-3.4, -3.6, 27.4), (1.2, 1.2, 1.4)), 0.8)
    for k in range(2):
        neck = cut(neck, ring(p, (-4.0, 1.9, 30.6 + 1.9 * k), (0.1, 0.25, 1), 4.75, 0.12), 0.4)
    return join(d, neck, 1.6)


@within((-4, 1.5, 43.5), 14.5)
def wrap(p: Points) -> Field:
    """The cloth wound round her head, its turns crossing in front, knotted behind with two ends."""
    q = _head(p)
    skull = ball(q, (0, 1.0, 2.8), (7.35, 8.4, 7.6))
    d = np.full(len(p), 9.0, np.float32)
    for tilt, low, high in ((0.14, 1.6, 4.4), (-0.18, 3.4, 6.2), (0.1, 5.2, 14.0)):
        z = q[:, 2] + tilt * q[:, 0] + 0.45 * q[:, 1]
        swell = (
            0.55
            + 0.22 * np.sin(2.1 * z + 0.6 * np.arctan2(q[:, 0], q[:, 1]))
            + 0.16 * np.sin(4.3 * z + 1.1 * np.arctan2(q[:, 0], q[:, 1]))
        )
        d = join(d, np.maximum(skull - swell, np.abs(z - (low + high) / 2) - (high - low) / 2) * vec(0.8), 0.25)
    knot = join(ball(q, (1.2, 9.4, 4.2), (1.9, 1.5, 1.7)), rod(q, (0.4, 8.6, 5.4), (2.2, 9.8, 3.2), 1.1, 0.9), 0.4)
    d = join(d, knot + 0.12 * np.sin(4 * q[:, 0] + 3 * q[:, 2]), 0.3)
    for s, end in ((-1, (-1.6, 10.2, -7.4)), (1, (3.8, 9.4, -6.2))):
        tail = path(
            q, [(1.2, 9.8, 3.6), (0.9 + s * 1.2, 10.8, 0.4), (1.0 + s * 1.3, 9.8, -3.2), end], [0.8, 1.0, 1.2, 1.5]
        )
        flat = np.abs(q[:, 1] - 10.2 + 0.2 * np.sin(0.8 * q[:, 2] + s)) - 0.36
        d = join(d, both(tail, flat, 0.2) * vec(0.8), 0.15)
    return d


@within((-4, -2, 45.5), 12)
def goggles(p: Points) -> Field:
    """Furnace goggles pushed up on the wrap: two brass-rimmed glasses, a leather pad and a strap."""
    q = _head(p)
    d = np.full(len(p), 9.0, np.float32)
    for s in (-1, 1):
        at = np.array([s * 2.9, -7.5, 6.6])
        out = np.array([s * 0.25, -0.9, 0.36])
        out /= np.linalg.norm(out)
        t = (q - vec(at)) @ vec(out)
        away = length(q - vec(at) - t[:, None] * vec(out))
        cup = np.maximum(away - 2.35 + 0.12 * t, np.abs(t + 0.1) - 1.25)
        d = join(d, cup * vec(0.9), 0.1)
        d = join(d, ring(q, at + out * 1.15, out, 2.2, 0.34), 0.05)
        d = cut(d, np.maximum(away - 1.75, np.abs(t - 1.2) - 0.5), 0.1)
        d = join(d, ball(q, at - out * 1.4, 2.75) + 0.0, 0.05)
        for k in range(6):
            a = np.radians(60 * k + 15)
            side, up = np.cross(out, (0, 0, 1)), np.cross(np.cross(out, (0, 0, 1)), out)
            side /= np.linalg.norm(side)
            up /= np.linalg.norm(up)
            d = join(d, ball(q, at + out * 1.2 + 2.2 * (np.cos(a) * side + np.sin(a) * up), 0.3))
    d = join(d, rod(q, (-0.9, -9.0, 7.0), (0.9, -9.0, 7.0), 0.5), 0.15)
    skull = ball(q, (0, 1.0, 2.8), (7.35, 8.4, 7.6))
    band = np.maximum(
        np.abs(skull - 1.0) - 0.38, np.maximum(np.abs(q[:, 2] - 6.4 + 0.1 * (q[:, 1] + 6)) - 1.0, -q[:, 1] - 5.4)
    )
    band = cut(
        band,
        np.maximum(np.abs(skull - 1.4) - 0.1, np.abs(np.abs(q[:, 2] - 6.4 + 0.1 * (q[:, 1] + 6)) - 0.75) - 0.06),
        0.05,
    )
    return join(d, band, 0.05)


@within((-4, 1.5, 19), 19)
def shirt(p: Points) -> Field:
    """Shoulders in a coarse shirt with a rolled collar, cut off below the breast."""
    d = join(ball(p, (-4, 1.6, 16.0), (11.2, 7.4, 8.6)), ball(p, (-4, 2.4, 23.2), (8.0, 5.2, 4.2)), 3.0)
    for s in (-1, 1):
        d = join(d, rod(p, (-4 + s * 7.0, 2.4, 23.8), (-4 + s * 12.3, 2.0, 19.8), 3.6, 4.3), 2.6)
        d = join(d, rod(p, (-4 + s * 12.3, 2.0, 19.8), (-4 + s * 13.6, 0.6, 11.0), 4.4, 4.0), 1.0)
    folds = 0.26 * np.sin(1.1 * p[:, 0] + 0.9 * p[:, 2]) * smoothstep(np.abs(p[:, 0] + 4), 5, 11)
    folds = folds + 0.2 * np.sin(1.7 * p[:, 2] - 0.8 * np.abs(p[:, 0] + 4) + 0.5 * p[:, 1]) * smoothstep(
        np.abs(p[:, 0] + 4), 8, 13
    )
    folds = folds + 0.14 * np.sin(2.6 * p[:, 0] - 0.7 * p[:, 2] + 1.0)
    d = (d + folds) * vec(0.85)
    scoop = ball(p, (-3.6, -2.8, 28.4), (4.9, 5.0, 4.6))
    d = cut(d, scoop, 0.4)
    collar = both(np.abs(scoop) - 0.75, np.abs(d) - 0.9, 0.4)
    d = join(d, collar + 0.1 * np.sin(2.3 * p[:, 0]), 0.3)
    return np.maximum(d, 9.0 + 0.05 * (p[:, 0] + 4) ** 2 * 0.35 - p[:, 2])


@within((-4, -2, 15), 17.5)
def apron(p: Points, cloth: Field) -> Field:
    """A scorched leather apron on two straps with buckles, and tongs in its breast pocket."""
    bib = np.maximum(
        np.maximum(np.abs(p[:, 0] + 4) - np.interp(p[:, 2], (9, 21), (8.0, 5.2)), p[:, 2] - 20.6), p[:, 1] - 0.0
    )
    d = both(np.abs(cloth - 0.3) - 0.42, bib, 0.2)
    d = join(d, both(np.abs(cloth - 0.45) - 0.5, np.abs(bib + 0.4) - 0.3, 0.15), 0.05)
    for s in (-1, 1):
        strap = np.abs(p[:, 0] + 4 - s * np.interp(p[:, 2], (18, 26), (4.4, 5.4))) - 1.0
        d = join(d, both(np.abs(cloth - 0.34) - 0.4, np.maximum(strap, 18.6 - p[:, 2]), 0.12), 0.06)
        at = (-4 + s * 4.5, -5.2, 19.6)
        d = join(d, both(box(p, at, (1.35, 1.0, 1.1), 0.25), -box(p, at, (0.85, 1.6, 0.6), 0.1), 0.08), 0.05)
    pocket = np.maximum(np.abs(p[:, 0] + 2.6) - 2.5, np.abs(p[:, 2] - 13.4) - 2.4)
    d = join(d, both(np.abs(cloth - 0.85) - 0.4, np.maximum(pocket, p[:, 1]), 0.15), 0.1)
    for k, x in enumerate((-3.6, -1.6)):
        d = join(d, rod(p, (x, -6.9, 13.5), (x + 0.5 - k, -7.5, 21.6), 0.42, 0.36))
        d = join(d, ring(p, (x + 0.5 - k, -7.5, 22.6), (0.3, 1, 0), 0.9, 0.3), 0.1)
    return d


@within((-4, 2, 6.6), 8.5)
def post(p: Points) -> Field:
    """The turned post that carries the bust."""
    r = profile(p[:, 2], (4.0, 4.8, 5.6, 7.0, 8.6, 10.4, 12), (5.4, 5.2, 3.6, 3.0, 3.4, 5.6, 6.0))
    return np.maximum((np.hypot(p[:, 0] + 4, p[:, 1] - 1.2) - r) * vec(0.75), np.maximum(3.8 - p[:, 2], p[:, 2] - 12))


@within((15.5, -3, 14.5), 17.5)
def kiln(p: Points) -> Field:
    """A brick kiln with an arched mouth toward her, an iron door thrown open, a flue."""
    q = (p - vec(KILN)) @ vec(turn_z(-38)).T  # its mouth looks along -y in its own axes
    z = q[:, 2]
    away = np.hypot(q[:, 0], q[:, 1])
    r = profile(z, (3.8, 12, 17, 21, 24), (8.2, 7.9, 6.9, 4.6, 2.6))
    around = np.arctan2(q[:, 0], -q[:, 1])
    row = np.floor(z / 1.9)
    bed = (
        0.95 - np.abs(np.mod(z / 1.9, 1) - 0.5) * 1.9,
        1.8 - np.abs(np.mod(around * 13 / (2 * np.pi) + 0.5 * np.mod(row, 2), 1) - 0.5) * 3.6,
    )
    groove = 0.34 * smoothstep(-np.minimum(*bed), -0.32, -0.1)
    rough = 0.12 * np.sin(3.1 * row + 5 * np.floor(around * 13 / (2 * np.pi))) + 0.06 * np.sin(5 * z) * np.sin(
        11 * around
    )
    d = np.maximum((away - r - rough + groove) * vec(0.8), np.maximum(3.8 - z, z - 24))
    d = join(d, np.maximum(np.abs(away - 2.2) - 0.55, np.abs(z - 25.2) - 2.4) + 0.06 * np.sin(3 * z), 0.3)
    # z runs up; the mouth is an arch, the chamber behind it a dome
    arch = np.maximum(
        np.where(z > 10.5, np.hypot(q[:, 0], z - 10.5), np.abs(q[:, 0])) - 3.7, np.maximum(5.4 - z, q[:, 1])
    )
    chamber = np.maximum(np.hypot(away, np.maximum(z - 9, 0)) - 6.0, 5.4 - z)
    lintel = both(
        np.maximum(
            np.where(z > 10.5, np.hypot(q[:, 0], z - 10.5), np.abs(q[:, 0])) - 5.2, np.maximum(4.4 - z, q[:, 1])
        ),
        away - r - 0.9,
        0.15,
    )
    stones = np.mod(np.arctan2(q[:, 0], np.maximum(z - 8.5, 0.1)) * 4.2, 1) - 0.5
    d = join(d, lintel + 0.3 * smoothstep(np.abs(stones), 0.36, 0.46), 0.1)
    d = cut(d, join(arch, chamber, 0.3), 0.25)
    for k in range(2):
        d = join(
            d,
            np.maximum(np.abs(away - r - 0.3) - 0.3, np.maximum(np.abs(z - 16.2 - 3.6 * k) - 0.5, -(arch - 1.2))),
            0.05,
        )
    door = both(
        box(q, (-7.6, -9.6, 9.6), (0.4, 3.7, 4.6), 0.2, turn_z(-20)),
        np.where(z > 10.5, np.hypot((q[:, 1] + 9.4), z - 10.5) - 3.9, -1.0),
        0.1,
    )
    for h in (7.2, 12.2):
        door = join(door, box(q, (-7.9, -9.4, h), (0.35, 3.9, 0.5), 0.1, turn_z(-20)), 0.05)
        door = join(door, rod(q, (-6.2, -5.9, h - 0.7), (-6.2, -5.9, h + 0.7), 0.6))
    return join(d, both(door, z - 14.5), 0.05)


@within((13.0, -6.0, 7.5), 9.5)
def coals(p: Points) -> Field:
    """Glowing coals heaped in the mouth, and a glass on its rod among them."""
    rng = np.random.default_rng(5)
    turn = turn_z(-38)
    d = np.full(len(p), 9.0, np.float32)
    for _ in range(46):
        x, y = rng.uniform(-3.4, 3.4), rng.uniform(-6.6, 3.5)
        z = 5.6 + rng.uniform(0, 1.7) * (1 - (abs(x) / 4.5) ** 2)
        at = turn.T @ np.array([x, y, z]) + KILN
        lump = box(
            p,
            at,
            np.array([1.0, 0.9, 0.8]) * rng.uniform(0.65, 1.1),
            0.3,
            turn_z(rng.uniform(0, 90)) @ turn_x(rng.uniform(-35, 35)),
        )
        d = join(d, lump, 0.06)
    mouth = turn.T @ np.array([1.2, -11.5, 9.4]) + KILN
    inside = turn.T @ np.array([0.4, -2.0, 8.6]) + KILN
    d = join(d, rod(p, mouth, inside, 0.34))
    return join(d, ball(p, inside, (1.9, 1.9, 2.2)), 0.4)


def bust(p: Points) -> Field:
    """The bust on its post."""
    cloth = shirt(p)
    d = join(post(p), cloth, 0.3)
    d = join(d, apron(p, cloth))
    d = join(d, head(p))
    d = join(d, wrap(p), 0.05)
    return join(d, goggles(p))


def _worn(p: Points) -> Field:
    return apron(p, shirt(p))


def _eyes(p: Points) -> Field:
    q = _head(p)
    eye = np.minimum(ball(q, (-2.7, -5.95, 0.85), (1.45, 1.3, 1.3)), ball(q, (2.7, -5.95, 0.85), (1.45, 1.3, 1.3)))
    return np.maximum(eye, head(p)) - vec(0.03)


def hearth(p: Points) -> Field:
    """Plinth, kiln and fire."""
    return np.maximum(join(join(plinth(p), kiln(p), 0.2), coals(p)), -p[:, 2])


PARTS = (
    ("Kiln and plinth", hearth, (-17.8, -16.4, -0.3), (26.8, 13.2, 28.6)),
    ("Bust", bust, (-23.0, -14.5, 3.4), (15.0, 16.5, 55.5)),
)
REGIONS = (
    ("Plinth", "wood", "quiet", plinth),
    ("Face and neck", "skin", "focal point", head),
    ("Eyes", "glass or gem", "focal point", _eyes),
    ("Head-wrap", "cloth", "important", wrap),
    ("Goggles", "metal", "important", goggles),
    ("Shirt", "cloth", "quiet", shirt),
    ("Apron", "leather", "quiet", _worn),
    ("Post", "wood", "quiet", post),
    ("Kiln", "stone", "important", kiln),
    ("Coals and glass", "glass or gem", "focal point", coals),
)
