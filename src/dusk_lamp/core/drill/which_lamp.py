"""Which lamp made this picture?"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..light.lamp import Lamp
from ..sculpt.site import Site
from ..view.camera import Camera
from .drill import Drill, Question, drawn, lamp_from, lamp_words, lit, numbers_in, view_of


class WhichLamp(Drill):
    """The lamp is read off a picture by its lights and its shadows."""

    name, title, order = "which-lamp", "Which lamp made this?", 30
    teaches = "Find the lightest spot: the lamp is where it points. Then look where the shadows begin."
    unit, poor = "°", 60.0

    def make(self, site: Site, seed: int) -> Question:
        """A lamp, and the sculpt in its light."""
        rng = np.random.default_rng([3, seed])
        camera, lamp = view_of(rng), lamp_from(rng, 10, 80)
        truth = [lamp.azimuth, lamp.elevation]
        data = {"view": [camera.azimuth, camera.elevation]}
        question = "Where does the lamp stand? Turn the dial: azimuth from the front, and height, in degrees."
        return Question(self.name, seed, question, "dial", self.unit, data, truth, f"It shines {lamp_words(lamp)}.")

    def error(self, question: Question, answer: Any) -> float:
        """Degrees from one direction to the other."""
        a, b = (direction_of(*pair).astype(float) for pair in (numbers_in(answer, 2), question.truth))
        return float(np.degrees(np.arccos(np.clip(a @ b, -1, 1)))) if not np.allclose(a, b) else 0.0

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The sculpt in the lamp's light; solved: seen from the lamp."""
        camera = Camera(*(question.truth if solved else question.data["view"]))
        return drawn(site, camera, lit(site, Lamp(*question.truth)))

    def amount(self, error: float) -> str:
        """In degrees."""
        return f"{error:.0f}°"


DRILL = WhichLamp()
