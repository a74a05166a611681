"""The problem: work on lanes, what comes after what, and when there are hands. Source of the model: job-shop
scheduling with time lags, as textbooks have it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from math import inf

from ..errors import SettingError

HANDS = "hands"  # the lane that keeps to the hours
EPSILON = 1e-6  # minutes


@dataclass(frozen=True)
class Stint:
    """One thing to do without a break. minutes: it takes. lane: what it takes up meanwhile, one thing at a time; the
    hands keep to the hours, every other lane is always there. earliest: minute before which it cannot begin. pin: the
    minute at which it has to begin, None for any. worth: what would be lost without it; None: it must be done."""

    minutes: float
    lane: str = HANDS
    earliest: float = 0.0
    pin: float | None = None
    worth: float | None = None


@dataclass(frozen=True)
class After:
    """Work number `later` begins no sooner than `minutes` after number `earlier` has begun."""

    earlier: int
    later: int
    minutes: float


@dataclass(frozen=True)
class Problem:
    """works: by their numbers. afters: what comes after what. windows: when there are hands, (from, to) in minutes,
    one after another; () for always. until: minute by which the hands have to be done; None for whenever."""

    works: tuple[Stint, ...]
    afters: tuple[After, ...] = ()
    windows: tuple[tuple[float, float], ...] = ()
    until: float | None = None

    def without(self, dropped: Sequence[int]) -> "Problem":
        """The same with some work left out; numbers stay, what is left out takes no time and no place."""
        gone = set(dropped)
        nothing = Stint(0.0)
        works = tuple(
            replace(nothing, lane=w.lane, worth=w.worth) if k in gone else w for k, w in enumerate(self.works)
        )
        afters = tuple(a for a in self.afters if a.earlier not in gone and a.later not in gone)
        return replace(self, works=works, afters=afters)

    def fits(self, begin: float, minutes: float) -> float:
        """The first minute from `begin` on at which the hands are free for so long; infinite where they never are."""
        if not self.windows:
            return begin
        for low, high in self.windows:
            at = max(begin, low)
            if at + minutes <= high + EPSILON:
                return at
        return inf

    def order(self) -> list[int]:
        """The numbers so that what comes before stands before.

        Raises:
            SettingError: something waits for itself.
        """
        follows: list[list[int]] = [[] for _ in self.works]
        left = [0] * len(self.works)
        for a in self.afters:
            follows[a.earlier].append(a.later)
            left[a.later] += 1
        ready = [k for k, n in enumerate(left) if not n]
        out = []
        while ready:
            k = ready.pop(0)
            out.append(k)
            for j in follows[k]:
                left[j] -= 1
                if not left[j]:
                    ready.append(j)
        if len(out) < len(self.works):
            raise SettingError("some steps wait for each other in a ring; take one of them out of it")
        return out

    def chain(self) -> float:
        """Minutes that the longest chain of work and waiting takes, were there any number of hands at all hours: no
        schedule ends earlier."""
        begin = [w.earliest if w.pin is None else w.pin for w in self.works]
        before: list[list[After]] = [[] for _ in self.works]
        for a in self.afters:
            before[a.later].append(a)
        for k in self.order():
            begin[k] = max([begin[k], *(begin[a.earlier] + a.minutes for a in before[k])])
            if self.works[k].lane == HANDS:
                begin[k] = self.fits(begin[k], self.works[k].minutes)
        return max((b + w.minutes for b, w in zip(begin, self.works, strict=True)), default=0.0)

    def lane_bound(self) -> float:
        """Minutes until the work of the fullest lane is done, were it never held up."""
        most = 0.0
        for lane in {w.lane for w in self.works}:
            in_lane = [w for w in self.works if w.lane == lane and w.minutes > 0]
            at = min((w.earliest for w in in_lane), default=0.0)
            left = sum(w.minutes for w in in_lane)
            if lane != HANDS or not self.windows:
                most = max(most, at + left)
                continue
            for low, high in self.windows:
                room = max(0.0, high - max(low, at))
                if left <= room + EPSILON:
                    most = max(most, max(low, at) + left if left > 0 else 0.0)
                    left = 0.0
                    break
                left -= room
            if left > EPSILON:
                most = inf
        return most


@dataclass(frozen=True)
class Schedule:
    """starts: the minute at which each work begins, None where it is left out. end: the minute at which the last is
    done. bound: no schedule of this problem ends earlier. exact: whether it is the best there is."""

    starts: tuple[float | None, ...]
    end: float
    bound: float
    exact: bool = False

    @property
    def gap(self) -> float:
        """How much longer it takes than the bound, as a share of that."""
        return max(0.0, self.end / self.bound - 1) if self.bound > EPSILON else 0.0

    @property
    def dropped(self) -> tuple[int, ...]:
        """What is left out."""
        return tuple(k for k, s in enumerate(self.starts) if s is None)


def broken_rules(problem: Problem, schedule: Schedule) -> list[str]:
    """What a schedule does that it may not, in words; [] where it is sound."""
    starts, out = schedule.starts, []
    for k, (work, at) in enumerate(zip(problem.works, starts, strict=True)):
        if at is None:
            if work.worth is None:
                out.append(f"work {k} is left out, but must be done")
            continue
        if at < work.earliest - EPSILON:
            out.append(f"work {k} begins before it can")
        inside = any(low - EPSILON <= at and at + work.minutes <= high + EPSILON for low, high in problem.windows)
        if work.lane == HANDS and problem.windows and work.minutes > 0 and not inside:
            out.append(f"work {k} is done outside the hours")
    for a in problem.afters:
        first, second = starts[a.earlier], starts[a.later]
        if first is not None and second is not None and second < first + a.minutes - EPSILON:
            out.append(f"work {a.later} begins too early after {a.earlier}")
    for lane in {w.lane for w in problem.works}:
        in_lane = sorted(
            (s, s + w.minutes, k)
            for k, (w, s) in enumerate(zip(problem.works, starts, strict=True))
            if s is not None and w.lane == lane and w.minutes > 0
        )
        for (_, end, k), (begin, _, j) in pairwise(in_lane):
            if begin < end - EPSILON:
                out.append(f"works {k} and {j} are done at once")
    return out
