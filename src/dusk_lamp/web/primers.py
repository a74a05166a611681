"""Primers weighed by the colours of a sculpt's regions."""

from sqlalchemy.orm import Session

from ..core.paint.hiding import PrimerVerdict, WishedColour, choose_primer
from ..store import paints
from .editing import OpenPlan


def weighed_primers(session: Session, open_plan: OpenPlan) -> tuple[list[PrimerVerdict], list[str]]:
    """The primers on the rack, the one that costs the fewest coats first, and the names of regions that have no
    colour yet. Where no region has one there is nothing to weigh them by, and the list is empty."""
    areas = open_plan.site.marking.areas(open_plan.site.surface, open_plan.site.paintable)
    wishes, missing = [], []
    for k, region in enumerate(open_plan.site.marking.regions, 1):
        mix = paints.colour_called(session, region.colour) if region.colour else None
        if mix is None:
            missing.append(region.name)
        else:
            wishes.append(WishedColour(region.name, float(areas[k]), mix))
    primers = [p for p in open_plan.context.rack if p.kind == "primer"]
    if not wishes or not primers:
        return [], missing
    return choose_primer(wishes, primers, [p for p in open_plan.context.rack if p.kind in ("base", "layer")]), missing
