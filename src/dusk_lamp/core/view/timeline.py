"""The timeline of a clock as SVG: one lane for the hands, one for each thing that dries, marks of the clock."""

from collections.abc import Callable, Sequence
from datetime import datetime
from html import escape
from itertools import pairwise

from ..schedule.day import Clock, Slot
from ..schedule.jobs import TASK
from ..units import minutes_words

LEFT, RIGHT, TOP, ROW, GAP = 130.0, 14.0, 24.0, 22.0, 5.0
MOST_LANES = 40  # of things that dry: more than that are joined
WIDEST, NARROWEST = 2400.0, 1230.0
PX_A_MINUTE = 2.2
LEAST_PX = 2.0
LEAST_MARK = 44.0  # pixels from one time to the next
GRID, WORDS, HANDS, DRIES, SHUT, TASK_FILL = "#4a4740", "#b9b3a6", "#f2b84b", "#57616b", "#2a2926", "#8d8577"
STEPS = (5, 10, 15, 30, 60, 120, 240, 480, 720, 1440)


def timeline_svg(
    clock: Clock, names: Sequence[str], moment: Callable[[float], datetime] | None = None, wide: float | None = None
) -> str:
    """A clock as SVG. names: of the models. moment: of a minute, for marks by the clock; None for minutes. wide:
    pixels; None by how long it takes.

    Every batch is a group with the class `batch`, its first model and the number of its step in `data-pin`, its first
    minute in `data-start` and words as title, so that a page can let it be dragged; `data-scale` of the whole says
    how many pixels a minute is.
    Hours in which nobody paints are folded to a narrow strip.
    """
    folds = _folds(clock)
    spans = _spans(clock, folds)
    total = sum(b - a for a, b in spans) + FOLD * max(0, len(spans) - 1)
    wide = wide or min(WIDEST, max(NARROWEST, LEFT + RIGHT + PX_A_MINUTE * total))
    scale = (wide - LEFT - RIGHT) / max(total, 1.0)

    def x(minute: float) -> float:
        at = 0.0
        for low, high in spans:
            if minute <= high:
                return LEFT + scale * (at + max(0.0, minute - low))
            at += high - low + FOLD
        return LEFT + scale * (at - FOLD)

    lanes = _lanes(clock, names)
    high = TOP + (len(lanes) + 1) * (ROW + GAP) + 8
    out = [_marks(spans, x, scale, high, moment)]
    for (_, end), (begin, _) in pairwise(spans):
        out.append(
            f'<rect x="{x(end):.1f}" y="{TOP - 4:.0f}" width="{max(x(begin) - x(end), 1):.1f}" '
            f'height="{high - TOP:.0f}" fill="{SHUT}"/>'
        )
    out.append(_label(TOP + ROW / 2 + 4, "Hands"))
    by_batch: dict[int, list[Slot]] = {}
    for slot in clock.slots:
        by_batch.setdefault(slot.batch, []).append(slot)
    for slots in by_batch.values():
        begin, end = slots[0].start, max(s.end for s in slots)
        fill = TASK_FILL if slots[0].stage == TASK else slots[0].hex or HANDS
        words = f"{slots[0].title}: {minutes_words(end - begin)}" + (
            f", {len(slots)} models" if len(slots) > 1 else ""
        )
        out.append(
            f'<g class="batch" data-pin="{slots[0].model}.{slots[0].number}" data-start="{begin:.1f}" '
            f'tabindex="0" role="img" aria-label="{escape(words)}"><title>{escape(words)}</title>'
            f'<rect x="{x(begin):.1f}" y="{TOP:.0f}" width="{max(x(end) - x(begin), LEAST_PX):.1f}" '
            f'height="{ROW:.0f}" rx="2" fill="{fill}" stroke="{HANDS}"/></g>'
        )
    for k, (label, slots) in enumerate(lanes):
        y = TOP + (k + 1) * (ROW + GAP)
        out.append(_label(y + ROW / 2 + 4, label))
        for slot in slots:
            if slot.dry_at - slot.end >= 0.5:
                title = f"{slot.title} dries until it is {_when(slot.dry_at, moment)}"
                out.append(
                    f'<rect x="{x(slot.end):.1f}" y="{y + 5:.1f}" '
                    f'width="{max(x(slot.dry_at) - x(slot.end), LEAST_PX):.1f}" height="{ROW - 10:.0f}" rx="2" '
                    f'fill="{DRIES}"><title>{escape(title)}</title></rect>'
                )
            out.append(
                f'<rect x="{x(slot.start):.1f}" y="{y + 2:.1f}" '
                f'width="{max(x(slot.end) - x(slot.start), LEAST_PX):.1f}" height="{ROW - 4:.0f}" rx="2" '
                f'fill="{HANDS}"><title>{escape(slot.title)}</title></rect>'
            )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide:.0f} {high:.0f}" width="{wide:.0f}" '
        f'height="{high:.0f}" data-scale="{scale:.4f}" role="img" aria-label="{escape(clock.words)}">'
        f'<rect width="100%" height="100%" fill="#1d1c1a"/>{"".join(out)}</svg>'
    )


FOLD = 12.0  # minutes' width that a closed time takes
LONG_CLOSED = 60.0  # minutes without hands that are folded


def _folds(clock: Clock) -> list[tuple[float, float]]:
    """Closed times between the hours, before the end."""
    windows = [w for w in clock.day.windows if w[0] < max(clock.makespan, 1.0)]
    return [(a[1], b[0]) for a, b in pairwise(windows) if b[0] - a[1] >= LONG_CLOSED]


def _spans(clock: Clock, folds: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """The times that are drawn to scale."""
    begin = min((s.start for s in clock.slots), default=0.0)
    begin = begin if folds and begin >= folds[0][1] else min(begin, 0.0)
    out, last = [], clock.dry if not clock.day.windows else min(clock.dry, clock.makespan + 60)
    for low, high in folds:
        if begin < low:
            out.append((begin, low))
        begin = max(begin, high)
    return [*out, (begin, max(last, begin + 1))]


def _lanes(clock: Clock, names: Sequence[str]) -> list[tuple[str, list[Slot]]]:
    """What dries: each model, or the regions of the only one."""
    by: dict[str, list[Slot]] = {}
    for slot in clock.slots:
        label = slot.region if len(names) == 1 else names[slot.model]
        by.setdefault(label, []).append(slot)
    rows = list(by.items())
    if len(rows) <= MOST_LANES:
        return rows
    rest = [s for _, spans in rows[MOST_LANES - 1 :] for s in spans]
    return [*rows[: MOST_LANES - 1], ("all others", rest)]


def _marks(
    spans: Sequence[tuple[float, float]],
    x: Callable[[float], float],
    scale: float,
    high: float,
    moment: Callable[[float], datetime] | None,
) -> str:
    step = next((s for s in STEPS if s * scale >= 54), STEPS[-1])
    out, last = [], -1e9
    for low, up in spans:
        shift = 0.0
        if moment is not None:  # marks on round times
            first = moment(low)
            shift = -((first.hour * 60 + first.minute) % step)
        at = low + shift
        while at <= up + 1e-6:
            if at >= low - 1e-6:
                out.append(f'<path d="M{x(at):.1f} {TOP - 6:.0f}V{high - 6:.0f}" stroke="{GRID}"/>')
                if x(at) - last < LEAST_MARK:
                    at += step
                    continue
                last = x(at)
                out.append(
                    f'<text x="{x(at):.1f}" y="{TOP - 10:.0f}" font-size="10" fill="{WORDS}" '
                    f'text-anchor="middle">{_when(at, moment)}</text>'
                )
            at += step
    return "".join(out)


def _when(minute: float, moment: Callable[[float], datetime] | None) -> str:
    if moment is None:
        return minutes_words(minute) if minute else "0"
    when = moment(minute)
    return f"{when:%a %H:%M}" if (when.hour, when.minute) == (0, 0) else f"{when:%H:%M}"


def _label(y: float, words: str) -> str:
    short = words if len(words) <= 19 else words[:18] + "…"
    return (
        f'<text x="{LEFT - 8:.0f}" y="{y:.1f}" font-size="11" fill="{WORDS}" text-anchor="end">{escape(short)}</text>'
    )
