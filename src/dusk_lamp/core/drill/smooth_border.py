"""Is this border smooth enough? (CP-31: steps of half a value read as smooth)"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.value import grey_srgb
from ..plan.steps.gradient import SMOOTH
from ..sculpt.site import Site
from .drill import Drill, Question, numbers_in
from .flat import HIGH, WIDE, with_words

COUNT = 4


class SmoothBorder(Drill):
    """Between two mixes a jump of half a value at most reads as smooth. Common practice, CP-31."""

    name, title, order = "smooth-border", "Does it read as smooth?", 100
    teaches = "Squint: where the border goes, it is smooth enough."
    unit, poor = "borders", 2.0

    def make(self, site: Site, seed: int) -> Question:
        """Four borders, some of them smooth."""
        rng = np.random.default_rng([10, seed])
        clear = [s for s in np.round(np.arange(0.2, 1.5, 0.1), 2) if abs(s - SMOOTH) > 0.12]
        jumps = [float(rng.choice(clear)) for _ in range(COUNT)]
        starts = [round(float(rng.uniform(3, 8 - j)), 2) for j in jumps]
        truth = [j <= SMOOTH for j in jumps]
        why = "They jump by " + ", ".join(f"{j:.1f}" for j in jumps) + f" of a value; {SMOOTH:g} reads as smooth."
        question = "Which of the borders read as smooth at arm's length? Say yes or no for each."
        return Question(
            self.name, seed, question, "yes-no", self.unit, {"jumps": jumps, "starts": starts}, truth, why
        )

    def error(self, question: Question, answer: Any) -> float:
        """How many are wrong."""
        given = numbers_in(answer, len(question.truth))
        return float(sum(bool(a) != t for a, t in zip(given, question.truth, strict=True)))

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The borders; solved: with a step between where one is needed."""
        out = np.full((HIGH, WIDE, 3), 119, np.uint8)
        each = WIDE // COUNT
        for k, (jump, start) in enumerate(zip(question.data["jumps"], question.data["starts"], strict=True)):
            count = max(2, int(np.ceil(jump / SMOOTH)) + 1) if solved else 2
            values = start + jump * np.arange(count) / (count - 1)
            rows = np.array_split(np.arange(24, HIGH - 56), count)
            for row, value in zip(rows, values, strict=True):
                out[row[0] : row[-1] + 1, k * each + 12 : (k + 1) * each - 12] = grey_srgb(value)
        return with_words(out, [(k * each + 16, HIGH - 44, str(k + 1)) for k in range(COUNT)])


DRILL = SmoothBorder()
