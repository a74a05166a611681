"""Plans as revisions: one history for everything about a sculpt's plan, undone and redone from every stage, also
after a restart; and several schemes of one sculpt, each a plan of its own.

What was changed by another tab in the meantime is never overwritten: a change says which revision it was made on, and
only if that one still holds is the new one put in its place, by the database itself.
"""

import hashlib
import json
import zlib
from collections import Counter
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, coat_from
from ..core.errors import SettingError
from ..core.places import tree_of
from ..core.plain import built, plain
from ..core.plan.context import Context
from ..core.plan.document import MOST_COATS, PARTS_OF_FILE, Plan, document_of, plan_from
from ..core.plan.registry import features
from ..core.plan.wishes import kinds_of_wishes
from ..core.results import result
from ..core.sculpt.marking import Marking
from ..core.sculpt.stand import Standing
from . import painters, paints
from .cache import Cache
from .models import JobRow, Piece, Revision, SchemeRow, Sculpt
from .open_sculpts import OpenSculpt
from .preparing import load_placing, load_surface
from .store import lay_out_again, new_job

MOST_REVISIONS = 100
MOST_SCHEMES = 12
LONGEST_NAME = 60
FIRST = "First scheme"
FIRST_ACTION = "brought to the shelf"


class ChangedElsewhereError(Exception):
    """The revision a change was made on does not hold any more."""


@dataclass(frozen=True)
class KeptPlan:
    """A plan as it is kept. turn: the number of its revision. labels: (N,) of the samples of the surface that
    `surface_key` names, on which the spots of its coats lie too; None where nothing is marked."""

    plan: Plan
    turn: int
    labels: NDArray[np.uint8] | None
    surface_key: str

    @property
    def marking(self) -> Marking:
        """Its regions; none where nothing was ever laid out."""
        labels = np.zeros(0, np.uint8) if self.labels is None else self.labels
        return Marking(labels, self.plan.regions, self.plan.last_id)


def fresh(plan: Plan | None = None) -> Plan:
    """A plan as it begins on a bench: coats come only when the painter asks for them, but for the undercoat, which is
    shown until it is kept."""
    settled = tuple(name for name in kinds_of_wishes() if name != "undercoat")
    return replace(plan or Plan(), settled=settled)


# --- reading
def kept_of(session: Session, sculpt: Sculpt, turn: int | None = None) -> KeptPlan:
    """The plan that holds, or another revision of it, on the surface it was kept on."""
    held = session.get_one(Revision, sculpt.plan_id if turn is None else turn)
    plan = _read(json.dumps(held.document))
    last_id = max(plan.last_id, sculpt.last_id)  # of one that was undone, none comes again
    plan = replace(plan, last_id=last_id, coats=_coats(_content(session, held, held.coats_key), held.coats_key))
    packed = _content(session, held, held.labels_key)
    labels = np.frombuffer(zlib.decompress(packed), np.uint8) if packed else None
    return KeptPlan(plan, held.id, labels, held.surface_key)


def plan_of(session: Session, sculpt: Sculpt) -> Plan:
    """The plan that holds; its spots lie on the surface it was kept on."""
    return kept_of(session, sculpt).plan


def _content(session: Session, held: Revision, key: str) -> bytes:
    if not key:
        return b""
    wanted = select(Piece.content).where(Piece.sculpt_id == held.sculpt_id, Piece.key == key)
    return session.scalars(wanted).one()


def _coats(packed: bytes, key: str) -> tuple[Coat, ...]:
    return _unpacked(key, packed) if packed else ()


@lru_cache(64)
def _read(document: str) -> Plan:
    """A plan without its coats, as it is kept in a row; by the content itself, for the same reason."""
    return plan_from({**json.loads(document), "coats": []})


@lru_cache(32)
def _unpacked(_key: str, packed: bytes) -> tuple[Coat, ...]:
    """By the content itself, so that what is cached is never another's."""
    return tuple(coat_from(c) for c in json.loads(zlib.decompress(packed)))


@result(most=4, depends=lambda opened, surface_key, cache: surface_key)
def _nearest(opened: OpenSculpt, surface_key: str, cache: Cache) -> NDArray[np.int64] | None:
    """(N,) the sample of a former surface that is nearest to each of this one; None where that is lost."""
    try:
        was = load_placing(cache, surface_key).to_file(load_surface(cache, surface_key).points)
    except KeyError:
        return None
    return tree_of(was).query(opened.placing.to_file(opened.site.surface.points), workers=-1)[1]


def on_surface(kept: KeptPlan, opened: OpenSculpt, cache: Cache) -> KeptPlan:
    """The same plan on the surface that is laid out now: labels and spots go to the samples nearest to where they
    were, in the file's own axes. Where the former surface is lost, regions and spots are empty, and the steps say
    so."""
    count = len(opened.site)
    labels = np.zeros(count, np.uint8) if kept.labels is None else kept.labels
    if kept.surface_key in ("", opened.surface_key):
        return replace(kept, labels=labels if len(labels) == count else np.zeros(count, np.uint8))

    found = _nearest(opened, kept.surface_key, cache)
    if found is None:
        return replace(kept, labels=np.zeros(count, np.uint8), surface_key=opened.surface_key)
    labels = kept.labels[found] if kept.labels is not None else labels
    return KeptPlan(kept.plan.carried(found), kept.turn, labels, opened.surface_key)


def context_of(
    session: Session, sculpt: Sculpt, opened: OpenSculpt, cache: Cache, kept: KeptPlan | None = None
) -> tuple[Context, KeptPlan]:
    """The plan that holds, or another, on the sculpt as it is laid out, with the painter's rack and tools."""
    kept = on_surface(kept or kept_of(session, sculpt), opened, cache)
    rack, tools = paints.rack_of(session), painters.tools_of(session)
    site = opened.site.marked(kept.marking, kept.plan.loose)
    named = {r.colour for r in kept.plan.regions}
    colours = {name: mix.colour.hex for name, mix in paints.colours_called(session, named).items()}

    quick = (opened.chosen, opened.quick)
    found = Context(
        kept.plan,
        site,
        rack,
        tools,
        opened.placing,
        colours.get,
        quick,
        results=opened.results,
        features=features(),
    )
    return found, kept


def surfaces_of(session: Session, sculpt: Sculpt) -> dict[str, Standing]:
    """How the sculpt stood on each surface that revisions lie on, by the surface's key."""
    wanted = select(Revision.surface_key, Revision.surface_standing).where(
        Revision.sculpt_id == sculpt.id,
        Revision.surface_key != "",
        (Revision.labels_key != "") | (Revision.coats_key != ""),
    )
    standings: dict[str, Any] = dict(session.execute(wanted).all())  # revisions of one surface stood alike
    return {key: built(Standing, standing, "how it stands") for key, standing in standings.items() if standing}


# --- keeping
def add_sculpt(
    session: Session, name: str, files: list[dict[str, str]], plan: Plan | None = None, painter_id: int | None = None
) -> Sculpt:
    """A new sculpt on the shelf, waiting to be prepared. files: name, format and sha of each. plan: that it begins
    with. painter_id: whose shelf; None for the one that the session acts for."""
    sculpt = Sculpt(name=name[:120], files=files, user_id=painter_id)
    session.add(sculpt)
    session.flush()
    plan = plan or fresh()
    sculpt_file = replace(plan.sculpt, file=sculpt.file_name, more=tuple(f["name"] for f in sculpt.more_files))
    _begin(session, sculpt, replace(plan, sculpt=sculpt_file))
    return sculpt


def _begin(session: Session, sculpt: Sculpt, plan: Plan) -> None:
    row = Revision(sculpt_id=sculpt.id, number=1, action=FIRST_ACTION, document=_document(plan))
    session.add(row)
    session.flush()
    sculpt.plan_id, sculpt.last_id = row.id, plan.last_id
    session.flush()
    session.refresh(sculpt)


def keep(session: Session, sculpt: Sculpt, new: KeptPlan, action: str) -> int:
    """Put a plan in the place of the revision it was made on (`new.turn`); what was undone before is gone. Returns
    the new revision's number. labels and spots lie on `new.surface_key`.

    Raises:
        ChangedElsewhereError: another revision holds by now. SettingError: more coats than a plan may have.
    """
    if len(new.plan.coats) > MOST_COATS:
        raise SettingError(f"a plan has at most {MOST_COATS} coats; remove one first")
    before = session.get(Revision, new.turn)
    if before is None or before.sculpt_id != sculpt.id:
        raise ChangedElsewhereError
    same = before.surface_key == new.surface_key
    standing = before.surface_standing if same else plain(sculpt.standing)
    plan = new.plan
    row = Revision(
        sculpt_id=sculpt.id,
        scheme_id=sculpt.scheme_id,
        number=before.number + 1,
        action=action[:80],
        surface_key=new.surface_key,
        surface_standing=standing or {},
        document=_document(plan),
        labels_key=_piece(session, sculpt, None if new.labels is None else new.labels.tobytes()),
        coats_key=_piece(
            session, sculpt, json.dumps([plain(c) for c in plan.coats]).encode() if plan.coats else None
        ),
        counts=dict(Counter(c.stage for c in plan.coats)),
    )
    session.add(row)
    session.flush()
    sculpt.last_id = plan.last_id
    session.flush()
    _point(session, sculpt, new.turn, row.id)
    siblings = (Revision.sculpt_id == sculpt.id) & (Revision.scheme_id == sculpt.scheme_id) & (Revision.id != row.id)
    old = (Revision.number >= row.number) | (Revision.number <= row.number - MOST_REVISIONS)
    session.execute(delete(Revision).where(siblings, old))
    _tidy(session, sculpt)
    return row.id


def basis(plan: Plan) -> tuple[Any, Any]:
    """What a surface is laid out by, and what its sky is looked at by."""
    return (plan.sculpt.standing, plan.sculpt.holes_closed), plan.shadowless


def after_change(session: Session, sculpt: Sculpt, before: Plan) -> JobRow | None:
    """The job that a change of the plan makes necessary: to lay the sculpt out again, or to look at its sky again."""
    now, was = basis(plan_of(session, sculpt)), basis(before)
    if now[0] != was[0]:
        return lay_out_again(session, sculpt)
    if now[1] != was[1]:
        sculpt.sky_key = None  # until the changed part has looked at the sky again
        return new_job(session, sculpt)
    return None


def amend(session: Session, sculpt: Sculpt, plan: Plan) -> None:
    """Put what preparing found (parts, the first guess of how it stands) into the revision that holds: no step that a
    painter made, so nothing to undo."""
    held = session.get_one(Revision, sculpt.plan_id)
    held.document = _document(plan)
    session.flush()
    session.refresh(sculpt)


def _document(plan: Plan) -> dict[str, Any]:
    """The plan as it is kept in a row: without what a bench has by itself, and without its coats."""
    return {k: v for k, v in document_of(replace(plan, coats=())).items() if k not in (*PARTS_OF_FILE, "coats")}


def _piece(session: Session, sculpt: Sculpt, content: bytes | None) -> str:
    if content is None:
        return ""
    key = hashlib.sha256(content).hexdigest()
    pieces = select(Piece.id).where(Piece.sculpt_id == sculpt.id, Piece.key == key)
    if session.scalars(pieces).first() is None:
        session.add(Piece(sculpt_id=sculpt.id, key=key, content=zlib.compress(content, 6)))
    return key


def _tidy(session: Session, sculpt: Sculpt) -> None:
    """Let go of pieces that no revision has any more."""
    wanted = select(Revision.labels_key).where(Revision.sculpt_id == sculpt.id)
    coats = select(Revision.coats_key).where(Revision.sculpt_id == sculpt.id)
    session.execute(
        delete(Piece).where(Piece.sculpt_id == sculpt.id, Piece.key.not_in(wanted), Piece.key.not_in(coats))
    )


def _point(session: Session, sculpt: Sculpt, seen: int, to: int) -> None:
    moved = session.execute(
        update(Sculpt)
        .where(Sculpt.id == sculpt.id, Sculpt.plan_id == seen)
        .values(plan_id=to)
        .execution_options(synchronize_session=False)
    )
    if moved.rowcount != 1:  # ty: ignore[missing-attribute]
        raise ChangedElsewhereError
    session.refresh(sculpt)


def step(session: Session, sculpt: Sculpt, by: int, seen: int) -> bool:
    """Undo (−1) or redo (+1); False where there is nothing to.

    Raises:
        ChangedElsewhereError: another revision holds by now.
    """
    held = session.get(Revision, seen)
    if held is None or held.sculpt_id != sculpt.id:
        raise ChangedElsewhereError
    other = _neighbour(session, sculpt, held, by)
    if other is None:
        return False
    _point(session, sculpt, seen, other.id)
    return True


def can_step(session: Session, sculpt: Sculpt) -> tuple[str | None, str | None]:
    """What undo takes back and what redo does again, in words; None where there is nothing to."""
    held = session.get_one(Revision, sculpt.plan_id)
    before, after = (_neighbour(session, sculpt, held, by) for by in (-1, 1))
    return held.action or "the last change" if before else None, (
        after.action or "the next change"
    ) if after else None


def kept_before(session: Session, sculpt: Sculpt, turn: int) -> KeptPlan | None:
    """The plan as it was before a revision; None where there is none before it."""
    before = _neighbour(session, sculpt, session.get_one(Revision, turn), -1)
    return None if before is None else kept_of(session, sculpt, before.id)


def _neighbour(session: Session, sculpt: Sculpt, held: Revision, by: int) -> Revision | None:
    siblings = select(Revision).where(
        Revision.sculpt_id == sculpt.id, Revision.scheme_id == held.scheme_id, Revision.number == held.number + by
    )
    return session.scalars(siblings).first()


def ever_marked(session: Session, sculpt: Sculpt) -> bool:
    """Whether any revision has regions, undone or not."""
    wanted = select(func.count(Revision.id)).where(Revision.sculpt_id == sculpt.id, Revision.labels_key != "")
    return bool(session.scalar(wanted))


def copy(session: Session, first: Sculpt, second: Sculpt) -> None:
    """Give a copied sculpt the plan of the first, as it is now, and its schemes; a history of its own begins."""
    session.flush()
    session.execute(delete(Revision).where(Revision.sculpt_id == second.id))
    second.last_id = first.last_id
    second.plan_id = _copied(session, first.plan_id, second, 0)
    for scheme in schemes_of(session, first):
        new = SchemeRow(sculpt_id=second.id, name=scheme.name, plan_id=0)
        session.add(new)
        session.flush()
        new.plan_id = _copied(
            session, first.plan_id if scheme.id == first.scheme_id else scheme.plan_id, second, new.id
        )
        if scheme.id == first.scheme_id:
            second.scheme_id, second.plan_id = new.id, new.plan_id
    session.flush()
    session.refresh(second)


def _copied(session: Session, turn: int, to: Sculpt, scheme_id: int) -> int:
    """A revision as the first of another history; its number."""
    held = session.get_one(Revision, turn)
    for key in (held.labels_key, held.coats_key):
        pieces = select(Piece.id).where(Piece.sculpt_id == to.id, Piece.key == key)
        if key and session.scalars(pieces).first() is None:
            session.add(Piece(sculpt_id=to.id, key=key, content=_content(session, held, key)))
    row = Revision(
        sculpt_id=to.id,
        scheme_id=scheme_id,
        number=1,
        action=FIRST_ACTION,
        surface_key=held.surface_key,
        surface_standing=held.surface_standing,
        document=held.document,
        labels_key=held.labels_key,
        coats_key=held.coats_key,
        counts=held.counts,
    )
    session.add(row)
    session.flush()
    return row.id


# --- schemes
def schemes_of(session: Session, sculpt: Sculpt) -> list[SchemeRow]:
    """Those of a sculpt, the oldest first; none as long as there is only the one on the bench."""
    return list(session.scalars(select(SchemeRow).where(SchemeRow.sculpt_id == sculpt.id).order_by(SchemeRow.id)))


def scheme_called(session: Session, sculpt: Sculpt, id_: int) -> SchemeRow:
    """One of them.

    Raises:
        SettingError: it is not there any more.
    """
    found = session.get(SchemeRow, id_)
    if found is None or found.sculpt_id != sculpt.id:
        raise SettingError("this scheme is not there any more; reload the page")
    return found


def copy_as(session: Session, sculpt: Sculpt, name: str) -> SchemeRow:
    """Leave what is on the bench as it is, and go on with a copy of it under a name.

    Raises:
        SettingError: no name, one that is taken, or too many.
    """
    schemes, name = schemes_of(session, sculpt), name.strip()
    if not 1 <= len(name) <= LONGEST_NAME:
        raise SettingError(f"a scheme's name has 1 to {LONGEST_NAME} letters")
    if any(k.name.casefold() == name.casefold() for k in schemes):
        raise SettingError(f"there is a scheme called “{name}” already; give this one another name")
    if len(schemes) >= MOST_SCHEMES:
        raise SettingError(f"a sculpt can have {MOST_SCHEMES} schemes; remove one first")
    if not schemes:
        if name.casefold() == FIRST.casefold():
            raise SettingError(f"what you have is kept as “{FIRST}”; give the copy another name")
        first = SchemeRow(sculpt_id=sculpt.id, name=FIRST, plan_id=sculpt.plan_id)
        session.add(first)
        session.flush()
        session.execute(
            update(Revision)
            .where(Revision.sculpt_id == sculpt.id, Revision.scheme_id == 0)
            .values(scheme_id=first.id)
        )
    else:
        scheme_called(session, sculpt, sculpt.scheme_id).plan_id = sculpt.plan_id
    second = SchemeRow(sculpt_id=sculpt.id, name=name, plan_id=0)
    session.add(second)
    session.flush()
    session.expire_all()
    second.plan_id = _copied(session, sculpt.plan_id, sculpt, second.id)
    sculpt.scheme_id, sculpt.plan_id = second.id, second.plan_id
    session.flush()
    session.refresh(sculpt)
    return second


def take_scheme(session: Session, sculpt: Sculpt, id_: int, seen: int) -> None:
    """Put a scheme on the bench, whole: its light, regions, wishes and coats. What was there is kept.

    Raises:
        SettingError: it is not there any more. ChangedElsewhereError: another revision holds by now.
    """
    wanted = scheme_called(session, sculpt, id_)
    if wanted.id == sculpt.scheme_id:
        return
    if sculpt.scheme_id:
        scheme_called(session, sculpt, sculpt.scheme_id).plan_id = sculpt.plan_id
    _point(session, sculpt, seen, wanted.plan_id)
    sculpt.scheme_id = wanted.id
    session.flush()


def let_go(session: Session, sculpt: Sculpt, id_: int) -> None:
    """Remove a scheme that is not on the bench.

    Raises:
        SettingError: it is on the bench, or not there any more.
    """
    scheme = scheme_called(session, sculpt, id_)
    if scheme.id == sculpt.scheme_id:
        raise SettingError("this scheme is on the bench: take up another one first")
    session.execute(delete(Revision).where(Revision.sculpt_id == sculpt.id, Revision.scheme_id == scheme.id))
    session.delete(scheme)
    _tidy(session, sculpt)
