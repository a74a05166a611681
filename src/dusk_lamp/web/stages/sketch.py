"""The value sketch in colour: what every region shall look like, and how that reads at arm's length."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request
from sqlalchemy.orm import Session

from ...core.errors import SettingError
from ...core.light.rig import Rig
from ...core.light.tint import Tints, of_temperature
from ...core.paint.colour import encoded
from ...core.paint.value import grey_srgb
from ...core.paint.whites import white_called
from ...core.plain import built, plain
from ...core.sculpt.marking import ATTENTION, CASTS, MATERIALS
from ...core.target.exposure import Exposure
from ...core.target.local import VALUES, Local, ladder
from ...core.target.target import sketched
from ...core.view.camera import Camera
from ...core.view.reading import APART, ARM_MM, reading
from ...store import sketches
from ...store.laid import Laid
from ...store.models import Sculpt
from ..edge import number_of
from ..packet import packed
from ..workshop import asked, colour_names, laid_out, the_sculpt, workshop
from . import mark_done

blueprint = Blueprint("sketch", __name__)
BAND_ROUNDS = 2
LAMPS = {
    "white": "#ffffff", "warm bulb": of_temperature(2700), "candle": of_temperature(1900), "cool day": of_temperature(9000),
    "red sky": "#ff9a7a", "moon": "#b9c8ff",
}  # fmt: skip


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows."""
    return {
        "materials": MATERIALS, "attention": ATTENTION, "casts": CASTS, "colours": colour_names(session), "lamps": LAMPS,
        "arm": round(ARM_MM / 10),
    }  # fmt: skip


def hex_at(local: Local, value: float) -> str:
    """`#rrggbb` of a local colour at a value."""
    rgb = ladder(local)[int(np.abs(VALUES - value).argmin())]
    return "#{:02x}{:02x}{:02x}".format(*np.round(encoded(rgb) * 255).astype(int))


def _made(session: Session, sculpt_id: int) -> tuple[Sculpt, Laid, sketches.Sketched]:
    sculpt = the_sculpt(session, sculpt_id)
    laid = laid_out(sculpt)
    return sculpt, laid, sketches.sketch_of(session, sculpt, laid, workshop().store.cache)


@blueprint.get("/sculpts/<int:sculpt_id>/sketch.json")
def shown(sculpt_id: int) -> Response:
    """What every region shall look like, and the findings of the reading test."""
    with workshop().store.session() as session:
        sculpt, _, made = _made(session, sculpt_id)
        display = Camera(sculpt.display["azimuth"], sculpt.display["elevation"])
    areas = made.site.marking.areas(made.site.surface, made.site.paintable)
    read = reading(made.site, made.target.value, made.target.lab, display, locals_=made.locals_)
    rows = []
    for k, (region, local) in enumerate(zip(made.site.marking.regions, made.locals_[1:], strict=True), 1):
        low, middle, high = local.key
        rows.append(
            {
                **plain(region), "number": k, "hex": local.colour, "own_value": round(local.own_value, 1),
                "key": [round(low, 1), round(middle, 1), round(high, 1)], "is_set": region.low is not None or region.high is not None,
                "ladder": [hex_at(local, v) for v in (low, (low + middle) / 2, middle, (middle + high) / 2, high)],
                "troubles": local.troubles, "ration": white.words if (white := white_called(region.colour)) else "", "share": round(float(areas[k] / max(areas.sum(), 1e-9)), 4),
                "contrast": None if np.isnan(read.contrast[k]) else round(float(read.contrast[k]), 2),
            }
        )  # fmt: skip
    borders = [{**plain(b), "names": [_name(made, n) for n in (b.a, b.b)]} for b in read.borders]
    return jsonify(regions=rows, tints=plain(made.tints), findings=read.findings, borders=borders, apart=APART)


def _name(made: sketches.Sketched, number: int) -> str:
    return made.site.marking.regions[number - 1].name if number else "the rest"


@blueprint.get("/sculpts/<int:sculpt_id>/sketch.bin")
def field(sculpt_id: int) -> Response:
    """The target: four bytes for every sample, three of colour (grey: of its value alone) and one that marks a
    border that was asked for (border=A,B). number, with low, middle, high or hex: how it would look with that region
    so; nothing is kept."""
    with workshop().store.session() as session:
        sculpt, laid, made = _made(session, sculpt_id)
        if "number" in request.args:
            made = _tried(sculpt, laid, made)
    levels = (
        np.repeat(grey_srgb(made.target.value)[:, None], 3, axis=1)
        if request.args.get("grey")
        else made.target.colour
    )
    mark = np.zeros(len(made.site), np.uint8)
    if "border" in request.args:
        try:
            a, b = (int(n) for n in request.args["border"].split(","))
        except ValueError:
            abort(404)
        labels, faces = made.site.labels, made.site.surface.faces
        own = labels[faces]
        mark[faces[(own == a).any(axis=1) & (own == b).any(axis=1)]] = 1
        for _ in range(BAND_ROUNDS):  # wide enough to be seen
            mark[faces[mark[faces].any(axis=1)]] = 1
    return packed({"samples": len(made.site)}, np.column_stack([levels, mark])[made.site.shown])


def _tried(sculpt: Sculpt, laid: Laid, made: sketches.Sketched) -> sketches.Sketched:
    """The sketch with one region as the address says."""
    number = int(number_of(request.args["number"], "the region", 1, max(1, len(made.locals_) - 1)))
    if number >= len(made.locals_):
        abort(404)
    changes: dict[str, Any] = {
        k: number_of(request.args[k], "a value", 0, 10) for k in ("low", "middle", "high") if k in request.args
    }
    if "hex" in request.args:
        changes["colour"] = request.args["hex"]
    locals_ = [replace(local, **changes) if k == number else local for k, local in enumerate(made.locals_)]
    rig, exposure = built(Rig, sculpt.rig, "the light"), built(Exposure, sculpt.exposure, "the exposure")
    return replace(made, target=sketched(made.site, laid.lit(rig, exposure), exposure, locals_, made.tints))


@blueprint.post("/sculpts/<int:sculpt_id>/sketch")
def change(sculpt_id: int) -> Response:
    """Keep the colours of lamp, sky and ground; what a region shall look like is described with the regions."""
    given = asked()
    tints = built(
        Tints, {k: given[k] for k in ("lamp", "sky", "ground") if k in given}, "the colours of the light", whole=True
    )
    if not given:
        raise SettingError("the colours that arrived are none; reload the page")
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        sculpt.tints = plain(tints)
        session.flush()
        mark_done(sculpt, "sketch")
    return shown(sculpt_id)
