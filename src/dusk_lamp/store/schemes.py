"""The scheme of a sculpt: its one ordered list of coats, a row each, every state of it a revision that can be undone.

What was changed by another tab in the meantime is never overwritten: a change says which state it was made on, and
only if that one still holds is the new one put in its place, by the database itself.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, coat_from
from ..core.errors import SettingError
from ..core.plain import plain
from ..core.plan.tins import Key
from .models import CoatRow, Scheme, Sculpt

UNDERCOAT, COLOUR = "undercoat", "colour"  # stages that coats belong to
MOST_REVISIONS = 40
AFRESH = 2  # the number of a state with nothing before it: 1 would have the bare model
MOST_COATS = 240


class ChangedElsewhereError(Exception):
    """The state a change was made on does not hold any more."""


@dataclass(frozen=True)
class Choice:
    """How the coats came about: the school, or "fit"; and what the painter chose for it, None where it is chosen by
    itself."""

    school: str = "ladder"
    primer: str | None = None
    through: str | None = None
    in_colour: bool = False
    darkest: float | None = None
    lightest: float | None = None

    @property
    def key(self) -> Key | None:
        """The values a school aims at; None for those of the paints."""
        return None if self.darkest is None or self.lightest is None else Key(self.darkest, self.lightest)

    def of(self, school: str, key: Key | None) -> "Choice":
        """The same with another school, or "fit", and its key."""
        ends = (None, None) if key is None else (key.darkest, key.lightest)
        return replace(self, school=school, darkest=ends[0], lightest=ends[1])


def state_of(sculpt: Sculpt) -> int:
    """Which state holds: a number that never comes again; 0 where nothing was ever laid."""
    return sculpt.scheme_id


def _held(session: Session, sculpt: Sculpt) -> Scheme | None:
    return session.get(Scheme, sculpt.scheme_id) if sculpt.scheme_id else None


def choice_of(session: Session, sculpt: Sculpt) -> Choice:
    """How its coats came about."""
    held = _held(session, sculpt)
    if not held:
        return Choice()
    return Choice(held.school, held.primer, held.through, held.in_colour, held.darkest, held.lightest)


def kept_coats(session: Session, sculpt: Sculpt) -> list[Coat]:
    """The coats that were laid, in order; none where nothing was."""
    held = _held(session, sculpt)
    return [_coat_of(row) for row in held.coats] if held else []


def split(coats: Sequence[Coat]) -> tuple[list[Coat], list[Coat]]:
    """The coats of the undercoat, and those of later stages, each in their order."""
    return [c for c in coats if c.stage == UNDERCOAT], [c for c in coats if c.stage != UNDERCOAT]


def _coat_of(row: CoatRow) -> Coat:
    return coat_from(
        {
            "technique": row.technique, "mix": row.mix, "settings": row.settings, "where": row.goes_on,
            "muted": row.muted, "label": row.label, "stage": row.stage, "way": row.way,
        }
    )  # fmt: skip


def keep(
    session: Session, sculpt: Sculpt, coats: Sequence[Coat], choice: Choice, seen: int, fresh: bool = False
) -> None:
    """Put coats in the place of those of a state that was seen; what was undone before is gone. fresh:
    there is nothing to undo after it.

    Raises:
        ChangedElsewhereError: another state holds by now. SettingError: more coats than a model bears.
    """
    if len(coats) > MOST_COATS:
        raise SettingError(f"{MOST_COATS} coats are more than a model bears; take one off first")
    held = session.get(Scheme, seen) if seen else None
    number = AFRESH if fresh else held.number + 1 if held else 1
    scheme = Scheme(
        sculpt_id=sculpt.id, number=number, school=choice.school, primer=choice.primer, through=choice.through,
        in_colour=choice.in_colour, darkest=choice.darkest, lightest=choice.lightest, coats=[_row_of(place, coat) for place, coat in enumerate(coats)],
    )  # fmt: skip
    session.add(scheme)
    session.flush()
    _point(session, sculpt, seen, scheme.id)
    gone = (Scheme.number >= number) & (Scheme.id != scheme.id) | (Scheme.number <= number - MOST_REVISIONS)
    session.execute(delete(Scheme).where(Scheme.sculpt_id == sculpt.id, Scheme.id != scheme.id if fresh else gone))


def _row_of(place: int, coat: Coat) -> CoatRow:
    return CoatRow(
        place=place, stage=coat.stage, technique=coat.technique, mix=plain(coat.mix), settings=plain(coat.settings),
        goes_on=plain(coat.where), muted=coat.muted, label=coat.label, way=coat.way,
    )  # fmt: skip


def _point(session: Session, sculpt: Sculpt, seen: int, to: int) -> None:
    moved = session.execute(
        update(Sculpt)
        .where(Sculpt.id == sculpt.id, Sculpt.scheme_id == seen)
        .values(scheme_id=to)
        .execution_options(synchronize_session=False)
    )
    if moved.rowcount != 1:  # type: ignore[attr-defined]
        raise ChangedElsewhereError
    session.refresh(sculpt, ["scheme_id"])


def step(session: Session, sculpt: Sculpt, by: int, seen: int) -> bool:
    """Undo (−1) or redo (+1); False where there is nothing to.

    Raises:
        ChangedElsewhereError: another state holds by now.
    """
    other = _beside(session, sculpt, seen, by)
    if other is None:
        return False
    _point(session, sculpt, seen, other)
    return True


def can_step(session: Session, sculpt: Sculpt) -> tuple[bool, bool]:
    """Whether there is something to undo, and something to redo."""
    seen = sculpt.scheme_id
    return tuple(_beside(session, sculpt, seen, by) is not None for by in (-1, 1))  # type: ignore[return-value]


def _beside(session: Session, sculpt: Sculpt, seen: int, by: int) -> int | None:
    """The state before or after one; 0 is before the first."""
    held = session.get(Scheme, seen) if seen else None
    number = (held.number if held else 0) + by
    if number == 0:
        return 0
    found = session.scalars(select(Scheme.id).where(Scheme.sculpt_id == sculpt.id, Scheme.number == number)).first()
    return found


def copy(session: Session, first: Sculpt, second: Sculpt) -> None:
    """Give a copied sculpt the coats of the first, as they are now."""
    if first.scheme_id:
        session.flush()
        keep(session, second, kept_coats(session, first), replace(choice_of(session, first)), second.scheme_id or 0)
