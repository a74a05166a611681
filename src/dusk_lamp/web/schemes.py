"""Several schemes of one sculpt: copied, taken up, let go, and looked at side by side."""

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request

from ..core.errors import SettingError
from ..core.paint.colour import ILLUMINANTS, levels_of, xyz
from ..core.plain import one_line
from ..core.units import counted
from ..store import plans
from ..store.models import Revision
from .background import in_background, not_yet
from .body import json_body
from .editing import elsewhere
from .responses import packed
from .workshop import laid_out, the_sculpt, workshop

blueprint = Blueprint("schemes", __name__)


@blueprint.get("/sculpts/<int:sculpt_id>/schemes.json")
def shown(sculpt_id: int) -> Response:
    """Every scheme: number, name, how many coats, and which is on the bench."""
    with workshop().store.session() as session:
        sculpt, rows = the_sculpt(session, sculpt_id), []
        for scheme in plans.schemes_of(session, sculpt):
            here = scheme.id == sculpt.scheme_id
            counts = session.get_one(Revision, sculpt.plan_id if here else scheme.plan_id).counts
            coats = sum(n for stage, n in counts.items() if stage != "undercoat")
            words = f"{counted(coats, 'coat', 'coats')}{', on the bench' if here else ''}"
            rows.append({"number": scheme.id, "name": scheme.name, "here": here, "coats": coats, "words": words})
    return jsonify(rows)


@blueprint.post("/sculpts/<int:sculpt_id>/schemes")
def change(sculpt_id: int) -> Response | tuple[Response, int]:
    """do: copy (name), take (number), go (number). `turn` says which revision it was made on."""
    given, job_id = json_body(), None
    what, number, turn = str(given.get("do")), given.get("number"), given.get("turn")
    if what not in ("copy", "take", "go"):
        raise SettingError("a scheme can be copied, taken up or removed; reload the page")
    if isinstance(turn, bool) or not isinstance(turn, int):
        raise SettingError("this change does not say what it was made on; reload the page")
    if what != "copy" and (isinstance(number, bool) or not isinstance(number, int) or not 0 < number < 2**31):
        raise SettingError("choose the scheme first")
    try:
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if sculpt.plan_id != turn:
                return elsewhere(sculpt.plan_id)
            before = plans.plan_of(session, sculpt)
            if what == "copy":
                plans.copy_as(session, sculpt, one_line(given.get("name")))
            elif what == "take":
                plans.take_scheme(session, sculpt, int(number or 0), turn)
            else:
                plans.let_go(session, sculpt, int(number or 0))
            job = plans.after_change(session, sculpt, before)
            job_id = job.id if job else None
    except plans.ChangedElsewhereError:
        return elsewhere()
    if job_id is not None:
        workshop().queue.add(job_id)
    return shown(sculpt_id)


@blueprint.get("/sculpts/<int:sculpt_id>/schemes/<int:number>.bin")
def look(sculpt_id: int, number: int) -> Response | tuple[Response, int]:
    """The finished model of a scheme: four bytes for every sample, of which three are its colour. light: that it is
    looked at by."""
    light = request.args.get("light", ILLUMINANTS[0])
    if light not in ILLUMINANTS:
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        open_sculpt, scheme = laid_out(sculpt), plans.scheme_called(session, sculpt, number)
        turn = sculpt.plan_id if scheme.id == sculpt.scheme_id else scheme.plan_id
        kept, cache = plans.kept_of(session, sculpt, turn), workshop().store.cache
        context, _ = plans.context_of(session, sculpt, open_sculpt, cache, kept)
    coats = context.plan.coats
    if working := in_background(
        ("scheme", sculpt_id, number, turn), lambda say: context.simulation.reflectance(coats)
    ):
        return not_yet(working)
    levels = levels_of(xyz(context.simulation.reflectance(coats), light))
    empty = np.zeros(len(levels), np.uint8)
    return packed({"name": scheme.name}, np.column_stack([levels, empty])[context.site.shown])
