"""What every page needs: the store, the queue, the sculpts in memory, and ways to them."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any, TypeVar

from flask import abort, current_app, request
from sqlalchemy import select
from sqlalchemy.orm import Session
from werkzeug.datastructures import FileStorage

from ..core.errors import SculptFileError, SettingError
from ..core.paint.whites import WHITES
from ..core.sculpt.read import FORMATS
from ..jobs.child import CrashedError, TooLongError, call
from ..jobs.queue import Queue
from ..settings import Settings
from ..store import paints
from ..store.accounts import bytes_of
from ..store.models import JobRow, Sculpt
from ..store.open_sculpts import OpenSculpt, OpenSculpts
from ..store.owner import owner_of
from ..store.store import Store, lay_out_again

T = TypeVar("T")
READING_S = 60.0  # a request waits for it


@dataclass
class Workshop:
    """The settings, the store, the queue and the sculpts in memory of one application."""

    settings: Settings
    store: Store
    queue: Queue
    sculpts: OpenSculpts


def workshop() -> Workshop:
    """The workshop of the running application."""
    return current_app.extensions["workshop"]


def the_sculpt(session: Session, sculpt_id: int) -> Sculpt:
    """The sculpt on the shelf, or a 404."""
    sculpt = session.get(Sculpt, sculpt_id)
    if sculpt is None or sculpt.deleted_at is not None:
        abort(404)
    return sculpt


def shelf_of(session: Session) -> list[Sculpt]:
    """The sculpts on the shelf, newest first."""
    return list(session.scalars(select(Sculpt).where(Sculpt.deleted_at.is_(None)).order_by(Sculpt.id.desc())))


def laid_out(sculpt: Sculpt) -> OpenSculpt:
    """The sculpt laid out in memory, or a 409 while it is being prepared; what the cache has lost is made again."""
    try:
        return workshop().sculpts.of(sculpt)
    except KeyError:
        if sculpt.surface_key is not None:
            prepare_again(sculpt.id, sculpt.surface_key)
        else:
            hurried(sculpt)
        abort(409)


def hurried(sculpt: Sculpt) -> JobRow | None:
    """The job that prepares a sculpt, which goes first now since somebody looks at it; None where none is open."""
    job = sculpt.latest_job()
    if job is None or not job.open:
        return None
    workshop().queue.hurry(job.id)
    return job


def prepare_again(sculpt_id: int, lost: str | None) -> None:
    """Prepare a sculpt again whose fields the cache has lost; once, however many ask for it."""
    with workshop().store.saving() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        if sculpt is None or sculpt.surface_key != lost:
            return
        job_id = lay_out_again(session, sculpt).id
    workshop().queue.add(job_id)


def sent_bytes(field: str, most: int, missing: str, too_large: str) -> bytes:
    """What is in a file that a form has sent, of at most so many bytes.

    Raises:
        SettingError: there is none, or too much of it; in these words.
    """
    file = request.files.get(field)
    content = file.read(most + 1) if file else b""
    if not content or len(content) > most:
        raise SettingError(too_large if content else missing)
    return content


def read_apart(function: Callable[..., T], *args: Any) -> T:
    """What a function reads from a file that somebody sent, in a process of its own with limits: whatever the file
    does there.

    Raises:
        SculptFileError: the reader died over it, or took too long.
    """
    if current_app.testing:
        return function(*args)
    try:
        return call(function, *args, seconds=READING_S, memory_gb=workshop().settings.job_memory_gb)
    except (CrashedError, TooLongError) as e:
        raise SculptFileError(
            "this file makes the reader crash or run too long; export it again, or bring it as STL"
        ) from e


def taken_in(file: FileStorage) -> dict[str, str]:
    """Keep an upload; its name, format and sha."""
    # the name is only ever shown, escaped; the file lies under its hash
    name = PurePosixPath((file.filename or "").replace("\\", "/")).name
    ending = PurePosixPath(name).suffix.lstrip(".").lower()
    if ending not in FORMATS:
        raise SculptFileError(
            f"'{name}' is not a kind of file Dusk Lamp can read; bring {', '.join(f.upper() for f in FORMATS)}"
        )
    _within_quota(file)
    return {"name": name, "format": ending, "sha": workshop().store.keep_upload(file.stream, ending)}


def _within_quota(file: FileStorage) -> None:
    """Whether a painter has room for another file.

    Raises:
        SettingError: no more.
    """
    most = workshop().settings.quota_gb
    if not most:
        return
    with workshop().store.session() as session:
        taken = bytes_of(session, workshop().store, owner_of(session))
    size = file.stream.seek(0, 2)
    file.stream.seek(0)
    if taken + size > most * 1e9:
        raise SettingError(
            f"your files take {taken / 1e9:.2f} of the {most:g} GB that this bench gives each painter; there is no "
            "room for another. Delete a sculpt for good, or ask who looks after the bench"
        )


def colour_names(session: Session) -> list[str]:
    """Everything a region's colour can be chosen from: recipes first, then whites and blacks, then paints."""
    pots = [p.name for p in paints.rack_of(session) if p.of_kind.changes_colour]
    named = [r.name for r in paints.recipes(session)] + sorted(pots, key=str.casefold)
    taken = {name.casefold() for name in named}
    recipes = len(named) - len(pots)
    return [*named[:recipes], *(name for name in WHITES if name not in taken), *named[recipes:]]


def wants_json() -> bool:
    """Whether a script is asking."""
    return request.headers.get("X-Requested-With") == "fetch"
