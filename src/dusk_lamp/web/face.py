"""The face: two eyes and what they look at, marked on the sculpt; where the pupils go, as words and as a drawing."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, url_for
from numpy.typing import NDArray

from ..core.directions import direction_of
from ..core.errors import SettingError
from ..core.plain import plain
from ..core.plan.face import Face, eye_words, face_of
from ..core.sculpt.parts import spot
from ..core.view.flat import face_svg
from ..store.laid import Laid
from ..store.models import Sculpt
from .stages.regions import sight
from .workshop import asked, laid_out, the_sculpt, workshop

blueprint = Blueprint("face", __name__)
SPOTS = ("left", "right", "at")
VIEWER_HEIGHTS = 10.0  # so many sculpt's heights away, who looks at it


def _places(sculpt: Sculpt, laid: Laid) -> dict[str, NDArray[np.float64]]:
    """(3,) mm of each spot that was marked. They are kept in the file's own axes, and stay when it is stood up anew."""
    kept = {k: v for k, v in (sculpt.face or {}).items() if k in SPOTS}
    return {k: laid.placing.to_bench(np.array(v, float)[None])[0] for k, v in kept.items()}


def _face(sculpt: Sculpt, laid: Laid) -> Face | None:
    places = _places(sculpt, laid)
    if not {"left", "right"} <= set(places):
        return None
    at = places.get("at")
    if (sculpt.face or {}).get("looks") == "viewer":
        toward = direction_of(sculpt.display["azimuth"], sculpt.display["elevation"])
        at = (places["left"] + places["right"]) / 2 + VIEWER_HEIGHTS * laid.site.surface.size * toward
    return face_of(laid.site.surface, places["left"], places["right"], at)


def _answer(sculpt: Sculpt, laid: Laid) -> Response:
    trouble, face = "", None
    try:
        face = _face(sculpt, laid)
    except SettingError as e:
        trouble = str(e)
    places = _places(sculpt, laid)
    return jsonify(
        spots={k: v.round(3).tolist() for k, v in places.items()}, looks=(sculpt.face or {}).get("looks", "ahead"),
        trouble=trouble, words=[eye_words(face.right), eye_words(face.left), *face.words] if face else [],
        drawing=url_for(".drawing", sculpt_id=sculpt.id, v=abs(hash(str(plain(face))))) if face else "",
    )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/face.json")
def shown(sculpt_id: int) -> Response:
    """The spots that were marked, in mm, and where the pupils go."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        return _answer(sculpt, laid_out(sculpt))


@blueprint.get("/sculpts/<int:sculpt_id>/face.svg")
def drawing(sculpt_id: int) -> Response:
    """Both eyes, ten times as large as life."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        face = _face(sculpt, laid_out(sculpt))
    if face is None:
        abort(404)
    return Response(face_svg(face), mimetype="image/svg+xml")


@blueprint.post("/sculpts/<int:sculpt_id>/face")
def change(sculpt_id: int) -> Response:
    """do: left, right, at (origin, direction: the model's own eyes, and what they look at), viewer, ahead, clear."""
    given = asked()
    what = str(given.get("do"))
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, kept = laid_out(sculpt), dict(sculpt.face or {})
        if what in SPOTS:
            kept[what] = _clicked(laid, given)
            if what == "at":
                kept["looks"] = "at"
        elif what in ("viewer", "ahead"):
            kept.pop("at", None)
            kept["looks"] = what
        elif what == "clear":
            kept = {}
        else:
            raise SettingError("this bench does not know that change; reload the page")
        sculpt.face = kept
        return _answer(sculpt, laid)


def _clicked(laid: Laid, given: dict[str, Any]) -> list[float]:
    try:
        met = spot(laid.site.surface, *sight(given))
    except (KeyError, TypeError, ValueError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("the spot that arrived is no place; click again") from e
    if met is None:
        raise SettingError("there is nothing there; click on the sculpt itself")
    return [float(x) for x in laid.placing.to_file(met[1][None])[0]]
