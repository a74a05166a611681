"""Mixes in small whole parts: what they look like, and the best one for a wanted colour."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import combinations
from math import gcd
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ..directions import fibonacci_sphere
from ..errors import SettingError
from ..plain import plain
from .colour import BANDS, WHITE_XYZ, Colour, colour_of, colour_of_hex, delta_e, lab, xyz
from .film import LEAST_ABSORPTION, masstone
from .pigment import Pigment, mixed
from .rack import Paint
from .value import munsell_from_luminance

MOST_PARTS = 8  # more drops than that are not counted out on a palette
MOST_PAINTS_IN_A_MIX = 4
SHINE = {"matt": 0.0, "satin": 0.5, "gloss": 1.0}  # of a finish
NEAR_OF_EACH = 41  # candidates of each number of parts
CLOSE = 600  # candidates looked at with the exact difference, after a rough one
FEW = 5000  # mixes that are compared sooner than other threads are woken
TIE = 0.1  # ΔE00 nobody sees: the simpler mix wins
EARNS = 1.0  # ΔE00 just seen side by side (common practice): what each further pot in a mix must bring
ROUGHLY = 3  # bands that are one for a rough difference
DAYLIGHT = xyz(np.eye(BANDS)).reshape(-1, ROUGHLY, 3).sum(axis=1).T.astype(np.float32).copy()  # (3, 12) XYZ of each
SHORTLIST = 50  # paints mixed in threes; of a larger rack the likeliest
NEAREST, DIRECTIONS = 24, 36  # of them the nearest, and the nearest in every direction of colour from what is wanted


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
        coloured = [p.of_kind.changes_colour for p in self.paints]
        if any(coloured) and not all(coloured):
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
    def clear(self) -> bool:
        """Whether it is a varnish: no colour, only a finish."""
        return not self.paints[0].of_kind.changes_colour

    @property
    def finish(self) -> float:
        """From matt (0) to gloss (1), by volume."""
        return self._mean([SHINE[p.of("finish")] for p in self.paints])

    @property
    def coat_um(self) -> float:
        """Dry thickness of one normal coat, µm, by volume."""
        return self._mean([p.of("coat_um") for p in self.paints])

    @property
    def solids(self) -> float:
        """Dry share by volume."""
        return self._mean([p.of("solids") for p in self.paints])

    def _mean(self, each: Sequence[float]) -> float:
        """Of something that each paint has, by volume; asked for so often that an array takes too long."""
        return float(sum(x * n for x, n in zip(each, self.parts, strict=True)) / sum(self.parts))

    @property
    def kind(self) -> str:
        """The kind of the paint there is most of."""
        return self.paints[int(np.argmax(self.parts))].kind

    @property
    def minutes(self) -> float:
        """Until the next coat: the slowest paint in it decides."""
        return max(p.of("minutes") for p, n in zip(self.paints, self.parts, strict=True) if n)

    def counted(self) -> dict[str, int]:
        """Parts by paint's name, those with none left out, in lowest terms."""
        shared = gcd(*self.parts)
        parts: dict[str, int] = {}
        for paint, n in zip(self.paints, self.parts, strict=True):
            if n:
                parts[paint.name] = parts.get(paint.name, 0) + n // shared
        return parts

    def words(self) -> str:
        """Such as “Soot + Gull 1:2”."""
        parts = self.counted()
        return next(iter(parts)) if len(parts) == 1 else f"{' + '.join(parts)} {':'.join(map(str, parts.values()))}"


def coloured(mix: Mix) -> Mix:
    """A mix that is asked for its colour.

    Raises:
        SettingError: it is a varnish, which has none.
    """
    if mix.clear:
        raise SettingError("a varnish does not change a colour; leave it out of the mix and put it on top")
    return mix


def only(paint: Paint) -> Mix:
    """A paint as it is."""
    return Mix((paint,), (1,))


def compositions(paints: int, most: int = MOST_PARTS) -> NDArray[np.int64]:
    """(C, paints) all ways to take at least one part of each paint, at most `most` together, in lowest terms."""
    grid = np.stack(np.meshgrid(*[np.arange(1, most + 1)] * paints, indexing="ij"), axis=-1).reshape(-1, paints)
    grid = grid[grid.sum(axis=1) <= most]
    return grid[np.gcd.reduce(grid, axis=1) == 1]


@dataclass(frozen=True)
class MixMatch:
    """A mix for a wanted colour and how far it is off, ΔE00."""

    mix: Mix
    delta_e: float

    def report(self) -> dict[str, Any]:
        """As plain values: parts, colour, how far off."""
        return {
            "parts": self.mix.counted(),
            "colour": plain(self.mix.colour),
            "delta_e": round(self.delta_e, 2),
        }


LIKELY = 16  # paints that a mix is looked for among at once: half of them the nearest, the others on every side of it
SEEN_SIDE_BY_SIDE, ANOTHER_COLOUR = 2.0, 5.0  # ΔE00: seen only beside each other; seen at once


def near_words(off: float) -> str:
    """What a difference (ΔE00) from a wanted colour means; "" where nobody sees it."""
    if off > ANOTHER_COLOUR:
        return "these paints do not reach it"
    return "seen side by side" if off > SEEN_SIDE_BY_SIDE else ""


def likeliest(
    wanted: NDArray[np.float64], labs: NDArray[np.float64], most: int = SHORTLIST, nearest: int = NEAREST
) -> NDArray[np.int64]:
    """Indices of the `most` paints (N, 3 Lab) to mix a colour (3,) from: the nearest, and the nearest on every side.

    A mix lies between its paints, so a good one has paints near what is wanted or on opposite sides of it.
    """
    away = labs - wanted
    off = np.linalg.norm(away, axis=1)
    order = np.argsort(off, kind="stable")
    sides = fibonacci_sphere(DIRECTIONS)
    side = np.argmax((away / np.maximum(off, 1e-9)[:, None]) @ sides.T, axis=1)
    taken = list(order[:nearest])
    rank = np.zeros(len(labs), np.int64)  # first, second, ... in its direction
    seen = np.zeros(DIRECTIONS, np.int64)
    for i in order:
        rank[i] = seen[side[i]]
        seen[side[i]] += 1
    rest = order[nearest:]
    taken += list(rest[np.argsort(rank[rest], kind="stable")][: most - len(taken)])
    return np.sort(np.array(taken))


def match(
    wanted: Colour, paints: Sequence[Paint], most: int = 3, parts: int = MOST_PARTS, best: int = 1, earns: float = 0.0
) -> list[MixMatch]:
    """The best mixes of at most `most` paints for a wanted colour, the nearest first, by ΔE00 of their masstones.

    Every mix in whole parts is tried; of a rack larger than SHORTLIST, every mix of its likeliest paints. Within TIE,
    fewer paints win, then paints that hide better, then fewer parts. earns: ΔE00 that each further paint must bring
    to be worth its pot; what is nearer than one such step counts as there.

    Raises:
        SettingError: no paints, or a number of paints outside 1..3.
    """
    if not 1 <= most <= 3:
        raise SettingError("a mix is looked for among one, two or three paints")
    if not paints:
        raise SettingError("there is no paint on the rack that can be mixed")
    target = wanted.lab
    if len(paints) > SHORTLIST:  # by their cards' colours: what each absorbs need not be known to leave it out
        labs = np.stack([p.looks.lab if p.drawdown_um else colour_of_hex(p.colour).lab for p in paints])
        paints = [paints[i] for i in likeliest(target, labs)]
    K, S = (np.stack([getattr(p.pigment, name) for p in paints]) for name in "KS")
    rough_K, rough_S = (x.reshape(len(x), -1, ROUGHLY).mean(axis=2).astype(np.float32) for x in (K, S))
    chosen, counted = [], []  # three paints of each rough candidate, and their parts; 0 of what is not in it
    for count in range(1, min(most, len(paints)) + 1):
        which, ways = _combined(len(paints), count, parts)
        off = np.empty((len(ways), len(which)))
        work = _here if off.size < FEW else _by_all
        work(rough_K, rough_S, which, _shares(ways).astype(np.float32), DAYLIGHT, WHITE_XYZ, target, off)
        few = np.argpartition(off, min(off.shape[1] - 1, NEAR_OF_EACH - 1), axis=1)[:, :NEAR_OF_EACH]
        way, n = np.repeat(np.arange(len(ways)), few.shape[1]), few.ravel()
        best_of = np.lexsort((n, way, off[way, n]))[:CLOSE]
        chosen.append(which[n[best_of]])
        counted.append(ways[way[best_of]])
    chosen_rows, way = np.concatenate(chosen), np.concatenate(counted)
    k, s = (np.einsum("nc,ncb->nb", _shares(way), x[chosen_rows]) for x in (K, S))
    off = delta_e(lab(xyz(masstone(k, s))), target)
    hiding = (np.array([p.hides for p in paints])[chosen_rows] * way).sum(axis=1) / way.sum(axis=1)
    pots = np.count_nonzero(way, axis=1)
    cost = np.maximum(off, earns) + earns * pots
    order = np.lexsort((off, way.sum(axis=1), -hiding, pots, np.round(cost / TIE)))
    return [
        MixMatch(
            Mix(tuple(paints[i] for i in chosen_rows[n][: pots[n]]), tuple(way[n][: pots[n]].tolist())), float(off[n])
        )
        for n in order[:best]
    ]


@lru_cache
def _combined(paints: int, count: int, parts: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(n, 3) every choice of `count` out of so many paints, and (W, 3) every way to count out their parts; a mix of
    fewer than three takes none of some other paint."""
    none = ((0, 0), (0, 3 - count))
    which = np.array(list(combinations(range(paints), count)))
    return np.pad(which, none), np.pad(compositions(count, parts), none)


def _shares(parts: NDArray[np.int64]) -> NDArray[np.float64]:
    return parts / parts.sum(axis=1, keepdims=True)


@numba.njit(cache=True, fastmath=True, inline="always")
def _off(n, K, S, which, shares, daylight, white, target, out):
    """How far the masstones of three paints, which[n], in shares (W, 3) are from a colour in L*a*b*, in column n of
    out: a rough difference, to leave most of them out by."""
    least, one, two = np.float32(LEAST_ABSORPTION), np.float32(1), np.float32(2)
    i, j, m = which[n, 0], which[n, 1], which[n, 2]
    for way in range(len(shares)):
        a, b, c = shares[way, 0], shares[way, 1], shares[way, 2]
        x = y = z = np.float32(0)
        for band in range(BANDS // ROUGHLY):
            k = a * K[i, band] + b * K[j, band] + c * K[m, band]
            s = a * S[i, band] + b * S[j, band] + c * S[m, band]
            q = max(k, least * s) / s
            seen = one + q - np.sqrt(q * (q + two))
            x += seen * daylight[0, band]
            y += seen * daylight[1, band]
            z += seen * daylight[2, band]
        fx, fy, fz = np.cbrt(x / white[0]), np.cbrt(y / white[1]), np.cbrt(z / white[2])
        off_l, off_a, off_b = 116 * fy - 16 - target[0], 500 * (fx - fy) - target[1], 200 * (fy - fz) - target[2]
        out[way, n] = np.sqrt(off_l * off_l + off_a * off_a + off_b * off_b)


@numba.njit(cache=True, fastmath=True, parallel=True)
def _by_all(K, S, which, shares, daylight, white, target, out):
    for n in numba.prange(len(which)):
        _off(n, K, S, which, shares, daylight, white, target, out)


@numba.njit(cache=True, fastmath=True)
def _here(K, S, which, shares, daylight, white, target, out):
    for n in range(len(which)):
        _off(n, K, S, which, shares, daylight, white, target, out)


@lru_cache(512)
def _matched(L: float, a: float, b: float, paints: tuple[Paint, ...], most: int) -> Mix:
    if len(paints) > LIKELY:
        labs = np.stack([p.looks.lab for p in paints])
        paints = tuple(paints[k] for k in likeliest(np.array([L, a, b]), labs, LIKELY, LIKELY // 2))
    return match(Colour("#000000", L, a, b, 0.0), paints, most, earns=EARNS)[0].mix


def nearest_mix(wanted: NDArray, paints: Sequence[Paint], most: int = 3) -> Mix:
    """The mix to paint L*a*b* (3,) with: each further pot brings it at least EARNS nearer. Worked out once for each
    half unit of it."""
    L, a, b = (round(2 * float(x)) / 2 for x in wanted)
    return _matched(L, a, b, tuple(paints), most)


def neat_pot(colour: str, paints: Iterable[Paint]) -> tuple[Paint, float] | None:
    """The base or layer paint that comes nearest to a colour, `#rrggbb`, as it is, and how far it is off, ΔE00; None
    where there is none."""
    pots = [p for p in paints if p.kind in ("base", "layer")]
    if not pots:
        return None
    off = delta_e(np.stack([p.looks.lab for p in pots]), colour_of_hex(colour).lab)
    k = int(np.argmin(off))
    return pots[k], float(off[k])


def values_of(reflectance: NDArray) -> NDArray[np.float64]:
    """(...) Munsell values of reflectances (..., 36)."""
    return munsell_from_luminance(100 * xyz(reflectance)[..., 1])
