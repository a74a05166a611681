"""Times: what a plan takes at the hand, in setting up and cleaning, and in waiting, for one model or a squad side by
side.

A squad is done step by step: a coat on every model from one cup, then the next. While the later models are done, and
the cup is changed, the first one dries; and while one region dries, another is painted. Only what is left of the
drying is waited for. What is brushed on many in a row goes quicker on each. Source: common practice, CP-29, CP-34.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from ...coat.technique import technique
from ...plain import rounded
from ...units import counted, minutes_words
from .care import times_for
from .step import EVERYTHING_WORDS, SPOTS_WORDS, Step
from .task import Task

THINNER_GONE_MINUTES = 15.0  # of an oil; common practice, CP-38; the number from memory
REST_MINUTES = 120.0  # of an airbrushed paint before a wash or an oil over it; common practice, CP-44
NIGHT_MINUTES = 300.0  # a wait as long as that is slept through
RINSE_MINUTES = 5.0  # the airbrush taken apart when all is done; common practice, from memory
WASH_UP_MINUTES = 3.0  # brushes washed with soap and the palette closed or wiped, when all is done; from memory


@dataclass(frozen=True)
class Times:
    """Minutes. hand: at the models. set_up, clean: mixing and loading, emptying and cleaning. wait: for drying, with
    nothing to do. cups: how many airbrush cups are cleaned. models: how many it is for. nights:
    waits that are slept through, not counted in wait."""

    hand: float = rounded(0)
    set_up: float = rounded(0)
    clean: float = rounded(0)
    wait: float = rounded(0)
    cups: int = 0
    models: int = 1
    nights: int = 0

    @property
    def whole(self) -> float:
        """From the first step to the last, the last drying not counted."""
        return self.hand + self.set_up + self.clean + self.wait

    @property
    def work(self) -> float:
        """The same without the waiting."""
        return self.hand + self.set_up + self.clean

    @property
    def words(self) -> str:
        """In a line."""
        table = self.set_up + self.clean
        said = (
            f"{minutes_words(self.hand)} at the {'model' if self.models == 1 else 'models'}, "
            f"{minutes_words(table)} mixing and cleaning"
        )
        said = f"{said}, {minutes_words(self.wait)} waiting" if self.wait >= 1 else said
        return f"{said}, and {counted(self.nights, 'night', 'nights')} to dry" if self.nights else said


def touch(a: Step, b: Step) -> bool:
    """Whether one coat lies where the other goes."""
    return EVERYTHING_WORDS in (a.goes_on, b.goes_on) or (a.goes_on == b.goes_on != SPOTS_WORDS)


def lag_between(before: Step, step: Step, rests: bool = True) -> float:
    """Minutes from the end of one step's work until another may go over it: when it is dry, or, oil on oil, as soon
    as its thinner has gone (CP-38); a wash straight over airbrushed paint when that has rested (CP-44). rests:
    whether nothing was brushed over it since."""
    if before.oil and step.oil:
        return min(before.wait_minutes, THINNER_GONE_MINUTES)
    if rests and "airbrush" in before.caution_tags and (step.oil or technique(step.technique).floods):
        return max(before.wait_minutes, REST_MINUTES)
    return before.wait_minutes


def is_sprayed(step: Step) -> bool:
    """Whether it comes from a nozzle: the trigger takes its time however often it was pulled."""
    return bool({"airbrush", "can"} & set(step.caution_tags))


def _times(step: Step, models: int) -> float:
    return models if is_sprayed(step) else times_for(models)


def _hand(task: Task, models: int) -> float:
    return task.hand_minutes * (1 if task.once else times_for(models))


def times_of(steps: Sequence[Step], models: int = 1) -> Times:
    """What steps take on so many models; muted ones are left out."""
    done = [s for s in steps if not s.muted]
    cups = sum(s.clean_minutes > 0 for s in done if "airbrush" in s.caution_tags)
    clock = wait = 0.0
    ended: list[tuple[Step, float]] = []  # when each step was done on the first model
    for step in done:
        for task in step.before:
            clock += _hand(task, models) + task.wait_minutes
            wait += task.wait_minutes if task.wait_minutes < NIGHT_MINUTES else 0.0
        clock += step.set_up_minutes
        below = [(before, at) for before, at in ended if touch(before, step)]
        brushed = max((k for k, (b, _) in enumerate(below) if "airbrush" not in b.caution_tags), default=-1)
        ready = max((at + lag_between(b, step, rests=k > brushed) for k, (b, at) in enumerate(below)), default=0.0)
        wait += max(0.0, ready - clock)
        clock = max(clock, ready)
        ended.append((step, clock + step.hand_minutes))
        clock += _times(step, models) * step.hand_minutes + step.clean_minutes
    brushes = any(not is_sprayed(s) for s in done)
    tasks = [task for s in done for task in (*s.before, *s.after)]
    wait += sum(task.wait_minutes for s in done for task in s.after if task.wait_minutes < NIGHT_MINUTES)
    return Times(
        sum(_times(s, models) * s.hand_minutes for s in done) + sum(_hand(task, models) for task in tasks),
        sum(s.set_up_minutes for s in done),
        sum(s.clean_minutes for s in done) + (RINSE_MINUTES if cups else 0.0) + (WASH_UP_MINUTES if brushes else 0.0),
        wait,
        cups,
        models,
        sum(task.wait_minutes >= NIGHT_MINUTES for task in tasks),
    )
