"""The undercoat of a sculpt: which paints of the rack it is made of, and what weighs for a primer."""

from functools import lru_cache

from sqlalchemy.orm import Session

from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..core.paint.hiding import PrimerVerdict, Wish, choose_primer
from ..core.paint.mix import Mix
from ..core.paint.rack import Paint, Rack
from ..core.plain import built
from ..core.plan.tins import Tins, tins_from
from . import markings, paints
from .cache import Cache
from .laid import Laid
from .models import Sculpt
from .schemes import Choice, choice_of


def tins_of(session: Session, sculpt: Sculpt, choice: Choice | None = None) -> Tins:
    """The paints of an undercoat from the rack; the number of greys is the sculpt's, primer and colour as they were chosen.

    Args:
        choice: what to take instead of what is kept. What is not on the rack any more is chosen anew.
    """
    rack = paints.rack_of(session)
    names = {p.name for p in rack}
    choice = choice or choice_of(session, sculpt)
    primer, through = (name if name in names else None for name in (choice.primer, choice.through))
    return _tins(tuple(rack), int(sculpt.greys["steps"]), primer, through)


@lru_cache(16)
def _tins(bottles: tuple[Paint, ...], steps: int, primer: str | None, through: str | None) -> Tins:
    """Kept, because it is asked for with every look at a coat and two ladders take longer than the look."""
    return tins_from(Rack(bottles), steps, primer, through)


def greys_of(session: Session, sculpt: Sculpt, tins: Tins) -> list[Mix]:
    """What a fit may spray: greys, or the steps of one colour where that school was taken."""
    return tins.colour if choice_of(session, sculpt).in_colour else tins.greys


def lamp_of(sculpt: Sculpt) -> Lamp:
    """The lamp the undercoat is sprayed for; straight above where it is off."""
    return built(Rig, sculpt.rig, "the light").lamp or Lamp(0, 90)


def weighed_primers(
    session: Session, sculpt: Sculpt, laid: Laid, cache: Cache
) -> tuple[list[PrimerVerdict], list[str]]:
    """The primers on the rack, weighed by the colours of a sculpt's regions, and the regions that have no colour yet.

    Where no region has one there is nothing to weigh them by, and the list is empty.
    """
    marking = markings.marking_of(session, sculpt, laid.site.surface, cache)
    areas = marking.areas(laid.site.surface, laid.site.paintable)
    wishes, missing = [], []
    for k, region in enumerate(marking.regions, 1):
        mix = paints.colour_called(session, region.colour) if region.colour else None
        if mix is None:
            missing.append(region.name)
        else:
            wishes.append(Wish(region.name, float(areas[k]), mix))
    rack = paints.rack_of(session)
    primers = [p for p in rack if p.kind == "primer"]
    if not wishes or not primers:
        return [], missing
    return choose_primer(wishes, primers, [p for p in rack if p.kind in ("base", "layer")]), missing
