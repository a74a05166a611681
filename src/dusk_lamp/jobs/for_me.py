"""Planning a sculpt for a painter who has chosen colours: the undercoat and the two-hour plan over it,
chosen together."""

from dataclasses import replace

from ..core.errors import Stopped
from ..core.plan.economy.budget import GAME, Budget
from ..core.plan.features.colour.feature import ColourWishes
from ..core.plan.features.undercoat.wishes import UndercoatWishes
from ..core.plan.registry import features
from ..core.plan.run import laid
from ..store import plans
from .work import JobInHand


def run(work: JobInHand) -> None:
    """Lay every stage that has wishes, the undercoat with the colours, as one revision that can be undone.

    Raises:
        Stopped: by the painter, or because the plan was changed in the meantime: then that stays.
    """
    context, kept = work.context()
    plan = replace(context.plan, coats=(), settled=()).with_wishes("colour", ColourWishes("", Budget.usual(GAME)))
    context, _ = laid(context.on(plan.with_wishes("undercoat", UndercoatWishes())), work.say)
    with work.store.saving() as session:
        try:
            new = replace(kept, plan=replace(context.plan, settled=tuple(features())))
            plans.keep(session, work.sculpt(session), new, "planned for you")
        except plans.ChangedElsewhereError:
            raise Stopped("the plan was changed while yours was being made; it was left as it is") from None
