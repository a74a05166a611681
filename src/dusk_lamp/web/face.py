"""The face: two eyes and what they look at, marked on the sculpt; where the pupils go, as words and as a drawing."""

from dataclasses import replace

from flask import Blueprint, Response, abort, jsonify, url_for
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.plain import plain
from ..core.plan.features.face.eyes import eye_words
from ..core.plan.features.face.feature import FEATURE, FaceWishes
from ..core.plan.features.face.mouth import MOUTH
from ..core.plan.simulation import digest
from ..core.view.flat import face_svg
from .body import Body
from .editing import Edit, OpenPlan, change, clicked, opened, with_kept_coats
from .workshop import workshop

blueprint = Blueprint("face", __name__)
SPOTS = ("left", "right", "at")


@blueprint.get("/sculpts/<int:sculpt_id>/face.json")
def shown(sculpt_id: int) -> Response:
    """The spots that were marked, in mm, and where the pupils go."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    trouble, face = "", None
    try:
        face = FEATURE.face(open_plan.context)
    except SettingError as e:
        trouble = str(e)
    places, looks = FEATURE.places(open_plan.context), open_plan.context.wishes(FEATURE.name).looks
    return jsonify(
        turn=open_plan.turn,
        spots={k: v.round(3).tolist() for k, v in places.items()},
        looks=looks,
        trouble=trouble,
        painted=open_plan.context.wishes(FEATURE.name).eyes,
        mouth=open_plan.context.wishes(FEATURE.name).mouth,
        can=face is not None,
        words=[
            eye_words(face.right),
            eye_words(face.left),
            *face.words,
            *filter(None, [FEATURE.worse(open_plan.context)]),
        ]
        if face
        else [],
        drawing=url_for(".drawing", sculpt_id=sculpt_id, v=digest(plain(face))) if face else "",
    )


@blueprint.get("/sculpts/<int:sculpt_id>/face.svg")
def drawing(sculpt_id: int) -> Response:
    """Both eyes, ten times as large as life."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    face = FEATURE.face(open_plan.context)
    if face is None:
        abort(404)
    return Response(face_svg(face), mimetype="image/svg+xml")


@blueprint.post("/sculpts/<int:sculpt_id>/face")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: left, right, at (origin, direction: the model's own eyes, and what they look at), viewer, ahead, paint,
    unpaint, mouth (closed, open, or ""), clear."""
    done = change(sculpt_id, _changed)
    return shown(sculpt_id) if isinstance(done, int) else done


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    kept, action = open_plan.context.wishes(FEATURE.name), "eyes marked"
    if what in SPOTS:
        new = replace(kept, **{what: clicked(open_plan.open, given)[1]}, looks="at" if what == "at" else kept.looks)
    elif what in ("viewer", "ahead"):
        new, action = replace(kept, at=None, looks=what), f"eyes look {'at the viewer' if what == 'viewer' else what}"
    elif what in ("paint", "unpaint"):
        new = replace(kept, eyes=what == "paint")
        context = open_plan.context.on(open_plan.plan.with_wishes(FEATURE.name, new))
        item = FEATURE.eyes(context)
        coats = FEATURE.painted(context, item) if new.eyes else FEATURE.put(context, item, [])
        action = "eyes put in the plan" if new.eyes else "eyes taken off the plan"
        return Edit(
            with_kept_coats(open_plan.kept.plan.with_wishes(FEATURE.name, new), coats),
            action,
            done=("colour",),
        )
    elif what == "mouth":
        new = replace(kept, mouth=str(given.get("mouth", "")))
        context = open_plan.context.on(open_plan.plan.with_wishes(FEATURE.name, new))
        item = replace(FEATURE.eyes(context), way=MOUTH, title="Mouth")
        coats = FEATURE.painted(context, item) if new.mouth else FEATURE.put(context, item, [])
        action = "mouth put in the plan" if new.mouth else "mouth taken off the plan"
        return Edit(
            with_kept_coats(open_plan.kept.plan.with_wishes(FEATURE.name, new), coats),
            action,
            done=("colour",),
        )
    elif what == "clear":
        new, action = FaceWishes(warm=kept.warm), "eyes removed"
    else:
        raise SettingError("this change of the face is not known; reload the page")
    return Edit(open_plan.kept.plan.with_wishes(FEATURE.name, new), action)
