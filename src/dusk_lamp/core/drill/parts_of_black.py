"""How many parts of black make this grey? (craft page, section 8: black plus white by volume is not linear)"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.mix import Mix
from ..paint.rack import Paint
from ..sculpt.site import Site
from .drill import Drill, Question, numbers_in
from .flat import patches

WHITE, BLACK = Paint("White", "base", "#f1efe8"), Paint("Black", "base", "#1c1b1d")
OF_WHITE = 12


def grey_with(parts: float) -> float:
    """The value of twelve parts of white with so many of black."""
    whole = Mix((WHITE, BLACK), (OF_WHITE * 10, max(1, round(10 * parts))))
    return whole.colour.value if parts > 0 else Mix((WHITE,), (1,)).colour.value


class PartsOfBlack(Drill):
    """Source: Kubelka and Munk, with two constants, as every mix here."""

    name, title, order = "parts-of-black", "How much black?", 60
    teaches = "A little black drags white down a long way: begin with less than you think."
    unit, poor = "steps of value", 2.0

    def make(self, site: Site, seed: int) -> Question:
        """A grey between white and black."""
        rng = np.random.default_rng([6, seed])
        parts = int(rng.integers(1, 13))
        value = grey_with(parts)
        question = f"Into {OF_WHITE} parts of white, how many parts of black make this grey?"
        why = f"{parts} parts of black: value {value:.1f}."
        return Question(self.name, seed, question, "number", self.unit, {"value": round(value, 2)}, parts, why)

    def error(self, question: Question, answer: Any) -> float:
        """In steps of value, between the grey that was asked for and the one that is named."""
        parts = min(max(numbers_in(answer, 1)[0], 0.0), 200.0)
        return abs(grey_with(parts) - grey_with(question.truth))

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """White, the grey, black; solved: what more and less black would make."""
        if solved:
            parts = [question.truth / 2, question.truth, question.truth * 2]
            return patches([grey_with(p) for p in parts], [f"{p:g} of black" for p in parts])
        return patches([grey_with(0), question.data["value"], BLACK.looks.value], ["White", "This grey", "Black"])


DRILL = PartsOfBlack()
