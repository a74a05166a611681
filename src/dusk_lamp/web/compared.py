"""Several schemes of one sculpt: copied, taken up, let go, and looked at beside each other."""

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request

from ..core.paint.colour import ILLUMINANTS, rgb, xyz
from ..store import kept_schemes, painted, schemes, sketches
from .coats import elsewhere
from .packet import packed
from .patience import not_yet, patiently
from .stages import mark_done, mark_open
from .workshop import asked, laid_out, the_sculpt, workshop

blueprint = Blueprint("compared", __name__)


@blueprint.get("/sculpts/<int:sculpt_id>/schemes.json")
def shown(sculpt_id: int) -> Response:
    """Every scheme: number, name, how many coats, and which is on the bench."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        own = kept_schemes.listed(session, sculpt)
        on_bench = len(schemes.split(schemes.kept_coats(session, sculpt))[1])
        rows = [
            {
                "number": k.id, "name": k.name, "here": k.id == sculpt.kept_scheme,
                "coats": on_bench if k.id == sculpt.kept_scheme else sum(c["stage"] != schemes.UNDERCOAT for c in k.coats),
            }
            for k in own
        ]  # fmt: skip
    return jsonify(rows)


@blueprint.post("/sculpts/<int:sculpt_id>/schemes")
def change(sculpt_id: int) -> Response | tuple[Response, int]:
    """do: copy (name), take (number), go (number). `turn` says which state of the coats it was made on."""
    given = asked()
    what, cache = str(given.get("do")), workshop().store.cache
    try:
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            laid = laid_out(sculpt)
            if what == "copy":
                kept_schemes.copy_as(session, sculpt, laid, cache, str(given.get("name", "")))
            elif what == "take":
                seen = int(given.get("turn", sculpt.scheme_id))
                kept_schemes.take(session, sculpt, laid, cache, int(given.get("number", 0)), seen)
                left = schemes.split(schemes.kept_coats(session, sculpt))[1]
                session.flush()
                (mark_done if left else mark_open)(sculpt, "colour")
            elif what == "go":
                kept_schemes.let_go(session, sculpt, int(given.get("number", 0)))
            else:
                abort(400)
    except schemes.ChangedElsewhereError:
        return elsewhere()
    return shown(sculpt_id)


@blueprint.get("/sculpts/<int:sculpt_id>/schemes/<int:number>.bin")
def look(sculpt_id: int, number: int) -> Response | tuple[Response, int]:
    """The finished model of a kept scheme: four bytes for every sample, of which three are its colour. light: that it
    is looked at by."""
    light = request.args.get("light", ILLUMINANTS[0])
    if light not in ILLUMINANTS:
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, kept = laid_out(sculpt), kept_schemes.one_of(session, sculpt, number)
        coats = kept_schemes.coats_in(kept)
        site = sketches.sketch_of(session, sculpt, laid, workshop().store.cache).site
    if told := patiently(("compared", sculpt_id, number, len(coats)), lambda say: painted.seen(laid, site, coats)):
        return not_yet(told)
    levels = np.round(rgb(xyz(painted.seen(laid, site, coats), light)) * 255).astype(np.uint8)
    return packed({"name": kept.name}, np.column_stack([levels, np.zeros(len(site), np.uint8)])[site.shown])
