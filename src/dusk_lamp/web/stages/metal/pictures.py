"""Pictures of painted metal, of its mirror ball, and the lines of its edges."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Response, jsonify, request

from ....core.coat.stack import looks
from ....core.light.lamp import Lamp
from ....core.paint.colour import screen_levels
from ....core.plain import plain
from ....core.plan.context import Context
from ....core.plan.features.edges.feature import FEATURE as EDGES
from ....core.plan.features.edges.lines import beside_words, creases_round, crests_of
from ....core.plan.features.metal.feature import FEATURE
from ....core.plan.features.metal.painted import FURTHEST, holds, mirror_ball
from ....core.plan.features.metal.schools.school import facets_of
from ....core.plan.features.metal.wishes import Metal
from ....core.plan.simulation import digest
from ....core.results import known, result
from ....core.target.local import Local
from ....core.view.camera import Camera
from ....core.view.formats import png_bytes
from ....core.view.raster import colour_picture
from ...background import not_yet, waited_for
from ...editing import OpenPlan, opened
from ...limits import number_of
from ...responses import packed, picture
from ...workshop import workshop
from .common import EDGE_SETTINGS, TEXTS, blueprint, with_settings

FACET_COLOURS = {  # kept apart without hue by their lightness, and by their name when they are touched
    "flat": ((244, 222, 160), (214, 172, 86), (168, 128, 58), (120, 92, 48)),
    "cylinder": ((150, 200, 226), (86, 140, 178), (54, 96, 130)),
    "ball": ((222, 160, 190), (172, 104, 140)),
}
LOOK_SIZE = (104, 132)


def _tried(open_plan: OpenPlan, id_: int) -> OpenPlan:
    """The plan with a region as the address says; nothing is kept."""
    left_out = ("region", "v", "facets", "share", "painted", *EDGE_SETTINGS)
    settings = {
        k: (v if k in TEXTS else number_of(v, "a setting of the metal", -1e6, 1e6))
        for k, v in request.args.items()
        if k not in left_out
    }
    wishes = open_plan.context.wishes(FEATURE.name).with_one(id_, with_settings(open_plan, id_, settings))
    return replace(open_plan, context=open_plan.context.on(open_plan.plan.with_wishes(FEATURE.name, wishes)))


@blueprint.get("/sculpts/<int:sculpt_id>/metal.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. region: shown as metal, over what is planned;
    school, world, roughness and the rest: as it would be so, nothing is kept. painted: as its coats leave it."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    levels = _planned(open_plan)
    if "region" in request.args and "painted" not in request.args:
        id_ = open_plan.id(request.args["region"])
        levels = levels.copy()
        if "facets" in request.args:
            levels = (levels.mean(axis=1, keepdims=True) * np.ones(3) * 0.6).astype(np.uint8)
            for k, facet in enumerate(facets_of(open_plan.site, FEATURE.metal(open_plan.context, id_).shine)):
                levels[facet.mask] = FACET_COLOURS[facet.kind][k % len(FACET_COLOURS[facet.kind])]
        else:
            _metal_on(_tried(open_plan, id_), id_, levels)
    return packed(
        {"samples": len(levels)}, np.column_stack([levels, np.zeros(len(levels), np.uint8)])[open_plan.site.shown]
    )


def _planned(open_plan: OpenPlan) -> np.ndarray:
    """(N, 3) the model as this stage and those before it leave it."""
    coats = [*open_plan.context.before(FEATURE.name), *open_plan.context.coats(FEATURE.name, EDGES.name)]
    return looks(open_plan.context.simulation.reflectance(coats))[1]


def _metal_on(open_plan: OpenPlan, id_: int, levels: np.ndarray) -> None:
    """Levels (N, 3) with a region as metal."""
    mine = open_plan.site.labels == open_plan.site.marking.number_of(id_)
    levels[mine] = screen_levels(FEATURE.colours(open_plan.context, id_))


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/ball.png")
def ball(sculpt_id: int, number: int) -> Response:
    """A mirror ball of a region's metal in its world, or as the address says."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    id_ = open_plan.id(number)
    made = mirror_ball(FEATURE.metal(_tried(open_plan, id_).context, id_), open_plan.context.locals[number])
    return Response(png_bytes(made), mimetype="image/png", headers={"Cache-Control": "no-store"})


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/look/<off>.png")
def look_from(sculpt_id: int, number: int, off: str) -> Response:
    """The metal as it is painted for the display view, looked at from so many degrees beside it."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    id_, degrees = open_plan.id(number), number_of(off, "degrees beside the view", -FURTHEST, FURTHEST)
    levels = _planned(open_plan).copy()
    _metal_on(open_plan, id_, levels)
    azimuth, elevation = open_plan.context.view
    camera = Camera((azimuth + degrees + 180) % 360 - 180, elevation)
    return picture(
        png_bytes(colour_picture(open_plan.site.surface, levels[open_plan.site.shown], camera, *LOOK_SIZE))
    )


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/edges.bin")
def edge_lines(sculpt_id: int, number: int) -> Response:
    """The strokes along a region's crests, and the creases that are lined: pairs of places as float32, strokes first;
    `least`, mm: of the shortest."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    number, context = open_plan.number(number), open_plan.context
    least = number_of(request.args.get("least", "0"), "the shortest edge", 0, 100)
    edges = crests_of(open_plan.site, FEATURE.lamp(context), context.view, least=least)
    strokes = [s.places for s in edges.strokes if edges.crests[s.crest].region == number]
    paths: list[np.ndarray] = [*strokes, *creases_round(open_plan.site, number, EDGES.lightness(context))]
    ends = [np.stack([p[:-1], p[1:]], axis=1).reshape(-1, 3) for p in paths]
    count = sum(len(p) - 1 for p in strokes)
    every = np.concatenate(ends).astype(np.float32) if ends else np.zeros((0, 3), np.float32)
    return packed({"strokes": count, "creases": len(every) // 2 - count}, every)


@result(
    most=6, depends=lambda context, number, *rest: digest([plain(one) for one in rest], context.site.labels == number)
)
def _held(context: Context, number: int, metal: Metal, lamp: Lamp, local: Local) -> Any:
    return holds(context.site, context.site.labels == number, metal, lamp, local)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/holds.json")
def holding(sculpt_id: int, number: int) -> Response | tuple[Response, int]:
    """From how far round a region still reads as metal."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    id_, context, site = open_plan.id(number), open_plan.context, open_plan.site
    metal, lamp, local = FEATURE.metal(context, id_), FEATURE.lamp(context), context.locals[number]

    def work(say: Any) -> Any:
        say("Looking from the sides", 0.3)
        return _held(context, number, metal, lamp, local)

    if working := waited_for(
        known(_held, context, number, metal, lamp, local), ("holds", sculpt_id, open_plan.turn, number), work
    ):
        return not_yet(working)
    found = work(lambda *_: None)
    own_edges = [c for c in context.coats(EDGES.name) if c.region == id_]
    line = next((c for c in own_edges if c.way == "lining"), None)
    words = f"{found.words} {beside_words(site, [c for c in own_edges if c.way == 'edges'], line)}".strip()
    return jsonify(words=words, looks=found.looks)
