"""The undercoat of a sculpt: which paints it is made of, how well each school can tell its light, what weighs for a
primer."""

import json
from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, coat_from
from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..core.paint.hiding import PrimerVerdict, Wish, choose_primer
from ..core.paint.mix import Mix
from ..core.paint.rack import Paint, Rack
from ..core.plain import built, plain, rounded
from ..core.plan.fair import Told, fitted
from ..core.plan.schools import SCHOOLS, school
from ..core.plan.step import steps_of
from ..core.plan.times import times_of
from ..core.plan.tins import Key, Tins, tins_from
from ..core.plan.tools import Tools
from . import markings, painted, paints, schemes
from .cache import Cache, key_of
from .laid import Laid
from .models import Sculpt
from .schemes import Choice, choice_of


def tins_of(session: Session, sculpt: Sculpt, choice: Choice | None = None) -> Tins:
    """The paints of an undercoat from the rack; the number of greys is the sculpt's, primer and colour as they were
    chosen.

    Args:
        choice: what to take instead of what is kept. What is not on the rack any more is chosen anew.
    """
    rack = paints.rack_of(session)
    names = {p.name for p in rack}
    choice = choice or choice_of(session, sculpt)
    primer, through = (name if name in names else None for name in (choice.primer, choice.through))
    return _tins(tuple(rack), int(sculpt.greys["steps"]), primer, through)


@lru_cache(16)
def _tins(bottles: tuple[Paint, ...], steps: int, primer: str | None, through: str | None) -> Tins:
    """Kept, because it is asked for with every look at a coat and two ladders take longer than the look."""
    return tins_from(Rack(bottles), steps, primer, through)


def greys_of(session: Session, sculpt: Sculpt, tins: Tins) -> list[Mix]:
    """What a fit may spray: greys, or the steps of one colour where that school was taken."""
    return tins.colour if choice_of(session, sculpt).in_colour else tins.greys


def lamp_of(sculpt: Sculpt) -> Lamp:
    """The lamp the undercoat is sprayed for; straight above where it is off."""
    return built(Rig, sculpt.rig, "the light").lamp or Lamp(0, 90)


@dataclass(frozen=True)
class Schooled:
    """A school fitted to a sculpt's light. told: how well it tells it, by the outlook alone. minutes, cups, ml: what
    it takes."""

    coats: list[Coat]
    told: Told
    minutes: float = rounded(0, 0.0)
    wait: float = rounded(0, 0.0)
    cups: int = 0
    ml: float = rounded(2, 0.0)


SCHOOLED = 1  # version of the code that fits them


def school_key(sculpt: Sculpt, name: str, tins: Tins, tools: Tools) -> str:
    """All that a fitted school depends on."""
    greys = [m.words() + m.colour.hex for m in (tins.colour if name == "coloured" else tins.greys)]
    others = [
        p.name + p.looks.hex for p in (tins.primer, tins.white, tins.tint, tins.bright_primer, tins.shadow, tins.wash)
    ]
    return key_of(
        "school",
        SCHOOLED,
        sculpt.surface_key,
        sculpt.rig,
        sculpt.exposure,
        sculpt.shadowless,
        name,
        greys,
        others,
        plain(tools),
    )


def schooled(sculpt: Sculpt, laid: Laid, cache: Cache, name: str, tins: Tins, tools: Tools) -> Schooled:
    """A school fitted to the present light, worked out once.

    Raises:
        SettingError: no such school, or something is missing for it.
    """
    key = school_key(sculpt, name, tins, tools)
    if key not in cache:
        share = painted.share_of(sculpt, laid)
        coats, own = fitted(
            laid.quick, school(name, laid.site.surface, lamp_of(sculpt), tins, tools), share[laid.chosen]
        )
        _, told, films = painted.roughly(laid, coats, share, own)
        steps = steps_of(laid.quick, coats, films, tools)
        times = times_of(steps)
        kept = {"coats": plain(coats), "told": plain(told), "minutes": times.whole - times.wait, "wait": times.wait,
                "cups": times.cups, "ml": sum(s.ml for s in steps)}  # fmt: skip
        cache.put(key, blobs={"school.json": json.dumps(kept).encode()})
    kept = json.loads(cache.blob(key, "school.json"))
    coats = [coat_from(c) for c in kept.pop("coats")]
    return Schooled(coats, built(Told, kept.pop("told")), **kept)


def coats_of(
    session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, tins: Tins, tools: Tools
) -> tuple[list[Coat], Choice]:
    """The coats that were laid and how they came about; where none were yet, the first school there are tools for."""
    choice = choice_of(session, sculpt)
    kept = schemes.kept_coats(session, sculpt)
    if schemes.split(kept)[0]:
        return kept, choice
    name = next(name for name in SCHOOLS if not tools.lack(name))
    found = schooled(sculpt, laid, cache, name, tins, tools)
    return [*found.coats, *kept], choice.of(name, found.told.key)


def key_for(tins: Tins, choice: Choice) -> Key:
    """The values the coats aim at: those of their school, or of the paints."""
    return choice.key or tins.key


def weighed_primers(
    session: Session, sculpt: Sculpt, laid: Laid, cache: Cache
) -> tuple[list[PrimerVerdict], list[str]]:
    """The primers on the rack, weighed by the colours of a sculpt's regions, and the regions that have no colour yet.

    Where no region has one there is nothing to weigh them by, and the list is empty.
    """
    marking = markings.marking_of(session, sculpt, laid.site.surface, cache)
    areas = marking.areas(laid.site.surface, laid.site.paintable)
    wishes, missing = [], []
    for k, region in enumerate(marking.regions, 1):
        mix = paints.colour_called(session, region.colour) if region.colour else None
        if mix is None:
            missing.append(region.name)
        else:
            wishes.append(Wish(region.name, float(areas[k]), mix))
    rack = paints.rack_of(session)
    primers = [p for p in rack if p.kind == "primer"]
    if not wishes or not primers:
        return [], missing
    return choose_primer(wishes, primers, [p for p in rack if p.kind in ("base", "layer")]), missing
