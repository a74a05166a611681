"""Blending: a coat whose edge is drawn out over the wet coat beside it until no border shows."""

from dataclasses import dataclass
from typing import Any

from ..plain import number
from .brush import Brush, Even


@dataclass(frozen=True)
class Blended(Even):
    """width: mm over which it is drawn out."""

    width: float = number(1.0, 0.1, 100, "the width of the blend", "mm", step=0.5, form="Blend over, mm")


class Blend(Brush):
    """Source: common practice, CP-31: neighbours of at most half a value read as smooth."""

    name, order, title = "blend", 21, "Blend on"
    Settings = Blended
    drawn_out = True
    handling = 1.6  # minutes: the second brush is rinsed, wiped and kept damp beside it; from memory
    when_to_stop = "Stop when no border shows at arm's length; brush back once, not ten times."
    mishap = (
        "The border shows, or the two have gone muddy.",
        "Let it dry, then lay the first mix again and blend once more.",
    )

    def usual(self, mix: Any) -> Blended:
        """As by brush."""
        settings = super().usual(mix)
        return Blended(settings.film_um, settings.water)

    def how(self, settings: Blended) -> str:
        """In a step's words."""
        return (
            f"Lay it, then draw its edge out over about {settings.width:.1f} mm with a clean, damp brush while it "
            "is wet, from the strong side to the weak."
        )


TECHNIQUE = Blend()
