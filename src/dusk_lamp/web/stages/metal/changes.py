"""What a press on the metal stage changes in the plan."""

from dataclasses import replace

from flask import Response
from sqlalchemy.orm import Session

from ....core.errors import SettingError
from ....core.plain import built, plain
from ....core.plan.features.edges.feature import FEATURE as EDGES
from ....core.plan.features.edges.wishes import RegionEdges
from ....core.plan.features.feature import Item
from ....core.plan.features.metal.feature import FEATURE
from ....core.sculpt.facets import FacetCut, FacetNote
from ....core.units import counted
from ...body import Body
from ...editing import Edit, OpenPlan, answer, change, clicked, with_kept_coats
from .common import EDGE_SETTINGS, blueprint, with_settings

PAINTS = {  # what is done, on which stage, by which name its coats are known, what a history calls it
    "paint": (FEATURE, "metal", "metal put in the plan"),
    "unpaint": (FEATURE, "metal", "metal taken off the plan"),
    "edges": (EDGES, "edges", "edges put in the plan"),
    "unedge": (EDGES, "edges", "edges taken off the plan"),
    "lining": (EDGES, "lining", "creases lined"),
    "unline": (EDGES, "lining", "lining taken off the plan"),
}
MOST_CORRECTIONS = 40


@blueprint.post("/sculpts/<int:sculpt_id>/metal")
def keep(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (region and settings), usual (region), facet (region, origin, direction, kind): what it is; cut
    (region, start, end: a line of sight each): a facet in two; paint, unpaint, edges, unedge, lining, unline
    (region)."""
    return answer(sculpt_id, change(sculpt_id, _changed))


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    id_, plan, context = open_plan.id(given.get("region")), open_plan.kept.plan, open_plan.context
    name = open_plan.site.marking.regions[open_plan.number(given["region"]) - 1].name
    metals, edges = context.wishes(FEATURE.name), context.wishes(EDGES.name)
    if what == "set":
        settings = dict(given.within("settings"))
        lines = {k: settings.pop(k) for k in EDGE_SETTINGS if k in settings}
        if lines:
            wish = built(RegionEdges, {**plain(edges.of(id_)), **lines}, "the edges")
            plan = plan.with_wishes(EDGES.name, edges.with_one(id_, wish))
        if settings:
            plan = plan.with_wishes(FEATURE.name, metals.with_one(id_, with_settings(open_plan, id_, settings)))
        return Edit(plan, f"metal set: {name}", done=("metal",))
    if what == "facet":
        kept, (_, place, _) = FEATURE.kept(context, id_), clicked(open_plan.open, given)
        note = built(FacetNote, {"place": place, "kind": str(given["kind"])}, "the facet")
        notes = (*kept.shine.corrections, note)[-MOST_CORRECTIONS:]
        metal = replace(kept, shine=replace(kept.shine, corrections=notes))
        return Edit(
            plan.with_wishes(FEATURE.name, metals.with_one(id_, metal)), f"facet corrected: {name}", done=("metal",)
        )
    if what == "cut":
        kept = FEATURE.kept(context, id_)
        start, end = (clicked(open_plan.open, given.within(k))[1] for k in ("start", "end"))
        cut = built(FacetCut, {"place": start, "end": end}, "the stroke")
        metal = replace(kept, shine=replace(kept.shine, cuts=(*kept.shine.cuts, cut)[-MOST_CORRECTIONS:]))
        return Edit(
            plan.with_wishes(FEATURE.name, metals.with_one(id_, metal)), f"facet cut: {name}", done=("metal",)
        )
    if what == "usual":
        plan = plan.with_wishes(FEATURE.name, metals.with_one(id_, None))
        return Edit(plan.with_wishes(EDGES.name, edges.with_one(id_, None)), f"metal back to usual: {name}")
    if what not in PAINTS:
        raise SettingError("this change of the metal is not known; reload the page")
    stage, way, action = PAINTS[what]
    item, wanted = Item(way, id_), not what.startswith("un")
    if way == "metal" and wanted:  # what is painted is wished for, also where nothing was changed of it
        plan = plan.with_wishes(FEATURE.name, metals.with_one(id_, FEATURE.kept(context, id_)))
    elif way != "metal":
        mark = {"edges": "highlight", "lining": "lining"}[way]
        plan = plan.with_wishes(EDGES.name, edges.with_one(id_, replace(edges.of(id_), **{mark: wanted})))
    context = context.on(replace(plan, coats=open_plan.plan.coats))
    if way == "metal" and wanted:  # the metal covers what its region was painted in before: that is taken out
        covered = [c for c in context.coats("colour") if c.region == id_]
        if covered:
            context = context.with_coats([c for c in context.plan.coats if c not in covered])
            action += f", its {counted(len(covered), 'coat', 'coats')} of colour taken out"
    coats = stage.painted(context, item) if wanted else stage.put(context, item, [])
    return Edit(with_kept_coats(plan, coats), f"{action}: {name}", done=("metal",))
