"""Pigments: the absorption and scattering of a paint, from a swatch and its hiding power or from a drawdown."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..datasets import rows
from ..errors import SettingError
from .colour import DARKEST, LIGHTEST, reflectance_from_hex, xyz
from .film import (
    BLACK_CARD,
    WHITE_CARD,
    above_the_skin,
    absorption_over_scattering,
    below_the_skin,
    contrast_ratio,
    film,
    masstone,
)

NORMAL_COAT_UM = 20.0  # dry, brushed: common practice, from memory
HIDING = {row["class"]: float(row["contrast_ratio"]) for row in rows("hiding")}
LEAST_HIDING, MOST_HIDING = 0.03, 0.99999
THINNEST, THICKEST = 1e-6, 1e4  # S times thickness that is searched


@dataclass(frozen=True)
class Pigment:
    """K, S: (36,) absorption and scattering per µm of dry film."""

    K: NDArray[np.float64]
    S: NDArray[np.float64]

    @property
    def masstone(self) -> NDArray[np.float64]:
        """(36,) reflectance of a coat that hides wholly."""
        return masstone(self.K, self.S)

    def film(self, thickness: NDArray | float, under: NDArray) -> NDArray[np.float64]:
        """(..., 36) reflectance of films of so many µm (...) over what is under it (..., 36)."""
        return film(self.K, self.S, thickness, under)

    def contrast_ratio(self, thickness: float) -> float:
        """How well so many µm hide; see film.contrast_ratio."""
        return contrast_ratio(self.K, self.S, thickness)


@lru_cache(1024)  # the same bottle comes back from the shelf with every page
def from_swatch(colour: str, hiding: float, coat_um: float = NORMAL_COAT_UM, *, skin: bool = False) -> Pigment:
    """A pigment whose masstone is `#rrggbb` and whose one coat of `coat_um` µm has the contrast ratio `hiding`.

    Scattering is taken as equal on all bands; its size is what the hiding power leaves open.

    Args:
        skin: correct for reflection at the film's surface (Saunderson); see film.above_the_skin for why not.
    Raises:
        SettingError: a hiding power that no paint has, or a thickness that is none.
    """
    from scipy.optimize import brentq

    if not (np.isfinite(hiding) and LEAST_HIDING <= hiding <= MOST_HIDING):
        raise SettingError(
            f"hiding is the contrast ratio of one coat, between {LEAST_HIDING:g} and just under 1 (such as "
            f"{HIDING['opaque']:g}), not {hiding:g}"
        )
    if not (np.isfinite(coat_um) and coat_um > 0):
        raise SettingError(f"a coat has a thickness in µm, such as {NORMAL_COAT_UM:g}, not {coat_um:g}")
    swatch = reflectance_from_hex(colour)
    ratio = absorption_over_scattering(np.clip(below_the_skin(swatch), DARKEST, LIGHTEST) if skin else swatch)

    def off(log_size: float) -> float:
        S = np.full_like(ratio, np.exp(log_size))
        black, white = (film(ratio * S, S, 1.0, np.full_like(ratio, c)) for c in (BLACK_CARD, WHITE_CARD))
        if skin:
            black, white = above_the_skin(black), above_the_skin(white)
        return float(xyz(black)[1] / xyz(white)[1]) - hiding

    low, high = np.log(THINNEST), np.log(THICKEST)
    if off(high) < 0 or off(low) > 0:
        raise SettingError(f"no paint of the colour {colour} can hide {hiding:g} in one coat")
    size = float(np.exp(brentq(off, low, high, xtol=1e-10))) / coat_um
    S = np.full_like(ratio, size)
    return Pigment(ratio * S, S)


@lru_cache(1024)
def from_drawdown(over_black: str, over_white: str, coat_um: float) -> Pigment:
    """A pigment from two measured colours of one coat: over the black and over the white card.

    Both constants follow on every band; no masstone is needed. Source: Kubelka (1948), solved for two grounds.

    Raises:
        SettingError: the thickness is none, or the colour over white is darker than over black.
    """
    if not (np.isfinite(coat_um) and coat_um > 0):
        raise SettingError(f"a drawdown has a thickness in µm, such as {NORMAL_COAT_UM:g}, not {coat_um:g}")
    R, W = reflectance_from_hex(over_black), reflectance_from_hex(over_white)
    return from_grounds(R, W, np.full_like(R, BLACK_CARD), np.full_like(R, WHITE_CARD), coat_um)


def from_grounds(R: NDArray, W: NDArray, g: NDArray, h: NDArray, coat_um: float) -> Pigment:
    """A pigment from reflectances (36,) of one coat, R over a dark ground of reflectance g and W over a light one h.

    Source: Kubelka (1948), solved for two grounds.

    Raises:
        SettingError: the colour over the light ground is darker than over the dark one.
    """
    if xyz(W)[1] < xyz(R)[1]:
        raise SettingError("the colour over the white card is darker than over the black one; were the two swapped?")
    W = np.maximum(W, R + 1e-4)  # a film never darkens black more than white; rounding of screen colours may
    # both grounds give one value of b·coth(bSd); that is one linear equation in a
    p, q = R - g, W - h
    a = ((1 + R * g) * q - (1 + W * h) * p) / ((R + g) * q - (W + h) * p)
    a = np.maximum(np.where(np.isfinite(a), a, 1e3), 1 + 1e-6)
    b = np.sqrt(a * a - 1)
    coth = (1 + W * h - a * (W + h)) / np.where(np.abs(q) > 1e-9, q, 1e-9)
    ratio = np.clip(b / np.maximum(coth, b * (1 + 1e-9)), 1e-9, 1 - 1e-9)  # tanh(bSd)
    S = np.maximum(np.arctanh(ratio) / b / coat_um, 1e-9)
    return Pigment((a - 1) * S, S)


def mixed(pigments: Sequence[Pigment], volumes: Sequence[float]) -> Pigment:
    """The mix of pigments by volume: K and S add up. Source: Duncan (1940).

    Raises:
        SettingError: nothing is mixed, or a volume is negative.
    """
    share = np.asarray(volumes, np.float64)
    if not len(share) or not np.isfinite(share).all() or (share < 0).any() or share.sum() <= 0:
        raise SettingError("a mix needs at least one part of some paint")
    share = share / share.sum()
    return Pigment(
        np.tensordot(share, np.stack([p.K for p in pigments]), 1),
        np.tensordot(share, np.stack([p.S for p in pigments]), 1),
    )
