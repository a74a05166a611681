"""The spray fit: this is the light that is wanted; which few sprays make it, from where, how long?

Unknown are the seconds of every grey from every candidate direction. Film thickness is linear in them; value is not, but
nearly so for small changes: the film model is made linear at the present solution, the best non-negative seconds are
found, and so on a few times (Gauss and Newton, with non-negative least squares by Lawson and Hanson 1974). Then passes
are dropped one by one, always the one that is missed least, and the rest found anew.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from ..coat.coat import Coat
from ..coat.spray import Spray, spray
from ..errors import SettingError, Stopped
from ..light.lamp import Lamp
from ..paint.colour import xyz
from ..paint.mix import Mix
from ..paint.value import munsell_from_luminance
from ..sculpt.surface import Surface, some_samples
from .undercoat import HALF_STEP, snapped

HELD_DEGREES = 15.0  # what a hand can hold
FIT_SAMPLES = 5000
ELEVATIONS = (-30.0, 0.0, 30.0, 45.0, 60.0, 75.0)
AZIMUTHS = tuple(np.arange(0.0, 360.0, 45.0))
MOST_PASSES, MOST_PER_GREY = 8, 4
FIRST_LOOK, SECOND_LOOK = 16, 6  # passes tried in earnest, of those that promise most
SWEEPS = 3
ROUNDS = 7  # of making the film model linear
LONGEST_S = 60.0
ROBUST = 0.7  # a spot this far off in value counts half: a few hard shadow edges must not spoil the rest
DAMPING = 1e-4
NEEDLE, PSI = 0.3, 25.0


@dataclass(frozen=True)
class Fit:
    """The coats that were found (without the primer), and how the share of area within half a value grew with every pass."""

    coats: list[Coat]
    within: float


def candidates(lamp: Lamp, distance: float) -> list[Spray]:
    """About sixty passes to choose from: turns at several elevations, single directions, and some round the lamp's own."""

    def held(angle: float) -> float:
        return float(np.round(angle / HELD_DEGREES) * HELD_DEGREES)

    def one(azimuth: float, elevation: float, way: str = "stroke") -> Spray:
        return Spray((azimuth + 180) % 360 - 180, elevation, distance, 1.0, way, needle=NEEDLE, psi=PSI)

    found = [one(0, e, "turn") for e in ELEVATIONS] + [one(0, 90)]
    found += [one(a, e) for e in ELEVATIONS for a in AZIMUTHS]
    near = [
        (held(lamp.azimuth) + a, held(lamp.elevation) + e)
        for a, e in ((0, 0), (15, 0), (-15, 0), (0, 15), (0, -15), (30, 0), (-30, 0))
    ]
    known = {(s.azimuth, s.elevation) for s in found if s.way == "stroke"}
    for azimuth, elevation in near:
        extra = one(azimuth, max(-90.0, min(90.0, elevation)))
        if (extra.azimuth, extra.elevation) not in known:
            known.add((extra.azimuth, extra.elevation))
            found.append(extra)
    return found


def fit(
    surface: Surface,
    target: NDArray[np.float32],
    paintable: NDArray[np.bool_],
    lamp: Lamp,
    primer: Mix,
    greys: Sequence[Mix],
    most: int = MOST_PASSES,
    progress: Callable[[str, float], None] | None = None,
    stopped: Callable[[], bool] | None = None,
) -> Fit:
    """The few passes of the greys over the primer that come nearest to a target (N,) of values.

    Args:
        primer: what is under them. greys: dark to light. most: passes in all, at least one.
    Raises:
        SettingError: no greys. Stopped: `stopped` said so.
    """
    if not greys or most < 1:
        raise SettingError("a fit needs at least one grey and one pass")

    def say(words: str, share: float) -> None:
        if stopped and stopped():
            raise Stopped("stopped while fitting the passes")
        if progress:
            progress(words, share)

    visible = np.flatnonzero(paintable)
    chosen = visible[:: max(1, len(visible) // FIT_SAMPLES)].astype(np.int32)
    some = some_samples(surface, chosen, np.zeros((0, 3), np.int32))
    weight = surface.areas[chosen].astype(np.float64)
    weight /= weight.sum()
    wanted = target[chosen].astype(np.float64)

    distance = float(max(60.0, round(2.2 * surface.size / 5) * 5))
    passes = candidates(lamp, distance)
    films = np.empty((len(passes), len(chosen)))
    for c, pass_ in enumerate(passes):
        if c % 4 == 0:
            say("Trying passes from all sides", 0.6 * c / len(passes))
        films[c] = spray(some, pass_, 1.0).film
    problem = _Problem(films, wanted, weight, primer, greys)

    active, seconds = _grown(problem, len(passes), most, say)
    seconds = problem.solve(active, seconds, ROUNDS)
    seconds = np.array([snapped(s) if s > 0.25 else 0.0 for s in seconds])
    seconds = _to_the_half(problem, active, seconds, say)
    active, seconds = _kept(active, seconds, seconds > 0)

    order = sorted(
        range(len(active)),
        key=lambda k: (active[k][0], passes[active[k][1]].way != "turn", -passes[active[k][1]].elevation),
    )
    coats = []
    for k in order:
        g, c = active[k]
        coats.append(Coat("spray", greys[g], replace(passes[c], seconds=float(seconds[k])), label=_words(passes[c])))
    return Fit(coats, problem.within(active, seconds))


def _kept(active: list, seconds: NDArray, keep: NDArray) -> tuple[list, NDArray]:
    return [a for a, k in zip(active, keep, strict=True) if k], seconds[keep]


def _grown(problem: "_Problem", passes: int, most: int, say: Callable[[str, float], None]) -> tuple[list, NDArray]:
    """Passes taken up one by one, always the one that helps most; then each is exchanged for a better one where there is."""
    every = [(g, c) for g in range(len(problem.K)) for c in range(passes)]
    active: list[tuple[int, int]] = []
    seconds = np.zeros(0)
    for n in range(most):
        say("Choosing the passes", 0.62 + 0.2 * n / most)
        taken = _best_more(problem, every, active, seconds, FIRST_LOOK)
        if taken is None:
            break
        active, seconds = taken
    least = problem.loss(active, seconds)
    for sweep in range(SWEEPS):
        before = least
        for k in range(len(active)):
            say("Exchanging passes for better ones", 0.82 + 0.14 * (sweep + k / len(active)) / SWEEPS)
            keep = np.ones(len(active), bool)
            keep[k] = False
            rest, start = _kept(active, seconds, keep)
            taken = _best_more(problem, every, rest, start, SECOND_LOOK)
            if taken is not None and (loss := problem.loss(*taken)) < least - 1e-6:
                # the new one takes the old one's place, so that every place is looked at once
                (*others, new), (*theirs, own) = taken[0], taken[1].tolist()
                active = [*others[:k], new, *others[k:]]
                seconds = np.array([*theirs[:k], own, *theirs[k:]])
                least = loss
        if before - least < 1e-4:
            break
    return active, seconds


def _best_more(
    problem: "_Problem", every: list[tuple[int, int]], active: list[tuple[int, int]], seconds: NDArray, look: int
) -> tuple[list[tuple[int, int]], NDArray] | None:
    """The active passes and one more, the one that lowers the loss most; None where none does."""
    full = np.bincount([g for g, _ in active], minlength=len(problem.K))
    gain = problem.gains(active, seconds).ravel()  # in the order of `every`
    known = set(active)
    tried = [k for k in np.argsort(-gain) if every[k] not in known and full[every[k][0]] < MOST_PER_GREY][:look]
    best, least = None, problem.loss(active, seconds) - 1e-7
    for k in tried:
        more = [*active, every[k]]
        found = problem.solve(more, np.append(seconds, 0.0), 3)
        loss = problem.loss(more, found)
        if loss < least:
            best, least = (more, found), loss
    return best


def _to_the_half(problem: "_Problem", active: list, seconds: NDArray, say: Callable[[str, float], None]) -> NDArray:
    """Small whole changes of the seconds, kept where more area comes within half a value."""
    best = problem.within(active, seconds)
    for step in (3.0, 1.0, 0.5):
        say("Trying half seconds more and less", 0.96)
        for _ in range(2):
            for k in range(len(seconds)):
                for by in (-step, step):
                    trial = seconds.copy()
                    trial[k] = max(0.0, trial[k] + by)
                    share = problem.within(active, trial)
                    if share > best + 1e-4:
                        best, seconds = share, trial
    return seconds


def _words(pass_: Spray) -> str:
    if pass_.way == "turn":
        return (
            f"all round, {pass_.elevation:.0f}° above level"
            if pass_.elevation >= 0
            else f"all round, from {-pass_.elevation:.0f}° below"
        )
    if pass_.elevation >= 90:
        return "from straight above"
    side = abs(pass_.azimuth)
    where = (
        "the front" if side < 23 else "the back" if side > 157 else ("the right" if pass_.azimuth > 0 else "the left")
    )
    return f"from {where}, {pass_.azimuth:.0f}° round, {pass_.elevation:.0f}° up"


class _Problem:
    """Values of some spots under sprayed greys, with one band standing for all: greys hardly differ over them."""

    def __init__(self, films: NDArray, wanted: NDArray, weight: NDArray, primer: Mix, greys: Sequence[Mix]) -> None:
        eye = xyz(np.eye(36))[:, 1]
        eye = eye / eye.sum()
        self.films = films  # (C, M) µm a second, if the paint were all solids
        self.wanted, self.weight = wanted, weight
        self.K = np.array([float(m.pigment.K @ eye) for m in greys])
        self.S = np.array([float(m.pigment.S @ eye) for m in greys])
        self.ground = float(xyz(primer.pigment.masstone)[1])
        self.solids = np.array([Coat("spray", m, Spray()).solids for m in greys])

    def thickness(self, active: list[tuple[int, int]], seconds: NDArray) -> NDArray:
        """(G, M) µm of each grey."""
        out = np.zeros((len(self.K), self.films.shape[1]))
        for (g, c), s in zip(active, seconds, strict=True):
            out[g] += s * self.solids[g] * self.films[c]
        return out

    def value(self, thickness: NDArray) -> NDArray:
        """(M,) Munsell value under films (G, M)."""
        R = np.full(thickness.shape[1], self.ground)
        for k, s, d in zip(self.K, self.S, thickness, strict=True):
            a = 1 + max(k, 1e-6 * s) / s
            b = np.sqrt(a * a - 1)
            decay = np.exp(-2 * b * s * d)
            gone, both = 1 - decay, b * (1 + decay)
            R = ((1 - R * a) * gone + R * both) / ((a - R) * gone + both)
        return munsell_from_luminance(100 * R)

    def slopes(self, thickness: NDArray, value: NDArray) -> NDArray:
        """(G, M) change of value for each µm more of each grey."""
        out = np.empty_like(thickness)
        for g in range(len(thickness)):
            more = thickness.copy()
            more[g] += 0.05
            out[g] = (self.value(more) - value) / 0.05
        return out

    def solve(self, active: list[tuple[int, int]], start: NDArray | None, rounds: int) -> NDArray:
        """Non-negative seconds of the active passes."""
        seconds = np.zeros(len(active)) if start is None else start.copy()
        if not active:
            return seconds
        which = np.array([c for _, c in active])
        of_grey = np.array([g for g, _ in active])
        best, least = seconds, self.loss(active, seconds)
        for k in range(rounds):
            thickness = self.thickness(active, seconds)
            value = self.value(thickness)
            off = self.wanted - value
            J = (self.slopes(thickness, value) * self.solids[:, None])[of_grey] * self.films[which]  # (A, M)
            robust = self.weight / (1 + (off / ROBUST) ** 2) if k else self.weight
            next_ = linear_step(J, off + seconds @ J, robust)
            step = 1.0
            for _ in range(4):  # not too far from where the film model was made linear
                trial = np.minimum(seconds + step * (next_ - seconds), LONGEST_S)
                loss = self.loss(active, trial)
                if loss < least - 1e-9:
                    best, least = trial, loss
                    break
                step /= 2
            seconds = best if step < 0.1 else trial
        return best

    def loss(self, active: list[tuple[int, int]], seconds: NDArray) -> float:
        """How far off, robustly: spots far off count less and less."""
        off = (self.value(self.thickness(active, seconds)) - self.wanted) / ROBUST
        return float(self.weight @ np.log1p(off * off))

    def within(self, active: list[tuple[int, int]], seconds: NDArray) -> float:
        """Share of the area within half a value."""
        off = np.abs(self.value(self.thickness(active, seconds)) - self.wanted)
        return float(self.weight @ (off <= HALF_STEP))

    def gains(self, active: list[tuple[int, int]], seconds: NDArray) -> NDArray:
        """(G, C) how much a first bit of each pass would lower the squares, to first order."""
        thickness = self.thickness(active, seconds)
        value = self.value(thickness)
        off = self.wanted - value
        robust = self.weight / (1 + (off / ROBUST) ** 2)
        slopes = self.slopes(thickness, value) * self.solids[:, None]
        along = (slopes * (robust * off)) @ self.films.T
        size = (slopes**2 * robust) @ (self.films**2).T
        return np.maximum(along, 0) ** 2 / np.maximum(size, 1e-12)


def linear_step(J: NDArray, goal: NDArray, weight: NDArray) -> NDArray:
    """(A,) the non-negative x that makes x @ J (A, M) come nearest to a goal (M,), by weight (M,).

    Solved on the normal equations, which are small however many spots there are.
    """
    H = (J * weight) @ J.T
    H[np.diag_indices_from(H)] += DAMPING * max(float(np.trace(H)) / len(H), 1e-12)
    g = (J * weight) @ goal
    L = np.linalg.cholesky(H)
    return nnls(L.T, np.linalg.solve(L, g), maxiter=30 * len(H))[0]
