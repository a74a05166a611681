"""A school of the undercoat fitted to a light: each is judged by the light laid between its own darkest and lightest,
with its amounts fitted to that.

Some schools are meant to stay light, some to follow crests. What a painter reads in the end is the order of the
values and their steps, not where the scale begins; so a school is asked how well *it* can tell *this* light.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numba
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from ....coat.coat import Coat
from ....coat.finish import films_of
from ....plain import rounded
from ....sculpt.site import Site
from ...outcome import outcome
from .luminance import LuminanceFilms, loss
from .pots import HALF_VALUE, LEAST_SPAN, ValueSpan

GRID = 0.25  # values between two keys that are looked at
SAMPLES = 2500
ROUNDS, MOVES, FEW_MOVES = 3, 40, 10
TURNED = ((30.0, 0.0), (-30.0, 0.0), (0.0, 20.0), (0.0, -20.0))  # other directions that are tried, degrees
ALIKE, LEAST_REACH = 0.005, 0.8  # shares of the area that count as one; of the widest range of values
GAIN = 0.003  # of the loss, that a turned stroke must save to be worth it


@dataclass(frozen=True)
class LightMatch:
    """How well values render a light. span: their own darkest and lightest. rank_agreement: of the order of the
    values, by area, −1 to 1.
    within_half: the share of the area within half a value of the light in that span."""

    span: ValueSpan
    rank_agreement: float = rounded(4)
    within_half: float = rounded(4)


def rank_agreement(value: NDArray, share: NDArray, weight: NDArray) -> float:
    """Spearman's rank correlation of two fields (N,), each spot counted by its weight (N,); equal values share their
    rank."""
    a, b = _ranks(value, weight), _ranks(share, weight)
    a, b = a - np.average(a, weights=weight), b - np.average(b, weights=weight)
    spread = float(np.sqrt((weight @ (a * a)) * (weight @ (b * b))))
    return float(weight @ (a * b) / spread) if spread > 0 else 0.0


def _ranks(value: NDArray, weight: NDArray) -> NDArray:
    _, place = np.unique(value, return_inverse=True)
    whole = np.bincount(place, weights=weight)
    return (np.cumsum(whole) - whole / 2)[place]


def best_span(value: NDArray, share: NDArray, weight: NDArray) -> ValueSpan:
    """The key in which most of the area is within half a value of the light; at least LEAST_SPAN from dark to light,
    or a flat model would tell every light."""
    ends = np.arange(0, 10 + GRID / 2, GRID)
    dark, light = (e.ravel() for e in np.meshgrid(ends, ends, indexing="ij"))
    wide = light - dark >= LEAST_SPAN
    dark, light = dark[wide], light[wide]
    found = _worth(value, share, weight / weight.sum(), dark, light, HALF_VALUE)
    best = int(np.argmax(found))
    return ValueSpan(float(dark[best]), float(light[best]))


@numba.njit(cache=True, nogil=True)
def _worth(value, share, weight, dark, light, half):
    """(K,) of spans from dark to light (K,): the share of the weight that is within a half value of the light; and of
    two alike the nearer is worth more."""
    found = np.empty(len(dark))
    for k in range(len(dark)):
        worth, wide = 0.0, light[k] - dark[k]
        for m in range(len(value)):
            off = abs(value[m] - dark[k] - share[m] * wide)
            worth += weight[m] * ((1.0 if off <= half else 0.0) - 0.01 * off)
        found[k] = worth
    return found


def light_match(site: Site, value: NDArray, share: NDArray, span: ValueSpan | None = None) -> LightMatch:
    """How well values (N,) on a site tell a light, given as shares (N,) from none to full. span: None for
    the best one."""
    seen = np.flatnonzero(site.paintable)
    few = seen[:: max(1, len(seen) // SAMPLES)]
    weight = site.surface.areas[seen].astype(np.float64)
    span = span or best_span(value[few], share[few], site.surface.areas[few].astype(np.float64))
    off = np.abs(value[seen] - span.of(share[seen]))
    return LightMatch(
        span, rank_agreement(value[seen], share[seen], weight), float(weight @ (off <= HALF_VALUE) / weight.sum())
    )


def fit_school(site: Site, coats: Sequence[Coat], share: NDArray) -> tuple[list[Coat], ValueSpan]:
    """The coats of a school with seconds, films and the directions of their strokes fitted to a light, in the
    school's own span of values.

    Args:
        coats: a school's, in usual amounts; each stays, none becomes another technique. share: (N,) of full light.
    """
    seen = np.flatnonzero(site.paintable)
    chosen = seen[:: max(1, len(seen) // SAMPLES)].astype(np.int32)
    amounts = _Amounts(
        site.only(chosen, np.zeros((0, 3), np.int32)), list(coats), np.asarray(share, np.float64)[chosen]
    )
    if len(coats) < 2:  # the primer is laid as it is
        return list(coats), amounts.best_span()
    for _ in range(ROUNDS):
        amounts.fit(MOVES)
        amounts.turn()
    amounts.fit(MOVES)
    return amounts.coats_now(), amounts.span


def fewest_of_the_nearest(site: Site, share: NDArray, offers: Sequence[tuple[Sequence[Coat], ValueSpan]]) -> int:
    """Which of some undercoats to take: of those that come nearest to the light, each in its own values, the one with
    the fewest coats; the place of it. A fit is so never worse than a school, and never has more coats for nothing."""
    near = [outcome(site, coats, span.of(share).astype(np.float32), steps=False).within for coats, span in offers]
    reach = [span.lightest - span.darkest for _, span in offers]
    wide = [k for k in range(len(offers)) if reach[k] >= LEAST_REACH * max(reach)]  # a flat light is easily met
    best = max(near[k] for k in wide)
    return min((k for k in wide if near[k] >= best - ALIKE), key=lambda k: (len(offers[k][0]), -near[k]))


class _Amounts:
    """The amounts of a school's coats, as times what is usual, and the key they aim at."""

    def __init__(self, part: Site, coats: list[Coat], share: NDArray) -> None:
        self.part, self.coats, self.share = part, coats, share
        weight = part.surface.areas.astype(np.float64)
        self.weight = weight / weight.sum()
        films = films_of(part, coats, lambda coat, finish: coat.roughly(part, finish))
        self.films = np.stack(films).astype(np.float64)
        self.films[[c.mix.clear for c in coats]] = 0  # a varnish has no colour
        self.free = np.array([not c.by.primes and not c.mix.clear for c in coats])
        self.band = LuminanceFilms(np.full(36, 0.2), [c.mix for c in coats])
        self.times = np.ones(len(coats))
        self._tried: dict[tuple[int, float, float], NDArray] = {}  # films of strokes turned, by azimuth and height
        self.span = ValueSpan(0.0, 10.0)

    def best_span(self) -> ValueSpan:
        """The key in which they come nearest to the light as they are."""
        return best_span(self.band.value(self.times[:, None] * self.films), self.share, self.weight)

    def fit(self, moves: int) -> float:
        """Moves the amounts, and then the key; returns what is lost."""
        self.span = self.best_span()
        self.times, lost = self._moved(self.films, moves)
        self.span = self.best_span()
        return lost

    def _moved(self, films: NDArray, moves: int) -> tuple[NDArray, float]:
        wanted, by_value = self.span.of(self.share), np.empty(films.shape[1])

        def of(x: NDArray) -> tuple[float, NDArray]:
            times = self.times.copy()
            times[self.free] = np.exp(x)
            value, slopes = self.band.slopes(times[:, None] * films)
            lost = loss(value, wanted, self.weight, by_value)
            return lost, (((by_value * slopes) * films).sum(axis=1) * times)[self.free]

        bounds = [tuple(np.log(c.by.times)) for c, free in zip(self.coats, self.free, strict=True) if free]
        start = np.log(self.times[self.free])
        found = minimize(of, start, jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": moves})
        times = self.times.copy()
        times[self.free] = np.exp(found.x)
        return times, float(found.fun)

    def turn(self) -> None:
        """Tries other directions for every stroke, one after another."""
        least = self._moved(self.films, 0)[1]
        for k, coat in enumerate(self.coats):
            p = coat.settings
            if getattr(p, "azimuth", None) is None:
                continue
            turned = getattr(p, "way", "stroke") == "turn"
            for by_azimuth, by_height in TURNED[2:] if turned else TURNED:
                azimuth = (p.azimuth + by_azimuth + 180) % 360 - 180
                height = max(-90.0, min(90.0, p.elevation + by_height))
                other = replace(coat, settings=replace(p, azimuth=azimuth, elevation=height))
                films = self.films.copy()
                films[k] = self._film(k, azimuth, height, other)
                times, lost = self._moved(films, FEW_MOVES)
                if lost < least - GAIN:
                    self.films, self.times, least = films, times, lost
                    self.coats[k] = other

    def _film(self, k: int, azimuth: float, height: float, coat: Coat) -> NDArray:
        """Of a stroke that was turned; each is laid once, for most are tried again in every round."""
        if (k, azimuth, height) not in self._tried:
            self._tried[k, azimuth, height] = coat.roughly(self.part)
        return self._tried[k, azimuth, height]

    def coats_now(self) -> list[Coat]:
        """The coats in their fitted amounts, in half seconds and half µm."""
        out = []
        for coat, times, free in zip(self.coats, self.times, self.free, strict=True):
            settings = coat.by.scaled(coat.settings, float(times)) if free else coat.settings
            out.append(replace(coat, settings=settings))
        return out
