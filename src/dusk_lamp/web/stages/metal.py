"""The metal stage: painted metal by one of three schools on this very model, edge highlights, lining, and their coats."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request
from sqlalchemy.orm import Session

from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.light.reflect import WORLDS, WorldControls, controls_of, with_controls
from ...core.paint.colour import encoded
from ...core.plain import built, described, plain
from ...core.plan.edges import beside_words, creases_round, crests_of, lining_mm
from ...core.plan.metal import metal_schools
from ...core.plan.metal.painted import FURTHEST, STEP, Metal, holds, jumps, mirror_ball
from ...core.plan.metal.school import Shine, facets_of
from ...core.plan.metal.trainer import Trainer, unrolled
from ...core.plan.order import region_of
from ...core.plan.simulation import digest
from ...core.plan.stages import Item
from ...core.plan.stages.edges import STAGE as EDGES
from ...core.plan.stages.edges import RegionEdges
from ...core.plan.stages.metal import STAGE
from ...core.plan.ways.way import BRUSHED
from ...core.sculpt.facets import FacetNote
from ...core.units import counted, minutes_words
from ...core.view.camera import Camera
from ...core.view.flat import facet_svg
from ...core.view.formats import png_bytes
from ...core.view.raster import colour_picture
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..background import in_background, not_yet
from ..editing import Edit, Opened, answer, change, clicked, opened, settled
from ..limits import number_of
from ..responses import packed, picture
from ..workshop import workshop

blueprint = Blueprint("metal", __name__)
PAINTS = {  # what is done, on which stage, by which name its coats are known, what a history calls it
    "paint": (STAGE, "metal", "metal put in the plan"), "unpaint": (STAGE, "metal", "metal taken off the plan"),
    "edges": (EDGES, "edges", "edges put in the plan"), "unedge": (EDGES, "edges", "edges taken off the plan"),
    "lining": (EDGES, "lining", "creases lined"), "unline": (EDGES, "lining", "lining taken off the plan"),
}  # fmt: skip
KIND_WORDS = {"flat": "flat", "cylinder": "a cylinder", "ball": "a ball", "none": "no facet"}
FACET_COLOURS = {  # told apart without hue by their lightness, and by their name when they are touched
    "flat": ((244, 222, 160), (214, 172, 86), (168, 128, 58), (120, 92, 48)), "cylinder": ((150, 200, 226), (86, 140, 178), (54, 96, 130)),
    "ball": ((222, 160, 190), (172, 104, 140)),
}  # fmt: skip
LOOK_SIZE = (104, 132)
MOST_CORRECTIONS = 40
TEXTS = ("school", "world", "drag")
EDGE_SETTINGS = ("least", "line")


def panel(session: Session, sculpt: Sculpt, own: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; regions and coats come as metal.json."""
    return {
        "schools": metal_schools(), "worlds": [w for w in WORLDS if w != "uniform"], "kinds": KIND_WORDS,
        "looks": range(-FURTHEST, FURTHEST + 1, STEP), "shine": described(Shine), "edges": described(RegionEdges),
        "world": described(WorldControls),
    }  # fmt: skip


def _with(own: Opened, id_: int, settings: dict[str, Any]) -> Metal:
    """How a region shines as it is kept, with some settings of the shine or of its world; `drag` puts the lamp or the
    glow where the mirror ball shows it."""
    kept = STAGE.kept(own.context, id_)
    if "world" in settings:  # another one takes the place of a changed one
        kept = built(Metal, {**plain(kept), "world": settings["world"], "own": None}, "the metal")
    world = with_controls(kept.mirrors, settings, own.context.view)
    kept = kept if world == kept.mirrors else replace(kept, own=world)
    known = plain(kept.shine)
    shine = {k: v for k, v in settings.items() if k in known and k not in ("view", "corrections")}
    named = {k: v for k, v in settings.items() if k == "school"}
    return built(Metal, {**plain(kept), **named, "shine": {**known, **shine}}, "the metal")


def _tried(own: Opened, id_: int) -> Opened:
    """The plan with a region as the address says; nothing is kept."""
    left_out = ("region", "v", "facets", "share", "painted", *EDGE_SETTINGS)
    settings = {
        k: (v if k in TEXTS else number_of(v, "a setting of the metal", -1e6, 1e6))
        for k, v in request.args.items()
        if k not in left_out
    }
    wishes = own.context.wishes(STAGE.name).with_one(id_, _with(own, id_, settings))
    return replace(own, context=own.context.on(own.plan.with_wishes(STAGE.name, wishes)))


@blueprint.get("/sculpts/<int:sculpt_id>/metal.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with how their metal is painted; the coats; the edges."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)

    def work(say: Any) -> None:
        say("Looking for edges", 0.2)
        _ = own.site.lines

    if working := in_background(("metal", sculpt_id, own.open.surface_key), work):
        return not_yet(working)
    context, site = own.context, own.site
    edges = crests_of(site, STAGE.lamp(context), context.view)
    lightness = EDGES.lightness(context)
    coats = context.coats(STAGE.name, EDGES.name)
    rows = [_row(own, k, edges, lightness) for k in range(1, len(site.marking.regions) + 1)]
    listed = [
        {
            "number": n, "label": s.purpose, "hex": s.hex, "words": f"{s.paint}; {minutes_words(s.hand_minutes)}",
            "region": region_of(site, c),
        }
        for n, (s, c) in enumerate(zip(own.steps(coats, context.before(STAGE.name)), coats, strict=True), 1)
    ]  # fmt: skip
    return jsonify(turn=own.turn, regions=rows, coats=listed, total_mm=edges.total_mm, lit_mm=edges.lit_mm)


def _row(own: Opened, k: int, edges: Any, lightness: np.ndarray) -> dict[str, Any]:
    context, region = own.context, own.site.marking.regions[k - 1]
    metal, wish = STAGE.kept(context, region.id), context.wishes(EDGES.name).of(region.id)
    crests = [c for c in edges.crests if c.region == k and c.length_mm >= wish.least]
    lining = lining_mm(own.site, k, lightness)
    layers = [c for c in context.coats(STAGE.name) if c.region == region.id]
    marks = {way: EDGES.has(context, Item(way, region.id)) for way in ("edges", "lining")}
    notes = [
        region.material,
        *(["metal in the plan"] if layers else []),
        *(["edges in the plan"] if marks["edges"] else []),
    ]
    return {
        "number": k, "name": region.name, "material": region.material, "hex": context.locals[k].colour, **plain(metal),
        **{name: getattr(wish, name) for name in EDGE_SETTINGS}, "mirrors": plain(controls_of(metal.mirrors)),
        "painted": bool(layers), "edged": marks["edges"], "lined": marks["lining"],
        "set": context.wishes(STAGE.name).of(region.id) is not None or wish != RegionEdges(),
        "words": ", ".join([*notes, *(["lined"] if marks["lining"] else [])]), "jumps": jumps(layers),
        "edge_words": (
            f"{counted(len(crests), 'crest', 'crests')}, {sum(c.length_mm for c in crests):.0f} mm, of which the lamp sees "
            f"{sum(c.lit_mm for c in crests):.0f} mm. A wide line and a fine bright one, thinner upward; a dot where edges meet. "
            f"On the whole model: {counted(len(edges.strokes), 'stroke', 'strokes')}, about {minutes_words(edges.minutes)}."
        ),
        "lining_mm": round(lining, 1),
        "lining_words": (
            f"Creases toward its neighbours: {lining:.0f} mm. None between two whites."
            if lining
            else "No crease toward a neighbour to line, or only between two whites."
        ),
    }  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/metal.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. region: shown as metal, over what is planned; school,
    world, roughness and the rest: as it would be so, nothing is kept. painted: as its coats leave it."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    levels = _planned(own)
    if "region" in request.args and "painted" not in request.args:
        id_ = own.id(request.args["region"])
        levels = levels.copy()
        if "facets" in request.args:
            levels = (levels.mean(axis=1, keepdims=True) * np.ones(3) * 0.6).astype(np.uint8)
            for k, facet in enumerate(facets_of(own.site, STAGE.metal(own.context, id_).shine)):
                levels[facet.own] = FACET_COLOURS[facet.kind][k % len(FACET_COLOURS[facet.kind])]
        else:
            _metal_on(_tried(own, id_), id_, levels)
    return packed(
        {"samples": len(levels)}, np.column_stack([levels, np.zeros(len(levels), np.uint8)])[own.site.shown]
    )


def _planned(own: Opened) -> np.ndarray:
    """(N, 3) the model as this stage and those before it leave it."""
    coats = [*own.context.before(STAGE.name), *own.context.coats(STAGE.name, EDGES.name)]
    return looks(own.context.simulation.reflectance(coats))[1]


def _metal_on(own: Opened, id_: int, levels: np.ndarray) -> None:
    """Levels (N, 3) with a region as metal."""
    mine = own.site.labels == own.site.marking.number_of(id_)
    levels[mine] = np.round(encoded(np.clip(STAGE.colours(own.context, id_), 0, 1)) * 255)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/ball.png")
def ball(sculpt_id: int, number: int) -> Response:
    """A mirror ball of a region's metal in its world, or as the address says."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    id_ = own.id(number)
    made = mirror_ball(STAGE.metal(_tried(own, id_).context, id_), own.context.locals[number])
    return Response(png_bytes(made), mimetype="image/png", headers={"Cache-Control": "no-store"})


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/look/<off>.png")
def look_from(sculpt_id: int, number: int, off: str) -> Response:
    """The metal as it is painted for the display view, looked at from so many degrees beside it."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    id_, degrees = own.id(number), number_of(off, "degrees beside the view", -FURTHEST, FURTHEST)
    levels = _planned(own).copy()
    _metal_on(own, id_, levels)
    azimuth, elevation = own.context.view
    camera = Camera((azimuth + degrees + 180) % 360 - 180, elevation)
    return picture(png_bytes(colour_picture(own.site.surface, levels[own.site.shown], camera, *LOOK_SIZE)))


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/facet.json")
def facet_at(sculpt_id: int, number: int) -> Response:
    """The facet that a line of sight (origin, direction: three numbers each) meets: what it is, how it is painted."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    id_ = own.id(number)
    try:
        place, _, _ = clicked(own.open, {k: request.args.get(k, "").split(",") for k in ("origin", "direction")})
    except ValueError as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("where you touched did not arrive; reload the page") from e
    found = facets_of(own.site, STAGE.metal(own.context, id_).shine)
    at = int(((own.site.surface.points - place) ** 2).sum(axis=1).argmin())
    k = next((k for k, f in enumerate(found) if f.own[at]), None)
    if k is None:
        return jsonify(number=None, kind="none", words=["No plain facet: it shows what it would mirror."])
    strip = _strip(own, id_, k)
    words = [f"{found[k].length:.1f} mm long, {strip.width:.1f} mm wide.", *strip.words]
    return jsonify(number=k, kind=found[k].kind, words=words)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/facet/<int:k>.svg")
def facet_flat(sculpt_id: int, number: int, k: int) -> Response:
    """A facet unrolled flat as a gradient to copy, ten times as large as life."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    return Response(facet_svg(_strip(own, own.id(number), k)), mimetype="image/svg+xml")


def _strip(own: Opened, id_: int, k: int) -> Trainer:
    metal, local = STAGE.metal(own.context, id_), own.context.locals[own.site.marking.number_of(id_)]
    found = facets_of(own.site, metal.shine)
    if not 0 <= k < len(found):
        abort(404)
    paints = [p for p in own.context.rack if p.kind in BRUSHED]
    return unrolled(own.site, found[k], STAGE.values(own.context, id_), metal, paints, local)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/edges.bin")
def edge_lines(sculpt_id: int, number: int) -> Response:
    """The strokes along a region's crests, and the creases that are lined: pairs of places as float32, strokes first;
    `least`, mm: of the shortest."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    number, context = own.number(number), own.context
    least = number_of(request.args.get("least", "0"), "the shortest edge", 0, 100)
    edges = crests_of(own.site, STAGE.lamp(context), context.view, least=least)
    strokes = [s.places for s in edges.strokes if edges.crests[s.crest].region == number]
    paths: list[np.ndarray] = [*strokes, *creases_round(own.site, number, EDGES.lightness(context))]
    ends = [np.stack([p[:-1], p[1:]], axis=1).reshape(-1, 3) for p in paths]
    count = sum(len(p) - 1 for p in strokes)
    every = np.concatenate(ends).astype(np.float32) if ends else np.zeros((0, 3), np.float32)
    return packed({"strokes": count, "creases": len(every) // 2 - count}, every)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/holds.json")
def holding(sculpt_id: int, number: int) -> Response | tuple[Response, int]:
    """From how far round a region still reads as metal."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    id_, context, site = own.id(number), own.context, own.site
    metal, lamp, local = STAGE.metal(context, id_), STAGE.lamp(context), context.locals[number]
    key = digest("holds", plain(metal), plain(lamp), plain(local), site.labels == number)
    mine = site.labels == number

    def work(say: Any) -> Any:
        say("Looking from the sides", 0.3)
        return context.memory.of("metal", key, lambda: holds(site, mine, metal, lamp, local))

    if working := in_background(("holds", sculpt_id, key), work):
        return not_yet(working)
    found = work(lambda *_: None)
    own_edges = [c for c in context.coats(EDGES.name) if c.region == id_]
    line = next((c for c in own_edges if c.way == "lining"), None)
    words = f"{found.words} {beside_words(site, [c for c in own_edges if c.way == 'edges'], line)}".strip()
    return jsonify(words=words, looks=found.looks)


@blueprint.post("/sculpts/<int:sculpt_id>/metal")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (region and settings), usual (region), facet (region, origin, direction, kind): what it is; paint, unpaint,
    edges, unedge, lining, unline (region)."""
    return answer(sculpt_id, change(sculpt_id, _changed))


def _changed(session: Session, own: Opened, what: str, given: dict[str, Any]) -> Edit:
    id_, plan, context = own.id(given.get("region")), own.kept.plan, own.context
    name = own.site.marking.regions[own.number(given["region"]) - 1].name
    metals, edges = context.wishes(STAGE.name), context.wishes(EDGES.name)
    if what == "set":
        settings = dict(given["settings"])
        lines = {k: settings.pop(k) for k in EDGE_SETTINGS if k in settings}
        if lines:
            wish = built(RegionEdges, {**plain(edges.of(id_)), **lines}, "the edges")
            plan = plan.with_wishes(EDGES.name, edges.with_one(id_, wish))
        if settings:
            plan = plan.with_wishes(STAGE.name, metals.with_one(id_, _with(own, id_, settings)))
        return Edit(plan, f"metal set: {name}", done=("metal",))
    if what == "facet":
        kept, (_, place, _) = STAGE.kept(context, id_), clicked(own.open, given)
        note = built(FacetNote, {"place": place, "kind": str(given["kind"])}, "the facet")
        notes = (*kept.shine.corrections, note)[-MOST_CORRECTIONS:]
        metal = replace(kept, shine=replace(kept.shine, corrections=notes))
        return Edit(
            plan.with_wishes(STAGE.name, metals.with_one(id_, metal)), f"facet corrected: {name}", done=("metal",)
        )
    if what == "usual":
        plan = plan.with_wishes(STAGE.name, metals.with_one(id_, None))
        return Edit(plan.with_wishes(EDGES.name, edges.with_one(id_, None)), f"metal back to usual: {name}")
    if what not in PAINTS:
        raise SettingError("this change of the metal is not known; reload the page")
    stage, way, action = PAINTS[what]
    item, wanted = Item(way, id_), not what.startswith("un")
    if way == "metal" and wanted:  # what is painted is wished for, also where nothing was changed of it
        plan = plan.with_wishes(STAGE.name, metals.with_one(id_, STAGE.kept(context, id_)))
    elif way != "metal":
        mark = {"edges": "highlight", "lining": "lining"}[way]
        plan = plan.with_wishes(EDGES.name, edges.with_one(id_, replace(edges.of(id_), **{mark: wanted})))
    context = context.on(replace(plan, coats=own.plan.coats))
    coats = stage.painted(context, item) if wanted else stage.put(context, item, [])
    return Edit(settled(plan, context, coats), f"{action}: {name}", done=("metal",))
