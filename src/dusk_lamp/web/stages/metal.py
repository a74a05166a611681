"""The metal stage: painted metal by one of three schools on this very model, edge highlights, and their coats."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat
from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.light.lamp import Lamp
from ...core.light.reflect import ACCENT, WORLDS, Disc, World, with_disc_at
from ...core.light.rig import Rig
from ...core.paint.colour import encoded
from ...core.paint.rack import Rack
from ...core.plain import built, plain
from ...core.plan.edges import creases_round, crests_of, lining_mm
from ...core.plan.metal import metal_schools
from ...core.plan.metal.painted import (
    FURTHEST,
    STAGE,
    STEP,
    Metal,
    beside_words,
    coats,
    colours,
    edge_coats,
    holds,
    jumps,
    lining_coat,
    mirror_ball,
    usual_metal,
    values,
)
from ...core.plan.metal.school import facets_of
from ...core.plan.metal.trainer import Trainer, unrolled
from ...core.plan.order import region_of
from ...core.plan.ways.way import BRUSHED
from ...core.sculpt.facets import Said
from ...core.sculpt.parts import spot
from ...core.view.camera import Camera
from ...core.view.flat import facet_svg
from ...core.view.formats import png_bytes
from ...core.view.raster import colour_picture
from ...store import painted, painters, paints, schemes, sketches
from ...store.laid import Laid
from ...store.models import Sculpt
from ..coats import elsewhere, plan_of
from ..edge import number_of
from ..packet import packed, picture
from ..patience import not_yet, patiently
from ..workshop import asked, the_sculpt, workshop
from . import mark_done, mark_open
from .regions import sight

blueprint = Blueprint("metal", __name__)
WORLD_SETTINGS = ("sky_low", "sky_high", "ground", "horizon", "lamp_light", "lamp_size", "glow_light")
PAINTS = {
    "paint": "metal", "unpaint": "metal", "edges": "edges", "unedge": "edges", "lining": "lining", "unline": "lining",
}  # fmt: skip
KIND_WORDS = {"flat": "flat", "cylinder": "a cylinder", "ball": "a ball", "none": "no facet"}
FACET_COLOURS = {  # told apart without hue by their lightness, and by their name when they are touched
    "flat": ((244, 222, 160), (214, 172, 86), (168, 128, 58), (120, 92, 48)), "cylinder": ((150, 200, 226), (86, 140, 178), (54, 96, 130)),
    "ball": ((222, 160, 190), (172, 104, 140)),
}  # fmt: skip
LOOK_SIZE = (104, 132)
MOST_SAID = 40


@dataclass(frozen=True)
class Opened:
    """What the stage works on. before: coats of the stages before; own: of this one; later: those after it."""

    sculpt: Sculpt
    laid: Laid
    made: sketches.Sketched
    lamp: Lamp
    before: list[Coat]
    own: list[Coat]
    later: list[Coat]
    choice: schemes.Choice
    seen: int


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows; regions and coats come as metal.json."""
    return {
        "schools": metal_schools(), "worlds": [w for w in WORLDS if w != "uniform"], "kinds": KIND_WORDS,
        "looks": range(-FURTHEST, FURTHEST + 1, STEP),
    }  # fmt: skip


def _opened(session: Session, sculpt_id: int) -> Opened:
    plan = plan_of(session, sculpt_id)
    lamp = built(Rig, plan.sculpt.rig, "the light").lamp or Lamp(0, 60)
    before, own, later = plan.around(STAGE)
    return Opened(plan.sculpt, plan.laid, plan.made, lamp, before, own, later, plan.choice, plan.seen)


def _kept(opened: Opened, number: int) -> Metal:
    """How a region is painted, as it was set or as its material usually is; places in the file's own axes."""
    kept = (opened.sculpt.metal or {}).get(_name(opened, number))
    if kept:
        return built(Metal, kept, "the metal")
    return usual_metal(opened.made.site.marking.regions[number - 1].material)


def _on_bench(opened: Opened, kept: Metal) -> Metal:
    """The same from the display view, its places as the sculpt stands."""
    display, said = opened.sculpt.display, kept.shine.said
    if said:
        places = opened.laid.placing.to_bench(np.array([one.place for one in said], float)).tolist()
        said = tuple(replace(one, place=tuple(at)) for one, at in zip(said, places, strict=True))
    return replace(kept, shine=replace(kept.shine, view=(display["azimuth"], display["elevation"]), said=said))


def _metal(opened: Opened, number: int) -> Metal:
    return _on_bench(opened, _kept(opened, number))


def _name(opened: Opened, number: int) -> str:
    """Of a region: by it its metal is kept, since numbers change."""
    return opened.made.site.marking.regions[number - 1].name


def _of(opened: Opened, number: int, way: str) -> list[Coat]:
    """The coats of one region that paint its metal, its edges or its lining."""
    return [c for c in opened.own if c.way == way and region_of(opened.made.site, c) == number]


def _with(opened: Opened, number: int, settings: dict[str, Any]) -> Metal:
    """As it is kept, with some settings: of the shine, of the edges, of its world; `drag` puts the lamp or the glow where the
    mirror ball shows it."""
    own = _kept(opened, number)
    if "world" in settings:  # another one takes the place of a changed one
        own = built(Metal, {**plain(own), "world": settings["world"], "own": None}, "the metal")
    world = _world_with(own.mirrors, settings)
    if "drag" in settings:
        which, x, y = _dragged(str(settings["drag"]))
        view = opened.sculpt.display["azimuth"], opened.sculpt.display["elevation"]
        world = with_disc_at(world, which, x, y, view)
    if world != own.mirrors:
        own = replace(own, own=world)
    values_, known = plain(own), plain(own.shine)
    shine = {k: v for k, v in settings.items() if k in known and k not in ("view", "said")}
    named = {k: v for k, v in settings.items() if k in ("school", "least", "line")}
    return built(Metal, {**values_, **named, "shine": {**known, **shine}}, "the metal")


def _dragged(text: str) -> tuple[str, float, float]:
    try:
        which, x, y = text.split(",")
        return which, float(x), float(y)
    except ValueError as e:
        raise SettingError("where it was dragged to did not arrive; reload the page") from e


def _world_with(world: World, settings: dict[str, Any]) -> World:
    """A world with some of WORLD_SETTINGS changed."""
    given = {k: settings[k] for k in WORLD_SETTINGS if k in settings}
    if not given:
        return world
    sky, made = list(world.sky), plain(world)
    for name, at in (("sky_low", 0), ("sky_high", -1)):
        if name in given:
            sky[at] = (sky[at][0], given[name])
    made["sky"] = sky
    made |= {
        name: given[key] for name, key in (("ground", "ground"), ("horizon_sharpness", "horizon")) if key in given
    }
    for key, part in (("lamp_light", "brightness"), ("lamp_size", "size")):
        if key in given:
            made["lamp"] = {**(made["lamp"] or plain(Disc())), part: given[key]}
    if "glow_light" in given:
        made["glow"] = (
            {**(made["glow"] or plain(ACCENT)), "brightness": given["glow_light"]} if given["glow_light"] else None
        )
    return built(World, made, "the world")


def _world_row(world: World) -> dict[str, float]:
    lamp, glow = world.lamp or Disc(brightness=0.0), world.glow
    numbers = (world.sky[0][1], world.sky[-1][1], world.ground, world.horizon_sharpness, lamp.brightness, lamp.size)
    return dict(zip(WORLD_SETTINGS, (*numbers, glow.brightness if glow else 0.0), strict=True))


def _values(opened: Opened, metal: Metal, number: int) -> np.ndarray:
    local = opened.made.locals_[number]
    key = f"{plain(metal)} {opened.lamp} {plain(local)}"
    return opened.laid.metals.of(key, lambda: values(opened.made.site, metal, opened.lamp, local))


def _tried(opened: Opened, number: int, args: Any) -> Metal:
    """As the address says; nothing is kept."""
    text = ("school", "world", "drag")
    settings = {
        k: (v if k in text else _float(v)) for k, v in args.items() if k not in ("region", "v", "facets", "share")
    }
    return _on_bench(opened, _with(opened, number, settings))


@blueprint.get("/sculpts/<int:sculpt_id>/metal.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with how their metal is painted; the coats; the edges."""
    with workshop().store.session() as session:
        try:
            opened = _opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = schemes.can_step(session, opened.sculpt)
        tools = painters.tools_of(session)
    site = opened.made.site
    display = opened.sculpt.display

    def work(say: Any) -> None:
        say("Looking for edges", 0.2)
        _ = site.lines

    if told := patiently(("metal", sculpt_id, opened.sculpt.surface_key), work):
        return not_yet(told)
    view = display["azimuth"], display["elevation"]
    edges = crests_of(site, opened.lamp, view)
    every = [*opened.before, *opened.own]
    steps = painted.steps(opened.laid, site, every, tools=tools, models=opened.sculpt.models)[len(opened.before) :]
    lightness = _lightness(opened)
    rows = []
    for k, r in enumerate(site.marking.regions, 1):
        metal = _kept(opened, k)
        crests = [c for c in edges.crests if c.region == k and c.length_mm >= metal.least]
        rows.append(
            {
                "number": k, "name": r.name, "material": r.material, "hex": opened.made.locals_[k].colour, **plain(metal),
                "mirrors": _world_row(metal.mirrors), "painted": bool(_of(opened, k, "metal")), "set": r.name in (opened.sculpt.metal or {}),
                "edged": bool(_of(opened, k, "edges")), "lined": bool(_of(opened, k, "lining")),
                "crests": len(crests), "crests_mm": round(sum(c.length_mm for c in crests), 1),
                "lit_mm": round(sum(c.lit_mm for c in crests), 1), "lining_mm": round(lining_mm(site, k, lightness), 1),
                "jumps": jumps(_of(opened, k, "metal")),
            }
        )  # fmt: skip
    listed = [
        {
            "number": n + 1,
            "label": s.purpose,
            "hex": s.hex,
            "paint": s.paint,
            "minutes": round(s.hand_minutes),
            "region": region_of(site, c),
        }
        for n, (s, c) in enumerate(zip(steps, opened.own, strict=True))
    ]
    return jsonify(
        turn=opened.seen, regions=rows, coats=listed, undo=undo, redo=redo, total_mm=edges.total_mm, lit_mm=edges.lit_mm,
        strokes=len(edges.strokes), minutes=round(edges.minutes),
    )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/metal.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. region: shown as metal, over what is planned; school,
    world, roughness and the rest: as it would be so, nothing is kept. painted: as its coats leave it."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    site = opened.made.site
    levels = looks(painted.seen(opened.laid, site, [*opened.before, *opened.own]))[1]
    if "region" in request.args and "painted" not in request.args:
        number = _number(opened, request.args["region"])
        metal, local = _tried(opened, number, request.args), opened.made.locals_[number]
        own = site.labels == number
        levels = levels.copy()
        if "facets" in request.args:
            found = facets_of(site, metal.shine)
            levels = (levels.mean(axis=1, keepdims=True) * np.ones(3) * 0.6).astype(np.uint8)
            for k, facet in enumerate(found):
                levels[facet.own] = FACET_COLOURS[facet.kind][k % len(FACET_COLOURS[facet.kind])]
        else:
            rgb = colours(_values(opened, metal, number)[own], metal, local)
            levels[own] = np.round(encoded(np.clip(rgb, 0, 1)) * 255)
    return packed({"samples": len(site)}, np.column_stack([levels, np.zeros(len(site), np.uint8)])[site.shown])


def _lightness(opened: Opened) -> np.ndarray:
    """(R + 1,) mean value of the rest and of each region, for no dark line lies between two whites."""
    site, value = opened.made.site, opened.made.target.value
    area = np.bincount(site.labels, weights=site.areas, minlength=len(site.marking.regions) + 1)
    return np.bincount(site.labels, weights=site.areas * value, minlength=len(area)) / np.maximum(area, 1e-9)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/ball.png")
def ball(sculpt_id: int, number: int) -> Response:
    """A mirror ball of a region's metal in its world, or as the address says."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    number = _number(opened, number)
    made = mirror_ball(_tried(opened, number, request.args), opened.made.locals_[number])
    return Response(png_bytes(made), mimetype="image/png", headers={"Cache-Control": "no-store"})


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/look/<off>.png")
def look_from(sculpt_id: int, number: int, off: str) -> Response:
    """The metal as it is painted for the display view, looked at from so many degrees beside it."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    number, beside = _number(opened, number), number_of(off, "degrees beside the view", -FURTHEST, FURTHEST)
    site, metal, local = opened.made.site, _metal(opened, number), opened.made.locals_[number]
    azimuth, elevation = metal.shine.view
    levels = looks(painted.seen(opened.laid, site, [*opened.before, *opened.own]))[1].copy()
    own = site.labels == number
    levels[own] = np.round(encoded(np.clip(colours(_values(opened, metal, number)[own], metal, local), 0, 1)) * 255)
    camera = Camera((azimuth + beside + 180) % 360 - 180, elevation)
    return picture(png_bytes(colour_picture(site.surface, levels[site.shown], camera, *LOOK_SIZE)))


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/facet.json")
def facet_at(sculpt_id: int, number: int) -> Response:
    """The facet that a line of sight (origin, direction: three numbers each) meets: what it is, and how it is painted."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
        rack = paints.rack_of(session)
    number = _number(opened, number)
    try:
        place, _ = _clicked(opened, {k: request.args.get(k, "").split(",") for k in ("origin", "direction")})
    except ValueError as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("where you touched did not arrive; reload the page") from e
    found = facets_of(opened.made.site, _metal(opened, number).shine)
    at = int(((opened.made.site.surface.points - place) ** 2).sum(axis=1).argmin())
    k = next((k for k, f in enumerate(found) if f.own[at]), None)
    if k is None:
        return jsonify(number=None, kind="none", words=["No plain facet: it shows what it would mirror."])
    strip = _strip(opened, number, k, rack)
    words = [f"{found[k].length:.1f} mm long, {strip.width:.1f} mm wide.", *strip.words]
    return jsonify(number=k, kind=found[k].kind, words=words)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/facet/<int:k>.svg")
def facet_flat(sculpt_id: int, number: int, k: int) -> Response:
    """A facet unrolled flat as a gradient to copy, ten times as large as life."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
        rack = paints.rack_of(session)
    return Response(facet_svg(_strip(opened, _number(opened, number), k, rack)), mimetype="image/svg+xml")


def _strip(opened: Opened, number: int, k: int, rack: Rack) -> Trainer:
    metal, local = _metal(opened, number), opened.made.locals_[number]
    found = facets_of(opened.made.site, metal.shine)
    if not 0 <= k < len(found):
        abort(404)
    from_paints = [p for p in rack if p.kind in BRUSHED]
    return unrolled(opened.made.site, found[k], _values(opened, metal, number), metal, from_paints, local)


def _clicked(opened: Opened, given: dict[str, Any]) -> tuple[np.ndarray, tuple[float, float, float]]:
    """The place that was clicked, as it stands and in the file's axes."""
    met = spot(opened.laid.site.surface, *sight(given))
    if met is None:
        raise SettingError("there is nothing there; click on the sculpt itself")
    x, y, z = opened.laid.placing.to_file(met[1][None])[0].tolist()
    return met[1], (x, y, z)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/edges.bin")
def edge_lines(sculpt_id: int, number: int) -> Response:
    """The strokes along a region's crests, and the creases that are lined: pairs of places as float32, strokes first; `least`,
    mm: of the shortest."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    number, site, display = _number(opened, number), opened.made.site, opened.sculpt.display
    least = number_of(request.args.get("least", "0"), "the shortest edge", 0, 100)
    edges = crests_of(site, opened.lamp, (display["azimuth"], display["elevation"]), least=least)
    strokes = [s.places for s in edges.strokes if edges.crests[s.crest].region == number]
    creases = creases_round(site, number, _lightness(opened))
    paths: list[np.ndarray] = [*strokes, *creases]
    ends = [np.stack([p[:-1], p[1:]], axis=1).reshape(-1, 3) for p in paths]
    count = sum(len(p) - 1 for p in strokes)
    every = np.concatenate(ends).astype(np.float32) if ends else np.zeros((0, 3), np.float32)
    return packed({"strokes": count, "creases": len(every) // 2 - count}, every)


def _float(value: str) -> float:
    try:
        return float(value)
    except ValueError as e:
        raise SettingError("a setting of the metal is no number; reload the page") from e


def _number(opened: Opened, given: Any) -> int:
    try:
        number = int(given)
    except (TypeError, ValueError):
        number = 0
    if not 1 <= number <= len(opened.made.site.marking.regions):
        raise SettingError("choose the region first")
    return number


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/holds.json")
def holding(sculpt_id: int, number: int) -> Response | tuple[Response, int]:
    """From how far round a region's metal tells the same story."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    number = _number(opened, number)
    metal = _metal(opened, number)
    found: list[Any] = []
    key = ("holds", sculpt_id, number, str(plain(metal)), opened.made.key)

    def work(say: Any) -> None:
        say("Looking from the sides", 0.3)
        own = opened.made.site.labels == number
        found.append(
            opened.laid.metals.of(
                f"holds {key}", lambda: holds(opened.made.site, own, metal, opened.lamp, opened.made.locals_[number])
            )
        )

    if told := patiently(key, work):
        return not_yet(told)
    work(lambda *_: None)
    line = next(iter(_of(opened, number, "lining")), None)
    beside = beside_words(opened.made.site, _of(opened, number, "edges"), line)
    return jsonify(words=f"{found[-1].words} {beside}".strip(), told=found[-1].told)


@blueprint.post("/sculpts/<int:sculpt_id>/metal")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (region and settings), usual (region), facet (region, origin, direction, kind): what it is; paint, unpaint, edges,
    unedge, lining, unline (region), undo, redo. `turn` says which state of the coats it was made on."""
    given = asked()
    what = str(given.get("do"))
    try:
        with workshop().store.session() as session:
            opened = _opened(session, sculpt_id)
            if given.get("turn", opened.seen) != opened.seen:
                return elsewhere()
            number = 0 if what in ("undo", "redo") else _number(opened, given.get("region"))
            if what in ("set", "facet"):
                _set(opened, number, what, given)  # refused here
            new = _coats(session, opened, what, number)
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if what in ("undo", "redo"):
                schemes.step(session, sculpt, -1 if what == "undo" else 1, opened.seen)
            elif new is not None:
                schemes.keep(session, sculpt, [*opened.before, *new, *opened.later], opened.choice, opened.seen)
            kept = dict(sculpt.metal or {})  # as it is now: two changes may cross
            if what in ("set", "facet"):
                kept[_name(opened, number)] = plain(_set(replace(opened, sculpt=sculpt), number, what, given))
            elif what == "usual":
                kept.pop(_name(opened, number), None)
            sculpt.metal = kept
            session.flush()
            (mark_done if kept or new or opened.own else mark_open)(sculpt, "metal")
        return jsonify(kept=True)
    except schemes.ChangedElsewhereError:
        return elsewhere()
    except (KeyError, TypeError, ValueError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("the change that arrived is incomplete; reload the page") from e


def _set(opened: Opened, number: int, what: str, given: dict[str, Any]) -> Metal:
    """How a region is painted after a change of its settings, or of what a facet of it is."""
    if what == "set":
        return _with(opened, number, dict(given["settings"]))
    own, (_, place) = _kept(opened, number), _clicked(opened, given)
    said = built(Said, {"place": place, "kind": str(given["kind"])}, "the facet")
    return replace(own, shine=replace(own.shine, said=(*own.shine.said, said)[-MOST_SAID:]))


def _coats(session: Session, opened: Opened, what: str, number: int) -> list[Coat] | None:
    """The coats of this stage after a change; None where they stay."""
    if what not in PAINTS:
        if what not in ("set", "usual", "facet", "undo", "redo"):
            raise SettingError("this bench does not know that change; reload the page")
        return None
    mark = PAINTS[what]
    gone = _of(opened, number, mark)
    left = [c for c in opened.own if not any(c is old for old in gone)]
    if what.startswith("un"):
        return left
    under = painted.seen(opened.laid, opened.made.site, opened.before)
    task = sketches.task_for(session, opened.sculpt, opened.made, number, under)
    metal = _metal(opened, number)
    if mark == "metal":
        new = coats(task, metal, _values(opened, metal, number), opened.made.locals_[number])
        first = [c for c in left if c.way == "metal"]
        return [*first, *new, *(c for c in left if c.way != "metal")]
    if mark == "edges":
        return [*left, *edge_coats(task, opened.lamp, metal.least, metal.line)]
    line = lining_coat(task, _lightness(opened))
    if line is None:
        raise SettingError("there is no crease round this region to line, or only between two whites")
    return [*(c for c in left if c.way == "metal"), line, *(c for c in left if c.way != "metal")]
