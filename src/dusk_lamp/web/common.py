"""What several pages need."""

from pathlib import PurePosixPath

from flask import abort
from sqlalchemy import select
from sqlalchemy.orm import Session
from werkzeug.datastructures import FileStorage

from ..core.errors import SculptFileError
from ..core.sculpt.read import FORMATS
from ..store import paints
from ..store.models import STAGES, Sculpt
from .app import workshop

STAGE_WORDS = {
    "stand": "Stand it up",
    "parts": "Take it apart",
    "regions": "Mark regions",
    "view": "Choose the view",
    "light": "Set the lamp",
    "ladder": "Choose greys",
    "undercoat": "Lay the undercoat",
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


def taken_in(file: FileStorage) -> dict[str, str]:
    """Keep an upload; its name, format and sha."""
    # the name is only ever shown, escaped; the file lies under its hash
    name = PurePosixPath((file.filename or "").replace("\\", "/")).name
    ending = PurePosixPath(name).suffix.lstrip(".").lower()
    if ending not in FORMATS:
        raise SculptFileError(
            f"'{name}' is not a kind of file this bench reads; bring {', '.join(f.upper() for f in FORMATS)}"
        )
    return {"name": name, "format": ending, "sha": workshop().store.keep_upload(file.stream, ending)}


def colour_names(session: Session) -> list[str]:
    """Everything a region's colour can be chosen from: recipes first, then paints."""
    rack = paints.rack_of(session)
    return [r.name for r in paints.recipes(session)] + sorted(
        (p.name for p in rack if p.of_kind.changes_colour), key=str.casefold
    )


def shelf_of(session: Session) -> list[Sculpt]:
    """The sculpts on the shelf, newest first."""
    return list(session.scalars(select(Sculpt).where(Sculpt.deleted_at.is_(None)).order_by(Sculpt.id.desc())))
