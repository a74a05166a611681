"""The log: what was painted, searched and written on; what it teaches, used only when the painter says so."""

from dataclasses import replace
from typing import Any

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as AnyResponse

from ..core.coat.technique import techniques
from ..core.errors import SettingError
from ..core.log.entry import Entry
from ..core.log.export import as_csv, as_json, from_csv, from_json
from ..core.log.pace import pace_of, pace_words
from ..core.log.paints import drops_seen, hiding_seen, used_of
from ..core.plain import plain
from ..store import log as kept
from ..store import painters, paints
from ..store.models import now
from . import photos
from .body import json_body
from .limits import number_of
from .responses import download
from .workshop import sent_bytes, the_sculpt, wants_json, workshop

blueprint = Blueprint("log", __name__)
A_PAGE = 40
MOST_IMPORT_BYTES = 30_000_000
MOST_LOOKED_AT = 1_000  # entries that the page says something of, the latest
MOST_USED = 12  # paints that are listed


@blueprint.get("/log")
def log() -> str:
    """The entries, searched by words; of one sculpt where it is named."""
    words = request.args.get("words", "")[:200]
    skip = int(number_of(request.args.get("skip", "0"), "where the list begins", 0, 10_000_000))
    with workshop().store.session() as session:
        sculpt = (
            the_sculpt(session, int(request.args["sculpt"])) if request.args.get("sculpt", "").isdecimal() else None
        )
        rows, count = kept.search(session, words, sculpt.id if sculpt else None, A_PAGE, skip)
        shown = {
            "rows": [(row, kept.entry_in(row)) for row in rows],
            "count": count,
            "words": words,
            "skip": skip,
            "more": skip + A_PAGE < count,
            "sculpt": sculpt,
            "titles": _titles(),
        }
        if "HX-Request" in request.headers:
            return render_template("_log_rows.html", **shown)
        return render_template("log.html", **shown, teaches=_teaches(session), tools=painters.tools_of(session))


def _titles() -> dict[str, str]:
    return {name: technique.title for name, technique in techniques().items()}


def _teaches(session: Session) -> dict[str, Any]:
    """What the log says of the painter's pace, drops and paints, beside what is set."""
    entries = kept.entries(session, most=MOST_LOOKED_AT)
    tools, rack = painters.tools_of(session), paints.rack_of(session)
    pace = pace_of(entries)
    hides = {p.name: p.hides for p in rack}
    return {
        "pace": pace_words(pace, _titles()),
        "pace_used": bool(tools.pace),
        "drops": drops_seen(entries, tools.drops_per_ml),
        "hiding": hiding_seen(entries, hides),
        "used": used_of(entries, {p.name: p.stock_ml for p in rack if p.stock_ml}, tools.drops_per_ml)[:MOST_USED],
        "count": len(entries),
    }


@blueprint.post("/log")
def write() -> AnyResponse:
    """A note of one's own."""
    note = request.form.get("note", "").strip()
    if not note:
        raise SettingError("write something into the note first")
    with workshop().store.saving() as session:
        sculpt = (
            the_sculpt(session, int(request.form["sculpt"])) if request.form.get("sculpt", "").isdecimal() else None
        )
        at = f"{now().isoformat(timespec='seconds')}Z"
        kept.add(session, Entry(at=at, how="note", model=sculpt.name if sculpt else "", note=note[:2000]), sculpt)
    return redirect(url_for(".log", sculpt=sculpt.id) if sculpt else url_for(".log"))


@blueprint.post("/log/<int:entry_id>")
def change(entry_id: int) -> str | Response:
    """Write into an entry what was really done."""
    given = json_body() if request.is_json else _from_form()
    with workshop().store.saving() as session:
        row = kept.change_entry(session, entry_id, given)
        session.flush()
        entry = kept.entry_in(row)
        if wants_json() and "HX-Request" not in request.headers:
            return jsonify(plain(entry))
        return render_template("_log_row.html", row=row, own=entry, titles=_titles(), opened=True)


@blueprint.post("/log/<int:entry_id>/photo")
def photograph(entry_id: int) -> str:
    """Put a photo to an entry."""
    sha = photos.keep_photo(photos.sent_photo())
    with workshop().store.saving() as session:
        row = kept.change_entry(session, entry_id, {"photo": sha})
        session.flush()
        return render_template("_log_row.html", row=row, own=kept.entry_in(row), titles=_titles(), opened=True)


def _from_form() -> dict[str, Any]:
    """The fields of the form that were sent; what is empty is not known."""
    form: Any = request.form
    out: dict[str, Any] = {}
    for name in ("mistake", "mended", "note"):
        if name in form:
            out[name] = form[name].strip()
    for name, words in (("seconds", "minutes"), ("psi", "the pressure"), ("water", "parts of water")):
        if name in form:
            text = form[name].strip()
            times = 60.0 if name == "seconds" else 1.0
            out[name] = number_of(text, words, 0, 10_000) * times if text else None
    for name in ("rating", "coats_done"):
        if name in form:
            text = form[name].strip()
            out[name] = int(number_of(text, name, 1, 100)) if text else None
    if "drops" in form:
        out["drops"] = _drops(form["drops"])
    return out


def _drops(text: str) -> dict[str, float]:
    """Drops such as “4 Soot, 2 Gull”."""
    out = {}
    for part in (p.strip() for p in text.replace(";", ",").split(",") if p.strip()):
        count, _, name = part.partition(" ")
        if not name.strip():
            raise SettingError(f"drops are such as 4 Soot, 2 Gull, not '{text[:60]}'")
        out[name.strip()] = number_of(count, "the drops", 0, 100_000)
    return out


@blueprint.post("/log/<int:entry_id>/remove")
def remove(entry_id: int) -> Response:
    """Take an entry out."""
    with workshop().store.saving() as session:
        kept.remove_entry(session, entry_id)
    return Response("")


@blueprint.post("/log/learn")
def learn() -> AnyResponse:
    """Use what the log teaches, or forget it: pace, forget-pace, drops, hiding (of a paint)."""
    what = request.form.get("what", "")
    with workshop().store.saving() as session:
        entries, tools = kept.entries(session), painters.tools_of(session)
        if what == "pace":
            pace = pace_of(entries)
            times = {k: round(v, 3) for k, v in pace.times.items()}
            painters.keep_tools(session, replace(tools, pace={"all": round(pace.all, 3), **times} if times else {}))
        elif what == "forget-pace":
            painters.keep_tools(session, replace(tools, pace={}))
        elif what == "drops" and (seen := drops_seen(entries, tools.drops_per_ml)):
            painters.keep_tools(session, replace(tools, drops_per_ml=round(2 * seen[0]) / 2))
        elif what == "hiding":
            _hide(session, entries, request.form.get("paint", ""))
        else:
            raise SettingError("the log does not teach that; reload the page")
    return redirect(url_for(".log"))


def _hide(session: Session, entries: list[Entry], name: str) -> None:
    for bottle in paints.bottles(session):
        paint = bottle.paint
        seen = next((h for h in hiding_seen(entries, {paint.name: paint.hides}) if h.paint == name), None)
        if paint.name == name and seen and not paint.drawdown_um:
            paints.put(session, replace(paint, hiding=round(seen.hides, 4)), bottle)
            return
    raise SettingError(f"{name[:40] or 'this paint'} is not on the rack, or its card was measured: that stays")


# --- in and out
@blueprint.get("/log.csv")
def csv_file() -> Response:
    """All of it as CSV."""
    with workshop().store.session() as session:
        return download(as_csv(kept.entries(session)).encode(), "text/csv", "dusk-lamp-log.csv")


@blueprint.get("/log.json")
def json_file() -> Response:
    """All of it as JSON."""
    with workshop().store.session() as session:
        return download(as_json(kept.entries(session)).encode(), "application/json", "dusk-lamp-log.json")


@blueprint.post("/log/bring")
def bring() -> AnyResponse:
    """Take a log in, CSV or JSON; what is there already is not taken twice."""
    content = sent_bytes(
        "file",
        MOST_IMPORT_BYTES,
        "no file came along; choose it again",
        "a log has at most 30 MB; this is something else",
    )
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as e:
        raise SettingError("this log is not written in UTF-8; save it as that") from e
    json_ = (request.files["file"].filename or "").lower().endswith(".json")
    found = from_json(text) if json_ else from_csv(text)
    with workshop().store.saving() as session:
        count = kept.bring_log(session, found)
    if wants_json():
        return jsonify(taken=count, of=len(found))
    return redirect(url_for(".log"))


# --- the finished model
@blueprint.get("/sculpts/<int:sculpt_id>/finished")
def finished(sculpt_id: int) -> str:
    """A page to print: the finished model, its paints and times, and what was written of it."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        entries = kept.entries(session, sculpt.id)
        done = [e for e in entries if e.how in ("done", "changed")]
        own_paints = list(dict.fromkeys(e.paint for e in done if e.paint))
        days = sorted({e.at[:10] for e in done if e.at})
        notes = [e for e in entries if e.note or e.mistake]
        used = used_of(done)
        return render_template(
            "finished.html",
            sculpt=sculpt,
            days=days,
            minutes=sum(e.seconds or 0 for e in done) / 60,
            steps=len(done),
            mixes=own_paints,
            used=used,
            notes=notes,
            photos=[e for e in entries if e.photo],
        )
