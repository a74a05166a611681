"""What a press on the glow stage changes in the plan."""

from dataclasses import replace
from typing import Any

from flask import Response
from sqlalchemy.orm import Session

from ....core.errors import SettingError
from ....core.plain import built, one_line, plain
from ....core.plan.features.feature import Item
from ....core.plan.features.glow.feature import FEATURE, KINDS, MOST_SPOTS, GlowWish, GlowWishes
from ...body import Body
from ...editing import Edit, OpenPlan, answer, change, clicked, with_kept_coats
from .common import blueprint, glows_of
from .page import SETTINGS


@blueprint.post("/sculpts/<int:sculpt_id>/glow")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: add (kind; region, or origin and direction of a click, off), spot (number; origin, direction: one more hot
    spot), set (number and settings, or reach), away (number), dusk (share), paint, unpaint (number), lens, unlens
    (region)."""
    return answer(sculpt_id, change(sculpt_id, _changed))


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    wishes, plan, context = glows_of(open_plan), open_plan.kept.plan, open_plan.context

    def wished(new: GlowWishes, action: str, last_id: int = 0) -> Edit:
        changed = replace(plan, last_id=max(plan.last_id, last_id)).with_wishes(FEATURE.name, new)
        return Edit(changed, action, done=("glow",))

    if what == "add":
        glow = _new(open_plan, given)
        return wished(wishes.with_one(glow), f"glow added: {glow.name}", glow.id)
    if what == "dusk":
        return Edit(replace(plan, dusk=given.decimal("share")), "lamp dimmed", done=("glow",))
    if what in ("lens", "unlens"):
        item = Item("lens", open_plan.id(given["region"]))
        left = [i for i in wishes.lenses if i != item.region]
        new = replace(wishes, lenses=tuple([*left, item.region] if what == "lens" else left))
        return _painted(
            open_plan,
            new,
            item,
            what == "lens",
            "lens put in the plan" if what == "lens" else "lens taken off the plan",
        )
    glow = wishes.one(given.whole("number"))
    if what == "spot":
        spots = (*glow.spots, clicked(open_plan.open, given)[1])[-MOST_SPOTS:]
        return wished(wishes.with_one(replace(glow, spots=spots)), f"hot spot added: {glow.name}")
    if what == "set":
        changes = {k: v for k, v in given.within("settings").items() if k in SETTINGS}
        if "name" in changes:
            changes["name"] = one_line(changes["name"])
        new_glow = built(GlowWish, {**plain(glow), **changes}, "the glow")
        if "reach" in given.within("settings") and new_glow.shines:
            new_glow = FEATURE.with_reach(context, new_glow, given.within("settings").decimal("reach"))
        return wished(wishes.with_one(new_glow), f"glow set: {new_glow.name}")
    if what == "away":
        return _painted(open_plan, wishes.without(glow.id), Item(glow.way), False, f"glow removed: {glow.name}")
    if what not in ("paint", "unpaint"):
        raise SettingError("this change of the glow is not known; reload the page")
    words = "put in" if what == "paint" else "taken off"
    return _painted(
        open_plan, wishes, Item(glow.way, 0, glow.name), what == "paint", f"glow {words} the plan: {glow.name}"
    )


def _painted(open_plan: OpenPlan, wishes: GlowWishes, item: Item, wanted: bool, action: str) -> Edit:
    """The plan with an item's coats laid, or taken off."""
    plan = open_plan.kept.plan.with_wishes(FEATURE.name, wishes)
    context = open_plan.context.on(replace(plan, coats=open_plan.plan.coats))
    coats = FEATURE.painted(context, item) if wanted else FEATURE.put(context, item, [])
    return Edit(with_kept_coats(plan, coats), action, done=("glow",))


def _new(open_plan: OpenPlan, given: Body) -> GlowWish:
    kind = str(given["kind"])
    more: dict[str, Any] = {}
    if kind == "region":
        more["region"] = open_plan.id(given["region"])
    elif kind in KINDS:
        _, more["place"], more["out"] = clicked(open_plan.open, given)
        if "off" in given:
            more["off"] = given.decimal("off")
    return FEATURE.new(open_plan.context, kind, open_plan.kept.plan.last_id + 1, **more)
