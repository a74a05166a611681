"""Where the white dot goes on something that shines (craft page, section 10)."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..light.lamp import Lamp
from ..sculpt.site import Site
from .drill import Drill, Question, lamp_from, lamp_words, numbers_in
from .flat import BALL_SPAN, ball


def dot_of(lamp: Lamp) -> tuple[float, float]:
    """Across and up, in radii, of the place on a ball that mirrors a lamp to an eye in front: its normal is halfway
    between the two. Source: the law of reflection."""
    toward = _to_eye(lamp)
    half = toward + np.array([0.0, 0.0, 1.0])
    half /= np.linalg.norm(half)
    return float(half[0]), float(half[1])


def _to_eye(lamp: Lamp) -> NDArray[np.float64]:
    x, y, z = lamp.direction.astype(float)
    return np.array([x, z, -y])  # right, up, toward an eye in front


class WhiteDot(Drill):
    """On a lens or a polished ball."""

    name, title, order = "white-dot", "Place the white dot", 50
    teaches = "The dot lies halfway between where the lamp is and where you look from, not where it is brightest."
    unit, poor = "radii", 0.6

    def make(self, site: Site, seed: int) -> Question:
        """A lamp in front."""
        rng = np.random.default_rng([5, seed])
        lamp = lamp_from(rng, 15, 75)
        lamp = Lamp(float(np.clip(lamp.azimuth, -80, 80)), lamp.elevation)
        across, up = dot_of(lamp)
        data = {"lamp": [lamp.azimuth, lamp.elevation], "span": BALL_SPAN}
        why = f"It lies at {across:+.2f} across and {up:+.2f} up: halfway between lamp and eye."
        question = (
            f"A polished ball, the lamp shines {lamp_words(lamp)}. Where is the white dot? Across and up from the "
            "middle, in radii."
        )
        return Question(self.name, seed, question, "place", self.unit, data, [round(across, 4), round(up, 4)], why)

    def error(self, question: Question, answer: Any) -> float:
        """In radii of the ball."""
        off = float(np.hypot(*np.subtract(numbers_in(answer, 2), question.truth)))
        return off if off > 1e-6 else 0.0

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The ball; solved: with its dot."""
        lamp = _to_eye(Lamp(*question.data["lamp"]))
        return ball(lamp, tuple(question.truth) if solved else None)


DRILL = WhiteDot()
