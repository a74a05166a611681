"""What a press or a stroke on the regions stage changes in the plan."""

from dataclasses import replace

import numpy as np
from flask import Response
from sqlalchemy.orm import Session

from ....core.errors import SettingError
from ....core.plain import one_line
from ....core.sculpt import brush
from ....core.sculpt import regions as growth
from ....core.sculpt.marking import Marking, suggestions
from ....core.sculpt.pieces import USUAL_PIECES
from ....core.target.local import local_of
from ....core.target.scheme import named_by_place, named_if_low
from ....store import plans
from ....store.open_sculpts import OpenSculpt
from ...background import in_background, not_yet
from ...body import Body, json_body
from ...editing import Edit, OpenPlan, changed, with_marking
from ...workshop import laid_out, the_sculpt, workshop
from .common import blueprint, regions_answer
from .pieces import cut_by, guessed, tree_of_pieces
from .strokes import picked, under_stroke

LOOKS = {
    "colour",
    "low",
    "middle",
    "high",
    "shadow",
    "light",
    "dark",
    "bright",
}  # of a region, that its sketch is made of
ACTIONS = {
    "pick": "region marked",
    "piece": "piece marked",
    "cut": "piece cut out",
    "brush": "region painted",
    "facing": "region marked",
    "describe": "region described",
    "rim": "region widened",
    "fill": "gaps filled",
    "even": "rim evened",
    "remove": "region removed",
    "guess": "regions guessed",
    "clear": "all regions removed",
}


@blueprint.post("/sculpts/<int:sculpt_id>/regions")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """One change to the regions. `turn` says which revision it was made on; a later one is refused with 409, and so
    is one made on a surface that is being laid out again.

    do: pick (origin, direction, tool: creases, part or alike; crease or near; again), piece (node), brush (rays,
    radius, through), facing (way), all of them with number or null for a new region, take, and free: only on unmarked
    areas; cut (rays, number or null for the region that they lie on); describe (number and name, material, attention,
    colour, low, middle, high, shadow, light, dark, bright, texture), rim (number, rounds), fill (number), even
    (number), remove (number), guess (pieces), clear. A spot is looked for among the parts that are in sight: hidden,
    pulled (0..1).
    """
    given = json_body()
    if given.get("do") == "guess":
        with workshop().store.session() as session:
            laid = laid_out(the_sculpt(session, sculpt_id))
        if working := in_background(("guess", sculpt_id, laid.surface_key), lambda say: tree_of_pieces(laid, say)):
            return not_yet(working)
    done = changed(sculpt_id, given, _edit, sky=False)
    return regions_answer(sculpt_id) if isinstance(done, int) else done


def _edit(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    laid, marking, again = open_plan.open, open_plan.site.marking, bool(given.get("again"))
    if again:  # the same spot with another crease: on what was there before it
        before = plans.kept_before(session, open_plan.sculpt, open_plan.turn)
        again = before is not None
        if before is not None:
            kept = plans.on_surface(before, laid, workshop().store.cache)
            marking = replace(kept.marking, last_id=marking.last_id)
    new = _changed(laid, marking, what, given)
    looks = what == "describe" and bool(given.keys() & LOOKS)
    action = f"{ACTIONS.get(what, 'regions changed')}{_named(new, given)}"
    edit = with_marking(open_plan, new, action, ("regions", *(["sketch"] if looks else [])))
    return replace(edit, instead=again)


def _named(marking: Marking, given: Body) -> str:
    number = given.get("number")
    if not isinstance(number, int) or isinstance(number, bool) or not 1 <= number <= len(marking.regions):
        return ""
    return f": {marking.regions[number - 1].name}"


def _changed(laid: OpenSculpt, marking: Marking, what: str | None, given: Body) -> Marking:
    surface = laid.site.surface
    if what in ("pick", "piece", "brush", "facing"):
        if what == "piece":
            tree, node = tree_of_pieces(laid), given.whole("node")
            if not 0 <= node < 2 * tree.leaves - 1:
                raise SettingError("this piece is not there any more; reload the page")
            mask = tree.of(node)[tree.facet_of_sample] & laid.site.paintable
            if given.get("take") and given.get("number") is None:
                given = Body({**given, "number": marking.most_of(mask, surface.areas)})
        elif what == "pick":
            mask = picked(laid, given)
        elif what == "brush":
            mask = np.zeros(len(surface), np.bool_)
            mask[under_stroke(laid, given)] = True
        else:
            mask = brush.by_facing(surface, str(given["way"])) & laid.site.paintable
        number = None if given.get("number") is None else given.whole("number")
        if given.get("free") and not given.get("take"):
            mask &= (marking.labels == 0) | (marking.labels == (number or 0))
        if not mask.any():
            raise SettingError("nothing there is free to take; untick “only on unmarked areas”")
        new = marking.painted(mask, number, take=bool(given.get("take")))
        return named_if_low(new, surface) if what == "piece" and number is None else new
    if what == "cut":
        number, mask = cut_by(laid, marking, given)
        return marking.painted(mask, number, take=True)
    if what == "guess":
        found = named_by_place(guessed(laid, given.whole("pieces", USUAL_PIECES)), surface, laid.site.paintable)
        return marking.filled_with(found, surface, laid.site.paintable) if marking.regions else found.renewed(marking)
    if what == "clear":
        return Marking(np.zeros(len(surface), np.uint8), (), marking.last_id)
    number = given.whole("number")
    region_mask = marking.labels == number
    if what == "describe":
        words = {
            k: one_line(given[k])
            for k in (
                "name",
                "material",
                "attention",
                "colour",
                "shadow",
                "light",
                "dark",
                "bright",
                "texture",
                "way",
            )
            if k in given
        }
        values = {k: None if given[k] is None else given.decimal(k) for k in ("low", "middle", "high") if k in given}
        changed = marking.described(number, **words, **values)
        if "name" in words and number <= len(marking.regions):
            changed = changed.described(number, **suggestions(marking.regions[number - 1], words))
        local_of(changed.regions[number - 1])  # refused here where its key makes no sense
        return changed
    if what == "rim":
        rounds = max(-5, min(5, given.whole("rounds")))
        mask = growth.widened(surface, region_mask, rounds)
        return marking.painted(mask, number) if rounds > 0 else marking.painted(~mask, number, take=True)
    if what == "fill":
        return marking.painted(brush.filled(laid.site.bends, region_mask, marking.labels == 0, surface.areas), number)
    if what == "even":
        mask = brush.evened(laid.site.bends, region_mask)
        return marking.painted(~mask, number, take=True).painted(mask & (marking.labels == 0), number)
    if what == "remove":
        return marking.without(number)
    raise SettingError("this change of the regions is not known; reload the page")
