"""The check: a photo of the painted model beside its plan: matched points, a verdict, mends taken into the plan."""

import json
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, render_template, request, url_for
from sqlalchemy.orm import Session

from ..core.check.align import aligned
from ..core.check.booth import trial_photo
from ..core.check.outline import proposed_pose
from ..core.check.photo import Photo, read_photo
from ..core.check.pose import LEAST_POINTS, points_from
from ..core.check.whole import Checked, checked_photo, lamp_in_photo, map_picture, predicted_picture
from ..core.coat.coat import coat_from
from ..core.coat.stack import looks
from ..core.errors import SettingError
from ..core.light.rig import Rig
from ..core.log.entry import Entry
from ..core.plain import built, plain
from ..core.view.camera import VIEWS
from ..core.view.formats import png_bytes
from ..core.view.raster import Snapshot, smoothed, snapshot
from ..store import log, progress
from ..store.cache import key_of
from ..store.models import now
from . import photos
from .background import Say, in_background, not_yet
from .editing import Edit, Opened, change
from .limits import number_of
from .responses import picture
from .sheets import PlanSheet, camera_of, sheet_of, still_working
from .stages import string_of
from .workshop import asked, the_sculpt, workshop

blueprint = Blueprint("check", __name__)
SCULPT_SIZE = (520, 640)
SIDES = ("display", *VIEWS)
CHECK = 1  # version of what is kept of a check
PHOTO = "Photo"  # the title of its entry in the log


@blueprint.get("/sculpts/<int:sculpt_id>/check")
def check(sculpt_id: int) -> Any:
    """The page: the photo, the sculpt, matched points, and what was found."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if waiting_for := still_working(sculpt, "paint"):
            return waiting_for
        _, plan = sheet_of(session, sculpt)
        keys = progress.keys_of(plan.coats)
        ends = progress.state_of(session, sculpt, keys).ends
        done = sum(k in ends for k in keys)
        taken = [(row, log.entry_in(row)) for row in log.search(session, PHOTO, sculpt_id, 12)[0]]
        return render_template(
            "check.html",
            sculpt=sculpt,
            stages=string_of(sculpt, "paint"),
            steps=plan.steps,
            done=done or len(plan.steps),
            sides=SIDES,
            photos=[(row, own) for row, own in taken if own.photo],
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
    step = asked().get("step")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
    site, simulation = plan.site, plan.context.simulation
    coats = plan.coats[: _step(plan, "" if step is None else str(step))]
    bare = simulation.reflectance([c for c in plan.coats if c.stage == "undercoat"])
    content = trial_photo(site, plan.context.view, simulation.reflectance(coats), bare)
    return _written_down(sculpt_id, read_photo(content))


def _written_down(sculpt_id: int, photo: Photo) -> Response:
    sha = photos.keep(photo)
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        at = f"{now().isoformat(timespec='seconds')}Z"
        log.add(session, Entry(at=at, how="note", model=sculpt.name, title=PHOTO, photo=sha), sculpt)
    width, height = photo.size
    return jsonify(photo=sha, width=width, height=height, url=url_for("photos.photo", sha=sha))


def _sculpt_shot(own: Any, plan: PlanSheet, view: str) -> Snapshot:
    camera = camera_of(plan, view)
    return own.more.of(
        "shot",
        f"check {view} {camera.azimuth:g} {camera.elevation:g}",
        lambda: snapshot(plan.site.surface, camera, 2 * SCULPT_SIZE[0], 2 * SCULPT_SIZE[1]),
    )


def _step(plan: PlanSheet, text: str) -> int:
    return int(number_of(text or str(len(plan.coats)), "the step", 0, len(plan.coats)))


@blueprint.get("/sculpts/<int:sculpt_id>/check/sculpt/<view>.png")
def sculpt_picture(sculpt_id: int, view: str) -> Response:
    """The predicted model after a step, to click on."""
    if view not in SIDES:
        abort(404)
    with workshop().store.session() as session:
        own, plan = sheet_of(session, the_sculpt(session, sculpt_id))
    count = _step(plan, request.args.get("step", ""))
    shot = _sculpt_shot(own, plan, view)
    levels = looks(plan.context.simulation.reflectance(plan.coats[:count]))[1]
    drawn = np.where(shot.seen[..., None], shot.field(levels), 119)
    return picture(png_bytes(smoothed(drawn)))


@blueprint.post("/sculpts/<int:sculpt_id>/check/spot")
def spot(sculpt_id: int) -> Response:
    """The place of the sculpt at a pixel of its picture: view, x, y."""
    given = asked()
    view = str(given.get("view"))
    if view not in SIDES:
        raise SettingError("this side is not known; reload the page")
    with workshop().store.session() as session:
        own, plan = sheet_of(session, the_sculpt(session, sculpt_id))
    shot = _sculpt_shot(own, plan, view)
    x = int(2 * number_of(str(given.get("x")), "a place", 0, SCULPT_SIZE[0]))
    y = int(2 * number_of(str(given.get("y")), "a place", 0, SCULPT_SIZE[1]))
    height, width = shot.seen.shape
    x, y = min(x, width - 1), min(y, height - 1)
    if not shot.seen[y, x]:
        raise SettingError("there is nothing there; click on the sculpt itself")
    place = (plan.site.surface.points[shot.corners[y, x]] * shot.weights[y, x][:, None]).sum(axis=0)
    return jsonify(sculpt=[round(float(n), 4) for n in place])


Work = Callable[[PlanSheet, int, Photo, Say], dict[str, bytes]]  # from a plan, coats that are on, and a photo


def _of_photo(
    kind: str, sculpt_id: int, given: dict[str, Any], work: Work, *more: Any
) -> tuple[str, int, tuple[Response, int] | None]:
    """What is worked out of a photo (photo, step) once for the same, and more that it depends on: the key of the
    blobs it is kept as, the revision of the plan, and how far it is where it is not there yet."""
    sha, step = str(given.get("photo", "")), given.get("step")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        key = key_of(kind, CHECK, sculpt.id, sculpt.plan_id, sculpt.surface_key, sha, step, *more)
        turn = sculpt.plan_id
    cache = workshop().store.cache

    def worked_out(say: Say) -> None:
        say("Looking at the photo", 0.1)
        own = photos.kept(sha)
        with workshop().store.session() as session:
            _, plan = sheet_of(session, the_sculpt(session, sculpt_id))
        cache.put(key, blobs=work(plan, _step(plan, "" if step is None else str(step)), own, say))

    working = None if key in cache else in_background((kind, key), worked_out)
    return key, turn, not_yet(working) if working else None


def _points(given: dict[str, Any]) -> Any:
    if not isinstance(given.get("points"), list):
        raise SettingError("match some points first")
    return points_from(given["points"])


def _kept_as(key: str, name: str) -> dict[str, Any]:
    return json.loads(workshop().store.cache.blob(key, name))


@blueprint.post("/sculpts/<int:sculpt_id>/check/pose")
def pose(sculpt_id: int) -> Response | tuple[Response, int]:
    """The pose that fits the model's outline in a photo (photo, step): spots that are matched by it, and the
    predicted picture to lie over the photo."""

    def work(plan: PlanSheet, count: int, own: Photo, say: Say) -> dict[str, bytes]:
        seen = plan.context.simulation.reflectance(plan.coats[:count])
        say("Looking for the look that fits the outline", 0.2)
        found = proposed_pose(plan.site, seen, own, plan.context.view)
        say("Laying the sculpt over the photo", 0.7)
        camera = aligned(plan.site, seen, own, found.camera)
        pixels = camera.project(found.sculpt)[0]
        spots = [
            {"photo": [round(float(n), 2) for n in at], "sculpt": [round(float(n), 4) for n in place]}
            for at, place in zip(pixels, found.sculpt, strict=True)
        ]
        return {
            "pose.json": json.dumps({"points": spots, "common": round(found.common, 3)}).encode(),
            "over.png": png_bytes(predicted_picture(plan.site, seen, camera, own.size)),
        }

    key, _, waiting = _of_photo("pose", sculpt_id, asked(), work)
    if waiting:
        return waiting
    over = url_for(".result", sculpt_id=sculpt_id, key=key, name="over.png")
    return jsonify(over=over, **_kept_as(key, "pose.json"))


@blueprint.post("/sculpts/<int:sculpt_id>/check/lamp")
def lamp(sculpt_id: int) -> Response | tuple[Response, int]:
    """Where the lamp of a photo shines (photo, points, step), in words; it can be taken by its key."""
    given = asked()
    points = _points(given)

    def work(plan: PlanSheet, count: int, own: Photo, say: Say) -> dict[str, bytes]:
        say("Trying the lamp all round", 0.2)
        found = lamp_in_photo(plan.site, plan.context.simulation.reflectance(plan.coats[:count]), own, points)
        rig = found.rig(plan.context.plan.light)
        return {"lamp.json": json.dumps({"words": found.words, "rig": plain(rig)}).encode()}

    key, _, waiting = _of_photo("lamp of", sculpt_id, given, work, given["points"])
    return waiting or jsonify(key=key, words=_kept_as(key, "lamp.json")["words"])


@blueprint.post("/sculpts/<int:sculpt_id>/check")
def found(sculpt_id: int) -> Response | tuple[Response, int]:
    """The verdict on a photo: photo, points, step, grey (a pixel)."""
    given = asked()
    points, grey = _points(given), given.get("grey")
    if grey is not None and not (isinstance(grey, list) and len(grey) == 2):
        raise SettingError("the grey card is a place in the photo")

    def work(plan: PlanSheet, count: int, own: Photo, say: Say) -> dict[str, bytes]:
        say("Laying the sculpt over the photo", 0.2)
        coats, site, simulation = plan.coats[:count], plan.site, plan.context.simulation
        card = None if grey is None else (float(grey[0]), float(grey[1]))
        done = checked_photo(site, simulation, coats, own, points, card, plan.coats)
        camera = done.camera.sized(*own.size)
        return {
            "check.json": json.dumps(_report(done)).encode(),
            "coats.json": json.dumps([f.coat and plain(f.coat) for f in done.faults]).encode(),
            "map.png": png_bytes(map_picture(site, done.comparison, own, camera)),
            "over.png": png_bytes(predicted_picture(site, simulation.reflectance(coats), camera, own.size)),
        }

    key, turn, waiting = _of_photo("check", sculpt_id, given, work, given["points"], grey)
    if waiting:
        return waiting
    pictures = {
        name: url_for(".result", sculpt_id=sculpt_id, key=key, name=f"{name}.png") for name in ("map", "over")
    }
    return jsonify(key=key, turn=turn, **_kept_as(key, "check.json"), **pictures)


def _report(done: Checked) -> dict[str, Any]:
    return {
        "faults": [
            {"region": f.region, "kind": f.kind, "words": f.words, "mend": f.mend, "takes": f.coat is not None}
            for f in done.faults
        ],
        "words": list(done.words),
        "troubles": list(done.troubles),
        "reprojection": round(done.pose.reprojection_px, 1),
        "left_out": list(done.pose.outliers),
        "regions": [
            {"name": r.name, "off": round(r.value_off, 2), "de00": round(r.de00, 1)}
            for r in done.comparison.regions
            if r.number
        ],
    }


@blueprint.get("/sculpts/<int:sculpt_id>/check/<key>/<name>")
def result(sculpt_id: int, key: str, name: str) -> Response:
    """The map, or the predicted picture to lie over the photo."""
    if name not in ("map.png", "over.png") or not key.isalnum():
        abort(404)
    with workshop().store.session() as session:
        the_sculpt(session, sculpt_id)
    try:
        return picture(workshop().store.cache.blob(key, name))
    except KeyError:
        abort(404)


@blueprint.post("/sculpts/<int:sculpt_id>/check/take")
def take(sculpt_id: int) -> tuple[Response, int] | Response:
    """Take a mend into the plan as a coat: key (of the check), number (of the fault), turn; or do: lamp, the lamp of
    a photo as the plan's own, by its key."""
    done = change(sculpt_id, _taken)
    return jsonify(turn=done) if isinstance(done, int) else done


def _taken(session: Session, own: Opened, what: str, given: dict[str, Any]) -> Edit:
    key = str(given["key"])
    if what == "lamp":
        try:
            wanted = json.loads(workshop().store.cache.blob(key, "lamp.json"))["rig"]
        except KeyError:
            raise SettingError("this lamp is not at hand any more; look for it again") from None
        return Edit(
            replace(own.kept.plan, light=built(Rig, wanted, "the light", whole=True)),
            "lamp taken from a photo",
            done=("light",),
        )
    n = int(given["number"])
    try:
        coats = json.loads(workshop().store.cache.blob(key, "coats.json"))
    except KeyError:
        raise SettingError("this check is not at hand any more; check the photo again") from None
    if not 0 <= n < len(coats) or coats[n] is None:
        raise SettingError("this mend is no coat; do it as it says")
    coat = coat_from(coats[n])
    plan = own.kept.plan
    after = own.context.after("colour")
    at = len(plan.coats) - len([c for c in plan.coats if c in after])
    return Edit(
        replace(plan, coats=(*plan.coats[:at], coat, *plan.coats[at:])), f"mended: {coat.label}", done=("colour",)
    )
