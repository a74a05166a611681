"""Four highlights are where they belong, one is not (CP-14)."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..light.lamp import Lamp
from ..sculpt.site import Site
from ..view.camera import Camera
from .drill import Drill, Question, apart, drawn, lamp_words, lights_and_shadows, lit, numbers_in, view_of

RIGHT, HIGHLIGHT_MM = 4, 0.022  # of the size, radius of a highlight that is drawn


class WrongHighlight(Drill):
    """The brightest step is rationed to what the lamp sees squarely. Common practice, CP-14."""

    name, title, order = "wrong-highlight", "Find the wrong highlight", 40
    teaches = "A highlight on what turns away from the lamp flattens the form."
    unit, poor = "wrong", 1.0

    def make(self, site: Site, seed: int) -> Question:
        """Five highlights, one of them in the shadow."""
        rng = np.random.default_rng([4, seed])
        camera = view_of(rng)
        lamp, bright, dark = lights_and_shadows(site, camera, rng, 0.75, -0.2, (RIGHT, 1))
        spots = [*apart(site, bright, RIGHT, camera), int(rng.choice(dark))]
        order = rng.permutation(len(spots))
        shown = [spots[k] for k in order]
        data = {"view": [camera.azimuth, camera.elevation], "lamp": [lamp.azimuth, lamp.elevation], "spots": shown}
        truth = int(np.flatnonzero(order == RIGHT)[0]) + 1
        question = f"The lamp shines {lamp_words(lamp)}. One of the five highlights does not belong. Which?"
        why = f"Number {truth} lies where the lamp does not reach."
        return Question(self.name, seed, question, "choice", self.unit, data, truth, why)

    def error(self, question: Question, answer: Any) -> float:
        """0 or 1."""
        return float(int(numbers_in(answer, 1)[0]) != question.truth)

    def amount(self, error: float) -> str:
        """In words."""
        return "one highlight"

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """An even sketch with the highlights; solved: the light itself."""
        camera, lamp = Camera(*question.data["view"]), Lamp(*question.data["lamp"])
        values = lit(site, lamp)
        if not solved:
            values = (4.2 + 0.25 * values).astype(np.float32)
        for spot in question.data["spots"]:
            off = np.linalg.norm(site.surface.points - site.surface.points[spot], axis=1)
            near = (off < HIGHLIGHT_MM * site.surface.size) & (
                site.surface.normals @ site.surface.normals[spot] > 0.3
            )
            values = np.where(near, np.float32(9.6), values)
        return drawn(site, camera, values, question.data["spots"])


DRILL = WrongHighlight()
