"""Markings kept stroke by stroke, so that every one can be undone and redone, also after a reload."""

import zlib

import numpy as np
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from ..core.plain import built, plain
from ..core.sculpt.marking import Marking, Region
from ..core.sculpt.regions import carried
from ..core.sculpt.site import Site
from ..core.sculpt.stand import Standing
from ..core.sculpt.surface import Surface
from .cache import Cache
from .laid import Laid
from .models import Sculpt, Stroke
from .stages import load_placing, load_surface

MOST_STROKES = 80  # kept per sculpt; at about 10 kB each


def marking_of(
    session: Session, sculpt: Sculpt, surface: Surface, cache: Cache, number: int | None = None
) -> Marking:
    """The marking that holds now, or after another stroke; carried over if the sculpt was laid out anew since it was
    made."""
    stroke = _stroke(session, sculpt, sculpt.marking_number if number is None else number)
    if stroke is None:
        return Marking(np.zeros(len(surface), np.uint8))
    labels = np.frombuffer(zlib.decompress(stroke.labels), np.uint8)
    if stroke.surface_key != sculpt.surface_key and sculpt.surface_key is not None:
        try:
            was, now = (
                load_placing(cache, key).to_file(on.points)
                for key, on in (
                    (stroke.surface_key, load_surface(cache, stroke.surface_key)),
                    (sculpt.surface_key, surface),
                )
            )
        except KeyError:  # the cache was emptied; without the old surface the labels cannot be placed
            return Marking(np.zeros(len(surface), np.uint8), _regions(stroke))
        labels = carried(labels, was, now)
    return Marking(labels, _regions(stroke))


def site_of(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache) -> Site:
    """The sculpt's site with the marking that holds now and the parts that are painted apart."""
    return laid.site.marked(marking_of(session, sculpt, laid.site.surface, cache), sculpt.loose)


def marked_on(session: Session, sculpt: Sculpt) -> dict[str, Standing]:
    """How the sculpt stood on each surface that strokes were made on, by the surface's key."""
    rows = session.execute(
        select(Stroke.surface_key, Stroke.standing).where(Stroke.sculpt_id == sculpt.id).distinct()
    )
    return {key: built(Standing, standing, "how it stands") for key, standing in rows}


def _regions(stroke: Stroke) -> tuple[Region, ...]:
    return tuple(built(Region, r, "a region") for r in stroke.regions)


def keep(session: Session, sculpt: Sculpt, marking: Marking) -> None:
    """Keep a marking as the next stroke; what had been undone before it is gone."""
    if sculpt.surface_key is None or sculpt.standing is None:
        raise KeyError("not laid out yet")
    session.execute(delete(Stroke).where(Stroke.sculpt_id == sculpt.id, Stroke.number > sculpt.marking_number))
    sculpt.marking_number += 1
    session.add(
        Stroke(
            sculpt_id=sculpt.id,
            number=sculpt.marking_number,
            surface_key=sculpt.surface_key,
            standing=plain(sculpt.standing),
            labels=zlib.compress(marking.labels.tobytes(), 3),
            regions=plain(marking.regions),
        )
    )
    oldest = sculpt.marking_number - MOST_STROKES
    session.execute(delete(Stroke).where(Stroke.sculpt_id == sculpt.id, Stroke.number <= oldest))
    session.flush()


def step(session: Session, sculpt: Sculpt, by: int) -> bool:
    """Undo (−1) or redo (+1) a stroke; False where there is none."""
    wanted = sculpt.marking_number + by
    if by > 0 and _stroke(session, sculpt, wanted) is None:
        return False
    if by < 0 and (sculpt.marking_number == 0 or (wanted > 0 and _stroke(session, sculpt, wanted) is None)):
        return False
    sculpt.marking_number = wanted
    return True


def can_step(session: Session, sculpt: Sculpt) -> tuple[bool, bool]:
    """Whether there is something to undo, and something to redo."""
    low, high = session.execute(
        select(func.min(Stroke.number), func.max(Stroke.number)).where(Stroke.sculpt_id == sculpt.id)
    ).one()
    now = sculpt.marking_number
    return now > 0 and (now - 1 == 0 or (low or 0) < now), bool(high and high > now)


def ever_marked(session: Session, sculpt: Sculpt) -> bool:
    """Whether there was ever a stroke, undone or not."""
    return session.scalars(select(Stroke.id).where(Stroke.sculpt_id == sculpt.id)).first() is not None


def copy(session: Session, first: Sculpt, second: Sculpt) -> None:
    """Give a copied sculpt the marking of the first."""
    stroke = _stroke(session, first, first.marking_number)
    if stroke is not None:
        second.marking_number = 1
        session.add(
            Stroke(
                sculpt_id=second.id, number=1, surface_key=stroke.surface_key, standing=stroke.standing,
                labels=stroke.labels, regions=stroke.regions,
            )
        )  # fmt: skip


def _stroke(session: Session, sculpt: Sculpt, number: int) -> Stroke | None:
    return session.scalars(select(Stroke).where(Stroke.sculpt_id == sculpt.id, Stroke.number == number)).first()
