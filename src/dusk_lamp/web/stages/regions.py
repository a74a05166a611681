"""Marking regions on the bench: a ray from the browser in, labels as bytes out."""

import tempfile
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, request
from sqlalchemy.orm import Session

from ...core.errors import SculptFileError, SettingError
from ...core.light.lamp import Lamp
from ...core.light.rig import Rig, light_on
from ...core.plain import one_line, plain
from ...core.sculpt import brush
from ...core.sculpt import regions as growth
from ...core.sculpt.guess import first_guess
from ...core.sculpt.marking import ATTENTION, MATERIALS, Marking
from ...core.sculpt.masks import mask_json, read_mask
from ...core.sculpt.parts import spot
from ...core.sculpt.relief import lengths
from ...core.target.local import local_of
from ...store import plans
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..background import Say, in_background, not_yet
from ..editing import INCOMPLETE, Edit, Opened, changed, keep, opened, sight, with_marking
from ..responses import download, packed
from ..workshop import asked, colour_names, laid_out, read_apart, the_sculpt, workshop

blueprint = Blueprint("regions", __name__)
LOOKS = {"colour", "low", "middle", "high", "shadow", "light"}  # of a region, that its sketch is made of
MOST_DABS = 400  # in one stroke
ACTIONS = {
    "pick": "region marked", "brush": "region painted", "facing": "region marked", "describe": "region described",
    "rim": "region widened", "fill": "gaps filled", "even": "rim evened", "remove": "region removed", "guess": "regions guessed",
    "clear": "all regions removed",
}  # fmt: skip

# Colours that stay apart for every kind of colour vision: Okabe and Ito (2008), then Tol's muted scheme (2021).
# Each is shown with its number beside it.
PATCHES = (
    "#56b4e9", "#e69f00", "#009e73", "#cc79a7", "#f0e442", "#d55e00", "#0072b2", "#88ccee", "#999933", "#aa4499",
    "#ddcc77", "#44aa99", "#882255", "#117733", "#cc6677", "#332288",
)  # fmt: skip


def _answer(sculpt_id: int) -> Response:
    """The regions as they hold now: a JSON heading, then a label per sample."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id, sky=False)
        undo, redo = plans.can_step(session, own.sculpt)
    marking, site = own.site.marking, own.site
    areas = marking.areas(site.surface, site.paintable)
    heading = {
        "turn": own.turn, "surface": own.sculpt.surface_key, "undo": undo, "redo": redo, "rest": round(float(areas[0]), 1),
        "whole": round(float(areas.sum()), 1),
        "regions": [
            {**facts, "number": k, "area": round(float(areas[k]), 1), "patch": PATCHES[(k - 1) % len(PATCHES)]}
            for k, facts in enumerate(plain(marking.regions), 1)
        ],
    }  # fmt: skip
    return packed(heading, marking.labels)


def panel(session: Session, sculpt: Sculpt, laid: OpenSculpt) -> dict[str, Any]:
    """What the panel shows."""
    return {
        "materials": MATERIALS, "attention": ATTENTION, "usual_crease": growth.USUAL_CREASE,
        "usual_likeness": brush.USUAL_LIKENESS, "ways": brush.WAYS, "colours": colour_names(session),
        "usual_brush": round(brush.USUAL_BRUSH_SHARE * laid.site.surface.height, 2),
    }  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/regions.bin")
def labels(sculpt_id: int) -> Response:
    """The marking as it holds now: a JSON heading, then a label per sample."""
    return _answer(sculpt_id)


@blueprint.get("/sculpts/<int:sculpt_id>/edges.bin")
def edges(sculpt_id: int) -> Response:
    """Crests and creases: a JSON heading with their lengths in mm, whole and lit by the lamp that is kept, over the
    rest and each region; then the two ends of every piece as float32, crests first."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id, sky=False)
    laid, marking, rig, surface = own.open, own.site.marking, own.plan.light, own.site.surface
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


@blueprint.post("/sculpts/<int:sculpt_id>/dab")
def dab(sculpt_id: int) -> Response:
    """The samples under a brush in motion, to be shown at once: rays in, int32 sample numbers out. Nothing is
    kept."""
    given = asked()
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    try:
        touched = _brushed(laid, given)
    except (KeyError, TypeError, ValueError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError(INCOMPLETE) from e
    return packed({"touched": len(touched)}, touched.astype(np.int32))


@blueprint.post("/sculpts/<int:sculpt_id>/regions")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """One change to the regions. `turn` says which revision it was made on; a later one is refused with 409, and so is
    one made on a surface that is being laid out again.

    do: pick (origin, direction, tool: creases, part or alike; crease or near; again), brush (rays, radius, through),
    facing (way), all three with number or null for a new region, take, and free: only on unmarked areas; describe
    (number and name, material, attention, colour, low, middle, high, shadow, light), rim (number, rounds), fill (number),
    even (number), remove (number), guess, clear. A spot is looked for among the parts that are in sight: hidden, pulled
    (0..1).
    """
    given = asked()
    if given.get("do") == "guess":
        with workshop().store.session() as session:
            laid = laid_out(the_sculpt(session, sculpt_id))
        if working := in_background(("guess", sculpt_id, laid.surface_key), lambda say: _guess(laid, say)):
            return not_yet(working)
    done = changed(sculpt_id, given, _edit, sky=False)
    return _answer(sculpt_id) if isinstance(done, int) else done


def _edit(session: Session, own: Opened, what: str, given: dict[str, Any]) -> Edit:
    laid, marking, again = own.open, own.site.marking, bool(given.get("again"))
    if again:  # the same spot with another crease: on what was there before it
        before = plans.kept_before(session, own.sculpt, own.turn)
        again = before is not None
        if before is not None:
            kept = plans.on_surface(before, laid, workshop().store.cache)
            marking = replace(kept.marking, last_id=marking.last_id)
    new = _changed(laid, marking, what, given)
    looks = what == "describe" and bool(given.keys() & LOOKS)
    action = f"{ACTIONS.get(what, 'regions changed')}{_named(new, given)}"
    edit = with_marking(own, new, action, ("regions", *(["sketch"] if looks else [])))
    return replace(edit, instead=again)


def _named(marking: Marking, given: dict[str, Any]) -> str:
    number = given.get("number")
    if not isinstance(number, int) or isinstance(number, bool) or not 1 <= number <= len(marking.regions):
        return ""
    return f": {marking.regions[number - 1].name}"


def _guess(laid: OpenSculpt, say: Say = lambda *_: None) -> Marking:
    site = laid.site
    say("Looking for creases", 0.2)
    return laid.more.of(
        "guess",
        "",
        lambda: first_guess(
            site.surface, site.paintable, site.bends, lambda k: say("Growing regions from spots all over", k)
        ),
    )


def _changed(laid: OpenSculpt, marking: Marking, what: str | None, given: dict[str, Any]) -> Marking:
    surface = laid.site.surface
    if what in ("pick", "brush", "facing"):
        if what == "pick":
            mask = _picked(laid, given)
        elif what == "brush":
            mask = np.zeros(len(surface), np.bool_)
            mask[_brushed(laid, given)] = True
        else:
            mask = brush.by_facing(surface, str(given["way"])) & laid.site.paintable
        number = None if given.get("number") is None else int(given["number"])
        if given.get("free") and not given.get("take"):
            mask &= (marking.labels == 0) | (marking.labels == (number or 0))
        if not mask.any():
            raise SettingError("nothing there is free to take; untick “only on unmarked areas”")
        return marking.painted(mask, number, take=bool(given.get("take")))
    if what == "guess":
        found = _guess(laid)
        if not found.regions:
            raise SettingError("no creases part this sculpt into regions; click on it, or use the brush")
        return found.renewed(marking)
    if what == "clear":
        return Marking(np.zeros(len(surface), np.uint8), (), marking.last_id)
    number = int(given["number"])
    own = marking.labels == number
    if what == "describe":
        words = {
            k: one_line(given[k])
            for k in ("name", "material", "attention", "colour", "shadow", "light", "way")
            if k in given
        }
        values = {k: None if given[k] is None else float(given[k]) for k in ("low", "middle", "high") if k in given}
        changed = marking.described(number, **words, **values)
        local_of(changed.regions[number - 1])  # refused here where its key makes no sense
        return changed
    if what == "rim":
        rounds = max(-5, min(5, int(given["rounds"])))
        mask = growth.widened(surface, own, rounds)
        return marking.painted(mask, number) if rounds > 0 else marking.painted(~mask, number, take=True)
    if what == "fill":
        return marking.painted(brush.filled(laid.site.bends, own, marking.labels == 0, surface.areas), number)
    if what == "even":
        mask = brush.evened(laid.site.bends, own)
        return marking.painted(~mask, number, take=True).painted(mask & (marking.labels == 0), number)
    if what == "remove":
        return marking.without(number)
    raise SettingError("this change of the regions is not known; reload the page")


def _spot(laid: OpenSculpt, given: dict[str, Any], line: dict[str, Any]) -> tuple[int, np.ndarray] | None:
    hidden = frozenset(int(k) for k in given.get("hidden", ()))
    pulled = min(1.0, max(0.0, float(given.get("pulled", 0))))
    return spot(laid.site.surface, *sight(line), hidden, np.float32(pulled) * laid.pulled if pulled else None)


def _brushed(laid: OpenSculpt, given: dict[str, Any]) -> np.ndarray:
    """The samples (M,) under a stroke of the brush."""
    lines = given["rays"][:MOST_DABS]
    radius, through = float(given["radius"]), bool(given.get("through"))
    touched = []
    for line in lines:
        met = _spot(laid, given, line)
        if met is not None:
            toward = -sight(line)[1]
            touched.append(brush.dab(laid.site.surface, met[1], toward / np.linalg.norm(toward), radius, through))
    return np.unique(np.concatenate(touched)) if touched else np.zeros(0, np.int64)


def _picked(laid: OpenSculpt, given: dict[str, Any]) -> np.ndarray:
    surface = laid.site.surface
    met = _spot(laid, given, given)
    if met is None:
        raise SettingError("there is nothing there; click on the sculpt itself")
    face, place = met
    tool = given.get("tool", "creases")
    if tool == "part":
        return growth.by_part(surface, place)
    if tool == "alike":
        corners = surface.faces[face]
        nearest = corners[np.argmin(np.linalg.norm(surface.points[corners] - place, axis=1))]
        return (
            brush.alike(laid.looks, int(nearest), float(given.get("near", brush.USUAL_LIKENESS)))
            & laid.site.paintable
        )
    return growth.grow(surface, place, float(given.get("crease", growth.USUAL_CREASE)), laid.site.bends, face)


@blueprint.get("/sculpts/<int:sculpt_id>/regions.json")
def export(sculpt_id: int) -> Response:
    """The marking as a file for another bench; see docs/formats.md."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id, sky=False)
    content = mask_json(own.site.surface, own.site.marking)
    return download(content, "application/json", f"{own.sculpt.name} regions.json")


@blueprint.post("/sculpts/<int:sculpt_id>/regions/file")
def bring(sculpt_id: int) -> tuple[Response, int] | Response:
    """Take the marking from a PLY with a `region` property, or from JSON; one stroke, so it can be undone."""
    file = request.files.get("file")
    if file is None or not file.filename:
        raise SculptFileError("no file came along; choose one")
    ending = file.filename.rsplit(".", 1)[-1].lower()
    with tempfile.NamedTemporaryFile(suffix=".mask") as kept:
        file.save(kept)
        kept.flush()
        mask = read_apart(read_mask, kept.name, ending)
    if mask is None:
        raise SculptFileError("this PLY carries no regions; it needs a whole-number property named region")
    with workshop().store.session() as session:
        own = opened(session, sculpt_id, sky=False)
    marking = mask.on(own.site.surface, own.open.placing).renewed(own.site.marking, by_name=True)
    keep(sculpt_id, own, with_marking(own, marking, "regions brought from a file", ("regions",)))
    return _answer(sculpt_id)
