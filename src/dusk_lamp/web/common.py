"""What several pages need."""

from flask import abort
from sqlalchemy.orm import Session

from ..store.models import STAGES, Sculpt

STAGE_WORDS = {
    "stand": "Stand it up",
    "regions": "Mark regions",
    "light": "Set the lamp",
    "ladder": "Choose greys",
    "sheet": "Plan sheet",
}


def the_sculpt(session: Session, sculpt_id: int) -> Sculpt:
    """The sculpt on the shelf, or a 404."""
    sculpt = session.get(Sculpt, sculpt_id)
    if sculpt is None or sculpt.deleted_at is not None:
        abort(404)
    return sculpt


def stages_of(sculpt: Sculpt, present: str | None = None) -> list[dict[str, object]]:
    """The string of lamps: every stage with its words, and whether it is lit or being worked on."""
    return [
        {"name": s, "words": STAGE_WORDS[s], "done": s in sculpt.stages_done, "present": s == present} for s in STAGES
    ]


def mark_done(sculpt: Sculpt, *stages: str) -> None:
    """Light the lamps of these stages."""
    done = set(sculpt.stages_done) | set(stages)
    sculpt.stages_done = [s for s in STAGES if s in done]
