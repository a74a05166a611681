"""Tonight: how far one gets in the time one has, with the model that was painted last."""

from datetime import UTC, datetime

from flask import Blueprint, Response, jsonify, request, url_for
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ..core.schedule.day import Day, clock_of
from ..core.schedule.jobs import TASK, ended_of, left_of
from ..core.units import minutes_words
from ..store import painters, progress
from ..store.models import Done, Sculpt
from .background import Say, in_background, not_yet
from .facts import Facts, plan_facts_of
from .ranges import within
from .workshop import the_sculpt, workshop

blueprint = Blueprint("tonight", __name__)
USUAL_MINUTES = "90"


@blueprint.get("/tonight")
def tonight() -> Response | tuple[Response, int]:
    """Where one gets tonight, in a sentence; nothing where no model was begun. minutes: kept for the next time."""
    given = request.args.get("minutes", "")
    if given:
        minutes = within(given, "evening")
        with workshop().store.saving() as session:
            painters.keep_habits(session, minutes=f"{minutes:g}")
    with workshop().store.session() as session:
        minutes = float(painters.habits_of(session).get("minutes", USUAL_MINUTES))
        sculpt = _begun(session)
        if sculpt is None:
            return jsonify(words="", minutes=minutes)
        sculpt_id, turn = sculpt.id, sculpt.plan_id

    def work(say: Say) -> None:
        say("Looking at what is left to paint", 0.1)
        with workshop().store.session() as session:
            plan_facts_of(session, the_sculpt(session, sculpt_id))

    going = in_background(("tonight", sculpt_id, turn), work)
    if going is not None:
        return not_yet(going)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        words = _words(session, sculpt, plan_facts_of(session, sculpt), minutes)
    return jsonify(words=words, minutes=minutes, url=url_for("paint.paint", sculpt_id=sculpt_id))


def _begun(session: Session) -> Sculpt | None:
    """The sculpt on the shelf of which a step was ended last."""
    rows = session.scalars(
        select(Sculpt)
        .join(Done, Done.sculpt_id == Sculpt.id)
        .where(Sculpt.deleted_at.is_(None))
        .group_by(Sculpt.id)
        .order_by(func.max(Done.at).desc(), func.max(Done.id).desc())
    )
    return next((s for s in rows if s.ready), None)


def _words(session: Session, sculpt: Sculpt, facts: Facts, minutes: float) -> str:
    ends = progress.painting_state(session, sculpt, facts.keys).ends
    numbers = zip(facts.numbers, facts.keys, strict=True)
    done = ended_of(facts.jobs, progress.minutes_when_ended(ends, numbers, datetime.now(UTC)))
    left, earliest = left_of(facts.jobs, done)
    if not any(j.step for j in left):
        return f"{sculpt.name} is painted. Look at it from arm's length, then choose the next."
    clock = clock_of(Day((tuple(left),), earliest=(tuple(earliest),)), 0.0)
    reached = [s for s in clock.slots if s.end <= minutes and s.stage != TASK]
    have = f"You have {minutes_words(minutes)}"
    if not reached:
        first = next(s for s in clock.slots if s.stage != TASK)
        return f"{have}: begin {sculpt.name}'s “{first.title}”, it takes {minutes_words(first.end - first.start)}."
    if len(reached) == sum(1 for j in left if j.step):
        return f"{have}: enough to finish {sculpt.name}, in {minutes_words(clock.makespan)}."
    return f"{have}: {sculpt.name}, {len(reached)} steps, to “{reached[-1].title}” (step {reached[-1].number})."
