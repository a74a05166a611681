"""The rack and the recipes kept: added, changed, taken away and put back."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.paint.mix import Mix, only
from ..core.paint.rack import FINISHES, LONGEST_NAME, Paint, Rack, RackError
from ..core.paint.whites import mix_of, white_called
from ..core.plain import plain
from ..core.sculpt.marking import HEX
from .models import Bottle, Recipe, now
from .store import UNDO_DAYS

MOST_BOTTLES = 2000


def bottles(session: Session) -> list[Bottle]:
    """What is on the rack, in the order it was put there."""
    return list(session.scalars(select(Bottle).where(Bottle.deleted_at.is_(None)).order_by(Bottle.id)))


def gone(session: Session) -> list[Bottle]:
    """What was taken off lately, the latest first."""
    since = now() - timedelta(days=UNDO_DAYS)
    return list(session.scalars(select(Bottle).where(Bottle.deleted_at > since).order_by(Bottle.deleted_at.desc())))


def rack_of(session: Session) -> Rack:
    """The rack."""
    seen: set[str] = set()
    paints: list[Paint] = []
    for bottle in bottles(session):
        paint, k = bottle.paint, 2
        while paint.name.casefold() in seen:  # twins of old: the later one is shown with a number
            paint, k = replace(bottle.paint, name=f"{bottle.paint.name[: LONGEST_NAME - 6]} ({k})"), k + 1
        seen.add(paint.name.casefold())
        paints.append(paint)
    return Rack(paints)


def put(session: Session, paint: Paint, bottle: Bottle | None = None) -> Bottle:
    """Put a paint on the rack, or change the one in a bottle.

    Raises:
        RackError: another paint has this name, or the rack is full.
    """
    paint.pigment  # noqa: B018 - a paint that cannot be is refused here, not when it is first mixed
    others = [b for b in bottles(session) if b is not bottle]
    if any(b.paint.name.casefold() == paint.name.casefold() for b in others):
        raise RackError(f"there is a paint called “{paint.name}” already; give this one another name")
    if bottle is None:
        if len(others) >= MOST_BOTTLES:
            raise RackError(f"the rack holds {MOST_BOTTLES:,} paints; take some off first")
        bottle = Bottle()
        session.add(bottle)
    bottle.label = plain(paint)
    session.flush()
    return bottle


def bring_paints(session: Session, rack: Rack) -> tuple[int, int]:
    """Put a whole rack beside what is there: new names are added, known ones changed. Returns how many of each."""
    for paint in rack:
        paint.pigment  # noqa: B018 - all or nothing: a bad one is met before any is kept
    known = {b.paint.name.casefold(): b for b in bottles(session)}
    added = changed = 0
    for paint in rack:
        bottle = known.get(paint.name.casefold())
        if bottle is None:
            if len(known) + added >= MOST_BOTTLES:
                raise RackError(f"the rack holds {MOST_BOTTLES:,} paints; take some off first")
            session.add(Bottle(label=plain(paint)))
            added += 1
        elif bottle.label != plain(paint):
            bottle.label = plain(paint)
            changed += 1
    session.flush()
    return added, changed


def bring_new(session: Session, rack: Rack) -> int:
    """Put the paints of a rack beside what is there whose names are new, as full bottles that one has yet to buy:
    nothing left. Returns how many."""
    known = {b.paint.name.casefold() for b in bottles(session)}
    new = [replace(p, stock_ml=0.0) for p in rack if p.name.casefold() not in known]
    return bring_paints(session, Rack(new))[0]


def recipes(session: Session) -> list[Recipe]:
    """The named mixes, by name."""
    found = session.scalars(select(Recipe).where(Recipe.deleted_at.is_(None)))
    return sorted(found, key=lambda r: r.name.casefold())


def keep_recipe(session: Session, name: str, mix: Mix) -> Recipe:
    """Keep a mix under a name; a recipe of that name is changed.

    Raises:
        SettingError: no name, or one that a paint has.
    """
    name = " ".join(name.split())
    if not 1 <= len(name) <= LONGEST_NAME:
        raise SettingError(f"a recipe's name has 1 to {LONGEST_NAME} letters")
    if any(b.paint.name.casefold() == name.casefold() for b in bottles(session)):
        raise SettingError(f"“{name}” is a paint on your rack; give the recipe another name")
    recipe = next((r for r in recipes(session) if r.name.casefold() == name.casefold()), None)
    if recipe is None:
        recipe = Recipe()
        session.add(recipe)
    recipe.name = name
    recipe.paints, recipe.parts = plain(mix.paints), list(mix.parts)
    session.flush()
    return recipe


def varnish_called(session: Session, name: str) -> Mix | None:
    """The varnish of that name; None where there is none any more."""
    varnishes = (b.paint for b in bottles(session) if b.paint.name.casefold() == name.casefold())
    return next((only(p) for p in varnishes if not p.of_kind.changes_colour), None)


def varnishes(session: Session) -> list[Paint]:
    """Those on the rack, the dullest first."""
    pots = [p for p in rack_of(session) if not p.of_kind.changes_colour]
    return sorted(pots, key=lambda p: (FINISHES.index(p.of("finish")), p.name))


def colours_called(session: Session, names: Iterable[str]) -> dict[str, Mix]:
    """The mixes of the recipes, the paints, or the whites and blacks of some names; those that are there no more are
    left out. A colour as `#rrggbb` is no name."""
    names = [name for name in names if name and not HEX.fullmatch(name)]
    if not names:
        return {}
    mixed = {r.name.casefold(): r for r in reversed(recipes(session))}
    potted = {b.paint.name.casefold(): b.paint for b in reversed(bottles(session)) if b.paint.of_kind.changes_colour}
    out = {}
    for name in names:
        key, white = name.casefold(), white_called(name)
        if key in mixed:
            out[name] = mixed[key].mix
        elif key in potted:
            out[name] = only(potted[key])
        elif white and (found := mix_of(white, rack_of(session))):
            out[name] = found
    return out


def colour_called(session: Session, name: str) -> Mix | None:
    """One of them; None where there is none any more."""
    return colours_called(session, [name]).get(name)
