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


def card_reflectance(name: str) -> NDArray[np.float64]:
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


@numba.njit(cache=True, fastmath=True, inline="always")
def _exp(x):
    """e to the power of a float32 of 0 or less, to its last place but one, in a form that eight are worked out of at
    once. Source: the polynomial of Moshier's Cephes library, `expf`."""
    x = max(x, np.float32(-87))
    twos = np.floor(x * np.float32(1.44269504) + np.float32(0.5))
    x = x - twos * np.float32(0.693359375) - twos * np.float32(-2.12194440e-4)
    p = np.float32(1.9875691500e-4) * x + np.float32(1.3981999507e-3)
    p = p * x + np.float32(8.3334519073e-3)
    p = p * x + np.float32(4.1665795894e-2)
    p = p * x + np.float32(1.6666665459e-1)
    p = p * x + np.float32(5.0000001201e-1)
    power = np.int32((np.int32(twos) + np.int32(127)) << np.int32(23)).view(np.float32)  # 2 to its whole part
    return (p * x * x + x + np.float32(1)) * power


@numba.njit(cache=True, fastmath=True, inline="always")
def _over(under, a, b, decay):
    gone, both = np.float32(1) - decay, b * (np.float32(1) + decay)
    return ((np.float32(1) - under * a) * gone + under * both) / ((a - under) * gone + both)


@numba.njit(cache=True, fastmath=True, inline="always")
def _spot(n, a, b, fall, full, fullest, thickness, out):
    """One spot n under all coats, in its row of out."""
    decay = np.empty(BANDS, np.float32)
    for c in range(len(a)):
        d = thickness[c, n]
        if d <= 0:
            continue
        if d == full[c]:
            for j in range(BANDS):
                out[n, j] = _over(out[n, j], a[c, j], b[c, j], fullest[c, j])
            continue
        for j in range(BANDS):
            decay[j] = _exp(fall[c, j] * d)
        for j in range(BANDS):
            out[n, j] = _over(out[n, j], a[c, j], b[c, j], decay[j])


@numba.njit(cache=True, fastmath=True, parallel=True)
def _by_all(a, b, fall, full, fullest, thickness, out):
    for n in numba.prange(len(out)):
        _spot(n, a, b, fall, full, fullest, thickness, out)


@numba.njit(cache=True, fastmath=True)
def _here(a, b, fall, full, fullest, thickness, out):
    for n in range(len(out)):
        _spot(n, a, b, fall, full, fullest, thickness, out)


FEW = 20_000  # films of so few spots are worked out sooner than other threads are woken


def coats(K: NDArray, S: NDArray, thickness: NDArray, under: NDArray) -> NDArray[np.float32]:
    """(N, 36) float32 reflectance of many spots under a stack of coats, the first coat first.

    Args:
        K, S: (C, 36) of each coat's paint, per µm. thickness: (C, N) µm of dry paint at each spot.
        under: (36,) or (N, 36) reflectance of what is under the first coat.
    Raises:
        SettingError: shapes that do not fit.
    """
    K, S, thickness = (np.ascontiguousarray(x, np.float32) for x in (K, S, thickness))
    if K.shape != S.shape or K.shape[1:] != (BANDS,) or thickness.ndim != 2 or len(thickness) != len(K):
        raise SettingError("a stack needs K and S and a row of thickness for each coat")
    K = np.maximum(K, np.float32(1e-5) * S)  # float32 must still see the difference
    spots = thickness.shape[1]
    out = np.array(np.broadcast_to(under, (spots, BANDS)), np.float32, order="C")
    a = np.float32(1) + K / S
    b = np.sqrt(a * a - np.float32(1))
    fall, full = np.float32(-2) * b * S, thickness.max(axis=1, initial=0)
    # most coats are even: what their full film lets through is worked out once
    work = _here if thickness.size < FEW else _by_all
    work(a, b, fall, full, np.exp(fall * full[:, None]), thickness, out)
    return out


def contrast_ratio(K: NDArray, S: NDArray, thickness: float) -> float:
    """Luminance of a film over the black card over that over the white one: 1 hides wholly.

    Source: ASTM D2805 and ISO 6504-3, with the cards above.
    """
    black, white = (xyz(film(K, S, thickness, card_reflectance(c)))[1] for c in ("black", "white"))
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
