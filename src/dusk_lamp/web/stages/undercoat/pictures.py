"""Pictures of the model after so many coats, and in each school."""

from collections.abc import Callable

import numpy as np
from flask import Response, abort, jsonify

from ....core.plain import plain
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.features.undercoat.schools import schools
from ....core.plan.outcome import TOO_DARK, TOO_LIGHT, off_target
from ....core.units import counted, minutes_words
from ....core.view.camera import Camera
from ....core.view.raster import colour_picture
from ...editing import OpenPlan, opened
from ...responses import drawn_once, packed
from ...workshop import workshop
from .common import DRAWING, blueprint, look_key, looks_of, school_picture, undercoats

PICTURE_SIZE = (132, 168)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.bin")
def after_bin(sculpt_id: int, number: int) -> Response:
    """The model after so many coats: four bytes for every sample, three of colour and one that says whether it is
    near the target (0), too light (1) or too dark (2)."""
    open_plan = _opened_at(sculpt_id, number)
    look = looks_of(open_plan, undercoats(open_plan)[:number])[-1]
    mark, areas = off_target(look.value, FEATURE.values(open_plan.context)), open_plan.site.areas
    heading = {
        "number": number,
        "within": round(look.within, 4),
        "mean": round(look.mean, 2),
        "too_light_mm2": round(float(areas[mark == TOO_LIGHT].sum()), 1),
        "too_dark_mm2": round(float(areas[mark == TOO_DARK].sum()), 1),
    }
    return packed(heading, np.column_stack([look.levels, mark])[open_plan.site.shown])


def _opened_at(sculpt_id: int, number: int) -> OpenPlan:
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    if not 0 <= number <= len(undercoats(open_plan)):
        abort(404)
    return open_plan


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.png")
def after_png(sculpt_id: int, number: int) -> Response:
    """A picture of the model after so many coats, from the display view."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    if number > len(undercoats(open_plan)):
        return Response(status=204)  # asked for before another school with fewer coats was taken
    coats = undercoats(open_plan)[:number]
    return _drawn(open_plan, look_key(open_plan, coats), lambda: looks_of(open_plan, coats)[-1].levels)


def _drawn(open_plan: OpenPlan, key: str, levels: Callable[[], np.ndarray]) -> Response:
    """A picture of the model in levels (N, 3) from the display view, drawn once."""
    surface, shown, camera = open_plan.site.surface, open_plan.site.shown, Camera(*open_plan.context.view)
    with DRAWING:
        return drawn_once(key, lambda: colour_picture(surface, levels()[shown], camera, *PICTURE_SIZE))


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.png")
def school_png(sculpt_id: int, name: str) -> Response:
    """A picture of this very model in one school, fitted to its light."""
    open_plan = _with_school(sculpt_id, name)

    def levels() -> np.ndarray:
        found = FEATURE.fitted(open_plan.context, name)
        return FEATURE.roughly(open_plan.context, found.coats, found.match.span)[0][open_plan.open.nearest]

    return _drawn(open_plan, school_picture(open_plan, name), levels)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.json")
def school_json(sculpt_id: int, name: str) -> Response:
    """How well a school renders the light: order and nearness in its own values; and what it takes."""
    open_plan = _with_school(sculpt_id, name)
    with DRAWING:
        found = FEATURE.fitted(open_plan.context, name)
    match, cups = found.match, counted(found.cups, "cup", "cups") if found.cups else "no cup"
    return jsonify(
        key=plain(match.span),
        rank_agreement=round(match.rank_agreement, 4),
        within_half=round(match.within_half, 4),
        minutes=round(found.minutes),
        wait=round(found.wait),
        cups=found.cups,
        ml=round(found.ml, 2),
        short=f"{round(found.minutes)} min, {cups}",
        words=(
            f"{100 * match.within_half:.0f} % of the surface is within half a value of your light, between value "
            f"{match.span.darkest:.1f} and {match.span.lightest:.1f}; lights and darks come in the right order "
            f"({100 * match.rank_agreement:.0f} %). {minutes_words(found.minutes)} of work, "
            f"{minutes_words(found.wait)} of drying, {found.ml:.1f} ml."
        ),
    )


def _with_school(sculpt_id: int, name: str) -> OpenPlan:
    if name not in schools():
        abort(404)
    with workshop().store.session() as session:
        return opened(session, sculpt_id)
