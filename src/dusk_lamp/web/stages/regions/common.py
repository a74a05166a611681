"""What the pages of the regions share."""

from flask import Blueprint, Response

from ....core.plain import plain
from ....store import plans
from ...editing import opened
from ...responses import packed
from ...workshop import workshop

blueprint = Blueprint("regions", __name__)
# Colours that stay apart for every kind of colour vision: Okabe and Ito (2008), then Tol's muted scheme (2021).
# Each is shown with its number beside it.
PATCHES = (
    "#56b4e9",
    "#e69f00",
    "#009e73",
    "#cc79a7",
    "#f0e442",
    "#d55e00",
    "#0072b2",
    "#88ccee",
    "#999933",
    "#aa4499",
    "#ddcc77",
    "#44aa99",
    "#882255",
    "#117733",
    "#cc6677",
    "#332288",
)


def regions_answer(sculpt_id: int) -> Response:
    """The regions as they hold now: a JSON heading, then a label per sample."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
        undo, redo = plans.can_step(session, open_plan.sculpt)
    marking, site = open_plan.site.marking, open_plan.site
    areas = marking.areas(site.surface, site.paintable)
    heading = {
        "turn": open_plan.turn,
        "surface": open_plan.sculpt.surface_key,
        "undo": undo,
        "redo": redo,
        "rest": round(float(areas[0]), 1),
        "whole": round(float(areas.sum()), 1),
        "patches": PATCHES,
        "room_for": marking.room_for(areas),
        "regions": [
            {**facts, "number": k, "area": round(float(areas[k]), 1), "patch": PATCHES[(k - 1) % len(PATCHES)]}
            for k, facts in enumerate(plain(marking.regions), 1)
        ],
    }
    return packed(heading, marking.labels)
