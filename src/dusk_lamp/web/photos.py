"""Photos of painted models, as the log and the check keep them: smaller, without places and names."""

from pathlib import Path

from flask import Blueprint, Response, abort
from sqlalchemy import select

from ..core.check.photo import Photo, jpeg_of, read_photo
from ..core.errors import SettingError
from ..store.models import PhotoRow
from .workshop import sent_bytes, workshop

blueprint = Blueprint("photos", __name__)
MOST_BYTES = 40_000_000


@blueprint.get("/photos/<sha>.jpg")
def photo(sha: str) -> Response:
    """A photo of one's own that is kept."""
    path = _own_path(sha)
    if path is None:
        abort(404)
    return Response(path.read_bytes(), mimetype="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})


def sent_photo() -> Photo:
    """The photo that came with a form.

    Raises:
        SettingError: none came along, it is too large, or it is no photo.
    """
    return read_photo(
        sent_bytes(
            "photo",
            MOST_BYTES,
            "no photo came along; choose one",
            "the photo has more than 40 MB; make it smaller",
        )
    )


def keep_photo(photo: Photo) -> str:
    """Keep a photo; its sha."""
    sha = workshop().store.keep_jpeg(jpeg_of(photo))
    with workshop().store.saving() as session:
        if session.scalars(select(PhotoRow).where(PhotoRow.sha == sha)).first() is None:
            session.add(PhotoRow(sha=sha))
    return sha


def _own_path(sha: str) -> Path | None:
    """Where a photo of this painter lies; None where there is none."""
    with workshop().store.session() as session:
        row = session.scalars(select(PhotoRow.id).where(PhotoRow.sha == sha)).first()
    return workshop().store.photo_path(sha) if row is not None else None


def kept(sha: str) -> Photo:
    """A photo that is kept, to be looked at.

    Raises:
        SettingError: it is not there any more.
    """
    path = _own_path(sha)
    if path is None:
        raise SettingError("this photo is not there any more; bring it again")
    return read_photo(path.read_bytes())
