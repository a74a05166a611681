"""The colour stage of a sculpt: each region painted one way, over the undercoat; every way worked out once."""

import json
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..core.coat.finish import films_of
from ..core.errors import SettingError
from ..core.plain import plain
from ..core.plan.order import WHOLE_MODEL, Place, ordered, region_of, touching
from ..core.plan.step import steps_of
from ..core.plan.ways import way
from ..core.plan.ways.way import MATT, Task, Told, seen_after, told
from ..core.sculpt.site import Site
from . import markings, painted, schemes, sketches
from .cache import Cache
from .laid import Laid
from .models import Sculpt
from .schemes import COLOUR
from .sketches import Sketched

Say = Callable[[str, float], None]


@dataclass(frozen=True)
class Tried:
    """A region painted one way: its coats, how near they come, and the minutes of work and of drying; trouble: why
    it cannot be done."""

    coats: list[Coat]
    told: Told | None
    minutes: float = 0.0
    wait: float = 0.0
    trouble: str = ""


def tried(laid: Laid, made: Sketched, task: Task, name: str) -> Tried:
    """A region painted one way."""
    under = f"{zlib.crc32(task.under[::97].tobytes()):08x}"
    key = json.dumps([made.key, task.number, name, under, [p.name + p.colour for p in task.rack], plain(task.tools)])
    return laid.ways.of(key, lambda: _tried(task, name))


def _tried(task: Task, name: str) -> Tried:
    try:
        coats = [replace(coat, way=name) for coat in way(name).coats(task)]
    except SettingError as e:
        return Tried([], None, trouble=str(e))
    steps = steps_of(task.site, coats, films_of(task.site, coats, under=MATT), task.tools)
    return Tried(
        coats, told(task, seen_after(task, coats)), sum(s.hand_minutes + s.set_up_minutes + s.clean_minutes for s in steps),
        sum(s.wait_minutes for s in steps),
    )  # fmt: skip


def with_way(site: Site, coats: Sequence[Coat], number: int, new: Sequence[Coat]) -> list[Coat]:
    """The coats of the plan with those of one region in colour replaced; whites last of all (craft page, section
    9)."""
    kept = [c for c in coats if c.stage != COLOUR or region_of(site, c) != number]
    painted_before = [k for k, c in enumerate(coats) if c.stage == COLOUR and region_of(site, c) == number]
    shared = next(
        (k for k, c in enumerate(kept) if c.stage == COLOUR and region_of(site, c) == WHOLE_MODEL), len(kept)
    )
    at = sum(1 for c in coats[: painted_before[0]] if c in kept) if painted_before else shared
    return [*kept[:at], *new, *kept[at:]]


def beside_its_own(site: Site, coats: Sequence[Coat], number: int, new: Coat) -> list[Coat]:
    """The coats of the plan with one more after those of its region, or before what is common to the whole model."""
    own = [k for k, c in enumerate(coats) if c.stage == COLOUR and region_of(site, c) == number]
    shared = [k for k, c in enumerate(coats) if c.stage == COLOUR and region_of(site, c) == WHOLE_MODEL]
    at = own[-1] + 1 if own else shared[0] if shared else len(coats)
    return [*coats[:at], new, *coats[at:]]


def paint_all(
    session: Session,
    sculpt: Sculpt,
    laid: Laid,
    cache: Cache,
    coats: Sequence[Coat],
    wishes: dict[int, str],
    say: Say = lambda *_: None,
) -> list[Coat]:
    """The coats of a plan with each of these regions painted its way.

    Raises:
        SettingError: a way cannot be gone with what is on the rack.
    """
    made, tasks = sketches.tasks_of(session, sculpt, laid, cache, sorted(wishes), schemes.split(coats)[0])
    out = list(coats)
    for k, task in enumerate(tasks):
        say(f"Mixing for {task.name}", k / len(tasks))
        found = tried(laid, made, task, wishes[task.number])
        if found.trouble:
            raise SettingError(found.trouble)
        out = with_way(made.site, out, task.number, found.coats)
    return in_order(made.site, out) if len(wishes) > 1 else out


def in_order(site: Site, coats: Sequence[Coat]) -> list[Coat]:
    """The coats of a plan with those in colour region by region, in the order of the craft; within a region as they
    are."""
    under, own = schemes.split(coats)
    by_region = regions_of(site, own)
    return [*under, *(coat for place in places(site, own) for coat in by_region[place.region])]


def places(site: Site, own: Sequence[Coat]) -> list[Place]:
    """The regions that coats in colour are for, in the order of the craft, each with its reason."""
    names = ["the rest", *(r.name for r in site.marking.regions)]
    return ordered(regions_of(site, own), touching(site), names)


def regions_of(site: Site, own: Sequence[Coat]) -> dict[int, list[Coat]]:
    """The coats in colour by the region that each is for."""
    out: dict[int, list[Coat]] = {}
    for coat in own:
        out.setdefault(region_of(site, coat), []).append(coat)
    return out


def near(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, coats: Sequence[Coat]) -> float | None:
    """Share of the area of the regions painted in colour that ends near what they shall look like; None where none
    is."""
    site = markings.site_of(session, sculpt, laid, cache)
    numbers = sorted({region_of(site, c) for c in coats if c.stage == COLOUR} - {WHOLE_MODEL})
    if not numbers:
        return None
    made, tasks = sketches.tasks_of(session, sculpt, laid, cache, numbers, schemes.split(coats)[0])
    seen = painted.seen(laid, made.site, [c for c in coats if c.stage in (schemes.UNDERCOAT, COLOUR)])
    areas = [float(t.weight().sum()) for t in tasks]
    return float(np.average([told(t, seen).within for t in tasks], weights=areas)) if tasks else None
