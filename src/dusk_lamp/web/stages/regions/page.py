"""Regions as a page shows them."""

from typing import Any

import numpy as np
from flask import Response
from sqlalchemy.orm import Session

from ....core.light.lamp import Lamp
from ....core.light.rig import Rig, light_on
from ....core.plain import Range
from ....core.sculpt import brush
from ....core.sculpt import regions as growth
from ....core.sculpt.marking import ATTENTION, MATERIALS, TABLE, TEXTURES
from ....core.sculpt.pieces import USUAL_PIECES
from ....core.sculpt.relief import lengths
from ....store.models import Sculpt
from ....store.open_sculpts import OpenSculpt
from ...editing import opened
from ...responses import packed
from ...workshop import colour_names, workshop
from .common import blueprint, regions_answer


def panel(session: Session, sculpt: Sculpt, laid: OpenSculpt) -> dict[str, Any]:
    """What the panel shows."""
    usual = round(brush.USUAL_BRUSH_SHARE * laid.site.surface.height, 2)
    return {
        "materials": MATERIALS,
        "attention": ATTENTION,
        "textures": TEXTURES,
        "names": sorted({word.capitalize() for one in TABLE.values() for word in one.words}),
        "usual_pieces": USUAL_PIECES,
        "usual_crease": growth.USUAL_CREASE,
        "usual_likeness": brush.USUAL_LIKENESS,
        "ways": brush.WAYS,
        "colours": colour_names(session),
        "usual_brush": usual,
        "brushes": Range("the brush", usual / 5, 5 * usual, "mm", step=usual / 20),
    }


@blueprint.get("/sculpts/<int:sculpt_id>/regions.bin")
def labels(sculpt_id: int) -> Response:
    """The marking as it holds now: a JSON heading, then a label per sample."""
    return regions_answer(sculpt_id)


@blueprint.get("/sculpts/<int:sculpt_id>/edges.bin")
def edges(sculpt_id: int) -> Response:
    """Crests and creases: a JSON heading with their lengths in mm, whole and lit by the lamp that is kept, over the
    rest and each region; then the two ends of every piece as float32, crests first."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    laid, marking, rig, surface = open_plan.open, open_plan.site.marking, open_plan.plan.light, open_plan.site.surface
    light = np.zeros(len(surface), np.float32)
    if rig.lamp is not None:
        bare = Rig(Lamp(rig.lamp.azimuth, rig.lamp.elevation), sky=0, bounce=0)
        light = light_on(laid.site, bare).total
    found = lengths(laid.site.lines, laid.site.bends, light, marking.labels, len(marking.regions))
    pieces = []
    for convex in (True, False):
        ends = [np.repeat(line.places, 2, axis=0)[1:-1] for line in laid.site.lines if line.convex == convex]
        pieces.append(np.concatenate(ends) if ends else np.zeros((0, 3), np.float32))
    heading = {
        **found,
        "whole": {name: {key: round(sum(each), 1) for key, each in lists.items()} for name, lists in found.items()},
        "crest_pieces": len(pieces[0]) // 2,
        "crease_pieces": len(pieces[1]) // 2,
        "names": ["the rest", *(r.name for r in marking.regions)],
    }
    return packed(heading, *pieces)
