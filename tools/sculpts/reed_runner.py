"""The reed-runners: five scouts of the marsh, one body posed five ways, with pole, knife, horn, lamp or bow."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from .figure import along, fist
from .forms import (
    Field,
    Form,
    Points,
    arc,
    ball,
    both,
    box,
    cut,
    drum,
    join,
    length,
    near,
    path,
    ring,
    rod,
    smoothstep,
    turn_x,
    turn_z,
    vec,
)

Place = tuple[float, float, float]


@dataclass(frozen=True)
class Runner:
    """One runner. Joints in mm; the left hand is at the viewer's right."""

    hips: Place
    chest: Place
    look: float  # degrees the head turns to the viewer's right
    feet: tuple[Place, Place]  # right, left
    knees: tuple[Place, Place]
    elbows: tuple[Place, Place]
    hands: tuple[Place, Place]
    tool: str
    grip: Place  # which way the tool points out of the right fist
    seed: int
    PARTS: tuple = field(init=False, default=())

    LOW, HIGH = (-13.6, -14.5, -0.3), (13.6, 13.5, 41.5)

    def __post_init__(self) -> None:
        object.__setattr__(self, "PARTS", (("Runner", self.form, self.LOW, self.HIGH),))

    @cached_property
    def _neck(self) -> np.ndarray:
        return np.array(self.chest) + (0, -0.35, 3.4)

    @cached_property
    def _skull(self) -> np.ndarray:
        return self._neck + (0, -0.7, 2.7)

    def marsh(self, p: Points) -> Field:
        """A round base of mud and water rings, with stones and tufts of reed."""
        return near(p, (0, 0, 1.2), 12.6, self._marsh)

    def _marsh(self, p: Points) -> Field:
        d = drum(p, (0, 0, 0.9), 12.2, 0.9, 0.3)
        rng = np.random.default_rng(self.seed)
        rings = sum(
            0.1
            * np.sin(2.6 * np.hypot(p[:, 0] - x, p[:, 1] - y))
            * np.exp(-0.16 * np.hypot(p[:, 0] - x, p[:, 1] - y))
            for x, y in rng.uniform(-8, 8, (3, 2))
        )
        mud = 0.22 * np.sin(0.55 * p[:, 0] + rng.uniform(0, 6)) * np.sin(0.5 * p[:, 1] + rng.uniform(0, 6))
        d = d + (rings + mud) * smoothstep(p[:, 2], 1.0, 1.6)
        for foot in self.feet:
            d = join(d, ball(p, (foot[0], foot[1] - 0.8, 1.3), (2.3, 2.9, 0.8)), 0.6)
        for _ in range(7):
            a, r = rng.uniform(0, 2 * np.pi), rng.uniform(4, 11)
            at = (r * np.cos(a), r * np.sin(a), 1.7)
            d = join(d, ball(p, at, rng.uniform(0.5, 1.3, 3) * (1, 1, 0.7)), 0.2)
        return both(d, np.hypot(p[:, 0], p[:, 1]) - 12.2, 0.3)

    def reeds(self, p: Points) -> Field:
        """Tufts of reed at the edge of the base, one broken, one with a seed head."""
        rng = np.random.default_rng(self.seed + 100)
        d = length(p - vec((0, 0, 6))) * 0.2 + vec(2.0)
        for _ in range(3):
            a = rng.uniform(0, 2 * np.pi)
            root = np.array([9.3 * np.cos(a), 9.3 * np.sin(a), 1.2])
            for k in range(6):
                tall, lean = rng.uniform(4, 11), rng.normal(0, 0.16, 2)
                foot = root + (*rng.normal(0, 0.7, 2), 0)
                tip = foot + (lean[0] * tall, lean[1] * tall, tall)
                bend = (foot + tip) / 2 + (*(lean * -0.8), 0.3)
                if length(p - vec(bend)).min() > tall / 2 + 3:
                    continue
                d = join(d, path(p, [foot, bend, tip], [0.32, 0.27, 0.16]))
                if k == 0:
                    d = join(d, rod(p, tip - (0, 0, 0.4), tip + (lean[0], lean[1], 1.8), 0.5, 0.42), 0.05)
        return d

    def legs(self, p: Points) -> Field:
        """Bare knees, wound wraps on the shins, soft shoes."""
        return near(p, np.array(self.hips) + (0, -1, -6.5), 11.0, self._legs)

    def _legs(self, p: Points) -> Field:
        d = np.full(len(p), 9.0, np.float32)
        for side, foot, knee in zip((-1, 1), *(np.array(v) for v in (self.feet, self.knees)), strict=True):
            hip = np.array(self.hips) + (side * 1.5, 0.1, -0.6)
            leg = join(rod(p, hip, knee, 1.75, 1.15), ball(p, knee + (0, -0.25, 0), 1.15), 0.4)
            shin = rod(p, knee, foot + (0, 0, 1.0), 1.15, 0.8)
            calf = ball(p, knee * 0.62 + foot * 0.38 + (0, 0.45, 0), (1.1, 1.15, 1.8))
            shin = join(shin, calf, 0.6)
            t, _, around = along(p, knee, foot, (0, -1, 0))
            wound = shin - 0.14 - 0.13 * np.mod(t * 7 + around / (2 * np.pi), 1.0)
            leg = join(join(leg, shin, 0.3), np.maximum(wound, np.abs(t - 0.6) * 7 - 2.4) * vec(0.85), 0.05)
            heading = np.array([side * 0.35, -1.0, 0.0])
            toe = foot + heading / np.linalg.norm(heading) * 2.3 + (0, 0, -0.35)
            shoe = join(
                rod(p, foot + (0, 0.3, 0.0), toe, 0.95, 0.65), rod(p, foot, foot + (0, 0, 1.0), 0.9, 0.95), 0.3
            )
            shoe = join(shoe, both(shoe - 0.14, np.abs(p[:, 2] - foot[2] + 0.75) - 0.22), 0.05)
            d = join(d, join(leg, shoe, 0.15), 0.3)
        return d

    def tunic(self, p: Points) -> Field:
        """A short tunic belted at the waist, its skirt flying a little."""
        return near(p, np.array(self.hips) + (0, 0, 3), 9.5, self._tunic)

    def _tunic(self, p: Points) -> Field:
        hips, chest = np.array(self.hips), np.array(self.chest)
        d = join(rod(p, hips, chest - (0, 0, 0.5), 2.2, 2.6), ball(p, chest + (0, 0.1, 0.4), (3.1, 2.3, 2.6)), 0.9)
        z = p[:, 2] - hips[2]
        q = p - vec(hips)
        around = np.arctan2(q[:, 0], -q[:, 1])
        r = np.interp(z, (-5.2, -2, 1.2), (4.3, 3.3, 2.35)).astype(np.float32)
        wave = 0.62 * np.sin(7 * around + 0.8 * np.sin(2 * around + self.seed)) * smoothstep(-z, -0.5, 4.5)
        hem = -4.4 + 0.7 * np.sin(2 * around + self.seed) + 0.2 * np.sin(9 * around)
        skirt = np.maximum(
            np.abs(np.hypot(q[:, 0], q[:, 1] * 1.1) - r - wave) - 0.3, np.maximum(hem - z, z - 1.4)
        ) * vec(0.75)
        d = join(d, skirt, 0.2)
        creases = (
            0.09 * np.sin(1.5 * p[:, 2] + 2.3 * np.abs(p[:, 0]) + 0.6 * p[:, 1] + self.seed) * smoothstep(z, 0.5, 2.5)
        )
        d = (d + creases) * vec(0.9)
        belt = np.maximum(np.hypot(q[:, 0], q[:, 1]) - 2.75, np.abs(z - 1.0) - 0.45)
        return d if belt.min() > 2 else join(d, belt - 0.05, 0.06)

    def arms(self, p: Points) -> Field:
        """Bare arms with wound wrists, and the fists."""
        return near(p, np.array(self.chest) + (-1, -2, 0), 12.5, self._arms)

    def _arms(self, p: Points) -> Field:
        d = np.full(len(p), 9.0, np.float32)
        for side, elbow, hand in zip((-1, 1), *(np.array(v) for v in (self.elbows, self.hands)), strict=True):
            shoulder = np.array(self.chest) + (side * 3.1, 0.1, 1.3)
            arm = join(rod(p, shoulder, elbow, 1.15, 0.85), ball(p, shoulder, 1.35), 0.4)
            fore = join(rod(p, elbow, hand, 0.9, 0.62), ball(p, elbow * 0.7 + hand * 0.3, 1.0), 0.4)
            t, away, around = along(p, elbow, hand, (0, -1, 0))
            bracer = np.maximum(
                away - 1.0 + 0.18 * t - 0.09 * np.mod(t * 8 + around / (2 * np.pi), 1.0), np.abs(t - 0.62) * 4 - 0.85
            )
            d = join(d, join(join(arm, fore, 0.3), bracer * vec(0.85), 0.05), 0.1)
            reach = (hand - elbow) / np.linalg.norm(hand - elbow)
            axis = np.array(self.grip) if side < 0 else np.array((0.2, -0.5, 0.8))
            d = join(d, fist(p, hand + reach * 0.8, axis, reach), 0.1)
        return d

    def cape(self, p: Points) -> Field:
        """A short cape of laid reeds, three tiers of strips over the shoulders."""
        return near(p, self.chest, 7.5, self._cape)

    def _cape(self, p: Points) -> Field:
        chest = np.array(self.chest)
        q = p - vec(chest + (0, 0.35, 0))
        around = np.arctan2(q[:, 0], q[:, 1])
        d = np.full(len(p), 9.0, np.float32)
        for k in range(3):
            z = q[:, 2]
            strips = 24 - 2 * k
            u = np.mod(around * strips / (2 * np.pi) + 0.37 * k, 1.0) - 0.5
            number = np.floor(around * strips / (2 * np.pi) + 0.37 * k)
            ragged = 0.45 * np.sin(5.1 * number + 2 * k + self.seed)
            low, high = -4.3 + 1.75 * k + ragged, 2.9 - 0.1 * k
            r = np.interp(
                z, (-5, -1, 1.2, 3.2), (5.0 + 0.1 * k, 4.5 + 0.12 * k, 3.9 + 0.15 * k, 1.7 + 0.1 * k)
            ).astype(np.float32)
            skin = np.hypot(q[:, 0] / 1.1, q[:, 1] / 0.92) - r - 0.16 * np.cos(np.pi * u) - 0.22 * k
            strip = np.maximum(np.abs(skin) - 0.26, np.maximum(low - z, z - high))
            strip = strip + 0.35 * smoothstep(np.abs(u), 0.36, 0.5) * smoothstep(-z, -1.5, 2.0)
            d = join(d, strip * vec(0.72), 0.03)
        open_front = np.maximum(np.abs(q[:, 0]) - np.interp(q[:, 2], (-4, 2.6), (3.0, 0.6)), q[:, 1])
        d = cut(d, open_front, 0.1)
        return join(d, ball(p, chest + (0, -2.9, 2.1), (0.55, 0.4, 0.55)))

    def head(self, p: Points) -> Field:
        """A lean young face."""
        return near(p, self._skull, 4.8, self._face)

    def _face(self, p: Points) -> Field:
        q = (p - vec(self._skull)) @ vec(turn_z(self.look) @ turn_x(4)).T
        d = ball(q, (0, 0.2, 0.5), (1.75, 1.95, 1.95))
        d = join(d, ball(q, (0, -0.65, -1.0), (1.25, 1.3, 1.35)), 0.6)
        d = join(d, ball(q, (0, -1.35, -1.95), (0.6, 0.55, 0.5)), 0.5)
        for s in (-1, 1):
            d = join(d, rod(q, (s * 0.2, -1.75, 0.75), (s * 1.2, -1.4, 0.68), 0.24, 0.18), 0.2)
            d = cut(d, ball(q, (s * 0.7, -1.95, 0.28), (0.48, 0.5, 0.32)), 0.14)
            d = join(d, ball(q, (s * 0.68, -1.48, 0.28), (0.34, 0.3, 0.27)))
            d = join(d, ball(q, (s * 1.02, -1.25, -0.4), (0.48, 0.46, 0.4)), 0.3)
            d = join(d, ball(q, (s * 1.75, 0.25, 0.0), (0.22, 0.42, 0.55)), 0.12)
        d = join(d, path(q, [(0, -1.75, 0.6), (0, -2.2, 0.0), (0, -2.3, -0.45)], [0.18, 0.22, 0.28]), 0.16)
        d = cut(d, rod(q, (-0.5, -1.85, -1.15), (0.5, -1.85, -1.15), 0.1), 0.08)
        d = join(d, rod(q, (-0.4, -1.7, -1.38), (0.4, -1.7, -1.38), 0.17), 0.12)
        return join(d, rod(p, self._neck - (0, 0, 1), self._skull - (0, -0.4, 1.2), 1.05, 0.95), 0.4)

    def cap(self, p: Points) -> Field:
        """A pointed cap of oiled cloth with a turned-up brim and a reed tucked in it."""
        return near(p, self._skull + (0, 1, 2), 5.6, self._cap)

    def _cap(self, p: Points) -> Field:
        q = (p - vec(self._skull)) @ vec(turn_z(self.look) @ turn_x(4)).T
        d = both(ball(q, (0, 0.25, 0.7), (2.1, 2.3, 2.2)), 0.95 - 0.12 * q[:, 1] - q[:, 2], 0.15)
        d = join(d, rod(q, (0, 0.7, 2.2), (0.3, 2.6, 3.6), 1.15, 0.3), 0.9)
        d = d + 0.08 * np.sin(3.4 * q[:, 1] + 2.2 * q[:, 2])
        brim = np.maximum(
            np.abs(ball(q, (0, 0.25, 1.1), (2.45, 2.7, 2.2))) - 0.2, np.abs(q[:, 2] - 1.25 + 0.12 * q[:, 1]) - 0.5
        )
        d = join(d, brim, 0.08)
        return join(d, path(q, [(2.2, 0.4, 1.2), (2.5, 1.4, 3.2), (2.3, 2.6, 4.9)], [0.17, 0.15, 0.08]))

    def gear(self, p: Points) -> Field:
        """What this one carries, and the bundle on the back."""
        chest = np.array(self.chest)
        back = chest + (0, 3.1, 0.2)
        d = np.full(len(p), 9.0, np.float32)
        for k in range(5):
            a = 2 * np.pi * k / 5
            at = back + (0, 0.62 * np.cos(a), 0.62 * np.sin(a))
            d = join(
                d, rod(p, at - (4.2 + 0.3 * np.sin(7 * k), 0, 0.8), at + (4.2 + 0.3 * np.cos(5 * k), 0, 0.8), 0.5)
            )
        for tie in (-2.1, 2.1):
            d = join(d, ring(p, back + (tie, 0, tie * 0.19), (1, 0, 0.2), 1.2, 0.24))
        right = np.array(self.hands[0])
        reach = right - np.array(self.elbows[0])
        fist_at = right + reach / np.linalg.norm(reach) * 0.8
        way = np.array(self.grip) / np.linalg.norm(self.grip)
        if self.tool == "pole":
            d = join(d, rod(p, fist_at - way * 11, fist_at + way * 13, 0.4, 0.34))
            d = join(
                d,
                join(
                    rod(p, fist_at + way * 13, fist_at + way * 16, 0.55, 0.1),
                    ring(p, fist_at + way * 12.6, way, 0.4, 0.22),
                    0.1,
                ),
            )
        elif self.tool == "knife":
            across = np.cross(way, (0, 1, 0.3))
            across /= np.linalg.norm(across)
            q = p - vec(fist_at)
            t, x, y = q @ vec(way), q @ vec(across), q @ vec(np.cross(across, way))
            edge = np.interp(t, (1.2, 4, 6.4), (0.55, 0.7, 0.0))
            blade = np.maximum(np.abs(x) * 0.4 + np.abs(y) - 0.4 * edge - 0.04, np.maximum(1.2 - t, t - 6.4))
            d = join(d, blade.astype(np.float32))
            d = join(d, rod(p, fist_at - way * 1.7, fist_at + way * 1.3, 0.36))
            d = join(
                d, box(p, fist_at + way * 1.3, (0.9, 0.35, 0.25), 0.1, np.stack([across, np.cross(across, way), way]))
            )
        elif self.tool == "horn":
            bend = [
                fist_at - way * 1.2,
                fist_at + way * 1.4,
                fist_at + way * 3.2 + (0, 0, 0.6),
                fist_at + way * 4.6 + (0, 0, 1.9),
            ]
            horn = path(p, bend, [0.3, 0.5, 0.8, 1.25])
            d = join(d, cut(horn, rod(p, bend[2], bend[3] + (bend[3] - bend[2]), 0.5, 1.2), 0.1))
            d = join(d, ring(p, bend[3] + (bend[3] - bend[2]) * 0.42, bend[3] - bend[2], 1.2, 0.2))
        elif self.tool == "lamp":
            at = fist_at + (0, 0, -3.2)
            d = join(d, ring(p, at + (0, 0, 2.6), (0, 1, 0), 0.9, 0.14))
            d = join(d, join(drum(p, at, 0.95, 1.2, 0.25), drum(p, at + (0, 0, 1.45), 1.2, 0.2, 0.1), 0.1))
            d = join(d, drum(p, at - (0, 0, 1.3), 1.2, 0.22, 0.1))
            for k in range(4):
                a = np.pi / 2 * k
                d = join(
                    d,
                    rod(
                        p,
                        at + (1.1 * np.cos(a), 1.1 * np.sin(a), -1.3),
                        at + (1.1 * np.cos(a), 1.1 * np.sin(a), 1.4),
                        0.15,
                    ),
                )
        else:
            side = np.cross(way, (1.0, 0.0, 0.0)).astype(float)
            bow = arc(fist_at - side * 3.5, side, way, 7.0, -58, 58, 13)
            bow[:, :] += np.sign(side @ (0, -1, 0) + 1e-9) * side * -2.9
            d = join(d, path(p, bow, [0.16, 0.2, 0.24, 0.28, 0.32, 0.36, 0.38, 0.36, 0.32, 0.28, 0.24, 0.2, 0.16]))
            d = join(d, rod(p, bow[0], bow[-1], 0.13))
        return d

    def form(self, p: Points) -> Field:
        """The whole runner."""
        d = join(self.marsh(p), self.reeds(p))
        d = join(d, self.legs(p), 0.1)
        d = join(d, self.tunic(p), 0.08)
        d = join(d, self.arms(p), 0.08)
        d = join(d, self.head(p), 0.1)
        d = join(d, self.cape(p))
        d = join(d, self.cap(p))
        d = join(d, self.gear(p))
        return np.maximum(d, -p[:, 2])

    @cached_property
    def REGIONS(self) -> tuple[tuple[str, str, str, Form], ...]:  # noqa: N802 - named as in the other sculpts
        """What each form is made of."""
        return (
            ("Marsh", "stone", "quiet", self.marsh),
            ("Reeds", "wood", "quiet", self.reeds),
            ("Legs", "skin", "quiet", self.legs),
            ("Tunic", "cloth", "important", self.tunic),
            ("Arms", "skin", "important", self.arms),
            ("Face", "skin", "focal point", self.head),
            ("Reed cape", "wood", "important", self.cape),
            ("Cap", "cloth", "important", self.cap),
            ("Gear", "leather", "important", self.gear),
        )


SQUAD = (
    Runner(
        (0, 0.4, 15.2),
        (0.3, -0.6, 22.6),
        12,
        ((-2.6, 1.6, 2.6), (3.4, -2.4, 2.6)),
        ((-2.4, -1.4, 9.0), (3.2, -3.4, 9.4)),
        ((-6.2, 0.6, 20.6), (6.4, -1.4, 20.0)),
        ((-7.2, -3.6, 19.4), (4.6, -5.2, 20.2)),
        "pole",
        (0.12, -0.1, 1.0),
        1,
    ),
    Runner(
        (0.2, 0.8, 13.2),
        (0.2, -2.4, 19.8),
        -20,
        ((-4.2, 3.4, 2.6), (3.8, -3.8, 2.6)),
        ((-3.6, -0.6, 7.6), (4.4, -5.0, 8.4)),
        ((-6.8, -1.8, 18.6), (5.8, -3.0, 16.2)),
        ((-6.6, -6.2, 18.2), (3.4, -6.4, 17.4)),
        "knife",
        (-0.2, -0.8, 0.55),
        2,
    ),
    Runner(
        (0, 0.2, 15.6),
        (0, -0.1, 23.2),
        -30,
        ((-2.2, 0.6, 2.6), (2.6, 0.0, 2.6)),
        ((-2.2, -0.8, 9.2), (2.7, -1.2, 9.2)),
        ((-6.4, -1.6, 22.8), (5.6, 0.6, 19.0)),
        ((-4.2, -4.6, 26.4), (4.6, -3.2, 16.6)),
        "horn",
        (-0.5, -0.85, 0.25),
        3,
    ),
    Runner(
        (-0.3, 0.4, 14.6),
        (-0.6, -1.2, 21.9),
        28,
        ((-3.4, 2.8, 2.6), (2.8, -1.6, 2.6)),
        ((-3.2, -0.8, 8.4), (3.0, -3.2, 8.9)),
        ((-6.0, -3.2, 22.0), (5.6, 0.4, 18.0)),
        ((-7.8, -6.6, 23.6), (5.2, -3.4, 15.8)),
        "lamp",
        (0.0, -0.3, 1.0),
        4,
    ),
    Runner(
        (0.2, 0.6, 14.9),
        (0.6, -0.4, 22.3),
        -38,
        ((-3.8, -1.8, 2.6), (3.6, 2.6, 2.6)),
        ((-3.6, -3.0, 8.9), (3.3, -0.4, 8.6)),
        ((-6.6, -2.6, 23.4), (6.0, -0.4, 22.8)),
        ((-10.0, -5.4, 23.8), (1.8, -3.8, 24.4)),
        "bow",
        (0.1, 0.15, 1.0),
        5,
    ),
)
