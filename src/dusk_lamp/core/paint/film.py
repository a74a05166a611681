"""Films: what a coat of paint looks like over whatever is under it. Kubelka and Munk, on 36 bands."""

import numba
import numpy as np
from numpy.typing import NDArray

from ..datasets import by
from ..errors import SettingError
from .colour import BANDS, reflectance_from_hex, xyz

_GROUNDS = by("grounds", "ground")
BLACK_CARD, WHITE_CARD, BARE_RESIN, GREY_CARD = (
    float(_GROUNDS[g]["reflectance"]) for g in ("black card", "white card", "bare resin", "grey card")
)
LEAST_ABSORPTION = 1e-6  # of the scattering: the formula divides by the difference


def card(name: str) -> NDArray[np.float64]:
    """(36,) reflectance of what lies under a film: "black" or "white" card, or `#rrggbb`."""
    if name in ("black", "white"):
        return np.full(BANDS, BLACK_CARD if name == "black" else WHITE_CARD)
    return reflectance_from_hex(name)


def masstone(K: NDArray, S: NDArray) -> NDArray[np.float64]:
    """(..., 36) reflectance of a film so thick that nothing shows through. Source: Kubelka and Munk (1931)."""
    q = np.maximum(K, LEAST_ABSORPTION * S) / S
    return 1 + q - np.sqrt(q * (q + 2))


def absorption_over_scattering(reflectance: NDArray) -> NDArray[np.float64]:
    """(..., 36) K/S of a masstone reflectance. Source: Kubelka and Munk (1931)."""
    return (1 - reflectance) ** 2 / (2 * reflectance)


def film(K: NDArray, S: NDArray, thickness: NDArray | float, under: NDArray) -> NDArray[np.float64]:
    """(..., 36) reflectance of films over what is under them.

    Args:
        K, S: (..., 36) absorption and scattering per µm. thickness: (...) µm of dry paint. under: (..., 36)
        reflectance.
    Source: Kubelka (1948), the hyperbolic solution, written with exp(−2bSd) so that neither a film of nothing nor one
    without end is a special case.
    """
    K = np.maximum(K, LEAST_ABSORPTION * S)
    a = 1 + K / S
    b = np.sqrt(a * a - 1)
    decay = np.exp(-2 * b * S * np.asarray(thickness, np.float64)[..., None])
    gone = 1 - decay
    return ((1 - under * a) * gone + under * b * (1 + decay)) / ((a - under) * gone + b * (1 + decay))


@numba.njit(cache=True, parallel=True, fastmath=True)
def _coats(K, S, thickness, under, out):
    coats = len(K)
    spots = thickness.shape[1]
    bands = K.shape[1]
    one, two = np.float32(1), np.float32(2)
    a = one + K / S
    b = np.sqrt(a * a - one)
    fall = -two * b * S
    for n in numba.prange(spots):
        for j in range(bands):
            out[n, j] = under[n, j]
        for c in range(coats):
            d = thickness[c, n]
            if d <= 0:
                continue
            for j in range(bands):
                decay = np.exp(fall[c, j] * d)
                gone = one - decay
                both = b[c, j] * (one + decay)
                g = out[n, j]
                out[n, j] = ((one - g * a[c, j]) * gone + g * both) / ((a[c, j] - g) * gone + both)


def coats(K: NDArray, S: NDArray, thickness: NDArray, under: NDArray) -> NDArray[np.float32]:
    """(N, 36) float32 reflectance of many spots under a stack of coats, the first coat first.

    Args:
        K, S: (C, 36) of each coat's paint, per µm. thickness: (C, N) µm of dry paint at each spot.
        under: (36,) or (N, 36) reflectance of what is under the first coat.
    Raises:
        SettingError: shapes that do not fit.
    """
    K, S, thickness = (np.ascontiguousarray(x, np.float32) for x in (K, S, thickness))
    if K.shape != S.shape or K.ndim != 2 or thickness.ndim != 2 or len(thickness) != len(K):
        raise SettingError("a stack needs K and S and a row of thickness for each coat")
    K = np.maximum(K, np.float32(1e-5) * S)  # float32 must still see the difference
    spots = thickness.shape[1]
    ground = np.ascontiguousarray(np.broadcast_to(under, (spots, K.shape[1])), np.float32)
    out = np.empty_like(ground)
    _coats(K, S, thickness, ground, out)
    return out


def contrast_ratio(K: NDArray, S: NDArray, thickness: float) -> float:
    """Luminance of a film over the black card over that over the white one: 1 hides wholly.

    Source: ASTM D2805 and ISO 6504-3, with the cards above.
    """
    black, white = (xyz(film(K, S, thickness, card(c)))[1] for c in ("black", "white"))
    return float(black / white)


# --- the skin of the film, as Saunderson (1942) corrects for it
SKIN_OUT, SKIN_IN = 0.04, 0.60  # reflected by the surface from outside, and from inside back into the film


def below_the_skin(measured: NDArray) -> NDArray[np.float64]:
    """Reflectance inside the film of a measured one (gloss included). Source: Saunderson (1942)."""
    return (measured - SKIN_OUT) / (1 - SKIN_OUT - SKIN_IN + SKIN_IN * measured)


def above_the_skin(inside: NDArray) -> NDArray[np.float64]:
    """The other way round. Off by default everywhere: swatches, cards and predictions all look through the same
    skin, so it nearly cancels, and it needs to be known whether a swatch was seen with its gloss or without."""
    return SKIN_OUT + (1 - SKIN_OUT) * (1 - SKIN_IN) * inside / (1 - SKIN_IN * inside)
