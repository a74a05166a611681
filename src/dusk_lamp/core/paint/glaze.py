"""Glazes: thin passes over a value sketch, what each adds and takes, and when to stop (CP-17)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from .colour import BANDS, lab, rgb, xyz
from .mix import Mix, values_of
from .value import luminance_from_munsell

USUAL_SHARE = 0.7  # of the sketch's range of value that shall be left
USUAL_THINNING = 4.0  # parts of water and medium to one of paint
MOST_PASSES = 20


@dataclass(frozen=True)
class Glaze:
    """Passes of a glaze over a strip of sketch values.

    hexes: (P + 1) lists of `#rrggbb`, the bare sketch first. value, chroma: (P + 1, V). left: (P + 1,) share of the sketch's
    range of value that is left. advised: the last pass that keeps the wanted share.
    """

    sketch: NDArray[np.float64]
    hexes: list[list[str]]
    value: NDArray[np.float64]
    chroma: NDArray[np.float64]
    left: NDArray[np.float64]
    advised: int
    film_um: float


def grey(value: float | NDArray) -> NDArray[np.float64]:
    """(..., 36) reflectance of a neutral grey of a Munsell value."""
    return np.broadcast_to(
        np.asarray(luminance_from_munsell(value))[..., None] / 100, (*np.shape(value), BANDS)
    ).astype(np.float64)


def glaze(
    mix: Mix, sketch: Sequence[float], passes: int = 6, thinning: float = USUAL_THINNING, keep: float = USUAL_SHARE
) -> Glaze:
    """What thin passes make of every value of a sketch.

    Args:
        sketch: Munsell values, at least two that differ. passes: how many, 1..20. thinning: parts of water and medium to one
        of paint: the film of a pass is a coat's over one plus that. keep: share of the range of value to be kept, 0..1.
    Raises:
        SettingError: a setting outside its range.
    """
    values = np.sort(np.asarray(sketch, np.float64))
    if len(values) < 2 or not np.isfinite(values).all() or values[0] < 0 or values[-1] > 10 or np.ptp(values) < 0.1:
        raise SettingError("a sketch has at least two values between 0 and 10 that differ")
    if not 1 <= passes <= MOST_PASSES:
        raise SettingError(f"a glaze goes on in 1 to {MOST_PASSES} passes, not {passes}")
    if not (np.isfinite(thinning) and 0 <= thinning <= 50):
        raise SettingError(f"a glaze is thinned with 0 to 50 parts to one of paint, not {thinning:g}")
    if not 0 < keep <= 1:
        raise SettingError(f"the share to keep is between 0 and 1, not {keep:g}")
    film_um = mix.coat_um / (1 + thinning)
    under = grey(values)
    layers = np.stack([mix.pigment.film(n * film_um, under) for n in range(passes + 1)])
    XYZ = xyz(layers)
    value = values_of(layers)
    chroma = np.hypot(*np.moveaxis(lab(XYZ)[..., 1:], -1, 0))
    left = np.ptp(value, axis=1) / np.ptp(value[0])
    keeps = np.flatnonzero(left >= keep)
    levels = np.round(rgb(XYZ) * 255).astype(int)
    hexes = [["#{:02x}{:02x}{:02x}".format(*spot) for spot in row] for row in levels.tolist()]
    return Glaze(values, hexes, value, chroma, left, int(keeps[-1]), film_um)
