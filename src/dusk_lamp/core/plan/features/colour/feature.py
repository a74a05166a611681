"""The colours: each region painted its way over the undercoat, in the order of the craft."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ....coat.coat import Coat
from ....errors import SettingError
from ....paint.mix import Mix
from ....plain import plain
from ....results import digest, result
from ....sculpt.mesh import summed
from ....target.attention import attention_of
from ....target.target import Target, sketched
from ...brief import seen_after
from ...context import Context
from ...economy.budget import Budget
from ...economy.coats import WAY as ECONOMY
from ...economy.grounds import LEAST_SEEN, schools_for, seen_of_cups
from ...economy.plan import Economy, Ready, economy, made_ready, share_of_films
from ...nearness import Nearness, nearness
from ...steps.order import WHOLE_MODEL, OrderPlace, interleaved, ordered, region_of, touching
from ...steps.step import steps_of
from ..feature import Feature, Item
from ..undercoat.schools import SUITED, schools
from .ways import way_called
from .wishes import ColourWishes


@dataclass(frozen=True)
class Tried:
    """A region painted one way: its coats, how near they come, and the minutes of work and of drying. trouble: why it
    cannot be done; "" where it can."""

    coats: tuple[Coat, ...]
    nearness: Nearness | None
    minutes: float = 0.0
    wait: float = 0.0
    trouble: str = ""


class ColourFeature(Feature):
    """Source: common practice, craft page, section 7."""

    Wishes = ColourWishes
    aims = 20

    def target(self, context: Context, aim: Target) -> Target:
        """The local colours of the regions under the light and its colours."""
        return sketched(
            context.site, aim, context.plan.exposure, context.locals, context.plan.tints, context.plan.small_forms
        )

    def items(self, context: Context) -> list[Item]:
        """The regions that a way is wished for, as far as they can be painted. What is painted as metal is left to
        that stage, unless it names a way."""
        wishes, metal, areas = context.wishes(self.name), context.wishes("metal"), context.site.areas
        every, covered = "" if wishes.budget else wishes.every, self.covered(context)
        by_way = {}
        for k, r in enumerate(context.site.marking.regions, 1):
            name = r.way or ("" if metal.of(r.id) is not None or r.id in covered else every)
            if name and float(areas[context.site.labels == k].sum()) > 0:
                by_way[k] = Item(name, r.id, r.name)
        out = [by_way[k] for k in self.largest_first(context, by_way)]
        if wishes.budget and self.planned(context):
            out.append(Item(ECONOMY, 0, f"A plan for {wishes.budget.minutes:.0f} minutes"))
        return out

    @staticmethod
    def largest_first(context: Context, numbers: Iterable[int]) -> list[int]:
        """Regions by what they count in the look of the model, the most first: smaller ones take what is on the
        palette for them."""
        site = context.site
        areas = summed(site.labels, site.areas.astype(np.float64), len(site.marking.regions) + 1)
        counts = areas * attention_of(site)
        return sorted(numbers, key=lambda k: -float(counts[k]))

    def left_for(self, context: Context, name: str) -> list[int]:
        """The numbers of the regions that have no coats yet, suit a way and are not covered later, largest first."""
        site, begun, covered = context.site, set(self.by_region(context)), self.covered(context)
        areas = site.marking.areas(site.surface, site.paintable)
        free = [
            k
            for k, r in enumerate(site.marking.regions, 1)
            if k not in begun and r.id not in covered and areas[k] > 0 and way_called(name).suits(r.material)
        ]
        return self.largest_first(context, free)

    def planned(self, context: Context, with_ways: bool = False) -> list[int]:
        """The numbers of the regions that a budget is planned for: all that name no way of their own, and are not
        covered later. with_ways: those that name one, too."""
        marking, areas, covered = context.site.marking, context.site.areas, self.covered(context)
        return [
            k
            for k, r in enumerate(marking.regions, 1)
            if (with_ways or not r.way) and r.id not in covered and float(areas[context.site.labels == k].sum()) > 0
        ]

    def covered(self, context: Context) -> dict[int, str]:
        """The regions, by their ids, that a later stage covers whole, and its title: a source that glows, a lens, a
        ladder of metal. Colour under it would be work for nothing."""
        later = [s for s in context.features.values() if s.order > self.order]
        return {id_: stage.title for stage in later for id_ in stage.covers(context)}

    def economy(self, context: Context, budget: Budget) -> Economy:
        """The best plan for a budget, worked out once: over the undercoat that is there, or over the one that suits
        it best where that is free (see ground).

        Raises:
            SettingError: see plan.economy.
        """
        return self._planned(self.on_ground(context, budget), budget)

    def on_ground(self, context: Context, budget: Budget) -> Context:
        """The plan over the undercoat that a budget is best over."""
        name = self.ground(context, budget)
        return self._over(context, name) if name else context

    def ground(self, context: Context, budget: Budget | None = None) -> str:
        """The school that a plan for a budget, else for the one wished for, is best over; "" where the undercoat is
        not free: it was chosen or settled, nothing is planned, or some region is painted its own way over it."""
        budget = budget or context.wishes(self.name).budget
        free = context.wishes("undercoat").school == SUITED and "undercoat" not in context.plan.settled
        if budget is None or not free or not self.planned(context):
            return ""
        if len(self.planned(context)) < len(self.planned(context, True)):
            return ""
        return self._ground(context, budget)

    def _over(self, context: Context, name: str) -> Context:
        undercoat = context.feature("undercoat")
        coats = undercoat.fitted(context, name).coats
        before = [c for c in context.before(self.name) if c.stage != undercoat.name]
        later = [c for c in context.plan.coats if c.stage != undercoat.name and c not in before]
        return context.with_coats([*before, *coats, *later])

    def _on_any_ground(self, context: Context, budget: Budget) -> str:
        undercoat = context.feature("undercoat")
        under = context.wishes("undercoat")
        return digest(
            plain(budget),
            context.target_key("metal"),
            context.share,
            [undercoat.key(context, name) for name in schools_for(budget.minutes, lambda _: "")],
            [plain(p) for p in context.rack],
            plain(context.tools),
            self.planned(context),
            plain(under),
            plain(context.after(self.name)),
        )

    @result(most=8, of=1, depends=_on_any_ground)
    def _ground(self, context: Context, budget: Budget) -> str:
        undercoat = context.feature("undercoat")
        kit = undercoat.kit(context)
        names = schools_for(budget.minutes, lambda name: schools()[name].lack(kit))
        made: dict[str, Economy] = {}
        for name in names:
            over = self._over(context, name)
            try:
                if made and share_of_films(over, self._ready(over, budget), budget) < LEAST_SEEN:
                    continue  # its light would be covered
                made[name] = self._planned(over, budget)
            except SettingError as e:  # too long for the time, mostly
                trouble = e
        if not made:
            raise trouble
        return max(made, key=lambda name: (self._is_seen(context, name, made[name]), made[name].worth))

    def _is_seen(self, context: Context, name: str, made: Economy) -> bool:
        """Whether every cup that is sprayed still shows when the colours of a plan are on."""
        over = self._over(context, name)
        found = seen_of_cups(over, [*over.before(self.name), *made.coats])
        return all(share >= LEAST_SEEN for _, share in found)

    def _state(self, context: Context, budget: Budget) -> str:
        """All that plans for any budget of the same pins depend on."""
        return digest(
            plain([budget.only, budget.blends, budget.neat, budget.steps_on]),
            context.target_key("metal"),
            context.simulation.chain(context.before(self.name))[-1],
            [plain(p) for p in context.rack],
            plain(context.tools),
            self.planned(context),
            context.plan.models,
        )

    def _with_all(self, context: Context, budget: Budget) -> tuple[str, str]:
        return self._state(context, budget), digest(plain(budget), plain(context.after(self.name)))

    @result(most=3, of=1, depends=_state)  # 10 MB each: of every ground
    def _ready(self, context: Context, budget: Budget) -> Ready:
        return made_ready(context, budget, numbers=self.planned(context))

    @result(most=16, of=1, depends=_with_all)
    def _planned(self, context: Context, budget: Budget) -> Economy:
        return economy(context, budget, ready=self._ready(context, budget))

    def tried(self, context: Context, number: int, name: str) -> Tried:
        """A region painted one way, worked out once.

        Raises:
            SettingError: nothing of the region can be painted, or there is no such way.
        """
        return self._tried(context, number, name)

    def _rests_on(self, context: Context, number: int, name: str) -> str:
        return digest(
            context.target_key(self.name),
            number,
            name,
            context.simulation.chain(context.before(self.name))[-1],
            [plain(p) for p in context.rack],
            plain(context.tools),
            plain(context.lamp),
            [m.counted() for m in self.out(context, context.site.marking.ids[number])],
            (context.wishes(self.name).budget or Budget()).worth_of_a_way,
        )

    @result(most=80, of=1, depends=_rests_on)  # 20 kB
    def _tried(self, context: Context, number: int, name: str) -> Tried:
        by, id_ = way_called(name), context.site.marking.ids[number]
        worth = (context.wishes(self.name).budget or Budget()).worth_of_a_way
        brief = replace(context.brief(self.name, number), out=self.out(context, id_), worth=worth)
        try:
            coats = [replace(c, stage=self.name, way=name, region=id_) for c in by.coats(brief)]
        except SettingError as e:
            return Tried((), None, trouble=str(e))
        steps = steps_of(brief.site, coats, brief.films(coats), brief.tools)
        hand = sum(s.hand_minutes + s.set_up_minutes + s.clean_minutes for s in steps)
        near = nearness(brief, seen_after(brief, coats))
        return Tried(tuple(coats), near, hand, sum(s.wait_minutes for s in steps))

    def out(self, context: Context, id_: int) -> tuple[Mix, ...]:
        """The puddles that other regions than one are painted from, each once."""
        coats_here = [
            c for c in context.coats(self.name) if c.region != id_ and not (c.muted or c.by.primes or c.mix.clear)
        ]
        return tuple(dict.fromkeys(c.mix for c in coats_here))

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """Those of the item's way."""
        if item.way == ECONOMY:
            return list(self.economy(context, context.wishes(self.name).budget).coats)
        found = self.tried(context, context.site.marking.number_of(item.region), item.way)
        if found.trouble:
            raise SettingError(found.trouble)
        return list(found.coats)

    def mine(self, item: Item, coat: Coat) -> bool:
        """All coats of the region, whichever way they came from."""
        return coat.way == ECONOMY if item.way == ECONOMY else coat.region == item.region

    def marked(self, item: Item, coats: Sequence[Coat]) -> list[Coat]:
        """A plan for all of them knows the region of each coat."""
        return list(coats) if item.way == ECONOMY else super().marked(item, coats)

    def put(self, context: Context, item: Item, new: Sequence[Coat]) -> list[Coat]:
        """The coats of the region replaced where they were, or put before what is common to the whole model."""
        site, coats_here = context.site, context.coats(self.name)
        if item.way == ECONOMY:  # what is planned together takes the place of all that these regions had
            ids = {site.marking.ids[k] for k in self.planned(context)}
            left = [c for c in coats_here if c.region not in ids and c.way != ECONOMY]
            metal = [c for c in context.after(self.name) if not (c.stage == "metal" and c.region in ids)]
            return [*self.on_ground(context, context.wishes(self.name).budget).before(self.name), *new, *left, *metal]
        number = site.marking.number_of(item.region)
        region_ids = [region_of(site, c) for c in coats_here]
        left = [c for c, n in zip(coats_here, region_ids, strict=True) if n != number]
        if number in region_ids:
            at = sum(n != number for n in region_ids[: region_ids.index(number)])
        else:
            at = next((k for k, c in enumerate(left) if region_of(site, c) == WHOLE_MODEL), len(left))
        coats_here = [*left[:at], *self.marked(item, new), *left[at:]]
        return [*context.before(self.name), *coats_here, *context.after(self.name)]

    def in_order(self, context: Context) -> list[Coat]:
        """All coats of the plan with those in colour region by region, in the order of the craft; those of a plan for
        all of them so that one region dries while the next is painted."""
        by_region, places = self.by_region(context), self.places(context)
        together = [p for p in places if by_region[p.region][0].way == ECONOMY]
        coats = interleaved({p.region: by_region[p.region] for p in together}, together)
        coats += [c for p in places if p not in together for c in by_region[p.region]]
        return [*context.before(self.name), *coats, *context.after(self.name)]

    def places(self, context: Context) -> list[OrderPlace]:
        """The regions that coats in colour are for, in the order of the craft, each with its reason."""
        names = ["the rest", *(r.name for r in context.site.marking.regions)]
        return ordered(self.by_region(context), touching(context.site), names)

    def by_region(self, context: Context) -> dict[int, list[Coat]]:
        """The coats in colour by the number of the region that each is for."""
        out: dict[int, list[Coat]] = {}
        for coat in context.coats(self.name):
            out.setdefault(region_of(context.site, coat), []).append(coat)
        return out

    def laid_again(self, context: Context) -> bool:
        """A plan for a budget, where the features after it take time, too."""
        return bool(context.wishes(self.name).budget and self.planned(context) and context.after(self.name))

    def aim(self, coat: Coat) -> str:
        """Of regions that are planned together painted metal is among them."""
        return "metal" if coat.way == ECONOMY else self.name

    def near(self, context: Context) -> dict[int, Nearness]:
        """How near each region that is painted in colour ends, as this stage leaves it, by its number."""
        seen = context.simulation.reflectance([*context.before(self.name), *context.coats(self.name)])
        out = {}
        for number, coats in sorted(self.by_region(context).items(), key=lambda one: one[0]):
            if number > 0 and float(context.site.areas[context.site.labels == number].sum()) > 0:
                brief = context.brief(self.aim(coats[0]), number)
                out[number] = nearness(brief, seen[brief.mask])
        return out

    def near_share(self, context: Context, found: dict[int, Nearness] | None = None) -> float | None:
        """The share of the area painted in colour that is near; None where nothing is. found: of each region, where
        that was worked out before."""
        found = self.near(context) if found is None else found
        areas = context.site.marking.areas(context.site.surface, context.site.paintable)
        if not found:
            return None
        return float(np.average([n.within for n in found.values()], weights=[areas[k] for k in found]))


FEATURE = ColourFeature()
