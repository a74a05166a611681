"""Progress: how far a model is painted, step by step, with the time each took; outlives a reload, a sleep and a
change of device.

A step is known by its coat, so what is done stays done while other coats of the plan are changed.
"""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..core.errors import SettingError
from ..core.plain import plain, rounded
from .cache import key_of
from .models import Done, Sculpt, Sitting, now

ENDS = ("done", "skipped")
LONGEST_STEP_S = 4 * 3600  # longer than that it was left lying, and says nothing about the step
LONGEST_WAIT_S = 48 * 3600


@dataclass(frozen=True)
class End:
    """How a step was ended: done or skipped, when (ISO, UTC), and after how many seconds in hand, where that is
    known."""

    how: str
    at: str
    seconds: float | None = rounded(0, None)


@dataclass(frozen=True)
class State:
    """place: key of the step in hand. ends: of steps by key. since: seconds it has been in hand, breaks left out;
    paused: whether there is a break now. wait: of the drying that runs, the whole seconds and those that are left,
    and the key of the step that dries; None where nothing dries."""

    place: str
    ends: dict[str, End]
    since: float
    wait: dict[str, Any] | None
    paused: bool = False


def keys_of(coats: Sequence[Coat]) -> list[str]:
    """A key for each coat: of what is done, not of its place; two alike differ by their order."""
    seen: Counter[str] = Counter()
    out = []
    for coat in coats:
        mark = key_of("step", 1, coat.technique, plain(coat.mix), plain(coat.settings), plain(coat.where))
        seen[mark] += 1
        out.append(key_of("step", seen[mark], mark)[:40])
    return out


def painting_state(session: Session, sculpt: Sculpt, keys: Sequence[str]) -> State:
    """Where the painter is. keys: of the plan's steps."""
    rows = session.scalars(select(Done).where(Done.sculpt_id == sculpt.id)).all()
    ends = {r.coat_key: End(r.how, f"{r.at.isoformat()}Z", r.seconds) for r in rows if r.coat_key in keys}
    sitting = _sitting(session, sculpt)
    place = (
        sitting.place
        if sitting and sitting.place in keys
        else next((k for k in keys if k not in ends), keys[-1] if keys else "")
    )
    timer = sitting.timer if sitting else {}
    wait = timer.get("wait")
    if wait:
        left = wait["seconds"] - _since(wait["from"])
        wait = (
            {"after": wait["after"], "seconds": wait["seconds"], "left": round(max(0.0, left), 1)}
            if wait["after"] in keys
            else None
        )
    return State(place, ends, _in_hand(timer), wait, bool(timer.get("paused")))


def minutes_when_ended(
    ends: Mapping[str, End], numbered: Iterable[tuple[int, str]], at: datetime
) -> dict[int, float]:
    """The minute, counted from a moment, at which each step that is ended was, by its number. numbered: the number
    and key of each step."""
    return {n: (datetime.fromisoformat(ends[key].at) - at).total_seconds() / 60 for n, key in numbered if key in ends}


def ended(session: Session, sculpt: Sculpt) -> int:
    """How many steps were ever ended on a model."""
    return session.scalar(select(func.count(Done.id)).where(Done.sculpt_id == sculpt.id)) or 0


def is_begun(session: Session, sculpt: Sculpt, coats: Sequence[Coat]) -> bool:
    """Whether one of some coats was painted."""
    done = select(Done.coat_key).where(Done.sculpt_id == sculpt.id, Done.how == "done")
    return not set(session.scalars(done)).isdisjoint(keys_of(coats)) if coats else False


def take_step(session: Session, sculpt: Sculpt, key: str) -> None:
    """Take a step in hand."""
    sitting = _made(session, sculpt)
    if sitting.place != key or not sitting.timer.get("in_hand"):
        sitting.place, sitting.timer = key, {**_without(sitting.timer, "spent", "paused"), "in_hand": _stamp()}


def pause(session: Session, sculpt: Sculpt) -> None:
    """Somebody rang: what passes from now on is not painting."""
    sitting = _made(session, sculpt)
    if sitting.timer.get("in_hand") and not sitting.timer.get("paused"):
        sitting.timer = {**sitting.timer, "spent": _in_hand(sitting.timer), "paused": True}


def go_on(session: Session, sculpt: Sculpt) -> None:
    """The break is over."""
    sitting = _made(session, sculpt)
    if sitting.timer.get("paused"):
        sitting.timer = {**_without(sitting.timer, "paused"), "in_hand": _stamp()}


def end(
    session: Session,
    sculpt: Sculpt,
    key: str,
    how: str,
    wait_s: float,
    then: str | None,
    seconds: float | None = None,
) -> float | None:
    """End a step and take the next one in hand; how many seconds it was, breaks left out, None where that is not
    known. wait_s: how long it dries. seconds: how long it took, where that is not by the clock.

    Raises:
        SettingError: neither done nor skipped.
    """
    if how not in ENDS:
        raise SettingError("a step is done or skipped; reload the page")
    sitting = _made(session, sculpt)
    known = sitting.place == key and sitting.timer.get("in_hand")
    took = seconds if seconds is not None else _in_hand(sitting.timer) if known else None
    session.execute(delete(Done).where(Done.sculpt_id == sculpt.id, Done.coat_key == key))
    kept = took if how == "done" and took is not None and took <= LONGEST_STEP_S else None
    session.add(Done(sculpt_id=sculpt.id, coat_key=key, how=how, seconds=kept))
    timer: dict[str, Any] = {"in_hand": _stamp()}
    if how == "done" and wait_s > 0:
        timer["wait"] = {"after": key, "from": _stamp(), "seconds": min(wait_s, LONGEST_WAIT_S)}
    elif sitting.timer.get("wait"):
        timer["wait"] = sitting.timer["wait"]
    sitting.timer = timer
    sitting.place = then or key
    return kept


def take_back(session: Session, sculpt: Sculpt, key: str) -> None:
    """A step that was ended is open again, and in hand."""
    session.execute(delete(Done).where(Done.sculpt_id == sculpt.id, Done.coat_key == key))
    sitting = _made(session, sculpt)
    sitting.place, sitting.timer = key, {"in_hand": _stamp()}


def dry(session: Session, sculpt: Sculpt) -> None:
    """It is dry: the wait ends here."""
    sitting = _made(session, sculpt)
    sitting.timer = {k: v for k, v in sitting.timer.items() if k != "wait"}


def _sitting(session: Session, sculpt: Sculpt) -> Sitting | None:
    return session.scalars(select(Sitting).where(Sitting.sculpt_id == sculpt.id)).first()


def _made(session: Session, sculpt: Sculpt) -> Sitting:
    sitting = _sitting(session, sculpt)
    if sitting is None:
        sitting = Sitting(sculpt_id=sculpt.id, place="", timer={})
        session.add(sitting)
        session.flush()
    return sitting


def _in_hand(timer: dict[str, Any]) -> float:
    """Seconds that a step has been in hand, breaks left out."""
    running = timer.get("in_hand") and not timer.get("paused")
    return float(timer.get("spent", 0.0)) + (_since(timer["in_hand"]) if running else 0.0)


def _without(timer: dict[str, Any], *names: str) -> dict[str, Any]:
    return {k: v for k, v in timer.items() if k not in names}


def _stamp() -> str:
    return now().isoformat()


def _since(stamp: str) -> float:
    return max(0.0, (now() - datetime.fromisoformat(stamp)).total_seconds())
