"""How near a region comes to what it should look like, and what is wrong where it does not."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..paint.colour import delta_e, lab, xyz
from ..paint.mix import nearest_mix
from ..plain import rounded
from .brief import BRUSHED, NEAR, Brief


@dataclass(frozen=True)
class Nearness:
    """How near a region is to what it should look like. within: share of its area within NEAR. mean: ΔE00 by area.
    lightness, chroma, hue: mean differences by area: too light, too vivid, ΔH without sign. words: in a sentence; ""
    where it is near enough."""

    within: float = rounded(4)
    mean: float = rounded(2)
    lightness: float = rounded(2)
    chroma: float = rounded(2)
    hue: float = rounded(2)
    words: str = ""


FINE, LIGHT, DARK, GREY, VIVID, HUE = range(6)  # what is wrong with a spot, most of all


ENOUGH = 0.85  # of the area near


def nearness(brief: Brief, seen: NDArray[np.float32]) -> Nearness:
    """How near reflectances (n, 36) of its own samples are to a task's target."""
    weight = brief.weight()
    got, wanted = lab(xyz(seen)), brief.lab[brief.mask]
    off = delta_e(got, wanted)
    mean = lambda x: float(np.average(x, weights=weight))  # noqa: E731
    within = float(weight[off <= NEAR].sum() / weight.sum())
    C, C_wanted = np.hypot(got[:, 1], got[:, 2]), np.hypot(wanted[:, 1], wanted[:, 2])
    apart = (got[:, 1] - wanted[:, 1]) ** 2 + (got[:, 2] - wanted[:, 2]) ** 2
    hue = np.sqrt(np.maximum(apart - (C - C_wanted) ** 2, 0))
    out = mean(got[:, 0] - wanted[:, 0]), mean(C - C_wanted), mean(hue)
    if within >= ENOUGH:
        return Nearness(within, mean(off), *out)
    far = off > NEAR
    middle = np.average(wanted[far], axis=0, weights=weight[far])
    said = _wrong_words(off, got, wanted, C, C_wanted, hue, weight)
    return Nearness(within, mean(off), *out, words=f"{said}; {_what_would_help(brief, middle)}")


def _what_would_help(brief: Brief, wanted: NDArray[np.float64]) -> str:
    """What comes near L*a*b* (3,): out of the rack where it can, else a paint that is not there."""
    paints = [p for p in brief.rack if p.kind in BRUSHED]
    if paints:
        mix = nearest_mix(wanted, paints, most=2)
        if delta_e(mix.colour.lab, wanted) <= NEAR:
            return f"a coat of {mix.words()} there would help"
    L, a, b = wanted
    return f"nothing on the rack comes near L* {L:.0f}, a* {a:.0f}, b* {b:.0f}: a paint like it would help"


def _wrong_words(
    off: NDArray, got: NDArray, wanted: NDArray, C: NDArray, C_wanted: NDArray, hue: NDArray, weight: NDArray
) -> str:
    """How much of it is not near, and what is wrong there, most of all."""
    far = off > NEAR
    mean = lambda x: float(np.average(x[far], weights=weight[far]))  # noqa: E731
    L, c, h = mean(got[:, 0] - wanted[:, 0]), mean(C - C_wanted), mean(hue)
    said = {
        abs(L): "too light" if L > 0 else "too dark",
        abs(c): "too vivid" if c > 0 else "too grey",
        h: "of another hue",
    }
    share = float(weight[far].sum() / weight.sum())
    return f"{100 * share:.0f} % of it is {said[max(said)]} (ΔE {mean(off):.0f})"


def wrong(got: NDArray, wanted: NDArray) -> NDArray[np.uint8]:
    """(N,) what is most wrong with L*a*b* colours (N, 3) beside those that are wanted; FINE where they are near."""
    C, C_wanted = (np.hypot(x[:, 1], x[:, 2]) for x in (got, wanted))
    L, c = got[:, 0] - wanted[:, 0], C - C_wanted
    hue = np.sqrt(np.maximum(((got - wanted)[:, 1:] ** 2).sum(axis=1) - c**2, 0))
    most = np.argmax(np.stack([np.abs(L), np.abs(c), hue]), axis=0)
    said = np.where(most == 0, np.where(L > 0, LIGHT, DARK), np.where(most == 1, np.where(c > 0, VIVID, GREY), HUE))
    return np.where(delta_e(got, wanted) <= NEAR, FINE, said).astype(np.uint8)
