"""Carrying a squad's scheme over to one of its sculpts: matched, fitted, from the scheme's own puddles."""

from dataclasses import replace

from ..core.errors import SettingError, Stopped
from ..core.squad.work import on_model
from ..store import plans, squads
from ..store.models import Sculpt
from .work import JobInHand


def run(work: JobInHand) -> None:
    """Give a sculpt the scheme of the squad it was last enlisted in, as one revision that can be undone.

    Raises:
        Stopped: by the painter, or because the plan was changed in the meantime: then that stays.
        SettingError: nothing of it takes after the scheme.
    """
    context, kept = work.context()
    with work.store.session() as session:
        sculpt = work.sculpt(session)
        squad = next((s for s in squads.squads(session) if any(m["sculpt_id"] == sculpt.id for m in s.members)), None)
        if squad is None:
            raise SettingError("this sculpt belongs to no squad any more")
        member = next(m for m, s in squads.members_of(session, squad) if s.id == sculpt.id)
        scheme_sculpt = session.get(Sculpt, squad.scheme_id)
        if scheme_sculpt is None or scheme_sculpt.id == sculpt.id:
            return
        scheme, name = plans.kept_of(session, scheme_sculpt).plan, sculpt.name
    work.say("Fitting the scheme to it", 0.1)
    coats = [c for c in scheme.coats if not c.muted]
    done, _ = on_model(context, scheme, coats, member.member(name))
    with work.store.saving() as session:
        try:
            plans.keep(session, work.sculpt(session), replace(kept, plan=done.plan), "the squad's scheme")
        except plans.ChangedElsewhereError:
            raise Stopped("its plan was changed meanwhile; it was left as it is") from None
