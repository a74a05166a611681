"""Pictures of the glows, of what they reach, and of a lens."""

from dataclasses import replace

import numpy as np
from flask import Response, abort, jsonify, request

from ....core.coat.stack import looks
from ....core.paint.colour import rgb_from_hex
from ....core.plan.features.feature import Item
from ....core.plan.features.glow.feature import FEATURE, GlowWishes
from ....core.plan.features.glow.glows import BANDS, NONE
from ....core.plan.features.glow.lens import STEPS, Lens, lens_pair_words
from ....core.view.flat import lens_svg
from ...editing import OpenPlan, opened
from ...limits import number_of
from ...ranges import within
from ...responses import packed
from ...workshop import workshop
from .common import blueprint, glows_of, with_glows

SHOWN = ("both", "lamp", "glow", "painted", "bands")
BAND_COLOURS = ("#000000", "#7d4fa8", "#d2673a", "#f7d95c", "#9be0c8", "#ffffff")  # in the order of BANDS


@blueprint.get("/sculpts/<int:sculpt_id>/glow.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. show: both, lamp, glow, painted or bands; band: one
    of those alone, by its name. number with reach or colour, dusk: as it would be so; nothing is kept."""
    show = request.args.get("show", "both")
    only = BANDS.index(request.args["band"]) if request.args.get("band") in BANDS[1:] else None
    if show not in SHOWN or (only is None and "band" in request.args):
        abort(404)
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    if "number" in request.args:
        open_plan = with_glows(open_plan, _tried(open_plan))
    if "dusk" in request.args:
        open_plan = with_glows(
            open_plan, glows_of(open_plan), number_of(request.args["dusk"], "what is left of the lamp", 0, 1)
        )
    context, count = open_plan.context, len(open_plan.site)
    if show == "painted":
        coats = [*context.before(FEATURE.name), *context.coats(FEATURE.name)]
        levels = looks(context.simulation.reflectance(coats))[1]
    elif show == "bands":
        grey = context.target("colour").colour.mean(axis=1, keepdims=True)
        levels = (np.repeat(grey, 3, axis=1) * 0.7).astype(np.uint8)
        table = np.round(np.array([rgb_from_hex(c) for c in BAND_COLOURS]) * 255).astype(np.uint8)
        for glow in FEATURE.shining(context):
            band = FEATURE.reached(context, glow).band
            drawn = band > NONE if only is None else band == only
            levels[drawn] = table[band[drawn]]
    else:
        lamp_alone = replace(glows_of(open_plan), glows=()) if show == "lamp" else glows_of(open_plan)
        alone = with_glows(open_plan, lamp_alone, 0.0 if show == "glow" else None)
        levels = alone.context.target(FEATURE.name).colour.copy()
        for glow in [] if show == "lamp" else glows_of(open_plan).glows:
            if not glow.shines and glow.on and not FEATURE.trouble(context, glow):
                for _, colour, mask in FEATURE.hot(context, glow)[0]:
                    levels[mask] = np.round(rgb_from_hex(colour) * 255).astype(np.uint8)
    return packed({"show": show}, np.column_stack([levels, np.zeros(count, np.uint8)])[open_plan.site.shown])


def _tried(open_plan: OpenPlan) -> GlowWishes:
    """The glows with one as the address says."""
    wishes = glows_of(open_plan)
    glow = wishes.one(int(number_of(request.args["number"], "the glow", 1, 2**31)))
    if "colour" in request.args:
        glow = replace(glow, colour=request.args["colour"])
    if "reach" in request.args and glow.shines:
        glow = FEATURE.with_reach(open_plan.context, glow, within(request.args["reach"], "reach"))
    return wishes.with_one(glow)


def _lens(open_plan: OpenPlan, region: int, brush: float = 0.2) -> list[Lens]:
    if not 1 <= region <= len(open_plan.site.marking.regions):
        abort(404)
    return FEATURE.lens(open_plan.context, open_plan.site.marking.ids[region], brush)


@blueprint.get("/sculpts/<int:sculpt_id>/glow/lens/<int:region>.svg")
def lens(sculpt_id: int, region: int) -> Response:
    """A lens, gem or eye to copy, ten times as large as life."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    brush = number_of(request.args.get("brush", "0.2"), "your finest brush", 0.02, 10)
    return Response(lens_svg(_lens(open_plan, region, brush)), mimetype="image/svg+xml")


@blueprint.get("/sculpts/<int:sculpt_id>/glow/lens/<int:region>.json")
def lens_words(sculpt_id: int, region: int) -> Response:
    """What is drawn, and how it is done; whether its coats are in the plan."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    found = _lens(open_plan, region)
    planned = FEATURE.has(open_plan.context, Item("lens", open_plan.site.marking.ids[region]))
    worse = filter(None, [lens_pair_words(found)])
    return jsonify(words=[*dict.fromkeys(o.words for o in found), *worse, *STEPS], planned=planned)
