"""Times: what a plan takes at the hand, in setting up and cleaning, and in waiting, for one model or a squad side by side.

A squad is done step by step: a coat on every model from one cup, then the next. While the later models are done, and the cup is
changed, the first one dries: only what is left of its drying is waited for. Source: common practice, CP-29, CP-34.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from ..plain import rounded
from ..units import minutes_words
from .step import Step

RINSE_MINUTES = 5.0  # the airbrush taken apart when all is done; common practice, from memory


@dataclass(frozen=True)
class Times:
    """Minutes. hand: at the models. set_up, clean: mixing and loading, emptying and cleaning. wait: for drying, with nothing to
    do. cups: how many airbrush cups are cleaned. models: how many it is for."""

    hand: float = rounded(0)
    set_up: float = rounded(0)
    clean: float = rounded(0)
    wait: float = rounded(0)
    cups: int = 0
    models: int = 1

    @property
    def whole(self) -> float:
        """From the first step to the last, the last drying not counted."""
        return self.hand + self.set_up + self.clean + self.wait

    @property
    def words(self) -> str:
        """In a line."""
        table = self.set_up + self.clean
        said = f"{minutes_words(self.hand)} at the {'model' if self.models == 1 else 'models'}, {minutes_words(table)} mixing and cleaning"
        return f"{said}, {minutes_words(self.wait)} waiting" if self.wait >= 1 else said


def times_of(steps: Sequence[Step], models: int = 1) -> Times:
    """What steps take on so many models; muted ones are left out."""
    done = [s for s in steps if not s.muted]
    cups = sum(s.clean_minutes > 0 for s in done if "airbrush" in s.caution_tags)
    wait = sum(
        max(0.0, a.wait_minutes - (models - 1) * a.hand_minutes - a.clean_minutes - b.set_up_minutes)
        for a, b in pairwise(done)
    )
    return Times(
        models * sum(s.hand_minutes for s in done), sum(s.set_up_minutes for s in done),
        sum(s.clean_minutes for s in done) + (RINSE_MINUTES if cups else 0.0), wait, cups, models,
    )  # fmt: skip
