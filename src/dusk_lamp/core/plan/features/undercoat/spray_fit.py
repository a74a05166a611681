"""The spray fit: this is the light that is wanted; which few sprays make it, from where, how long?

Unknown are the seconds of every grey from every candidate direction. Film thickness is linear in them; value is not,
but nearly so for small changes: the film model is made linear at the present solution, the best non-negative seconds
are found, and so on a few times (Gauss and Newton, with non-negative least squares by Lawson and Hanson 1974).
Squares mind what is far off most, a painter minds how much of the model is near: from there the seconds are moved by
their slopes (L-BFGS-B, Byrd and others 1995) towards more area within half a value. Then passes are dropped one by
one, always the one that is missed least, and the rest moved again. (Taking passes up one by one ended nearer the
start, exchanging them afterwards took longer and gained little.)
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize, nnls

from ....coat.coat import Coat
from ....coat.spray import Spray, Spraying, in_half_seconds, laying_as, spray, trigger_for
from ....errors import SettingError, Stopped
from ....light.lamp import Lamp
from ....paint.mix import Mix
from ....sculpt.site import Site
from ....workplace.tools import EVERYTHING, Tools
from .luminance import ROBUST, LuminanceFilms, loss
from .pots import HALF_VALUE
from .schools.school import DETAIL_MM, DETAIL_NEEDLE, spray_distance

HELD_DEGREES = 15.0  # what a hand can hold
FIT_SAMPLES = 5000
ELEVATIONS = (-30.0, 0.0, 30.0, 45.0, 60.0, 75.0)
AZIMUTHS = tuple(np.arange(0.0, 360.0, 45.0))
MOST_PASSES, MOST_PER_GREY = 8, 4
ROUNDS = 7  # of making the film model linear
MOVES, FEW_MOVES = 120, 20  # of the seconds: in earnest, and to see what a pass is worth
IN_EARNEST = 24  # passes that dropping starts from: those that lay most
LOOK = 3  # of them are tried without in earnest, each time
MISSED = 0.008  # of the area may stop being near for passes left out: few are worth more than many
LONGEST_S = 60.0
DAMPING = 1e-4
NEEDLE, PSI = 0.3, 25.0


@dataclass(frozen=True)
class Fit:
    """The coats that were found (without the primer), and the share of the area that they bring within half a
    value."""

    coats: list[Coat]
    within: float


def spray_candidates(lamp: Lamp, distance: float, tools: Tools = EVERYTHING) -> list[Spray]:
    """About sixty passes to choose from: turns at several elevations, single directions, and some round the lamp's
    own."""

    def held(angle: float) -> float:
        return float(np.round(angle / HELD_DEGREES) * HELD_DEGREES)

    def one(azimuth: float, elevation: float, way: str = "stroke") -> Spray:
        return Spray(
            (azimuth + 180) % 360 - 180,
            elevation,
            distance,
            1.0,
            way,
            needle=tools.needle(NEEDLE),
            psi=tools.psi(PSI),
        )

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
    site: Site,
    target: NDArray[np.float32],
    lamp: Lamp,
    primer: Mix,
    greys: Sequence[Mix],
    most: int = MOST_PASSES,
    tools: Tools = EVERYTHING,
    progress: Callable[[str, float], None] | None = None,
    stopped: Callable[[], bool] | None = None,
) -> Fit:
    """The few passes of the greys over the primer that come nearest to a target (N,) of values.

    Args:
        primer: what is under them. greys: dark to light. most: passes in all, at least one. tools: what there is to
        spray with.
    Raises:
        SettingError: no greys, or no airbrush. Stopped: `stopped` said so.
    """
    if not greys or most < 1:
        raise SettingError("a fit needs at least one grey and one pass")
    if lack := tools.lack("airbrush"):
        raise SettingError(f"the fitted passes: this {lack}; see “My tools”")

    def say(words: str, share: float) -> None:
        if stopped and stopped():
            raise Stopped("stopped while fitting the passes")
        if progress:
            progress(words, share)

    visible = np.flatnonzero(site.paintable)
    chosen = visible[:: max(1, len(visible) // FIT_SAMPLES)].astype(np.int32)
    part = site.only(chosen, np.zeros((0, 3), np.int32))
    weight = site.surface.areas[chosen].astype(np.float64)
    weight /= weight.sum()

    passes = spray_candidates(lamp, spray_distance(site.surface), tools)
    films = np.empty((len(passes), len(chosen)))
    for c, pass_ in enumerate(passes):
        if c % 8 == 0:
            say("Trying passes from all sides", 0.2 * c / len(passes))
        films[c] = spray(part, pass_, 1.0).film
    problem = _Problem(films, target[chosen].astype(np.float64), weight, primer, greys)

    seconds = _few(problem, most, say)
    say("Counting whole half seconds", 0.95)
    seconds = _to_the_half(problem, seconds)
    order = sorted(
        zip(*np.nonzero(seconds), strict=True),
        key=lambda k: (k[0], passes[k[1]].way != "turn", -passes[k[1]].elevation),
    )
    coats = []
    for g, c in order:
        sprayed = replace(passes[c], seconds=float(seconds[g, c]))
        if g == len(greys) - 1:  # the last white takes the fine needle, CP-7
            fine = replace(sprayed, distance=min(DETAIL_MM, sprayed.distance), needle=tools.needle(DETAIL_NEEDLE))
            sprayed = laying_as(site.surface, sprayed, fine)
        coats.append(Coat("spray", greys[g], in_half_seconds(sprayed), label=_words(passes[c])))
    return Fit(coats, problem.within(seconds))


def _few(problem: "_Problem", most: int, say: Callable[[str, float], None]) -> NDArray:
    """(G, C) seconds of a few passes: all passes at once first, then always without the one that is missed least."""
    say("Weighing all passes at once", 0.22)
    every = np.ones((len(problem.solids), len(problem.films)), bool)
    seconds = problem.moved(problem.least_squares(every), every, MOVES)
    laid = seconds * problem.solids[:, None] * (problem.films @ problem.weight)
    seconds = np.where(laid >= np.sort(laid, axis=None)[-min(laid.size, IN_EARNEST)], seconds, 0.0)
    seconds = problem.moved(seconds, None, MOVES)
    start = max(int((seconds > 0).sum()), most + 1)
    while (n := int((seconds > 0).sum())) > most or (seconds > 0).sum(axis=1).max() > MOST_PER_GREY:
        say("Removing needless passes", 0.35 + 0.5 * min(1.0, (start - n) / (start - most)))
        seconds = _dropped(problem, seconds, 0 if n > most else MOST_PER_GREY)
    seconds = problem.moved(seconds, None, MOVES)
    bearable = problem.loss(seconds) + MISSED
    while (seconds > 0).sum() > 1:
        fewer = problem.moved(_dropped(problem, seconds, 0), None, MOVES)
        if problem.loss(fewer) > bearable:
            break
        seconds = fewer
    return seconds


def _dropped(problem: "_Problem", seconds: NDArray, most: int) -> NDArray:
    """The seconds without the pass that is missed least; of the greys with more passes than `most`, where there are
    such."""
    mask = seconds > 0
    full = mask.sum(axis=1) > most
    pairs = [tuple(k) for k in np.argwhere(mask & full[:, None] if full.any() else mask)]

    def without(k: tuple[int, int], moves: int) -> tuple[float, NDArray]:
        rest = seconds.copy()
        rest[k] = 0.0
        rest = problem.moved(rest, rest > 0, moves) if moves else rest
        return problem.loss(rest), rest

    likely = sorted(pairs, key=lambda k: without(k, 0)[0])[:LOOK]
    return min((without(k, FEW_MOVES) for k in likely), key=lambda found: found[0])[1]


def _to_the_half(problem: "_Problem", seconds: NDArray) -> NDArray:
    """Half seconds at the trigger each pass asks for; then small whole changes, kept where more area comes within
    half a value."""
    taken = [tuple(k) for k in np.argwhere(seconds > 0)]
    half = {k: 0.5 * trigger_for(seconds[k]) for k in taken}
    seconds = seconds.copy()
    for k, h in half.items():
        seconds[k] = h * round(seconds[k] / h)
    best = problem.within(seconds)
    for halves in (4, 2, 1):
        for _ in range(2):
            for k in taken:
                for by in (-halves * half[k], halves * half[k]):
                    trial = seconds.copy()
                    trial[k] = min(LONGEST_S, max(0.0, trial[k] + by))
                    share = problem.within(trial)
                    if share > best + 1e-4:
                        best, seconds = share, trial
    return seconds


def _words(pass_: Spray) -> str:
    """What a pass is for, in a painter's words: where it comes from."""
    return Spraying().where_from(pass_)


class _Problem:
    """Values of some spots under sprayed greys, with one band standing for all: greys hardly differ over them.

    Seconds are (G, C): of every grey from every candidate; 0 for those that are not taken.
    """

    def __init__(self, films: NDArray, wanted: NDArray, weight: NDArray, primer: Mix, greys: Sequence[Mix]) -> None:
        self.films = films  # (C, M) µm a second, if the paint were all solids
        self.wanted, self.weight = wanted, weight
        self.band = LuminanceFilms(primer.pigment.masstone, greys)
        self.solids = np.array([Coat("spray", m, Spray()).solids for m in greys])

    def laid(self, seconds: NDArray) -> NDArray:
        """(G, M) µm of each grey."""
        used = np.flatnonzero(seconds.any(axis=0))
        return (self.solids[:, None] * seconds[:, used]) @ self.films[used]

    def least_squares(self, mask: NDArray[np.bool_]) -> NDArray:
        """The seconds of the passes in a mask (G, C) that come nearest in squares, what is far off counting less and
        less."""
        seconds = best = np.where(mask, 0.05, 0.0)
        least = self._off(best)
        grey, pass_ = np.nonzero(mask)
        for k in range(ROUNDS):
            value, slopes = self.band.slopes(self.laid(seconds))
            off = self.wanted - value
            J = (slopes * self.solids[:, None])[grey] * self.films[pass_]  # (A, M)
            robust = self.weight / (1 + (off / ROBUST) ** 2) if k else self.weight
            goal = np.zeros_like(seconds)
            goal[grey, pass_] = linear_step(J, off + seconds[grey, pass_] @ J, robust)
            for step in (1.0, 0.5, 0.25, 0.125):  # not too far from where the film model was made linear
                trial = np.minimum(seconds + step * (goal - seconds), LONGEST_S)
                if (loss := self._off(trial)) < least - 1e-9:
                    best, least = trial, loss
                    break
            seconds = trial
        return best

    def _off(self, seconds: NDArray) -> float:
        off = (self.band.value(self.laid(seconds)) - self.wanted) / ROBUST
        return float(self.weight @ np.log1p(off * off))

    def loss(self, seconds: NDArray) -> float:
        """Share of the area that is not near, softly, and a little of how far off it is."""
        return loss(self.band.value(self.laid(seconds)), self.wanted, self.weight, np.empty(0))

    def slope(self, seconds: NDArray) -> NDArray:
        """(G, C) change of the loss for each second more."""
        value, slopes = self.band.slopes(self.laid(seconds))
        by_value = np.empty_like(value)
        loss(value, self.wanted, self.weight, by_value)
        return self.solids[:, None] * ((by_value * slopes) @ self.films.T)

    def moved(self, seconds: NDArray, mask: NDArray[np.bool_] | None, moves: int) -> NDArray:
        """The seconds of the passes in a mask (G, C), None for those above 0, moved to lower the loss."""
        grey, pass_ = np.nonzero(seconds > 0 if mask is None else mask)
        used, where = np.unique(pass_, return_inverse=True)
        films = self.films[used]
        back = np.ascontiguousarray(films.T)
        by_value = np.empty(films.shape[1])

        def of(x: NDArray) -> tuple[float, NDArray]:
            shares = np.zeros((len(self.solids), len(used)))
            shares[grey, where] = x
            thickness = (self.solids[:, None] * shares) @ films
            value, slopes = self.band.slopes(thickness)
            lost = loss(value, self.wanted, self.weight, by_value)
            return lost, (self.solids[:, None] * ((by_value * slopes) @ back))[grey, where]

        found = minimize(
            of,
            seconds[grey, pass_],
            jac=True,
            method="L-BFGS-B",
            bounds=[(0, LONGEST_S)] * len(grey),
            options={"maxiter": moves},
        )
        out = np.zeros_like(seconds)
        out[grey, pass_] = np.where(found.x > 1e-3, found.x, 0.0)
        return out

    def within(self, seconds: NDArray) -> float:
        """Share of the area within half a value."""
        return float(self.weight @ (np.abs(self.band.value(self.laid(seconds)) - self.wanted) <= HALF_VALUE))


def linear_step(J: NDArray, goal: NDArray, weight: NDArray) -> NDArray:
    """(A,) the non-negative x that makes x @ J (A, M) come nearest to a goal (M,), by weight (M,).

    Solved on the normal equations, which are small however many spots there are.
    """
    H = (J * weight) @ J.T
    H[np.diag_indices_from(H)] += DAMPING * max(float(np.trace(H)) / len(H), 1e-12)
    g = (J * weight) @ goal
    L = np.linalg.cholesky(H)
    return nnls(L.T, np.linalg.solve(L, g), maxiter=30 * len(H))[0]
