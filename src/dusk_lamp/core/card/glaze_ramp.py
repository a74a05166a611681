"""A glaze in one to six passes: does every pass leave as much as the one before?"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.colour import RGB_TO_XYZ
from .card import PAPER, Card, CardPlace, Flat, Graded, Words

PASSES = tuple(range(7))
WIDE, GAP, TOP, HIGH = 22.0, 1.5, 42.0, 48.0
LEAST_PASS = 0.015  # of the logarithm of light: less is no glaze
THICK_PASS = 0.35  # one pass takes more than a quarter of the light: that is a layer, not a glaze
UNEVEN = 0.35  # of a pass


class GlazeRamp(Card):
    """How much light a film takes grows evenly with its thickness while it is thin. Source: Kubelka (1948), the film
    whose scattering goes to nothing (Beer and Lambert's law); passes: common practice, CP-17."""

    name, title, order, number = "glaze-ramp", "A glaze in six passes", 30, 2
    teaches = "A thin glaze in even passes: each as wet, as wide and as dry as the one before."
    how = (
        "Thin one colour for a glaze. Leave the box marked 0 as it is.",
        "Pull one pass over the boxes 1 to 6. When it is dry, one over 2 to 6, then 3 to 6, and so on.",
        "Wipe the brush on a towel before every pass, and pull it always the same way.",
    )
    unit, poor = "of a pass", 0.9
    places = tuple(
        CardPlace(f"pass {n}", 7.5 + k * (WIDE + GAP), TOP, WIDE, HIGH, f"{n}") for k, n in enumerate(PASSES)
    )
    printed = (Words(21, 15, "The number is how many passes a box gets."),)

    def graded(self, flat: Flat) -> Graded:
        """By how much single passes differ from the mean one."""
        colours = np.array([flat.colour(p) for p in self.places])
        light = np.maximum(colours @ RGB_TO_XYZ.T[:, 1], 1e-3)
        taken = -np.log(light[1:] / light[0])  # twice the film's thickness times its absorption
        each = np.diff(taken, prepend=0.0)
        mean = float(taken[-1] / len(each))
        if mean < LEAST_PASS:
            raise SettingError("there is no glaze on the card, or one that nobody can see; paint it first")
        share = each / mean
        error = float(np.sqrt(np.mean((share - 1) ** 2)))
        words = [f"Single passes are off by {100 * error:.0f} % of a pass."]
        most, least = int(share.argmax()), int(share.argmin())
        if share[most] > 1 + UNEVEN:
            words.append(
                f"Pass {most + 1} left {share[most]:.1f} times as much: too wet, or the brush was put down twice."
            )
        if share[least] < 1 - UNEVEN:
            words.append(
                f"Pass {least + 1} left {max(share[least], 0):.1f} of one: too dry, or it lifted what lay there."
            )
        if mean > THICK_PASS:
            words.append(
                f"One pass takes {100 * (1 - np.exp(-mean)):.0f} % of the light: that is a layer; thin it more."
            )
        if len(words) == 1:
            words.append("Every pass leaves as much as the next: you can count on your glaze.")
        rows = tuple(
            {
                "place": p.name,
                "value": round(float(np.median(flat.values(p, 4))), 2),
                "passes": round(float(t / mean), 2),
            }
            for p, t in zip(self.places, np.concatenate([[0.0], taken]), strict=True)
        )
        return Graded(error, self.goodness(error), self.unit, tuple(words), rows, flat.troubles)

    def painted(self, rng: np.random.Generator) -> tuple[Mapping[str, NDArray], dict[str, Any]]:
        """A blue glaze whose third pass was too wet."""
        each = np.maximum(rng.normal(1, 0.1, 6), 0.2)
        each[2] = 1.7
        depth = np.concatenate([[0.0], np.cumsum(each)])
        absorbed = np.array([0.17, 0.12, 0.05])
        out = {p.name: PAPER * np.exp(-absorbed * t) for p, t in zip(self.places, depth, strict=True)}
        del out["pass 0"]
        return out, {"passes": [round(float(n), 3) for n in each]}


CARD = GlazeRamp()
