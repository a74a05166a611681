"""The wear stage: grime, chips, rust, streaks, verdigris and dust, each with its price in minutes, and their
coats."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat
from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.plain import built, plain
from ...core.plan.features.wear.feature import FEATURE, WearWishes
from ...core.plan.features.wear.layers import FOLLOWS, LAYERS, LAYERS_BY_NAME, PART_OF, share_of
from ...core.units import minutes_words
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..background import in_background, not_yet
from ..body import Body
from ..editing import Edit, OpenPlan, answer, change, opened, settled
from ..ranges import within
from ..responses import packed
from ..workshop import workshop

blueprint = Blueprint("wear", __name__)
NOWHERE = "nothing here that it lies on"


def panel(session: Session, sculpt: Sculpt, own: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; amounts and coats come as wear.json."""
    return {"layers": LAYERS, "follows": FOLLOWS}


def _asked(own: OpenPlan, given: Body) -> WearWishes:
    """How it is to be worn: as kept, with what has come from the page."""
    now = own.context.wishes(FEATURE.name)
    sent = given.get("amounts", {})
    if not isinstance(sent, dict):
        raise SettingError("amounts of wear come by the name of a layer; reload the page")
    if strange := [k for k in sent if k not in LAYERS_BY_NAME]:
        raise SettingError(f"wear is {', '.join(LAYERS_BY_NAME)}, not '{str(strange[0])[:40]}'")
    amounts = {k: v for k, v in {**now.shown, **sent}.items() if v}
    spared = [own.id(n) for n in given.listed("spared")] if "spared" in given else now.spared
    shares = {k: dict(v) for k, v in now.shares.items()}
    if "share" in given:
        one = given.within("share")
        id_, layer = str(own.id(one["region"])), str(one["layer"])
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
            own = opened(session, sculpt_id)
            made = FEATURE.all_coats(own.context)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))

    def facts() -> dict[str, Any]:
        return own.page("wear", lambda: _facts(own, made))

    def work(say: Any) -> None:
        say("Laying the wear", 0.3)
        facts()

    if not own.has_page("wear") and (working := in_background(("wear", sculpt_id, own.turn), work)):
        return not_yet(working)
    return jsonify(turn=own.turn, **facts())


def _facts(own: OpenPlan, made: list[Coat]) -> dict[str, Any]:
    context, wishes = own.context, own.context.wishes(FEATURE.name)
    steps = own.steps(made, context.before(FEATURE.name))
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
            for k, r in enumerate(own.site.marking.regions, 1)
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
        own = opened(session, sculpt_id)
    wishes = own.context.wishes(FEATURE.name)
    if "layer" in request.args:
        amount = within(request.args.get("amount", ""), "wear")
        wishes = _asked(own, Body(amounts={request.args["layer"]: amount}))
    coats = [] if request.args.get("show") == "clean" else FEATURE.all_coats(own.context, wishes)
    seen = own.context.simulation.reflectance([*own.context.before(FEATURE.name), *coats])
    levels = looks(seen)[1]
    return packed(
        {"samples": len(levels)}, np.column_stack([levels, np.zeros(len(levels), np.uint8)])[own.site.shown]
    )


@blueprint.post("/sculpts/<int:sculpt_id>/wear")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (amounts by layer, spared: numbers of regions, share: region, layer, share or null; seed), usual,
    paint, unpaint."""
    return answer(sculpt_id, change(sculpt_id, _changed))


def _changed(session: Session, own: OpenPlan, what: str, given: Body) -> Edit:
    plan, context = own.kept.plan, own.context
    if what == "set":
        return Edit(plan.with_wishes(FEATURE.name, _asked(own, given)), "wear set", done=("wear",))
    if what == "usual":
        return Edit(plan.with_wishes(FEATURE.name, WearWishes()), "wear back to usual", done=("wear",))
    if what not in ("paint", "unpaint"):
        raise SettingError("this change of the wear is not known; reload the page")
    item = FEATURE.items(context.on(own.plan.with_wishes(FEATURE.name, _asked(own, Body()))))[:1]
    if what == "unpaint":
        coats = [c for c in own.plan.coats if c.stage != FEATURE.name]
        return Edit(settled(plan, context, coats), "wear taken off the plan")
    wished = _asked(own, Body())
    if not item:
        raise SettingError("there is no wear to paint: choose a layer first")
    coats = FEATURE.put(context, item[0], FEATURE.all_coats(context, wished))
    return Edit(
        settled(plan.with_wishes(FEATURE.name, wished), context, coats), "wear put in the plan", done=("wear",)
    )
