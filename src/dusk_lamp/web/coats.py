"""What every stage that lays coats begins with: the sculpt laid out, its sketch, and the coats of its plan."""

from dataclasses import dataclass

from flask import Response, abort, jsonify
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..store import painters, schemes, sketches, undercoats
from ..store.laid import Laid
from ..store.models import Sculpt
from .stages import NAMES
from .workshop import laid_out, the_sculpt, workshop


@dataclass(frozen=True)
class Plan:
    """coats: all of the plan, in order. choice: how they came about. seen: the state of them that was read."""

    sculpt: Sculpt
    laid: Laid
    made: sketches.Sketched
    coats: list[Coat]
    choice: schemes.Choice
    seen: int

    def of(self, *stages: str) -> list[Coat]:
        """The coats of some stages."""
        return [c for c in self.coats if c.stage in stages]

    def around(self, stage: str) -> tuple[list[Coat], list[Coat], list[Coat]]:
        """The coats of the stages before one, of that stage, and of those after it."""
        at = NAMES.index(stage)
        place = [NAMES.index(c.stage) if c.stage in NAMES else 0 for c in self.coats]
        sides = (
            [c for c, k in zip(self.coats, place, strict=True) if (k > at) - (k < at) == side] for side in (-1, 0, 1)
        )
        before, own, later = sides
        return before, own, later


def plan_of(session: Session, sculpt_id: int) -> Plan:
    """The plan of a sculpt; a conflict as long as its sky is not known."""
    sculpt = the_sculpt(session, sculpt_id)
    laid, cache = laid_out(sculpt), workshop().store.cache
    if laid.site.outlook is None:
        abort(409)
    tins, tools = undercoats.tins_of(session, sculpt), painters.tools_of(session)
    coats, choice = undercoats.coats_of(session, sculpt, laid, cache, tins, tools)
    made = sketches.sketch_of(session, sculpt, laid, cache)
    return Plan(sculpt, laid, made, coats, choice, schemes.state_of(sculpt))


def elsewhere() -> tuple[Response, int]:
    """Another tab was quicker."""
    return jsonify(error="The coats were changed in another tab; they are shown as they are now. Change again."), 409
