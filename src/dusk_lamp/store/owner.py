"""Whose rows a session sees. In pages: those of the painter who asks, and no others, whatever a page looks for. A
worker, the command line and the store itself see all of them, unless they act for one painter.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from sqlalchemy import event, select
from sqlalchemy.orm import ORMExecuteState, Session, UOWTransaction, sessionmaker, with_loader_criteria

from .models import OWNER, OfSculpt, Owned, Sculpt

_painter: ContextVar[int | None] = ContextVar("painter", default=None)


def acting() -> int | None:
    """The painter that this thread acts for; None for nobody in particular, who sees everything."""
    return _painter.get()


@contextmanager
def acting_for(painter_id: int | None) -> Iterator[None]:
    """Act for a painter: sessions begun inside see that painter's rows only, and new rows are that painter's."""
    token = _painter.set(painter_id)
    try:
        yield
    finally:
        _painter.reset(token)


def owner_of(session: Session) -> int:
    """Whose bench a session is at; the first painter's where it acts for nobody in particular."""
    return session.info.get("painter") or OWNER


def keep_apart(sessions: "sessionmaker[Session]") -> None:
    """Have every session see its painter's rows only, and stamp what it adds."""

    @event.listens_for(sessions, "do_orm_execute")
    def _only_own(state: ORMExecuteState) -> None:
        painter = state.session.info.get("painter")
        if painter is None or state.is_column_load or not (state.is_select or state.is_update or state.is_delete):
            return
        owned = select(Sculpt.id).where(Sculpt.user_id == painter)
        state.statement = state.statement.options(
            with_loader_criteria(Owned, lambda cls: cls.user_id == painter, include_aliases=True),
            with_loader_criteria(OfSculpt, lambda cls: cls.sculpt_id.in_(owned), include_aliases=True),
        )

    @event.listens_for(sessions, "before_flush")
    def _stamp(session: Session, _context: UOWTransaction, _instances: object) -> None:
        for row in session.new:
            if isinstance(row, Owned) and row.user_id is None:
                row.user_id = owner_of(session)
