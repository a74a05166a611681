"""What a press on the undercoat stage changes in the plan."""

from dataclasses import replace
from typing import Any

from flask import Response, url_for
from sqlalchemy.orm import Session

from ....core.coat.coat import Coat
from ....core.errors import SettingError
from ....core.paint.mix import only
from ....core.plan.features.undercoat.feature import FEATURE, UndercoatWishes
from ....core.plan.features.undercoat.schools import FIT, SUITED, schools
from ....core.plan.features.undercoat.schools.school import more_dark
from ....store.store import new_job
from ...background import done_once
from ...body import Body, json_body
from ...coat_editing import ACTIONS, ONE_COAT, added_by_hand, changed_coats, mix_called
from ...editing import Edit, OpenPlan, change, elsewhere, with_kept_coats
from ...stage_registry import mark_done
from ...workshop import the_sculpt, workshop
from .common import blueprint, undercoats
from .page import shown
from .touching_up import touched


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat")
def change_coats(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: school (name; "suited" leaves it to the colours), primer (name), colour (name: of a coloured ladder), mute,
    remove, up, down (number, from 1), set (number and settings of its technique), paint (number, name), add
    (technique, paint), dark (bring it back), touch (place, or all), fit. `turn` says which revision it was made
    on."""
    given = json_body()
    if given.get("do") == "fit":
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if given.get("turn") != sculpt.plan_id:
                return elsewhere(sculpt.plan_id)
            job_id = new_job(session, sculpt, "fit").id
            mark_done(sculpt, "undercoat")
        workshop().queue.add(job_id)
        done: Any = sculpt.plan_id
    else:
        done = change(sculpt_id, _changed)
    if not isinstance(done, int):
        return done
    return done_once(shown(sculpt_id), url_for(".shown", sculpt_id=sculpt_id))


def _changed(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    context, coats, wishes = open_plan.context, undercoats(open_plan), open_plan.context.wishes(FEATURE.name)
    action = ACTIONS.get(what, "undercoat changed")

    def as_school(name: str, wishes: UndercoatWishes) -> tuple[list[Coat], UndercoatWishes]:
        found = FEATURE.fitted(context, name, wishes)
        return list(found.coats), replace(wishes.of(name, found.match.span), in_colour=name == "coloured")

    if what == "school" and given.get("name") == SUITED:
        coats, wishes = as_school(FEATURE.usual(context), wishes)
        wishes, action = replace(wishes, school=SUITED, taken=FEATURE.usual(context)), "undercoat left to the colours"
    elif what == "school":
        chosen = str(given["name"])
        if chosen not in schools():
            raise SettingError("this school is not known; reload the page")
        coats, wishes = as_school(chosen, wishes)
        action = f"school chosen: {schools()[chosen].title}"
    elif what == "primer":
        wishes = replace(wishes, primer=str(given["name"]))
        primer = FEATURE.pots(context, wishes).primer
        wishes, action = replace(wishes, primer=primer.name), f"primer chosen: {primer.name}"
        if wishes.school == FIT:
            coats = [replace(c, mix=only(primer)) if c.by.primes else c for c in coats]
        else:
            coats, wishes = as_school(FEATURE.school(context), wishes)
    elif what == "colour":
        wishes = replace(wishes, through=str(given["name"]))
        through = FEATURE.pots(context, wishes).through
        coats, wishes = as_school("coloured", replace(wishes, through=through))
        action = f"colour of the ladder chosen: {through}"
    elif what == "dark":
        coats, action = more_dark(coats, FEATURE.kit(context)), "dark brought back"
    elif what == "touch":
        coats, action = touched(open_plan, given), "touch-ups taken"
    elif what == "add":
        mix = mix_called(session, given["paint"])
        coats, action = (
            [*coats, added_by_hand(open_plan, str(given["technique"]), mix, "added by hand", FEATURE.name)],
            "coat added",
        )
    elif what in ONE_COAT:
        coats = changed_coats(session, open_plan, coats, what, given)
    else:
        raise SettingError("this change of the undercoat is not known; reload the page")
    plan = open_plan.kept.plan.with_wishes(FEATURE.name, wishes)
    return Edit(with_kept_coats(plan, [*coats, *context.after(FEATURE.name)]), action, done=("undercoat",))
