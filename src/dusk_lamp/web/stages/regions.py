"""Marking regions on the bench: a ray from the browser in, labels as bytes out."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request
from sqlalchemy.orm import Session

from ...core.errors import SculptFileError, SettingError
from ...core.light.lamp import Lamp
from ...core.light.rig import Rig, light_on
from ...core.plain import built, plain
from ...core.sculpt import brush
from ...core.sculpt import regions as growth
from ...core.sculpt.guess import first_guess
from ...core.sculpt.marking import ATTENTION, MATERIALS, Marking
from ...core.sculpt.masks import mask_json, read_mask
from ...core.sculpt.parts import spot
from ...core.sculpt.relief import lengths
from ...core.sculpt.site import Site
from ...core.target.local import local_of
from ...store import markings
from ...store.laid import Laid
from ...store.models import Sculpt
from ..packet import download, packed
from ..patience import Say, not_yet, patiently
from ..workshop import asked, colour_names, laid_out, read_apart, the_sculpt, workshop
from . import mark_done, mark_open

blueprint = Blueprint("regions", __name__)
LOOKS = {"colour", "low", "middle", "high", "shadow", "light"}  # of a region, that its sketch is made of
MOST_DABS = 400  # in one stroke

# Colours that stay apart for every kind of colour vision: Okabe and Ito (2008), then Tol's muted scheme (2021).
# Each is shown with its number beside it.
PATCHES = (
    "#56b4e9", "#e69f00", "#009e73", "#cc79a7", "#f0e442", "#d55e00", "#0072b2", "#88ccee", "#999933", "#aa4499",
    "#ddcc77", "#44aa99", "#882255", "#117733", "#cc6677", "#332288",
)  # fmt: skip


def _answer(session: Session, sculpt: Sculpt, marking: Marking, site: Site) -> Response:
    areas = marking.areas(site.surface, site.paintable)
    undo, redo = markings.can_step(session, sculpt)
    heading = {
        "stroke": sculpt.marking_number,
        "surface": sculpt.surface_key,
        "undo": undo,
        "redo": redo,
        "rest": round(float(areas[0]), 1),
        "whole": round(float(areas.sum()), 1),
        "regions": [
            {**facts, "number": k, "area": round(float(areas[k]), 1), "patch": PATCHES[(k - 1) % len(PATCHES)]}
            for k, facts in enumerate(plain(marking.regions), 1)
        ],
    }
    return packed(heading, marking.labels)


def _opened(session: Session, sculpt_id: int) -> tuple[Sculpt, Laid, Marking]:
    sculpt = the_sculpt(session, sculpt_id)
    laid = laid_out(sculpt)
    return sculpt, laid, markings.marking_of(session, sculpt, laid.site.surface, workshop().store.cache)


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows."""
    return {
        "materials": MATERIALS, "attention": ATTENTION, "usual_crease": growth.USUAL_CREASE,
        "usual_likeness": brush.USUAL_LIKENESS, "ways": brush.WAYS, "colours": colour_names(session),
        "usual_brush": round(brush.USUAL_BRUSH_SHARE * laid.site.surface.height, 2),
    }  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/regions.bin")
def labels(sculpt_id: int) -> Response:
    """The marking as it holds now: a JSON heading, then a label per sample."""
    with workshop().store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        return _answer(session, sculpt, marking, laid.site)


@blueprint.get("/sculpts/<int:sculpt_id>/edges.bin")
def edges(sculpt_id: int) -> Response:
    """Crests and creases: a JSON heading with their lengths in mm, whole and lit by the lamp that is kept, over the
    rest and each region; then the two ends of every piece as float32, crests first."""
    with workshop().store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        rig = built(Rig, sculpt.rig, "the light")
    surface = laid.site.surface
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
    with _complete():
        touched = _brushed(laid, given)
    return packed({"touched": len(touched)}, touched.astype(np.int32))


@blueprint.post("/sculpts/<int:sculpt_id>/regions")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """One change to the marking. `stroke` says which state it was made on; a later one is refused with 409, and so is
    one made on a surface that is being laid out anew.

    do: pick (origin, direction, tool: creases, part or alike; crease or near; again), brush (rays, radius, through),
    facing (way), all three with number or null for a new region, take, and free: only on unmarked areas; describe
    (number and name, material, attention), rim (number, rounds), fill (number), even (number), remove (number),
    guess, clear, undo, redo. A spot is looked for among the parts that are in sight: hidden, pulled (0..1).
    """
    given = asked()
    store, what = workshop().store, given.get("do")
    with store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        seen = sculpt.marking_number
        stale = given.get("stroke") != seen or given.get("surface", sculpt.surface_key) != sculpt.surface_key
        anew = given.get("surface", sculpt.surface_key) != sculpt.surface_key
        again = bool(given.get("again")) and not stale and seen > 0  # the same spot with another crease
        if again:
            marking = markings.marking_of(session, sculpt, laid.site.surface, store.cache, seen - 1)
    if stale:
        return _stale(anew)
    if what == "guess" and (told := patiently(("guess", sculpt_id, laid.surface_key), lambda say: _guess(laid, say))):
        return not_yet(told)
    with _complete():
        changed = None if what in ("undo", "redo") else _changed(laid, marking, what, given)
    # what takes long is done: the save itself is short, and holds only if nobody was quicker
    with store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if sculpt.marking_number != seen or sculpt.surface_key != laid.surface_key:
            return _stale(sculpt.surface_key != laid.surface_key)
        if changed is None:
            markings.step(session, sculpt, -1 if what == "undo" else 1)
        else:
            if again:
                markings.step(session, sculpt, -1)
            markings.keep(session, sculpt, changed)
        left = markings.marking_of(session, sculpt, laid.site.surface, store.cache).regions
        (mark_done if left else mark_open)(sculpt, "regions")
        if what == "describe" and given.keys() & LOOKS:
            mark_done(sculpt, "sketch")
    with store.session() as session:
        sculpt, laid, marking = _opened(session, sculpt_id)
        return _answer(session, sculpt, marking, laid.site)


def _stale(anew: bool) -> tuple[Response, int]:
    words = "The regions were changed in another tab, or the sculpt was laid out anew; they are shown as they are now. Mark again."
    return jsonify(error=words, stale=True, anew=anew), 409


@contextmanager
def _complete() -> Iterator[None]:
    """What was sent must be all there, and of the right kinds."""
    try:
        yield
    except SettingError:
        raise
    except (KeyError, TypeError, ValueError) as e:
        raise SettingError("the change that arrived is incomplete; reload the page") from e


def _guess(laid: Laid, say: Say = lambda *_: None) -> Marking:
    site = laid.site
    say("Looking for creases", 0.2)
    return laid.guesses.of(
        "",
        lambda: first_guess(
            site.surface, site.paintable, site.bends, lambda k: say("Growing regions from spots all over", k)
        ),
    )


def _changed(laid: Laid, marking: Marking, what: str | None, given: dict[str, Any]) -> Marking:
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
        return found
    if what == "clear":
        return Marking(np.zeros(len(surface), np.uint8))
    number = int(given["number"])
    own = marking.labels == number
    if what == "describe":
        words = {
            k: str(given[k])
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
    raise SettingError("this bench does not know that change; reload the page")


def sight(given: dict[str, Any]) -> tuple[np.ndarray, np.ndarray]:
    """The line of sight that came from the browser: origin and direction (3,) mm.

    Raises:
        SettingError: they are no places.
    """
    origin, direction = (np.array([float(x) for x in given[k]], np.float32) for k in ("origin", "direction"))
    if (
        origin.shape != (3,)
        or direction.shape != (3,)
        or not np.isfinite([*origin, *direction]).all()
        or not direction.any()
    ):
        raise SettingError("the spot that arrived is no place; click again")
    return origin, direction


def _spot(laid: Laid, given: dict[str, Any], line: dict[str, Any]) -> tuple[int, np.ndarray] | None:
    hidden = frozenset(int(k) for k in given.get("hidden", ()))
    pulled = min(1.0, max(0.0, float(given.get("pulled", 0))))
    return spot(laid.site.surface, *sight(line), hidden, np.float32(pulled) * laid.pulled if pulled else None)


def _brushed(laid: Laid, given: dict[str, Any]) -> np.ndarray:
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


def _picked(laid: Laid, given: dict[str, Any]) -> np.ndarray:
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
        sculpt, laid, marking = _opened(session, sculpt_id)
        return download(mask_json(laid.site.surface, marking), "application/json", f"{sculpt.name} regions.json")


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
        _, laid, _ = _opened(session, sculpt_id)
    marking = mask.on(laid.site.surface, laid.placing)
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if sculpt.surface_key != laid.surface_key:
            return _stale(True)
        markings.keep(session, sculpt, marking)
        mark_done(sculpt, "regions")
        return _answer(session, sculpt, marking, laid.site)
