"""Finding the passes of the undercoat for a sculpt's present light."""

from dataclasses import replace

from ..core.errors import Stopped
from ..core.plan.outcome import look_of
from ..core.plan.stages import stages
from ..core.plan.stages.undercoat import STAGE
from ..core.units import per_cent
from ..store import plans
from .work import Work

WORSE = 0.01  # of the area within half a value: less than that nobody sees


def run(work: Work) -> None:
    """Find the passes, and keep them over the primer; what was laid before can be had again.

    Raises:
        Stopped: by the painter, or because the plan was changed in the meantime: then that stays.
    """
    context, kept = work.context()
    coats, span = STAGE.fit(context, work.say, work.stopped)
    before = [c for c in context.coats(STAGE.name) if not c.muted]
    if (
        before and not context.wishes(STAGE.name).in_colour
    ):  # the better one stays; a ladder of one colour is another thing
        fitted = context.on(context.plan.with_wishes(STAGE.name, context.wishes(STAGE.name).of("fit", span)))
        aims = ((before, STAGE.values(context)), (coats, STAGE.values(fitted)))
        was, now = (look_of(context.site, context.simulation.reflectance(own), aim).within for own, aim in aims)
        if now < was - WORSE:
            raise Stopped(
                f"the passes that were found bring {per_cent(now)} within half a value of the light with "
                f"{len(coats)} coats; yours bring {per_cent(was)} with {len(before)}, and were kept"
            )
    wishes = context.wishes(STAGE.name).of("fit", span)
    with work.store.saving() as session:
        try:
            own = STAGE.put(context, STAGE.items(context)[0], coats)
            plan = replace(context.plan.with_wishes(STAGE.name, wishes), coats=tuple(own), settled=tuple(stages()))
            plans.keep(session, work.sculpt(session), replace(kept, plan=plan), "passes found")
        except plans.ChangedElsewhereError:
            raise Stopped("the plan was changed while the passes were being found; it was left as it is") from None
