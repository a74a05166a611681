"""The light: a lamp, a sky and a ground, lit as often as asked; and what is kept of it and of the greys."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify
from sqlalchemy import update
from sqlalchemy.orm import Session

from ...core.errors import SettingError, Stopped
from ...core.light.rig import MOVING_RAYS, PRESETS, STRONGEST_SKY, Rig
from ...core.paint.value import grey_hex
from ...core.plain import built, plain
from ...core.target.exposure import Exposure
from ...core.target.greys import Greys, lay_bands, value_histogram
from ...core.target.target import target
from ...store.laid import Laid
from ...store.models import Sculpt
from ..packet import LEVELS_PER_VALUE, packed
from ..workshop import asked, laid_out, the_sculpt, workshop
from . import mark_done

blueprint = Blueprint("light", __name__)

SIZES = {"hard": 0.0, "bulb": 8.0, "softbox": 30.0, "window": 60.0, "overcast": 120.0}


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows."""
    site = laid.site
    return {
        "presets": PRESETS, "sizes": SIZES, "strongest_sky": STRONGEST_SKY, "spacing": site.surface.spacing,
        "samples": len(site), "area": float(site.areas.sum()),
    }  # fmt: skip


def _wishes(given: dict[str, Any]) -> tuple[Rig, Greys, Exposure]:
    if not {"rig", "greys", "exposure"} <= given.keys():
        raise SettingError("the settings that arrived are incomplete; reload the page")
    return (
        built(Rig, given["rig"], "the light", whole=True), built(Greys, given["greys"], "the greys", whole=True),
        built(Exposure, given["exposure"], "the brightness", whole=True),
    )  # fmt: skip


@blueprint.post("/sculpts/<int:sculpt_id>/relight")
def relight(sculpt_id: int) -> Response:
    """Light the sculpt as asked, without keeping it: value and step of every sample, a byte each.

    `moving`: the lamp is being dragged; only the quick samples are lit, with few rays, and the greys are left out. A
    whole light that is being worked out then gives way: 204, no fault of anybody's.
    """
    given = asked()
    rig, wanted, exposure = _wishes(given)
    moving = bool(given.get("moving"))
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    site = laid.quick if moving else laid.site
    laid.motion += moving
    seen = laid.motion
    try:
        if moving:
            lit = target(site, rig, exposure=exposure, rays=MOVING_RAYS)
        else:
            lit = laid.lit(rig, exposure, lambda: laid.motion != seen)
    except Stopped:
        return Response(status=204)
    levels = np.round(lit.value * LEVELS_PER_VALUE).astype(np.uint8)[site.shown]
    heading: dict[str, Any] = {"moving": moving, "sky": site.outlook is not None}
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
    given = asked()
    rig, wanted, exposure = _wishes(given)
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if given.get("revision") != sculpt.revision and not given.get("anyway"):
            theirs = {"rig": sculpt.rig, "greys": sculpt.greys, "exposure": sculpt.exposure}
            return jsonify(
                error="This sculpt was changed in another tab.", theirs=theirs, revision=sculpt.revision
            ), 409
        revision = sculpt.revision + 1
        lit = (sculpt.rig, sculpt.exposure) != (plain(rig), plain(exposure))
        cut = sculpt.greys != plain(wanted)
        session.execute(  # refused by the database itself where another save was quicker
            update(Sculpt)
            .where(Sculpt.id == sculpt.id, Sculpt.revision == sculpt.revision)
            .values(rig=plain(rig), greys=plain(wanted), exposure=plain(exposure), revision=revision)
        )
        session.refresh(sculpt)
        mark_done(sculpt, *(["light"] if lit else []), *(["greys"] if cut else []))
        return jsonify(revision=revision)
