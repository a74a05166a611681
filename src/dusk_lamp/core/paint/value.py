"""Value: how light a grey looks, and the standards that count it.

Y is the luminance factor, 0..100 (100 = a perfect white). L* runs 0..100, Munsell value V 0..10.
"""

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


def munsell_from_luminance(Y: ArrayLike) -> NDArray[np.float64]:
    """Munsell value (0..10) of a luminance factor Y (0..100), the D1535 polynomial turned round by table."""
    return np.interp(np.asarray(Y, np.float64), _TABLE_Y, _TABLE_V)


def lightness_from_luminance(Y: ArrayLike) -> NDArray[np.float64]:
    """L* (0..100) of a luminance factor Y (0..100). Source: CIE 15."""
    t = np.asarray(Y, np.float64) / 100
    return np.where(t > (6 / 29) ** 3, 116 * np.cbrt(t) - 16, t * (29 / 3) ** 3)


def luminance_from_lightness(L_star: ArrayLike) -> NDArray[np.float64]:
    """Luminance factor Y (0..100) of L* (0..100). Source: CIE 15."""
    L = np.asarray(L_star, np.float64)
    return 100 * np.where(L > 8, ((L + 16) / 116) ** 3, L * (3 / 29) ** 3)


def grey_srgb(value: ArrayLike) -> NDArray[np.uint8]:
    """8-bit sRGB level (0..255) of a neutral grey of a Munsell value. Source: IEC 61966-2-1."""
    linear = np.clip(luminance_from_munsell(value) / 100, 0, 1)
    encoded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.round(encoded * 255).astype(np.uint8)


def grey_hex(value: float) -> str:
    """The grey of a Munsell value as `#rrggbb`."""
    level = int(grey_srgb(value))
    return f"#{level:02x}{level:02x}{level:02x}"
