"""The value sketch in colour of a sculpt: what every region shall look like under its light."""

import json
from collections.abc import Sequence
from dataclasses import dataclass

from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..core.light.rig import Rig
from ..core.light.tint import Tints
from ..core.plain import built, plain
from ..core.plan.ways.way import ABOVE, Task, task_of
from ..core.sculpt.marking import Marking
from ..core.sculpt.site import Site
from ..core.target.exposure import Exposure
from ..core.target.local import Local, local_of, usual_local
from ..core.target.target import Target, sketched
from . import markings, painted, painters, paints
from .cache import Cache
from .laid import Laid
from .models import Sculpt

REST = usual_local("stone", "quiet")  # what nobody has marked stays a grey sketch


@dataclass(frozen=True)
class Sketched:
    """site: with its regions. locals_: of the rest and of each. target: what each spot shall look like. key: of all
    that it is made from."""

    site: Site
    locals_: list[Local]
    target: Target
    tints: Tints
    key: str


def locals_of(session: Session, marking: Marking) -> list[Local]:
    """The local colours of the rest and of every region; of a paint that is gone, what its material usually has."""
    out = [REST]
    for region in marking.regions:
        mix = (
            paints.colour_called(session, region.colour)
            if region.colour and not region.colour.startswith("#")
            else None
        )
        out.append(local_of(region, mix.colour.hex if mix else None))
    return out


def tints_of(sculpt: Sculpt) -> Tints:
    """The colours of its light."""
    return built(Tints, sculpt.tints or {}, "the colours of the light")


def sketch_of(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache) -> Sketched:
    """The sketch as it is kept now; worked out once while many pages ask for it."""
    site = markings.site_of(session, sculpt, laid, cache)
    locals_, tints = locals_of(session, site.marking), tints_of(sculpt)
    rig, exposure = built(Rig, sculpt.rig, "the light"), built(Exposure, sculpt.exposure, "the exposure")
    key = json.dumps(
        [
            plain(rig),
            plain(exposure),
            plain(tints),
            plain(locals_),
            sculpt.marking_number,
            laid.site.outlook is not None,
        ],
        sort_keys=True,
    )
    made = laid.sketches.of(key, lambda: sketched(site, laid.lit(rig, exposure), exposure, locals_, tints))
    return Sketched(site, locals_, made, tints, key)


def task_for(session: Session, sculpt: Sculpt, made: Sketched, number: int, under: NDArray) -> Task:
    """A region as a task over what is there, (N, 36), with what is on the rack and among the tools."""
    lamp = built(Rig, sculpt.rig, "the light").lamp or ABOVE
    rack, tools = paints.rack_of(session), painters.tools_of(session)
    return task_of(made.site, made.target, number, under, rack, tools, lamp)


def tasks_of(
    session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, numbers: list[int], undercoat: Sequence[Coat]
) -> tuple[Sketched, list[Task]]:
    """Regions as tasks over an undercoat; those of which nothing can be painted are left out."""
    made = sketch_of(session, sculpt, laid, cache)
    under = painted.seen(laid, made.site, undercoat)
    areas = made.site.marking.areas(made.site.surface, made.site.paintable)
    return made, [task_for(session, sculpt, made, n, under) for n in numbers if areas[n] > 0]
