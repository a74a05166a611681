"""Finding the passes of the undercoat for a sculpt's present light."""

from dataclasses import replace

from ..core.errors import Stopped
from ..core.plan.features.undercoat.feature import FEATURE
from ..core.plan.outcome import look_of
from ..core.plan.registry import features
from ..core.units import per_cent
from ..store import plans
from .work import JobInHand

WORSE = 0.01  # of the area within half a value: less than that nobody sees


def run(work: JobInHand) -> None:
    """Find the passes, and keep them over the primer; what was laid before can be had again.

    Raises:
        Stopped: by the painter, or because the plan was changed in the meantime: then that stays.
    """
    context, kept = work.context()
    coats, span = FEATURE.fit(context, work.say, work.stopped)
    before = [c for c in context.coats(FEATURE.name) if not c.muted]
    if (
        before and not context.wishes(FEATURE.name).in_colour
    ):  # the better one stays; a ladder of one colour is another thing
        fitted = context.on(context.plan.with_wishes(FEATURE.name, context.wishes(FEATURE.name).of("fit", span)))
        aims = ((before, FEATURE.values(context)), (coats, FEATURE.values(fitted)))
        was, now = (
            look_of(context.site, context.simulation.reflectance(coats_here), aim).within for coats_here, aim in aims
        )
        if now < was - WORSE:
            raise Stopped(
                f"the passes that were found bring {per_cent(now)} within half a value of the light with "
                f"{len(coats)} coats; yours bring {per_cent(was)} with {len(before)}, and were kept"
            )
    wishes = context.wishes(FEATURE.name).of("fit", span)
    with work.store.saving() as session:
        try:
            coats_here = FEATURE.put(context, FEATURE.items(context)[0], coats)
            plan = replace(
                context.plan.with_wishes(FEATURE.name, wishes), coats=tuple(coats_here), settled=tuple(features())
            )
            plans.keep(session, work.sculpt(session), replace(kept, plan=plan), "passes found")
        except plans.ChangedElsewhereError:
            raise Stopped("the plan was changed while the passes were being found; it was left as it is") from None
