"""The pose of the model in a photo, and what is off in one or several."""

import io
import json
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import numpy as np
from flask import Response, abort, jsonify, url_for

from ...core.check.align import aligned
from ...core.check.compare import Comparison, RegionOff
from ...core.check.outline import proposed_pose
from ...core.check.photo import Photo
from ...core.check.verdict import Fault
from ...core.check.whole import (
    Checked,
    checked_photo,
    judged_together,
    map_picture,
    predicted_picture,
)
from ...core.errors import SettingError
from ...core.plain import plain
from ...core.view.formats import png_bytes
from ...store import log
from ...store.cache import code_mark, key_of
from ..background import Say
from ..body import BodyError, json_body
from ..responses import picture
from ..sheets import PlanSheet, sheet_of
from ..workshop import the_sculpt, workshop
from .common import (
    MOST_PHOTOS,
    PHOTO,
    blueprint,
    coats_done,
    kept_as,
    of_photo,
    points_in,
)


@blueprint.post("/sculpts/<int:sculpt_id>/check/pose")
def pose(sculpt_id: int) -> Response | tuple[Response, int]:
    """The pose that fits the model's outline in a photo (photo, step): spots that are matched by it, and the
    predicted picture to lie over the photo."""

    def work(plan: PlanSheet, count: int, photo: Photo, say: Say) -> dict[str, bytes]:
        seen = plan.context.simulation.reflectance(plan.coats[:count])
        say("Looking for the look that fits the outline", 0.2)
        found = proposed_pose(plan.site, seen, photo, plan.context.view)
        say("Laying the sculpt over the photo", 0.7)
        camera = aligned(plan.site, seen, photo, found.camera)
        pixels = camera.project(found.sculpt)[0]
        spots = [
            {"photo": [round(float(n), 2) for n in at], "sculpt": [round(float(n), 4) for n in place]}
            for at, place in zip(pixels, found.sculpt, strict=True)
        ]
        return {
            "pose.json": json.dumps({"points": spots, "common": round(found.common, 3)}).encode(),
            "over.png": png_bytes(predicted_picture(plan.site, seen, camera, photo.size)),
        }

    key, _, waiting = of_photo("pose", sculpt_id, json_body(), work)
    if waiting:
        return waiting
    over = url_for(".result", sculpt_id=sculpt_id, key=key, name="over.png")
    return jsonify(over=over, **kept_as(key, "pose.json"))


@blueprint.post("/sculpts/<int:sculpt_id>/check")
def found(sculpt_id: int) -> Response | tuple[Response, int]:
    """The verdict on a photo: photo, points, step, grey (a pixel)."""
    given = json_body()
    points = points_in(given)
    try:
        grey = None if given.get("grey") is None else given.numbers("grey", 2)
    except BodyError:
        raise SettingError("the grey card is a place in the photo") from None

    def work(plan: PlanSheet, count: int, photo: Photo, say: Say) -> dict[str, bytes]:
        say("Laying the sculpt over the photo", 0.2)
        coats, site, simulation = plan.coats[:count], plan.site, plan.context.simulation
        card = None if grey is None else (grey[0], grey[1])
        done = checked_photo(site, simulation, coats, photo, points, card, plan.coats)
        camera = done.camera.sized(*photo.size)
        return {
            "check.json": json.dumps(_report(done, done.comparison.near(site))).encode(),
            "coats.json": json.dumps([f.coat and plain(f.coat) for f in done.faults]).encode(),
            "comparison.npz": _packed(done.comparison),
            "map.png": png_bytes(map_picture(site, done.comparison, photo, camera)),
            "over.png": png_bytes(predicted_picture(site, simulation.reflectance(coats), camera, photo.size)),
        }

    key, turn, waiting = of_photo("check", sculpt_id, given, work, given["points"], grey)
    if waiting:
        return waiting
    _note_near(sculpt_id, str(given.get("photo", "")), float(kept_as(key, "check.json")["near"]))
    pictures = {
        name: url_for(".result", sculpt_id=sculpt_id, key=key, name=f"{name}.png") for name in ("map", "over")
    }
    return jsonify(key=key, turn=turn, **kept_as(key, "check.json"), **pictures)


def _packed(found: Comparison) -> bytes:
    """A comparison as it is kept, to be judged with others."""
    out = io.BytesIO()
    regions = json.dumps([asdict(r) for r in found.regions])
    overall = np.nan if found.overall is None else found.overall
    np.savez_compressed(out, off=found.off, overall=overall, regions=np.array(regions))
    return out.getvalue()


def _unpacked(key: str) -> Comparison:
    try:
        kept = np.load(io.BytesIO(workshop().store.cache.blob(key, "comparison.npz")), allow_pickle=False)
    except KeyError:
        raise SettingError("one of these checks is not at hand any more; check its photo again") from None
    overall = float(kept["overall"])
    nothing = np.zeros((0, 0))
    return Comparison(
        kept["off"],
        nothing.astype(np.int32),
        tuple(RegionOff(**r) for r in json.loads(str(kept["regions"]))),
        None if np.isnan(overall) else overall,
        nothing.astype(np.bool_),
    )


def _note_near(sculpt_id: int, sha: str, near: float) -> None:
    """Write down beside a photo how much of it is as planned."""
    with workshop().store.saving() as session:
        for row in log.search(session, PHOTO, sculpt_id, 200)[0]:
            entry = log.entry_in(row)
            if entry.photo == sha and entry.near != near:
                log.change_entry(session, row.id, {"near": near})


@blueprint.post("/sculpts/<int:sculpt_id>/check/together")
def together(sculpt_id: int) -> Response:
    """Several photos of one step judged together: keys (of their checks), step."""
    given = json_body()
    keys = given.get("keys")
    if not isinstance(keys, list) or not 2 <= len(keys) <= MOST_PHOTOS or not all(str(k).isalnum() for k in keys):
        raise SettingError(f"two to {MOST_PHOTOS} photos are judged together; check them first")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        turn = sculpt.plan_id
    step = given.get("step")
    seen = plan.context.simulation.reflectance(plan.coats[: coats_done(plan, "" if step is None else str(step))])
    comparisons = [_unpacked(str(k)) for k in keys]
    if any(len(c.off) != len(plan.site) for c in comparisons):
        raise SettingError("the sculpt has changed since these photos were checked; check them again")
    found, faults, words = judged_together(plan.site, seen, comparisons, plan.coats)
    key = key_of("check together", code_mark(), sculpt_id, turn, *keys)
    coats = json.dumps([f.coat and plain(f.coat) for f in faults]).encode()
    workshop().store.cache.put(key, blobs={"coats.json": coats})
    return jsonify(key=key, turn=turn, faults=_fault_rows(faults), words=list(words), near=found.near(plan.site))


def _fault_rows(faults: Sequence[Fault]) -> list[dict[str, Any]]:
    return [
        {"region": f.region, "kind": f.kind, "words": f.words, "mend": f.mend, "takes": f.coat is not None}
        for f in faults
    ]


def _report(done: Checked, near: float) -> dict[str, Any]:
    return {
        "faults": _fault_rows(done.faults),
        "words": list(done.words),
        "near": round(near, 3),
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
