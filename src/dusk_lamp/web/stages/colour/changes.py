"""What a press on the colour stage changes in the plan."""

from dataclasses import replace
from typing import Any

from flask import Response
from sqlalchemy.orm import Session

from ....core.coat.coat import Coat, usual_coat
from ....core.coat.technique import technique
from ....core.errors import SettingError
from ....core.plan.context import Context
from ....core.plan.features.colour.feature import FEATURE
from ....core.plan.features.colour.ways import ways
from ....core.plan.features.face.feature import FEATURE as FACE
from ....core.plan.features.feature import Item
from ....core.plan.features.undercoat.feature import FEATURE as UNDERCOAT
from ....core.plan.steps.order import WHOLE_MODEL, move_refused, region_of
from ....core.sculpt.site import WHOLE, Where
from ....store import paints
from ...background import Say, in_background, not_yet
from ...body import Body, json_body
from ...budgets import budget_from, economy_of
from ...coat_editing import ACTIONS, ONE_COAT, added_by_hand, changed_coats, mix_called
from ...editing import Edit, OpenPlan, answer, changed, opened, with_kept_coats
from ...workshop import workshop
from .common import blueprint, colours_of, looked


@blueprint.post("/sculpts/<int:sculpt_id>/colour")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: plan (minutes, pots, puddles): all regions together; way (region, name), all (name: every region that has
    none yet), clear (region), order: as the craft has it; add (region, technique, paint; on), warm (region), varnish
    (name): the last one; mute, remove, up, down (number, from 1), set (number and settings of its technique), paint
    (number, name)."""
    given = json_body()
    if given.get("do") in ("way", "all"):
        with workshop().store.session() as session:
            open_plan = opened(session, sculpt_id)
        wishes = _wishes(open_plan, str(given["do"]), given)

        def find(say: Say) -> None:
            say("Laying the undercoat", 0.0)
            looked(open_plan, 0)
            _painted(open_plan.context, wishes, say)

        if wishes and (working := in_background(("ways", sculpt_id, open_plan.turn, str(wishes)), find)):
            return not_yet(working)
    if given.get("do") == "plan":
        with workshop().store.session() as session:
            open_plan = opened(session, sculpt_id)
        budget = budget_from(open_plan, given)
        if working := in_background(
            ("economy", sculpt_id, open_plan.turn, str(budget)), lambda say: economy_of(open_plan, budget, say)
        ):
            return not_yet(working)
    return answer(sculpt_id, changed(sculpt_id, given, _changed))


def _wishes(open_plan: OpenPlan, what: str, given: Body) -> dict[int, str]:
    """Which regions should be painted which way, by their numbers."""
    name = str(given.get("name"))
    if name not in ways():
        raise SettingError("this way of painting is not known; reload the page")
    if what == "way":
        return {open_plan.number(given.get("region")): name}
    return dict.fromkeys(FEATURE.left_for(open_plan.context, name), name)


def _painted(context: Context, wishes: dict[int, str], say: Say = lambda *_: None) -> Context:
    """The plan with regions, by their numbers, each painted its way; each takes from the palette of those before."""
    for k, (number, name) in enumerate(wishes.items()):
        region = context.site.marking.regions[number - 1]
        say(f"Mixing for {region.name}", k / len(wishes))
        context = context.with_coats(FEATURE.painted(context, Item(name, region.id)))
    return context


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    """The plan after a change; see change."""
    context, plan, site = open_plan.context, open_plan.kept.plan, open_plan.site
    names, action = ["the rest", *(r.name for r in site.marking.regions)], ACTIONS.get(what, "colours changed")

    def kept(coats: list[Coat], action: str, plan: Any = plan) -> Edit:
        return Edit(with_kept_coats(plan, coats), action, done=("colour",))

    def listed(coats: list[Coat], action: str) -> Edit:
        return kept([*context.before(FEATURE.name), *coats, *context.after(FACE.name)], action)

    if what in ("way", "all"):
        wishes = _wishes(open_plan, what, given)
        context = _painted(context, wishes)
        coats = FEATURE.in_order(context) if len(wishes) > 1 else list(context.plan.coats)
        title = ways()[str(given["name"])].title
        return kept(
            coats, f"{title}: {names[next(iter(wishes))] if what == 'way' else 'all others'}" if wishes else action
        )
    if what == "plan":
        budget = budget_from(open_plan, given)
        new = plan.with_wishes(FEATURE.name, replace(context.wishes(FEATURE.name), budget=budget))
        settled = open_plan.planning.plan.settled
        context = context.on(replace(new, coats=open_plan.plan.coats, settled=settled))
        context = context.with_coats(FEATURE.painted(context, FEATURE.items(context)[-1]))
        new = new.with_wishes(UNDERCOAT.name, UNDERCOAT.came_to(context))
        return kept(list(context.plan.coats), f"planned for {budget.minutes:.0f} minutes", new)
    if what == "clear":
        number = open_plan.number(given["region"])
        return kept(FEATURE.put(context, Item("", site.marking.ids[number]), []), f"coats removed: {names[number]}")
    if what == "add":
        whole = given.get("on") == "whole"
        number = 0 if whole else open_plan.number(given.get("region"))
        mix = mix_called(session, given["paint"], varnish=True)
        name = str(given["technique"])
        label = f"{'Whole model' if whole else names[number]}: {technique(name).title.lower()}"
        coat = added_by_hand(open_plan, name, mix, label, FEATURE.name)
        if whole:
            return listed([*colours_of(open_plan), coat], "coat added: whole model")
        coat = replace(coat, where=Where.some(site.labels == number), region=site.marking.ids[number])
        return listed(_after_its_own(open_plan, number, coat), f"coat added: {names[number]}")
    if what == "warm":
        number = open_plan.number(given.get("region"))
        item = Item("warmth", site.marking.ids[number])
        face = context.wishes(FACE.name)
        new = plan.with_wishes(FACE.name, replace(face, warm=tuple(dict.fromkeys((*face.warm, item.region)))))
        return kept(FACE.painted(context, item), f"warmed: {names[number]}", new)
    if what == "varnish":
        varnish = paints.varnish_called(session, str(given["name"]))
        if varnish is None:
            raise SettingError("this varnish is not on the rack any more; choose another")
        last = usual_coat("brush", varnish, f"last varnish, {given['name']}, all over", FEATURE.name)
        left = [c for c in colours_of(open_plan) if not (c.mix.clear and c.where == WHOLE)]
        return listed([*left, last], "last varnish chosen")
    if what == "order":
        return kept(FEATURE.in_order(context), "coats put in order")
    if what not in ONE_COAT:
        raise SettingError("this change of the colours is not known; reload the page")
    refuse = lambda new: move_refused(site, colours_of(open_plan), new)  # noqa: E731
    return listed(changed_coats(session, open_plan, colours_of(open_plan), what, given, refuse), action)


def _after_its_own(open_plan: OpenPlan, number: int, new: Coat) -> list[Coat]:
    """The coats in colour with one more after those of its region, or before what is common to the whole model."""
    coats = colours_of(open_plan)
    region_ids = [region_of(open_plan.site, c) for c in coats]
    mine = [k for k, n in enumerate(region_ids) if n == number]
    shared = [k for k, n in enumerate(region_ids) if n == WHOLE_MODEL]
    at = mine[-1] + 1 if mine else shared[0] if shared else len(coats)
    return [*coats[:at], new, *coats[at:]]
