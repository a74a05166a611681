"""The whole: what a plan comes to when its last coat is dry, beside what was aimed at, glow, wear and metal included,
and all the time it takes. This is what is promised."""

from dataclasses import dataclass

import numpy as np

from ..coat.coat import Coat
from ..paint.colour import delta_e, lab, xyz
from ..plain import plain, rounded
from ..results import digest, result
from ..target.attention import attention_of
from .context import Context
from .economy.bands import banding
from .economy.grounds import seen_of_cups, times_of_coats

NEAR, NEARLY = 5.0, 8.0  # ΔE00


@dataclass(frozen=True)
class Whole:
    """near_5, near_8: the share of all that is marked and that a brush reaches that ends within ΔE00 5 and 8 of what
    it should look like; near_5_weighted: the same, weighted by attention. bands: see economy.bands.
    minutes_door_to_door: of hands; wait_minutes: of drying beside them. seen_of_cups: of every sprayed coat its label
    and the share of its area where it is still seen."""

    near_5: float = rounded(4)
    near_8: float = rounded(4)
    near_5_weighted: float = rounded(4)
    bands: float = rounded(3)
    minutes_door_to_door: float = rounded(1)
    wait_minutes: float = rounded(1)
    seen_of_cups: tuple[tuple[str, float], ...] = ()

    @property
    def words(self) -> str:
        """In a sentence."""
        return (
            f"When all is done {100 * self.near_5_weighted:.0f} % is near its colour (ΔE 5), "
            f"{100 * self.near_8:.0f} % within 8."
        )


def _kept(context: Context) -> list[Coat]:
    return [c for c in context.plan.coats if not c.muted]


@result(
    most=4,
    depends=lambda context: digest(
        context.target_key(), context.simulation.chain(_kept(context))[-1], plain(context.tools)
    ),
)
def whole_of(context: Context) -> Whole | None:
    """What a plan whose coats are all laid comes to; None where nothing is marked."""
    site, coats = context.site, _kept(context)
    judged = (site.labels > 0) & site.paintable & (site.areas > 0)
    for coat, film in zip(coats, context.simulation.films(coats), strict=True):
        if coat.stage == "finish" and not coat.mix.clear:  # the rim of a base is framed, not aimed at
            judged &= film <= 0
    looked_at = np.flatnonzero(judged)
    if not len(looked_at) or not coats:
        return None
    seen, wanted = context.simulation.reflectance(coats), context.target().lab
    off = delta_e(lab(xyz(seen[looked_at])), wanted[looked_at])
    mm2 = site.areas[looked_at].astype(np.float64)
    weight = mm2 * attention_of(site)[site.labels[looked_at]]
    times = times_of_coats(context, coats)
    return Whole(
        float(mm2[off <= NEAR].sum() / mm2.sum()),
        float(mm2[off <= NEARLY].sum() / mm2.sum()),
        float(weight[off <= NEAR].sum() / weight.sum()),
        banding(site, seen, wanted, judged),
        times.work,
        times.wait,
        tuple(seen_of_cups(context, coats)),
    )
