"""How the finished model is looked at: the display view, the focal spots, and what is seen from there."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify
from sqlalchemy.orm import Session

from ...core.errors import SettingError
from ...core.sculpt.display import MOST_SPOTS, seen_shares
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..body import Body
from ..editing import Edit, OpenPlan, change, clicked, opened
from ..workshop import workshop
from .regions.common import PATCHES

blueprint = Blueprint("view", __name__)


def panel(session: Session, sculpt: Sculpt, laid: OpenSculpt) -> dict[str, Any]:
    """What the panel shows."""
    return {"most_spots": MOST_SPOTS}


@blueprint.get("/sculpts/<int:sculpt_id>/display.json")
def shown(sculpt_id: int) -> Response:
    """The display view, the focal spots on the bench in mm, and the share of each region that is seen."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    laid, marking, display, surface = (
        open_plan.open,
        open_plan.site.marking,
        open_plan.plan.display,
        open_plan.site.surface,
    )
    shares = seen_shares(surface, marking, laid.seen_from(display.azimuth, display.elevation), laid.site.paintable)
    areas = marking.areas(surface, laid.site.paintable)
    rows: list[dict[str, Any]] = [
        {
            "name": f"{k}. {r.name}",
            "region": r.name,
            "attention": r.attention,
            "share": round(float(shares[k]), 4),
            "patch": PATCHES[(k - 1) % len(PATCHES)],
        }
        for k, r in enumerate(marking.regions, 1)
    ]
    if areas[0] > 0:
        name = "The rest" if rows else "The whole model"
        rows.append(
            {"name": name, "region": name, "attention": "", "share": round(float(shares[0]), 4), "patch": "#8a8a8a"}
        )
    spots = laid.placing.to_bench(np.array(display.spots).reshape(-1, 3)).round(3).tolist()
    labels = []
    for place in spots:
        nearest = int(np.argmin(np.linalg.norm(surface.points - np.array(place, np.float32), axis=1)))
        k = int(marking.labels[nearest])
        labels.append(marking.regions[k - 1].name if k else "")
    return jsonify(
        azimuth=display.azimuth,
        elevation=display.elevation,
        spots=spots,
        on=labels,
        seen=rows,
        seen_words=_in_short(rows),
        turn=open_plan.turn,
    )


def _in_short(rows: list[dict[str, Any]]) -> str:
    """How much of the whole is seen, or what is seen least."""
    if len(rows) < 2:
        return f"{100 * rows[0]['share']:.0f} % of it" if rows else ""
    least = min(rows, key=lambda row: row["share"])
    return f"least: {least['region']}, {100 * least['share']:.0f} %"


@blueprint.post("/sculpts/<int:sculpt_id>/display")
def change_view(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: look (azimuth, elevation), spot (origin, direction), away (number of a spot, from 0)."""
    done = change(sculpt_id, _changed, sky=False)
    return shown(sculpt_id) if isinstance(done, int) else done


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    old, action = open_plan.plan.display, "display view chosen"
    if what == "look":
        new = replace(old, azimuth=given.decimal("azimuth"), elevation=given.decimal("elevation"))
    elif what == "spot":
        new, action = replace(old, spots=(*old.spots, clicked(open_plan.open, given)[1])), "focal spot set"
    elif what == "away":
        k = given.whole("number")
        new, action = replace(old, spots=tuple(s for i, s in enumerate(old.spots) if i != k)), "focal spot removed"
    else:
        raise SettingError("this change of the view is not known; reload the page")
    return Edit(replace(open_plan.kept.plan, display=new), action, done=("view",))
