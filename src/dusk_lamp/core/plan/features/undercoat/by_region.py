"""The plan by region: how much of each region every step of the ladder keeps in the end."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ....plain import plain
from ....sculpt.marking import Marking
from ....sculpt.surface import Surface
from ....target.greys import Bands


def steps_by_region(
    surface: Surface, marking: Marking, bands: Bands, paintable: NDArray[np.bool_]
) -> list[dict[str, Any]]:
    """Plain values for every region, and for the rest, which comes last as number 0: its area and its steps' areas,
    mm²."""
    rows = [*plain(marking.regions), {"name": "the rest", "material": None, "attention": None}]
    out = []
    for number, facts in zip([*range(1, len(rows)), 0], rows, strict=True):
        mask = (marking.labels == number) & paintable
        by_step = np.bincount(bands.step[mask], surface.areas[mask].astype(np.float64), minlength=len(bands.greys))
        out.append(
            {
                **facts,
                "number": number,
                "area_mm2": round(float(by_step.sum()), 1),
                "steps_mm2": [round(float(a), 1) for a in by_step],
            }
        )
    return out
