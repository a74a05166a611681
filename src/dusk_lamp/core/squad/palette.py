"""The scheme's puddles on another sculpt: its colours from the same mixes, so that a step is done on all models from
one puddle."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..coat.coat import Coat
from ..paint.colour import delta_e
from ..paint.mix import Mix
from ..plan.context import Context
from ..plan.economy.budget import Budget
from ..plan.economy.coats import WAY as ECONOMY
from ..plan.economy.given import coats_from
from ..plan.economy.grounds import minutes_around
from ..plan.economy.plan import economy, made_ready
from ..plan.features.colour.feature import FEATURE as COLOUR
from ..plan.registry import features
from ..plan.run import laid
from ..target.attention import attention_of

LEAST_MINUTES = 10.0  # that an exception is planned for
SNAP = 5.0  # ΔE00: a mix of a later stage so near to one of the scheme's is that one


def puddles_by_region(coats: Sequence[Coat]) -> dict[int, list[Mix]]:
    """The mixes of each region, by its id, of coats that were planned for a budget, in the order they are laid."""
    out: dict[int, list[Mix]] = {}
    for coat in coats:
        if coat.way == ECONOMY and not coat.muted:
            out.setdefault(coat.region, []).append(coat.mix)
    return {k: list(dict.fromkeys(v)) for k, v in out.items()}


def with_puddles(context: Context, scheme: Sequence[Coat], takes_after: Mapping[int, int]) -> Context:
    """A carried plan with all its coats, its colours from the scheme's puddles.

    Args:
        scheme: the coats of the scheme's own plan. takes_after: id of the scheme's region by the id of the one here;
        what is an exception takes after none.

    A region that takes after none is planned by itself, in its share of the time; one that names a way, that way.
    """
    by_region = puddles_by_region(scheme)
    budget = context.wishes("colour").budget
    if not by_region or budget is None:
        done, _ = laid(context)
        return _snapped(done, scheme, takes_after)
    others = tuple(name for name in features() if name not in ("prepare", "undercoat"))
    done, _ = laid(context.on(replace(context.plan, settled=others)))
    planned = COLOUR.planned(done)
    ids = done.site.marking.ids
    puddles_here = {n: by_region[takes_after[ids[n]]] for n in planned if takes_after.get(ids[n], 0) in by_region}
    coats = coats_from(done, puddles_here, budget)
    left = [n for n in planned if n not in puddles_here]
    if left:
        coats += _by_themselves(done, left, budget)
    done = done.with_coats([*done.plan.coats, *coats])
    for item in COLOUR.items(done):
        if item.way != ECONOMY:
            done = done.with_coats(COLOUR.painted(done, item))
    done = done.with_coats(COLOUR.in_order(done))
    done, _ = laid(done.on(replace(done.plan, settled=("prepare", "undercoat", "colour"))))
    return _snapped(done, scheme, takes_after)


def _by_themselves(context: Context, numbers: Sequence[int], budget: Budget) -> list[Coat]:
    """The coats of some regions planned in their share of the time, from any pots."""
    counts = attention_of(context.site)[context.site.labels] * context.site.areas
    share = float(counts[np.isin(context.site.labels, list(numbers))].sum() / max(float(counts.sum()), 1e-9))
    alone = replace(budget, puddles=None, pots=None, steps=None, steps_on={})
    ready = made_ready(context, alone, numbers=numbers)
    around = minutes_around(context)
    minutes = max(LEAST_MINUTES, (budget.minutes - around) * share) + around
    return list(economy(context, replace(alone, minutes=minutes), ready=ready).coats)


def _snapped(context: Context, scheme: Sequence[Coat], takes_after: Mapping[int, int]) -> Context:
    """The plan with mixes of the stages after the colours as the scheme has them, where they are nearly those."""
    out = []
    for coat in context.plan.coats:
        like = [
            c.mix
            for c in scheme
            if (c.stage, c.technique) == (coat.stage, coat.technique)
            and c.region == takes_after.get(coat.region, coat.region)
            and c.mix.clear == coat.mix.clear
        ]
        if coat.stage in ("undercoat", "colour") or not like or coat.mix in like or coat.mix.clear:
            out.append(coat)
            continue
        nearest = min(like, key=lambda m: _apart(m, coat.mix))
        out.append(replace(coat, mix=nearest) if _apart(nearest, coat.mix) <= SNAP else coat)
    return context.with_coats(out)


def _apart(one: Mix, other: Mix) -> float:
    return float(delta_e(one.colour.lab, other.colour.lab))
