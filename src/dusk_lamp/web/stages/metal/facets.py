"""The facet that was touched, and a facet unrolled flat."""

from flask import Response, abort, jsonify, request

from ....core.errors import SettingError
from ....core.plan.brief import BRUSHED
from ....core.plan.features.metal.feature import FEATURE
from ....core.plan.features.metal.schools.school import facets_of
from ....core.plan.features.metal.trainer import Trainer, unrolled
from ....core.view.flat import facet_svg
from ...body import Body
from ...editing import OpenPlan, clicked, opened
from ...workshop import workshop
from .common import blueprint


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/facet.json")
def facet_at(sculpt_id: int, number: int) -> Response:
    """The facet that a line of sight (origin, direction: three numbers each) meets: what it is, how it is painted."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    id_ = open_plan.id(number)
    try:
        place, _, _ = clicked(
            open_plan.open, Body({k: request.args.get(k, "").split(",") for k in ("origin", "direction")})
        )
    except ValueError as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("where you touched did not arrive; reload the page") from e
    found = facets_of(open_plan.site, FEATURE.metal(open_plan.context, id_).shine)
    at = int(((open_plan.site.surface.points - place) ** 2).sum(axis=1).argmin())
    k = next((k for k, f in enumerate(found) if f.mask[at]), None)
    if k is None:
        return jsonify(number=None, kind="none", words=["No plain facet: it shows what it would mirror."])
    strip = _strip(open_plan, id_, k)
    words = [f"{found[k].length:.1f} mm long, {strip.width:.1f} mm wide.", *strip.words]
    return jsonify(number=k, kind=found[k].kind, words=words)


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/facet/<int:k>.svg")
def facet_flat(sculpt_id: int, number: int, k: int) -> Response:
    """A facet unrolled flat as a gradient to copy, ten times as large as life."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    return Response(facet_svg(_strip(open_plan, open_plan.id(number), k)), mimetype="image/svg+xml")


def _strip(open_plan: OpenPlan, id_: int, k: int) -> Trainer:
    metal, local = (
        FEATURE.metal(open_plan.context, id_),
        open_plan.context.locals[open_plan.site.marking.number_of(id_)],
    )
    found = facets_of(open_plan.site, metal.shine)
    if not 0 <= k < len(found):
        abort(404)
    paints = [p for p in open_plan.context.rack if p.kind in BRUSHED]
    return unrolled(open_plan.site, found[k], FEATURE.values(open_plan.context, id_), metal, paints, local)
