"""How quick a painter is beside what was estimated, by technique and size.

A hierarchical mean of log ratios: the painter, the painter's techniques, and sizes within those; each is drawn toward
the one above it as far as its own times are few and far apart. Source: shrinkage of group means (normal-normal
model, empirical Bayes), as textbooks have it; the spreads are from memory.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import exp, log

from ..plain import rounded
from ..units import counted
from .entry import Entry

OWN, TECHNIQUE, SIZE = 0.6, 0.17, 0.12  # one sigma of log pace: painters, techniques of one, sizes within a technique
NOISE = 0.35  # one sigma of a single step
FARTHEST = log(4.0)  # what is further off was left lying, or never begun
LATEST = 240  # steps that are looked at: a hand changes over the years, and each is weighed against the others
LEAST = 6  # steps that are needed before anything is said
SAID_FROM = 0.1  # log of a pace; one nearer to the estimates is not mentioned


@dataclass(frozen=True)
class Pace:
    """times: what a step takes beside what was estimated, by technique and by "technique size"; all: of any other.
    count: how many steps each rests on."""

    all: float = rounded(3, 1.0)
    times: dict[str, float] = field(default_factory=dict)
    count: dict[str, int] = field(default_factory=dict)
    steps: int = 0

    def of(self, technique: str, size: str) -> float:
        """Times the estimate for a step."""
        return self.times.get(f"{technique} {size}", self.times.get(technique, self.all))


def pace_of(entries: Sequence[Entry]) -> Pace:
    """The pace that entries, the oldest first, show in the latest of them; 1 throughout where it foretells those no
    better than the estimates did."""
    rows = [
        (e.technique, e.size, max(-FARTHEST, min(FARTHEST, log(e.seconds / e.expected_s))))
        for e in entries
        if e.how in ("done", "changed") and e.seconds and e.expected_s
    ][-LATEST:]
    if len(rows) < LEAST or not _helps(rows):
        return Pace(steps=len(rows))
    return _pace(rows)


def _pace(rows: Sequence[tuple[str, str, float]]) -> Pace:
    by_technique: dict[str, list[tuple[str, float]]] = {}
    for technique, size, x in rows:
        by_technique.setdefault(technique, []).append((size, x))
    means = {
        t: (sum(x for _, x in entries_here) / len(entries_here), len(entries_here))
        for t, entries_here in by_technique.items()
    }
    middle, weight = 0.0, 1 / OWN**2
    for mean, n in means.values():
        w = 1 / (NOISE**2 / n + TECHNIQUE**2)
        middle, weight = middle + w * mean, weight + w
    own_pace = middle / weight
    times, count = {}, {}
    for technique, entries_here in by_technique.items():
        mean, n = means[technique]
        pace = _drawn(mean, n, own_pace, TECHNIQUE)
        times[technique], count[technique] = exp(pace), n
        for size in {s for s, _ in entries_here if s}:
            paces = [x for s, x in entries_here if s == size]
            times[f"{technique} {size}"] = exp(_drawn(sum(paces) / len(paces), len(paces), pace, SIZE))
            count[f"{technique} {size}"] = len(paces)
    return Pace(exp(own_pace), times, count, len(rows))


def _drawn(mean: float, n: int, toward: float, spread: float) -> float:
    """A mean of n times, drawn toward the one above it."""
    weight, above = n / NOISE**2, 1 / spread**2
    return (weight * mean + above * toward) / (weight + above)


def _helps(rows: Sequence[tuple[str, str, float]]) -> bool:
    """Whether each step is predicted better from the others than it was estimated."""
    without = with_ = 0.0
    for k, (technique, size, x) in enumerate(rows):
        pace = _pace([*rows[:k], *rows[k + 1 :]])
        with_ += abs(x - log(pace.of(technique, size)))
        without += abs(x)
    return with_ < without


def pace_words(pace: Pace, titles: dict[str, str] | None = None) -> list[str]:
    """What it shows, in sentences, the techniques with the most steps first; [] where there is nothing to tell."""
    out = []
    names = sorted((k for k in pace.count if " " not in k), key=lambda k: (-pace.count[k], k))
    for name in names:
        times = pace.times[name]
        if pace.count[name] < LEAST or abs(log(times)) < SAID_FROM:
            continue
        title = (titles or {}).get(name, name)
        often = counted(pace.count[name], "step", "steps")
        if times < 1:
            out.append(f"{title}: after {often} you are {1 / times:.1f} times as quick as was estimated.")
        else:
            out.append(f"{title}: after {often} you take {times:.1f} times as long as was estimated.")
    return out
