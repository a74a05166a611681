"""Plans for a budget: groups, candidates, options, choice, coats, and what they come to when they are simulated."""

import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ...coat.coat import Coat
from ...datasets.materials import material_called
from ...errors import SettingError
from ...paint.colour import delta_e, lab, xyz
from ...sculpt.mesh import evenly
from ...target.attention import attention_of
from ..brief import BRUSHED
from ..context import Context
from ..features.colour.needed import needed
from ..palette.puddles import Puddle, palette_for
from ..palette.share import palette_minutes
from ..steps.order import interleaved, ordered, touching
from ..steps.step import Step, steps_of
from .bands import banding
from .budget import Budget
from .candidates import Candidates, candidates_of, reaching_most, scores
from .choice import AnyOption, Choice, choice_minutes, choose
from .coats import coats_of
from .films import FilmOption, FilmRegion
from .grounds import minutes_around, times_of_coats
from .groups import Group, groups_of
from .options import PRICES, Known, RegionPool

Say = Callable[[str, float], None]
POT_COUNTS = (2, 4, 6, 8, 10, 12, 16)  # sets of pots that options are made of
POOL_SIZES = (6, 10, 15, 18, 22)  # puddles, that options share
PAIRS = (5, 8)  # of pots, whose mixes grow out of each other, in a pool
FEW = (2, 3, 5)  # puddles that one region would take by itself
PINNED_PRICES = tuple(0.1 * 0.45**k for k in range(14))  # the same where a number of steps is looked for
ONE_STEP = 10.0  # the price of a step that nobody pays twice
CLOSE = 3.0  # minutes: as good as what was asked for
SAFELY = 1.2  # times the minutes that coats took too long, that the next try leaves out
LEAST_LESS = 1.0  # minutes, that it then leaves out at least
TRIES = 4  # until the coats themselves keep within the time
EXCHANGES = 8  # of one pot for another, in a set, at most
OF_WHAT_IS_OUT, OF_ANY_POT = 8, 4  # further mixes that a region is tried with in each round
FEW_MORE = (2, 3, 6)  # of them at once
LEAST_LEFT = 5.0  # minutes, that something can be painted in
ROUNDS, LEAST_GAIN = 6, 0.002  # times that a choice is looked at again, and what one must bring
# at least so many steps on a face, and on anything else, in so many minutes; common practice, CP-35
FACE_STEPS, USUAL_STEPS = ((120.0, 4), (75.0, 3)), ((75.0, 2),)
USUAL_COSTS = 0.025  # of the weighted area near its colour, at most, that those may cost elsewhere
MOST_SPOTS = 4_000  # that coats are looked at on: a share is known to a thousandth
BAND_COSTS, MISSING = 0.15, 0.05  # share of near, that a ΔE00 of bands, and a bare region, count
FRONT = (30.0, 45.0, 60.0, 90.0, 120.0, 180.0, 300.0)  # minutes


@dataclass(frozen=True)
class Economy:
    """A plan for a budget. coats: in order, of the stage colour. under: what they lie on, primer and light, in
    under_minutes.
    puddles: the palette. pots: in the order they are needed. steps: as they are done. minutes: of hands door to door,
    from mould lines to the washed brush; wait: of drying beside them. cups: that are sprayed. near_5, near_8: share
    of the marked area within ΔE00 5 and 8 of what it should look like; near_5_weighted: the same, weighted by
    attention; mean_de. bands: see economy.bands. gap: of the choice.
    bare: names of regions that there was no time for. letter_of_step: the puddle of each."""

    budget: Budget
    coats: tuple[Coat, ...]
    puddles: tuple[Puddle, ...]
    pots: tuple[str, ...]
    steps: tuple[Step, ...]
    letters: tuple[str, ...]
    minutes: float
    near_5: float
    near_8: float
    near_5_weighted: float
    mean_de: float
    gap: float
    seconds: float
    bare: tuple[str, ...] = ()
    under: tuple[Coat, ...] = ()
    wait: float = 0.0
    cups: int = 0
    bands: float = 0.0
    under_minutes: float = 0.0

    @property
    def worth(self) -> float:
        """What two plans for one budget are compared by: near, and smooth."""
        return 0.7 * self.near_5_weighted + 0.3 * self.near_8 - BAND_COSTS * self.bands - MISSING * len(self.bare)

    @property
    def words(self) -> str:
        """In a sentence."""
        bare = f" No time for {', '.join(self.bare)}." if self.bare else ""
        return (
            f"{self.minutes:.0f} min door to door: {len(self.pots)} pots, {len(self.puddles)} puddles, "
            f"{len(self.under) + len(self.steps)} steps; "
            f"{100 * self.near_5_weighted:.0f} % near its colour (ΔE 5), {100 * self.near_8:.0f} % within 8.{bare}"
        )


@dataclass(frozen=True)
class Ready:
    """Groups, candidates and options of a context: all that does not depend on how much of anything there is."""

    groups: list[Group]
    found: Candidates
    near: list[NDArray[np.float32]]
    options: list[AnyOption]
    films: list[FilmRegion]
    seen: set[tuple[object, ...]]
    known: list[Known]
    steps_on: dict[int, int] = field(default_factory=dict)  # by the places of groups
    faces: frozenset[int] = frozenset()  # places of groups that are looked at first, and are skin
    least: dict[int, int] = field(default_factory=dict)  # steps that groups get where there are options for them
    around: float = 0.0  # minutes of all that is no colour: preparing, priming, light, what lies above


def economy(
    context: Context,
    budget: Budget | None = None,
    say: Say = lambda *_: None,
    numbers: Sequence[int] = (),
    ready: Ready | None = None,
) -> Economy:
    """The best plan for a budget over the undercoat that is there. numbers: of the regions, () for all. ready: what
    was made ready before, for the same pins.

    Raises:
        SettingError: nothing is marked, there is nothing to paint with, or pins that contradict each other.
    """
    began, budget = time.perf_counter(), budget or Budget()
    ready = _timed(context, ready or made_ready(context, budget, say, numbers))
    say(f"Choosing for {budget.minutes:.0f} minutes", 0.6)
    return _within(context, ready, budget, began)


def _within(context: Context, ready: Ready, budget: Budget, began: float) -> Economy:
    """A plan whose coats keep within the minutes as they are really laid, door to door. What is usual gives
    way where that costs too much, or leaves something bare."""
    left = budget.minutes - ready.around
    if left < LEAST_LEFT:
        raise SettingError(
            f"{budget.minutes:.0f} minutes are too few: what comes before and after the colours, priming and "
            f"cleaning up among it, takes {ready.around:.0f}; give it {ready.around + LEAST_LEFT:.0f} or more"
        )
    whole, budget = budget, replace(budget, minutes=left)
    chosen, ready = _chosen(ready, budget)
    usual, fuller = _with_usual_steps(chosen, ready, whole)
    best = _kept_within(context, fuller, usual, budget, began)
    if usual is not chosen or best is None or best.bare:
        other = _kept_within(context, ready, chosen, budget, began)
        if other is not None and (best is None or _costs_too_much(best, other)):
            best, fuller = other, ready
    if best is None:
        raise SettingError(
            "nothing can be painted within this: give it more minutes, or free the pin on pots, puddles or steps"
        )
    return replace(_without_needless(context, fuller, best), budget=whole)


def _costs_too_much(usual: Economy, other: Economy) -> bool:
    """Whether a plan of the usual steps is too far behind another, as the coats are really laid."""
    behind = max(other.near_5_weighted - usual.near_5_weighted, other.near_8 - usual.near_8)
    return behind > USUAL_COSTS or len(usual.bare) > len(other.bare)


def _kept_within(context: Context, ready: Ready, chosen: Choice, budget: Budget, began: float) -> Economy | None:
    """The best plan whose coats keep within the minutes, from a choice on; None where none of them does."""
    within, best = budget, None
    for _ in range(TRIES):
        if not chosen.options:
            break
        made = _made(context, ready, chosen, budget, time.perf_counter() - began)
        over = made.minutes - budget.minutes - ready.around  # the real coats take longer than was counted, or less
        if over <= 0 and (best is None or made.worth > best.worth):
            best = made
        wants_more = choice_minutes(ready.found, chosen.options) > within.minutes - CLOSE
        if -CLOSE <= over <= 0 or (over < 0 and not wants_more):
            break
        less = max(SAFELY * over, LEAST_LESS) if over > 0 else over
        within = replace(within, minutes=max(within.minutes - less, 1.0))
        chosen = choose(ready.found, _not_flat(ready), within, known=chosen if over < 0 else None)
    return best


def front(
    context: Context, budgets: Sequence[Budget], say: Say = lambda *_: None, numbers: Sequence[int] = ()
) -> list[Economy]:
    """A plan for each of some budgets, which differ in their numbers only; with more time never a worse one."""
    ready = made_ready(context, budgets[0], say, numbers)
    out: list[Economy] = []
    for k, budget in enumerate(sorted(budgets, key=lambda b: b.minutes)):
        say(f"Choosing for {budget.minutes:.0f} minutes", 0.4 + 0.55 * k / len(budgets))
        out.append(no_worse(economy(context, budget, ready=ready), out))
    return out


def no_worse(made: Economy, before: Sequence[Economy]) -> Economy:
    """A plan, or the last of those made for less time, where that is better and within its budget, too."""
    last = before[-1] if before else made
    near = [(e.near_5_weighted, e.near_8) for e in (last, made)]
    return replace(last, budget=made.budget) if near[0] > near[1] and _fits(last, made.budget) else made


def _fits(made: Economy, budget: Budget) -> bool:
    return (
        made.minutes <= budget.minutes
        and len(made.pots) <= (budget.pots or 10**6)
        and len(made.puddles) <= (budget.puddles or 10**6)
        and len(made.steps) <= (budget.steps or 10**6)
    )


def made_ready(context: Context, budget: Budget, say: Say = lambda *_: None, numbers: Sequence[int] = ()) -> Ready:
    """Groups, candidates and options for the pins of a budget, whatever its numbers.

    Raises:
        SettingError: see economy.
    """
    site = context.site
    say("Grouping what it should look like", 0.02)
    groups = groups_of(context, list(numbers) or list(range(1, len(site.marking.regions) + 1)))
    if not groups:
        raise SettingError("mark the regions first: a plan is made for what is marked")
    names = {n.casefold() for n in budget.only}
    paints = [p for p in context.rack if p.kind in BRUSHED and (not names or p.name.casefold() in names)]
    if budget.only and not paints:
        raise SettingError(
            f"none of the pinned pots is a base or layer paint on the rack: {', '.join(budget.only)[:80]}"
        )
    say("Looking at every pot and every mix of two", 0.05)
    found = candidates_of(paints, groups)
    near = [scores(found, g) for g in groups]
    say("Choosing pots and puddles", 0.15)
    pools = _pools(found, groups, near, budget)
    ids = site.marking.ids
    pinned = {r: n for r, g in enumerate(groups) if (n := budget.steps_on.get(str(ids[g.number])))}
    looked_at = [site.marking.regions[g.number - 1] for g in groups]
    faces = frozenset(
        r
        for r, region in enumerate(looked_at)
        if region.attention == "focal point" and material_called(region.material).drawn
    )
    films = [FilmRegion(context, r, g, found) for r, g in enumerate(groups)]
    ready = Ready(
        groups,
        found,
        near,
        [],
        films,
        set(),
        [Known() for _ in groups],
        pinned,
        faces - pinned.keys(),
    )
    pool = sorted({p for pool in pools for p in pool})
    for r, group in enumerate(groups):
        say(f"Ways to paint {site.marking.regions[group.number - 1].name}", 0.2 + 0.2 * r / len(groups))
        neat = np.array([k for k in pool if found.neat(k)], np.int64) if budget.neat else np.zeros(0, np.int64)
        region = RegionPool(r, group, found, pool, near[r], _few(near[r] * group.weight, neat, 2), ready.known[r])
        _add(ready, region, pools, budget)
        if not budget.neat:
            _add_films(ready, r, None)
    _as_pinned(ready)
    if not ready.options:
        raise SettingError("no region can be painted with these pins; let bases be mixed, or pin fewer pots")
    return ready


def _timed(context: Context, ready: Ready) -> Ready:
    """With the minutes of the coats of the plan that are no colours."""
    return replace(ready, around=minutes_around(context))


def share_of_films(context: Context, ready: Ready, budget: Budget) -> float:
    """Of the weighted area, what a first choice would paint so that the light below shows through."""
    left = budget.minutes - _timed(context, ready).around
    if left < LEAST_LEFT:
        return 0.0
    chosen = choose(ready.found, ready.options, replace(budget, minutes=left))
    through = [o for o in chosen.options if isinstance(o, FilmOption) and not o.covers(ready.found)]
    return sum(float(ready.groups[o.region].weight.sum()) for o in through)


def _add(ready: Ready, region: RegionPool, pools: Sequence[Sequence[int]], budget: Budget) -> None:
    """Options of a region with the puddles of some pools, from many steps to few; those that are new."""
    for pots in sorted({tuple(region.within(pool).tolist()) for pool in pools}):
        if not pots:
            continue
        many = region.place in ready.steps_on or region.place in ready.faces
        prices = (*(PINNED_PRICES if many else PRICES), ONE_STEP)
        for runs, mixed in zip(*region.runs(np.array(pots, np.int64), prices, budget.blends), strict=True):
            key = region.place, region.pool[runs].tobytes(), np.where(mixed < 0, -1, region.pool[mixed]).tobytes()
            if key in ready.seen:
                continue
            ready.seen.add(key)
            option = region.option(runs, mixed)
            if not budget.neat or ready.found.neat(option.puddles[option.base]):
                ready.options.append(option)


def _add_films(ready: Ready, place: int, pool: Sequence[int] | None) -> None:
    """Options of a region with see-through films, of the puddles of a pool or of any; those that are new."""
    for option in ready.films[place].options(pool):
        key = place, option.films
        if key not in ready.seen:
            ready.seen.add(key)
            ready.options.append(option)


def _as_pinned(ready: Ready) -> None:
    """Of a region that is pinned to a number of steps only the options that come nearest to it."""
    for place, wanted in ready.steps_on.items():
        off = {abs(o.steps - wanted) for o in ready.options if o.region == place}
        ready.options[:] = [
            o for o in ready.options if o.region != place or abs(o.steps - wanted) == min(off, default=0)
        ]


def _chosen(ready: Ready, budget: Budget) -> tuple[Choice, Ready]:
    """A choice, and again with what every region could make of the puddles that are there now, as long as that
    helps; and with the options that were found on the way."""
    ready = replace(ready, options=list(ready.options), seen=set(ready.seen))  # another budget begins from the same
    chosen = choose(ready.found, ready.options, budget)
    for _ in range(ROUNDS if chosen.options else 0):
        puddles = chosen.puddles
        pots = _pots(ready, puddles)
        of_pots = np.flatnonzero(np.isin(ready.found.first, pots) & np.isin(ready.found.second, pots))
        for r, group in enumerate(ready.groups):
            gain = ready.near[r] * group.weight
            few = _few(gain, of_pots, OF_WHAT_IS_OUT)
            free = _few(gain, np.arange(len(gain)), OF_ANY_POT)
            pool, keep = sorted({*puddles, *few, *free}), [*puddles, *few, *free]
            region = RegionPool(r, group, ready.found, pool, ready.near[r], keep, ready.known[r])
            more = [*(few[:k] for k in FEW_MORE), free, *([p] for p in (*few, *free))]
            without = ([p for p in puddles if p != left] for left in puddles)
            if ready.films and not budget.neat:
                _add_films(ready, r, [*puddles, *few, *free])
            _add(ready, region, [puddles, few[:3], free, *([*puddles, *m] for m in more), *without], budget)
        _as_pinned(ready)
        again = choose(ready.found, ready.options, budget, known=chosen, better_by=LEAST_GAIN)
        if not again.options:
            break
        chosen = again
    return chosen, ready


def _with_usual_steps(chosen: Choice, ready: Ready, budget: Budget) -> tuple[Choice, Ready]:
    """A choice that gives more steps to what was left with few, a face first of all, unless that leaves the whole
    further off; from the options that are there, for looking further brought nothing."""
    for least in _usual_steps(ready, budget):
        fuller = replace(ready, least=least)
        if all(o.tones >= least.get(o.region, 1) for o in chosen.options):
            return chosen, fuller
        other = choose(ready.found, _not_flat(fuller), budget, known=chosen, better_by=-USUAL_COSTS)
        costs = sum(o.gain for o in chosen.options) - sum(o.gain for o in other.options)
        if costs <= USUAL_COSTS and len(other.options) == len(chosen.options):
            return other, fuller
    return chosen, ready


def _usual_steps(ready: Ready, budget: Budget) -> list[dict[int, int]]:
    """The steps that groups usually get at least, by their places: of all of them; so many that nothing is left flat;
    of faces alone; so many that no face is. Five or six are usual for what is looked at first, two or three for quiet
    parts; second highlights can be dropped for time, never the face (CP-35, section 13)."""
    on_a_face, on_a_thing = (
        next((n for minutes, n in steps if budget.minutes >= minutes), 1) for steps in (FACE_STEPS, USUAL_STEPS)
    )
    full, faces = (dict.fromkeys(ready.faces, n) for n in (on_a_face, on_a_thing))
    things = dict.fromkeys(set(range(len(ready.groups))) - ready.steps_on.keys(), on_a_thing)
    return [{**things, **full}, things, full, faces]


def _not_flat(ready: Ready) -> list[AnyOption]:
    """The options without those of fewer steps than their group is to get."""
    flat = set()
    for place, steps in ready.least.items():
        most = max((o.tones for o in ready.options if o.region == place), default=0)
        flat |= {id(o) for o in ready.options if o.region == place and o.tones < min(steps, most)}
    return [o for o in ready.options if id(o) not in flat]


def _pots(ready: Ready, puddles: Sequence[int]) -> list[int]:
    return sorted({t for p in puddles for t in ready.found.pots_of(p)})


def _pools(
    found: Candidates, groups: list[Group], near: list[NDArray[np.float32]], budget: Budget
) -> list[list[int]]:
    """Sets of puddles to make options of: from few pots and from many, shared by few steps and by many."""
    by_region = [n * g.weight for n, g in zip(near, groups, strict=True)]
    gain = np.concatenate(by_region, axis=1)  # (C, all groups)
    best_mix = np.zeros((len(found.pots), len(found.pots), gain.shape[1]), gain.dtype)
    np.maximum.at(best_mix, (found.first, found.second), gain)
    best_pots = _pots_in_order(best_mix, max(POT_COUNTS))
    pools: list[list[int]] = []
    for count in sorted({min(c, len(found.pots)) for c in POT_COUNTS}):
        sets = {frozenset(best_pots[:count]), frozenset(_exchanged(best_mix, best_pots[:count]))}
        for pots in sorted(sets, key=sorted):
            within = np.flatnonzero(np.isin(found.first, list(pots)) & np.isin(found.second, list(pots)))
            best = _few(gain, within, max(POOL_SIZES))
            pools += [best[:size] for size in POOL_SIZES]
            if budget.neat:
                neat = within[[found.neat(int(k)) for k in within]]
                pools += [two[:k] for two in (_few(gains, neat, 2) for gains in by_region) for k in (1, 2)]
            # and the best for each region by itself, so that no small one is forgotten
            best_of_each = [_few(gains, within, max(FEW)) for gains in by_region]
            pools += [sorted({p for pots_of_one in best_of_each for p in pots_of_one[:few]}) for few in FEW]
            pools += [_few(gain, _of_pairs(found, best_mix, within, n), max(POOL_SIZES)) for n in PAIRS]
    return [list(p) for p in dict.fromkeys(tuple(sorted(p)) for p in pools)]


def _of_pairs(found: Candidates, best_mix: NDArray, within: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """Of some candidates those of the few pairs of pots that together reach the most: their mixes grow out of each
    other. best_mix: (P, P, B) what the best mix of each two brings."""
    pairs = np.unique(np.stack([found.first[within], found.second[within]], axis=1), axis=0)
    best = pairs[reaching_most(best_mix[pairs[:, 0], pairs[:, 1]], count)]
    pair_of = found.first[within] * len(found.pots) + found.second[within]
    return within[np.isin(pair_of, best[:, 0] * len(found.pots) + best[:, 1])]


def _pots_in_order(best_mix: NDArray, most: int) -> list[int]:
    """Pots, the one first that brings the most beside those before it, alone or mixed with them. best_mix: (P, P, B)
    what the best mix of each two brings."""
    taken: list[int] = []
    best = np.zeros(best_mix.shape[2])
    while len(taken) < min(most, len(best_mix)):
        reached = np.maximum(_with_each(best_mix, taken), best)
        gains = reached.sum(axis=1)
        gains[taken] = -1.0
        taken.append(int(np.argmax(gains)))
        best = reached[taken[-1]]
    return taken


def _with_each(best_mix: NDArray, pots: Sequence[int]) -> NDArray:
    """(P, B) what each pot brings by itself or mixed with some others."""
    alone = best_mix[np.arange(len(best_mix)), np.arange(len(best_mix))]
    mixed = (best_mix[pots].max(axis=0, initial=0.0), best_mix[:, pots].max(axis=1, initial=0.0))
    return np.maximum(alone, np.maximum(*mixed))


def _exchanged(best_mix: NDArray, pots: Sequence[int]) -> set[int]:
    """Pots, one exchanged for another as long as that brings more: the first of them were taken without knowing what
    came after (interchange heuristic of Teitz and Bart, 1968). best_mix: (P, P, B) what the best mix of each two
    brings."""
    taken = set(pots)
    now = float(best_mix[np.ix_(sorted(taken), sorted(taken))].max(axis=(0, 1)).sum())
    for _ in range(EXCHANGES):
        better: tuple[int, int] | None = None
        for out in sorted(taken):
            rest = sorted(taken - {out})
            before = best_mix[np.ix_(rest, rest)].max(axis=(0, 1), initial=0.0)
            reached = np.maximum(before, _with_each(best_mix, rest)).sum(axis=1)
            reached[sorted(taken)] = 0.0
            new = int(np.argmax(reached))
            if reached[new] > now + 1e-6:
                now, better = float(reached[new]), (out, new)
        if better is None:
            break
        taken = taken - {better[0]} | {better[1]}
    return taken


def _few(gain: NDArray, within: NDArray[np.int64], size: int) -> list[int]:
    """The few candidates among some that together reach the most."""
    return [int(k) for k in within[reaching_most(gain[within], size)]]


def _made(context: Context, ready: Ready, chosen: Choice, budget: Budget, seconds: float) -> Economy:
    """A choice as coats, with what they come to over the real undercoat."""
    site, found, groups = context.site, ready.found, ready.groups
    by_region = {groups[o.region].number: coats_of(context, groups, found, o) for o in chosen.options}
    coats = interleaved(by_region, ordered(by_region, touching(site)))
    return _come_to(context, ready, coats, budget, chosen.gap, seconds)


def _without_needless(context: Context, ready: Ready, made: Economy) -> Economy:
    """A plan without the steps that the real coats show to bring less than their minutes are worth: a shade a tenth
    of a value under its base, a light that is painted over. Bases, faces and what is pinned stay, and what would be
    left flat."""
    site, coats = context.site, made.coats
    steps_of_region = Counter(c.region for c in coats)
    ids = [site.marking.ids[g.number] for g in ready.groups]
    keep = {ids[r] for r in (*ready.faces, *ready.steps_on)}
    keep |= {ids[r] for r, least in ready.least.items() if steps_of_region[ids[r]] <= least}
    firsts = {next(k for k, c in enumerate(coats) if c.region == id_) for id_ in {c.region for c in coats}}
    may_go = [k for k, c in enumerate(coats) if k not in firsts and c.region not in keep]
    painted = np.concatenate([g.samples for g in ready.groups])
    spots = evenly(painted, MOST_SPOTS)
    weight = site.areas[spots] * attention_of(site)[site.labels[spots]]
    before = context.before("colour")
    films = [f[spots] for f in context.simulation.films([*before, *coats])[len(before) :]]

    def costs(k: int, rest: list[int]) -> float:
        (palette,) = palette_minutes([coats[k].mix], [coats[n].mix for n in rest])
        return made.budget.worth * (made.steps[k].hand_minutes + palette)

    under, wanted = context.seen_before("colour")[spots], context.target("metal").lab[spots]
    left = needed(coats, films, under, wanted, weight / weight.sum(), may_go, costs)
    if len(left) == len(coats):
        return made
    return _come_to(context, ready, [coats[k] for k in left], made.budget, made.gap, made.seconds)


def _come_to(
    context: Context, ready: Ready, coats: Sequence[Coat], budget: Budget, gap: float, seconds: float
) -> Economy:
    """Coats as a plan, with what they come to over the real undercoat."""
    site, groups = context.site, ready.groups
    simulation = context.simulation
    before = context.before("colour")
    films = simulation.films([*before, *coats])[len(before) :]
    steps = steps_of(site, coats, films, context.tools, context.plan.models)
    seen = simulation.reflectance([*before, *coats])
    puddles, letters = palette_for(coats, [s.all_ml for s in steps], context.tools.drops_per_ml)
    painted = np.concatenate([g.samples for g in groups])
    off = delta_e(lab(xyz(seen[painted])), context.target("metal").lab[painted])
    mm2 = site.areas[painted].astype(np.float64)
    weight = mm2 * attention_of(site)[site.labels[painted]]
    pots = tuple(dict.fromkeys(name for p in puddles for name in p.parts))
    times = times_of_coats(context, [*before, *coats, *context.after("colour")])
    marking, begun = site.marking, {c.region for c in coats}
    bare = tuple(marking.regions[g.number - 1].name for g in groups if marking.ids[g.number] not in begun)
    return Economy(
        budget,
        tuple(coats),
        tuple(puddles),
        pots,
        tuple(steps),
        tuple(letters),
        times.work,
        float(mm2[off <= 5].sum() / mm2.sum()),
        float(mm2[off <= 8].sum() / mm2.sum()),
        float(weight[off <= 5].sum() / weight.sum()),
        float(np.average(off, weights=mm2)),
        gap,
        seconds,
        bare,
        tuple(before),
        times.wait,
        times.cups,
        banding(site, seen, context.target("metal").lab),
        times_of_coats(context, before).work,
    )
