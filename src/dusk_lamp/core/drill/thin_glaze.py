"""How thin is this glaze? (CP-17)"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.colour import rgb, xyz
from ..paint.film import film
from ..paint.pigment import Pigment
from ..paint.rack import Paint
from ..paint.value import luminance_from_munsell
from ..sculpt.site import Site
from .drill import Drill, Question, numbers_in
from .flat import colour_patches

COLOURS = {"red": "#8e2b25", "blue": "#2d4a7c", "green": "#2f5b3c", "brown": "#5b3a25"}
UNDER = (3.0, 4.5, 6.0, 7.5, 9.0)  # values of a sketch
WATERS = (1, 2, 4, 8, 16)  # parts to one of paint
WET_UM = 18.0  # that a wicked brush leaves


def seen_over(pigment: Pigment, water: float, value: float) -> NDArray[np.float64]:
    """(3,) sRGB levels of a glaze over a grey."""
    ground = np.full(36, luminance_from_munsell(value) / 100)
    return 255 * rgb(xyz(film(pigment.K, pigment.S, WET_UM * 0.4 / (1 + water), ground)))


class ThinGlaze(Drill):
    """Source: the hyperbolic film of Kubelka (1948), as every glaze here; CP-17."""

    name, title, order = "thin-glaze", "How thin is this glaze?", 70
    teaches = "Look how much of the sketch still shows: the thinner, the more."
    unit, poor = "times too thick or thin, as doublings", 3.0

    def make(self, site: Site, seed: int) -> Question:
        """A colour and how it was thinned."""
        rng = np.random.default_rng([7, seed])
        name, water = str(rng.choice(list(COLOURS))), int(rng.choice(WATERS))
        question = f"One pass of a {name} over a sketch. To one part of paint, how many parts of water were there?"
        why = f"{water} to one."
        return Question(self.name, seed, question, "number", self.unit, {"colour": name}, water, why)

    def error(self, question: Question, answer: Any) -> float:
        """In doublings of the water."""
        given = min(max(numbers_in(answer, 1)[0], 0.05), 200.0)
        return abs(float(np.log2(given / question.truth)))

    def amount(self, error: float) -> str:
        """In words."""
        return f"{2**error:.1f} times the water"

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The glaze over five greys; solved: thinned half and twice as much beside it."""
        pigment = Paint("Glaze", "layer", COLOURS[question.data["colour"]]).pigment
        if solved:
            thinnings = [question.truth / 2, question.truth, question.truth * 2]
            return colour_patches([seen_over(pigment, w, 6.0) for w in thinnings], [f"{w:g} to 1" for w in thinnings])
        return colour_patches([seen_over(pigment, question.truth, v) for v in UNDER], [f"over {v:g}" for v in UNDER])


DRILL = ThinGlaze()
