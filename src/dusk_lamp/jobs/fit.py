"""Finding the passes of the undercoat for a sculpt's present light."""

from ..core.errors import Stopped
from ..core.paint.mix import only
from ..core.plan.schools import primed
from ..core.plan.spray_fit import fit
from ..store import painted, painters, schemes, undercoats
from ..store.laid import Shelf
from .work import Work


def run(work: Work) -> None:
    """Find the passes, and keep them over the primer; what was laid before can be had again.

    Raises:
        Stopped: by the painter, or because the coats were changed in the meantime: then those stay.
    """
    work.say("Looking at the light", 0.01)
    store = work.store
    with store.session() as session:
        sculpt = work.sculpt(session)
        laid, seen = Shelf(store).of(sculpt), schemes.state_of(sculpt)
        tins, choice = undercoats.tins_of(session, sculpt), schemes.choice_of(session, sculpt)
        lamp, wanted = undercoats.lamp_of(sculpt), painted.target_of(sculpt, laid, tins)
        tools = painters.tools_of(session)
        greys = undercoats.greys_of(session, sculpt, tins)
    primer = only(tins.primer)
    found = fit(laid.site, wanted, lamp, primer, greys, tools=tools, progress=work.say, stopped=work.stopped)
    coats = [primed(primer, "primer everywhere", tools), *found.coats]
    with store.saving() as session:
        try:
            sculpt = work.sculpt(session)
            later = schemes.split(schemes.kept_coats(session, sculpt))[1]
            schemes.keep(session, sculpt, [*coats, *later], choice.of("fit", None), seen)
        except schemes.ChangedElsewhereError:
            raise Stopped(
                "the coats were changed while the passes were being found; they were left as they are"
            ) from None
