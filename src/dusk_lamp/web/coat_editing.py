"""Changes of single coats, the same on every page that lists them: muted, moved, mixed or set another way, removed,
added by hand."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, usual_coat
from ..core.errors import SettingError
from ..core.paint.mix import Mix
from ..store import paints
from .body import Body
from .editing import OpenPlan

ONE_COAT = ("remove", "up", "down", "mute", "paint", "set")  # changes of one coat, by its number from 1
ACTIONS = {
    "remove": "coat removed",
    "up": "coat moved earlier",
    "down": "coat moved later",
    "mute": ("coat skipped or used again"),
    "paint": "coat mixed another way",
    "set": "coat set another way",
}


def changed_coats(
    session: Session,
    open_plan: OpenPlan,
    coats: Sequence[Coat],
    what: str,
    given: Body,
    refuse: Callable[[list[Coat]], str] = lambda new: "",
) -> list[Coat]:
    """A stage's coats after one of ONE_COAT. refuse: why coats may not lie in an order.

    Raises:
        SettingError: the coat or the paint is not there any more, or it cannot be so.
    """
    k, out = given.whole("number") - 1, list(coats)
    if not 0 <= k < len(out):
        raise SettingError("this coat is not there any more; reload the page")
    if what == "remove":
        out.pop(k)
    elif what in ("up", "down"):
        to = max(0, min(len(out) - 1, k + (-1 if what == "up" else 1)))
        out.insert(to, out.pop(k))
        if reason := refuse(out):
            raise SettingError(f"not there: {reason}")
    elif what == "mute":
        out[k] = replace(out[k], muted=not out[k].muted)
    elif what == "paint":
        out[k] = replace(out[k], mix=mix_called(session, given["name"]))
    else:
        out[k] = out[k].with_settings(given.within("settings"))
        open_plan.context.simulation.film(out[k])  # refused here where it cannot be
    return out


def mix_called(session: Session, name: Any, *, varnish: bool = False) -> Mix:
    """The paint, recipe or, where that is asked for, varnish of a name.

    Raises:
        SettingError: there is none any more.
    """
    found = paints.colour_called(session, str(name)) or (
        paints.varnish_called(session, str(name)) if varnish else None
    )
    if found is None:
        raise SettingError(f"there is no paint or recipe called “{str(name)[:60]}” any more")
    return found


def added_by_hand(open_plan: OpenPlan, technique: str, mix: Mix, label: str, stage: str) -> Coat:
    """A coat of any technique in its usual settings; what is aimed comes from the lamp, otherwise set as the last one
    like it."""
    coat = usual_coat(technique, mix, label, stage)
    last = next((c for c in reversed(open_plan.plan.coats) if c.technique == technique), coat)
    settings = last.settings if coat.by.from_afar else coat.settings
    return replace(
        coat, settings=coat.by.aimed(settings, open_plan.context.lamp.azimuth, open_plan.context.lamp.elevation)
    )
