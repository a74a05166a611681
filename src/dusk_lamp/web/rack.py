"""The rack: the paints one owns, as drawdown cards."""

import io
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, redirect, render_template, request, url_for
from flask import session as cookie
from PIL import Image, UnidentifiedImageError
from sqlalchemy import select
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SettingError
from ..core.paint.colour import colour_of
from ..core.paint.cost import shopping
from ..core.paint.film import card_reflectance
from ..core.paint.pigment import HIDING, Pigment
from ..core.paint.rack import (
    FINISHES,
    KINDS,
    PAINT_FIELDS,
    Paint,
    RackError,
    rack_csv,
    rack_from_csv,
    rack_from_gpl,
    rack_gpl,
)
from ..core.paint.swatch import swatch_of
from ..core.plan.palette.share import stand_ins
from ..core.units import counted
from ..store import paints, plans
from ..store.models import Bottle, Sculpt, now
from .body import json_body
from .responses import download
from .workshop import workshop

blueprint = Blueprint("rack", __name__)
SORTS = {
    "value": lambda b: b.paint.looks.value,
    "hue": lambda b: (b.paint.looks.chroma > 8, np.arctan2(b.paint.looks.b, b.paint.looks.a) % (2 * np.pi)),
    "name": lambda b: b.paint.name.casefold(),
    "stock": lambda b: b.paint.stock_ml,
}
COATS = (1, 2, 3)
LARGEST_PHOTO = 40_000_000  # pixels


def drawdown(pigment: Pigment, coat_um: float, grounds: tuple[str, ...] = ("black", "white")) -> list[list[str]]:
    """The colours of one, two and three coats over each ground: rows by coats, columns by ground."""
    return [[colour_of(pigment.film(n * coat_um, card_reflectance(g))).hex for g in grounds] for n in COATS]


@blueprint.app_template_filter("drawdown")
def _card_of(paint: Paint) -> list[list[str]]:
    return drawdown(paint.pigment, paint.of("coat_um"))


@blueprint.get("/rack")
def rack() -> str:
    """Every paint as a card; sorted and filtered as the query says."""
    sort = request.args.get("sort", "value")
    kind = request.args.get("kind", "")
    with workshop().store.session() as session:
        owned = paints.bottles(session)
        shown = sorted((b for b in owned if not kind or b.paint.kind == kind), key=SORTS.get(sort, SORTS["value"]))
        return render_template(
            "rack.html",
            bottles=shown,
            owned=len(owned),
            sort=sort,
            sorts=list(SORTS),
            kind=kind,
            kinds=[k for k in KINDS if any(b.paint.kind == k for b in owned)],
            shopping=shopping([b.paint for b in owned]),
            gone=[(b, _missed(session, b.paint.name)) for b in paints.gone(session)],
            all_kinds=list(KINDS),
            finishes=FINISHES,
            hiding=HIDING,
            edited=None,
            trouble="",
        )


def _missed(session: Session, name: str) -> str:
    """Which plans use a paint that is off the rack, and what would stand in for it; "" where none does."""
    said, rack = [], paints.rack_of(session)
    for sculpt in session.scalars(select(Sculpt).where(Sculpt.deleted_at.is_(None))):
        if not sculpt.held.coats_key:
            continue
        coats = [c for c in plans.plan_of(session, sculpt).coats if any(p.name == name for p in c.mix.paints)]
        if coats:
            instead = next((s.words for s in stand_ins(coats, rack) if s.pot == name), "")
            said.append(
                f"{sculpt.name}: "
                f"{counted(len(coats), 'step', 'steps')}{f'; in its place {instead}' if instead else ''}"
            )
    return " ".join(said)


@blueprint.get("/rack/<int:bottle_id>")
def bottle(bottle_id: int) -> str:
    """One paint's form."""
    with workshop().store.session() as session:
        bottle = _bottle(session, bottle_id)
        return _form(bottle.paint, bottle)


def _bottle(session: Any, bottle_id: int) -> Bottle:
    bottle = session.get(Bottle, bottle_id)
    if bottle is None:
        abort(404)
    return bottle


def _form(paint: Paint | None, bottle: Bottle | None, trouble: str = "") -> str:
    return render_template(
        "_paint_form.html",
        paint=paint,
        bottle=bottle,
        all_kinds=list(KINDS),
        finishes=FINISHES,
        hiding=HIDING,
        trouble=trouble,
    )


def _paint_from_form() -> Paint:
    """The paint of a filled-in form."""
    values: dict[str, Any] = {}
    for name in PAINT_FIELDS:
        text = request.form.get(name, "").strip()
        if not text:
            continue
        if name in ("name", "kind", "colour", "over_black", "over_white", "finish"):
            values[name] = " ".join(text.split())
        else:
            try:
                values[name] = float(text.replace(",", "."))
            except ValueError as e:
                raise RackError(f"{name.replace('_', ' ')} is a number, not '{text[:30]}'") from e
    if "name" not in values:
        raise RackError("a paint needs a name")
    if request.form.get("by") == "drawdown":
        values.pop("hiding", None)
    else:
        for name in ("over_black", "over_white", "drawdown_um"):
            values.pop(name, None)
    return Paint(**values)


@blueprint.post("/rack")
def add() -> AnyResponse:
    """Put a new paint on the rack."""
    with workshop().store.saving() as session:
        paints.put(session, _paint_from_form())
    return redirect(url_for(".rack"))


@blueprint.post("/rack/<int:bottle_id>")
def change(bottle_id: int) -> AnyResponse:
    """Change a paint."""
    with workshop().store.saving() as session:
        paints.put(session, _paint_from_form(), _bottle(session, bottle_id))
    return redirect(url_for(".rack"))


@blueprint.post("/rack/<int:bottle_id>/stock")
def stock(bottle_id: int) -> AnyResponse:
    """How much is left in a bottle, ml."""
    with workshop().store.saving() as session:
        bottle = _bottle(session, bottle_id)
        try:
            left = float(request.form.get("stock_ml", "").replace(",", "."))
        except ValueError as e:
            raise RackError("what is left is a number of ml") from e
        paints.put(session, replace(bottle.paint, stock_ml=left), bottle)
        return Response(render_template("_paint_card.html", bottle=bottle))


@blueprint.post("/rack/<int:bottle_id>/delete")
def delete(bottle_id: int) -> AnyResponse:
    """Take a paint off the rack; recipes keep what they need of it, and it can be put back."""
    with workshop().store.saving() as session:
        _bottle(session, bottle_id).deleted_at = now()
    return redirect(url_for(".rack"))


@blueprint.post("/rack/<int:bottle_id>/restore")
def restore(bottle_id: int) -> AnyResponse:
    """Put a paint back on the rack."""
    with workshop().store.saving() as session:
        bottle = _bottle(session, bottle_id)
        paints.put(session, bottle.paint, bottle)
        bottle.deleted_at = None
    return redirect(url_for(".rack"))


@blueprint.post("/rack/file")
def bring() -> AnyResponse:
    """Take in a rack from CSV or a GPL palette; all of it, or nothing where something is wrong with it."""
    file = request.files.get("file")
    if file is None or not file.filename:
        raise RackError("no file came along; choose one")
    content = file.stream.read(5_000_001)
    if len(content) > 5_000_000:
        raise RackError("the file is larger than any rack's; bring the paints you own")
    read = rack_from_gpl if file.filename.lower().endswith(".gpl") else rack_from_csv
    with workshop().store.saving() as session:
        paints.bring_paints(session, read(content))
    return redirect(url_for(".rack"))


@blueprint.post("/rack/demo")
def demo() -> AnyResponse:
    """Lay out the guild's rack."""
    from ..demo.load import load_rack

    load_rack(workshop().store)
    return redirect(url_for(".rack"))


@blueprint.get("/rack.<kind>")
def export(kind: str) -> Response:
    """The rack as CSV or GPL palette."""
    with workshop().store.session() as session:
        owned = [b.paint for b in paints.bottles(session)]
    if kind == "csv":
        return download(rack_csv(owned), "text/csv; charset=utf-8", "rack.csv")
    if kind == "gpl":
        return download(rack_gpl(owned), "text/plain; charset=utf-8", "rack.gpl")
    abort(404)


# --- a colour from a photo of a swatch


@blueprint.post("/rack/photo")
def photo() -> Response:
    """Take in a photo of a swatch beside a grey card; the spots are asked for next."""
    file = request.files.get("file")
    if file is None or not file.filename:
        raise RackError("no photo came along; choose one")
    try:
        Image.MAX_IMAGE_PIXELS = LARGEST_PHOTO
        with Image.open(file.stream, formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > LARGEST_PHOTO:
                raise RackError("the photo is larger than 40 megapixels; make it smaller")
            picture = opened.convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError) as e:
        raise RackError("this is no photo this bench can read; bring a JPEG or PNG") from e
    picture.thumbnail((1400, 1400))
    out = io.BytesIO()
    picture.save(out, "PNG")
    cookie["photo"] = key = workshop().store.keep_photo(out.getvalue())
    return jsonify(url=url_for(".photo_png", v=key[:8]), width=picture.width, height=picture.height)


def _photo() -> bytes:
    try:
        return workshop().store.photo(str(cookie.get("photo", "")))
    except KeyError:
        raise RackError("the photo is not there any more; bring it again") from None


@blueprint.get("/rack/photo.png")
def photo_png() -> Response:
    """The photo last brought."""
    return Response(_photo(), mimetype="image/png")


@blueprint.post("/rack/photo/colour")
def photo_colour() -> Response:
    """The colour at a spot of the photo; `grey`: where the grey card is, to take the light's colour and strength
    out."""
    given = json_body()
    pixels = np.asarray(Image.open(io.BytesIO(_photo())), np.float64) / 255
    grey = _place(given["grey"]) if given.get("grey") else None
    found = swatch_of(pixels, _place(given.get("swatch")), grey)
    return jsonify(colour=found.hex, clipped=found.clipped)


def _place(at: Any) -> tuple[float, float]:
    try:
        x, y = (float(v) for v in at)
    except (TypeError, ValueError) as e:
        raise SettingError("the spot that arrived is no place on the photo; click again") from e
    return x, y
