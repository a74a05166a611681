"""The wick-warden: a cloaked keeper of the tide-lamps, lantern on a crook, satchel at the hip, on wet cobbles."""

import numpy as np

from .figure import fist, folded, sleeve
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
    ring,
    rod,
    smoothstep,
    turn_x,
    turn_z,
    vec,
    within,
)

LOW, HIGH = (-14.5, -14.5, -0.3), (14.5, 14.5, 42.5)
POLE = np.array([6.9, -6.6])


@within((0, 0, 1.2), 14.2)
def base(p: Points) -> Field:
    """A round plinth of cobbles in sunken mortar, with a worn kerb."""
    d = drum(p, (0, 0, 1.1), 13.6, 1.1, 0.35)
    rng = np.random.default_rng(7)
    for row, y in enumerate(np.arange(-12.5, 13, 3.1), 1):
        for x in np.arange(-13.5 + (row % 2) * 1.9, 14, 3.9):
            at = np.array([x, y]) + rng.normal(0, 0.22, 2)
            turn, tall = turn_z(rng.normal(0, 7)), rng.uniform(0.35, 0.75)
            half = (1.8 * rng.uniform(0.9, 1.04), 1.4 * rng.uniform(0.9, 1.04), 1.0)
            if np.hypot(*at) < 12.9 and length(p - vec((*at, 2.0))).min() < 3.5:
                stone = box(p, (*at, 1.4 + tall), half, 0.55, turn @ turn_x(rng.normal(0, 2.5)))
                d = join(d, stone + 0.05 * np.sin(3.1 * p[:, 0] + at[1]) * np.sin(2.7 * p[:, 1] - at[0]), 0.12)
    return both(d, np.hypot(p[:, 0], p[:, 1]) - 13.6, 0.5)


@within((-8.6, 4.2, 5.0), 5.2)
def bollard(p: Points) -> Field:
    """A mooring post with an iron ring and a turn of rope."""
    d = drum(p, (-8.6, 5.6, 4.4), 1.35, 3.2, 0.3)
    d = join(d, drum(p, (-8.6, 5.6, 7.5), 1.65, 0.42, 0.25))
    for k in range(3):
        rope = ring(p, (-8.6, 5.6, 4.2 + 0.62 * k), (0.08, 0.05, 1), 1.5, 0.33)
        around = np.arctan2(p[:, 1] - 5.6, p[:, 0] + 8.6)
        d = join(d, rope + 0.06 * np.sin(16 * around + 6 * p[:, 2]))
    d = join(d, ring(p, (-8.5, 4.0, 6.3), (0.2, 0.1, 0.4), 0.75, 0.17))
    end = [
        (-7.3, 5.0, 4.0),
        (-6.6, 4.2, 3.0),
        (-6.9, 3.0, 2.7),
        (-8.2, 2.2, 2.7),
        (-9.6, 2.4, 2.6),
        (-10.3, 3.3, 2.5),
    ]
    return join(d, path(p, end, 0.33))


@within((0, -3.0, 4.5), 6.4)
def boots(p: Points) -> Field:
    """Heavy boots with soles and turned-down tops."""
    d = np.full(len(p), 9.0, np.float32)
    for side, turn, forward in ((-1, -14, -0.4), (1, 20, 0.5)):
        at = np.array([side * 2.3, -1.9 - forward, 2.5])
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        toe = at + 3.2 * np.array([s, -c, 0])
        boot = join(
            ball(p, toe + (0, 0, 0.9), (1.25, 1.4, 1.05)), rod(p, at + (0, 0, 1.1), toe + (0, 0, 0.9), 1.2, 1.1), 0.5
        )
        boot = join(boot, rod(p, at + (0, 0.2, 1.0), at + (0, 0.5, 6), 1.2, 1.35), 0.5)
        sole = both(boot - 0.18, np.abs(p[:, 2] - 2.65) - 0.28)
        top = join(
            ring(p, at + (0, 0.45, 5.2), (0, 0.05, 1), 1.32, 0.3), ring(p, at + (0, 0.4, 4.7), (0, 0.1, 1), 1.3, 0.26)
        )
        d = join(d, join(join(boot, sole), top, 0.12))
    return d


@within((0, 0, 16), 13.5)
def tunic(p: Points) -> Field:
    """The long coat under the cloak: skirts in folds, drawn in at the waist, buttoned."""
    d = folded(
        p, (4.8, 9, 15.6, 17, 20, 23.5, 26.5, 28), (5.2, 4.5, 3.35, 3.3, 3.7, 3.8, 2.6, 1.6), 1.12, 0.86, 0.75, 1.1
    )
    hem = 4.9 + 0.25 * np.sin(3 * np.arctan2(p[:, 0], -p[:, 1]))
    d = np.maximum(d, np.maximum(hem - p[:, 2], p[:, 2] - 28))
    slit = np.maximum(np.abs(p[:, 0] - 0.12 * (14 - p[:, 2])) - 0.16, p[:, 1] + 1)  # the coat's front opening
    d = cut(d, np.maximum(np.maximum(slit, p[:, 2] - 15.4), np.abs(d) - 0.5), 0.15)
    for k in range(5):
        z = 18.2 + 1.45 * k
        front = -np.interp(z, (17, 20, 23.5, 26.5), (3.0, 3.35, 3.4, 2.4)) * 0.88
        d = join(d, ball(p, (0.5, front - 0.12, z), (0.36, 0.22, 0.36)))
    return d


@within((0, 1, 15), 17.5)
def cloak(p: Points) -> Field:
    """The cloak: open in front, thrown back, deep folds, a bound hem and a shoulder cape over it."""
    outer = folded(
        p,
        (2.6, 7, 13, 19, 23, 25.4, 27, 28.2),
        (9.6, 8.0, 6.6, 5.8, 5.35, 4.7, 3.4, 2.2),
        1.13,
        0.83,
        2.2,
        0.4,
        1.9,
        27.0,
        5.0,
    )
    hem = 3.1 + 0.55 * np.sin(2.2 * np.arctan2(p[:, 0], p[:, 1]) + 0.6)
    thick = 0.34 + 0.16 * smoothstep(-np.abs(p[:, 2] - hem - 0.45), -0.6, -0.25)
    d = np.abs(outer + 0.3) - thick
    d = np.maximum(d, np.maximum(hem - p[:, 2], p[:, 2] - 27.6))
    # the opening widens downwards; its edges roll back a little
    z = p[:, 2]
    gap = np.interp(z, (3, 10, 18, 24, 26.5), (6.4, 5.3, 4.4, 3.4, 1.0))
    edge = 0.35 * np.sin(0.9 * z) * smoothstep(-z, -22, -8)
    opening = np.maximum(np.abs(p[:, 0] + edge) - gap, p[:, 1] + 0.6 + 0.03 * z)
    d = cut(d, opening * 0.8, 0.5)

    cape = folded(
        p,
        (19.6, 22, 24.5, 26.4, 27.6, 28.6),
        (6.55, 6.15, 5.5, 4.3, 3.3, 2.7),
        1.17,
        0.86,
        1.25,
        2.6,
        0.3,
        28.0,
        20.5,
    )
    low = 20.3 + 0.5 * np.cos(2 * np.arctan2(p[:, 0], -p[:, 1])) + 0.22 * np.sin(9 * np.arctan2(p[:, 0], p[:, 1]))
    c = np.maximum(np.abs(cape + 0.3) - (0.33 + 0.13 * smoothstep(-np.abs(z - low - 0.35), -0.5, -0.2)), low - z)
    c = np.maximum(c, z - 28.4)
    c = cut(c, np.maximum(np.abs(p[:, 0] - 0.1) - np.interp(z, (20, 26.6), (2.6, 0.25)), p[:, 1]), 0.3)
    d = join(d, c, 0.15)
    clasp = join(ring(p, (0, -3.75, 26.0), (0, 1, -0.35), 0.62, 0.2), ball(p, (0, -3.72, 26.0), (0.42, 0.26, 0.42)))
    return join(d, clasp)


@within((0, 1.2, 30.4), 6.2)
def hood(p: Points) -> Field:
    """The hood: a pointed shell, its rim turned back, creased at the nape."""
    q = p - vec((0, 0.25, 30.6))
    shape = join(ball(p, (0, 0.2, 30.6), (3.15, 3.3, 3.5)), rod(p, (0, 1.6, 32.6), (0, 4.6, 33.4), 1.9, 0.55), 1.6)
    shape = join(shape, ball(p, (0, 0.3, 28.2), (3.2, 2.9, 1.9)), 1.2)
    creases = 0.16 * np.sin(2.4 * q[:, 1] + 1.5 * np.abs(q[:, 0]) + 1.2 * q[:, 2]) * smoothstep(q[:, 1], -0.6, 2.2)
    creases = creases + 0.12 * np.sin(3.2 * q[:, 2] - 1.8 * q[:, 1]) * smoothstep(np.abs(q[:, 0]), 1.2, 2.6)
    shape = (shape + creases) * vec(0.85)
    hollow = join(ball(p, (0, -0.55, 30.35), (2.55, 2.9, 2.95)), ball(p, (0, -3.3, 29.9), (2.2, 2.6, 2.85)), 0.6)
    d = cut(shape, hollow, 0.3)
    rim = np.abs(shape) - 0.3
    mouth = np.abs(hollow) - 0.42
    return join(d, both(rim, mouth, 0.25) + 0.02, 0.3)


@within((0, -1.6, 29.2), 5.2)
def face(p: Points) -> Field:
    """A weathered face under the hood: brow, sunken eyes, broken nose, cheeks, a plaited beard."""
    d = ball(p, (0, -0.7, 30.2), (1.75, 1.95, 2.25))
    d = join(d, ball(p, (0, -1.25, 28.75), (1.25, 1.2, 1.0)), 0.6)
    for s in (-1, 1):
        d = join(d, rod(p, (s * 0.25, -2.55, 31.05), (s * 1.3, -2.1, 31.0), 0.26, 0.2), 0.22)  # brow
        d = cut(d, ball(p, (s * 0.75, -2.72, 30.5), (0.52, 0.55, 0.36)), 0.15)
        d = join(d, ball(p, (s * 0.73, -2.25, 30.48), (0.36, 0.3, 0.29)))  # eyeball
        d = join(d, rod(p, (s * 0.4, -2.55, 30.72), (s * 1.05, -2.32, 30.66), 0.1), 0.06)  # lid
        d = join(d, ball(p, (s * 1.08, -2.0, 29.75), (0.52, 0.48, 0.42)), 0.3)  # cheek
        d = join(d, ball(p, (s * 0.32, -2.85, 29.62), 0.24), 0.12)  # nostril wing
    d = join(d, path(p, [(0, -2.5, 30.95), (0.06, -2.98, 30.3), (0, -3.15, 29.75)], [0.2, 0.26, 0.32]), 0.16)
    d = cut(d, rod(p, (-0.55, -2.55, 28.98), (0.55, -2.55, 28.98), 0.11), 0.08)
    for s, z in ((-1, 29.2), (1, 29.2)):
        d = join(
            d,
            path(p, [(0, -2.8, z + 0.05), (s * 0.8, -2.45, z - 0.2), (s * 1.25, -2.0, z - 0.85)], [0.26, 0.25, 0.14]),
            0.1,
        )
    beard = join(
        ball(p, (0, -1.95, 28.1), (1.2, 0.9, 1.0)), rod(p, (0, -2.5, 27.6), (0.15, -3.2, 25.0), 0.85, 0.3), 0.5
    )
    strands = 0.09 * np.sin(9 * p[:, 0] + 1.2 * np.sin(2.6 * p[:, 2])) + 0.05 * np.sin(
        5 * p[:, 2] + 4 * np.abs(p[:, 0])
    )
    return join(d, (beard + strands) * vec(0.8), 0.12)


@within((0.8, -3.5, 21.0), 12.0)
def arms(p: Points) -> Field:
    """One arm holds the pole out, the other a wick-hook across the body."""
    d = sleeve(p, (4.9, -0.4, 24.0), (7.6, -1.4, 19.4), (6.95, -4.7, 21.3), 2.6)
    d = join(d, sleeve(p, (-4.9, -0.4, 24.0), (-7.0, -2.0, 19.2), (-4.7, -5.6, 17.9), 2.4))
    d = join(d, rod(p, (7.3, -3.2, 20.4), (6.9, -6.0, 22.0), 0.75, 0.62))
    d = join(d, rod(p, (-5.9, -3.7, 18.4), (-4.1, -6.5, 17.5), 0.75, 0.6))
    d = join(d, fist(p, (POLE[0], POLE[1], 22.2), (0, 0, 1), (0.25, -1, 0)), 0.1)
    hook = np.array([0.72, -0.28, 0.64])
    at = np.array([-3.55, -7.2, 17.4])
    d = join(d, fist(p, at, hook, (0.1, -1, -0.3)), 0.1)
    d = join(d, path(p, [at - hook * 2.6, at + hook * 4.4], [0.2, 0.17]))
    tip = at + hook * 4.4
    return join(d, path(p, arc(tip + (0, -0.5, 0.25), (0, 1, -0.4), (0.5, 0, 0.9), 0.6, 0, 230, 7), 0.16))


@within((7.6, -6.6, 21.0), 20.2)
def crook(p: Points) -> Field:
    """The pole with its iron crook, bands, and a spike at the foot."""
    x, y = POLE
    wave = [(x + 0.12 * np.sin(z * 0.5), y + 0.1 * np.cos(z * 0.4), z) for z in np.linspace(2.6, 35.5, 14)]
    d = path(p, wave, 0.47) + 0.03 * np.sin(9 * np.arctan2(p[:, 1] - y, p[:, 0] - x) + 0.7 * p[:, 2])
    for z in (3.6, 15.0, 27.2, 34.4, 35.3):
        d = join(d, drum(p, (*wave[int((z - 2.6) / 2.53)][:2], z), 0.68, 0.28, 0.12))
    top = np.array([wave[-1][0], wave[-1][1], 35.5])
    bend = arc(top + (1.9, 0, 2.2), (-1, 0, 0), (0, 0, 1), 1.95, -15, 185, 12)
    d = join(d, path(p, [top, *bend], [0.42] + [0.38] * 6 + [0.32] * 4 + [0.26, 0.22]))
    return join(d, ball(p, bend[-1], 0.36))


@within((10.75, -6.5, 33.3), 5.6)
def lantern(p: Points) -> Field:
    """A six-sided tide-lamp: roof, bars, floor, the candle and its flame between them."""
    x, y = POLE[0] + 3.85, POLE[1] + 0.1
    d = join(ring(p, (x, y, 37.05), (0, 1, 0), 0.52, 0.14), ring(p, (x, y, 36.15), (1, 0, 0), 0.5, 0.14))
    q = p - vec((x, y, 0))
    around = np.arctan2(q[:, 1], q[:, 0])
    sector = np.mod(around, np.pi / 3) - np.pi / 6
    hexagon = np.hypot(q[:, 0], q[:, 1]) * np.cos(sector)
    z = p[:, 2]
    roof = np.maximum(
        hexagon - np.interp(z, (34.0, 34.35, 35.7), (2.05, 1.95, 0.3)), np.maximum(33.95 - z, z - 35.75)
    )
    ribs = np.maximum(roof * 0.7 - 0.08, np.abs(np.abs(sector) - np.pi / 6) * 1.5 - 0.09)
    d = join(d, join(roof * 0.7 - 0.05, ribs))
    d = join(d, drum(p, (x, y, 35.8), 0.42, 0.22, 0.1))
    for low, high, r in ((28.9, 29.35, 1.85), (29.35, 29.7, 1.6), (33.7, 34.05, 1.75)):
        d = join(d, np.maximum(hexagon - r, np.maximum(low - z, z - high)) - 0.04)
    for k in range(6):
        a = np.radians(60 * k)
        foot, head = (x + 1.62 * np.cos(a), y + 1.62 * np.sin(a)), (x + 1.62 * np.cos(a), y + 1.62 * np.sin(a))
        d = join(d, rod(p, (*foot, 29.4), (*head, 34.0), 0.17))
    d = join(d, ball(p, (x, y, 28.75), (0.5, 0.5, 0.45)))
    d = join(d, drum(p, (x, y, 30.35), 0.72, 0.75, 0.12) + 0.03 * np.sin(7 * around + 3 * z))
    flame = join(
        ball(p, (x, y, 31.75), (0.52, 0.5, 0.75)), rod(p, (x, y, 32.0), (x + 0.12, y, 33.2), 0.38, 0.08), 0.3
    )
    return join(d, flame, 0.1)


@within((-1.2, -1.0, 17.0), 12.0)
def straps(p: Points, body: Field) -> Field:
    """Belt and satchel strap lie on the coat; satchel, buckles, pouch, flask and keys hang from them."""
    belt = both(np.abs(body - 0.12) - 0.26, np.abs(p[:, 2] - 16.4 - 0.04 * p[:, 0]) - 0.62, 0.12)
    belt = cut(belt, np.abs(np.abs(p[:, 2] - 16.4 - 0.04 * p[:, 0]) - 0.42) - 0.05, 0.05)  # stitched lines
    d = join(
        belt,
        both(
            box(p, (0.2, -3.0, 16.45), (0.85, 0.45, 0.8), 0.2),
            -box(p, (0.2, -3.2, 16.45), (0.45, 0.6, 0.42), 0.1),
            0.1,
        ),
    )
    d = join(d, rod(p, (0.2, -3.35, 16.9), (0.25, -3.35, 16.1), 0.12))
    slope = (p[:, 0] * 0.66 + (p[:, 2] - 20.6) * 0.75).astype(np.float32)
    strap = both(np.abs(body - 0.14) - 0.24, np.abs(slope) - 0.55, 0.1)
    strap = np.maximum(strap, 14.5 - p[:, 2])
    d = join(d, strap)
    # flask, pouch and keys at the belt
    d = join(d, join(drum(p, (2.6, -3.15, 14.4), 0.72, 1.0, 0.3), drum(p, (2.6, -3.15, 15.6), 0.32, 0.35, 0.1), 0.15))
    pouch = join(
        ball(p, (-2.1, -3.05, 14.6), (0.95, 0.7, 1.05)), box(p, (-2.1, -3.3, 15.2), (0.85, 0.42, 0.4), 0.15), 0.15
    )
    d = join(d, join(pouch, ball(p, (-2.1, -3.8, 14.95), 0.18)))
    d = join(d, ring(p, (1.15, -3.55, 14.7), (0.3, 1, 0), 0.62, 0.1))
    for k, tip in enumerate(((0.7, 12.3), (1.3, 12.0), (1.75, 12.6))):
        key = rod(p, (1.0 + 0.15 * k, -3.6, 14.1), (tip[0], -3.75, tip[1]), 0.12)
        d = join(d, join(key, box(p, (tip[0] + 0.15, -3.75, tip[1] + 0.2), (0.25, 0.1, 0.18), 0.05)))
    at = np.array([-6.3, -3.6, 12.6])
    turn = turn_z(58) @ turn_x(-4)
    bag = box(p, at, (2.05, 0.95, 1.75), 0.45, turn)
    flap = both(
        box(p, at + (0, 0, 0.65), (2.15, 1.12, 1.3), 0.4, turn), -box(p, at - (0, 0, 0.2), (1.9, 0.8, 1.5), 0.4, turn)
    )
    d = join(d, join(bag, flap, 0.08))
    local = turn.T @ np.array([0, -1.15, 0])
    for k in (-1, 1):
        side = turn.T @ np.array([0.95 * k, -1.12, 0])
        d = join(d, box(p, at + side + (0, 0, 0.1), (0.3, 0.16, 1.1), 0.1, turn))
        d = join(d, ring(p, at + side + local * 0.12 + (0, 0, -0.35), local, 0.32, 0.1))
    up = [(-6.3, -3.4, 14.2), (-5.3, -3.5, 16.6), (-4.0, -3.3, 19.2)]
    return join(d, path(p, up, 0.36) * 0.9)


def form(p: Points) -> Field:
    """The whole figure."""
    coat = tunic(p)
    d = join(base(p), bollard(p))
    d = join(d, boots(p), 0.1)
    d = join(d, coat)
    d = join(d, straps(p, coat))
    d = join(d, cloak(p), 0.1)
    d = join(d, hood(p), 0.25)
    d = join(d, face(p))
    d = join(d, arms(p), 0.12)
    d = join(d, crook(p))
    d = join(d, lantern(p))
    return np.maximum(d, -p[:, 2])  # everything stands on the ground


def _worn(p: Points) -> Field:
    return straps(p, tunic(p))


def _light(p: Points) -> Field:
    """Candle and flame inside the lantern."""
    x, y = POLE[0] + 3.85, POLE[1] + 0.1
    inside = np.maximum(np.hypot(p[:, 0] - x, p[:, 1] - y) - 1.1, np.abs(p[:, 2] - 31.7) - 1.9)
    return np.maximum(lantern(p) - vec(0.02), inside)


PARTS = (("Wick-warden", form, LOW, HIGH),)
REGIONS = (
    ("Cobbles", "stone", "quiet", base),
    ("Mooring post", "wood", "quiet", bollard),
    ("Boots", "leather", "quiet", boots),
    ("Coat", "cloth", "important", tunic),
    ("Straps and bags", "leather", "important", _worn),
    ("Cloak", "cloth", "important", cloak),
    ("Hood", "cloth", "important", hood),
    ("Face", "skin", "focal point", face),
    ("Arms", "cloth", "important", arms),
    ("Crook", "wood", "important", crook),
    ("Lantern", "metal", "focal point", lantern),
    ("Flame", "glass or gem", "focal point", _light),
)
