"""The undercoat of a sculpt: its coats kept with what was before, its films and looks in memory."""

import json
from collections import OrderedDict
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, appearance, looks
from ..core.errors import SettingError
from ..core.light.lamp import Lamp
from ..core.light.rig import Rig, light_on
from ..core.paint.coats import PrimerVerdict, Wish, choose_primer
from ..core.paint.mix import Mix, only
from ..core.paint.rack import Paint, Rack
from ..core.plan.target import Exposure, target_value
from ..core.plan.undercoat import Tins, differences, paint_target, primed, school, tins_from
from ..core.sculpt.relief import Relief
from . import markings, paints, stages
from .cache import Cache
from .models import Sculpt
from .scenes import Laid

MOST_PAST = 12  # undone at most so often
MOST_COATS = 24
CHOSEN = ("primer", "through")  # names of paints, where the painter chose them
MOST_FILMS, MOST_AFTER = 40, 30  # kept in memory, about 0.6 MB and 1 MB each


@dataclass(frozen=True)
class After:
    """The model after some coats: value (N,), levels (N, 3) sRGB, reflectance (N, 36); and how near it is to the target."""

    value: NDArray[np.float32]
    levels: NDArray[np.uint8]
    reflectance: NDArray[np.float32]
    mean: float
    p95: float
    within: float


def tins_of(session: Session, sculpt: Sculpt, **other: str | None) -> Tins:
    """The paints of an undercoat from the rack; the number of greys is the ladder's, primer and colour as they were chosen.

    Args:
        other: a primer or a colour (through) to take instead. What is not on the rack any more is chosen anew.
    """
    rack = paints.rack_of(session)
    names = {p.name for p in rack}
    kept = {k: sculpt.undercoat.get(k) for k in CHOSEN}
    kept = {k: v if v in names else None for k, v in kept.items()} | other
    return _tins(tuple(rack), int(sculpt.ladder["steps"]), kept["primer"], kept["through"])


@lru_cache(16)
def _tins(bottles: tuple[Paint, ...], steps: int, primer: str | None, through: str | None) -> Tins:
    """Kept, because it is asked for with every look at a coat and two ladders take longer than the look."""
    return tins_from(Rack(bottles), steps, primer, through)


def greys_of(sculpt: Sculpt, tins: Tins) -> list[Mix]:
    """What a fit may spray: greys, or the steps of one colour where that school was taken."""
    return tins.colour if sculpt.undercoat.get("in_colour") else tins.greys


def lamp_of(sculpt: Sculpt) -> Lamp:
    """The lamp the undercoat is sprayed for; straight above where it is off."""
    return Rig.from_dict(sculpt.rig).lamp or Lamp(0, 90)


def target_of(sculpt: Sculpt, laid: Laid, tins: Tins) -> NDArray[np.float32]:
    """(N,) the values of the present light, between the primer and the lightest paint there is."""
    rig, exposure = Rig.from_dict(sculpt.rig), Exposure(**sculpt.exposure)
    key = json.dumps([sculpt.rig, sculpt.exposure, tins.darkest, tins.lightest, laid.site.outlook is not None])
    kept = laid.memory.get("target")
    if kept is None or kept[0] != key:
        value = target_value(light_on(laid.site, rig).total, exposure, rig.full)
        laid.memory["target"] = kept = (key, paint_target(value, tins, exposure.primer, exposure.white))
    return kept[1]


def coats_of(session: Session, sculpt: Sculpt, laid: Laid) -> list[Coat]:
    """The coats that are kept, or the grey ladder where none are yet."""
    if sculpt.undercoat.get("coats"):
        return [Coat.from_dict(c) for c in sculpt.undercoat["coats"]]
    return school("ladder", laid.site.surface, lamp_of(sculpt), tins_of(session, sculpt))


def turn_of(sculpt: Sculpt) -> int:
    """How often the coats were changed; a change made on an older turn is refused."""
    return int(sculpt.undercoat.get("turn", 0))


def keep(session: Session, sculpt: Sculpt, coats: list[Coat], name: str, laid: Laid, **chosen: Any) -> None:
    """Keep coats, and a primer, a colour or whether a fit is in colour where they were chosen; what was before can be had again."""
    if len(coats) > MOST_COATS:
        raise SettingError(f"{MOST_COATS} coats are more than a model bears; take one off first")
    now = {k: v for k, v in sculpt.undercoat.items() if k not in ("past", "turn")}
    before = {
        **now,
        "school": now.get("school", "ladder"),
        "coats": [c.as_dict() for c in coats_of(session, sculpt, laid)],
    }
    past = [*sculpt.undercoat.get("past", []), before][-MOST_PAST:]
    own = {"school": name, "coats": [c.as_dict() for c in coats]}
    sculpt.undercoat = {**now, **chosen, **own, "past": past, "turn": turn_of(sculpt) + 1}


def undo(sculpt: Sculpt) -> bool:
    """Go back to the coats before the last change; False where there is nothing before."""
    past = list(sculpt.undercoat.get("past", []))
    if not past:
        return False
    sculpt.undercoat = {**past.pop(), "past": past, "turn": turn_of(sculpt) + 1}
    return True


def _remembered(store: "OrderedDict[str, Any]", key: str, make: Any, most: int) -> Any:
    if key not in store:
        store[key] = make()
        while len(store) > most:
            store.popitem(last=False)
    store.move_to_end(key)
    return store[key]


def _key(coat: Coat) -> str:
    return json.dumps({**coat.as_dict(), "muted": False, "label": ""}, sort_keys=True)


def film_of(cache: Cache, surface_key: str, laid: Laid, coat: Coat) -> NDArray[np.float32]:
    """(N,) the film of a coat, worked out once."""
    needs_relief = coat.technique not in ("prime", "brush", "spray")

    def make() -> NDArray[np.float32]:
        felt = stages.relief(cache, surface_key, laid.site.surface) if needs_relief else None
        return coat.film(laid.site.surface, felt)

    told = coat.as_dict()
    where = json.dumps([coat.technique, told["pass"], coat.amount, coat.settings, coat.solids], sort_keys=True)
    return _remembered(laid.memory.setdefault("films", OrderedDict()), where, make, MOST_FILMS)


def after(cache: Cache, surface_key: str, laid: Laid, coats: list[Coat], target: NDArray[np.float32]) -> list[After]:
    """The model bare and after every coat, each worked out once."""
    surface, paintable = laid.site.surface, laid.site.paintable
    memory: OrderedDict[str, After] = laid.memory.setdefault("after", OrderedDict())
    mark = f"{float(target.sum()):.6g}"
    run = mark

    def bare() -> After:
        return _after(appearance([], len(surface)), surface, paintable, target)

    out = [_remembered(memory, run, bare, MOST_AFTER)]
    for coat in coats:
        if coat.muted:
            out.append(out[-1])
            continue
        run += _key(coat)
        film = film_of(cache, surface_key, laid, coat)

        def more(coat: Coat = coat, film: NDArray = film) -> After:
            return _after(appearance([(coat, film)], len(surface), out[-1].reflectance), surface, paintable, target)

        out.append(_remembered(memory, run, more, MOST_AFTER))
    return out


def roughly(
    cache: Cache, surface_key: str, laid: Laid, coats: list[Coat], target: NDArray[np.float32]
) -> tuple[NDArray[np.uint8], float]:
    """(N, 3) sRGB levels under coats, and the share of the area within half a value; worked out at the quick samples only and
    spread to their neighbours: for pictures of what is not chosen yet."""
    surface = laid.quick.surface
    felt = None
    if any(c.technique not in ("prime", "brush", "spray") for c in coats):
        whole = stages.relief(cache, surface_key, laid.site.surface)
        felt = Relief(whole.cavity[laid.chosen], whole.exposed[laid.chosen])
    value, levels = looks(appearance([(c, c.film(surface, felt)) for c in coats], len(surface)))
    within = differences(surface, value, target[laid.chosen], laid.site.paintable[laid.chosen])[2]
    if "nearest" not in laid.memory:
        laid.memory["nearest"] = cKDTree(surface.points).query(laid.site.surface.points, workers=-1)[1]
    return levels[laid.memory["nearest"]], within


def _after(reflectance: NDArray[np.float32], surface: Any, paintable: NDArray, target: NDArray) -> After:
    value, levels = looks(reflectance)
    return After(value, levels, reflectance, *differences(surface, value, target, paintable))


def fitted(session: Session, sculpt: Sculpt, tins: Tins, sprays: list[Coat], laid: Laid) -> None:
    """Keep the passes a fit has found, over the primer."""
    keep(session, sculpt, [primed(only(tins.primer), "primer everywhere"), *sprays], "fit", laid)


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
