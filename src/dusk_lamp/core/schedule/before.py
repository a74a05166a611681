"""What comes before what: coats that lie on each other, and the order of the craft between those that do not."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..plan.steps.order import WHOLE_MODEL, rank_of, region_of
from ..sculpt.site import Site

SHARED = 0.02  # of the smaller of two coats: less is an edge that they have in common


@dataclass(frozen=True)
class Before:
    """Coat number `coat` comes before another. over: whether that lies on it, so that it has to be dry."""

    coat: int
    over: bool


def before_each(site: Site, coats: Sequence[Coat], films: Sequence[NDArray[np.float32]]) -> list[list[Before]]:
    """For each coat those that come before it.

    One that lies on another waits for it to dry. What does not touch may be done in any order, but a region keeps its
    own (base, shades, lights), and washes that run
    onto their neighbours stay before, metals after, whites last, and what is common to the whole model at the end
    (CP-24, CP-34; see plan.order).
    """
    if not coats:
        return []
    on = np.stack([f > 0 for f in films]).astype(np.float32)
    areas = site.areas.astype(np.float32)
    shared = (on * areas) @ on.T
    alone = np.diag(shared)
    regions = [region_of(site, c) for c in coats]
    by_region: dict[int, list[Coat]] = {}
    for coat, number in zip(coats, regions, strict=True):
        if coat.stage == "colour":
            by_region.setdefault(number, []).append(coat)
    ranks = [
        rank_of(n, by_region[n]) if c.stage == "colour" and n != WHOLE_MODEL else None
        for c, n in zip(coats, regions, strict=True)
    ]
    out: list[list[Before]] = []
    for j in range(len(coats)):
        mine: list[Before] = []
        for i in range(j):
            if shared[i, j] > SHARED * min(alone[i], alone[j]) and shared[i, j] > 0:
                mine.append(Before(i, True))
            else:
                first, second = ranks[i], ranks[j]
                later = first is not None and second is not None and first < second
                if later or (coats[i].region == coats[j].region != 0):
                    mine.append(Before(i, False))
        out.append(mine)
    return out
