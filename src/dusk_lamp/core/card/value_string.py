"""Nine greys by eye, from black to white in even steps."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.value import luminance_from_munsell
from .card import Card, CardPlace, Flat, Graded, Words

WANTED = tuple(range(1, 10))
WIDE, GAP, TOP, HIGH = 17.0, 1.4, 45.0, 42.0
BARE = 9.2  # the value of paper that nobody painted
CLOSE, HARDLY = 0.3, 0.25  # of a value: as near as one mixes by eye; a step that is hardly seen


class ValueString(Card):
    """Munsell values 1 to 9. Source of the scale: ASTM D1535."""

    name, title, order, number = "value-string", "Nine greys", 20, 1
    teaches = "Mix nine greys in even steps: light and shadow are made of steps that one can count."
    how = (
        "Mix nine greys of black and white by eye, from the darkest (1) to the lightest (9), in even steps.",
        "Paint every box with its grey until nothing shows through, and let it dry.",
    )
    unit, poor = "steps of value", 1.5
    places = tuple(
        CardPlace(f"value {n}", 8 + k * (WIDE + GAP), TOP, WIDE, HIGH, f"{n}") for k, n in enumerate(WANTED)
    )
    printed = (Words(21, 15, "Darkest on the left. Every step as large as the next."),)

    def graded(self, flat: Flat) -> Graded:
        """By the mean miss, and by how even the steps are."""
        seen = np.array([float(np.median(flat.values(p, 4))) for p in self.places])
        if (seen > BARE - 0.1).sum() > len(WANTED) - 3:
            raise SettingError("the boxes are bare paper; paint the card first")
        off = seen - np.array(WANTED)
        error = float(np.abs(off).mean())
        worst = int(np.abs(off).argmax())
        words = [f"Your greys are {error:.1f} steps off in the mean."]
        if abs(off[worst]) > CLOSE:
            how = "light" if off[worst] > 0 else "dark"
            words.append(f"Grey {WANTED[worst]} is the furthest: {abs(off[worst]):.1f} too {how}.")
        steps = np.diff(seen)
        wide, narrow = int(steps.argmax()), int(steps.argmin())
        if steps[narrow] < HARDLY:
            words.append(f"Greys {WANTED[narrow]} and {WANTED[narrow + 1]} look the same, or are swapped.")
        elif steps[wide] > 2 * steps[narrow]:
            words.append(
                f"The step from {WANTED[wide]} to {WANTED[wide + 1]} is {steps[wide] / steps[narrow]:.1f} times that "
                f"from {WANTED[narrow]} to {WANTED[narrow + 1]}."
            )
        lean = float(off.mean())
        if abs(lean) > CLOSE:
            words.append(f"All of them lean {'light' if lean > 0 else 'dark'}.")
        rows = tuple(
            {"place": p.name, "value": round(float(v), 2), "off": round(float(o), 2)}
            for p, v, o in zip(self.places, seen, off, strict=True)
        )
        return Graded(error, self.goodness(error), self.unit, tuple(words), rows, flat.troubles)

    def painted(self, rng: np.random.Generator) -> tuple[Mapping[str, NDArray], dict[str, Any]]:
        """Greys a little off, all leaning one way."""
        values = np.clip(np.array(WANTED) + rng.normal(0, 0.3, 9) + rng.uniform(-0.3, 0.3), 0.8, 9.3)
        out = {p.name: np.full(3, luminance_from_munsell(v) / 100) for p, v in zip(self.places, values, strict=True)}
        return out, {"values": [round(float(v), 3) for v in values]}


CARD = ValueString()
