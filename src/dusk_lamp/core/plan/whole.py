"""A whole plan without a browser: from a site, its light and its regions to every coat, in order, and what the model
looks like after each."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..coat.finish import films_of
from ..coat.stack import appearance
from ..errors import SettingError
from ..paint.mix import only
from ..paint.rack import Rack
from ..paint.whites import mix_of, white_called
from ..sculpt.site import Site
from ..target.exposure import laid_between
from ..target.local import Local, local_of, usual_local
from ..target.target import Target, sketched, target
from .fair import fitted
from .file import PlanFile
from .order import ordered, region_of, touching
from .schools import school
from .step import Step, steps_of
from .tins import tins_from
from .ways import way
from .ways.way import ABOVE, Told, seen_after, task_of, told

Say = Callable[[str, float], None]


@dataclass(frozen=True)
class Whole:
    """coats with their films (N,) µm and steps.
    told: of each region painted in colour, by its number. numbers: of the region each coat is for, None for the
    undercoat."""

    site: Site
    target: Target
    coats: list[Coat]
    films: list[NDArray[np.float32]]
    steps: list[Step]
    numbers: list[int | None]
    told: dict[int, Told]


def locals_for(site: Site, rack: Rack) -> list[Local]:
    """The local colours of the rest and of every region; paints by their names on the rack."""
    out = [usual_local("stone", "quiet")]
    for region in site.marking.regions:
        white = white_called(region.colour)
        named = region.colour and not region.colour.startswith("#")
        mix = mix_of(white, rack) if white else only(rack.find(region.colour)) if named else None
        out.append(local_of(region, mix.colour.hex if mix else None))
    return out


def worked_out(plan: PlanFile, site: Site, rack: Rack, say: Say = lambda *_: None) -> Whole:
    """Every coat of a plan on a site.

    Raises:
        SettingError: the rack lacks something for it, or its coats were made for another laying-out.
    """
    grey = target(site, plan.light, exposure=plan.exposure)
    wanted = sketched(site, grey, plan.exposure, locals_for(site, rack), plan.tints)
    say("Laying the undercoat", 0.05)
    for coat in plan.coats_of([*plan.undercoat.coats, *plan.coats]):
        if coat.where.kind == "mask" and coat.where.number != len(site):
            raise SettingError(
                f"“{coat.label}” goes on some of {coat.where.number:,} spots, but this sculpt is laid out in {len(site):,}: "
                "it is another file, or stands another way; leave “samples” out, or name ways instead of coats"
            )
    coats = plan.coats_of(plan.undercoat.coats) or _schooled(
        plan, site, rack, laid_between(grey.value, plan.exposure, 0.0, 1.0)
    )
    numbers: list[int | None] = [None] * len(coats)
    under = seen_after_all(site, coats)
    areas = site.marking.areas(site.surface, site.paintable)
    found: dict[int, Told] = {}
    chosen = [
        (k, r.way or plan.every)
        for k, r in enumerate(site.marking.regions, 1)
        if (r.way or plan.every) and areas[k] > 0
    ]
    for at, (k, name) in enumerate([] if plan.coats else chosen):
        say(f"Mixing for {site.marking.regions[k - 1].name}", 0.1 + 0.7 * at / len(chosen))
        task = task_of(site, wanted, k, under, rack, plan.tools, plan.light.lamp or ABOVE)
        own = [replace(c, way=name) for c in way(name).coats(task)]
        found[k] = told(task, seen_after(task, own))
        coats, numbers = [*coats, *own], [*numbers, *([k] * len(own))]
    if found:  # in the order of the craft
        by_region = {k: [c for c, n in zip(coats, numbers, strict=True) if n == k] for k in found}
        names = ["the rest", *(r.name for r in site.marking.regions)]
        first = sum(n is None for n in numbers)
        placed = [(c, p.region) for p in ordered(by_region, touching(site), names) for c in by_region[p.region]]
        coats, numbers = [*coats[:first], *(c for c, _ in placed)], [*numbers[:first], *(n for _, n in placed)]
    for coat in plan.coats_of(plan.coats):
        coats, numbers = [*coats, coat], [*numbers, region_of(site, coat)]
    films = films_of(site, coats)
    return Whole(site, wanted, coats, films, steps_of(site, coats, films, plan.tools), numbers, found)


def _schooled(plan: PlanFile, site: Site, rack: Rack, share: NDArray) -> list[Coat]:
    own = plan.undercoat
    tins = tins_from(rack, own.steps, own.primer, own.through)
    return fitted(site, school(own.school, site.surface, plan.light.lamp or ABOVE, tins, plan.tools), share)[0]


def seen_after_all(site: Site, coats: Sequence[Coat]) -> NDArray[np.float32]:
    """(N, 36) the model after coats."""
    return appearance(list(zip(coats, films_of(site, coats), strict=True)), len(site))
