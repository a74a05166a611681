"""The ranges of the core's settings for the fields of forms: templates and scripts retype none."""

import math
from dataclasses import replace

from markupsafe import Markup

from ..core.directions import AZIMUTH, ELEVATION
from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..core.paint import glaze, ladder
from ..core.plain import Range, described
from ..core.plan.document import Plan
from ..core.plan.economy.budget import Budget
from ..core.plan.features.glow.glows import REACH
from ..core.plan.features.wear.feature import AMOUNT
from ..core.sculpt.brush import LIKENESS
from ..core.sculpt.pieces import PIECES
from ..core.sculpt.regions import CREASE
from ..core.sculpt.stand import Standing
from ..core.target.exposure import Exposure
from ..core.target.greys import Greys
from ..core.workplace.room import Room
from ..core.workplace.tools import BRUSH_MM, Tools
from .limits import number_of

_gain, _white = described(Exposure)["gain"], described(Greys)["white_budget"]
RANGES: dict[str, Range] = {
    "azimuth": AZIMUTH,
    "elevation": ELEVATION,
    # of what a hand holds
    "aim_azimuth": replace(AZIMUTH, step=15),
    "aim_elevation": replace(ELEVATION, step=15),
    "lamp_size": described(Lamp)["size"],
    "sky": described(Rig)["sky"],
    "bounce": described(Rig)["bounce"],
    # in doublings, as cameras count light
    "brightness": replace(_gain, low=math.log2(_gain.low), high=math.log2(_gain.high)),
    "white_percent": replace(_white, high=100 * _white.high, slide=100 * (_white.slide or 1), step=0.5),
    "height": described(Standing)["height_mm"],
    "crease": CREASE,
    "likeness": LIKENESS,
    "pieces": PIECES,
    "wear": AMOUNT,
    "reach": REACH,
    "models": described(Plan)["models"],
    "rungs": ladder.STEPS,
    "thinning": glaze.THINNING,
    "passes": glaze.PASSES,
    "kept": glaze.SHARE,
    "brush": BRUSH_MM,
    "evening": Range("the minutes you have", 10, 600, step=10),
    **{name: described(Budget)[name] for name in ("minutes", "pots", "puddles", "steps")},
    **{name: described(Tools)[name] for name in ("highest_psi", "drops_per_ml")},
    **{name: described(Room)[name] for name in ("temperature", "humidity")},
}


def limits(allowed: Range, most: float | None = None) -> Markup:
    """A range as the attributes of a field. It begins at a whole number of steps: browsers count from there. most:
    where tools go less far."""
    first = allowed.low if not allowed.step else math.ceil(allowed.low / allowed.step - 1e-9) * allowed.step
    high = allowed.high if allowed.slide is None else allowed.slide
    high = high if most is None else min(high, most)
    step = "any" if allowed.step is None else f"{allowed.step:.10g}"
    return Markup('min="{}" max="{}" step="{}"').format(f"{first:.10g}", f"{high:.10g}", step)


def within(text: str, name: str) -> float:
    """A number from an address or a form, within the range of a name.

    Raises:
        SettingError: it is none, or outside.
    """
    allowed = RANGES[name]
    return number_of(
        text, f"{allowed.words}{f', in {allowed.unit},' if allowed.unit else ''}", allowed.low, allowed.high
    )
