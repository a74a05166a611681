"""The bench: the sculpt on its turntable under the lamp, and the ladder of greys laid on it."""

import json
import struct
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, redirect, render_template, request, url_for
from scipy.spatial import ConvexHull, QhullError
from werkzeug.wrappers import Response as AnyResponse

from ..core.coat.coat import TECHNIQUES
from ..core.coat.hand import POSES
from ..core.coat.spray import WAYS as SPRAY_WAYS
from ..core.errors import SettingError
from ..core.light.rig import BENCH_RAYS, MOVING_RAYS, PRESETS, STRONGEST_SKY, Rig, light_on
from ..core.paint.value import grey_hex, grey_srgb
from ..core.plan.ladder import FEWEST_STEPS, MOST_STEPS, Ladder, lay_bands, value_histogram
from ..core.plan.spray_fit import HELD_DEGREES
from ..core.plan.target import Exposure, target_value
from ..core.plan.undercoat import SCHOOLS, middles
from ..core.sculpt.brush import USUAL_BRUSH_SHARE, USUAL_LIKENESS, WAYS
from ..core.sculpt.display import MOST_SPOTS
from ..core.sculpt.marking import ATTENTION, MATERIALS
from ..core.sculpt.regions import USUAL_CREASE
from ..core.sculpt.surface import Surface
from ..core.view.camera import VIEWS
from ..store.models import Sculpt
from ..store.paints import rack_of
from ..store.scenes import Laid
from .app import workshop
from .common import colour_names, mark_done, shelf_of, stages_of, the_sculpt

blueprint = Blueprint("bench", __name__)
LEVELS_PER_VALUE = 25  # a value of 0..10 travels to the browser as one byte
GROUNDS = {"dark": 3.0, "middle": 5.0, "light": 7.0}  # the three greys the sculpt can stand on, Munsell value
SIZES = {"hard": 0.0, "bulb": 8.0, "softbox": 30.0, "window": 60.0, "overcast": 120.0}


@blueprint.get("/sculpts/<int:sculpt_id>/parts")
def parts(sculpt_id: int) -> str:
    """Take the sculpt apart."""
    return _bench(sculpt_id, "parts")


@blueprint.get("/sculpts/<int:sculpt_id>/view")
def view(sculpt_id: int) -> str:
    """Say how the model is looked at."""
    return _bench(sculpt_id, "view")


@blueprint.get("/sculpts/<int:sculpt_id>/regions")
def regions(sculpt_id: int) -> str:
    """Mark the regions."""
    return _bench(sculpt_id, "regions")


@blueprint.get("/sculpts/<int:sculpt_id>/light")
def light(sculpt_id: int) -> str:
    """Set the lamp."""
    return _bench(sculpt_id, "light")


@blueprint.get("/sculpts/<int:sculpt_id>/ladder")
def ladder(sculpt_id: int) -> str:
    """Choose the greys."""
    return _bench(sculpt_id, "ladder")


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat")
def undercoat(sculpt_id: int) -> str:
    """Spray, brush and wash the undercoat."""
    return _bench(sculpt_id, "undercoat")


def _bench(sculpt_id: int, stage: str) -> str:
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return render_template(
                "waiting.html", sculpt=sculpt, stages=stages_of(sculpt, stage), stages_of=stages_of
            )
        site = laid_out(sculpt).site
        return render_template(
            "bench.html", sculpt=sculpt, stage=stage, stages=stages_of(sculpt, stage), presets=PRESETS, sizes=SIZES,
            rig=Rig.from_dict(sculpt.rig), ladder=Ladder.from_dict(sculpt.ladder), exposure=Exposure(**sculpt.exposure),
            footprint=footprint(site.surface), grounds={name: grey_hex(v) for name, v in GROUNDS.items()},
            strongest_sky=STRONGEST_SKY, views=VIEWS, fewest=FEWEST_STEPS, most=MOST_STEPS,
            materials=MATERIALS,
            attention=ATTENTION,
            usual_crease=USUAL_CREASE,
            usual_likeness=USUAL_LIKENESS,
            usual_brush=round(USUAL_BRUSH_SHARE * site.surface.height, 2),
            ways=WAYS,
            most_spots=MOST_SPOTS,
            display=sculpt.display,
            colours=colour_names(session),
            schools=SCHOOLS,
            techniques=TECHNIQUES,
            poses=POSES,
            held=HELD_DEGREES,
            ladder_colours=middles(rack_of(session)),
            spray_ways=SPRAY_WAYS,
            shelf=[s for s in shelf_of(session) if s.ready and s.id != sculpt_id],
            spacing=site.surface.spacing, samples=len(site.surface), area=float(site.surface.areas[site.paintable].sum()),
        )  # fmt: skip


def laid_out(sculpt: Sculpt) -> Laid:
    """The sculpt laid out in memory, or a 409 while it is being prepared."""
    try:
        return workshop().scenes.of(sculpt)
    except KeyError:
        abort(409)


def footprint(surface: Surface) -> str:
    """The outline of the sculpt seen from above as an SVG path in a box of −1..1, the front downwards."""
    points = surface.points[:: max(1, len(surface) // 20_000), :2].astype(float)
    try:
        ring = points[ConvexHull(points).vertices]
    except QhullError:  # a sheet on edge has no outline from above
        return ""
    reach = max(float(np.hypot(*ring.T).max()), 1e-9)
    return "M" + "L".join(f"{x / reach:.3f} {-y / reach:.3f}" for x, y in ring) + "Z"


@blueprint.get("/sculpts/<int:sculpt_id>/surface.bin")
def surface(sculpt_id: int) -> Response:
    """The working surface as raw bytes: a JSON heading, positions, normals (int8 × 4), faces, and the samples and faces
    that are lit and drawn while a lamp is dragged.

    Heading: counts, bounds, the grey levels that value bytes stand for, and the cameras of the named views.
    """
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    s = laid.site.surface
    heading = {
        "samples": len(s),
        "faces": len(s.faces),
        "quick": len(laid.chosen),
        "quick_faces": len(laid.between),
        "low": s.points.min(axis=0).tolist(),
        "high": s.points.max(axis=0).tolist(),
        "greys": grey_srgb(np.arange(256) / LEVELS_PER_VALUE).tolist(),
        "views": VIEWS,
        "parts": int(s.part.max()) + 1,
    }
    normals = np.zeros((len(s), 4), np.int8)
    normals[:, :3] = np.round(s.normals * 127)
    return packed(
        heading, s.points, normals, s.faces, laid.chosen, laid.chosen[laid.between], s.part.astype(np.uint8)
    )


def packed(heading: dict[str, Any], *arrays: np.ndarray) -> Response:
    """A JSON heading with its length before it, padded to 4 bytes, and arrays as they lie in memory."""
    text = json.dumps(heading).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + text + b"".join(np.ascontiguousarray(a).tobytes() for a in arrays)
    return Response(body, mimetype="application/octet-stream")


def _wishes(given: dict[str, Any]) -> tuple[Rig, Ladder, Exposure]:
    try:
        return (
            Rig.from_dict(given["rig"]),
            Ladder.from_dict(given["ladder"]),
            Exposure(**{k: float(v) for k, v in given["exposure"].items()}),
        )
    except SettingError:
        raise
    except (KeyError, TypeError, ValueError, AttributeError) as e:
        raise SettingError("the settings that arrived are incomplete; reload the page") from e


@blueprint.post("/sculpts/<int:sculpt_id>/relight")
def relight(sculpt_id: int) -> Response:
    """Light the sculpt as asked, without keeping it: value and step of every sample, a byte each.

    `moving`: the lamp is being dragged; only the quick samples are lit, with few rays, and the ladder is left out.
    """
    given = request.get_json()
    rig, wanted, exposure = _wishes(given)
    moving = bool(given.get("moving"))
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    site = laid.quick if moving else laid.site
    lit = light_on(site, rig, MOVING_RAYS if moving else BENCH_RAYS)
    value = target_value(lit.total, exposure, rig.full)
    levels = np.round(value * LEVELS_PER_VALUE).astype(np.uint8)
    heading: dict[str, Any] = {"moving": moving, "sky": site.outlook is not None}
    if moving:
        heading["histogram"] = np.round(value_histogram(site.surface, value, site.paintable), 1).tolist()
        return packed(heading, levels)
    bands = lay_bands(site.surface, value, wanted, exposure, site.paintable)
    heading.update(bands.as_dict())
    heading["hex"] = [grey_hex(g) for g in bands.greys]
    heading["lit_share"] = round(
        float(site.surface.areas[lit.visible > 0.5].sum() / max(site.surface.areas.sum(), 1e-9)), 4
    )
    return packed(heading, levels, bands.step)


@blueprint.put("/sculpts/<int:sculpt_id>/plan")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """Keep light and ladder. Refused with 409 where another tab has kept something since; both are then known."""
    given = request.get_json()
    rig, wanted, exposure = _wishes(given)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if given.get("revision") != sculpt.revision and not given.get("anyway"):
            theirs = {"rig": sculpt.rig, "ladder": sculpt.ladder, "exposure": sculpt.exposure}
            return jsonify(
                error="This sculpt was changed in another tab.", theirs=theirs, revision=sculpt.revision
            ), 409
        sculpt.rig, sculpt.ladder, sculpt.exposure = rig.as_dict(), wanted.as_dict(), exposure.as_dict()
        sculpt.revision += 1
        return jsonify(revision=sculpt.revision)


@blueprint.post("/sculpts/<int:sculpt_id>/done/<stage>")
def done(sculpt_id: int, stage: str) -> AnyResponse:
    """Light the lamp of a stage and go on to the next."""
    following = {
        "parts": "bench.regions",
        "regions": "bench.view",
        "view": "bench.light",
        "light": "bench.ladder",
        "ladder": "bench.undercoat",
        "undercoat": "sheet.sheet",
    }
    if stage not in following:
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        mark_done(sculpt, stage, *(["sheet"] if stage == "undercoat" else []))
    return redirect(url_for(following[stage], sculpt_id=sculpt_id))


@blueprint.get("/sculpts/<int:sculpt_id>/state")
def state(sculpt_id: int) -> Response:
    """How far the preparation is, for a page that waits for the sky."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        job = sculpt.latest_job
        return jsonify(
            ready=sculpt.ready, sky=sculpt.sky_key is not None, step=job.step if job else "",
            share=job.share if job else 1.0, state=job.state if job else "done", message=job.message if job else "",
        )  # fmt: skip
