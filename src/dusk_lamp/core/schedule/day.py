"""The day: models on a clock. Which batch is done when, what is left out, and what of it a model's picture shows."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from ..plain import rounded
from ..units import counted, minutes_words
from .batches import Batch, batches_of, works_of
from .jobs import TASK, DayStep
from .problem import EPSILON, Problem, Schedule, Stint
from .solve import SECONDS, solve

LONG_GAP = 5.0  # minutes without work that are worth telling


@dataclass(frozen=True)
class Slot:
    """One job at one model, when it is done. batch: its number; begins: whether the puddle is made for it. start,
    end: minutes, with the making of the puddle for the first and cleaning up for the last. dry_at: when it is dry.
    number: of the step in the plan, 0 for a task; model: from 0."""

    batch: int
    model: int
    job: int
    number: int
    title: str
    region: str
    stage: str
    technique: str
    paint: str
    hex: str
    begins: bool
    start: float = rounded(1)
    end: float = rounded(1)
    dry_at: float = rounded(1)


@dataclass(frozen=True)
class Day:
    """models: the jobs of each. windows: see Problem. until: see Problem. pins: minute at which a batch has to begin,
    by its key and the first model in it. earliest: see works_of. practice: see batches_of."""

    models: tuple[tuple[DayStep, ...], ...]
    windows: tuple[tuple[float, float], ...] = ()
    until: float | None = None
    pins: Mapping[tuple[str, int], float] = field(default_factory=dict)
    earliest: tuple[tuple[float, ...], ...] | None = None
    practice: Callable[[int], float] = lambda n: 1.0


@dataclass(frozen=True)
class Clock:
    """A day that was scheduled. slots: in the order they are done. dropped: model and job of what is left out.
    makespan: the minute at which the hands are done; dry: at which all is dry. bound: no schedule of these batches
    ends earlier."""

    day: Day
    batches: tuple[Batch, ...]
    schedule: Schedule
    slots: tuple[Slot, ...]
    dropped: tuple[tuple[int, int], ...]
    makespan: float = rounded(1)
    dry: float = rounded(1)
    bound: float = rounded(1)

    @property
    def hand_minutes(self) -> float:
        """Minutes of work in it."""
        gone = set(self.schedule.dropped)
        return sum(b.minutes for n, b in enumerate(self.batches) if n not in gone)

    @property
    def waits(self) -> list[tuple[float, float]]:
        """From when to when there are hands and nothing to do, before the end."""
        busy = sorted(
            (s, s + b.minutes)
            for s, b in zip(self.schedule.starts, self.batches, strict=True)
            if s is not None and b.minutes > 0
        )
        windows = self.day.windows or ((0.0, self.makespan),)
        out = []
        for low, high in windows:
            at = low
            for begin, end in [*busy, (self.makespan, self.makespan)]:
                if end <= low or begin >= high:
                    continue
                if begin - at >= LONG_GAP:
                    out.append((at, min(begin, high)))
                at = max(at, end)
            if at < min(high, self.makespan) - LONG_GAP:
                out.append((at, min(high, self.makespan)))
        return [(a, b) for a, b in out if a < self.makespan - EPSILON]

    @property
    def words(self) -> str:
        """In a sentence or two."""
        count = len(self.day.models)
        said = f"{counted(count, 'model', 'models')}: {minutes_words(self.hand_minutes)} of work"
        waits = sum(b - a for a, b in self.waits)
        said += f", {minutes_words(waits)} of waiting" if waits >= LONG_GAP else ""
        said += f"; the brush is down after {minutes_words(self.makespan)}"
        if self.dry > self.makespan + 1:
            said += f", all of it dry after {minutes_words(self.dry)}"
        left = sorted({self.day.models[m][k].title for m, k in self.dropped})
        return said + "." + (f" Left out: {'; '.join(left)}." if left else "")


def clock_of(day: Day, seconds: float = SECONDS) -> Clock:
    """A day on the clock. seconds: that the exact solver may take.

    Raises:
        SettingError: see solve.
    """
    longest = max((high - low for low, high in day.windows), default=float("inf"))
    batches = batches_of(day.models, longest, day.practice)
    works, afters = works_of(day.models, batches, day.earliest)
    works = [_pinned(w, b, day) for w, b in zip(works, batches, strict=True)]
    if day.until is None:
        works = [replace(w, worth=None) for w in works]
    schedule = solve(Problem(tuple(works), tuple(afters), day.windows, day.until), seconds)
    slots, dropped = [], []
    for n, (batch, at) in enumerate(zip(batches, schedule.starts, strict=True)):
        for place, (m, k) in enumerate(batch.members):
            if at is None:
                dropped.append((m, k))
                continue
            job, last = day.models[m][k], place == len(batch.members) - 1
            begin = at + (0.0 if place == 0 else batch.begins(place))
            done = at + batch.ends(place)
            slots.append(
                Slot(
                    n,
                    m,
                    k,
                    job.step,
                    job.title + (f", part {batch.part + 1} of {batch.parts}" if batch.parts > 1 else ""),
                    job.region,
                    job.stage,
                    job.technique,
                    job.paint,
                    job.hex,
                    place == 0 and job.stage != TASK,
                    begin,
                    done + (batch.clean if last else 0.0),
                    done + (job.wait if batch.part == batch.parts - 1 else 0.0),
                )
            )
    slots.sort(key=lambda s: (s.start, s.end, s.batch, s.model))
    end = max((s.end for s in slots), default=0.0)
    dry = max((s.dry_at for s in slots), default=0.0)
    return Clock(
        day, tuple(batches), schedule, tuple(slots), tuple(dropped), end, max(dry, end), min(schedule.bound, end)
    )


def _pinned(work: Stint, batch: Batch, day: Day) -> Stint:
    m, k = batch.members[0]
    at = day.pins.get((day.models[m][k].key, m)) if batch.part == 0 else None
    return work if at is None else replace(work, pin=round(at, 1))
