"""Standing a sculpt up: which way is up, which way it faces, how tall it is."""

import threading

from flask import Blueprint, Response, abort, redirect, render_template, request
from werkzeug.wrappers import Response as AnyResponse

from ...core.errors import SettingError
from ...core.sculpt.stand import AXES, HEIGHTS_MM, Standing, fronts_for, guess_units
from ...store import stages
from ...store.cache import key_of
from ...store.store import new_job
from ..bench import url_for_stage, waiting
from ..packet import picture
from ..workshop import the_sculpt, workshop
from . import mark_done, string_of

blueprint = Blueprint("stand", __name__)
PICTURE_SIZE = (220, 260)
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
        if sculpt.mended_key is None or sculpt.mended_key not in workshop().store.cache:
            return waiting(sculpt, "stand")
        facts = stages.facts_of(workshop().store.cache, sculpt.mended_key)
        up = request.args.get("up") or sculpt.up or facts.up_order[0]
        if up not in AXES:
            raise SettingError(f"an axis is one of {', '.join(AXES)}")
        fronts = fronts_for(up)
        front = request.args.get("front") or (sculpt.front if sculpt.up == up else None) or fronts[0]
        if front not in fronts:
            front = fronts[0]
        guess = guess_units(facts.size["xyz".index(up[-1])])
        return render_template(
            "stages/stand.html", sculpt=sculpt, stages=string_of(sculpt, "stand"), facts=facts, up=up, front=front,
            fronts=fronts, guess=guess, axis_words=AXIS_WORDS, heights=HEIGHTS_MM,
            ways=list(zip(facts.up_order, facts.up_reasons, strict=True)),
            height=sculpt.height_mm or guess.height_mm,
        )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/ways/<up>/<front>.png")
def way(sculpt_id: int, up: str, front: str) -> Response:
    """A picture of the sculpt standing one way."""
    with workshop().store.session() as session:
        key = the_sculpt(session, sculpt_id).mended_key
    if key is None:
        abort(404)
    cache, own = workshop().store.cache, key_of("way", 1, key, up, front)
    try:
        with _drawing:
            if own not in cache:
                drawn = stages.sketch_picture(cache, key, Standing(up, front, 30.0), *PICTURE_SIZE)
                cache.put(own, blobs={"way.png": drawn})
        return picture(cache.blob(own, "way.png"))
    except KeyError:
        abort(404)


@blueprint.post("/sculpts/<int:sculpt_id>/stand")
def set_standing(sculpt_id: int) -> AnyResponse:
    """Stand it up as chosen, and prepare it anew where that changes anything."""
    try:
        height = float(request.form.get("height", "").replace(",", "."))
    except ValueError as e:
        raise SettingError("the height must be a number of mm, such as 32") from e
    standing = Standing(request.form.get("up", ""), request.form.get("front", ""), height)
    job_id = None
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        mark_done(sculpt, "stand")
        if standing != sculpt.standing:
            sculpt.up, sculpt.front, sculpt.height_mm = standing.up, standing.front, standing.height_mm
            sculpt.surface_key = sculpt.sky_key = None
            job_id = new_job(session, sculpt).id
    if job_id is not None:
        workshop().queue.add(job_id)
    return redirect(url_for_stage("parts", sculpt_id))
