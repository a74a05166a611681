"""Planning a sculpt for a painter who has chosen colours: the undercoat fitted, the two-hour plan laid over it."""

from dataclasses import replace

from ..core.errors import Stopped
from ..core.plan.economy.budget import GAME, Budget
from ..core.plan.features.colour.feature import ColourWishes
from ..core.plan.features.undercoat.feature import FEATURE
from ..core.plan.registry import features
from ..core.plan.run import laid
from ..store import plans
from .work import JobInHand

FITTED = 0.55  # of the whole that finding the passes takes


def run(work: JobInHand) -> None:
    """Fit the undercoat and lay every stage that has wishes, as one revision that can be undone.

    Raises:
        Stopped: by the painter, or because the plan was changed in the meantime: then that stays.
    """
    context, kept = work.context()
    plan = replace(context.plan, coats=(), settled=()).with_wishes("colour", ColourWishes("", Budget.usual(GAME)))
    context = context.on(plan)
    if context.tools.sprays:
        coats, span = FEATURE.fit(context, lambda step, share: work.say(step, FITTED * share), work.stopped)
        context = context.on(plan.with_wishes(FEATURE.name, context.wishes(FEATURE.name).of("fit", span)))
        context = context.with_coats(FEATURE.put(context, FEATURE.items(context)[0], coats))
    context, _ = laid(context, lambda step, share: work.say(step, FITTED + (1 - FITTED) * share))
    with work.store.saving() as session:
        try:
            new = replace(kept, plan=replace(context.plan, settled=tuple(features())))
            plans.keep(session, work.sculpt(session), new, "planned for you")
        except plans.ChangedElsewhereError:
            raise Stopped("the plan was changed while yours was being made; it was left as it is") from None
