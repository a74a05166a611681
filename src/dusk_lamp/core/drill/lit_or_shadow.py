"""Lit or in shadow, seen from the lamp (CP-9)."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..sculpt.site import Site
from ..view.camera import Camera
from .drill import (
    Drill,
    Question,
    apart,
    drawn,
    lamp_words,
    lights_and_shadows,
    lit,
    numbers_in,
    plain_form,
    view_of,
)

SPOTS = 8
CLEAR = 0.3  # cosine: a spot that faces the lamp less than that, and not away from it, is not asked


class LitOrShadow(Drill):
    """If you cannot see a spot from where the lamp is, the lamp cannot see it. Common practice, CP-9."""

    name, title, order = "lit-or-shadow", "Lit, or in shadow?", 10
    teaches = "Look at the model from where the lamp is: what you see is lit."
    unit, poor = "spots", 4.0

    def make(self, site: Site, seed: int) -> Question:
        """Eight spots, half of them lit."""
        rng = np.random.default_rng([1, seed])
        camera = view_of(rng)
        lamp, bright, dark = lights_and_shadows(site, camera, rng, CLEAR, -0.1, (SPOTS // 2, SPOTS // 2))
        spots = [*apart(site, bright, SPOTS // 2, camera), *apart(site, dark, SPOTS // 2, camera)]
        spots = [spots[k] for k in rng.permutation(len(spots))]
        lights = set(bright.tolist())
        data = {"view": [camera.azimuth, camera.elevation], "lamp": [lamp.azimuth, lamp.elevation], "spots": spots}
        return Question(
            self.name,
            seed,
            f"The lamp shines {lamp_words(lamp)}. Which of the spots does it reach? Say yes or no for each.",
            "yes-no",
            self.unit,
            data,
            [s in lights for s in spots],
            "From the lamp you see the lit ones, and none of the others.",
        )

    def error(self, question: Question, answer: Any) -> float:
        """How many are wrong."""
        given = numbers_in(answer, len(question.truth))
        return float(sum(bool(a) != t for a, t in zip(given, question.truth, strict=True)))

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The form with the spots; solved: in the lamp's light."""
        from ..light.lamp import Lamp

        camera = Camera(*question.data["view"])
        values = lit(site, Lamp(*question.data["lamp"])) if solved else plain_form(site, camera)
        return drawn(site, camera, values, question.data["spots"])


DRILL = LitOrShadow()
