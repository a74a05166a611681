"""Both solvers together: a list schedule at once, and the exact one from there as long as there is time."""

from collections.abc import Sequence
from dataclasses import replace
from math import inf

from ..errors import SettingError
from .exact import exact
from .greedy import end_of, fitting
from .problem import EPSILON, HANDS, Problem, Schedule, broken_rules

SECONDS = 4.0  # that the exact solver may take
GOOD_ENOUGH = 1.002  # times the bound: nobody gains anything by looking further


def solve(problem: Problem, seconds: float = SECONDS) -> Schedule:
    """The schedule that ends soonest; with a time by which it has to end, the one that keeps the most worth, and of
    those the one that ends soonest. seconds: that the exact solver may take, 0 for the list schedule alone.

    Raises:
        SettingError: work that fits into none of the hours, a pin that cannot be kept, or a time by which not even
        what must be done is done.
    """
    _possible(problem)
    starts, dropped = fitting(problem)
    end = end_of(problem.without(dropped), starts)
    if end == inf:
        raise SettingError("there are not enough hours for all of it; give more days, or longer hours")
    gone = set(dropped)
    best: tuple[float | None, ...] = tuple(None if k in gone else s for k, s in enumerate(starts))
    too_late = 0.0 if problem.until is None else end - problem.until
    late = too_late > EPSILON
    if (late or dropped) and seconds > 0:  # which is best left out; and a list never waits for what matters more
        kept = exact(problem, best, seconds if late else seconds / 2)
        if kept is not None and (late or _worth(problem, kept[0]) > _worth(problem, best)):
            best, late = tuple(kept[0]), False
    if late:
        raise SettingError(
            f"even with all left out that can be, it ends {too_late:.0f} min too late; give it more time, or fewer "
            "models"
        )
    found = Schedule(best, _end(problem, best), 0.0)
    if broken_rules(problem, found):  # a pin that stands before what it waits for
        raise SettingError(f"a pin cannot be kept: {broken_rules(problem, found)[0]}; free it, or pin it later")
    rest = problem.without(found.dropped)
    bound = max(rest.chain(), rest.lane_bound())
    found = Schedule(found.starts, found.end, min(bound, found.end), found.end <= bound + EPSILON)
    if seconds <= 0 or found.end <= GOOD_ENOUGH * bound + EPSILON:
        return found
    gone = set(found.dropped)
    whole = replace(rest, works=tuple(replace(w, worth=None) for w in rest.works))
    tried = exact(whole, [0.0 if k in gone else s for k, s in enumerate(found.starts)], seconds)
    if tried is None:
        return found
    bound = max(bound, tried[1])
    again = tuple(None if k in gone else s for k, s in enumerate(tried[0]))
    closer = Schedule(again, _end(problem, again), 0.0)
    if broken_rules(problem, closer) or closer.end > found.end:
        closer = found
    return Schedule(closer.starts, closer.end, min(bound, closer.end), tried[2])


def _worth(problem: Problem, starts: Sequence[float | None]) -> float:
    """Of what is kept."""
    return round(sum(w.worth or 0.0 for w, s in zip(problem.works, starts, strict=True) if s is not None), 6)


def _end(problem: Problem, starts: Sequence[float | None]) -> float:
    return max((s + w.minutes for w, s in zip(problem.works, starts, strict=True) if s is not None), default=0.0)


def _possible(problem: Problem) -> None:
    """Refuses what no schedule can do."""
    if problem.windows:
        longest = max(high - low for low, high in problem.windows)
        for work in problem.works:
            if work.lane == HANDS and work.minutes > longest + EPSILON:
                raise SettingError(
                    f"something takes {work.minutes:.0f} min without a break, longer than any of the hours "
                    f"({longest:.0f} min); give longer hours"
                )
    pinned = sorted((w.pin, w.pin + w.minutes, w.lane) for w in problem.works if w.pin is not None and w.minutes > 0)
    for k, (begin, end, lane) in enumerate(pinned):
        if any(other == lane and begin < b - EPSILON and end > a + EPSILON for a, b, other in pinned[k + 1 :]):
            raise SettingError("two pins overlap: the hands can do one thing at a time; free one of them")
