"""Value: how light a grey looks, and the standards that count it.

Y is the luminance factor, 0..100 (100 = a perfect white). L* runs 0..100, Munsell value V 0..10.
"""

import numba
import numpy as np
from numpy.typing import ArrayLike, NDArray

# ASTM D1535: Y as a polynomial of Munsell value, coefficients of V, V², … V⁵ (perfect diffuser = 100)
_D1535 = (1.1914, -0.22533, 0.23352, -0.020484, 0.00081939)

_TABLE_V = np.linspace(0, 10, 20_001)  # steps of 0.0005: the table is then as good as the polynomial


def luminance_from_munsell(value: ArrayLike) -> NDArray[np.float64]:
    """Luminance factor Y (0..100) of a Munsell value (0..10). Source: ASTM D1535."""
    v = np.asarray(value, np.float64)
    a, b, c, d, e = _D1535
    return v * (a + v * (b + v * (c + v * (d + v * e))))


_TABLE_Y = luminance_from_munsell(_TABLE_V)
_CELLS = np.linspace(0, _TABLE_Y[-1], 2**16 + 1)  # evenly wide, so that the place in the table is soon found
_BEGINS = np.clip(np.searchsorted(_TABLE_Y, _CELLS, side="right") - 1, 0, len(_TABLE_Y) - 2).astype(np.int32)
_FEW = 1_000  # are sooner found without


def munsell_from_luminance(Y: ArrayLike) -> NDArray[np.float64]:
    """Munsell value (0..10) of a luminance factor Y (0..100), the D1535 polynomial turned round by table."""
    Y = np.asarray(Y, np.float64)
    if Y.size < _FEW:
        return np.interp(Y, _TABLE_Y, _TABLE_V)
    out = np.empty(Y.shape)
    _interpolated(Y.ravel(), _TABLE_Y, _TABLE_V, _BEGINS, out.ravel())
    return out


@numba.njit(cache=True, nogil=True)
def _interpolated(x, xs, ys, begins, out):
    """As `np.interp`, to the last bit. begins: (C + 1,) the place among xs, from 0, that each of C evenly wide cells
    begins after."""
    cells, last = (len(begins) - 1) / xs[-1], len(xs) - 1
    for n in range(len(x)):
        at = x[n]
        if not at > xs[0]:
            out[n] = at if np.isnan(at) else ys[0]
        elif at >= xs[last]:
            out[n] = ys[last]
        else:
            k = begins[int(at * cells)]
            while at >= xs[k + 1]:
                k += 1
            while at < xs[k]:
                k -= 1
            slope = (ys[k + 1] - ys[k]) / (xs[k + 1] - xs[k])
            out[n] = ys[k] if at == xs[k] else slope * (at - xs[k]) + ys[k]


def lightness_from_luminance(Y: ArrayLike) -> NDArray[np.float64]:
    """L* (0..100) of a luminance factor Y (0..100). Source: CIE 15."""
    t = np.asarray(Y, np.float64) / 100
    return np.where(t > (6 / 29) ** 3, 116 * np.cbrt(t) - 16, t * (29 / 3) ** 3)


def grey_srgb(value: ArrayLike) -> NDArray[np.uint8]:
    """8-bit sRGB level (0..255) of a neutral grey of a Munsell value. Source: IEC 61966-2-1."""
    linear = np.clip(luminance_from_munsell(value) / 100, 0, 1)
    encoded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.round(encoded * 255).astype(np.uint8)


def grey_hex(value: float) -> str:
    """The grey of a Munsell value as `#rrggbb`."""
    level = int(grey_srgb(value))
    return f"#{level:02x}{level:02x}{level:02x}"
