"""The same undercoat on other sculpts."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Response, jsonify

from ....core.plain import plain
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.outcome import looks_after
from ....core.squad.paint import paint_for
from ....core.units import counted
from ...body import json_body
from ...editing import Edit, keep_edit, opened
from ...workshop import workshop
from .common import blueprint, undercoats

MOST_SQUAD = 12


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat/squad")
def squad(sculpt_id: int) -> Response:
    """The same coats on other sculpts: how near each comes, and the paint for all of them."""
    given = json_body()
    rows: list[dict[str, Any]] = []
    every = []
    with workshop().store.session() as session:
        first = opened(session, sculpt_id)
        others = given.wholes("sculpts", MOST_SQUAD, usual=())
        members = [sculpt_id, *[n for n in others if n != sculpt_id]]
        opened_ = [first, *(opened(session, n, undercoat=False) for n in members[1:])]
    span = FEATURE.span(first.context)
    coats = [c for c in undercoats(first) if c.where.kind != "mask"]  # a touch-up is one model's own
    for member_plan in opened_:
        wanted = span.of(member_plan.context.share).astype(np.float32)
        look = looks_after(member_plan.context.simulation, coats, wanted)[-1]
        every.append(member_plan.steps(coats))
        rows.append({"name": member_plan.sculpt.name, "within": round(look.within, 4), "mean": round(look.mean, 2)})
    edit = Edit(replace(first.kept.plan, models=len(members)), "number of models set")
    keep_edit(sculpt_id, first, edit)
    needed = paint_for(every, first.context.tools.drops_per_ml)
    words = ", ".join(f"{p.paint} {p.ml:.1f} ml ({counted(p.drops, 'drop', 'drops')})" for p in needed)
    return jsonify(sculpts=rows, paint=plain(needed), words=f"Paint for all: {words}.")
