"""Glazes: thin passes over a value sketch, what each adds and takes, and when to stop (CP-17)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..plain import Range, refuse_outside, rounded
from ..units import counted, number_word
from .colour import BANDS, lab, levels_of, xyz
from .mix import Mix, values_of
from .value import luminance_from_munsell

USUAL_SHARE = 0.7  # of the sketch's range of value that should be left
USUAL_THINNING = 4.0  # parts of water and medium to one of paint
SHARE = Range("the share to keep", 0.05, 1, step=0.05)
MOST_PASSES = 20
PASSES = Range("the number of passes", 1, MOST_PASSES, step=1, slide=12)
# a wicked brush leaves less than half of the film that a loaded one does: from memory, and so that ordinary paints
# glaze in two or
# three passes from ten parts to one on, as CP-17 has it
WICKED = 0.4
LEAST_PASSES = 3  # fewer are a coat, not a glaze
COVERING, LEAST_FOR_COVERING = ("base", "layer"), 10.0  # such paints glaze from ten parts to one on, CP-17
THINNEST = 30.0  # parts to one of paint: beyond that nothing is left to hold it together
THINNING = Range("the thinning", 0, 50, "parts to one of paint", step=0.5, slide=THINNEST)
NEVER = {
    "metallic": "its flakes lie over the sketch however thin it is",
    "texture": "it is a paste",
    "primer": "it is made to hide, and thinned that far it does not hold",
}
USUAL_SKETCH = (1.5, 3.5, 5.5, 7.5, 9.5)


@dataclass(frozen=True)
class Glaze:
    """Passes of a glaze over a strip of sketch values.

    hexes: (P + 1) lists of `#rrggbb`, the bare sketch first. value, chroma: (P + 1, V). left: (P + 1,) share of the
    sketch's range of value that is left. advised: the last pass that keeps the wanted share.
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
        sketch: Munsell values, at least two that differ. passes: how many, 1..20. thinning: parts of water and
        medium to one of paint: the film of a pass is WICKED of a coat's over one plus that. keep: share of the range
        of value to be kept, 0..1.
    Raises:
        SettingError: a setting outside its range.
    """
    values = np.sort(np.asarray(sketch, np.float64))
    if len(values) < 2 or not np.isfinite(values).all() or values[0] < 0 or values[-1] > 10 or np.ptp(values) < 0.1:
        raise SettingError("a sketch has at least two values between 0 and 10 that differ")
    refuse_outside(PASSES, passes)
    refuse_outside(THINNING, thinning)
    refuse_outside(SHARE, keep)
    film_um = WICKED * mix.coat_um / (1 + thinning)
    under = grey(values)
    layers = np.stack([mix.pigment.film(n * film_um, under) for n in range(passes + 1)])
    XYZ = xyz(layers)
    value = values_of(layers)
    chroma = np.hypot(*np.moveaxis(lab(XYZ)[..., 1:], -1, 0))
    left = np.ptp(value, axis=1) / np.ptp(value[0])
    keeps = np.flatnonzero(left >= keep)
    levels = levels_of(XYZ)
    hexes = [["#{:02x}{:02x}{:02x}".format(*spot) for spot in row] for row in levels.tolist()]
    return Glaze(values, hexes, value, chroma, left, int(keeps[-1]), film_um)


@dataclass(frozen=True)
class Advice:
    """How to thin a paint for glazing. water_to_one: parts of water and medium to one of paint, None where it never
    glazes. passes: that keep the wanted share. keeps: the share left after those. reason: in words."""

    water_to_one: float | None
    passes: int
    keeps: float = rounded(3)
    reason: str = ""


def thinning_for(mix: Mix, keep: float = USUAL_SHARE, sketch: Sequence[float] = USUAL_SKETCH) -> Advice:
    """The least thinning at which at least LEAST_PASSES passes keep the wanted share of a sketch's range of value.
    A paint that covers more than that still glazes, at its thinnest: what each pass leaves is said (CP-17).

    Raises:
        SettingError: the share is outside 0..1, or the sketch is none.
    """
    glaze(mix, sketch, 1, THINNEST, keep)  # what is asked for makes sense, or it is refused here
    if why := NEVER.get(mix.kind):
        return Advice(None, 0, 0.0, f"{mix.words()} never glazes: {why}.")
    first = LEAST_FOR_COVERING if mix.kind in COVERING else 0.0
    for thinning in np.arange(first, THINNEST + 0.5, 0.5 if first == 0 else 1.0):
        found = glaze(mix, sketch, MOST_PASSES, float(thinning), keep)
        if found.advised >= LEAST_PASSES:
            kept = float(found.left[found.advised])
            range_left = f"{found.advised} passes keep {100 * kept:.0f} % of the sketch's range"
            said = f"{thinning_words(float(thinning))}: {range_left}."
            return Advice(float(thinning), found.advised, kept, said)
    found = glaze(mix, sketch, LEAST_PASSES + 1, THINNEST, keep)
    each = ", ".join(f"{number_word(n).lower()} {100 * found.left[n]:.0f} %" for n in range(1, LEAST_PASSES + 2))
    said = (
        f"{thinning_words(THINNEST)}, and it takes more of the sketch than you want to lose: of its range one pass "
        f"after another keeps {each}. Stop when you like it, take a more transparent paint or an ink, or keep less."
    )
    return Advice(THINNEST, LEAST_PASSES, float(found.left[LEAST_PASSES]), said)


def thinning_words(thinning: float) -> str:
    """Parts of water and medium to one of paint, as it is counted out."""
    whole = 1 if thinning == round(thinning) else 2
    if thinning == 0:
        return "Straight from the bottle"
    paint, other = counted(whole, "drop", "drops"), round(whole * thinning)
    half = ", half and half" if other > 1 else ""
    return f"{paint} of paint to {other} of water and medium{half}"
