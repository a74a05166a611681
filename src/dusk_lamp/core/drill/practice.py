"""Which drill comes next: what one is weak at comes again soon, what one knows comes later (FSRS, by its package)."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, cast

from fsrs import Card, Rating, Scheduler

GOOD, HARD = 0.85, 0.5  # how good an answer has to be
SCHEDULER = Scheduler(enable_fuzzing=False)


def rated(good: float) -> Rating:
    """How well something was known, by how good the answer was, 0..1."""
    if good >= 0.999:
        return Rating.Easy
    return Rating.Good if good >= GOOD else Rating.Hard if good >= HARD else Rating.Again


def after_answer(kept: Mapping[str, Any] | None, good: float, at: datetime) -> dict[str, Any]:
    """A drill's card after an answer, as plain values. at: with its zone, UTC."""
    card = Card.from_dict(cast(Any, dict(kept))) if kept else Card(card_id=1, due=at)
    card, _ = SCHEDULER.review_card(card, rated(good), at)
    return dict(card.to_dict())


def next_drill(cards: Mapping[str, Mapping[str, Any]], names: Sequence[str], at: datetime) -> str:
    """The drill that is due first; of those never done, the first in their order, unless something is overdue."""
    due = {n: datetime.fromisoformat(str(cards[n]["due"])) for n in names if n in cards}
    late = [n for n, when in due.items() if when <= at]
    if late:
        return min(late, key=lambda n: due[n])
    fresh = [n for n in names if n not in cards]
    return fresh[0] if fresh else min(due, key=lambda n: due[n])
