"""Squads kept: whose scheme, which sculpts, how many of each, how their regions match, what is an exception."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.plain import built, checked, number, plain
from ..core.plan.document import MOST_MODELS
from ..core.squad.document import MOST_MEMBERS, Member
from .models import Sculpt, SquadRow


@dataclass(frozen=True)
class Enlisted:
    """One sculpt of a squad on the shelf; see core.squad.document.Member."""

    sculpt_id: int = 0
    count: int = number(1, 1, MOST_MODELS, "how many of a model")
    matches: dict[str, str] = field(default_factory=dict)
    changes: dict[str, dict[str, Any]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        checked(self)

    def member(self, name: str) -> Member:
        """The same as a member of a squad."""
        return Member(str(self.sculpt_id), name[:120], self.count, self.matches, self.changes)


def squads(session: Session) -> list[SquadRow]:
    """All squads, the newest first."""
    return list(session.scalars(select(SquadRow).order_by(SquadRow.id.desc())))


def the_squad(session: Session, squad_id: int) -> SquadRow:
    """A squad.

    Raises:
        SettingError: there is none of that number.
    """
    found = session.get(SquadRow, squad_id)
    if found is None:
        raise SettingError("this squad is not there any more; reload the page")
    return found


def members_of(session: Session, squad: SquadRow) -> list[tuple[Enlisted, Sculpt]]:
    """The sculpts of a squad that are on the shelf, in their order."""
    out = []
    for row in squad.members:
        member = built(Enlisted, row, "a model of the squad")
        sculpt = session.get(Sculpt, member.sculpt_id)
        if sculpt is not None and sculpt.deleted_at is None:
            out.append((member, sculpt))
    return out


def keep_squad(squad: SquadRow, members: Sequence[Enlisted]) -> None:
    """Keep who belongs to a squad.

    Raises:
        SettingError: too many.
    """
    if len(members) > MOST_MEMBERS or sum(m.count for m in members) > MOST_MODELS:
        raise SettingError(f"a squad has at most {MOST_MEMBERS} sculpts and {MOST_MODELS} models")
    squad.members = [plain(m) for m in members]


def make(session: Session, name: str, scheme: Sculpt, sculpts: Sequence[Sculpt]) -> SquadRow:
    """A new squad of some sculpts in the scheme of one of them."""
    squad = SquadRow(name=name[:120] or "Squad", scheme_id=scheme.id, members=[])
    session.add(squad)
    keep_squad(squad, [Enlisted(s.id) for s in sculpts])
    session.flush()
    return squad
