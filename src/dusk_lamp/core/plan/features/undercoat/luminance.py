"""One band that stands for all: values under films of nearly grey paints, fast, with their slopes. What is fitted by
it is then looked at with all bands.
"""

from collections.abc import Sequence

import numba
import numpy as np
from numpy.typing import NDArray

from ....paint.colour import BANDS, xyz
from ....paint.film import LEAST_ABSORPTION
from ....paint.mix import Mix
from ....paint.value import munsell_from_luminance

NEAR, ROBUST = 0.6, 0.7  # values: what counts as near, softly; a spot this far off counts half
FAR_SHARE = 0.05  # how much what is far off counts beside what is not near


class LuminanceFilms:
    """Films of some mixes over a ground, in the order they lie."""

    def __init__(self, ground: NDArray, mixes: Sequence[Mix]) -> None:
        eye = xyz(np.eye(BANDS))[:, 1]
        eye = eye / eye.sum()
        K = np.array([float(m.pigment.K @ eye) for m in mixes])
        self.S = np.array([float(m.pigment.S @ eye) for m in mixes])
        self.a = 1 + np.maximum(K, LEAST_ABSORPTION * self.S) / self.S
        self.b = np.sqrt(self.a * self.a - 1)
        self.ground = float(xyz(ground)[1])

    def value(self, thickness: NDArray) -> NDArray:
        """(M,) Munsell value under films (G, M) µm."""
        value = np.empty(thickness.shape[1])
        values_under_films(thickness, self.S, self.a, self.b, self.ground, VALUES, value, np.empty((0, 0)), STEEP)
        return value

    def slopes(self, thickness: NDArray) -> tuple[NDArray, NDArray]:
        """(M,) values, and (G, M) their change for each µm more of each mix."""
        value, slopes = np.empty(thickness.shape[1]), np.empty_like(thickness)
        values_under_films(thickness, self.S, self.a, self.b, self.ground, VALUES, value, slopes, STEEP)
        return value, slopes


# value by reflectance as a table, close where it is steep: by the root of the reflectance
TABLE = 4096
_ROOT = np.linspace(0, 1, TABLE)
VALUES = munsell_from_luminance(100 * _ROOT**2)
STEEP = np.gradient(VALUES, _ROOT**2)


@numba.njit(cache=True, nogil=True, fastmath=True)
def values_under_films(thickness, S, a, b, ground, table, value, slopes, steep):
    """Values (M,) under films (G, M) one on another, and, where there is room for them, their slopes by each µm (G,
    M).

    Source: Kubelka 1948, as in paint.film, and its derivatives by thickness and by what is under it.
    """
    greys, spots = thickness.shape
    sloped = len(slopes) > 0
    by_ground = np.empty(greys)
    for m in range(spots):
        R = ground
        for g in range(greys):
            decay = np.exp(-2 * b[g] * S[g] * thickness[g, m])
            gone, both = 1 - decay, b[g] * (1 + decay)
            above, below = (1 - R * a[g]) * gone + R * both, (a[g] - R) * gone + both
            out = above / below
            if sloped:
                d_above, d_below = R * a[g] - 1 + R * b[g], R - a[g] + b[g]  # by decay
                slopes[g, m] = (d_above - out * d_below) / below * (-2 * b[g] * S[g] * decay)
                by_ground[g] = (both - a[g] * gone + out * gone) / below
            R = out
        at = np.sqrt(min(max(R, 0.0), 1.0)) * (len(table) - 1)
        k = min(int(at), len(table) - 2)
        share = at - k
        value[m] = table[k] + share * (table[k + 1] - table[k])
        if sloped:
            through = steep[k] + share * (steep[k + 1] - steep[k])
            for g in range(greys - 1, -1, -1):
                slope = slopes[g, m]
                slopes[g, m] = through * slope
                through = through * by_ground[g]


@numba.njit(cache=True, nogil=True, fastmath=True)
def loss(value, wanted, weight, by_value):
    """Share of the area that is not near, softly, and a little of how far off it is; its slope by each value where
    asked."""
    whole = 0.0
    for m in range(len(value)):
        off = value[m] - wanted[m]
        quick = (off / NEAR) ** 2
        near = np.exp(-quick * quick)
        far = (off / ROBUST) ** 2
        whole += weight[m] * (1 - near + FAR_SHARE * np.log1p(far))
        if len(by_value):
            by_value[m] = weight[m] * (near * 4 * off**3 / NEAR**4 + FAR_SHARE * 2 * off / ROBUST**2 / (1 + far))
    return whole
