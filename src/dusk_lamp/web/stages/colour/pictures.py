"""The model after so many coats in colour, and each way of painting a region."""

import numpy as np
from flask import Response, abort, jsonify, request
from numpy.typing import NDArray

from ....core.coat.finish import films_of, finish_of, metal_of
from ....core.coat.stack import looks
from ....core.directions import direction_of
from ....core.paint.colour import ILLUMINANTS, lab, levels_of, xyz
from ....core.plain import plain
from ....core.plan.brief import seen_after
from ....core.plan.features.colour.feature import FEATURE, Tried
from ....core.plan.features.colour.ways import ways
from ....core.plan.nearness import FINE, wrong
from ....core.plan.steps.gradient import gradients
from ....core.units import counted, minutes_words
from ....core.view.camera import Camera
from ....core.view.raster import colour_picture
from ....core.view.sheen import NUMBERS, with_sheen
from ....store.cache import code_mark, key_of
from ...editing import OpenPlan, opened
from ...responses import drawn_once, packed
from ...workshop import workshop
from .common import DRAWING, blueprint, colours_of, looked

PICTURE_SIZE = (132, 168)
MARKS = ("fine", "light", "dark", "grey", "vivid", "hue")
MARK_WORDS = {
    "light": "too light {} mm² (rising lines)",
    "dark": "too dark {} mm² (falling)",
    "grey": ("too grey {} mm² (level)"),
    "vivid": "too vivid {} mm² (upright)",
    "hue": "of another hue {} mm² (dots)",
}


def _opened_at(sculpt_id: int, number: int) -> OpenPlan:
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    if not 0 <= number <= len(colours_of(open_plan)):
        abort(404)
    return open_plan


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>.bin")
def after_bin(sculpt_id: int, number: int) -> Response:
    """The model after so many coats in colour: four bytes for every sample, three of colour and one that says what is
    wrong with it most of all, in the order of MARKS. light: that it is looked at by."""
    open_plan, light = _opened_at(sculpt_id, number), request.args.get("light", ILLUMINANTS[0])
    if light not in ILLUMINANTS:
        abort(404)
    seen, site = looked(open_plan, number), open_plan.site
    levels = levels_of(xyz(seen, light))
    mark = wrong(lab(xyz(seen)), open_plan.context.target(FEATURE.name).lab)
    mark[site.labels == 0] = FINE  # what is not marked stays a sketch
    areas = {name: round(float(site.areas[mark == k].sum()), 1) for k, name in enumerate(MARKS)}
    said = ", ".join(words.format(round(areas[name])) for name, words in MARK_WORDS.items())
    heading = {"number": number, "areas": areas, "words": f"{said[0].upper()}{said[1:]}."}
    return packed(heading, np.column_stack([levels, mark])[site.shown])


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/finish.bin")
def finish_bin(sculpt_id: int, number: int) -> Response:
    """How shiny every sample is after so many coats in colour: four bytes, from matt to gloss and how much metallic
    paint shows; the heading says where the lamp is."""
    open_plan = _opened_at(sculpt_id, number)
    coats = [*open_plan.context.before(FEATURE.name), *colours_of(open_plan)[:number]]
    finish, metal = open_plan.context.simulation.finish(coats)
    heading = {"number": number, "lamp": plain(open_plan.context.lamp.direction, 4), "sheen": NUMBERS}
    both = np.round(np.clip(np.column_stack([finish, metal, 0 * finish, 0 * finish]), 0, 1) * 255).astype(np.uint8)
    return packed(heading, both[open_plan.site.shown])


def _tried(sculpt_id: int, number: int, name: str) -> tuple[OpenPlan, Tried]:
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    if name not in ways() or not 1 <= number <= len(open_plan.site.marking.regions):
        abort(404)
    with DRAWING:
        return open_plan, FEATURE.tried(open_plan.context, number, name)


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/<name>.json")
def way_json(sculpt_id: int, number: int, name: str) -> Response:
    """How near a way brings a region, and what it takes."""
    _, found = _tried(sculpt_id, number, name)
    near, count, mixes = found.nearness, len(found.coats), len({c.mix.words() for c in found.coats})
    short = "cannot be done"
    if near:
        short = f"{100 * near.within:.0f} % near\n{counted(count, 'coat', 'coats')}, {minutes_words(found.minutes)}"
    return jsonify(
        trouble=found.trouble,
        near=plain(near) if near else None,
        minutes=round(found.minutes),
        wait=round(found.wait),
        coats=count,
        mixes=mixes,
        short=short,
        words=found.trouble or (near.words if near else ""),
    )


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/<name>.png")
def way_png(sculpt_id: int, number: int, name: str) -> Response:
    """A picture of this very model with a region painted one way, over its undercoat."""
    open_plan, found = _tried(sculpt_id, number, name)
    site, view, under = open_plan.site, open_plan.context.view, open_plan.context.before(FEATURE.name)

    def draw() -> NDArray:
        brief = open_plan.context.brief(FEATURE.name, number)
        seen = brief.under.copy()
        seen[brief.mask] = seen_after(brief, found.coats)
        levels = looks(seen)[1]
        if any(c.mix.kind == "metallic" for c in found.coats):  # else its picture would show no metal
            stack = list(zip(found.coats, films_of(site, found.coats), strict=True))
            shine = finish_of(stack, len(site)), metal_of(stack, len(site))
            levels = with_sheen(levels, site.surface, *shine, open_plan.context.lamp.direction, direction_of(*view))
        return colour_picture(site.surface, levels[site.shown], Camera(*view), *PICTURE_SIZE)

    with DRAWING:
        return drawn_once(
            key_of(
                "way picture", code_mark(), open_plan.open.surface_key, list(view), plain(found.coats), plain(under)
            ),
            draw,
        )


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/gradients.json")
def gradients_json(sculpt_id: int, number: int) -> Response:
    """The borders between neighbouring mixes of a region, and how the hand makes each smooth."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    found = gradients(open_plan.site, FEATURE.by_region(open_plan.context).get(number, []))
    return jsonify(
        [
            {**plain(g), "line": f"{g.lower} to {g.upper}: {g.mm:.0f} mm, {g.step:.1f} value apart; {g.words}."}
            for g in found
        ]
    )
