"""A bench of many painters: who they are, how they come in, what they take up, what they show to others, and how
they leave with everything."""

import hashlib
import json
import secrets
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.paint.rack import rack_csv
from ..core.plain import UNSEEN, plain
from ..core.plan.document import document_of
from . import log, paints, plans
from .models import OWNER, Invitation, JobRow, Login, Owned, Painter, PhotoRow, Sculpt, Share, now
from .owner import acting_for
from .store import Store

LONGEST_NAME, SHORTEST, LONGEST = 60, 12, 1000  # letters; NIST SP 800-63B asks for 8 at least, 15 where it is alone
INVITED_DAYS, LOGIN_DAYS = 7, 30
SHARED = ("sculpt", "rack", "recipe")
SEEN_AGAIN = timedelta(minutes=5)  # how often it is written down that somebody is there

_hasher = PasswordHasher()


@cache
def _nobody() -> str:
    """The hash of no passphrase: an unknown name takes as long as a wrong passphrase."""
    return _hasher.hash(secrets.token_urlsafe(16))


def hash_of(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def invite(session: Session, looks_after: bool = False) -> str:
    """The token of a link that lets one painter in, once, within INVITED_DAYS."""
    token = secrets.token_urlsafe(24)
    until = now() + timedelta(days=INVITED_DAYS)
    session.add(Invitation(token=hash_of(token), looks_after=looks_after, until=until))
    return token


def invitation(session: Session, token: str) -> Invitation:
    """The invitation of a token.

    Raises:
        SettingError: there is none, it was used, or it is too old.
    """
    found = session.scalars(select(Invitation).where(Invitation.token == hash_of(token))).first()
    if found is None or found.until < now():
        raise SettingError("this invitation is not valid, or too old; ask for another")
    if found.painter_id:
        raise SettingError("this invitation was used already; ask for another, or log in")
    return found


def accept(session: Session, token: str, name: str, passphrase: str) -> Painter:
    """A new painter by an invitation; the first ever takes over the bench as it is.

    Raises:
        SettingError: see invitation; or a name or passphrase that cannot be.
    """
    found = invitation(session, token)
    name = painter_called(session, name)
    first = session.get(Painter, OWNER)
    if first is None or not first.passphrase:
        painter = first or Painter(id=OWNER)
        painter.looks_after = True
    else:
        painter = Painter(looks_after=found.looks_after)
    painter.name, painter.passphrase = name, _hasher.hash(checked_passphrase(passphrase))
    session.add(painter)
    session.flush()
    found.painter_id = painter.id
    return painter


def painter_called(session: Session, name: str) -> str:
    """A name that a new painter may have.

    Raises:
        SettingError: none, too long, with signs that nobody sees, or another painter's.
    """
    name = " ".join(name.split())
    if UNSEEN.search(name):
        raise SettingError("a painter's name has signs in it that nobody sees; type it again")
    if not 1 <= len(name) <= LONGEST_NAME:
        raise SettingError(f"a painter's name has 1 to {LONGEST_NAME} letters")
    if any(p.name.casefold() == name.casefold() for p in all_painters(session)):
        raise SettingError("another painter of this bench has this name; choose another")
    return name


def checked_passphrase(passphrase: str) -> str:
    """A passphrase that may be.

    Raises:
        SettingError: too short or too long.
    """
    if not SHORTEST <= len(passphrase) <= LONGEST:
        raise SettingError(f"a passphrase has {SHORTEST} to {LONGEST} letters")
    return passphrase


def all_painters(session: Session) -> list[Painter]:
    """Everybody who has come in, by name."""
    rows = session.scalars(select(Painter).where(Painter.passphrase != "")).all()
    return sorted(rows, key=lambda p: p.name.casefold())


def who_is(session: Session, name: str, passphrase: str) -> Painter | None:
    """The painter of a name and passphrase; None where one of them is wrong."""
    wanted = " ".join(name.split()).casefold()
    painter = next((p for p in all_painters(session) if p.name.casefold() == wanted), None)
    try:
        _hasher.verify(painter.passphrase if painter else _nobody(), passphrase[:LONGEST])
    except (VerifyMismatchError, InvalidHashError):
        return None
    return painter


def change_passphrase(session: Session, painter: Painter, old: str, new: str) -> None:
    """Another passphrase; every session ends.

    Raises:
        SettingError: the old one is wrong, or the new one cannot be.
    """
    if who_is(session, painter.name, old) is None:
        raise SettingError("that is not your passphrase; nothing was changed")
    painter.passphrase = _hasher.hash(checked_passphrase(new))
    log_out(session, painter.id)


# --- sessions
def log_in(session: Session, painter: Painter) -> str:
    """The token of a new session."""
    token = secrets.token_urlsafe(24)
    session.execute(delete(Login).where(Login.until < now()))
    session.add(Login(token=hash_of(token), painter_id=painter.id, until=now() + timedelta(days=LOGIN_DAYS)))
    return token


def logged_in(session: Session, token: str) -> Painter | None:
    """The painter of an open session; None where it is over."""
    login = session.scalars(select(Login).where(Login.token == hash_of(token), Login.until >= now())).first()
    return session.get(Painter, login.painter_id) if login else None


def not_seen_lately(painter: Painter) -> bool:
    """Whether it is time to write down again that somebody is there."""
    return painter.seen_at is None or now() - painter.seen_at > SEEN_AGAIN


def keep_seen(session: Session, painter_id: int) -> None:
    """Write down that somebody is there."""
    session.execute(update(Painter).where(Painter.id == painter_id).values(seen_at=now()))


def log_out(session: Session, painter_id: int, token: str | None = None) -> None:
    """End a session, or all of a painter."""
    of_painter = Login.painter_id == painter_id
    session.execute(
        delete(Login).where(of_painter, Login.token == hash_of(token)) if token else delete(Login).where(of_painter)
    )


# --- what they take up
@dataclass(frozen=True)
class Takes:
    """What a painter takes up: sculpts, bytes of files, seconds of work, when last seen. No plans, no names of
    theirs."""

    id: int
    name: str
    looks_after: bool
    sculpts: int
    megabytes: float
    seconds: float
    seen_at: datetime | None


def takes(session: Session, store: Store) -> list[Takes]:
    """What every painter takes up; to be asked by a session that sees all."""
    both = select(Sculpt.user_id, func.sum(JobRow.seconds)).join(JobRow, JobRow.sculpt_id == Sculpt.id)
    worked = dict(session.execute(both.group_by(Sculpt.user_id)).all())
    counted = dict(session.execute(select(Sculpt.user_id, func.count(Sculpt.id)).group_by(Sculpt.user_id)).all())
    return [
        Takes(
            p.id,
            p.name,
            p.looks_after,
            counted.get(p.id, 0),
            round(bytes_of(session, store, p.id) / 1e6, 1),
            round(worked.get(p.id) or 0.0, 1),
            p.seen_at,
        )
        for p in all_painters(session)
    ]


def files_of(session: Session, painter_id: int) -> list[dict[str, str]]:
    """The files of a painter's sculpts: name, format, sha; each content once."""
    rows = session.scalars(select(Sculpt).where(Sculpt.user_id == painter_id)).all()
    return list({f["sha"]: f for s in rows for f in (*s.files, *s.former_files)}.values())


def bytes_of(session: Session, store: Store, painter_id: int) -> int:
    """How much the files of a painter take."""
    names = [f"uploads/{f['sha']}.{f['format']}" for f in files_of(session, painter_id)]
    shas = session.scalars(select(PhotoRow.sha).where(PhotoRow.user_id == painter_id)).all()
    return sum(store.size_of(name) for name in (*names, *(f"photos/{sha}.jpg" for sha in shas)))


# --- leaving
def leaving(store: Store, painter_id: int, to: Path) -> None:
    """Everything of a painter in one zip file: files, photos, whole plans, rack, recipes, log, tools, drills."""
    with acting_for(painter_id), store.session() as session, zipfile.ZipFile(to, "w", zipfile.ZIP_DEFLATED) as z:
        for name, content in _leaves(session):
            z.writestr(name, content)
        for file in files_of(session, painter_id):
            path = store.upload_path(file["sha"], file["format"])
            if path.exists():
                z.write(path, f"files/{file['sha'][:12]}.{file['format']}")
        for sha in session.scalars(select(PhotoRow.sha)).all():
            if photo := store.photo_path(sha):
                z.write(photo, f"photos/{sha[:12]}.jpg")


def _leaves(session: Session) -> Iterator[tuple[str, str | bytes]]:
    painter = session.get(Painter, session.info["painter"])
    kept: dict[str, Any] = {"name": painter.name, "tools": painter.tools, "habits": painter.habits} if painter else {}
    yield "painter.json", _json(kept)
    yield "rack.csv", rack_csv(paints.rack_of(session))
    yield "recipes.json", _json([{"name": r.name, "mix": plain(r.mix)} for r in paints.recipes(session)])
    yield "log.json", _json([plain(e) for e in log.entries(session)])
    for sculpt in session.scalars(select(Sculpt).order_by(Sculpt.id)).all():
        files = [{**f, "file": f"files/{f['sha'][:12]}.{f['format']}"} for f in sculpt.files]
        plan = {"name": sculpt.name, "files": files, "plan": document_of(plans.plan_of(session, sculpt))}
        yield f"plans/{sculpt.id}.json", _json(plan)


def _json(value: object) -> str:
    return json.dumps(value, indent=1, ensure_ascii=False)


def remove_painter(session: Session, painter_id: int) -> None:
    """Let go of a painter and of everything that is theirs; the first one's place stays, empty."""
    jobs = session.scalars(select(JobRow).join(Sculpt).where(Sculpt.user_id == painter_id)).all()
    for job in jobs:
        job.stop_asked = True
    session.flush()
    session.expire_all()
    for sculpt in session.scalars(select(Sculpt).where(Sculpt.user_id == painter_id)).all():
        session.delete(sculpt)
    session.flush()
    for table in Owned.__subclasses__():
        session.execute(delete(table).where(table.user_id == painter_id))
    session.execute(delete(Login).where(Login.painter_id == painter_id))
    session.execute(delete(Painter).where(Painter.id == painter_id))


# --- what is shown to others
def share(session: Session, kind: str, shared_id: int, copies: bool) -> Share:
    """Show something of one's own by a link.

    Raises:
        SettingError: there is no such thing of one's own.
    """
    if kind not in SHARED:
        raise SettingError(f"one can share {', '.join(SHARED)}")
    scheme_id = 0
    if kind == "sculpt":
        sculpt = session.get(Sculpt, shared_id)
        if sculpt is None or sculpt.deleted_at is not None:
            raise SettingError("this sculpt is not there any more; reload the page")
        scheme_id = sculpt.scheme_id
    elif kind == "recipe" and all(r.id != shared_id for r in paints.recipes(session)):
        raise SettingError("this recipe is not there any more; reload the page")
    shared_row = Share(token=secrets.token_urlsafe(24), kind=kind, of=shared_id, scheme_id=scheme_id, copies=copies)
    session.add(shared_row)
    session.flush()
    return shared_row


def shares(session: Session) -> list[Share]:
    """What one shows, the newest first."""
    return list(session.scalars(select(Share).order_by(Share.id.desc())))


def shared(session: Session, token: str) -> Share | None:
    """What a link shows; to be asked by a session that sees all. None where it was taken back."""
    shared_row = session.scalars(select(Share).where(Share.token == token)).first()
    if shared_row is None or session.get(Painter, shared_row.user_id) is None:
        return None
    if shared_row.kind == "sculpt":
        sculpt = session.get(Sculpt, shared_row.of)
        return shared_row if sculpt is not None and sculpt.deleted_at is None else None
    return shared_row
