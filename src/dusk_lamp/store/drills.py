"""How well each drill is known, kept."""

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.drill.practice import after_answer
from .models import DrillCard

FORGETS = 0.4  # of the moving mean that the last answer is


def due_cards(session: Session) -> dict[str, DrillCard]:
    """The cards there are, by the names of drills."""
    return {row.name: row for row in session.scalars(select(DrillCard))}


def plain_cards(session: Session) -> dict[str, Mapping[str, Any]]:
    """The same as plain values."""
    return {name: row.card for name, row in due_cards(session).items()}


def answered(session: Session, name: str, good: float) -> DrillCard:
    """A drill was answered, so well (0..1)."""
    card = due_cards(session).get(name)
    at = datetime.now(UTC)
    if card is None:
        card = DrillCard(name=name, card=after_answer(None, good, at), answers=1, good=good)
        session.add(card)
    else:
        card.card = after_answer(card.card, good, at)
        card.answers += 1
        card.good += FORGETS * (good - card.good)
    session.flush()
    return card
