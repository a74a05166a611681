"""The glow stage: what glows, how far it is read, what it reaches, and the coats that paint it."""

import zlib
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request, url_for
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat
from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.light.beside import SIDES, plane_at
from ...core.light.emitter import Glow
from ...core.light.flame import HUES, flamed
from ...core.light.glint import glinting
from ...core.light.heat import heated
from ...core.light.lamp import Lamp
from ...core.light.rig import Rig
from ...core.paint.colour import rgb_from_hex
from ...core.paint.mix import values_of
from ...core.plain import built, plain
from ...core.plan.glow import (
    BANDS,
    EVENNESS,
    NONE,
    Reached,
    Wish,
    band_rows,
    dabbed,
    glow_coats,
    glowing,
    reach_of,
    reached,
    readable,
    strength_of,
    strongest,
)
from ...core.plan.lens import STEPS, Lens, lens_coats, lenses
from ...core.sculpt.parts import spot
from ...core.target.exposure import Exposure, value_of_light
from ...core.target.target import Target, sketched
from ...core.view.flat import lens_svg
from ...store import glows, painted, painters, paints, schemes, sketches
from ...store.glows import GLOW, Kept
from ...store.laid import Laid
from ...store.models import Sculpt
from ..coats import elsewhere, plan_of
from ..edge import number_of
from ..packet import packed
from ..patience import not_yet, patiently
from ..workshop import asked, the_sculpt, workshop
from . import mark_done, mark_open
from .regions import sight

blueprint = Blueprint("glow", __name__)
SHOWN = ("both", "lamp", "glow", "painted", "bands")
BAND_COLOURS = ("#000000", "#7d4fa8", "#d2673a", "#f7d95c", "#9be0c8", "#ffffff")  # in the order of BANDS
SIDE_WORDS = {
    "under": "Under its feet", "left": "On its left as you look", "right": "On its right as you look", "front": "In front of it",
    "behind": "Behind it",
}  # fmt: skip
FIRST_REACH = 0.35  # of the sculpt's size
SETTINGS = (
    "name",
    "colour",
    "evenness",
    "shadow",
    "on",
    "off",
    "radius",
    "width",
    "height",
    "length",
    "hues",
    "heart",
    "seed",
)


@dataclass(frozen=True)
class Opened:
    """What the stage works on. lamp: (N,) light without any glow, dimmed to dusk. least: what has to be added to be
    read. before: coats of the stages before; own: of this one; later: those after it."""

    sculpt: Sculpt
    laid: Laid
    made: sketches.Sketched
    all: glows.Glows
    rig: Rig
    exposure: Exposure
    grey: Target
    lamp: NDArray[np.float32]
    least: float
    before: list[Coat]
    own: list[Coat]
    later: list[Coat]
    choice: schemes.Choice
    seen: int


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows; the glows come as glow.json."""
    clear = [p for p in paints.rack_of(session) if p.kind in ("ink", "one-coat") and p.looks.value < 8.5]
    return {
        "tints": [(p.name, p.looks.hex) for p in clear], "evenness": EVENNESS, "hues": tuple(HUES),
        "bands": list(zip(BANDS[1:], BAND_COLOURS[1:], strict=True)), "shown": SHOWN, "sides": SIDE_WORDS,
    }  # fmt: skip


def _opened(session: Session, sculpt_id: int) -> Opened:
    plan = plan_of(session, sculpt_id)
    sculpt, laid, made = plan.sculpt, plan.laid, plan.made
    rig, exposure = built(Rig, sculpt.rig, "the light"), built(Exposure, sculpt.exposure, "the exposure")
    all_ = glows.found_again(glows.glows_of(sculpt), made.site.marking)
    grey = laid.lit(rig, exposure)
    lamp = grey.light.total * np.float32(all_.dusk)
    least = readable(float(np.average(lamp, weights=made.site.areas)), exposure, rig.full)
    before, own, later = plan.around(GLOW)
    return Opened(
        sculpt, laid, made, all_, rig, exposure, grey, lamp, least, before, own, later, plan.choice, plan.seen
    )


def _light(opened: Opened, kept: Kept) -> Glow:
    return glows.light_of(opened.laid, opened.made.site, kept, marking=opened.sculpt.marking_number)


def _caught(opened: Opened, kept: Kept) -> Glow:
    """Its light with what shiny materials mirror of it, as the display view shows them."""
    view = opened.sculpt.display["azimuth"], opened.sculpt.display["elevation"]
    site, gloss = opened.made.site, opened.made.target.gloss
    key = f"glint {plain(kept.source(opened.laid))} {kept.shadow} {view} {zlib.crc32(gloss.tobytes())} {opened.sculpt.marking_number}"
    return opened.laid.glows.of(key, lambda: glinting(site.surface, _light(opened, kept), gloss, view))


def _wish(opened: Opened, kept: Kept) -> Wish:
    source = kept.source(opened.laid)
    return Wish(source, kept.colour, kept.strength, kept.evenness, kept.shadow, kept.on, kept.name)


def _reached(
    opened: Opened, kept: Kept, value: NDArray | None = None, highlit: dict[int, bool] | None = None
) -> Reached:
    glow, full = _caught(opened, kept), opened.rig.full
    return reached(opened.made.site, _wish(opened, kept), glow, opened.lamp, opened.exposure, full, value, highlit)


def _wanted(opened: Opened, lamp: bool = True) -> Target:
    """What it shall look like with every glow that is on."""
    shining = [
        (_wish(opened, k), _caught(opened, k))
        for k in opened.all.all
        if k.shines and k.on and not _trouble(opened, k)
    ]
    light = glowing(opened.grey.light, shining, opened.rig.full, opened.all.dusk, lamp)
    value = value_of_light(light.total, opened.exposure, opened.rig.full)
    grey = replace(opened.grey, light=light, value=value)
    return sketched(opened.made.site, grey, opened.exposure, opened.made.locals_, opened.made.tints)


def _trouble(opened: Opened, kept: Kept) -> str:
    try:
        if kept.shines:
            _light(opened, kept)
        elif not kept.spots:
            return "touch the sculpt where it is hottest"
    except SettingError as e:
        return str(e)
    return ""


@blueprint.get("/sculpts/<int:sculpt_id>/glow.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Every glow: strength, reach, limit, bands, edges; the coats that paint them."""
    with workshop().store.session() as session:
        try:
            opened = _opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = schemes.can_step(session, opened.sculpt)
        tools = painters.tools_of(session)
    key = ("glows", sculpt_id, str(opened.sculpt.glows), opened.seen, opened.made.key)

    def work(say: Any) -> None:
        for k, kept in enumerate(opened.all.all):
            say(f"Looking from {kept.name or 'the glow'}", k / max(len(opened.all.all), 1))
            _trouble(opened, kept)
        painted.seen(opened.laid, opened.made.site, opened.before)

    if told := patiently(key, work):
        return not_yet(told)
    site = opened.made.site
    value = values_of(painted.seen(opened.laid, site, opened.before)) if opened.before else None
    highlit: dict[int, bool] = {}
    rows = [_row(opened, kept, value, highlit) for kept in opened.all.all]
    every = [*opened.before, *opened.own]
    steps = painted.steps(opened.laid, site, every, tools=tools, models=opened.sculpt.models)[len(opened.before) :]
    coats = [{"number": k + 1, "label": s.purpose, "hex": s.hex, "paint": s.paint, "laid_um": s.laid_um, "minutes": round(s.hand_minutes),
              "wait": round(s.wait_minutes), "way": c.way, "warnings": s.warnings} for k, (s, c) in enumerate(zip(steps, opened.own, strict=True))]  # fmt: skip
    return jsonify(
        turn=opened.seen, dusk=opened.all.dusk, glows=rows, coats=coats, undo=undo, redo=redo, size=round(opened.laid.site.surface.size, 2),
        regions=[{"number": k, "name": r.name, "material": r.material} for k, r in enumerate(opened.made.site.marking.regions, 1)],
    )  # fmt: skip


def _row(opened: Opened, kept: Kept, value: NDArray | None, highlit: dict[int, bool]) -> dict[str, Any]:
    row: dict[str, Any] = {**plain(kept), "trouble": _trouble(opened, kept), "shines": kept.shines}
    row["painted"] = any(c.way == kept.way for c in opened.own)
    if row["trouble"]:
        return row
    site, names = opened.made.site, ["the rest", *(r.name for r in opened.made.site.marking.regions)]
    if not kept.shines:
        masks, words = _hot(opened, kept)
        row["bands"] = [{"name": n, "colour": c, "mm2": round(float(site.areas[m].sum()), 1)} for n, c, m in masks]
        row["told"] = words
        return row
    glow, wish = _light(opened, kept), _wish(opened, kept)
    found = _reached(opened, kept, value, highlit)
    limit = strongest(wish, glow, opened.lamp, opened.rig.full)
    bands = band_rows(site, found.band)
    told = []
    if kept.strength > limit:
        told.append(
            "It lights something as brightly as it glows itself: less of it, or the source is lightest no more."
        )
    if not (found.band > NONE).any():
        told.append("Nothing is in its reach: stronger, nearer, or less of the lamp.")
    bare = sum(c.has_highlight is False for c in found.catches)
    if bare:
        told.append(
            f"{bare} of {len(found.catches)} edges in its reach have no highlight of their own yet: they come first."
        )
    row |= {
        "reach": round(reach_of(wish.source, glow.area, kept.strength, opened.least), 2),
        "limit": round(reach_of(wish.source, glow.area, limit, opened.least), 2) if np.isfinite(limit) else None,
        "middle": [round(float(v), 3) for v in glow.middle], "told": told,
        "bands": [
            {"name": b["name"], "colour": BAND_COLOURS[BANDS.index(str(b["name"]))], "mm2": b["mm2"], "regions": [[names[n], s] for n, s in b["regions"].items()]}  # type: ignore[attr-defined]
            for b in bands
        ],
        "edges": [
            {"mm": round(c.length, 1), "lit": round(c.lit, 1), "region": names[c.region], "own": c.has_highlight}
            for c in found.catches[:12]
        ],
    }  # fmt: skip
    return row


@blueprint.get("/sculpts/<int:sculpt_id>/glow.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. show: both, lamp, glow, painted or bands; band: one of
    those alone, by its name. number with reach or colour: as it would be so; nothing is kept."""
    show = request.args.get("show", "both")
    only = BANDS.index(request.args["band"]) if request.args.get("band") in BANDS[1:] else None
    if show not in SHOWN or (only is None and "band" in request.args):
        abort(404)
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    if "number" in request.args:
        opened = _tried(opened)
    if "dusk" in request.args:
        dusk = number_of(request.args["dusk"], "what is left of the lamp", 0, 1)
        opened = replace(opened, all=replace(opened.all, dusk=dusk), lamp=opened.grey.light.total * np.float32(dusk))
    site = opened.made.site
    if show == "painted":
        levels = looks(painted.seen(opened.laid, site, [*opened.before, *opened.own]))[1]
    elif show == "bands":
        levels = (np.repeat(opened.made.target.colour.mean(axis=1, keepdims=True), 3, axis=1) * 0.7).astype(np.uint8)
        table = np.round(np.array([rgb_from_hex(c) for c in BAND_COLOURS]) * 255).astype(np.uint8)
        for kept in opened.all.all:
            if kept.shines and kept.on and not _trouble(opened, kept):
                band = _reached(opened, kept).band
                drawn = band > NONE if only is None else band == only
                levels[drawn] = table[band[drawn]]
    elif show == "lamp":
        levels = _wanted(replace(opened, all=replace(opened.all, all=()))).colour
    else:
        levels = _wanted(opened, lamp=show != "glow").colour
    if show in ("both", "glow"):
        levels = levels.copy()
        for kept in opened.all.all:
            if not kept.shines and kept.on and not _trouble(opened, kept):
                for _, colour, mask in _hot(opened, kept)[0]:
                    levels[mask] = np.round(rgb_from_hex(colour) * 255).astype(np.uint8)
    return packed({"show": show}, np.column_stack([levels, np.zeros(len(site), np.uint8)])[site.shown])


def _tried(opened: Opened) -> Opened:
    kept = opened.all.one(int(number_of(request.args["number"], "the glow", 1, 10_000)))
    changes: dict[str, Any] = {}
    if "colour" in request.args:
        changes["colour"] = request.args["colour"]
    if "reach" in request.args and kept.shines:
        reach = number_of(request.args["reach"], "the reach", 0.01, 300)
        changes["strength"] = strength_of(kept.source(opened.laid), _light(opened, kept).area, reach, opened.least)
    return replace(opened, all=opened.all.with_one(replace(kept, **changes)))


def _hot(opened: Opened, kept: Kept) -> tuple[list[tuple[str, str, NDArray[np.bool_]]], list[str]]:
    """Heat or flame as masks: name, colour, (N,); the coolest first; and what to mind."""
    spots, site = kept.on_bench(opened.laid).tolist(), opened.made.site
    key = f"{spots} {kept.length} {kept.hues} {kept.heart} {kept.seed} {kept.kind}"
    return opened.laid.glows.of(key, lambda: _hot_masks(site, kept, spots))  # type: ignore[return-value]


def _hot_masks(site: Any, kept: Kept, spots: list[list[float]]) -> Any:
    if kept.kind == "hot metal":
        hot = heated(site, spots, kept.length, seed=kept.seed)
        masks = [(b.name, b.colour, hot.band == k) for k, b in enumerate(hot.bands)][::-1]
        masks.append(("broken black along crests", "#191412", hot.black))
        said = [f"No room for {', '.join(hot.dropped)}: a band would be narrower than a mark."] if hot.dropped else []
        return masks, [*said, "Leave room for every band; dark red twice at the ends."]
    flame = flamed(site, spots, kept.length, kept.hues, kept.heart, kept.seed)
    masks = [(f"hue {k + 1} of {len(flame.colours)}", c, flame.hue == k) for k, c in enumerate(flame.colours)]
    masks.append(("edges that catch it", flame.colours[3], flame.catches))
    return masks, ["Broken dabs, not a smooth blend; brightest low and in recesses."]


def _lenses(opened: Opened, region: int, brush: float = 0.2) -> list[Lens]:
    made = opened.made
    if not 1 <= region < len(made.locals_):
        abort(404)
    return lenses(made.site, region, opened.rig.lamp or Lamp(0, 90), brush, made.locals_[region].colour)


@blueprint.get("/sculpts/<int:sculpt_id>/glow/lens/<int:region>.svg")
def lens(sculpt_id: int, region: int) -> Response:
    """A lens, gem or eye to copy, ten times as large as life."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    brush = number_of(request.args.get("brush", "0.2"), "your finest brush", 0.02, 10)
    return Response(lens_svg(_lenses(opened, region, brush)), mimetype="image/svg+xml")


@blueprint.get("/sculpts/<int:sculpt_id>/glow/lens/<int:region>.json")
def lens_words(sculpt_id: int, region: int) -> Response:
    """What is drawn, and how it is done; whether its coats are in the plan."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    found = _lenses(opened, region)
    planned = any(c.way == glows.lens_way(region) for c in opened.own)
    return jsonify(words=[*dict.fromkeys(o.words for o in found), *STEPS], planned=planned)


@blueprint.post("/sculpts/<int:sculpt_id>/glow")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: add (kind; region, or origin and direction of a click), spot (number; origin, direction: one more hot spot), set
    (number and settings, or reach), away (number), dusk (share), paint, unpaint (number), lens, unlens (region), undo,
    redo. `turn` says which state of the coats it was made on."""
    given = asked()
    what = str(given.get("do"))
    try:
        with workshop().store.session() as session:
            opened = _opened(session, sculpt_id)
            if given.get("turn", opened.seen) != opened.seen:
                return elsewhere()
            _changed(
                opened, what, given
            )  # refused here, and its light is known before anybody has to wait for the turn
            coats = _painted(session, opened, what, given)
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if what in ("undo", "redo"):
                schemes.step(session, sculpt, -1 if what == "undo" else 1, opened.seen)
            elif coats is not None:
                schemes.keep(session, sculpt, [*coats, *opened.later], opened.choice, opened.seen)
            new = _changed(
                replace(opened, all=glows.found_again(glows.glows_of(sculpt), opened.made.site.marking)), what, given
            )  # as it is now: two changes may cross
            if new is not None:
                glows.keep(sculpt, new)
            session.flush()
            left = glows.glows_of(sculpt).all or [c for c in schemes.kept_coats(session, sculpt) if c.stage == GLOW]
            (mark_done if left else mark_open)(sculpt, "glow")
        return jsonify(kept=True)
    except schemes.ChangedElsewhereError:
        return elsewhere()
    except (KeyError, TypeError, ValueError, IndexError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("the change that arrived is incomplete; reload the page") from e


def _changed(opened: Opened, what: str, given: dict[str, Any]) -> glows.Glows | None:
    """What glows after a change; None where that stays."""
    own = opened.all
    if what == "add":
        return own.with_one(_new(opened, given))
    if what == "spot":
        kept = own.one(int(given["number"]))
        return own.with_one(replace(kept, spots=(*kept.spots, _clicked(opened, given)[0])[-8:]))
    if what == "dusk":
        return replace(own, dusk=float(given["share"]))
    if what == "away":
        return own.without(own.one(int(given["number"])).number)
    if what != "set":
        return None
    kept = own.one(int(given["number"]))
    changes = {k: v for k, v in dict(given["settings"]).items() if k in SETTINGS}
    new = built(Kept, {**plain(kept), **changes}, "the glow")
    if "reach" in given["settings"] and new.shines:
        reach, source = float(given["settings"]["reach"]), new.source(opened.laid)
        new = replace(new, strength=strength_of(source, _light(opened, new).area, reach, opened.least))
    return own.with_one(new)


def _clicked(opened: Opened, given: dict[str, Any]) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """The place that was clicked and its normal, in the file's axes."""
    laid = opened.laid
    met = spot(laid.site.surface, *sight(given))
    if met is None:
        raise SettingError("there is nothing there; click on the sculpt itself")
    face, place = met
    normal = laid.site.surface.normals[laid.site.surface.faces[face]].mean(axis=0) @ laid.placing.turn
    x, y, z = laid.placing.to_file(place[None])[0].tolist()
    return (x, y, z), tuple(float(v) for v in normal)  # type: ignore[return-value]


def _new(opened: Opened, given: dict[str, Any]) -> Kept:
    laid, number, kind = opened.laid, opened.all.next_number, str(given["kind"])
    surface = laid.site.surface
    if kind == "region":
        region = int(given["region"])
        if not 1 <= region <= len(opened.made.site.marking.regions):
            raise SettingError("choose the region that glows first")
        own = opened.made.locals_[region]
        name = opened.made.site.marking.regions[region - 1].name
        colour = own.colour if max(rgb_from_hex(own.colour)) > 0.25 else "#ffb347"
        kept = Kept(number, "region", name, region, name, colour=colour)
    elif kind in SIDES:
        plane = plane_at(surface, kind)
        x, y, z = laid.placing.to_file(np.array([plane.middle]))[0].tolist()
        a, b, c = (float(v) for v in np.array(plane.normal) @ laid.placing.turn)
        kept = Kept(
            number, "plane", SIDE_WORDS[kind], place=(x, y, z), out=(a, b, c), width=plane.width, height=plane.height,
            colour="#ff5a1f",
        )  # fmt: skip
    elif kind == "ball":
        place, out = _clicked(opened, given)
        kept = Kept(
            number,
            "ball",
            "A ball in the air",
            place=place,
            out=out,
            off=float(given.get("off", 0.08 * surface.size)),
            radius=0.03 * surface.size,
        )
    elif kind in ("hot metal", "flame"):
        return Kept(number, kind, kind.capitalize(), spots=(_clicked(opened, given)[0],), length=0.2 * surface.size)
    else:
        raise SettingError("this bench does not know that glow; reload the page")
    source = kept.source(laid)
    reach = FIRST_REACH * surface.size
    return replace(kept, strength=strength_of(source, _light(opened, kept).area, reach, opened.least))


def _painted(session: Session, opened: Opened, what: str, given: dict[str, Any]) -> list[Coat] | None:
    """All coats of the plan after a change; None where they stay."""
    if what in ("lens", "unlens"):
        region = int(given["region"])
        drawn = _lenses(opened, region) if what == "lens" else []
        coats = lens_coats(opened.made.site, region, drawn, paints.rack_of(session)) if drawn else []
        return glows.with_coats([*opened.before, *opened.own], glows.lens_way(region), coats)
    if what not in ("paint", "unpaint", "away"):
        return None
    every, kept = [*opened.before, *opened.own], opened.all.one(int(given["number"]))
    if what != "paint":
        new: list[Coat] = []
        return glows.with_coats(every, kept.way, new) if any(c.way == kept.way for c in opened.own) else None
    if trouble := _trouble(opened, kept):
        raise SettingError(trouble)
    rack, site = paints.rack_of(session), opened.made.site
    if kept.shines:
        seen = painted.seen(opened.laid, site, opened.before)
        found = _reached(opened, kept, values_of(seen))
        new = glow_coats(site, _wish(opened, kept), found, seen, _wanted(opened).lab, rack).coats
    else:
        new = dabbed(site, kept.name, _hot(opened, kept)[0], rack)
    return glows.with_coats(every, kept.way, new)
