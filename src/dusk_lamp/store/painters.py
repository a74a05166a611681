"""The painter: own tools, and which cautions were read today."""

from collections.abc import Iterable

from sqlalchemy.orm import Session

from ..core.plain import built, plain
from ..core.workplace.tools import Tools
from .models import Painter, now
from .owner import owner_of


def tools_of(session: Session) -> Tools:
    """What the painter has; everything, as long as nothing was said."""
    painter = session.get(Painter, owner_of(session))
    return built(Tools, painter.tools, "your tools") if painter else Tools()


def keep_tools(session: Session, tools: Tools) -> None:
    """Keep what the painter has."""
    _own(session).tools = plain(tools)


def habits_of(session: Session) -> dict[str, str]:
    """When the painter paints: hours of a day as written, and the minutes of an evening."""
    painter = session.get(Painter, owner_of(session))
    return dict(painter.habits) if painter else {}


def keep_habits(session: Session, **habits: str) -> None:
    """Keep when the painter paints."""
    painter = _own(session)
    painter.habits = {**painter.habits, **habits}


def read_today(session: Session, tags: Iterable[str]) -> bool:
    """Whether every one of these sets of cautions was read today."""
    painter = session.get(Painter, owner_of(session))
    read = painter.cautioned if painter else {}
    return all(read.get(tag) == _today() for tag in tags)


def keep_read(session: Session, tags: Iterable[str]) -> None:
    """These sets of cautions were read, today."""
    painter = _own(session)
    painter.cautioned = {**painter.cautioned, **dict.fromkeys(tags, _today())}


def _today() -> str:
    return f"{now():%Y-%m-%d}"


def _own(session: Session) -> Painter:
    painter = session.get(Painter, owner_of(session))
    if painter is None:
        painter = Painter(id=owner_of(session), tools=plain(Tools()), cautioned={})
        session.add(painter)
        session.flush()
    return painter
