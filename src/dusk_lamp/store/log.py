"""The log kept: an entry for every step that was ended, and notes; searched, changed, taken in and given out."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.log.entry import Entry
from ..core.plain import built, plain
from .models import LogEntry, Sculpt, now

MOST_WORDS = 12  # of a search
OWN_FIELDS = (
    "drops",
    "seconds",
    "coats_done",
    "psi",
    "water",
    "mistake",
    "mended",
    "note",
    "rating",
    "how",
    "photo",
    "near",
)


def entry_in(row: LogEntry) -> Entry:
    """The entry of a row."""
    return built(Entry, row.entry, "an entry of the log")


def add(session: Session, entry: Entry, sculpt: Sculpt | None = None, key: str = "") -> LogEntry:
    """Keep an entry. key: of the coat it is about, so that it goes when the step is opened again."""
    at = datetime.fromisoformat(entry.at).replace(tzinfo=None) if entry.at else now()
    dated = entry if entry.at else replace(entry, at=f"{at.isoformat(timespec='seconds')}Z")
    row = LogEntry(
        sculpt_id=sculpt.id if sculpt else None, coat_key=key, at=at, entry=plain(dated), words=dated.words[:20_000]
    )
    session.add(row)
    session.flush()
    return row


def take_entry_back(session: Session, sculpt: Sculpt, key: str) -> None:
    """The step is open again: its entry goes, unless somebody wrote into it."""
    for row in session.scalars(
        select(LogEntry).where(LogEntry.sculpt_id == sculpt.id, LogEntry.coat_key == key)
    ).all():
        entry = entry_in(row)
        if entry.mistake or entry.mended or entry.note or entry.photo or entry.rating:
            row.coat_key = ""  # it stays, as what happened then
        else:
            session.delete(row)


def change_entry(session: Session, entry_id: int, given: dict[str, object]) -> LogEntry:
    """Write into an entry what was really done.

    Raises:
        SettingError: there is none of that number, or a value that it cannot hold.
    """
    row = session.get(LogEntry, entry_id)
    if row is None:
        raise SettingError("this entry of the log is not there any more; reload the page")
    strange = [k for k in given if k not in OWN_FIELDS]
    if strange:
        raise SettingError(f"of an entry one can change {', '.join(OWN_FIELDS)}, not '{strange[0][:40]}'")
    entry = built(Entry, {**row.entry, **given}, "the entry")
    row.entry, row.words = plain(entry), entry.words[:20_000]
    return row


def remove_entry(session: Session, entry_id: int) -> None:
    """Take an entry out of the log."""
    session.execute(delete(LogEntry).where(LogEntry.id == entry_id))


def search(
    session: Session, words: str = "", sculpt_id: int | None = None, most: int = 50, skip: int = 0
) -> tuple[list[LogEntry], int]:
    """The entries that hold all of some words, the latest first, and how many there are in all."""
    wanted = select(LogEntry)
    for word in words.casefold().split()[:MOST_WORDS]:
        wanted = wanted.where(LogEntry.words.contains(word, autoescape=True))
    if sculpt_id is not None:
        wanted = wanted.where(LogEntry.sculpt_id == sculpt_id)
    count = session.scalar(select(func.count()).select_from(wanted.subquery())) or 0
    rows = session.scalars(wanted.order_by(LogEntry.at.desc(), LogEntry.id.desc()).limit(most).offset(skip)).all()
    return list(rows), count


def entries(session: Session, sculpt_id: int | None = None, most: int | None = None) -> list[Entry]:
    """All entries, or the latest of them, the oldest first."""
    wanted = select(LogEntry).order_by(LogEntry.at.desc(), LogEntry.id.desc()).limit(most)
    if sculpt_id is not None:
        wanted = wanted.where(LogEntry.sculpt_id == sculpt_id)
    return [entry_in(row) for row in reversed(session.scalars(wanted).all())]


def bring_log(session: Session, given: Iterable[Entry]) -> int:
    """Take entries in that are not there yet; how many that were."""
    known = {(e.at, e.model, e.title, e.how) for e in entries(session)}
    count = 0
    for entry in given:
        if (entry.at, entry.model, entry.title, entry.how) not in known:
            add(session, entry)
            known.add((entry.at, entry.model, entry.title, entry.how))
            count += 1
    return count
