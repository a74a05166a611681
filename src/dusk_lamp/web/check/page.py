"""The page: the photo, the sculpt beside it, and places of it to click on."""

from typing import Any

import numpy as np
from flask import Response, abort, jsonify, render_template, request, url_for

from ...core.check.booth import trial_photo
from ...core.check.photo import Photo, read_photo
from ...core.check.pose import LEAST_POINTS
from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.log.entry import Entry
from ...core.results import result
from ...core.view.camera import Camera
from ...core.view.formats import png_bytes
from ...core.view.raster import Snapshot, averaged_levels, snapshot
from ...store import log, progress
from ...store.models import now
from .. import photos
from ..body import json_body
from ..limits import number_of
from ..responses import picture
from ..sheets import PlanSheet, camera_of, sheet_of, still_working
from ..stage_registry import string_of
from ..workshop import the_sculpt, workshop
from .common import PHOTO, SCULPT_SIZE, SIDES, blueprint, coats_done


@blueprint.get("/sculpts/<int:sculpt_id>/check")
def check(sculpt_id: int) -> Any:
    """The page: the photo, the sculpt, matched points, and what was found."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if waiting_for := still_working(sculpt, "paint"):
            return waiting_for
        _, plan = sheet_of(session, sculpt)
        keys = progress.keys_of(plan.coats)
        ends = progress.painting_state(session, sculpt, keys).ends
        done = sum(k in ends for k in keys)
        taken = [(row, log.entry_in(row)) for row in log.search(session, PHOTO, sculpt_id, 12)[0]]
        checked = [(row.at, entry) for row, entry in reversed(taken) if entry.near is not None]
        return render_template(
            "check.html",
            sculpt=sculpt,
            stages=string_of(sculpt, "paint"),
            steps=plan.steps,
            done=done or len(plan.steps),
            sides=SIDES,
            photos=[(row, entry) for row, entry in taken if entry.photo],
            checked=checked,
            regions=plan.site.marking.regions,
            turn=sculpt.plan_id,
            least=LEAST_POINTS,
            size=SCULPT_SIZE,
        )


@blueprint.post("/sculpts/<int:sculpt_id>/check/photo")
def bring(sculpt_id: int) -> Response:
    """Take in a photo: smaller, without places and names; it is written down in the log."""
    return _written_down(sculpt_id, photos.sent_photo())


@blueprint.post("/sculpts/<int:sculpt_id>/check/simulated")
def simulated(sculpt_id: int) -> Response:
    """A photo by the simulated bench camera, with a mistake in it: to try the check without a camera."""
    step = json_body().get("step")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
    site, simulation = plan.site, plan.context.simulation
    coats = plan.coats[: coats_done(plan, "" if step is None else str(step))]
    bare = simulation.reflectance([c for c in plan.coats if c.stage == "undercoat"])
    content = trial_photo(site, plan.context.view, simulation.reflectance(coats), bare)
    return _written_down(sculpt_id, read_photo(content))


def _written_down(sculpt_id: int, photo: Photo) -> Response:
    sha = photos.keep_photo(photo)
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        at = f"{now().isoformat(timespec='seconds')}Z"
        log.add(session, Entry(at=at, how="note", model=sculpt.name, title=PHOTO, photo=sha), sculpt)
    width, height = photo.size
    return jsonify(photo=sha, width=width, height=height, url=url_for("photos.photo", sha=sha))


def _sculpt_shot(open_sculpt: Any, plan: PlanSheet, view: str) -> Snapshot:
    return _shot(open_sculpt, plan, camera_of(plan, view))


@result(most=6, depends=lambda open_sculpt, plan, camera: camera, rests=True)  # 14 MB each
def _shot(open_sculpt: Any, plan: PlanSheet, camera: Camera) -> Snapshot:
    return snapshot(plan.site.surface, camera, 2 * SCULPT_SIZE[0], 2 * SCULPT_SIZE[1])


@blueprint.get("/sculpts/<int:sculpt_id>/check/sculpt/<view>.png")
def sculpt_picture(sculpt_id: int, view: str) -> Response:
    """The predicted model after a step, to click on."""
    if view not in SIDES:
        abort(404)
    with workshop().store.session() as session:
        open_sculpt, plan = sheet_of(session, the_sculpt(session, sculpt_id))
    count = coats_done(plan, request.args.get("step", ""))
    shot = _sculpt_shot(open_sculpt, plan, view)
    levels = looks(plan.context.simulation.reflectance(plan.coats[:count]))[1]
    drawn = np.where(shot.seen[..., None], shot.field(levels), 119)
    return picture(png_bytes(averaged_levels(drawn)))


@blueprint.post("/sculpts/<int:sculpt_id>/check/spot")
def spot(sculpt_id: int) -> Response:
    """The place of the sculpt at a pixel of its picture: view, x, y."""
    given = json_body()
    view = str(given.get("view"))
    if view not in SIDES:
        raise SettingError("this side is not known; reload the page")
    with workshop().store.session() as session:
        open_sculpt, plan = sheet_of(session, the_sculpt(session, sculpt_id))
    shot = _sculpt_shot(open_sculpt, plan, view)
    x = int(2 * number_of(str(given.get("x")), "a place", 0, SCULPT_SIZE[0]))
    y = int(2 * number_of(str(given.get("y")), "a place", 0, SCULPT_SIZE[1]))
    height, width = shot.seen.shape
    x, y = min(x, width - 1), min(y, height - 1)
    if not shot.seen[y, x]:
        raise SettingError("there is nothing there; click on the sculpt itself")
    place = (plan.site.surface.points[shot.corners[y, x]] * shot.weights[y, x][:, None]).sum(axis=0)
    return jsonify(sculpt=[round(float(n), 4) for n in place])
