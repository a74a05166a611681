"""What the log teaches of paints: how well one hides, how large a bottle's drop is, how much is left of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from ..plain import rounded
from .entry import Entry

LEAST = 5  # entries that are needed
DOUBT = 8.0  # entries that the estimate counts for beside what was seen
BOUNDS = (0.5, 2.0)  # times; what is further off is a slip of the pen


@dataclass(frozen=True)
class Hiding:
    """A paint that hides otherwise than its card says. hides: contrast ratio of one coat as it was, and as it came to
    be seen; count: entries."""

    paint: str
    was: float = rounded(3)
    hides: float = rounded(3)
    count: int = 0


def hiding_seen(entries: Sequence[Entry], hides: dict[str, float]) -> list[Hiding]:
    """Paints laid neat in another number of coats than was planned, and what they hide then.

    n coats of a contrast ratio h show 1 − (1 − h)ⁿ; who takes m coats for what was planned in n has 1 − h' =
    (1 − h)^(n/m). Source: films that hide one after another, as in paint.hiding.
    """
    seen: dict[str, list[float]] = {}
    for e in entries:
        if e.how in ("done", "changed") and len(e.parts) == 1 and e.coats and e.coats_done:
            seen.setdefault(next(iter(e.parts)), []).append(e.coats / e.coats_done)
    out = []
    for paint, shares in seen.items():
        if len(shares) < LEAST or paint not in hides:
            continue
        share = (sum(shares) + DOUBT) / (len(shares) + DOUBT)
        share = max(BOUNDS[0], min(BOUNDS[1], share))
        if abs(share - 1) > 0.05:
            out.append(Hiding(paint, hides[paint], 1 - (1 - hides[paint]) ** share, len(shares)))
    return sorted(out, key=lambda h: h.paint)


def drops_seen(entries: Sequence[Entry], drops_per_ml: float) -> tuple[float, int] | None:
    """Drops in a millilitre as they were really counted out, and how many entries say so; None where there are too
    few, or they agree with what is set."""
    pairs = [
        (sum(e.drops.values()), e.ml * drops_per_ml)
        for e in entries
        if e.how in ("done", "changed") and e.drops and e.ml and e.ml * drops_per_ml >= 1
    ]
    if len(pairs) < LEAST:
        return None
    ratios = sorted(used / planned for used, planned in pairs)
    middle = ratios[len(ratios) // 2]
    times = (len(pairs) * middle + DOUBT) / (len(pairs) + DOUBT)
    times = max(BOUNDS[0], min(BOUNDS[1], times))
    return None if abs(times - 1) < 0.08 else (drops_per_ml * times, len(pairs))


@dataclass(frozen=True)
class Used:
    """How much of a paint was used, in how many steps; days: that what is left lasts at this rate, None where that is
    not known."""

    paint: str
    ml: float = rounded(2)
    steps: int = 0
    days: float | None = rounded(0, None)


def used_of(
    entries: Sequence[Entry], left_ml: dict[str, float] | None = None, drops_per_ml: float = 22.0
) -> list[Used]:
    """ml of every paint that was used, most first: by drops where they were counted, else as planned. left_ml: in
    the bottles, by paint."""
    ml: dict[str, float] = {}
    steps: dict[str, int] = {}
    days: list[datetime] = []
    for e in entries:
        if e.how not in ("done", "changed"):
            continue
        used_ml = _ml_of(e, drops_per_ml)
        for paint, amount in used_ml.items():
            ml[paint] = ml.get(paint, 0.0) + amount
            steps[paint] = steps.get(paint, 0) + 1
        if e.at:
            days.append(datetime.fromisoformat(e.at).replace(tzinfo=None))
    span = (max(days) - min(days)).total_seconds() / 86400 if len(days) > 1 else 0.0
    out = []
    for paint, amount in ml.items():
        left = (left_ml or {}).get(paint)
        lasts = left / (amount / span) if left is not None and span >= 1 and amount > 0 else None
        out.append(Used(paint, amount, steps[paint], lasts))
    return sorted(out, key=lambda u: (-u.ml, u.paint))


def _ml_of(e: Entry, drops_per_ml: float) -> dict[str, float]:
    if e.drops:
        return {p: n / drops_per_ml for p, n in e.drops.items()}
    whole = sum(e.parts.values())
    return {p: (e.ml or 0.0) * n / whole for p, n in e.parts.items()} if whole else {}
