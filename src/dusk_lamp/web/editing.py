"""Editing a plan: what every page that shows or changes one does. Read it, check the revision the change was made on,
make the change, keep it as one revision.
"""

import json
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from typing import Any, ParamSpec, TypeVar

import numpy as np
from flask import Blueprint, Response, abort, jsonify
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..core.errors import SettingError
from ..core.plain import plain
from ..core.plan.context import Context
from ..core.plan.document import Plan
from ..core.plan.run import laid
from ..core.plan.steps.step import Step, steps_of
from ..core.results import Results, result
from ..core.sculpt.marking import Marking
from ..core.sculpt.parts import spot
from ..store import plans, progress
from ..store.models import Sculpt
from ..store.open_sculpts import OpenSculpt
from ..store.plans import KeptPlan
from .body import Body, json_body
from .stage_registry import mark_done, mark_open
from .workshop import laid_out, the_sculpt, workshop

blueprint = Blueprint("editing", __name__)
ELSEWHERE = "The plan was changed in another tab since you last looked; nothing of yours or of theirs is lost."


R = TypeVar("R")
P = ParamSpec("P")


@dataclass(frozen=True)
class OpenPlan:
    """A sculpt with its plan. context: the plan with an undercoat, also where none was kept yet. kept: as it is
    kept. begun: whether some of its undercoat is painted."""

    sculpt: Sculpt
    open: OpenSculpt
    context: Context
    kept: KeptPlan
    begun: bool = False

    @property
    def planning(self) -> Context:
        """The plan as colours are planned on it: its undercoat may become another, unless some of it is painted."""
        plan = self.context.plan
        if self.begun:
            return self.context
        return self.context.on(replace(plan, settled=tuple(s for s in plan.settled if s != "undercoat")))

    @property
    def plan(self) -> Plan:
        """The plan, with an undercoat."""
        return self.context.plan

    @property
    def turn(self) -> int:
        """The revision that was read; a change made on it holds only if it still does."""
        return self.kept.turn

    @property
    def site(self) -> Any:
        """The sculpt with its regions."""
        return self.context.site

    def number(self, given: Any) -> int:
        """The number of a region, from 1.

        Raises:
            SettingError: it is none, or not there any more.
        """
        if isinstance(given, bool) or not isinstance(given, int | str) or not str(given).isdecimal():
            raise SettingError("choose the region first")
        if not 1 <= int(given) <= len(self.site.marking.regions):
            raise SettingError("this region is not there any more; choose another")
        return int(given)

    def id(self, given: Any) -> int:
        """The id of the region of a number."""
        return self.site.marking.ids[self.number(given)]

    @property
    def results(self) -> Results:
        """What has been worked out on its sculpt."""
        return self.open.results

    @property
    def state(self) -> tuple[Hashable, ...]:
        """All that what a page shows of a revision of the plan depends on, with the painter's tools, rack and
        recipes."""
        plan = self.sculpt.id, self.turn, self.open.surface_key, self.site.looked
        tools, rack = json.dumps(plain(self.context.tools)), tuple(self.context.rack)
        colours = tuple(local.colour for local in self.context.locals)  # a recipe may be mixed another way by now
        return *plan, tools, rack, colours

    def steps(self, coats: Sequence[Coat], after: Sequence[Coat] = ()) -> list[Step]:
        """Coats as steps, on what lies under them."""
        every = [*after, *coats]
        films = self.context.simulation.films(every)
        made = steps_of(self.site, every, films, self.context.tools, self.plan.models)
        return made[len(after) :]


def shown_once(most: int = 3) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Declares what a page shows of a plan as a result: worked out once for each state of it. The function is given
    the plan, and what else it depends on."""
    return result(most, depends=lambda open_plan, *more: (open_plan.state, *more))


@dataclass(frozen=True)
class Edit:
    """A plan after a change. action: what was done, in words. labels: (N,) of the regions, where those changed. done:
    names of the stages that this is a change of; opened_again: of those that are to do again. instead: it takes the
    place of the revision it was made on, as the same gesture done again."""

    plan: Plan
    action: str
    labels: NDArray[np.uint8] | None = None
    done: tuple[str, ...] = ()
    opened_again: tuple[str, ...] = ()
    instead: bool = False


Make = Callable[[Session, OpenPlan, str, Body], Edit]


def opened(session: Session, sculpt_id: int, *, sky: bool = True, undercoat: bool = True) -> OpenPlan:
    """A sculpt with its plan as it is kept now. sky: a conflict as long as its sky is not known.

    Raises:
        SettingError: there is no undercoat yet, and the rack has nothing to lay one with.
    """
    sculpt = the_sculpt(session, sculpt_id)
    open_sculpt = laid_out(sculpt)
    if sky and open_sculpt.site.visibility is None:
        abort(409)
    context, kept = plans.context_of(session, sculpt, open_sculpt, workshop().store.cache)
    if undercoat and sky and "undercoat" not in context.plan.settled:
        context, _ = laid(context)
        found = context.wishes("undercoat")  # with the values its school aims at
        kept = replace(kept, plan=kept.plan.with_wishes("undercoat", found))
    begun = progress.is_begun(session, sculpt, context.coats("undercoat"))
    return OpenPlan(sculpt, open_sculpt, context, kept, begun)


def change(sculpt_id: int, make: Make, *, sky: bool = True) -> tuple[Response, int] | Response | int:
    """One change that came as JSON: `do` says what, `turn` the revision it was made on. The number of the new
    revision, or the answer to one that was made on another revision."""
    return changed(sculpt_id, json_body(), make, sky=sky)


def changed(sculpt_id: int, given: Body, make: Make, *, sky: bool = True) -> tuple[Response, int] | Response | int:
    """The same for a change that was read already."""
    turn = given.get("turn")
    if isinstance(turn, bool) or not isinstance(turn, int):
        raise SettingError("this change does not say what it was made on; reload the page")
    try:
        with workshop().store.session() as session:
            open_plan = opened(session, sculpt_id, sky=sky)
            if turn != open_plan.turn:
                return elsewhere(open_plan.turn)
            edit = make(session, open_plan, str(given.get("do", "")), given)
        return keep_edit(sculpt_id, open_plan, edit)
    except plans.ChangedElsewhereError:
        return elsewhere()


def keep_edit(sculpt_id: int, open_plan: OpenPlan, edit: Edit) -> int:
    """Keep a change as a revision; what takes long was done before.

    Raises:
        ChangedElsewhereError: another revision holds by now.
    """
    job_id = None
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if sculpt.surface_key is not None and sculpt.surface_key != open_plan.open.surface_key:
            raise plans.ChangedElsewhereError
        labels, turn = open_plan.kept.labels if edit.labels is None else edit.labels, open_plan.turn
        if edit.instead and plans.step(session, sculpt, -1, turn):
            turn = sculpt.plan_id
        new = KeptPlan(edit.plan, turn, labels, open_plan.kept.surface_key or open_plan.open.surface_key)
        turn = plans.keep(session, sculpt, new, edit.action)
        mark_done(sculpt, *edit.done)
        for name in edit.opened_again:
            mark_open(sculpt, name)
        job = plans.after_change(session, sculpt, open_plan.kept.plan)
        job_id = job.id if job else None
    if job_id is not None:
        workshop().queue.add(job_id)
    return turn


def elsewhere(turn: int | None = None) -> tuple[Response, int]:
    """Another tab was quicker."""
    return jsonify(error=ELSEWHERE, stale=True, turn=turn), 409


def answer(sculpt_id: int, done: tuple[Response, int] | Response | int) -> tuple[Response, int] | Response:
    """The answer to a change: the history as it is now, or the refusal."""
    return history(sculpt_id) if isinstance(done, int) else done


def with_kept_coats(plan: Plan, coats: Sequence[Coat]) -> Plan:
    """A plan with other coats; once any were changed by hand, those of the undercoat are kept too."""
    return replace(plan, coats=tuple(coats), settled=tuple(dict.fromkeys((*plan.settled, "undercoat"))))


# --- the history, over all stages at once
def _history(session: Session, sculpt: Sculpt) -> dict[str, Any]:
    undo, redo = plans.can_step(session, sculpt)
    return {"turn": sculpt.plan_id, "undo": undo, "redo": redo, "surface": sculpt.surface_key}


@blueprint.get("/sculpts/<int:sculpt_id>/history")
def history(sculpt_id: int) -> Response:
    """The revision that holds, and what undo and redo would do, in words."""
    with workshop().store.session() as session:
        return jsonify(_history(session, the_sculpt(session, sculpt_id)))


@blueprint.post("/sculpts/<int:sculpt_id>/history")
def step(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: undo or redo, over everything in the plan. `turn` says which revision the page shows."""
    given, job_id = json_body(), None
    what, turn = str(given.get("do")), given.get("turn")
    if what not in ("undo", "redo") or isinstance(turn, bool) or not isinstance(turn, int):
        raise SettingError("undo and redo are what can be done here; reload the page")
    try:
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if sculpt.plan_id != turn:
                return elsewhere(sculpt.plan_id)
            before, words = plans.plan_of(session, sculpt), plans.can_step(session, sculpt)[what == "redo"]
            plans.step(session, sculpt, -1 if what == "undo" else 1, turn)
            job = plans.after_change(session, sculpt, before)
            job_id = job.id if job else None
            said = {
                **_history(session, sculpt),
                "did": words and f"{'Undone' if what == 'undo' else 'Done again'}: {words}.",
            }
    except plans.ChangedElsewhereError:
        return elsewhere()
    if job_id is not None:
        workshop().queue.add(job_id)
    return jsonify(said)


# --- gestures
def sight(line: Body) -> tuple[np.ndarray, np.ndarray]:
    """A line of sight: origin and direction (3,) mm.

    Raises:
        SettingError: they are no places.
    """
    origin, direction = (np.array(line.numbers(k, 3), np.float32) for k in ("origin", "direction"))
    if not np.isfinite([*origin, *direction]).all() or not direction.any():
        raise SettingError("the spot that arrived is no place; click again")
    return origin, direction


def clicked(
    open_sculpt: OpenSculpt, given: Body
) -> tuple[NDArray[np.float64], tuple[float, float, float], tuple[float, float, float]]:
    """The place that a line of sight meets, mm on the bench; the same in the file's axes; and its normal there.

    Raises:
        SettingError: there is nothing there.
    """
    surface = open_sculpt.site.surface
    met = spot(surface, *sight(given))
    if met is None:
        raise SettingError("there is nothing there; click on the sculpt itself")
    face, place = met
    normal = surface.normals[surface.faces[face]].mean(axis=0) @ open_sculpt.placing.turn
    x, y, z = open_sculpt.placing.to_file(place[None])[0].tolist()
    a, b, c = (float(v) for v in normal)
    return place, (x, y, z), (a, b, c)


def with_marking(
    open_plan: OpenPlan, marking: Marking, action: str, done: Sequence[str] = (), again: Sequence[str] = ()
) -> Edit:
    """A plan for another marking: coats of regions that go stay on their spots."""
    gone = {r.id for r in open_plan.kept.plan.regions} - {r.id for r in marking.regions}
    plan = open_plan.kept.plan.bound_to_spots(open_plan.site.marking, sorted(gone)).marked(marking)
    return Edit(plan, action, marking.labels, tuple(done), tuple(again))
