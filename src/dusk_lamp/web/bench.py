"""The bench: the sculpt on its turntable, and the panels of the stages that share it."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, redirect, render_template, url_for
from scipy.spatial import ConvexHull, QhullError
from werkzeug.wrappers import Response as AnyResponse

from ..core.paint.value import grey_hex, grey_srgb
from ..core.sculpt.surface import Surface
from ..core.view.camera import VIEWS
from ..store.preparing import glimpsed
from . import stage_registry
from .responses import LEVELS_PER_VALUE, packed
from .workshop import hurried, laid_out, prepare_again, the_sculpt, wants_json, workshop

blueprint = Blueprint("bench", __name__)
GROUNDS = {"dark": 3.0, "middle": 5.0, "light": 7.0}  # the three greys the sculpt can stand on, Munsell value
BENCH_NAMES = ", ".join(stage.name for stage in stage_registry.ON_BENCH)


@blueprint.get(f"/sculpts/<int:sculpt_id>/<any({BENCH_NAMES}):stage>")
def bench(sculpt_id: int, stage: str) -> str | AnyResponse:
    """The turntable with every panel, the one asked for in front."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return waiting(sculpt, stage)
        try:
            laid = workshop().sculpts.of(sculpt)
        except KeyError:  # the cache has lost it
            laid = None
    if laid is None:
        prepare_again(sculpt_id, sculpt.surface_key)
        return redirect(url_for(".bench", sculpt_id=sculpt_id, stage=stage))
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        return render_template(
            "bench.html",
            sculpt=sculpt,
            stage=stage,
            stages=stage_registry.string_of(sculpt, stage),
            on_bench=stage_registry.ON_BENCH,
            panels={s.name: s.page.panel(session, sculpt, laid) for s in stage_registry.ON_BENCH},
            kept=light_kept(sculpt),
            footprint=footprint(laid.site.surface),
            grounds={name: grey_hex(v) for name, v in GROUNDS.items()},
            views=VIEWS,
        )


def light_kept(sculpt: Any) -> dict[str, Any]:
    """Light and greys as they are kept."""
    document = sculpt.document
    return {"rig": document["light"], "greys": document["greys"], "exposure": document["exposure"]}


@blueprint.get("/sculpts/<int:sculpt_id>/light.json")
def light_now(sculpt_id: int) -> Response:
    """Light and greys as they are kept, for a page whose plan was changed elsewhere or undone."""
    with workshop().store.session() as session:
        return jsonify(light_kept(the_sculpt(session, sculpt_id)))


def waiting(sculpt: Any, stage: str) -> str:
    """The page that waits until the sculpt is laid out; what is looked at is laid out first."""
    hurried(sculpt)
    return render_template(
        "waiting.html",
        sculpt=sculpt,
        stages=stage_registry.string_of(sculpt, stage),
        string_of=stage_registry.string_of,
    )


def footprint(surface: Surface) -> str:
    """The outline of the sculpt seen from above as an SVG path in a box of −1..1, the front downwards."""
    points = surface.outermost[:, :2].astype(float)
    try:
        ring = points[ConvexHull(points).vertices]
    except QhullError:  # a sheet on edge has no outline from above
        return ""
    reach = max(float(np.hypot(*ring.T).max()), 1e-9)
    return "M" + "L".join(f"{x / reach:.3f} {-y / reach:.3f}" for x, y in ring) + "Z"


@blueprint.get("/sculpts/<int:sculpt_id>/surface.bin")
def surface(sculpt_id: int) -> Response:
    """The working surface as raw bytes: a JSON heading, positions, normals (int8 × 4), faces, and the samples and
    faces of the rough form, which is lit and drawn while a lamp is dragged.

    Heading: counts, bounds, the grey levels that value bytes stand for, and the cameras of the named views.
    """
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, closed = laid_out(sculpt), (sculpt.findings or {}).get("holes") == 0
    s, rough = laid.site.surface, laid.rough
    heading = {
        "samples": len(s),
        "faces": len(s.faces),
        "rough": len(rough.chosen),
        "rough_faces": len(rough.faces),
        "low": s.points.min(axis=0).tolist(),
        "high": s.points.max(axis=0).tolist(),
        "greys": grey_srgb(np.arange(256) / LEVELS_PER_VALUE).tolist(),
        "views": VIEWS,
        "parts": int(s.part.max()) + 1,
        "closed": closed,
    }
    normals = np.zeros((len(s), 4), np.int8)
    normals[:, :3] = np.round(s.normals * 127)
    return packed(
        heading, s.points, normals, s.faces, rough.chosen, rough.chosen[rough.faces], s.part.astype(np.uint8)
    )


@blueprint.post("/sculpts/<int:sculpt_id>/done/<stage>")
def done(sculpt_id: int, stage: str) -> AnyResponse:
    """Light the lamp of a stage and go on to the next."""
    if stage not in {s.name for s in stage_registry.ON_BENCH}:
        abort(404)
    onward = stage_registry.after(stage)
    page = next(s for s in stage_registry.ON_BENCH if s.name == stage).page
    if hasattr(page, "confirm"):
        page.confirm(sculpt_id)
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        here = next(s for s in stage_registry.ON_BENCH if s.name == stage)
        reached = [] if onward.on_bench else [onward.name]
        stage_registry.mark_done(sculpt, *([] if here.optional else [stage]), *reached)
    if wants_json():
        return Response(status=204)
    return redirect(url_for_stage(onward.name, sculpt_id))


def url_for_stage(name: str, sculpt_id: int) -> str:
    """The address of a stage."""
    if name in {s.name for s in stage_registry.ON_BENCH}:
        return url_for("bench.bench", sculpt_id=sculpt_id, stage=name)
    return url_for(f"{name}.{name}", sculpt_id=sculpt_id)


@blueprint.get("/sculpts/<int:sculpt_id>/state")
def state(sculpt_id: int) -> Response:
    """How far the preparation is, for a page that waits for the sky: as long as it asks, its job goes first."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        job = sculpt.latest_job()
        if sculpt.sky_key is None:
            hurried(sculpt)
        return jsonify(
            ready=sculpt.ready,
            sky=sculpt.sky_key is not None,
            glimpse=sculpt.sky_key is None and glimpsed(workshop().store.cache, sculpt.surface_key),
            step=job.step if job else "",
            share=job.share if job else 1.0,
            state=job.state if job else "done",
            message=job.message if job else "",
            stages=[[s["name"], s["lamp"], s["said"]] for s in stage_registry.string_of(sculpt)],
        )
