"""Grounds: the undercoats that a plan for all colours may lie on. What is sprayed and then covered is time for
nothing, so the undercoat is chosen with what lies on it (CP-45)."""

from collections.abc import Callable

import numpy as np

from ...coat.coat import Coat
from ...paint.colour import delta_e, lab, xyz
from ..context import Context
from ..steps.around import with_tasks
from ..steps.step import steps_of
from ..steps.times import WASH_UP_MINUTES, Times, times_of

SHORT, LONG = ("primer", "twotone"), ("ladder",)  # schools, and those that only a long plan has time for
LONG_MINUTES = 180.0
LEAST_SEEN, SEEN_DE = 0.2, 3.0  # share of its area where a cup must still be seen at the end, and by how much (ΔE00)
LOOK_MINUTES = 1.0  # from arm's length, between the light and the colours (steps.around)
SOME_UM = 0.3  # of a film, from which on it counts as lying there


def schools_for(minutes: float, lacks: Callable[[str], str]) -> list[str]:
    """The schools that are tried for so many minutes, of those that nothing is missing for."""
    names = (*SHORT, *LONG) if minutes >= LONG_MINUTES else SHORT
    return [n for n in names if not lacks(n)]


def minutes_around(context: Context) -> float:
    """Minutes of all that is no colour: preparing, priming, the light, what lies over the colours, and what comes
    with the first brush: another look before it and washing up after it."""
    coats = [*context.before("colour"), *context.after("colour")]
    brushed = any(c.technique not in ("prime", "spray") for c in coats)
    return times_of_coats(context, coats).work + (0.0 if brushed else WASH_UP_MINUTES + LOOK_MINUTES)


def times_of_coats(context: Context, coats: list[Coat]) -> Times:
    """Minutes of coats door to door: tasks around them, mixing, spraying, brushing and cleaning."""
    if not coats:
        return Times()
    films = context.simulation.films(coats)
    steps = steps_of(context.site, coats, films, context.tools)
    return times_of(with_tasks(context, coats, steps))


def seen_of_cups(context: Context, coats: list[Coat]) -> list[tuple[str, float]]:
    """Of every sprayed coat but the primer its label, and on what share of its area leaving it out would change how
    the model looks in the end."""
    site, simulation, out = context.site, context.simulation, []
    whole = simulation.reflectance(coats)
    films = simulation.films(coats)
    for k, (coat, film) in enumerate(zip(coats, films, strict=True)):
        if coat.technique != "spray" or coat.mix.clear:
            continue
        on = np.flatnonzero((film > SOME_UM) & site.paintable)
        without = simulation.reflectance([*coats[:k], *coats[k + 1 :]])[on]
        changed = delta_e(lab(xyz(whole[on])), lab(xyz(without))) >= SEEN_DE
        areas = site.areas[on].astype(np.float64)
        out.append((coat.label, float(areas[changed].sum() / areas.sum()) if len(on) else 0.0))
    return out
