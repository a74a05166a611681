"""The wear stage: grime, chips, rust, streaks, verdigris and dust, each with its price in minutes, and their
coats."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.plain import built, plain
from ...core.plan.features.wear.feature import FEATURE, WearWishes
from ...core.plan.features.wear.layers import FOLLOWS, LAYERS, LAYERS_BY_NAME, PART_OF, share_of
from ...core.results import known
from ...core.units import minutes_words
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..background import not_yet, waited_for
from ..body import Body
from ..editing import Edit, OpenPlan, answer, change, opened, shown_once, with_kept_coats
from ..ranges import within
from ..responses import packed
from ..workshop import workshop

blueprint = Blueprint("wear", __name__)
NOWHERE = "nothing here that it lies on"


def panel(session: Session, sculpt: Sculpt, open_sculpt: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; amounts and coats come as wear.json."""
    return {"layers": LAYERS, "follows": FOLLOWS}


def _asked(open_plan: OpenPlan, given: Body) -> WearWishes:
    """How it is to be worn: as kept, with what has come from the page."""
    now = open_plan.context.wishes(FEATURE.name)
    sent = given.get("amounts", {})
    if not isinstance(sent, dict):
        raise SettingError("amounts of wear come by the name of a layer; reload the page")
    if strange := [k for k in sent if k not in LAYERS_BY_NAME]:
        raise SettingError(f"wear is {', '.join(LAYERS_BY_NAME)}, not '{str(strange[0])[:40]}'")
    amounts = {k: v for k, v in {**now.shown, **sent}.items() if v}
    spared = [open_plan.id(n) for n in given.listed("spared")] if "spared" in given else now.spared
    shares = {k: dict(v) for k, v in now.shares.items()}
    if "share" in given:
        one = given.within("share")
        id_, layer = str(open_plan.id(one["region"])), str(one["layer"])
        shares.setdefault(id_, {})[layer] = one["share"]
        if one["share"] is None:  # as its material asks for
            del shares[id_][layer]
    seed = given.get("seed", now.seed)
    return built(WearWishes, {"amounts": amounts, "spared": spared, "shares": shares, "seed": seed}, "the wear")


@blueprint.get("/sculpts/<int:sculpt_id>/wear.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Every layer with its amount and its price; regions and whether they stay clean; the coats in the plan."""
    with workshop().store.session() as session:
        try:
            open_plan = opened(session, sculpt_id)
            FEATURE.all_coats(open_plan.context)  # refused here where the rack lacks something
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))

    def work(say: Any) -> None:
        say("Laying the wear", 0.3)
        _facts(open_plan)

    if working := waited_for(known(_facts, open_plan), ("wear", sculpt_id, open_plan.turn), work):
        return not_yet(working)
    return jsonify(turn=open_plan.turn, **_facts(open_plan))


@shown_once()
def _facts(open_plan: OpenPlan) -> dict[str, Any]:
    context, wishes = open_plan.context, open_plan.context.wishes(FEATURE.name)
    made = FEATURE.all_coats(context)
    steps = open_plan.steps(made, context.before(FEATURE.name))
    price: dict[str, list[float]] = {}
    for coat, step in zip(made, steps, strict=True):
        mine = price.setdefault(PART_OF.get(coat.way, coat.way), [0.0, 0.0])
        mine[0] += step.hand_minutes + step.set_up_minutes + step.clean_minutes
        mine[1] += step.wait_minutes
    asked_for = {name for name, amount in FEATURE.amounts(wishes).items() if amount}
    rows = [
        {
            "name": layer.name,
            "title": layer.title,
            "amount": wishes.shown.get(layer.name, 0.0),
            "optional": layer.optional,
            "words": _price(*price[layer.name])
            if layer.name in price
            else NOWHERE
            if layer.name in asked_for
            else "",
        }
        for layer in LAYERS
    ]
    listed = [
        {
            "number": k,
            "label": s.purpose,
            "hex": s.hex,
            "words": " ".join([(f"{s.paint}; {minutes_words(s.hand_minutes)}"), *s.warnings]),
        }
        for k, s in enumerate(steps, 1)
    ]
    laid = context.coats(FEATURE.name)
    stale = bool(laid) and plain(laid) != plain(made)
    return {
        "layers": rows,
        "seed": wishes.seed,
        "coats": listed,
        "painted": bool(laid),
        "stale": stale,
        "paint": "Update it in the plan" if stale else "It is in the plan" if laid else "Put it in the plan",
        "regions": [
            {
                "number": k,
                "name": r.name,
                "material": r.material,
                "spared": r.id in wishes.spared,
                "shares": {layer.name: share_of(layer.name, r, wishes.shares) for layer in LAYERS},
                "changed": sorted(wishes.shares.get(str(r.id), {})),
            }
            for k, r in enumerate(open_plan.site.marking.regions, 1)
        ],
    }


def _price(minutes: float, wait: float) -> str:
    drying = f", {minutes_words(wait)} to dry" if wait >= 60 else ""
    return f"{minutes_words(minutes)}{drying}" if minutes else ""


@blueprint.get("/sculpts/<int:sculpt_id>/wear.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour: worn as it is kept, or with an amount of one layer
    (layer, amount); show=clean: without any."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    wishes = open_plan.context.wishes(FEATURE.name)
    if "layer" in request.args:
        amount = within(request.args.get("amount", ""), "wear")
        wishes = _asked(open_plan, Body(amounts={request.args["layer"]: amount}))
    coats = [] if request.args.get("show") == "clean" else FEATURE.all_coats(open_plan.context, wishes)
    seen = open_plan.context.simulation.reflectance([*open_plan.context.before(FEATURE.name), *coats])
    levels = looks(seen)[1]
    return packed(
        {"samples": len(levels)}, np.column_stack([levels, np.zeros(len(levels), np.uint8)])[open_plan.site.shown]
    )


@blueprint.post("/sculpts/<int:sculpt_id>/wear")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (amounts by layer, spared: numbers of regions, share: region, layer, share or null; seed), usual,
    paint, unpaint."""
    return answer(sculpt_id, change(sculpt_id, _changed))


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    plan, context = open_plan.kept.plan, open_plan.context
    if what == "set":
        return Edit(plan.with_wishes(FEATURE.name, _asked(open_plan, given)), "wear set", done=("wear",))
    if what == "usual":
        return Edit(plan.with_wishes(FEATURE.name, WearWishes()), "wear back to usual", done=("wear",))
    if what not in ("paint", "unpaint"):
        raise SettingError("this change of the wear is not known; reload the page")
    item = FEATURE.items(context.on(open_plan.plan.with_wishes(FEATURE.name, _asked(open_plan, Body()))))[:1]
    if what == "unpaint":
        coats = [c for c in open_plan.plan.coats if c.stage != FEATURE.name]
        return Edit(with_kept_coats(plan, coats), "wear taken off the plan")
    wished = _asked(open_plan, Body())
    if not item:
        raise SettingError("there is no wear to paint: choose a layer first")
    coats = FEATURE.put(context, item[0], FEATURE.all_coats(context, wished))
    return Edit(
        with_kept_coats(plan.with_wishes(FEATURE.name, wished), coats),
        "wear put in the plan",
        done=("wear",),
    )
