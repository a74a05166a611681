"""What the pages of a photo share: what is worked out of one, once."""

import json
from collections.abc import Callable
from typing import Any

from flask import Blueprint, Response

from ...core.check.photo import Photo
from ...core.check.pose import points_from
from ...core.errors import SettingError
from ...core.view.camera import VIEWS
from ...store.cache import code_mark, key_of
from .. import photos
from ..background import Say, in_background, not_yet
from ..body import Body
from ..limits import number_of
from ..sheets import PlanSheet, sheet_of
from ..workshop import the_sculpt, workshop

blueprint = Blueprint("check", __name__)
SCULPT_SIZE = (520, 640)
SIDES = ("display", *VIEWS)
MOST_PHOTOS = 8  # that are judged together
PHOTO = "Photo"  # the title of its entry in the log
Work = Callable[[PlanSheet, int, Photo, Say], dict[str, bytes]]  # from a plan, coats that are on, and a photo


def coats_done(plan: PlanSheet, text: str) -> int:
    """How many coats are on, by what a page has sent; all of them where it says nothing."""
    return int(number_of(text or str(len(plan.coats)), "the step", 0, len(plan.coats)))


def of_photo(
    kind: str, sculpt_id: int, given: Body, work: Work, *more: Any
) -> tuple[str, int, tuple[Response, int] | None]:
    """What is worked out of a photo (photo, step) once for the same, and more that it depends on: the key of the
    blobs it is kept as, the revision of the plan, and how far it is where it is not there yet."""
    sha, step = str(given.get("photo", "")), given.get("step")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        key = key_of(kind, code_mark(), sculpt.id, sculpt.plan_id, sculpt.surface_key, sha, step, *more)
        turn = sculpt.plan_id
    cache = workshop().store.cache

    def worked_out(say: Say) -> None:
        say("Looking at the photo", 0.1)
        photo = photos.kept(sha)
        with workshop().store.session() as session:
            _, plan = sheet_of(session, the_sculpt(session, sculpt_id))
        cache.put(key, blobs=work(plan, coats_done(plan, "" if step is None else str(step)), photo, say))

    working = None if key in cache else in_background((kind, key), worked_out)
    return key, turn, not_yet(working) if working else None


def points_in(given: Body) -> Any:
    """The matched points that a page has sent: pixels and places."""
    if not isinstance(given.get("points"), list):
        raise SettingError("match some points first")
    return points_from(given["points"])


def kept_as(key: str, name: str) -> dict[str, Any]:
    """What was worked out of a photo and kept as JSON."""
    return json.loads(workshop().store.cache.blob(key, name))
