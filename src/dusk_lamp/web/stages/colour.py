"""The colour stage: each region painted one way over the undercoat, with real mixes, predicted on this very model."""

import threading
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat, usual_coat
from ...core.coat.finish import films_of, finish_of, finish_words, metal_of, shares_of
from ...core.coat.spray import Spray
from ...core.coat.stack import looks
from ...core.coat.technique import technique, techniques
from ...core.directions import direction_of
from ...core.errors import SettingError
from ...core.paint.colour import ILLUMINANTS, delta_e, lab, rgb, xyz
from ...core.plain import plain
from ...core.plan.cautions import cautions_for
from ...core.plan.face import warmth
from ...core.plan.gradient import gradients
from ...core.plan.order import WHOLE_MODEL, broken, move_refused, region_of
from ...core.plan.overspray import overspray
from ...core.plan.step import row_of
from ...core.plan.times import times_of
from ...core.plan.ways import ways
from ...core.plan.ways.way import FINE, NEAR, seen_after, task_of, told, wrong
from ...core.sculpt.parts import seams
from ...core.sculpt.site import WHOLE, Where
from ...core.view.camera import Camera
from ...core.view.formats import png_bytes
from ...core.view.raster import colour_picture
from ...core.view.sheen import with_sheen
from ...store import colours, painted, painters, paints, schemes, sketches, undercoats
from ...store.cache import key_of
from ...store.laid import Laid
from ...store.models import Sculpt
from ..coats import elsewhere, plan_of
from ..packet import packed
from ..packet import picture as png
from ..patience import Say, not_yet, patiently
from ..workshop import asked, colour_names, the_sculpt, workshop
from . import mark_done, mark_open

blueprint = Blueprint("colour", __name__)
PICTURES = 2
PICTURE_SIZE = (132, 168)
_drawing = threading.Lock()


@dataclass(frozen=True)
class Opened:
    """What the stage works on. under: coats of the undercoat; own: those in colour; later: those of stages after it, which
    are handed on. seen: the state of the coats that was read."""

    sculpt: Sculpt
    laid: Laid
    made: sketches.Sketched
    under: list[Coat]
    own: list[Coat]
    later: list[Coat]
    choice: schemes.Choice
    seen: int


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows; the coats come as colour.json."""
    by_hand = [t for t in techniques().values() if t.by_hand]
    varnishes = paints.varnishes(session)
    return {
        "ways": ways(), "lights": ILLUMINANTS, "techniques": by_hand, "colours": colour_names(session),
        "tools": painters.tools_of(session), "varnishes": [(p.name, p.of("finish")) for p in varnishes],
    }  # fmt: skip


def _opened(session: Session, sculpt_id: int) -> Opened:
    plan = plan_of(session, sculpt_id)
    under, own, later = plan.around(schemes.COLOUR)
    return Opened(plan.sculpt, plan.laid, plan.made, under, own, later, plan.choice, plan.seen)


def _looked(opened: Opened, number: int) -> np.ndarray:
    """(N, 36) after the undercoat and so many coats in colour."""
    return painted.seen(opened.laid, opened.made.site, [*opened.under, *opened.own[:number]])


@blueprint.get("/sculpts/<int:sculpt_id>/colour.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with the way each is painted and how near it comes; the coats in colour as a painter reads them."""
    with workshop().store.session() as session:
        try:
            opened = _opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = schemes.can_step(session, opened.sculpt)
        rack, tools = paints.rack_of(session), painters.tools_of(session)

    def lay(say: Say) -> None:
        say("Laying the undercoat", 0.1)
        _looked(opened, 0)
        say("Laying the colours", 0.5)
        _looked(opened, len(opened.own))

    if told_so_far := patiently(("colour", sculpt_id, opened.seen, opened.made.key), lay):
        return not_yet(told_so_far)
    made, site = opened.made, opened.made.site
    seen = _looked(opened, len(opened.own))
    of = [region_of(site, c) for c in opened.own]
    areas = site.marking.areas(site.surface, site.paintable)
    rows, near, whole = [], 0.0, 0.0
    for k, region in enumerate(site.marking.regions, 1):
        done = k in of and areas[k] > 0
        found = told(task_of(site, made.target, k, seen, rack), seen) if done else None
        if found:
            near, whole = near + found.within * float(areas[k]), whole + float(areas[k])
        rows.append(
            {
                "number": k, "name": region.name, "hex": made.locals_[k].colour, "way": opened.own[of.index(k)].way if done else "", "coats": of.count(k),
                "told": plain(found) if found else None, "material": region.material, "share": round(float(areas[k] / max(areas.sum(), 1e-9)), 4),
                "can": bool(areas[k] > 0),
            }
        )  # fmt: skip
    steps = painted.steps(opened.laid, site, opened.own, tools=tools, models=opened.sculpt.models)
    coats = [
        {
            **row_of(s, site),
            "region": n,
            "words": f"{s.paint}, {s.laid_um:g} µm" if s.laid_um is not None else f"{s.paint}, {s.seconds:g} s",
        }
        for s, n in zip(steps, of, strict=True)
    ]
    for k, coat in enumerate(opened.own):
        coats[k]["beside"] = overspray(site, coat, opened.own[k + 1 :]).words if coat.technique == "spray" else ""
    kept = [s for s in steps if not s.muted]
    names = {WHOLE_MODEL: "The whole model", **dict(enumerate(["the rest", *(r.name for r in site.marking.regions)]))}
    order = [{"region": names[p.region], "why": p.why} for p in colours.places(site, opened.own)]
    shares = shares_of(_finish(opened, len(opened.own))[0], site.areas)
    return jsonify(
        seams=_seams(opened, seen), order=order, out_of_order=list(dict.fromkeys(b.why for b in broken(site, opened.own))),
        finish=finish_words(shares) if opened.own else "",
        turn=opened.seen, under=key_of(made.key, plain(opened.under))[:12], regions=rows, coats=coats, undo=undo, redo=redo, near=round(near / whole, 4) if whole else None,
        times=times_of(kept, opened.sculpt.models).words if kept else "", limit=NEAR,
        cautions=cautions_for(*dict.fromkeys(tag for s in kept for tag in s.caution_tags)),
    )  # fmt: skip


def _seams(opened: Opened, seen: np.ndarray) -> list[str]:
    """How far the colours on either side of each seam of parts painted apart are from each other."""
    named, site = opened.sculpt.named_parts, opened.made.site
    if not any(part.apart for part in named):
        return []
    out = []
    for seam in seams(site.surface, named, site.paintable):
        one, other = (
            lab(xyz(np.average(seen[on], axis=0, weights=site.areas[on] + 1e-9))) for on in (seam.on_a, seam.on_b)
        )
        off = float(delta_e(one, other))
        words = "they match" if off <= NEAR else "they do not match where they meet"
        out.append(f"{named[seam.a].name} on {named[seam.b].name}, {seam.length:.0f} mm: ΔE {off:.1f}, {words}")
    return out


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>.bin")
def after_bin(sculpt_id: int, number: int) -> Response:
    """The model after so many coats in colour: four bytes for every sample, three of colour and one that says what
    is wrong with it most of all: nothing (0), too light, too dark, too grey, too vivid, of another hue. light: that it is looked at by."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    if not 0 <= number <= len(opened.own):
        abort(404)
    made, site = opened.made, opened.made.site
    seen = _looked(opened, number)
    light = request.args.get("light", ILLUMINANTS[0])
    if light not in ILLUMINANTS:
        abort(404)
    levels = np.round(rgb(xyz(seen, light)) * 255).astype(np.uint8)
    got, wanted = lab(xyz(seen)), made.target.lab
    mark = wrong(got, wanted)
    mark[site.labels == 0] = FINE  # what is not marked stays a sketch
    areas = {
        name: round(float(site.areas[mark == k].sum()), 1)
        for k, name in enumerate(("fine", "light", "dark", "grey", "vivid", "hue"))
    }
    return packed({"number": number, "areas": areas}, np.column_stack([levels, mark])[site.shown])


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/finish.bin")
def finish_bin(sculpt_id: int, number: int) -> Response:
    """How shiny every sample is after so many coats in colour: four bytes, from matt to gloss and how much metallic paint
    shows; the heading says where the lamp is."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    if not 0 <= number <= len(opened.own):
        abort(404)
    finish, metal = _finish(opened, number)
    lamp = undercoats.lamp_of(opened.sculpt).direction
    heading = {"number": number, "lamp": plain(lamp, 4)}
    both = np.round(np.clip(np.column_stack([finish, metal, 0 * finish, 0 * finish]), 0, 1) * 255).astype(np.uint8)
    return packed(heading, both[opened.made.site.shown])


def _finish(opened: Opened, number: int) -> tuple[np.ndarray, np.ndarray]:
    """(N,) finish, and metallic paint in sight, after the undercoat and so many coats in colour."""
    site, coats = opened.made.site, [*opened.under, *opened.own[:number]]
    stack = list(zip(coats, painted.films(opened.laid, site, coats), strict=True))
    return finish_of(stack, len(site)), metal_of(stack, len(site))


def _tried(session: Session, sculpt_id: int, number: int, name: str) -> tuple[Opened, colours.Tried]:
    opened = _opened(session, sculpt_id)
    if name not in ways() or not 1 <= number <= len(opened.made.site.marking.regions):
        abort(404)
    task = sketches.task_for(session, opened.sculpt, opened.made, number, _looked(opened, 0))
    return opened, colours.tried(opened.laid, opened.made, task, name)


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/<name>.json")
def way_json(sculpt_id: int, number: int, name: str) -> Response:
    """How near a way brings a region, and what it takes."""
    with workshop().store.session() as session, _drawing:
        _, found = _tried(session, sculpt_id, number, name)
    return jsonify(
        trouble=found.trouble, told=plain(found.told) if found.told else None, minutes=round(found.minutes), wait=round(found.wait),
        coats=len(found.coats), mixes=len({c.mix.words() for c in found.coats}),
    )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/<name>.png")
def way_png(sculpt_id: int, number: int, name: str) -> Response:
    """A picture of this very model with a region painted one way, over its undercoat and what else is painted."""
    with workshop().store.session() as session, _drawing:
        opened, found = _tried(session, sculpt_id, number, name)
        site, cache = opened.made.site, workshop().store.cache
        view = Camera(opened.sculpt.display["azimuth"], opened.sculpt.display["elevation"])
        key = key_of(
            "way picture",
            PICTURES,
            opened.sculpt.surface_key,
            [view.azimuth, view.elevation],
            plain(found.coats),
            plain(opened.under),
        )
        if key not in cache:
            task = sketches.task_for(session, opened.sculpt, opened.made, number, _looked(opened, 0))
            levels = looks(seen_after(task, found.coats))[1]
            if any(c.mix.kind == "metallic" for c in found.coats):  # else its picture would show no metal
                stack = list(zip(found.coats, films_of(site, found.coats), strict=True))
                shine = finish_of(stack, len(site)), metal_of(stack, len(site))
                lamp = undercoats.lamp_of(opened.sculpt).direction
                levels = with_sheen(levels, site.surface, *shine, lamp, direction_of(view.azimuth, view.elevation))
            drawn = colour_picture(site.surface, levels[site.shown], view, *PICTURE_SIZE)
            cache.put(key, blobs={"look.png": png_bytes(drawn)})
    return png(cache.blob(key, "look.png"))


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/gradients.json")
def gradients_json(sculpt_id: int, number: int) -> Response:
    """The borders between neighbouring mixes of a region, and how the hand makes each smooth."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    site = opened.made.site
    return jsonify([plain(g) for g in gradients(site, colours.regions_of(site, opened.own).get(number, []))])


@blueprint.post("/sculpts/<int:sculpt_id>/colour")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: way (region, name), all (name: every region that has none yet), clear (region), order: as the craft has
    it; add (region, technique, paint), warm (region), varnish (name): the last one; mute, remove, up, down (number, from 1), set (number and settings of its technique), paint (number, name),
    undo, redo. `turn` says which state it was made on."""
    given = asked()
    what = str(given.get("do"))
    try:
        with workshop().store.session() as session:
            opened = _opened(session, sculpt_id)
        if given.get("turn", opened.seen) != opened.seen:
            return elsewhere()
        wishes = _wishes(opened, what, given)
        if wishes and (
            told_so_far := patiently(
                ("ways", sculpt_id, opened.seen, str(wishes)), lambda say: _find(sculpt_id, wishes, say)
            )
        ):
            return not_yet(told_so_far)
        with workshop().store.session() as session:
            coats = None if what in ("undo", "redo") else _changed(session, sculpt_id, opened, what, given, wishes)
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if coats is None:
                schemes.step(session, sculpt, -1 if what == "undo" else 1, opened.seen)
            else:
                schemes.keep(session, sculpt, [*coats, *opened.later], opened.choice, opened.seen)
            session.flush()
            left = [c for c in schemes.kept_coats(session, sculpt) if c.stage == schemes.COLOUR]
            (mark_done if left else mark_open)(sculpt, "colour")
        return jsonify(kept=True)  # and is asked for anew, which may take a moment
    except schemes.ChangedElsewhereError:
        return elsewhere()
    except (KeyError, TypeError, ValueError, IndexError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("the change that arrived is incomplete; reload the page") from e


def _by_hand(session: Session, opened: Opened, given: dict[str, Any], number: int) -> Coat:
    """A coat of any technique on one region, or on the whole model (0); a spray comes from the lamp."""
    mix = paints.colour_called(session, str(given["paint"])) or paints.varnish_called(session, str(given["paint"]))
    if mix is None:
        raise SettingError(f"there is no paint or recipe called “{str(given['paint'])[:60]}” any more")
    site, name = opened.made.site, str(given["technique"])
    of = site.marking.regions[number - 1].name if number else "Whole model"
    coat = usual_coat(name, mix, f"{of}: {technique(name).title.lower()}", schemes.COLOUR)
    if isinstance(coat.settings, Spray):
        lamp = undercoats.lamp_of(opened.sculpt)
        coat = coat.with_settings({"azimuth": lamp.azimuth, "elevation": lamp.elevation, "way": "stroke"})
    return replace(coat, where=Where.some(site.labels == number)) if number else coat


def _wishes(opened: Opened, what: str, given: dict[str, Any]) -> dict[int, str]:
    """Which regions shall be painted which way."""
    if what not in ("way", "all"):
        return {}
    name, site = str(given["name"]), opened.made.site
    if name not in ways():
        raise SettingError("this bench does not know that way; reload the page")
    count = len(site.marking.regions)
    if what == "way":
        number = int(given["region"])
        if not 1 <= number <= count:
            raise SettingError("this region is not there any more; reload the page")
        return {number: name}
    areas = site.marking.areas(site.surface, site.paintable)
    painted_by_now = {region_of(site, c) for c in opened.own}
    made_of = [r.material for r in site.marking.regions]
    fitting = [k for k in range(1, count + 1) if ways()[name].suits(made_of[k - 1])]
    return {k: name for k in fitting if k not in painted_by_now and areas[k] > 0}


def _find(sculpt_id: int, wishes: dict[int, str], say: Say) -> None:
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        say("Laying the undercoat", 0.0)
        opened = _opened(session, sculpt_id)
        _looked(opened, 0)
        colours.paint_all(session, sculpt, opened.laid, workshop().store.cache, opened.under, wishes, say)


def _changed(
    session: Session, sculpt_id: int, opened: Opened, what: str, given: dict[str, Any], wishes: dict[int, str]
) -> list[Coat]:
    """All coats of the plan after a change."""
    site = opened.made.site
    coats = [*opened.under, *opened.own]
    if wishes:
        sculpt = the_sculpt(session, sculpt_id)
        return colours.paint_all(session, sculpt, opened.laid, workshop().store.cache, coats, wishes)
    if what == "clear":
        return colours.with_way(site, coats, int(given["region"]), [])
    if what == "add":
        if given.get("on") == "whole":
            return [*coats, _by_hand(session, opened, given, 0)]
        number = int(given["region"])
        if not 1 <= number <= len(site.marking.regions):
            raise SettingError("choose the region first that the coat goes on")
        return colours.beside_its_own(site, coats, number, _by_hand(session, opened, given, number))
    if what == "warm":
        number = int(given["region"])
        if not 1 <= number <= len(site.marking.regions):
            raise SettingError("choose the region of skin first")
        return colours.beside_its_own(site, coats, number, warmth(site, number, paints.rack_of(session)))
    if what == "varnish":
        varnish = paints.varnish_called(session, str(given["name"]))
        if varnish is None:
            raise SettingError("this varnish is not on the rack any more; choose another")
        last = usual_coat("brush", varnish, f"last varnish, {given['name']}, all over", schemes.COLOUR)
        kept = [c for c in coats if not (c.stage == schemes.COLOUR and c.mix.clear and c.where == WHOLE)]
        return [*kept, last]
    if what == "order":
        return colours.in_order(site, coats)
    k, own = int(given["number"]) - 1, list(opened.own)
    if not 0 <= k < len(own):
        raise SettingError("this coat is not there any more; reload the page")
    if what == "remove":
        own.pop(k)
    elif what in ("up", "down"):
        to = max(0, min(len(own) - 1, k + (-1 if what == "up" else 1)))
        own.insert(to, own.pop(k))
        if refused := move_refused(site, opened.own, own):
            raise SettingError(f"not there: {refused}")
    elif what == "mute":
        own[k] = replace(own[k], muted=not own[k].muted)
    elif what == "paint":
        called = paints.colour_called(session, str(given["name"]))
        if called is None:
            raise SettingError(f"there is no paint or recipe called “{given['name']}” any more")
        own[k] = replace(own[k], mix=called)
    elif what == "set":
        own[k] = own[k].with_settings(dict(given["settings"]))
        painted.film_of(opened.laid, own[k], site)  # refused here where it cannot be
    else:
        raise SettingError("this bench does not know that change; reload the page")
    return [*opened.under, *own]
