"""The health of a sculpt: what is wrong with its surface, where, and what mends it or why it need not be mended."""

from dataclasses import replace

import numpy as np
from flask import Blueprint, Response, abort, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SettingError
from ..core.sculpt.health import Find, examined
from ..core.sculpt.site import Site
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.step_picture import marked_picture
from ..store import plans, preparing
from ..store.cache import code_mark, key_of
from ..store.models import Sculpt
from ..store.open_sculpts import OpenSculpt
from .bench import waiting
from .stage_registry import string_of
from .workshop import laid_out, the_sculpt, workshop

blueprint = Blueprint("health", __name__)
FIND_SIZE = (420, 420)


@blueprint.get("/sculpts/<int:sculpt_id>/health")
def health(sculpt_id: int) -> str:
    """What is wrong with the surface, where, and what mends it or why it need not be mended."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return waiting(sculpt, "parts")
        finds = _finds(sculpt, laid_out(sculpt))
        return render_template(
            "health.html",
            sculpt=sculpt,
            stages=string_of(sculpt, "parts"),
            finds=finds,
            key=_health_key(sculpt)[:10],
        )


def _health_key(sculpt: Sculpt) -> str:
    return key_of("health", code_mark(), sculpt.surface_key, sculpt.sky_key is not None)


def _finds(sculpt: Sculpt, laid: OpenSculpt) -> list[Find]:
    cache = workshop().store.cache
    mended_key = sculpt.mended_key or abort(409)
    try:
        facts, mended = preparing.facts_of(cache, mended_key), preparing.load_mended(cache, mended_key)
    except KeyError:
        abort(409)
    finds = examined(
        mended,
        laid.placing,
        laid.site.surface,
        laid.site.paintable,
        closed=facts.closed,
    )
    key = _health_key(sculpt)
    if key not in cache:
        cache.put(key, blobs={f"{find.kind}.png": _drawn(laid.site, find) for find in finds})
    return finds


def _drawn(site: Site, find: Find) -> bytes:
    """A picture from the side where most of it can be seen."""
    surface, marks = site.surface, find.marks
    camera = Camera(0, 8)
    if marks.any():
        best = -1.0
        for azimuth in range(-180, 180, 45):
            for elevation in (-35, 8, 50):
                here = Camera(azimuth, elevation)
                shown = float(surface.areas[marks] @ np.clip(surface.normals[marks] @ here.toward, 0, 1))
                if shown > best * 1.02:
                    best, camera = shown, here
    return png_bytes(marked_picture(site, camera, marks, *FIND_SIZE))


@blueprint.get("/sculpts/<int:sculpt_id>/health/<kind>.png")
def find_picture(sculpt_id: int, kind: str) -> Response:
    """The picture of one find."""
    with workshop().store.session() as session:
        key = _health_key(the_sculpt(session, sculpt_id))
    if not kind.isalpha():
        abort(404)
    try:
        return Response(workshop().store.cache.blob(key, f"{kind}.png"), mimetype="image/png")
    except KeyError:
        abort(404)


@blueprint.post("/sculpts/<int:sculpt_id>/mend")
def mend(sculpt_id: int) -> AnyResponse:
    """Close the holes, or open them again: form with `what`."""
    wanted = {"close_holes": True, "open_holes": False}.get(request.form.get("what", ""))
    if wanted is None:
        raise SettingError("holes can be closed or opened again; reload the page")
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        kept = plans.kept_of(session, sculpt)
        plan = replace(kept.plan, sculpt=replace(kept.plan.sculpt, holes_closed=wanted))
        plans.keep(session, sculpt, replace(kept, plan=plan), "holes closed" if wanted else "holes opened again")
        job = plans.after_change(session, sculpt, kept.plan)
    if job is not None:
        workshop().queue.add(job.id)
    return redirect(url_for(".health", sculpt_id=sculpt_id))
