"""Finding the passes of the undercoat for a sculpt's present light."""

from dataclasses import replace

from ..core.errors import Stopped
from ..core.plan.stages import stages
from ..core.plan.stages.undercoat import STAGE
from ..store import plans
from ..store.open_sculpts import OpenSculpts
from .work import Work


def run(work: Work) -> None:
    """Find the passes, and keep them over the primer; what was laid before can be had again.

    Raises:
        Stopped: by the painter, or because the plan was changed in the meantime: then that stays.
    """
    work.say("Looking at the light", 0.01)
    store = work.store
    with store.session() as session:
        sculpt = work.sculpt(session)
        context, kept = plans.context_of(session, sculpt, OpenSculpts(store).of(sculpt), store.cache)
    coats, span = STAGE.fit(context, work.say, work.stopped)
    wishes = context.wishes(STAGE.name).of("fit", span)
    with store.saving() as session:
        try:
            own = STAGE.put(context, STAGE.items(context)[0], coats)
            plan = replace(context.plan.with_wishes(STAGE.name, wishes), coats=tuple(own), settled=tuple(stages()))
            plans.keep(session, work.sculpt(session), replace(kept, plan=plan), "passes found")
        except plans.ChangedElsewhereError:
            raise Stopped("the plan was changed while the passes were being found; it was left as it is") from None
