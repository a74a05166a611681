"""Cards to print, paint and photograph: exercises for the hand, and drawdowns that measure paints."""

import json
import secrets
from dataclasses import replace
from typing import Any

from flask import Blueprint, Response, abort, render_template, request, url_for

from ..core.card import card_called as card_named
from ..core.card import cards
from ..core.card.card import Card
from ..core.card.drawing import card_pdf, card_picture
from ..core.card.reading import flat_card
from ..core.card.simulated import card_photo
from ..core.check.photo import Photo, read_photo
from ..core.errors import SettingError
from ..core.log.entry import LONGEST_NOTE, Entry
from ..core.paint.rack import Paint
from ..core.plain import plain
from ..core.view.formats import png_bytes
from ..store import drills as kept_drills
from ..store import log, paints
from ..store.cache import code_mark, key_of
from ..store.models import now
from . import photos
from .responses import download, picture
from .workshop import workshop

blueprint = Blueprint("cards", __name__)
MEASURES = "drawdowns"  # the card that measures paints; the others are exercises
MOST_SEEDS = 1_000_000


def exercises() -> list[Card]:
    """The cards that are exercises, in their order."""
    return [c for c in cards().values() if c.name != MEASURES]


@blueprint.get("/cards/<name>")
def page(name: str) -> str:
    """A card: what it is for, to print it, to bring a photo of it."""
    with workshop().store.session() as session:
        done = kept_drills.due_cards(session).get(name)
    return render_template("card.html", card=_named(name), measures=name == MEASURES, done=done)


@blueprint.get("/cards/<name>.pdf")
def pdf(name: str) -> Response:
    """The card to print."""
    return download(card_pdf(_named(name)), "application/pdf", f"{name}.pdf")


@blueprint.get("/cards/<name>.png")
def drawn(name: str) -> Response:
    """The card as it is printed."""
    return picture(png_bytes(card_picture(_named(name))))


@blueprint.post("/cards/<name>/photo")
def bring(name: str) -> str:
    """A photo of the painted card, graded; the log keeps it."""
    card = _named(name)
    return _graded(card, photos.sent_photo())


@blueprint.post("/cards/<name>/simulated")
def simulated(name: str) -> str:
    """A card as somebody painted it, by the simulated camera: to try it without a printer."""
    card = _named(name)
    return _graded(card, read_photo(card_photo(card, secrets.randbelow(MOST_SEEDS))[0]), simulated=True)


def _graded(card: Card, photo: Photo, simulated: bool = False) -> str:
    flat = flat_card(card, photo)
    grade = card.graded(flat)
    sha = photos.keep_photo(photo)
    key = key_of("card", code_mark(), card.name, sha)
    blobs = {"flat.png": png_bytes(flat.picture), "grade.json": json.dumps(plain(grade)).encode()}
    workshop().store.cache.put(key, blobs=blobs)
    with workshop().store.saving() as session:
        if card.name != MEASURES and not simulated:
            kept_drills.answered(session, card.name, grade.good)
            note = " ".join(grade.words)[:LONGEST_NOTE]
            at = f"{now().isoformat(timespec='seconds')}Z"
            log.add(session, Entry(at=at, how="note", title=card.title, note=note, photo=sha), None)
        names = [p.name for p in paints.rack_of(session)]
    return render_template(
        "_card_graded.html",
        card=card,
        grade=grade,
        key=key,
        names=names,
        measures=card.name == MEASURES,
        shown=url_for(".flat", name=card.name, key=key),
    )


@blueprint.get("/cards/<name>/<key>/flat.png")
def flat(name: str, key: str) -> Response:
    """The photo of a card, laid flat and in even light."""
    _named(name)
    try:
        return picture(workshop().store.cache.blob(key, "flat.png")) if key.isalnum() else abort(404)
    except KeyError:
        abort(404)


@blueprint.post("/cards/drawdowns/rack")
def onto_the_rack() -> str:
    """Take a measured paint onto the rack: key (of what was read), row, name. A paint of that name keeps all but its
    colour."""
    key, row, name = (" ".join(request.form.get(k, "").split()) for k in ("key", "row", "name"))
    try:
        rows = json.loads(workshop().store.cache.blob(key, "grade.json"))["rows"] if key.isalnum() else []
    except KeyError:
        raise SettingError("this card is not at hand any more; bring its photo again") from None
    found = next((r for r in rows if r.get("place") == row), None)
    if found is None or "over_black" not in found:
        raise SettingError("this row was not measured; bring the photo of the card again")
    colours = {"over_black": found["over_black"], "over_white": found["over_white"]}
    with workshop().store.saving() as session:
        same_name = [b for b in paints.bottles(session) if b.paint.name.casefold() == name.casefold()]
        paint = same_name[0].paint if same_name else Paint(name, stock_ml=17.0)
        paint = replace(paint, **colours, drawdown_um=found["coat_um"], hiding=None)
        paints.put(session, paint, same_name[0] if same_name else None)
    return render_template("_card_taken.html", name=name, changed=bool(same_name))


def _named(name: str) -> Any:
    return card_named(name) if name in cards() else abort(404)
