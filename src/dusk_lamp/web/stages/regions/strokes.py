"""What a stroke, a dab or a click on the sculpt takes."""

import numpy as np
from flask import Response

from ....core.errors import SettingError
from ....core.sculpt import brush
from ....core.sculpt import regions as growth
from ....core.sculpt.parts import spot
from ....store.open_sculpts import OpenSculpt
from ...body import Body, json_body
from ...editing import sight
from ...responses import packed
from ...workshop import laid_out, the_sculpt, workshop
from .common import blueprint

MOST_DABS = 400  # in one stroke


@blueprint.post("/sculpts/<int:sculpt_id>/dab")
def dab(sculpt_id: int) -> Response:
    """The samples under a brush in motion, to be shown at once: rays in, int32 sample numbers out. Nothing is
    kept."""
    given = json_body()
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    touched = under_stroke(laid, given)
    return packed({"touched": len(touched)}, touched.astype(np.int32))


def _spot(laid: OpenSculpt, given: Body, line: Body) -> tuple[int, np.ndarray] | None:
    hidden = frozenset(given.wholes("hidden", usual=()))
    pulled = min(1.0, max(0.0, given.decimal("pulled", 0)))
    return spot(laid.site.surface, *sight(line), hidden, np.float32(pulled) * laid.pulled if pulled else None)


def spots(laid: OpenSculpt, given: Body) -> list[tuple[int, np.ndarray, np.ndarray]]:
    """Where a stroke's rays meet the sculpt: the nearest sample, the place (3,) mm, and the unit vector (3,) back to
    the eye."""
    out = []
    for line in given.bodies("rays", MOST_DABS):
        met = _spot(laid, given, line)
        if met is not None:
            toward = -sight(line)[1]
            out.append((_corner(laid, *met), met[1], toward / np.linalg.norm(toward)))
    return out


def _corner(laid: OpenSculpt, face: int, place: np.ndarray) -> int:
    """The corner of a face that is nearest to a place on it."""
    surface = laid.site.surface
    corners = surface.faces[face]
    return int(corners[np.argmin(np.linalg.norm(surface.points[corners] - place, axis=1))])


def under_stroke(laid: OpenSculpt, given: Body) -> np.ndarray:
    """The samples (M,) under a stroke of the brush."""
    radius, through = given.decimal("radius"), bool(given.get("through"))
    touched = [brush.dab(laid.site.surface, place, eye, radius, through) for _, place, eye in spots(laid, given)]
    return np.unique(np.concatenate(touched)) if touched else np.zeros(0, np.int64)


def picked(laid: OpenSculpt, given: Body) -> np.ndarray:
    """(N,) what a click takes: up to the creases, a part, or all that is alike."""
    surface = laid.site.surface
    met = _spot(laid, given, given)
    if met is None:
        raise SettingError("there is nothing there; click on the sculpt itself")
    face, place = met
    tool = given.get("tool", "creases")
    if tool == "part":
        return growth.by_part(surface, place)
    if tool == "alike":
        near = given.decimal("near", brush.USUAL_LIKENESS)
        return brush.alike(laid.looks, _corner(laid, face, place), near) & laid.site.paintable
    return growth.grow(surface, place, given.decimal("crease", growth.USUAL_CREASE), laid.site.bends, face)
