"""Care: how long the hand takes over a coat, by how it is laid, in how many coats, and how closely it is looked
at."""

from functools import cache
from math import log2
from typing import Any

from ...coat.technique import Technique
from ...datasets import rows
from ...datasets.materials import material_called
from ...sculpt.marking import ATTENTION, suggested_attention
from ...sculpt.site import Site


@cache
def care(name: str) -> float:
    """A number of the table `care.csv`, with its source there."""
    return next(float(row["value"]) for row in rows("care") if row["name"] == name)


def care_of(site: Site, region: int) -> float:
    """Times the time of a brush on the region of an id; 1 where a coat is for none, or for one that is gone."""
    looked_at = next((r for r in site.marking.regions if r.id == region), None)
    if looked_at is None:
        return 1.0
    attention = suggested_attention(looked_at)
    return care(
        "focal thing" if attention == ATTENTION[0] and not material_called(looked_at.material).drawn else attention
    )


def nth_share(n: int) -> float:
    """The share of a step's time at one model that it takes at the n-th in a row, from 1: each time their number
    doubles, it takes so much less. Source: the learning curve, T. P. Wright (1936); its rate is in the table."""
    return float(n ** log2(care("practice")))


def times_for(models: int) -> float:
    """How often the time at one model a step takes at so many in a row."""
    return sum(nth_share(n) for n in range(1, models + 1))


def hand_minutes(
    by: Technique, settings: Any, mm2: float, spotted: bool, coats: float = 1, times: float = 1.0
) -> float:
    """Minutes at one model for all coats of a step on so many mm². spotted: on spots, which the brush has to find.
    times: the care it is laid with, where the technique takes any."""
    one = by.hand_minutes(settings, mm2, spotted) * (times if by.careful else 1.0)
    return one * (1 + care("again") * (coats - 1))
