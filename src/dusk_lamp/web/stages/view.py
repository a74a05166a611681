"""How the finished model is looked at: the display view, the focal spots, and what is seen from there."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify
from sqlalchemy.orm import Session

from ...core.errors import SettingError
from ...core.plain import built, plain
from ...core.sculpt.display import MOST_SPOTS, Display, seen_shares
from ...core.sculpt.marking import Marking
from ...core.sculpt.parts import spot
from ...store import markings
from ...store.laid import Laid
from ...store.models import Sculpt
from ..workshop import asked, laid_out, the_sculpt, workshop
from . import mark_done
from .regions import PATCHES, sight

blueprint = Blueprint("view", __name__)


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows."""
    return {"most_spots": MOST_SPOTS}


@blueprint.get("/sculpts/<int:sculpt_id>/display.json")
def shown(sculpt_id: int) -> Response:
    """The display view, the focal spots on the bench in mm, and the share of each region that is seen."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid = laid_out(sculpt)
        marking = markings.marking_of(session, sculpt, laid.site.surface, workshop().store.cache)
        return _answer(sculpt, laid, marking)


def _answer(sculpt: Sculpt, laid: Laid, marking: Marking) -> Response:
    display, surface = built(Display, sculpt.display, "the view"), laid.site.surface
    shares = seen_shares(surface, marking, laid.seen_from(display.azimuth, display.elevation), laid.site.paintable)
    areas = marking.areas(surface, laid.site.paintable)
    rows: list[dict[str, Any]] = [
        {
            "name": f"{k}. {r.name}",
            "attention": r.attention,
            "share": round(float(shares[k]), 4),
            "patch": PATCHES[(k - 1) % len(PATCHES)],
        }
        for k, r in enumerate(marking.regions, 1)
    ]
    if areas[0] > 0:
        name = "The rest" if rows else "The whole model"
        rows.append({"name": name, "attention": "", "share": round(float(shares[0]), 4), "patch": "#8a8a8a"})
    spots = laid.placing.to_bench(np.array(display.spots).reshape(-1, 3)).round(3).tolist()
    labels = []
    for place in spots:
        nearest = int(np.argmin(np.linalg.norm(surface.points - np.array(place, np.float32), axis=1)))
        k = int(marking.labels[nearest])
        labels.append(marking.regions[k - 1].name if k else "")
    return jsonify(azimuth=display.azimuth, elevation=display.elevation, spots=spots, on=labels, seen=rows)


@blueprint.post("/sculpts/<int:sculpt_id>/display")
def change(sculpt_id: int) -> Response:
    """do: look (azimuth, elevation), spot (origin, direction), away (number of a spot, from 0)."""
    given = asked()
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid = laid_out(sculpt)
        old = built(Display, sculpt.display, "the view")
        try:
            what = given.get("do")
            if what == "look":
                new = Display(float(given["azimuth"]), float(given["elevation"]), old.spots)
            elif what == "spot":
                met = spot(laid.site.surface, *sight(given))
                if met is None:
                    raise SettingError("there is nothing there; click on the sculpt itself")
                x, y, z = laid.placing.to_file(met[1][None])[0].tolist()
                new = Display(old.azimuth, old.elevation, (*old.spots, (x, y, z)))
            elif what == "away":
                k = int(given["number"])
                new = Display(old.azimuth, old.elevation, tuple(s for i, s in enumerate(old.spots) if i != k))
            else:
                raise SettingError("this bench does not know that change; reload the page")
        except (KeyError, TypeError, ValueError) as e:
            if isinstance(e, SettingError):
                raise
            raise SettingError("the change that arrived is incomplete; reload the page") from e
        sculpt.display = plain(new)
        mark_done(sculpt, "view")
        marking = markings.marking_of(session, sculpt, laid.site.surface, workshop().store.cache)
        return _answer(sculpt, laid, marking)
