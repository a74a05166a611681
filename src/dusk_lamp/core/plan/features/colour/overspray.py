"""Overspray: what a spray that is bound to one region lands on its neighbours, and whether masking or a brush costs
less (CP-30)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat
from ....coat.technique import technique
from ....plain import rounded
from ....sculpt.site import Site
from ....units import minutes_words
from ...steps.gradient import edge_mm

LANDS_UM = 1.0  # of dry film that is seen on a neighbour
LEAST_MM2 = 1.0  # of a neighbour that is worth a word
HIDES_COATS = 0.8  # of a normal coat laid over it later, and it is gone
TAPE_MM_A_MINUTE, TAPE_HANDLING = 25.0, 2.0  # masking along a rim, and taking it off; common practice, from memory


@dataclass(frozen=True)
class Overspray:
    """What lands beside. on: mm² by name of the region. hidden: share of it that a later coat covers. masking,
    brushing: minutes. words: in a sentence; "" where nothing is worth it."""

    on: dict[str, float]
    hidden: float = rounded(3, 1.0)
    masking: float = rounded(1, 0.0)
    brushing: float = rounded(1, 0.0)
    words: str = ""


def overspray(site: Site, coat: Coat, later: Sequence[Coat]) -> Overspray:
    """What a coat lands where it is not meant to. later: the coats that come after it."""
    mask = site.on(coat.where)
    if not coat.by.from_afar or mask is None:
        return Overspray({})
    beside = (coat.unbound(site, mask) > LANDS_UM) & ~mask
    areas = np.where(beside, site.areas, 0).astype(np.float64)
    names = ["the rest", *(r.name for r in site.marking.regions)]
    mm2 = np.bincount(site.labels, weights=areas, minlength=len(names))
    on = {names[k]: round(float(mm2[k]), 1) for k in np.argsort(-mm2, kind="stable") if mm2[k] >= LEAST_MM2}
    if not on:
        return Overspray({})
    hidden = float(areas[_covered(site, later)].sum() / areas.sum())
    masking = TAPE_HANDLING + edge_mm(site, mask) / TAPE_MM_A_MINUTE
    brush = technique("brush")
    brushing = brush.hand_minutes(brush.usual(coat.mix), float(site.areas[mask].sum()), False) - coat.by.hand_minutes(
        coat.settings, 0.0, False
    )
    where = ", ".join(f"{name} {mm:.0f} mm²" for name, mm in list(on.items())[:4])
    less = "masking" if masking < brushing else "brushing it instead"
    words = (
        f"Overspray on {where}, of which later coats hide {100 * hidden:.0f} %. Masking takes "
        f"{minutes_words(masking)}, a brush {minutes_words(max(brushing, 0))} more: {less} costs less."
        if hidden < 0.95
        else f"Overspray on {where}; later coats hide it."
    )
    return Overspray(on, hidden, masking, max(brushing, 0.0), words)


def _covered(site: Site, later: Sequence[Coat]) -> NDArray[np.bool_]:
    """(N,) where coats that come later hide what is there."""
    out = np.zeros(len(site), np.bool_)
    for coat in later:
        if not coat.muted:
            out |= coat.film(site) >= HIDES_COATS * coat.mix.coat_um
    return out
