"""Mixes in small whole parts: what they look like, the best one for a wanted colour, ladders from dark to light."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from math import gcd
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from .colour import Colour, colour_of, delta_e, lab, xyz
from .film import masstone
from .pigment import Pigment, mixed
from .rack import Paint
from .value import munsell_from_luminance

MOST_PARTS = 8  # more drops than that are not counted out on a palette
MOST_PAINTS_IN_A_MIX = 4
CLOSE = 2000  # candidates looked at with the exact difference, after a rough one
TIE = 0.1  # ΔE00 nobody sees: the simpler mix wins
PART_COST = 0.01  # of a value step for every part: 1:1 beats 4:5 where they look the same


@dataclass(frozen=True)
class Mix:
    """Paints and their parts by volume."""

    paints: tuple[Paint, ...]
    parts: tuple[int, ...]

    def __post_init__(self) -> None:
        if len(self.paints) != len(self.parts) or not self.paints:
            raise SettingError("a mix needs a number of parts for each paint")
        if any(p < 0 for p in self.parts) or sum(self.parts) == 0:
            raise SettingError("a mix needs at least one part of some paint")
        if not all(p.of_kind.changes_colour for p in self.paints):
            raise SettingError("a varnish does not change a colour; leave it out of the mix and put it on top")

    @cached_property
    def pigment(self) -> Pigment:
        """What the mix absorbs and scatters."""
        return mixed([p.pigment for p in self.paints], self.parts)

    @cached_property
    def colour(self) -> Colour:
        """The colour of a coat that hides wholly."""
        return colour_of(self.pigment.masstone)

    @property
    def coat_um(self) -> float:
        """Dry thickness of one normal coat, µm, by volume."""
        return float(np.average([p.of("coat_um") for p in self.paints], weights=self.parts))

    @property
    def minutes(self) -> float:
        """Until the next coat: the slowest paint in it decides."""
        return max(p.of("minutes") for p, n in zip(self.paints, self.parts, strict=True) if n)

    def counted(self) -> dict[str, int]:
        """Parts by paint's name, those with none left out, in lowest terms."""
        shared = gcd(*self.parts)
        told: dict[str, int] = {}
        for paint, n in zip(self.paints, self.parts, strict=True):
            if n:
                told[paint.name] = told.get(paint.name, 0) + n // shared
        return told

    def words(self) -> str:
        """Such as “Soot + Gull 1:2”."""
        told = self.counted()
        return next(iter(told)) if len(told) == 1 else f"{' + '.join(told)} {':'.join(map(str, told.values()))}"


def only(paint: Paint) -> Mix:
    """A paint as it is."""
    return Mix((paint,), (1,))


def compositions(paints: int, most: int = MOST_PARTS) -> NDArray[np.int64]:
    """(C, paints) all ways to take at least one part of each paint, at most `most` together, in lowest terms."""
    grid = np.stack(np.meshgrid(*[np.arange(1, most + 1)] * paints, indexing="ij"), axis=-1).reshape(-1, paints)
    grid = grid[grid.sum(axis=1) <= most]
    return grid[np.gcd.reduce(grid, axis=1) == 1]


@dataclass(frozen=True)
class Match:
    """A mix for a wanted colour and how far it is off, ΔE00."""

    mix: Mix
    delta_e: float

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return {
            "parts": self.mix.counted(),
            "colour": self.mix.colour.as_dict(),
            "delta_e": round(self.delta_e, 2),
        }


def match(
    wanted: Colour, paints: Sequence[Paint], most: int = 3, parts: int = MOST_PARTS, best: int = 1
) -> list[Match]:
    """The best mixes of at most `most` paints for a wanted colour, the nearest first, by ΔE00 of their masstones.

    Every mix in whole parts is tried. Within TIE, fewer paints win, then paints that hide better, then fewer parts.

    Raises:
        SettingError: no paints, or a number of paints outside 1..3.
    """
    if not 1 <= most <= 3:
        raise SettingError("a mix is looked for among one, two or three paints")
    if not paints:
        raise SettingError("there is no paint on the rack that can be mixed")
    K = np.stack([p.pigment.K for p in paints]).astype(np.float32)
    S = np.stack([p.pigment.S for p in paints]).astype(np.float32)
    target = wanted.lab
    rough: list[tuple[NDArray[np.float32], NDArray[np.int64], NDArray[np.int64]]] = []
    for count in range(1, min(most, len(paints)) + 1):
        which = np.array(list(combinations(range(len(paints)), count)))
        ways = compositions(count, parts)
        shares = (ways / ways.sum(axis=1, keepdims=True)).astype(np.float32)
        near: list[tuple[float, int, int]] = []
        for way, share in enumerate(shares):
            k = np.einsum("c,ncb->nb", share, K[which])
            s = np.einsum("c,ncb->nb", share, S[which])
            off = np.linalg.norm(lab(xyz(masstone(k, s))) - target, axis=1)
            for n in np.argpartition(off, min(len(off) - 1, 40))[:41]:
                near.append((float(off[n]), way, int(n)))
        near.sort()
        near = near[:CLOSE]
        rough.append(
            (
                np.array([d for d, _, _ in near], np.float32),
                which[[n for _, _, n in near]],
                ways[[w for _, w, _ in near]],
            )
        )
    found = []
    for _, which, ways in rough:
        share = ways / ways.sum(axis=1, keepdims=True)
        k, s = (np.einsum("nc,ncb->nb", share, x[which].astype(np.float64)) for x in (K, S))
        exact = delta_e(lab(xyz(masstone(k, s))), target)
        for off, own, way in zip(exact, which, ways, strict=True):
            hiding = float(np.average([paints[i].hides for i in own], weights=way))
            key = (round(float(off) / TIE), len(own), -hiding, int(way.sum()), float(off))
            found.append((key, Mix(tuple(paints[i] for i in own), tuple(int(w) for w in way)), float(off)))
    found.sort(key=lambda f: f[0])
    return [Match(mix, off) for _, mix, off in found[:best]]


@dataclass(frozen=True)
class LadderStep:
    """One step: the mix, the value that was wanted (None where it is what practice says), and how far it is off."""

    mix: Mix
    wanted: float | None

    @property
    def error(self) -> float:
        """Value steps too light (positive) or too dark."""
        return 0.0 if self.wanted is None else self.mix.colour.value - self.wanted

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return {
            "parts": self.mix.counted(),
            "wanted": None if self.wanted is None else round(self.wanted, 2),
            "colour": self.mix.colour.as_dict(),
            "error": round(self.error, 2),
        }


FEWEST_STEPS, MOST_STEPS = 2, 12


def ladder(
    dark: Paint, light: Paint, middle: Paint | None = None, steps: int = 5, wanted: Sequence[float] | None = None
) -> list[LadderStep]:
    """Mixes from dark to light, even in value, dark first. Mixed pairwise: dark with middle, middle with light.

    Equal parts are not equal steps: a little of a dark paint drags a light one down a long way. Each step is the mix in at
    most eight whole parts that comes nearest to its wanted value; steps never turn back.

    Args:
        wanted: values (Munsell) of the steps; even between the ends where they are not given.
    Raises:
        SettingError: a number of steps outside 2..12, or a dark that is lighter than the light.
    """
    count = len(wanted) if wanted is not None else steps
    if not FEWEST_STEPS <= count <= MOST_STEPS:
        raise SettingError(f"a ladder has {FEWEST_STEPS} to {MOST_STEPS} steps, not {count}")
    low, high = only(dark).colour.value, only(light).colour.value
    if low >= high:
        raise SettingError(
            f"“{dark.name}” (value {low:.1f}) is not darker than “{light.name}” (value {high:.1f}); change them round"
        )
    values = np.linspace(low, high, count) if wanted is None else np.sort(np.asarray(wanted, np.float64))
    rungs = [only(dark), only(light)]
    pairs = [(dark, light)] if middle is None else [(dark, middle), (middle, light)]
    if middle is not None:
        rungs.append(only(middle))
    for a, b in pairs:
        rungs += [Mix((a, b), (int(m), int(n))) for m, n in compositions(2)]
    rungs.sort(key=lambda r: (r.colour.value, sum(r.parts)))
    own = np.array([r.colour.value for r in rungs])
    cost = np.abs(own - values[:, None]) + PART_COST * np.array([sum(r.parts) for r in rungs])
    if wanted is None:  # the ends are the paints themselves
        for k, end in ((0, only(dark)), (-1, only(light))):
            cost[k, [r != end for r in rungs]] = np.inf
    best = _climbing(own, cost)
    return [LadderStep(rungs[r], float(v)) for r, v in zip(best, values, strict=True)]


def _climbing(own: NDArray[np.float64], cost: NDArray[np.float64]) -> list[int]:
    """The rung for each step that costs least in all (steps, rungs), every one lighter than the one before."""
    whole = cost[0]
    came_from = []
    for row in cost[1:]:
        darker = own[:, None] < own - 1e-9  # from, to
        ways = np.where(darker, whole[:, None], np.inf)
        came_from.append(np.argmin(ways, axis=0))
        whole = ways.min(axis=0) + row
    if not np.isfinite(whole.min()):
        raise SettingError("these paints do not give so many different steps in small parts; ask for fewer")
    path = [int(np.argmin(whole))]
    for back in reversed(came_from):
        path.append(int(back[path[-1]]))
    return path[::-1]


CUSTOMARY = {  # parts of dark, middle, light; CP-21 and CP-22
    "three paints, five steps": ((1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1)),
    "painted steel": ((1, 1, 0), (1, 2, 0), (0, 1, 0), (0, 1, 1), (0, 1, 2)),
}


def customary(dark: Paint, middle: Paint, light: Paint, which: str) -> list[LadderStep]:
    """A ladder as it is mixed by habit; `wanted` says what even steps between its own ends would be.

    Source: common practice, CP-21 and CP-22.
    """
    mixes = [Mix((dark, middle, light), parts) for parts in CUSTOMARY[which]]
    ends = mixes[0].colour.value, mixes[-1].colour.value
    return [LadderStep(m, float(v)) for m, v in zip(mixes, np.linspace(*ends, len(mixes)), strict=True)]


def unevenness(steps: Sequence[LadderStep]) -> float:
    """How far a ladder is from even, at its worst step, in value."""
    values = np.array([s.mix.colour.value for s in steps])
    return float(np.abs(values - np.linspace(values[0], values[-1], len(values))).max())


def values_of(reflectance: NDArray) -> NDArray[np.float64]:
    """(...) Munsell values of reflectances (..., 36)."""
    return munsell_from_luminance(100 * xyz(reflectance)[..., 1])
