"""The wear stage: grime, chips, rust, streaks, verdigris and dust, each with its price in minutes, and their coats."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat
from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.plain import built, plain
from ...core.plan.step import Step
from ...core.plan.wear import FOLLOWS, LAYERS, NAMES, PART_OF, STAGE, Worn, usual_wear, wear_coats
from ...store import painted, painters, paints, schemes
from ...store.laid import Laid
from ...store.models import Sculpt
from ..coats import Plan, elsewhere, plan_of
from ..packet import packed
from ..patience import not_yet, patiently
from ..workshop import asked, the_sculpt, workshop
from . import mark_done, mark_open

blueprint = Blueprint("wear", __name__)


@dataclass(frozen=True)
class Opened:
    """What the stage works on. before: coats of the stages before; own: of this one. made: what its wishes come to."""

    plan: Plan
    worn: Worn
    before: list[Coat]
    own: list[Coat]
    made: list[Coat]


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows; amounts and coats come as wear.json."""
    return {"layers": LAYERS, "follows": FOLLOWS}


def _opened(session: Session, sculpt_id: int, worn: Worn | None = None) -> Opened:
    plan = plan_of(session, sculpt_id)
    before, own, _ = plan.around(STAGE)
    worn = worn or (built(Worn, plan.sculpt.wear, "the wear") if plan.sculpt.wear else usual_wear())
    made = wear_coats(plan.made.site, worn, paints.rack_of(session), painters.tools_of(session))
    return Opened(plan, worn, before, own, made)


def _asked(sculpt: Sculpt, given: dict[str, Any]) -> Worn:
    """How it is to be worn: as kept, with what has come from the page."""
    now = built(Worn, sculpt.wear, "the wear") if sculpt.wear else usual_wear()
    amounts = {**now.amounts, **{str(k): v for k, v in dict(given.get("amounts", {})).items()}}
    return built(
        Worn,
        {
            "amounts": {k: v for k, v in amounts.items() if v},
            "spared": given.get("spared", now.spared),
            "seed": given.get("seed", now.seed),
        },
        "the wear",
    )


@blueprint.get("/sculpts/<int:sculpt_id>/wear.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Every layer with its amount and its price; regions and whether they stay clean; the coats in the plan."""
    with workshop().store.session() as session:
        try:
            opened = _opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = schemes.can_step(session, opened.plan.sculpt)
        tools = painters.tools_of(session)
    plan, site = opened.plan, opened.plan.made.site
    found: list[list[Step]] = []

    def work(say: Any) -> None:
        say("Wearing it", 0.3)
        stack = [*opened.before, *opened.made]
        steps = painted.steps(plan.laid, site, stack, tools=tools, models=plan.sculpt.models)
        found.append(steps[len(opened.before) :])

    if told := patiently(("wear", sculpt_id, plan.seen, plan.made.key, str(plain(opened.worn))), work):
        return not_yet(told)
    if not found:
        work(lambda *_: None)
    price: dict[str, list[float]] = {}
    for coat, step in zip(opened.made, found[-1], strict=True):
        mine = price.setdefault(PART_OF.get(coat.way, coat.way), [0.0, 0.0])
        mine[0] += step.hand_minutes + step.set_up_minutes + step.clean_minutes
        mine[1] += step.wait_minutes
    rows = [
        {
            "name": layer.name, "title": layer.title, "amount": opened.worn.amounts.get(layer.name, 0.0), "optional": layer.optional,
            "minutes": round(price.get(layer.name, [0, 0])[0]), "wait": round(price.get(layer.name, [0, 0])[1]),
        }
        for layer in LAYERS
    ]  # fmt: skip
    listed = [
        {"number": k, "label": s.purpose, "hex": s.hex, "paint": s.paint, "minutes": round(s.hand_minutes), "warnings": s.warnings}
        for k, s in enumerate(found[-1], 1)
    ]  # fmt: skip
    return jsonify(
        turn=plan.seen, layers=rows, seed=opened.worn.seed, coats=listed, undo=undo, redo=redo, painted=bool(opened.own),
        stale=bool(opened.own) and plain(opened.own) != plain(opened.made),
        regions=[{"name": r.name, "spared": r.name in opened.worn.spared} for r in site.marking.regions],
    )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/wear.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour: worn as it is kept, or with an amount of one layer (layer,
    amount); show=clean: without any."""
    with workshop().store.session() as session:
        if "layer" in request.args:
            amounts = {request.args["layer"]: _float(request.args.get("amount", ""))}
            opened = _opened(session, sculpt_id, _asked(the_sculpt(session, sculpt_id), {"amounts": amounts}))
        else:
            opened = _opened(session, sculpt_id)
    site = opened.plan.made.site
    on = [] if request.args.get("show") == "clean" else opened.made
    levels = looks(painted.seen(opened.plan.laid, site, [*opened.before, *on]))[1]
    return packed({"samples": len(site)}, np.column_stack([levels, np.zeros(len(site), np.uint8)])[site.shown])


def _float(value: str) -> float:
    try:
        return float(value)
    except ValueError as e:
        raise SettingError("an amount of wear is no number; reload the page") from e


@blueprint.post("/sculpts/<int:sculpt_id>/wear")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (amounts by layer, spared: names of regions, seed), usual, paint, unpaint, undo, redo. `turn` says which state
    of the coats it was made on."""
    given = asked()
    what = str(given.get("do"))
    if what not in ("set", "usual", "paint", "unpaint", "undo", "redo"):
        raise SettingError("this bench does not know that change; reload the page")
    try:
        with workshop().store.session() as session:
            opened = _opened(session, sculpt_id)
            if given.get("turn", opened.plan.seen) != opened.plan.seen:
                return elsewhere()
            if strange := set(given.get("amounts", {})) - set(NAMES):
                raise SettingError(f"wear is {', '.join(NAMES)}, not '{str(sorted(strange)[0])[:40]}'")
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if what in ("undo", "redo"):
                schemes.step(session, sculpt, -1 if what == "undo" else 1, opened.plan.seen)
            elif what in ("paint", "unpaint"):
                new = opened.made if what == "paint" else []
                schemes.keep(session, sculpt, [*opened.before, *new], opened.plan.choice, opened.plan.seen)
            elif what == "set":
                sculpt.wear = plain(_asked(sculpt, given))
            else:
                sculpt.wear = {}
            session.flush()
            left = sculpt.wear or [c for c in schemes.kept_coats(session, sculpt) if c.stage == STAGE]
            (mark_done if left else mark_open)(sculpt, "wear")
        return jsonify(kept=True)
    except schemes.ChangedElsewhereError:
        return elsewhere()
    except (KeyError, TypeError, ValueError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("the change that arrived is incomplete; reload the page") from e
