"""A strip from dark to light with a loaded brush, or by wet blending: how smooth is it?"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.value import luminance_from_munsell
from .card import Card, CardPlace, Flat, Graded, Words

STRIPS = ("first", "second", "third")
LEFT, TOP, WIDE, HIGH, APART = 10.0, 30.0, 160.0, 16.0, 24.0
COLUMNS, LENGTH = 40, 0.95  # a strip is read in so many, 3.8 mm each, over so much of its length
LEAST_SPAN = 3.0  # values from end to end
BARE_SPREAD = 0.25
STEP = 0.35  # of a value between neighbours: a border that is seen at arm's length; from memory


class BrushStrip(Card):
    """Blends: common practice, CP-15."""

    name, title, order, number = "brush-strip", "A smooth strip", 40, 3
    teaches = "From dark to light without a border: a loaded brush, a wet blend, or thin layers."
    how = (
        "Paint each strip from dark on the left to light on the right, over at least three steps of value.",
        "Try another way on each: a loaded brush, a wet blend, thin layers. Let it dry.",
    )
    unit, poor = "steps of value", 0.8
    places = tuple(
        CardPlace(name, LEFT, TOP + k * APART, WIDE, HIGH, f"{name} strip") for k, name in enumerate(STRIPS)
    )
    printed = (Words(21, 15, "Dark on the left, light on the right."),)

    def graded(self, flat: Flat) -> Graded:
        """By the largest step between neighbouring places, beyond what an even strip has; the best strip counts, one
        that is too short does not."""
        rows, errors, words = [], [], []
        for place in self.places:
            value = flat.values(place, COLUMNS, LENGTH)
            span = float(value[-4:].mean() - value[:4].mean())
            if np.ptp(value) < BARE_SPREAD:
                continue  # bare paper
            if abs(span) < LEAST_SPAN:
                words.append(
                    f"The {place.name} strip spans {abs(span):.1f} steps; make it {LEAST_SPAN:.0f} at least."
                )
                errors.append(self.poor)
                continue
            step = np.diff(value) * np.sign(span or 1) - abs(span) / (COLUMNS - 1)
            at = int(np.abs(step).argmax())
            error = float(np.abs(step).max())
            errors.append(error)
            back = float(-np.minimum(np.diff(value) * np.sign(span or 1), 0).sum())
            mm = round(((1 - LENGTH) / 2 + (at + 1) / COLUMNS * LENGTH) * WIDE)
            if error > STEP:
                words.append(f"The {place.name} strip has a border of {error:.1f} steps {mm} mm from its left end.")
            else:
                words.append(f"The {place.name} strip is smooth: its largest step is {error:.2f}.")
            if back > 0.8:
                words.append(f"It turns back by {back:.1f} steps: streaks.")
            rows.append({"place": place.name, "span": round(span, 2), "step": round(error, 3), "at_mm": mm})
        if not errors:
            raise SettingError("the strips are bare paper; paint the card first")
        error = min(errors)
        return Graded(error, self.goodness(error), self.unit, tuple(words), tuple(rows), flat.troubles)

    def painted(self, rng: np.random.Generator) -> tuple[Mapping[str, NDArray], dict[str, Any]]:
        """A smooth strip, one with a border, and one of few layers."""
        x = np.linspace(0, 1, 320)
        border = float(rng.uniform(0.35, 0.65))
        smooth = 2.5 + 5.5 * x + 0.1 * np.sin(9 * x)
        edged = 2.5 + 4.5 * x + 1.0 / (1 + np.exp(-(x - border) * 200))
        layers = 2.5 + np.round(5.5 * x)
        out = {}
        for place, value in zip(self.places, (smooth, edged, layers), strict=True):
            out[place.name] = np.repeat(luminance_from_munsell(value)[:, None] / 100, 3, axis=1)
        return out, {"border_mm": round(border * WIDE, 1)}


CARD = BrushStrip()
