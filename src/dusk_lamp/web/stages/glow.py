"""The glow stage: what glows, how far it is read, what it reaches, and the coats that paint it."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.paint.colour import rgb_from_hex
from ...core.paint.mix import values_of
from ...core.plain import built, described, one_line, plain
from ...core.plan.document import Plan
from ...core.plan.glow import BANDS, NONE
from ...core.plan.lens import STEPS, Lens
from ...core.plan.stages import Item
from ...core.plan.stages.glow import KINDS, MOST_SPOTS, SIDE_WORDS, STAGE, GlowWish, GlowWishes
from ...core.units import minutes_words
from ...core.view.flat import lens_svg
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..background import in_background, not_yet
from ..editing import Edit, Opened, answer, change, clicked, opened, settled
from ..limits import number_of
from ..responses import packed
from ..workshop import workshop

blueprint = Blueprint("glow", __name__)
SHOWN = ("both", "lamp", "glow", "painted", "bands")
BAND_COLOURS = ("#000000", "#7d4fa8", "#d2673a", "#f7d95c", "#9be0c8", "#ffffff")  # in the order of BANDS
SETTINGS = (
    "name", "colour", "evenness", "shadow", "on", "off", "radius", "width", "height", "length", "hues", "heart", "seed",
)  # fmt: skip


def panel(session: Session, sculpt: Sculpt, own: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; the glows come as glow.json."""
    from ...store import paints

    clear = [p for p in paints.rack_of(session) if p.kind in ("ink", "one-coat") and p.looks.value < 8.5]
    return {
        "tints": [(p.name, p.looks.hex) for p in clear], "shown": SHOWN, "sides": SIDE_WORDS, "ranges": described(GlowWish),
        "dusk": described(Plan)["dusk"],
    }  # fmt: skip


def _wishes(own: Opened) -> GlowWishes:
    return own.context.wishes(STAGE.name)


def _with(own: Opened, wishes: GlowWishes, dusk: float | None = None) -> Opened:
    """The plan with other glows, or less of the lamp."""
    plan = own.plan.with_wishes(STAGE.name, wishes)
    return replace(own, context=own.context.on(plan if dusk is None else replace(plan, dusk=dusk)))


@blueprint.get("/sculpts/<int:sculpt_id>/glow.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Every glow: strength, reach, limit, bands, edges; the coats that paint them."""
    with workshop().store.session() as session:
        try:
            own = opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
    context, glows = own.context, _wishes(own).glows
    before = context.before(STAGE.name)

    def work(say: Any) -> None:
        for k, glow in enumerate(glows):
            say(f"Looking from {glow.name or 'the glow'}", k / max(len(glows), 1))
            STAGE.trouble(context, glow)
        context.simulation.reflectance(before)

    if working := in_background(("glows", sculpt_id, own.turn), work):
        return not_yet(working)
    value = values_of(context.simulation.reflectance(before)) if before else None
    highlit: dict[int, bool] = {}
    rows = [_row(own, glow, value, highlit) for glow in glows]
    coats = context.coats(STAGE.name)
    listed = [
        {
            "number": k, "label": s.purpose, "hex": s.hex, "way": c.way, "warnings": s.warnings,
            "words": f"{s.paint}, {s.laid_um:g} µm; {minutes_words(s.hand_minutes)}, {minutes_words(s.wait_minutes)} to dry",
        }
        for k, (s, c) in enumerate(zip(own.steps(coats, before), coats, strict=True), 1)
    ]  # fmt: skip
    return jsonify(
        turn=own.turn, dusk=own.plan.dusk, glows=rows, coats=listed, size=round(own.site.surface.size, 2),
        regions=[{"number": k, "name": r.name, "material": r.material} for k, r in enumerate(own.site.marking.regions, 1)],
    )  # fmt: skip


def _row(own: Opened, glow: GlowWish, value: Any, highlit: dict[int, bool]) -> dict[str, Any]:
    row = STAGE.row(own.context, glow, value, highlit)
    for band in row.get("bands", []):
        band.setdefault("colour", BAND_COLOURS[band.get("number", 0)])
    row["painted"] = STAGE.has(own.context, Item(glow.way))
    row["paint"] = "Update it in the plan" if row["painted"] else "Put it in the plan"
    return {**row, "number": glow.id, "region": None}


@blueprint.get("/sculpts/<int:sculpt_id>/glow.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. show: both, lamp, glow, painted or bands; band: one of
    those alone, by its name. number with reach or colour, dusk: as it would be so; nothing is kept."""
    show = request.args.get("show", "both")
    only = BANDS.index(request.args["band"]) if request.args.get("band") in BANDS[1:] else None
    if show not in SHOWN or (only is None and "band" in request.args):
        abort(404)
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    if "number" in request.args:
        own = _with(own, _tried(own))
    if "dusk" in request.args:
        own = _with(own, _wishes(own), number_of(request.args["dusk"], "what is left of the lamp", 0, 1))
    context, count = own.context, len(own.site)
    if show == "painted":
        coats = [*context.before(STAGE.name), *context.coats(STAGE.name)]
        levels = looks(context.simulation.reflectance(coats))[1]
    elif show == "bands":
        grey = context.target("colour").colour.mean(axis=1, keepdims=True)
        levels = (np.repeat(grey, 3, axis=1) * 0.7).astype(np.uint8)
        table = np.round(np.array([rgb_from_hex(c) for c in BAND_COLOURS]) * 255).astype(np.uint8)
        for glow in STAGE.shining(context):
            band = STAGE.reached(context, glow).band
            drawn = band > NONE if only is None else band == only
            levels[drawn] = table[band[drawn]]
    else:
        lamp_alone = replace(_wishes(own), glows=()) if show == "lamp" else _wishes(own)
        alone = _with(own, lamp_alone, 0.0 if show == "glow" else None)
        levels = alone.context.target(STAGE.name).colour.copy()
        for glow in [] if show == "lamp" else _wishes(own).glows:
            if not glow.shines and glow.on and not STAGE.trouble(context, glow):
                for _, colour, mask in STAGE.hot(context, glow)[0]:
                    levels[mask] = np.round(rgb_from_hex(colour) * 255).astype(np.uint8)
    return packed({"show": show}, np.column_stack([levels, np.zeros(count, np.uint8)])[own.site.shown])


def _tried(own: Opened) -> GlowWishes:
    """The glows with one as the address says."""
    wishes = _wishes(own)
    glow = wishes.one(int(number_of(request.args["number"], "the glow", 1, 2**31)))
    if "colour" in request.args:
        glow = replace(glow, colour=request.args["colour"])
    if "reach" in request.args and glow.shines:
        glow = STAGE.with_reach(own.context, glow, number_of(request.args["reach"], "the reach", 0.01, 300))
    return wishes.with_one(glow)


def _lens(own: Opened, region: int, brush: float = 0.2) -> list[Lens]:
    if not 1 <= region <= len(own.site.marking.regions):
        abort(404)
    return STAGE.lens(own.context, own.site.marking.ids[region], brush)


@blueprint.get("/sculpts/<int:sculpt_id>/glow/lens/<int:region>.svg")
def lens(sculpt_id: int, region: int) -> Response:
    """A lens, gem or eye to copy, ten times as large as life."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    brush = number_of(request.args.get("brush", "0.2"), "your finest brush", 0.02, 10)
    return Response(lens_svg(_lens(own, region, brush)), mimetype="image/svg+xml")


@blueprint.get("/sculpts/<int:sculpt_id>/glow/lens/<int:region>.json")
def lens_words(sculpt_id: int, region: int) -> Response:
    """What is drawn, and how it is done; whether its coats are in the plan."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    found = _lens(own, region)
    planned = STAGE.has(own.context, Item("lens", own.site.marking.ids[region]))
    return jsonify(words=[*dict.fromkeys(o.words for o in found), *STEPS], planned=planned)


@blueprint.post("/sculpts/<int:sculpt_id>/glow")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: add (kind; region, or origin and direction of a click, off), spot (number; origin, direction: one more hot
    spot), set (number and settings, or reach), away (number), dusk (share), paint, unpaint (number), lens, unlens
    (region)."""
    return answer(sculpt_id, change(sculpt_id, _changed))


def _changed(session: Session, own: Opened, what: str, given: dict[str, Any]) -> Edit:
    wishes, plan, context = _wishes(own), own.kept.plan, own.context

    def wished(new: GlowWishes, action: str, last_id: int = 0) -> Edit:
        changed = replace(plan, last_id=max(plan.last_id, last_id)).with_wishes(STAGE.name, new)
        return Edit(changed, action, done=("glow",))

    if what == "add":
        glow = _new(own, given)
        return wished(wishes.with_one(glow), f"glow added: {glow.name}", glow.id)
    if what == "dusk":
        return Edit(replace(plan, dusk=float(given["share"])), "lamp dimmed", done=("glow",))
    if what in ("lens", "unlens"):
        item = Item("lens", own.id(given["region"]))
        left = [i for i in wishes.lenses if i != item.region]
        new = replace(wishes, lenses=tuple([*left, item.region] if what == "lens" else left))
        return _painted(
            own, new, item, what == "lens", "lens put in the plan" if what == "lens" else "lens taken off the plan"
        )
    glow = wishes.one(_whole(given["number"]))
    if what == "spot":
        spots = (*glow.spots, clicked(own.open, given)[1])[-MOST_SPOTS:]
        return wished(wishes.with_one(replace(glow, spots=spots)), f"hot spot added: {glow.name}")
    if what == "set":
        changes = {k: v for k, v in dict(given["settings"]).items() if k in SETTINGS}
        if "name" in changes:
            changes["name"] = one_line(changes["name"])
        new_glow = built(GlowWish, {**plain(glow), **changes}, "the glow")
        if "reach" in given["settings"] and new_glow.shines:
            new_glow = STAGE.with_reach(context, new_glow, float(given["settings"]["reach"]))
        return wished(wishes.with_one(new_glow), f"glow set: {new_glow.name}")
    if what == "away":
        return _painted(own, wishes.without(glow.id), Item(glow.way), False, f"glow removed: {glow.name}")
    if what not in ("paint", "unpaint"):
        raise SettingError("this change of the glow is not known; reload the page")
    words = "put in" if what == "paint" else "taken off"
    return _painted(own, wishes, Item(glow.way, 0, glow.name), what == "paint", f"glow {words} the plan: {glow.name}")


def _painted(own: Opened, wishes: GlowWishes, item: Item, wanted: bool, action: str) -> Edit:
    """The plan with an item's coats laid, or taken off."""
    plan = own.kept.plan.with_wishes(STAGE.name, wishes)
    context = own.context.on(replace(plan, coats=own.plan.coats))
    coats = STAGE.painted(context, item) if wanted else STAGE.put(context, item, [])
    return Edit(settled(plan, context, coats), action, done=("glow",))


def _whole(given: Any) -> int:
    if isinstance(given, bool) or not isinstance(given, int):
        raise SettingError("choose the glow first")
    return given


def _new(own: Opened, given: dict[str, Any]) -> GlowWish:
    kind = str(given["kind"])
    more: dict[str, Any] = {}
    if kind == "region":
        more["region"] = own.id(given["region"])
    elif kind in KINDS:
        _, more["place"], more["out"] = clicked(own.open, given)
        if "off" in given:
            more["off"] = float(given["off"])
    return STAGE.new(own.context, kind, own.kept.plan.last_id + 1, **more)
