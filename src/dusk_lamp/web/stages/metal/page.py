"""Metal and edges as a page shows them."""

from typing import Any

import numpy as np
from flask import Response, jsonify
from sqlalchemy.orm import Session

from ....core.light.reflect import WORLDS, WorldControls, controls_of
from ....core.plain import described, plain
from ....core.plan.features.edges.feature import FEATURE as EDGES
from ....core.plan.features.edges.lines import crests_of, lining_mm
from ....core.plan.features.edges.wishes import RegionEdges
from ....core.plan.features.feature import Item
from ....core.plan.features.metal.feature import FEATURE
from ....core.plan.features.metal.painted import FURTHEST, STEP, jumps
from ....core.plan.features.metal.schools import metal_schools
from ....core.plan.features.metal.schools.school import Shine
from ....core.plan.features.metal.wishes import Metal
from ....core.plan.steps.order import region_of
from ....core.results import known
from ....core.units import counted, minutes_words
from ....store.models import Sculpt
from ....store.open_sculpts import OpenSculpt
from ...background import not_yet, waited_for
from ...editing import OpenPlan, opened, shown_once
from ...workshop import workshop
from .common import EDGE_SETTINGS, blueprint

KIND_WORDS = {"flat": "flat", "cylinder": "a cylinder", "ball": "a ball", "none": "no facet"}


def panel(session: Session, sculpt: Sculpt, open_sculpt: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; regions and coats come as metal.json."""
    return {
        "schools": metal_schools(),
        "worlds": [w for w in WORLDS if w != "uniform"],
        "kinds": KIND_WORDS,
        "looks": range(-FURTHEST, FURTHEST + 1, STEP),
        "shine": described(Shine),
        "mixes": described(Metal)["mixes"],
        "wash": described(Metal)["wash"],
        "edges": described(RegionEdges),
        "world": described(WorldControls),
    }


@blueprint.get("/sculpts/<int:sculpt_id>/metal.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with how their metal is painted; the coats; the edges."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)

    def work(say: Any) -> None:
        say("Looking for edges", 0.2)
        _ = open_plan.site.lines
        say("Working out what it mirrors", 0.5)
        _facts(open_plan)

    if working := waited_for(known(_facts, open_plan), ("metal", sculpt_id, open_plan.open.surface_key), work):
        return not_yet(working)
    return jsonify(turn=open_plan.turn, **_facts(open_plan))


@shown_once()
def _facts(open_plan: OpenPlan) -> dict[str, Any]:
    context, site = open_plan.context, open_plan.site
    edges = crests_of(site, FEATURE.lamp(context), context.view)
    lightness = EDGES.lightness(context)
    coats = context.coats(FEATURE.name, EDGES.name)
    rows = [_row(open_plan, k, edges, lightness) for k in range(1, len(site.marking.regions) + 1)]
    listed = [
        {
            "number": n,
            "label": s.purpose,
            "hex": s.hex,
            "words": f"{s.paint}; {minutes_words(s.hand_minutes)}",
            "region": region_of(site, c),
        }
        for n, (s, c) in enumerate(zip(open_plan.steps(coats, context.before(FEATURE.name)), coats, strict=True), 1)
    ]
    return {"regions": rows, "coats": listed, "total_mm": edges.total_mm, "lit_mm": edges.lit_mm}


def _row(open_plan: OpenPlan, k: int, edges: Any, lightness: np.ndarray) -> dict[str, Any]:
    context, region = open_plan.context, open_plan.site.marking.regions[k - 1]
    metal, wish = FEATURE.kept(context, region.id), context.wishes(EDGES.name).of(region.id)
    crests = [c for c in edges.crests if c.region == k and c.length_mm >= wish.least]
    lining = lining_mm(open_plan.site, k, lightness)
    layers = [c for c in context.coats(FEATURE.name) if c.region == region.id]
    marks = {way: EDGES.has(context, Item(way, region.id)) for way in ("edges", "lining")}
    notes = [
        region.material,
        *(["metal in the plan"] if layers else []),
        *(["edges in the plan"] if marks["edges"] else []),
    ]
    return {
        "number": k,
        "name": region.name,
        "material": region.material,
        "hex": context.locals[k].colour,
        **plain(metal),
        **{name: getattr(wish, name) for name in EDGE_SETTINGS},
        "mirrors": plain(controls_of(metal.mirrors)),
        "painted": bool(layers),
        "edged": marks["edges"],
        "lined": marks["lining"],
        "edges_now": " and ".join(way for way in marks if marks[way]) or "none in the plan",
        "set": context.wishes(FEATURE.name).of(region.id) is not None or wish != RegionEdges(),
        "words": ", ".join([*notes, *(["lined"] if marks["lining"] else [])]),
        "jumps": jumps(layers),
        "edge_words": (
            f"{counted(len(crests), 'crest', 'crests')}, {sum(c.length_mm for c in crests):.0f} mm, of which the "
            f"lamp sees {sum(c.lit_mm for c in crests):.0f} mm. A wide line and a fine bright one, thinner upward; "
            f"a dot where edges meet. On the whole model: {counted(len(edges.strokes), 'stroke', 'strokes')}, about "
            f"{minutes_words(edges.minutes)}."
        ),
        "lining_mm": round(lining, 1),
        "lining_words": (
            f"Creases toward its neighbours: {lining:.0f} mm. None between two whites."
            if lining
            else "No crease toward a neighbour to line, or only between two whites."
        ),
    }
