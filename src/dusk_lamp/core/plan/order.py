"""The order over the whole model: which region is painted when, and why there."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..coat.coat import Coat
from ..sculpt.site import Site

WHITE = 8.0  # a region whose lightest coat is lighter is a white one
FLOODING = ("wash", "oil")  # techniques that run where they want


@dataclass(frozen=True)
class Place:
    """Where a region comes in the order, and why. region: its number."""

    region: int
    why: str


def ordered(by_region: Mapping[int, Sequence[Coat]]) -> list[Place]:
    """The regions (numbers) with their coats, in the order they are painted.

    What floods comes first, since it runs onto its neighbours, then dark to light, so that a slip is covered by what
    comes after; metallics after washes, which dull them; whites last, because everything stains them (common
    practice, CP-24 and section 7).
    """
    places = []
    for number, coats in by_region.items():
        values = [c.mix.colour.value for c in coats] or [5.0]
        if max(values) >= WHITE and min(values) >= WHITE - 3:
            places.append(
                (3, min(values), Place(number, "last: everything stains a white; clean water, a brush of its own"))
            )
        elif any(c.mix.kind == "metallic" for c in coats):
            places.append((2, min(values), Place(number, "after all washes, which dull a metal")))
        elif any(c.technique in FLOODING for c in coats):
            places.append(
                (0, min(values), Place(number, "first: a wash runs onto its neighbours, which cover it later"))
            )
        else:
            places.append((1, min(values), Place(number, "dark to light: what comes after covers a slip")))
    return [place for _, _, place in sorted(places, key=lambda p: (p[0], p[1], p[2].region))]


def region_of(site: Site, coat: Coat) -> int:
    """The region that most of what a coat goes on belongs to."""
    if coat.where.kind == "region":
        return coat.where.number
    own = site.on(coat.where)
    labels = site.labels if own is None else site.labels[own]
    return int(np.bincount(labels).argmax()) if len(labels) else 0
