"""The light: a lamp, a sky and a ground, lit as often as asked; and what is kept of it and of the greys."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify
from sqlalchemy.orm import Session

from ...core.errors import SettingError, Stopped
from ...core.light.rig import MOVING_RAYS, PRESETS, Rig
from ...core.paint.rack import Rack
from ...core.paint.value import grey_hex
from ...core.plain import built, plain
from ...core.plan.context import Context
from ...core.plan.document import Plan
from ...core.plan.registry import features
from ...core.target.exposure import Exposure
from ...core.target.greys import Greys, lay_bands, value_histogram
from ...core.target.target import target
from ...core.workplace.tools import Tools
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..body import Body, json_body
from ..editing import Edit, OpenPlan, changed
from ..responses import LEVELS_PER_VALUE, packed
from ..workshop import laid_out, the_sculpt, workshop

blueprint = Blueprint("light", __name__)

SIZES = {"hard": 0.0, "bulb": 8.0, "softbox": 30.0, "window": 60.0, "overcast": 120.0}


def panel(session: Session, sculpt: Sculpt, laid: OpenSculpt) -> dict[str, Any]:
    """What the panel shows."""
    site = laid.site
    return {
        "presets": PRESETS,
        "sizes": SIZES,
        "spacing": site.surface.spacing,
        "samples": len(site),
        "area": float(site.areas.sum()),
    }


def _wishes(given: Body) -> tuple[Rig, Greys, Exposure]:
    if not {"rig", "greys", "exposure"} <= given.keys():
        raise SettingError("the settings that arrived are incomplete; reload the page")
    return (
        built(Rig, given["rig"], "the light", whole=True),
        built(Greys, given["greys"], "the greys", whole=True),
        built(Exposure, given["exposure"], "the brightness", whole=True),
    )


@blueprint.post("/sculpts/<int:sculpt_id>/relight")
def relight(sculpt_id: int) -> Response:
    """Light the sculpt as without keeping it: value and step of every sample, a byte each.

    `moving`: the lamp is being dragged; only the rough form is lit, with few rays, and the greys are left out. A
    whole light that is being worked out then gives way: 204, no fault of anybody's.
    """
    given = json_body()
    rig, wanted, exposure = _wishes(given)
    moving = bool(given.get("moving"))
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    site = laid.moving if moving else laid.site
    laid.motion += moving
    seen = laid.motion
    try:
        if moving:
            lit = target(site, rig, exposure=exposure, rays=MOVING_RAYS)
        else:
            context = Context(
                Plan(light=rig, exposure=exposure),
                site,
                Rack([]),
                Tools(),
                laid.placing,
                results=laid.results,
                features=features(),
            )
            lit = context.lit(lambda: laid.motion != seen)
    except Stopped:
        return Response(status=204)
    levels = np.round(lit.value * LEVELS_PER_VALUE).astype(np.uint8)[site.shown]
    heading: dict[str, Any] = {"moving": moving, "sky": site.visibility is not None}
    if moving:
        heading["histogram"] = plain(value_histogram(site.surface, lit.value, site.paintable), 1)
        return packed(heading, levels)
    bands = lay_bands(site.surface, lit.value, wanted, exposure, site.paintable)
    heading.update(bands.report())
    heading["hex"] = [grey_hex(g) for g in bands.greys]
    lit_area = float(site.surface.areas[lit.light.visible > 0.5].sum() / max(site.surface.areas.sum(), 1e-9))
    heading["lit_share"] = round(lit_area, 4)
    return packed(heading, levels, bands.step[site.shown])


@blueprint.put("/sculpts/<int:sculpt_id>/plan")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """Keep light and greys. Refused with 409 where another tab has kept something since; both are then known."""
    given = json_body()
    wishes = _wishes(given)
    done = changed(sculpt_id, given, lambda session, open_plan, what, given: _kept(open_plan, *wishes), sky=False)
    if isinstance(done, int):
        return jsonify(turn=done)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        document = sculpt.document
        theirs = {"rig": document["light"], "greys": document["greys"], "exposure": document["exposure"]}
        return jsonify(
            error="This sculpt was changed in another tab.", theirs=theirs, stale=True, turn=sculpt.plan_id
        ), 409


def _kept(open_plan: OpenPlan, rig: Rig, greys: Greys, exposure: Exposure) -> Edit:
    plan = open_plan.kept.plan
    lit, cut = (plan.light, plan.exposure) != (rig, exposure), plan.greys != greys
    action = "light set" if lit else "greys chosen"
    done = (*(["light"] if lit else []), *(["greys"] if cut else []))
    return Edit(replace(plan, light=rig, greys=greys, exposure=exposure), action, done=done)
