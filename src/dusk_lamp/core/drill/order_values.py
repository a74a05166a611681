"""Six spots in the order of their values."""

from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..light.lamp import Lamp
from ..sculpt.site import Site
from ..view.camera import Camera
from .drill import Drill, Question, drawn, lamp_from, lamp_words, lit, numbers_in, plain_form, spots_seen, view_of

SPOTS, APART = 6, 0.5  # values between two that follow each other


class OrderValues(Drill):
    """Source of the values: the light of a lamp on a grey model, as everywhere."""

    name, title, order = "order-values", "Lightest to darkest", 20
    teaches = "Compare two spots at a time: which faces the lamp more squarely?"
    unit, poor = "pairs the wrong way round", 8.0

    def make(self, site: Site, seed: int) -> Question:
        """Six spots of values that differ by half a step at least."""
        rng = np.random.default_rng([2, seed])
        camera, lamp = view_of(rng), lamp_from(rng)
        spots = spots_seen(site, camera, rng, 3000)
        value = lit(site, lamp)[spots]
        chosen: list[int] = []
        wanted = np.linspace(float(np.quantile(value, 0.02)), float(np.quantile(value, 0.98)), SPOTS)
        if wanted[1] - wanted[0] < APART:
            raise SettingError("this sculpt is too even in this light to put in order; take another")
        for v in wanted:
            near = np.flatnonzero(np.abs(value - v) < 0.2 * APART)
            near = near if len(near) else np.array([int(np.argmin(np.abs(value - v)))])
            chosen.append(int(spots[rng.choice(near)]))
        chosen = [chosen[k] for k in rng.permutation(SPOTS)]
        values = lit(site, lamp)[chosen]
        data = {"view": [camera.azimuth, camera.elevation], "lamp": [lamp.azimuth, lamp.elevation], "spots": chosen}
        truth = [int(k) + 1 for k in np.argsort(-values, kind="stable")]
        why = "Their values: " + ", ".join(f"{k + 1} is {v:.1f}" for k, v in enumerate(values)) + "."
        question = f"The lamp shines {lamp_words(lamp)}. Put the spots in order, the lightest first."
        return Question(self.name, seed, question, "order", self.unit, data, truth, why)

    def error(self, question: Question, answer: Any) -> float:
        """Pairs that stand the wrong way round (Kendall's distance)."""
        given = [int(n) for n in numbers_in(answer, len(question.truth))]
        if sorted(given) != sorted(question.truth):
            raise SettingError(f"name each of the spots 1 to {len(question.truth)} once")
        place = {n: k for k, n in enumerate(given)}
        return float(sum(place[a] > place[b] for a, b in combinations(question.truth, 2)))

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The form with the spots; solved: in the lamp's light."""
        camera = Camera(*question.data["view"])
        values = lit(site, Lamp(*question.data["lamp"])) if solved else plain_form(site, camera)
        return drawn(site, camera, values, question.data["spots"])


DRILL = OrderValues()
