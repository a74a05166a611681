"""The value sketch in colour: what every region should look like, and how that reads at arm's length."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request
from sqlalchemy.orm import Session

from ...core.errors import SettingError
from ...core.light.tint import Tints, of_temperature
from ...core.paint.colour import rgb_from_hex, screen_hex
from ...core.paint.mix import neat_pot
from ...core.paint.value import grey_srgb
from ...core.paint.whites import white_called
from ...core.plain import built, described, plain
from ...core.plan.document import Plan
from ...core.sculpt.marking import ATTENTION, CASTS, MATERIALS, Region
from ...core.target.hue import usual_path
from ...core.target.local import VALUES, Local, colour_ladder
from ...core.view.camera import Camera
from ...core.view.reading import APART, ARM_MM, reading
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..body import Body
from ..editing import Edit, OpenPlan, change, opened
from ..limits import number_of
from ..responses import packed
from ..workshop import colour_names, workshop

blueprint = Blueprint("sketch", __name__)
BAND_ROUNDS = 2
LAMPS = {
    "white": "#ffffff",
    "warm bulb": of_temperature(2700),
    "candle": of_temperature(1900),
    "cool day": of_temperature(9000),
    "red sky": "#ff9a7a",
    "moon": "#b9c8ff",
}


def panel(session: Session, sculpt: Sculpt, open_sculpt: OpenSculpt) -> dict[str, Any]:
    """What the panel shows."""
    return {
        "materials": MATERIALS,
        "attention": ATTENTION,
        "casts": CASTS,
        "colours": colour_names(session),
        "lamps": LAMPS,
        "arm": round(ARM_MM / 10),
        "ranges": described(Region),
        "small": described(Plan)["small_forms"],
    }


def hex_at(local: Local, value: float) -> str:
    """`#rrggbb` of a local colour at a value."""
    return screen_hex(colour_ladder(local)[int(np.abs(VALUES - value).argmin())])


@blueprint.get("/sculpts/<int:sculpt_id>/sketch.json")
def shown(sculpt_id: int) -> Response:
    """What every region should look like, and the findings of the reading test."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    context, site, target = open_plan.context, open_plan.site, open_plan.context.target()
    areas = site.marking.areas(site.surface, site.paintable)
    read = reading(site, target.value, target.lab, Camera(*context.view), locals_=context.locals)
    rows = []
    for k, (region, local) in enumerate(zip(site.marking.regions, context.locals[1:], strict=True), 1):
        low, middle, high = local.key
        white = white_called(region.colour)
        rows.append(
            {
                **plain(region),
                "number": k,
                "hex": local.colour,
                "own_value": round(local.own_value, 1),
                "key": [round(low, 1), round(middle, 1), round(high, 1)],
                "is_set": region.low is not None or region.high is not None,
                "ladder": [hex_at(local, v) for v in (low, (low + middle) / 2, middle, (middle + high) / 2, high)],
                "troubles": local.troubles,
                "path": plain(usual_path(local.colour)),
                "hues": "three hues" if region.dark or region.bright else "one hue",
                "ration": white.words if white else "",
                "pot": _pot(open_plan, local.colour),
                "share": round(float(areas[k] / max(areas.sum(), 1e-9)), 4),
                "contrast": None if np.isnan(read.contrast[k]) else round(float(read.contrast[k]), 2),
            }
        )
    names = ["the rest", *(r.name for r in site.marking.regions)]
    borders = [{**plain(b), "names": [names[b.a], names[b.b]]} for b in read.borders]
    return jsonify(
        turn=open_plan.turn,
        regions=rows,
        tints=plain(context.plan.tints),
        small_forms=context.plan.small_forms,
        findings=read.findings,
        borders=borders,
        apart=APART,
    )


def _pot(open_plan: OpenPlan, colour: str) -> dict[str, Any] | None:
    """The pot whose colour is nearest to one, as it comes from the bottle, and how far that would move it; None where
    it is such a colour already, or there is no such pot."""
    found = neat_pot(colour, open_plan.context.rack)
    return {"name": found[0].name, "hex": found[0].looks.hex, "delta_e": round(found[1], 1)} if found else None


@blueprint.get("/sculpts/<int:sculpt_id>/sketch.bin")
def field(sculpt_id: int) -> Response:
    """The target: four bytes for every sample, three of colour (grey: of its value alone) and one that marks a
    border that was asked for (border=A,B). number, with low, middle, high or hex: how it would look with that region
    so; nothing is kept."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    target = _tried(open_plan).target()
    grey = np.repeat(grey_srgb(target.value)[:, None], 3, axis=1) if request.args.get("grey") else None
    mark = np.zeros(len(open_plan.site), np.uint8)
    if "border" in request.args:
        try:
            a, b = (int(n) for n in request.args["border"].split(","))
        except ValueError:
            abort(404)
        labels, faces = open_plan.site.labels, open_plan.site.surface.faces
        here = labels[faces]
        mark[faces[(here == a).any(axis=1) & (here == b).any(axis=1)]] = 1
        for _ in range(BAND_ROUNDS):  # wide enough to be seen
            mark[faces[mark[faces].any(axis=1)]] = 1
    levels = target.colour if grey is None else grey
    return packed({"samples": len(open_plan.site)}, np.column_stack([levels, mark])[open_plan.site.shown])


def _tried(open_plan: OpenPlan) -> Any:
    """The plan with one region as the address says."""
    if "number" not in request.args:
        return open_plan.context
    regions = list(open_plan.plan.regions)
    number = int(number_of(request.args["number"], "the region", 1, max(1, len(regions))))
    if number > len(regions):
        abort(404)
    changes: dict[str, Any] = {
        k: number_of(request.args[k], "a value", 0, 10) for k in ("low", "middle", "high") if k in request.args
    }
    if "hex" in request.args:
        rgb_from_hex(request.args["hex"])  # refused here where it is none
        changes["colour"] = request.args["hex"]
    for name in ("dark", "bright"):
        if name in request.args:
            changes[name] = request.args[name]
    regions[number - 1] = replace(regions[number - 1], **changes)
    return open_plan.context.on(replace(open_plan.plan, regions=tuple(regions)))


@blueprint.post("/sculpts/<int:sculpt_id>/sketch")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: tint (lamp, sky, ground: the colours of the light), small (share: of small forms). What a region should
    look like is described with the regions."""
    done = change(sculpt_id, _tinted, sky=False)
    return shown(sculpt_id) if isinstance(done, int) else done


def _tinted(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    if what == "small":
        share = given.decimal("share")
        return Edit(replace(open_plan.kept.plan, small_forms=share), "small forms set", done=("sketch",))
    sent = {k: given[k] for k in ("lamp", "sky", "ground") if k in given}
    if len(sent) < 3:
        raise SettingError("the colours of lamp, sky and ground are needed together; reload the page")
    tints = built(Tints, sent, "the colours of the light", whole=True)
    return Edit(replace(open_plan.kept.plan, tints=tints), "colours of the light set", done=("sketch",))
