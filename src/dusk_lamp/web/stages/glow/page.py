"""The glows as a page shows them."""

from dataclasses import replace
from typing import Any

from flask import Response, jsonify, url_for
from sqlalchemy.orm import Session

from ....core.errors import SettingError
from ....core.paint.mix import values_of
from ....core.plain import described
from ....core.plan.document import Plan
from ....core.plan.features.feature import Item
from ....core.plan.features.glow.feature import FEATURE, SIDE_WORDS, GlowWish
from ....core.plan.features.glow.glows import REACH
from ....core.results import known
from ....core.units import minutes_words
from ....store.models import Sculpt
from ....store.open_sculpts import OpenSculpt
from ...background import not_yet, waited_for
from ...editing import OpenPlan, opened, shown_once
from ...workshop import workshop
from .common import blueprint, glows_of
from .pictures import BAND_COLOURS, SHOWN

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

LEAST_SLIDE = 20.0  # mm that a reach can be slid to, on the smallest model too


def panel(session: Session, sculpt: Sculpt, open_sculpt: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; the glows come as glow.json."""
    from ....store import paints

    clear = [p for p in paints.rack_of(session) if p.kind in ("ink", "one-coat") and p.looks.value < 8.5]
    return {
        "tints": [(p.name, p.looks.hex) for p in clear],
        "shown": SHOWN,
        "sides": SIDE_WORDS,
        "ranges": described(GlowWish),
        "reach": replace(REACH, slide=max(2 * open_sculpt.site.surface.size, LEAST_SLIDE)),
        "dusk": described(Plan)["dusk"],
    }


@blueprint.get("/sculpts/<int:sculpt_id>/glow.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Every glow: strength, reach, limit, bands, edges; the coats that paint them."""
    with workshop().store.session() as session:
        try:
            open_plan = opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
    context, glows = open_plan.context, glows_of(open_plan).glows
    before = context.before(FEATURE.name)

    def work(say: Any) -> None:
        for k, glow in enumerate(glows):
            say(f"Looking from {glow.name or 'the glow'}", k / max(len(glows), 1))
            FEATURE.trouble(context, glow)
        context.simulation.reflectance(before)

    if working := waited_for(known(_facts, open_plan), ("glows", sculpt_id, open_plan.turn), work):
        return not_yet(working)
    return jsonify(turn=open_plan.turn, **_facts(open_plan))


@shown_once()
def _facts(open_plan: OpenPlan) -> dict[str, Any]:
    context, glows = open_plan.context, glows_of(open_plan).glows
    before = context.before(FEATURE.name)
    value = values_of(context.simulation.reflectance(before)) if before else None
    highlit: dict[int, bool] = {}
    rows = [_row(open_plan, glow, value, highlit) for glow in glows]
    coats = context.coats(FEATURE.name)
    listed = [
        {
            "number": k,
            "label": s.purpose,
            "hex": s.hex,
            "way": c.way,
            "warnings": s.warnings,
            "words": (
                f"{s.paint}, {s.laid_um:g} µm; {minutes_words(s.hand_minutes)}, "
                f"{minutes_words(s.wait_minutes)} to dry"
            ),
        }
        for k, (s, c) in enumerate(zip(open_plan.steps(coats, before), coats, strict=True), 1)
    ]
    return {
        "dusk": open_plan.plan.dusk,
        "glows": rows,
        "coats": listed,
        "size": round(open_plan.site.surface.size, 2),
        "regions": [
            {"number": k, "name": r.name, "material": r.material}
            for k, r in enumerate(open_plan.site.marking.regions, 1)
        ],
    }


def _row(open_plan: OpenPlan, glow: GlowWish, value: Any, highlit: dict[int, bool]) -> dict[str, Any]:
    row = FEATURE.row(open_plan.context, glow, value, highlit)
    for band in row.get("bands", []):
        band.setdefault("colour", BAND_COLOURS[band.get("number", 0)])
    row["painted"] = FEATURE.has(open_plan.context, Item(glow.way))
    row["paint"] = "Update it in the plan" if row["painted"] else "Put it in the plan"
    return {**row, "number": glow.id, "region": None}
