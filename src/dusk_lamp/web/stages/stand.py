"""Standing a sculpt up: which way is up, which way it faces, how tall it is."""

import threading
from dataclasses import replace

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from ...core.errors import SettingError
from ...core.sculpt.stand import AXES, HEIGHTS_MM, Standing, fronts_for, guess_units
from ...jobs.small_pictures import way_picture
from ...store import plans
from ...store import preparing as stages
from ..bench import url_for_stage, waiting
from ..responses import picture
from ..stage_registry import mark_done, string_of
from ..workshop import the_sculpt, wants_json, workshop

blueprint = Blueprint("stand", __name__)
_drawing = threading.Lock()  # ten pictures are asked for at once; side by side they would only wait for each other
AXIS_WORDS = {
    "z": "Z up",
    "y": "Y up",
    "x": "X up",
    "-z": "Z down",
    "-y": "Y down",
    "-x": "X down",
}


@blueprint.get("/sculpts/<int:sculpt_id>/stand")
def stand(sculpt_id: int) -> str:
    """The six ways it could stand, as pictures, the likeliest first; then its front and its height."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        try:
            facts = stages.facts_of(workshop().store.cache, sculpt.mended_key or "")
        except KeyError:
            return waiting(sculpt, "stand")
        kept = sculpt.document["sculpt"]
        up = kept["up"] or facts.up_order[0]
        fronts = fronts_for(up)
        front = kept["front"] or fronts[0]
        guess = guess_units(facts.size["xyz".index(up[-1])])
        return render_template(
            "stages/stand.html",
            sculpt=sculpt,
            stages=string_of(sculpt, "stand"),
            facts=facts,
            up=up,
            front=front,
            fronts=fronts,
            guess=guess,
            axis_words=AXIS_WORDS,
            heights=HEIGHTS_MM,
            ways=list(zip(facts.up_order, facts.up_reasons, strict=True)),
            height=sculpt.height_mm or guess.height_mm,
            sure="stand" in sculpt.stages_done or guess.sure,
            turned={way: front if way == up else fronts_for(way)[0] for way in AXES},
        )


@blueprint.get("/sculpts/<int:sculpt_id>/ways/<up>/<front>.png")
def way(sculpt_id: int, up: str, front: str) -> Response:
    """A picture of the sculpt standing one way."""
    with workshop().store.session() as session:
        key = the_sculpt(session, sculpt_id).mended_key
    if key is None:
        abort(404)
    try:
        with _drawing:
            return picture(way_picture(workshop().store.cache, key, up, front))
    except KeyError:
        abort(404)


@blueprint.post("/sculpts/<int:sculpt_id>/stand")
def set_standing(sculpt_id: int) -> AnyResponse:
    """Keep how it stands as soon as it is chosen, and prepare it again where that changes anything.

    turn: the way is being chosen, with up or front; back to the pictures. Otherwise on to the next stage.
    """
    try:
        height = float(request.form.get("height", "").replace(",", "."))
    except ValueError as e:
        raise SettingError("the height must be a number of mm, such as 32") from e
    up, front = request.form.get("up", ""), request.form.get("front", "")
    turning = request.form.get("turn", "")
    if turning in AXES:
        up, front = turning, fronts_for(turning)[0]
    elif turning.startswith("front "):
        front = turning.removeprefix("front ")
    standing, job = Standing(up, front, height), None
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if standing != sculpt.standing:
            kept = plans.kept_of(session, sculpt)
            sculpt_file = replace(kept.plan.sculpt, up=standing.up, front=standing.front, height=standing.height_mm)
            plans.keep(
                session, sculpt, replace(kept, plan=replace(kept.plan, sculpt=sculpt_file)), "stood up another way"
            )
            job = plans.after_change(session, sculpt, kept.plan)
        mark_done(sculpt, "stand")
    if job is not None:
        workshop().queue.add(job.id)
    if wants_json():
        return Response(status=204)
    if request.form.get("for_me"):
        return redirect(url_for("for_me.for_me", sculpt_id=sculpt_id))
    return redirect(url_for_stage("stand" if turning else "parts", sculpt_id))
