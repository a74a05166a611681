"""Groups: the samples of every region by the value they should have. Within a region the target is nearly a curve
over value, so a group is one colour."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...sculpt.mesh import summed
from ...target.attention import attention_of
from ..context import Context
from ..steps.care import care_of

BIN = 0.1  # of a value
MOST_BINS = 48  # of one region; a wider range has wider ones


@dataclass(frozen=True)
class Group:
    """One region's groups, dark to light. number: of the region. lab: (B, 3) what each should look like. mm2: (B,).
    weight: (B,) share of the whole, weighted by attention. samples: (n,) the region's samples; bin: (n,) group of
    each. ground: (36,) the reflectance of what it is painted over. care: times the time of a brush on it."""

    number: int
    lab: NDArray[np.float64]
    mm2: NDArray[np.float64]
    weight: NDArray[np.float64]
    samples: NDArray[np.int64]
    bin: NDArray[np.int64]
    ground: NDArray[np.float64]
    care: float = 1.0

    @property
    def whole(self) -> float:
        """mm² of the region."""
        return float(self.mm2.sum())


def groups_of(context: Context, numbers: list[int]) -> list[Group]:
    """The groups of some regions; regions of which nothing can be painted are left out."""
    target, site = context.target("metal"), context.site
    lab, value, areas, labels = target.lab, target.value, site.areas.astype(np.float64), site.labels
    attention, under, found = attention_of(site), context.seen_before("colour"), []
    for number in numbers:
        mask = np.flatnonzero((labels == number) & (areas > 0))
        if not len(mask):
            continue
        mine, low = value[mask], float(value[mask].min())
        width = max(BIN, float(np.ptp(mine)) / MOST_BINS)
        raw = ((mine - low) / width).astype(np.int64)
        _, bins = np.unique(raw, return_inverse=True)
        count, weight = int(bins.max()) + 1, areas[mask]
        mm2 = summed(bins, weight, count)
        mean = np.stack([summed(bins, weight * lab[mask, k], count) for k in range(3)], axis=1) / mm2[:, None]
        ground = np.average(under[mask].astype(np.float64), axis=0, weights=weight)
        care = care_of(site, site.marking.ids[number])
        found.append(Group(number, mean, mm2, mm2 * attention[number], mask, bins, ground, care))
    whole = sum(float(g.weight.sum()) for g in found)
    return [replace(g, weight=g.weight / whole) for g in found]
