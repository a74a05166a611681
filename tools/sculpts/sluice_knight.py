"""The sluice knight: a sentinel in plate with a long blade, keeper of the gate chain. In four parts, as it is
printed."""

import numpy as np

from .figure import along, chain, fist, folded, plate_limb, scales, slabs
from .forms import (
    Field,
    Points,
    ball,
    both,
    box,
    cut,
    drum,
    join,
    path,
    profile,
    ring,
    rod,
    smoothstep,
    turn_z,
    vec,
    within,
)

HILT = np.array([-7.6, -5.6, 20.6])  # where the right hand holds the grip
POINT = np.array([-8.6, -8.2, 2.4])
HELD = np.array([7.4, -5.2, 18.0])  # the left hand, with the chain


@within((0, 0, 1.4), 14.6)
def ground(p: Points) -> Field:
    """Slabs of the quay round a sunken sluice with its grating."""
    d = slabs(p, 13.8, 2.2, 11)
    pit = box(p, (6.2, 7.0, 2.3), (4.6, 3.4, 1.7), 0.1, turn_z(12))
    d = cut(d, pit, 0.1)
    kerb = both(box(p, (6.2, 7.0, 2.5), (5.4, 4.2, 0.45), 0.15, turn_z(12)), -(pit - 0.05), 0.1)
    d = join(d, kerb, 0.1)
    turn = turn_z(12)
    for k in range(5):
        a, b = (turn.T @ np.array([-3.6 + 1.8 * k, y, 0]) + (6.2, 7.0, 2.1) for y in (-3.9, 3.9))
        d = join(d, rod(p, a, b, 0.34))
    for y in (-1.5, 1.5):
        a, b = (turn.T @ np.array([x, y, 0]) + (6.2, 7.0, 1.9) for x in (-5, 5))
        d = join(d, rod(p, a, b, 0.28))
    coil = [
        (HELD[0] + 0.6, -6.2, 2.9),
        (9.4, -4.4, 2.75),
        (9.2, -1.6, 2.7),
        (6.6, -1.0, 2.75),
        (6.4, -3.6, 2.8),
        (8.4, -5.4, 3.2),
        (10.6, -2.8, 2.8),
        (10.4, 0.4, 2.7),
        (8.0, 2.2, 2.7),
    ]
    d = join(d, chain(p, coil, 1.15, 0.2))
    return both(d, np.hypot(p[:, 0], p[:, 1]) - 13.8, 0.2)


LEGS = {
    -1: ((-2.2, 0.1, 17.2), (-3.5, -1.1, 10.6), (-4.1, 0.1, 4.2), -22.0),
    1: ((2.2, 0.3, 17.2), (3.2, -0.6, 10.7), (4.0, 1.2, 4.2), 26.0),
}


@within((0, 0, 9.5), 11.0)
def legs(p: Points) -> Field:
    """Cuisses, poleyns with wings, greaves with a keel, and sabatons in lames."""
    d = np.full(len(p), 9.0, np.float32)
    for side, (*joints, turn) in LEGS.items():
        hip, knee, ankle = (np.array(v) for v in joints)
        c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
        front = np.array([s, -c, 0])
        leg = plate_limb(p, hip, knee + (0, 0, 0.8), 2.35, 1.75, front, 0.25)
        leg = join(leg, plate_limb(p, knee - (0, 0, 1.2), ankle, 1.75, 1.2, front, 0.35), 0.05)
        t, away, around = along(p, knee - (0, 0, 1.2), ankle, front)
        leg = join(
            leg, np.maximum(away - 1.95 * (1 - 0.16 * t) + 0.25 * np.abs(around), np.abs(t - 0.05) * 6 - 0.35), 0.1
        )
        cop = ball(p, knee + front * 0.45, (1.75, 1.75, 1.7))
        spike = rod(p, knee + front * 1.6, knee + front * 2.45, 0.85, 0.12)
        cop = join(cop, spike, 0.8)
        out = np.array([c, s, 0]) * side
        wing = both(
            ball(p, knee + out * 1.6 - front * 0.2, (1.5, 1.5, 1.5)),
            np.abs((p - vec(knee + out * 1.75)) @ vec(out)) - 0.22,
            0.1,
        )
        cop = join(
            join(cop, wing, 0.15), np.abs(cop) - 0.02 + 5 * np.maximum(np.abs(p[:, 2] - knee[2] + 1.2) - 0.1, 0), 0.1
        )
        leg = join(leg, cop, 0.06)
        heel, toe = ankle - (0, 0, 1.3) - front * 0.5, ankle - (0, 0, 1.75) + front * 3.6
        t, away, _ = along(p, heel, toe, (0, 0, 1))
        shoe = join(rod(p, heel, toe, 1.25, 0.75), rod(p, heel, ankle, 1.15, 1.15), 0.5)
        shoe = shoe - 0.12 * (1 - np.mod(t * 6, 1.0)) * smoothstep(t, 0.1, 0.25)
        shoe = join(shoe, both(shoe - 0.2, np.abs(p[:, 2] - 2.65) - 0.28), 0.05)
        d = join(d, join(leg, shoe * vec(0.8), 0.1))
    return np.maximum(d, 2.0 - p[:, 2])


@within((0, 0.2, 15.0), 9.2)
def skirt(p: Points) -> Field:
    """A skirt of scales over a quilted hem, parted at the sides, with a belt of plates."""
    z = p[:, 2]
    q = p - vec((0, 0.2, 0))
    r = profile(z, (9.6, 12, 16, 19.4), (6.3, 5.7, 4.35, 3.5)) * vec(1.0)
    wave = 0.3 * np.sin(5 * np.arctan2(q[:, 0], -q[:, 1])) * smoothstep(-z, -17, -10)
    away = np.hypot(q[:, 0] / 1.08, q[:, 1] / 0.92)
    stand_off = scales(q, r, 19.6, 1.25, 26)
    low = 10.4 + 0.9 * smoothstep(np.abs(q[:, 0]), 2.0, 6.0)
    cover = np.maximum(
        np.maximum(np.abs(away - r - wave - stand_off / 2 + 0.1) - 0.3 - stand_off / 2, low - z), z - 19.6
    )
    parting = np.maximum(np.abs(q[:, 1] + 0.3) - np.interp(z, (9, 18), (0.9, 0.05)), 2.5 - np.abs(q[:, 0]))
    cover = cut(cover, np.maximum(parting, z - 18), 0.1)
    quilt = np.maximum(
        np.maximum(
            np.abs(away - r - wave + 0.75 + 0.12 * np.cos(22 * np.arctan2(q[:, 0], -q[:, 1]))) - 0.3, low - 1.0 - z
        ),
        z - 17,
    )
    d = join(cover, quilt)
    belt = np.maximum(np.abs(away - 3.75) - 0.32, np.abs(z - 19.2) - 0.75)
    plates = np.abs(np.mod(np.arctan2(q[:, 0], -q[:, 1]) * 14 / (2 * np.pi), 1) - 0.5)
    belt = belt - 0.12 * smoothstep(plates, 0.05, 0.12)
    d = join(d, belt * vec(0.8), 0.05)
    boss = join(ball(p, (0, -3.65, 19.2), (1.15, 0.5, 1.15)), ring(p, (0, -3.8, 19.2), (0, 1, 0), 1.1, 0.2), 0.1)
    return join(d * vec(0.75), boss, 0.05)


@within((0, 0.2, 24.5), 7.6)
def cuirass(p: Points) -> Field:
    """Breast and back drawn to a keel, fluted, with rolled rims, fauld and gorget."""
    z = p[:, 2]
    r = profile(z, (18.6, 20.2, 23.6, 26.6, 28.6, 30.0), (3.6, 3.55, 4.35, 4.3, 3.3, 2.1))
    around = np.arctan2(p[:, 0], -p[:, 1])
    keel = 0.55 * np.maximum(0, 1 - np.abs(around) / 0.5) * smoothstep(-np.abs(z - 23.6), -4.6, -1.5)
    flutes = 0.11 * np.abs(np.sin(around * 9)) * smoothstep(-z, -26.5, -22) * smoothstep(np.abs(around), 0.35, 0.6)
    away = np.hypot(p[:, 0] / 1.12, (p[:, 1] - 0.1) / 0.86)
    d = (away - r - keel + flutes) * vec(0.78)
    d = np.maximum(np.maximum(d, 18.4 - z), z - 30)
    for k in range(3):  # the fauld's lames
        edge = 18.2 + 0.85 * k
        d = join(d, np.maximum(away - r - keel - 0.38 + 0.09 * k, np.abs(z - edge) - 0.42) * vec(0.78) - 0.05, 0.04)
    collar = np.maximum(np.abs(away - 2.75 + 0.3 * (z - 28.9)) - 0.26, np.abs(z - 29.2) - 1.25)
    d = join(d, collar * vec(0.78), 0.12)
    arms = np.minimum(ball(p, (-5.0, 0.2, 26.6), 2.1), ball(p, (5.0, 0.2, 26.6), 2.1))
    d = join(cut(d, arms, 0.1), both(d - 0.22, np.abs(arms) - 0.28, 0.1), 0.05)
    for x, zz in ((-2.5, 26.8), (2.5, 26.8), (-3.3, 21.6), (3.3, 21.6)):
        d = join(d, ball(p, (x, -3.35 if zz > 24 else -2.9, zz), 0.3))
    return d


def _pauldron(p: Points, side: int) -> Field:
    middle = vec((side * 5.1, 0.2, 26.5))
    q = p - middle
    out = vec((side * 0.93, 0, 0.36))
    t = q @ out
    d = np.full(len(p), 9.0, np.float32)
    for k in range(4):
        r = 2.75 - 0.16 * k
        shell = np.abs(ball(p, middle + vec((side * 0.62 * k, 0, -0.55 * k)), (r, r * 1.06, r))) - 0.2
        slab = np.maximum(t - 2.9 + 0.35 * k, -0.55 - 0.12 * k - t + 0.02 * k)
        d = join(d, np.maximum(shell, slab), 0.03)
    rim = both(np.abs(ball(p, middle, (2.75, 2.9, 2.75))) - 0.34, np.abs(t + 0.4) - 0.22, 0.1)
    d = join(d, rim, 0.05)
    guard = np.maximum(
        np.abs(q[:, 0] * side - 0.2 + 0.12 * (q[:, 2] - 2)) - 0.2,
        np.maximum(np.hypot(q[:, 1], q[:, 2] - 1.2) - 2.5, 1.0 - q[:, 2]),
    )
    return join(d, guard, 0.1)


@within((0, -1.0, 24.0), 12.5)
def arms(p: Points) -> Field:
    """Pauldrons, rerebraces, elbow cops and vambraces; the left gauntlet holds the chain."""
    d = np.full(len(p), 9.0, np.float32)
    for side, *joints in (
        (-1, (-8.0, -0.6, 21.2), (-7.7, -4.4, 21.3)),
        (1, (8.0, -0.8, 21.0), (7.6, -4.0, 18.9)),
    ):
        shoulder = np.array([side * 5.4, 0.2, 26.3])
        elbow, wrist = (np.array(v) for v in joints)
        d = join(d, plate_limb(p, shoulder, elbow, 1.55, 1.3, (side, -0.4, 0), 0.15, 3), 0.05)
        d = join(d, plate_limb(p, elbow, wrist, 1.4, 1.05, (side, 0, 0.5), 0.25), 0.05)
        cop = join(
            ball(p, elbow + (side * 0.2, 0.5, 0), 1.65),
            rod(p, elbow + (0, 1.2, -0.2), elbow + (side * 0.3, 2.6, -0.4), 0.8, 0.12),
            0.7,
        )
        wing = both(
            ball(p, elbow + (side * 1.3, -0.2, 0), (1.3, 1.5, 1.5)),
            np.abs(p[:, 0] - elbow[0] - side * 1.35) - 0.2,
            0.1,
        )
        d = join(d, join(cop, wing, 0.1), 0.06)
        d = join(d, _pauldron(p, side), 0.02)
    hand = join(
        fist(p, HELD, (0.1, 0.1, 1), (0.2, -1, 0)), rod(p, (7.6, -4.0, 18.9), HELD + (0, 0.8, 0.5), 1.0, 0.9), 0.1
    )
    cuff = plate_limb(p, (7.7, -3.0, 19.5), (7.6, -4.6, 18.6), 1.75, 1.15, (1, 0, 0.4), 0.2)
    return join(d, join(hand, cuff, 0.05))


@within(HELD + (0.3, -0.5, -7), 10.0)
def hanging(p: Points) -> Field:
    """The chain from the left gauntlet down to its coil."""
    fall = [
        HELD + (0, 0, 1.9),
        HELD + (0, 0, 0),
        HELD + (0.1, -0.1, -4),
        HELD + (0.3, -0.4, -9.5),
        HELD + (0.6, -1.0, -14.9),
    ]
    return chain(p, fall, 1.15, 0.2)


@within((0, 2.8, 17.0), 16.0)
def cape(p: Points) -> Field:
    """A heavy half cape behind, hung from the pauldrons."""
    z = p[:, 2]
    outer = folded(
        p, (3.4, 8, 14, 20, 25, 28.5, 29.4), (8.6, 7.6, 6.5, 5.6, 5.0, 3.9, 3.3), 1.1, 0.92, 1.7, 1.9, 1.6, 28.0, 6.0
    )
    hem = 4.2 + 0.5 * np.sin(2.6 * np.arctan2(p[:, 0], p[:, 1])) + 0.3 * np.sin(7 * np.arctan2(p[:, 0], p[:, 1]))
    d = np.abs(outer + 0.2) - (0.32 + 0.12 * smoothstep(-np.abs(z - hem - 0.4), -0.5, -0.2))
    d = np.maximum(np.maximum(d, hem - z), z - 29.0)
    return np.maximum(d, (0.9 - p[:, 1] - 0.12 * (24 - z)) * vec(0.9))


def body(p: Points) -> Field:
    """Everything but ground, helm and blade."""
    d = join(legs(p), skirt(p))
    d = join(d, cuirass(p), 0.05)
    d = join(d, arms(p), 0.02)
    d = join(d, hanging(p))
    d = join(d, cape(p), 0.05)
    return join(d, drum(p, (0, 0.1, 29.6), 1.7, 1.4, 0.2))  # the neck, up into the helm


@within((0, 0, 33.6), 7.6)
def helm(p: Points) -> Field:
    """A keeled helm with a beaked visor, sights, breaths, and a comb like a gate wheel's rim."""
    skull = ball(p, (0, 0.25, 33.0), (2.55, 3.05, 3.0)) - 0.25 * np.maximum(0, 1 - np.abs(p[:, 0]) / 0.6)
    neck = np.maximum(
        np.hypot(p[:, 0], p[:, 1] * 0.92) - profile(p[:, 2], (29.2, 30.0, 31.2, 33), (3.1, 2.5, 2.3, 2.5)),
        np.maximum(29.4 - p[:, 2], p[:, 2] - 33),
    )
    d = join(skull, neck * vec(0.8), 0.3)
    for k in range(3):
        d = join(
            d,
            np.maximum(np.hypot(p[:, 0], p[:, 1] * 0.92) - 2.85 + 0.15 * k, np.abs(p[:, 2] - 29.7 - 0.55 * k) - 0.3)
            * vec(0.8),
            0.05,
        )
    front = vec((0, -1.1, 32.4))
    q = p - front
    beak = np.abs(q[:, 0]) * 0.72 + np.abs(q[:, 2]) * 0.42 - 0.74 * (q[:, 1] + 3.35)
    visor = np.maximum(beak, np.maximum(ball(p, (0, 0.2, 32.6), (2.95, 3.9, 2.45)), p[:, 1] - 0.4)) * vec(0.85)
    d = join(d, visor, 0.08)
    d = join(d, both(visor - 0.18, np.abs(p[:, 2] - 33.75) - 0.18, 0.05), 0.05)
    d = cut(d, np.maximum(np.abs(p[:, 2] - 33.25) - 0.2, np.maximum(p[:, 1] + 0.8, 0.28 - np.abs(p[:, 0]))), 0.05)
    for s in (-1, 1):
        for k in range(3):
            for j in range(2):
                at = np.array([s * (0.75 + 0.5 * k), -3.3 + 0.62 * k, 31.9 - 0.7 * j])
                d = cut(d, rod(p, at, at + (s * 1.0, -1.4, 0), 0.16), 0.03)
        d = join(
            d,
            join(ball(p, (s * 2.75, -0.2, 32.9), 0.62), ring(p, (s * 2.85, -0.2, 32.9), (1, 0, 0), 0.62, 0.17), 0.05),
            0.05,
        )
    comb = both(np.hypot(p[:, 1] - 0.4, p[:, 2] - 33.4) - 4.2, np.abs(p[:, 0]) - 0.3, 0.1)
    comb = np.maximum(comb, np.maximum(33.8 - p[:, 2], -p[:, 1] - 2.2))
    teeth = np.mod(np.arctan2(p[:, 2] - 33.4, p[:, 1] - 0.4) * 22 / (2 * np.pi), 1) - 0.5
    comb = np.maximum(
        comb, np.hypot(p[:, 1] - 0.4, p[:, 2] - 33.4) - 3.75 - 0.45 * smoothstep(np.abs(teeth), 0.15, 0.25)
    )
    d = join(d, comb * vec(0.8), 0.1)
    d = cut(d, ball(p, (0, 0, 29.4), 1.2), 0.05)
    return d


@within(((HILT + POINT) / 2 + (0, 0, 2)), 14.2)
def blade(p: Points) -> Field:
    """The long blade: two facets to a side that meet in a ridge, guard, grip, pommel, and the hand that holds it."""
    way = (HILT - POINT) / np.linalg.norm(HILT - POINT)
    side = np.cross(way, (0.35, -1, 0.0))
    side /= np.linalg.norm(side)
    flat = np.cross(side, way)
    q = p - vec(POINT)
    t, x, y = q @ vec(way), q @ vec(side), q @ vec(flat)
    edge = np.interp(t, (0, 2.4, 14.4), (0.0, 1.05, 1.5))
    facet = (np.abs(x) * 0.36 + np.abs(y) - 0.36 * edge - 0.11) * vec(0.92)
    # a knife's edge thinner than a cell would come out as a saw: this one is as blunt as a cast one
    d = np.maximum(both(facet, np.abs(x) - edge - 0.13, 0.12), np.maximum(-t, t - 15.2))
    fuller = np.maximum(np.hypot(x, np.abs(y) - 0.68) - 0.36, np.maximum(9.8 - t, t - 14.6))
    d = cut(d, fuller, 0.05)
    ricasso = np.maximum(np.maximum(np.abs(x) - 0.85, np.abs(y) - 0.5), np.abs(t - 14.9) - 0.7)
    d = join(d, ricasso, 0.08)
    foot = POINT + way * 15.6
    ends = [foot + side * s * 3.6 + way * -0.7 for s in (-1, 1)]
    d = join(d, path(p, [ends[0], foot - side * 1.2, foot + side * 1.2, ends[1]], [0.42, 0.5, 0.5, 0.42]), 0.05)
    for end in ends:
        d = join(d, ball(p, end, 0.62), 0.1)
    d = join(d, box(p, foot, (0.9, 0.9, 0.55), 0.15, np.stack([side, flat, way])), 0.05)
    grip = rod(p, foot, foot + way * 5.4, 0.52, 0.46)
    d = join(d, grip + 0.07 * np.sin(7.5 * t + 1.0 * np.arctan2(y, x)))
    top = foot + way * 6.1
    d = join(d, join(ball(p, top, 0.95), ring(p, top, side, 0.85, 0.22), 0.05), 0.1)
    hand = foot + way * 2.9
    d = join(d, fist(p, hand, way, (-0.1, -1, 0.1)))
    wrist = np.array([-7.7, -4.4, 21.3])
    d = join(d, rod(p, hand + (0.2, 0.9, 0), wrist, 0.95, 0.85), 0.1)
    return join(d, plate_limb(p, wrist + (0, 1.0, 0.0), wrist - (0, 0.55, -0.05), 1.7, 1.2, (-1, 0, 0.4), 0.2), 0.05)


PARTS = (
    ("Ground", ground, (-14.4, -14.4, -0.2), (14.4, 14.4, 4.2)),
    ("Body", body, (-11.4, -9.4, 1.2), (11.4, 11.8, 31.6)),
    ("Helm", helm, (-4.2, -6.2, 28.6), (4.2, 5.4, 38.6)),
    ("Blade", blade, (-13.4, -10.8, 1.4), (-3.0, -2.2, 28.6), 2.0),
)
REGIONS = (
    ("Quay", "stone", "quiet", ground),
    ("Legs", "metal", "important", legs),
    ("Scale skirt", "metal", "important", skirt),
    ("Cuirass", "metal", "important", cuirass),
    ("Arms", "metal", "quiet", arms),
    ("Chain", "metal", "quiet", hanging),
    ("Cape", "cloth", "quiet", cape),
    ("Helm", "metal", "focal point", helm),
    ("Blade", "metal", "focal point", blade),
)
