"""Coats from puddles that are there: a region painted with some of the mixes that were made for another sculpt."""

from collections.abc import Mapping, Sequence

import numpy as np

from ...coat.coat import Coat
from ...paint.colour import lab, xyz
from ...paint.film import masstone
from ...paint.mix import Mix
from ..context import Context
from ..steps.order import interleaved, ordered, touching
from .budget import Budget
from .candidates import Candidates, scores
from .coats import coats_of
from .groups import groups_of
from .options import PRICES, Option, RegionPool


def candidates_from(mixes: Sequence[Mix]) -> Candidates:
    """Mixes of one or two paints as candidates, in their order."""
    pots = tuple(dict.fromkeys(p for m in mixes for p in m.paints))
    at = {p: k for k, p in enumerate(pots)}
    first = np.array([at[m.paints[0]] for m in mixes])
    second = np.array([at[m.paints[-1]] for m in mixes])
    parts = np.array([(m.parts[0], m.parts[1] if len(m.parts) > 1 else 0) for m in mixes])
    K, S = (np.stack([getattr(m.pigment, name) for m in mixes]).astype(np.float64) for name in "KS")
    return Candidates(pots, first, second, parts, lab(xyz(masstone(K, S))), K, S)


def coats_from(context: Context, puddles: Mapping[int, Sequence[Mix]], budget: Budget) -> list[Coat]:
    """The coats of regions, by their numbers, each from the puddles that are there for it: those that bring more than
    their minutes are worth, blended where the budget allows it.

    The dynamic programme is that of plan.economy; only the puddles are given.
    """
    groups = groups_of(context, [n for n, puddles_here in puddles.items() if puddles_here])
    by_region = {}
    for place, group in enumerate(groups):
        mixes = list(dict.fromkeys(m for m in puddles[group.number] if len(m.paints) <= 2))
        if not mixes:
            continue
        found = candidates_from(mixes)
        pool = list(range(len(mixes)))
        region = RegionPool(place, group, found, pool, scores(found, group), pool)
        options = [region.best(np.array(pool), price, budget.blends) for price in PRICES]
        best = max((o for o in options if o is not None), key=lambda o: _worth(o, budget), default=None)
        if best is not None:
            by_region[group.number] = coats_of(context, groups, found, best)
    return interleaved(by_region, ordered(by_region, touching(context.site)))


def _worth(option: Option, budget: Budget) -> float:
    return option.gain - budget.worth * option.minutes
