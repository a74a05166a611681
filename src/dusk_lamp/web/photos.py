"""Photos of painted models, as the log and the check keep them: smaller, without places and names."""

from flask import Blueprint, Response, abort, request

from ..core.check.photo import Photo, read_photo
from ..core.errors import SettingError
from .workshop import workshop

blueprint = Blueprint("photos", __name__)
MOST_BYTES = 40_000_000


@blueprint.get("/photos/<sha>.jpg")
def photo(sha: str) -> Response:
    """A photo that is kept."""
    path = workshop().store.photo_path(sha)
    if path is None:
        abort(404)
    return Response(path.read_bytes(), mimetype="image/jpeg", headers={"Cache-Control": "private, max-age=86400"})


def sent_photo() -> Photo:
    """The photo that came with a form.

    Raises:
        SettingError: none came along, it is too large, or it is no photo.
    """
    file = request.files.get("photo")
    content = file.read(MOST_BYTES + 1) if file else b""
    if not content:
        raise SettingError("no photo came along; choose one")
    if len(content) > MOST_BYTES:
        raise SettingError("the photo has more than 40 MB; make it smaller")
    return read_photo(content)


def kept(sha: str) -> Photo:
    """A photo that is kept, to be looked at.

    Raises:
        SettingError: it is not there any more.
    """
    path = workshop().store.photo_path(sha)
    if path is None:
        raise SettingError("this photo is not there any more; bring it again")
    return read_photo(path.read_bytes())
