"""Paint it: one step at a time, the model before and after it, the mix, the timer; for hands that hold a brush."""

from typing import Any

from flask import Blueprint, Response, abort, jsonify, render_template
from sqlalchemy.orm import Session

from ...core.errors import SettingError
from ...core.log.entry import entry_of
from ...core.plain import plain
from ...core.plan.features.undercoat.schools import schools
from ...core.plan.steps.step import Step
from ...core.view.camera import VIEWS
from ...store import log, painters, progress
from ...store.models import Sculpt, now
from ..bench import waiting
from ..body import json_body
from ..responses import picture as png
from ..sheets import PlanSheet, bench_picture, picture_key, sheet_of, still_working
from ..stage_registry import mark_done, string_of
from ..workshop import the_sculpt, workshop

blueprint = Blueprint("paint", __name__)
LOOKS = ("before", "after")


@blueprint.get("/sculpts/<int:sculpt_id>/paint")
def paint(sculpt_id: int) -> str | tuple[Response, int]:
    """The step in hand, full screen; the others are one key away."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return waiting(sculpt, "paint")

        if waiting_for := still_working(sculpt, "paint"):
            return waiting_for
        _, plan = sheet_of(session, sculpt)
        keys = progress.keys_of(plan.coats)
        pictures = {k: picture_key(sculpt, plan, str(k), "display")[:12] for k in range(1, len(plan.steps) + 1)}
        return render_template(
            "stages/paint.html",
            sculpt=sculpt,
            stages=string_of(sculpt, "paint"),
            plan=plan,
            keys=keys,
            views=list(VIEWS),
            pictures=pictures,
            state=_state(session, sculpt, plan, keys),
            schools=schools(),
        )


def _state(session: Session, sculpt: Sculpt, plan: PlanSheet, keys: list[str]) -> dict[str, Any]:
    """Where the painter is, and which steps' cautions were not read today."""
    unread = [
        key for key, step in zip(keys, plan.steps, strict=True) if not painters.read_today(session, step.caution_tags)
    ]
    return {**plain(progress.painting_state(session, sculpt, keys)), "unread": unread}


@blueprint.post("/sculpts/<int:sculpt_id>/paint")
def change(sculpt_id: int) -> Response:
    """do: take, done, skipped, open (a step by its key), pause, go on, dry, read (the cautions of a step)."""
    given = json_body()
    what, key = str(given.get("do")), str(given.get("key", ""))
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        keys = progress.keys_of(plan.coats)
    if what not in ("dry", "pause", "go on") and key not in keys:
        raise SettingError("the plan was changed; reload the page to see it as it is now")
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if what == "take":
            progress.take_step(session, sculpt, key)
        elif what in progress.ENDS:
            at = keys.index(key)
            step: Step = plan.steps[at]
            then = keys[at + 1] if at + 1 < len(keys) else None
            took = progress.end(session, sculpt, key, what, 60 * step.wait_minutes if then else 0.0, then)
            log.take_entry_back(session, sculpt, key)
            moment = f"{now().isoformat(timespec='seconds')}Z"
            log.add(session, entry_of(step, sculpt.name, what, moment, took), sculpt, key)
            session.flush()
            if set(keys) <= progress.painting_state(session, sculpt, keys).ends.keys():
                mark_done(sculpt, "paint")
        elif what == "open":
            progress.take_back(session, sculpt, key)
            log.take_entry_back(session, sculpt, key)
        elif what == "pause":
            progress.pause(session, sculpt)
        elif what == "go on":
            progress.go_on(session, sculpt)
        elif what == "dry":
            progress.dry(session, sculpt)
        elif what == "read":
            painters.keep_read(session, plan.steps[keys.index(key)].caution_tags)
        else:
            raise SettingError("this change of a step is not known; reload the page")
        session.flush()
        return jsonify(_state(session, sculpt, plan, keys))


@blueprint.get("/sculpts/<int:sculpt_id>/paint/<int:number>/<look>/<view>.png")
def picture(sculpt_id: int, number: int, look: str, view: str) -> Response:
    """The model before a step, its film marked, or after it, on the bench's grey."""
    if view not in (*VIEWS, "display") or look not in LOOKS:
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, plan = sheet_of(session, sculpt)
    if not 1 <= number <= len(plan.steps):
        abort(404)
    return png(bench_picture(sculpt, laid, plan, workshop().store.cache, number, look, view))
