"""How far does this glow reach? (CP-25)"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.value import grey_srgb, luminance_from_munsell, munsell_from_luminance
from ..sculpt.site import Site
from .drill import Drill, Question, numbers_in
from .flat import WIDE, with_words

GREY, SEEN = 5.0, 0.5  # value that it falls on, and steps that are seen
HIGH = 220


def added(strength: float, radius: float, mm: float) -> float:
    """Steps of value that a small glowing ball adds to a grey that faces it, so many mm from its middle. Source: the
    inverse square of the distance; the ball's light is strength × (radius / distance)²."""
    light = strength * (radius / max(mm, radius)) ** 2
    return float(munsell_from_luminance(luminance_from_munsell(GREY) * (1 + light))) - GREY


def reach_of_glow(strength: float, radius: float) -> float:
    """mm at which it is still half a step lighter."""
    wanted = luminance_from_munsell(GREY + SEEN) / luminance_from_munsell(GREY) - 1
    return float(radius * np.sqrt(strength / wanted))


class GlowReach(Drill):
    """Strength is reach. Common practice, CP-25."""

    name, title, order = "glow-reach", "How far does it glow?", 80
    teaches = "Twice as strong reaches not twice as far, but half as far again."
    unit, poor = "mm", 8.0

    def make(self, site: Site, seed: int) -> Question:
        """A ball and its strength."""
        rng = np.random.default_rng([8, seed])
        radius, strength = float(rng.choice([1.0, 1.5, 2.0])), float(rng.choice([1, 2, 4, 6]))
        mm = reach_of_glow(strength, radius)
        question = (
            f"A glowing ball of {2 * radius:g} mm, as bright on its skin as {strength:g} times the lamp. A grey of "
            f"value {GREY:g} faces it. How many mm from its middle does the grey still get half a step lighter?"
        )
        why = f"{mm:.1f} mm: its light falls with the square of the distance."
        return Question(
            self.name,
            seed,
            question,
            "number",
            self.unit,
            {"radius": radius, "strength": strength},
            round(mm, 3),
            why,
        )

    def error(self, question: Question, answer: Any) -> float:
        """In mm."""
        off = abs(numbers_in(answer, 1)[0] - question.truth)
        return off if off > 0.005 else 0.0

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The grey with a rule of millimetres; solved: as the glow falls on it."""
        most = 20.0
        mm = (np.arange(WIDE) + 0.5) / WIDE * most
        greys = (
            [GREY + added(question.data["strength"], question.data["radius"], m) for m in mm]
            if solved
            else np.full(WIDE, GREY)
        )
        row = grey_srgb(np.clip(greys, 0, 10))
        out = np.repeat(np.repeat(row[None, :, None], HIGH, axis=0), 3, axis=2).copy()
        ticks = [(k / most * WIDE, HIGH - 30, f"{k}") for k in range(0, 21, 2)]
        for x, _, _ in ticks:
            out[HIGH - 40 : HIGH - 32, int(min(x, WIDE - 1))] = 20
        return with_words(out.astype(np.uint8), [*ticks, (8, 8, "mm from the middle of the ball")])


DRILL = GlowReach()
