"""Colour: from a swatch to a reflectance on 36 bands and back, under three illuminants, and how far two colours are
apart."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, lru_cache

import numba
import numpy as np
from numpy.typing import ArrayLike, NDArray

from ..datasets import rows
from ..errors import SettingError
from ..plain import rounded
from .value import munsell_from_luminance

BANDS = 36  # 380 to 730 nm, every 10
ILLUMINANTS = ("daylight", "lamp", "dusk")  # CIE D65, CIE A (a warm bench lamp), the daylight series at 9000 K
# Nothing painted is blacker than soot in matt medium or whiter than the best titanium white.
DARKEST, LIGHTEST = 0.004, 0.96
WHITE_XYZ = np.array([0.95047, 1.0, 1.08883])  # CIE D65, 2 degrees
RGB_TO_XYZ = np.array(  # IEC 61966-2-1
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
XYZ_TO_RGB = np.linalg.inv(RGB_TO_XYZ)
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
_CONES = _BRADFORD @ RGB_TO_XYZ
_CONES /= _CONES.sum(axis=1, keepdims=True)
_HEX = re.compile(r"#?([0-9a-fA-F]{6})")
_AT_A_TIME = 4096  # of a whole model: what is worked with stays near the processor, and a copy of all takes no room
_CELLS = 4096  # of light from none to full: so narrow that no level of a screen begins and ends within one


@lru_cache(maxsize=1)
def bands() -> dict[str, NDArray[np.float64]]:
    """The tables of bands.csv by column: nm; red, green, blue (Mallett and Yuksel 2019, a basis of reflectances for
    sRGB); x, y, z (CIE 1931 2 degree observer); and the three illuminants."""
    table = rows("bands")
    return {name: np.array([row[name] for row in table], np.float64) for name in table[0]}


@lru_cache(maxsize=len(ILLUMINANTS))
def _weights(illuminant: str) -> NDArray[np.float64]:
    """(36, 3): a reflectance times these is its XYZ under an illuminant, seen by an eye that takes it for white.

    A perfect white gives WHITE_XYZ under every illuminant: the eye adapts (Bradford; CIE 159), as a painter's does.
    """
    if illuminant not in ILLUMINANTS:
        raise SettingError(f"light to look by is one of {', '.join(ILLUMINANTS)}")
    table = bands()
    raw = np.stack([table[illuminant] * table[axis] for axis in "xyz"], axis=1)
    raw /= raw[:, 1].sum()
    cone_white = _BRADFORD @ raw.sum(axis=0)
    adapt = np.linalg.inv(_BRADFORD) @ np.diag((_BRADFORD @ WHITE_XYZ) / cone_white) @ _BRADFORD
    weights = raw @ adapt.T
    if illuminant == "daylight":
        # 36 bands miss a little of the observer's shape; the smallest change that makes the basis come out as sRGB
        # again
        basis = np.stack([table["red"], table["green"], table["blue"]])
        weights = weights + basis.T @ np.linalg.solve(basis @ basis.T, RGB_TO_XYZ.T - basis @ weights)
    return weights


def rgb_from_hex(colour: str) -> NDArray[np.float64]:
    """(3,) sRGB 0..1 of `#rrggbb`.

    Raises:
        SettingError: not written like that.
    """
    match = _HEX.fullmatch(colour.strip())
    if not match:
        raise SettingError(f"a colour is written #rrggbb, such as #8a4b2d, not '{colour[:40]}'")
    return np.array([int(match[1][k : k + 2], 16) for k in (0, 2, 4)]) / 255


def linear(rgb: ArrayLike) -> NDArray[np.float64]:
    """Light (0..1) of sRGB values (0..1). Source: IEC 61966-2-1."""
    v = np.asarray(rgb, np.float64)
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4)


def encoded(light: ArrayLike) -> NDArray[np.float64]:
    """sRGB values (0..1) of light, clipped to what a screen can show. Source: IEC 61966-2-1."""
    v = np.clip(np.asarray(light, np.float64), 0, 1)
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * v ** (1 / 2.4) - 0.055)


@cache
def _beginnings() -> tuple[NDArray[np.int16], NDArray[np.float64]]:
    """(_CELLS + 1,) the level that each cell of light begins with, and (256,) the least light of each level after
    that, to the last bit; none is after the last."""
    wanted, dark, light = np.arange(1, 256), np.zeros(255), np.ones(255)
    while (((middle := (dark + light) / 2) > dark) & (middle < light)).any():
        reached = np.round(255 * encoded(middle)) >= wanted
        dark, light = np.where(reached, dark, middle), np.where(reached, middle, light)
    first = np.searchsorted(light, np.arange(_CELLS + 1) / _CELLS, side="right")
    return first.astype(np.int16), np.append(light, np.inf)


def screen_levels(light: ArrayLike) -> NDArray[np.uint8]:
    """8-bit sRGB levels of light (0..1), clipped to what a screen can show: those of `encoded`, looked up in a
    table."""
    v = np.asarray(light)
    v = v if v.dtype == np.float32 else v.astype(np.float64)
    out = np.empty(v.shape, np.uint8)
    _levels(v.ravel(), *_beginnings(), out.ravel())
    return out


@numba.njit(cache=True, nogil=True)
def _levels(light, first, least, out):
    for n in range(len(light)):
        at = light[n]
        if at >= 1:
            out[n] = 255
        elif at > 0:
            low = first[int(at * _CELLS)]
            out[n] = low + 1 if at >= least[low] else low
        else:
            out[n] = 0


def screen_hex(light: ArrayLike) -> str:
    """`#rrggbb` of light (3,)."""
    return "#{:02x}{:02x}{:02x}".format(*screen_levels(light))


def cones(light: NDArray) -> NDArray[np.float64]:
    """(..., 3) what the eye's three receptors get of linear RGB (..., 3): in these, not in red, green and blue, a
    gain for each takes the colour of a lamp away. Neutral light of 1 gives 1 in each. Source: Lam's (1985) Bradford
    transform, as in ICC.1 annex E."""
    return light @ _CONES.T


def from_cones(seen: NDArray) -> NDArray[np.float64]:
    """The other way round."""
    return seen @ np.linalg.inv(_CONES).T


def reflectance_from_rgb(rgb: ArrayLike) -> NDArray[np.float64]:
    """(..., 36) reflectance of an sRGB colour (..., 3), kept between what the darkest and the lightest paint can be.

    Source: Mallett and Yuksel (2019), Spectral Primary Decomposition for Rendering with sRGB Reflectance.
    """
    table = bands()
    basis = np.stack([table["red"], table["green"], table["blue"]])
    return np.clip(linear(rgb) @ basis, DARKEST, LIGHTEST)


def reflectance_from_hex(colour: str) -> NDArray[np.float64]:
    """(36,) reflectance of `#rrggbb`."""
    return reflectance_from_rgb(rgb_from_hex(colour))


def xyz(reflectance: NDArray, illuminant: str = "daylight") -> NDArray[np.float64]:
    """(..., 3) XYZ (Y of a perfect white = 1) of a reflectance (..., 36), the eye adapted to the illuminant."""
    weights = _weights(illuminant)
    if np.ndim(reflectance) != 2 or len(reflectance) <= _AT_A_TIME:
        return reflectance @ weights
    out = np.empty((len(reflectance), 3))
    for first in range(0, len(out), _AT_A_TIME):
        span = slice(first, first + _AT_A_TIME)
        np.matmul(reflectance[span].astype(np.float64), weights, out=out[span])
    return out


def lab(XYZ: NDArray) -> NDArray[np.float64]:
    """(..., 3) CIE L*a*b* (L* 0..100) of XYZ (..., 3). Source: CIE 15."""
    t = XYZ / WHITE_XYZ
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def rgb(XYZ: NDArray) -> NDArray[np.float64]:
    """(..., 3) sRGB 0..1 of XYZ (..., 3), clipped to what a screen can show."""
    return encoded(XYZ @ XYZ_TO_RGB.T)


def levels_of(XYZ: NDArray) -> NDArray[np.uint8]:
    """(..., 3) the same in 8-bit levels."""
    return screen_levels(XYZ @ XYZ_TO_RGB.T)


@dataclass(frozen=True)
class Colour:
    """A predicted colour: as a screen shows it, as CIE counts it, and its Munsell value."""

    hex: str
    L: float = rounded(2)
    a: float = rounded(2)
    b: float = rounded(2)
    value: float = rounded(2)

    @property
    def lab(self) -> NDArray[np.float64]:
        """(3,) L*a*b*."""
        return np.array([self.L, self.a, self.b])

    @property
    def chroma(self) -> float:
        """How far from grey: C*ab."""
        return float(np.hypot(self.a, self.b))


def colour_of(reflectance: NDArray, illuminant: str = "daylight") -> Colour:
    """The colour of one reflectance (36,)."""
    XYZ = xyz(reflectance, illuminant)
    L, a, b = lab(XYZ).tolist()
    return Colour(screen_hex(XYZ @ XYZ_TO_RGB.T), L, a, b, float(munsell_from_luminance(100 * XYZ[1])))


def colour_of_hex(colour: str) -> Colour:
    """A screen colour, counted."""
    XYZ = linear(rgb_from_hex(colour)) @ RGB_TO_XYZ.T
    L, a, b = lab(XYZ).tolist()
    return Colour("#" + colour.strip().lstrip("#").lower(), L, a, b, float(munsell_from_luminance(100 * XYZ[1])))


def delta_e(first: ArrayLike, second: ArrayLike) -> NDArray[np.float64]:
    """CIEDE2000 difference of L*a*b* colours (..., 3); about 1 is just seen, 2 is seen side by side.

    Source: CIE 142; Sharma, Wu and Dalal (2005), whose pairs the tests use.
    """
    return np.asarray(_differences()(np.asarray(first, np.float64), np.asarray(second, np.float64)))


@cache
def _differences() -> Callable[..., NDArray[np.float64]]:
    """The kernel, loaded when colours are first compared: declaring it takes a quarter of a second."""
    return numba.guvectorize("(float64[:], float64[:], float64[:])", "(n),(n)->()", cache=True)(_delta_e)


def _delta_e(one, other, out):
    L1, a1, b1 = one[0], one[1], one[2]
    L2, a2, b2 = other[0], other[1], other[2]
    mean_c7 = ((np.sqrt(a1 * a1 + b1 * b1) + np.sqrt(a2 * a2 + b2 * b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean_c7 / (mean_c7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.sqrt(a1 * a1 + b1 * b1), np.sqrt(a2 * a2 + b2 * b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    turn = (h2 - h1 + 180) % 360 - 180
    if turn == -180 and h2 > h1:  # opposite hues: the standard counts upward
        turn = 180.0
    dL, dC = L2 - L1, c2 - c1
    dH = 0.0 if grey else 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    L, C = (L1 + L2) / 2, (c1 + c2) / 2
    h = h1 + h2
    if not grey:
        if abs(h1 - h2) > 180:
            h += 360 if h < 360 else -360
        h /= 2
    T = (
        1
        - 0.17 * np.cos(np.radians(h - 30))
        + 0.24 * np.cos(np.radians(2 * h))
        + 0.32 * np.cos(np.radians(3 * h + 6))
        - 0.20 * np.cos(np.radians(4 * h - 63))
    )
    SL = 1 + 0.015 * (L - 50) ** 2 / np.sqrt(20 + (L - 50) ** 2)
    SC, SH = 1 + 0.045 * C, 1 + 0.015 * C * T
    c7 = C**7
    RT = -2 * np.sqrt(c7 / (c7 + 25.0**7)) * np.sin(np.radians(60 * np.exp(-(((h - 275) / 25) ** 2))))
    out[0] = np.sqrt((dL / SL) ** 2 + (dC / SC) ** 2 + (dH / SH) ** 2 + RT * (dC / SC) * (dH / SH))
