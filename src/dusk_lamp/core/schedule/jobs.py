"""Jobs: the steps of one model, and the tasks around them, as what has to be done at the table and what has to be dry
before it can."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ..plan.steps.cards import wet_minutes
from ..plan.steps.step import Step
from ..plan.steps.task import Task
from ..plan.steps.times import is_sprayed, lag_between
from ..squad.work import puddle_keys
from ..workplace.room import Room
from ..workplace.tools import EVERYTHING
from .before import Before

CUP_MINUTES = 40.0  # that paint stays sprayable in a cup; from memory
LONG_AGO = -1e6  # minutes
TASK = "task"  # the stage of what lays no paint


@dataclass(frozen=True)
class Needs:
    """A job begins no sooner than `minutes` after the end of the job number `job` of the same model."""

    job: int
    minutes: float


@dataclass(frozen=True)
class DayStep:
    """One step or task at one model.

    key: the same for what is done on several models from one puddle. step: its number in the plan; 0 for a task.
    hand: minutes at the model; set_up, clean: once for all models that are done together; wait: until it is dry. wet:
    minutes that its puddle stays workable. worth: 0..1 of the model's look that is lost without it; None where it
    must be done. needs: what has to be done and dry before.
    sprayed: it takes as long at every model of a batch.
    """

    key: str
    title: str
    step: int
    stage: str
    region: str
    technique: str
    paint: str
    hex: str
    hand: float
    wait: float
    set_up: float = 0.0
    clean: float = 0.0
    wet: float = 120.0
    worth: float | None = None
    needs: tuple[Needs, ...] = ()
    sprayed: bool = False


def jobs_of(
    steps: Sequence[Step],
    before: Sequence[Sequence[Before]],
    worths: Mapping[int, float] | None = None,
    room: Room = EVERYTHING.room,
    keys: Sequence[str] | None = None,
) -> list[DayStep]:
    """The jobs of steps, muted ones left out, in their order; tasks at their places. before: of each step that
    is not muted, what comes before it; see core.schedule.before. worths: by a step's number, of those that may be
    left out. room: where the palette lies. keys: of each step, muted ones too, what is the same for those done from
    one puddle; see core.squad.work.keys_of."""
    worths = worths or {}
    keys_here = keys or puddle_keys(steps)
    done = [(s, key) for s, key in zip(steps, keys_here, strict=True) if not s.muted]
    out: list[DayStep] = []
    steps_at: list[tuple[int, Step]] = []  # job number and step
    tasks_at: list[int] = []
    for step, key in done:
        for task in step.before:
            _add_task(out, tasks_at, task)
        needs = [Needs(k, out[k].wait) for k in tasks_at]
        own_before = before[len(steps_at)]
        below = [steps_at[b.coat] for b in own_before if b.over]
        needs += [Needs(steps_at[b.coat][0], 0.0) for b in own_before if not b.over]
        brushed = max((n for n, (_, s) in enumerate(below) if "airbrush" not in s.caution_tags), default=-1)
        needs += [Needs(k, lag_between(s, step, rests=n > brushed)) for n, (k, s) in enumerate(below)]
        out.append(
            DayStep(
                key=key,
                title=step.heading,
                step=step.number,
                stage=step.stage,
                region=step.goes_on,
                technique=step.technique,
                paint=step.paint,
                hex=step.hex,
                hand=step.hand_minutes,
                wait=step.wait_minutes,
                set_up=step.set_up_minutes,
                clean=step.clean_minutes,
                wet=CUP_MINUTES if "airbrush" in step.caution_tags else wet_minutes(room),
                worth=worths.get(step.number),
                needs=tuple(needs),
                sprayed=is_sprayed(step),
            )
        )
        steps_at.append((len(out) - 1, step))
    for step, _ in done:
        for task in step.after:
            _add_task(out, tasks_at, task)
    return out


def _add_task(out: list[DayStep], tasks_at: list[int], task: Task) -> None:
    """A task comes when all before it is done and dry, and nothing goes on before it is."""
    needs = tuple(Needs(k, job.wait) for k, job in enumerate(out))
    title, wait = task.title, task.wait_minutes
    hand, once = (0.0, task.hand_minutes) if task.once else (task.hand_minutes, 0.0)
    again = sum(job.title == title for job in out)
    out.append(
        DayStep(f"task {title} {again}", title, 0, TASK, "everything", TASK, "", "", hand, wait, once, needs=needs)
    )
    tasks_at.append(len(out) - 1)


def ended_of(jobs: Sequence[DayStep], steps: Mapping[int, float]) -> dict[int, float]:
    """The minute at which each job that is ended was, by its number; a task before a step that is ended is, too.

    Args:
        steps: minute at which each ended step, by its number in the plan, was ended; the past is negative.
    """
    out = {k: min(0.0, steps[job.step]) for k, job in enumerate(jobs) if job.step in steps}
    last = max(out, default=-1)
    return out | {k: LONG_AGO for k, job in enumerate(jobs) if job.step == 0 and k < last}


def left_of(jobs: Sequence[DayStep], done: Mapping[int, float]) -> tuple[list[DayStep], list[float]]:
    """The jobs that are still to be done, and the minute before which each cannot begin.

    Args:
        done: minute at which each ended job, by its number, ended; what was ended long ago is negative.
    """
    place = {k: n for n, k in enumerate(k for k in range(len(jobs)) if k not in done)}
    left, earliest = [], []
    for k, job in enumerate(jobs):
        if k in done:
            continue
        left.append(replace(job, needs=tuple(Needs(place[n.job], n.minutes) for n in job.needs if n.job not in done)))
        earliest.append(max([0.0, *(done[n.job] + n.minutes for n in job.needs if n.job in done)]))
    return left, earliest
