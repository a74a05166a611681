"""Several photos of one model at one step, judged together."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ..errors import SettingError
from .compare import Comparison, RegionOff

DISAGREE = 0.8  # steps by which two photos differ on a region: one of them is wrong
MEASURES = ("value_off", "shadows", "lights", "spread", "de00", "chroma_off", "hue_off", "value", "chroma")


def merged(comparisons: Sequence[Comparison]) -> Comparison:
    """What several photos say together: of each spot the middle of what they say, of each region the mean by what
    is in sight of it.

    Raises:
        SettingError: there is none, or they are of different surfaces.
    """
    if not comparisons or len({len(c.off) for c in comparisons}) != 1:
        raise SettingError("these photos are not of one sculpt; check them again")
    offs = np.stack([c.off for c in comparisons])
    seen = np.isfinite(offs).any(axis=0)
    off = np.full(offs.shape[1], np.nan, np.float32)
    off[seen] = np.nanmedian(offs[:, seen], axis=0)
    numbers = sorted({r.number for c in comparisons for r in c.regions})
    regions = tuple(_together([r for c in comparisons for r in c.regions if r.number == n]) for n in numbers)
    known = [c.overall for c in comparisons if c.overall is not None]
    return replace(comparisons[0], off=off, regions=regions, overall=float(np.mean(known)) if known else None)


def _together(of_region: Sequence[RegionOff]) -> RegionOff:
    weight = np.array([r.mm2 for r in of_region])
    means: dict[str, Any] = {
        m: float(np.average([getattr(r, m) for r in of_region], weights=weight)) for m in MEASURES
    }
    edges = [(r.edges, r.mm2) for r in of_region if r.edges is not None]
    lined = float(np.average([e for e, _ in edges], weights=[w for _, w in edges])) if edges else None
    return replace(of_region[0], **means, mm2=float(weight.max()), edges=lined)


def disagreements(comparisons: Sequence[Comparison]) -> list[str]:
    """The regions of which photos say different things, in sentences."""
    out = []
    for number, name in sorted({(r.number, r.name) for c in comparisons for r in c.regions if r.number}):
        offs = [r.value_off for c in comparisons for r in c.regions if r.number == number]
        if max(offs) - min(offs) > DISAGREE:
            out.append(
                f"The photos disagree on {name} by {max(offs) - min(offs):.1f} steps: a shadow or a shine lies on it."
            )
    return out
