"""Marking regions on the bench: a ray from the browser in, labels as bytes out."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.light.key import key_light
from ..core.light.lamp import Lamp
from ..core.light.rig import Rig, Scene
from ..core.sculpt import regions as growth
from ..core.sculpt.marking import Marking
from ..core.sculpt.relief import lengths
from ..store import markings
from ..store.models import Sculpt
from ..store.scenes import Laid
from .app import workshop
from .bench import laid_out, packed
from .common import the_sculpt

blueprint = Blueprint("regions", __name__)

# Colours that stay apart for every kind of colour vision: Okabe and Ito (2008), then Tol's muted scheme (2021).
# Each is shown with its number beside it.
PATCHES = (
    "#56b4e9", "#e69f00", "#009e73", "#cc79a7", "#f0e442", "#d55e00", "#0072b2", "#88ccee", "#999933", "#aa4499",
    "#ddcc77", "#44aa99", "#882255", "#117733", "#cc6677", "#332288",
)  # fmt: skip


def _answer(session: Session, sculpt: Sculpt, marking: Marking, scene: Scene) -> Response:
    areas = marking.areas(scene.surface, scene.paintable)
    undo, redo = markings.can_step(session, sculpt)
    heading = {
        "stroke": sculpt.marking_number,
        "undo": undo,
        "redo": redo,
        "rest": round(float(areas[0]), 1),
        "whole": round(float(areas.sum()), 1),
        "regions": [
            {**told, "number": k, "area": round(float(areas[k]), 1), "patch": PATCHES[(k - 1) % len(PATCHES)]}
            for k, told in enumerate(marking.as_list(), 1)
        ],
    }
    return packed(heading, marking.labels)


def _opened(session: Session, sculpt_id: int) -> tuple[Sculpt, Laid, Marking]:
    sculpt = the_sculpt(session, sculpt_id)
    laid = laid_out(sculpt)
    return sculpt, laid, markings.marking_of(session, sculpt, laid.scene.surface, workshop().store.cache)


@blueprint.get("/sculpts/<int:sculpt_id>/regions.bin")
def labels(sculpt_id: int) -> Response:
    """The marking as it holds now: a JSON heading, then a label per sample."""
    with workshop().store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        return _answer(session, sculpt, marking, laid.scene)


@blueprint.get("/sculpts/<int:sculpt_id>/edges.bin")
def edges(sculpt_id: int) -> Response:
    """Crests and creases: a JSON heading with their lengths in mm, whole and lit by the lamp that is kept, over the rest
    and each region; then the two ends of every piece as float32, crests first."""
    with workshop().store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        rig = Rig.from_dict(sculpt.rig)
    surface = laid.scene.surface
    light = np.zeros(len(surface), np.float32)
    if rig.lamp is not None:
        light = key_light(surface, Lamp(rig.lamp.azimuth, rig.lamp.elevation)).light
    told = lengths(laid.lines, laid.bends, light, marking.labels, len(marking.regions))
    pieces = []
    for convex in (True, False):
        ends = [np.repeat(line.places, 2, axis=0)[1:-1] for line in laid.lines if line.convex == convex]
        pieces.append(np.concatenate(ends) if ends else np.zeros((0, 3), np.float32))
    heading = {
        **told,
        "whole": {name: {key: round(sum(each), 1) for key, each in lists.items()} for name, lists in told.items()},
        "crest_pieces": len(pieces[0]) // 2,
        "crease_pieces": len(pieces[1]) // 2,
        "names": ["the rest", *(r.name for r in marking.regions)],
    }
    return packed(heading, *pieces)


@blueprint.post("/sculpts/<int:sculpt_id>/regions")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """One change to the marking. `stroke` says which state it was made on; a later one is refused with 409.

    do: pick (origin, direction, crease, number or null for a new region, take, part, again), describe (number and name,
    material, attention), rim (number, rounds), remove (number), undo, redo.
    """
    given = request.get_json()
    with workshop().store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        surface = laid.scene.surface
        if given.get("stroke") != sculpt.marking_number:
            return jsonify(
                error="The regions were changed in another tab; they are shown as they are now. Mark again.",
                stale=True,
            ), 409
        what = given.get("do")
        try:
            if what in ("undo", "redo"):
                markings.step(session, sculpt, -1 if what == "undo" else 1)
            elif what == "pick":
                if given.get("again") and markings.step(session, sculpt, -1):  # the same spot with another crease
                    marking = markings.marking_of(session, sculpt, surface, workshop().store.cache)
                markings.keep(session, sculpt, _picked(laid, marking, given))
            elif what == "describe":
                told = {k: str(given[k]) for k in ("name", "material", "attention") if k in given}
                markings.keep(session, sculpt, marking.described(int(given["number"]), **told))
            elif what == "rim":
                number, rounds = int(given["number"]), max(-5, min(5, int(given["rounds"])))
                mask = growth.widened(surface, marking.labels == number, rounds)
                grown = marking.painted(mask, number) if rounds > 0 else marking.painted(~mask, number, take=True)
                markings.keep(session, sculpt, grown)
            elif what == "remove":
                markings.keep(session, sculpt, marking.without(int(given["number"])))
            else:
                raise SettingError("this bench does not know that change; reload the page")
        except SettingError:
            raise
        except (KeyError, TypeError, ValueError) as e:
            raise SettingError("the change that arrived is incomplete; reload the page") from e
        marking = markings.marking_of(session, sculpt, surface, workshop().store.cache)
        return _answer(session, sculpt, marking, laid.scene)


def _picked(laid: Laid, marking: Marking, given: dict[str, Any]) -> Marking:
    surface = laid.scene.surface
    origin, direction = (np.array([float(x) for x in given[k]], np.float32) for k in ("origin", "direction"))
    if origin.shape != (3,) or direction.shape != (3,) or not np.isfinite([*origin, *direction]).all():
        raise SettingError("the spot that arrived is no place; click again")
    face, u, v = surface.caster.first_hits(origin[None], direction)
    if face[0] < 0:
        raise SettingError("there is nothing there; click on the sculpt itself")
    corners = surface.points[surface.faces[face[0]]]
    place = (1 - u[0] - v[0]) * corners[0] + u[0] * corners[1] + v[0] * corners[2]
    if given.get("part"):
        mask = growth.by_part(surface, place)
    else:
        mask = growth.grow(surface, place, float(given.get("crease", growth.USUAL_CREASE)), laid.bends, int(face[0]))
    number = given.get("number")
    return marking.painted(mask, None if number is None else int(number), take=bool(given.get("take")))
