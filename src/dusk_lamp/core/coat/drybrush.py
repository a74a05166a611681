"""Drybrush: an almost dry brush leaves paint on what stands out and skips what lies low."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of, from_words
from ..plain import checked, number
from ..sculpt.site import Site
from .technique import Technique, film_um

FLAT_EXPOSED = 0.02  # exposedness of a flat spot, by the grain of the rays
CREST_EXPOSED = 0.22  # and of a crest a brush surely catches
CAVITY_SKIPPED = 0.35  # a spot this far inside is not touched at all


@dataclass(frozen=True)
class Strokes:
    """film_um: on the most exposed crests, all strokes together. softness: 0 touches crests only, 1 nearly all but
    recesses. azimuth, elevation: strokes come from there, and what faces them takes more; None for all round."""

    film_um: float = film_um(8.0)
    softness: float = number(0.4, 0, 1, "a brush's softness", step=0.05, form="Softness of the brush", slide=1)
    azimuth: float | None = number(None, -360, 360, "the strokes' direction", "degrees", step=15, form="Direction, °")
    elevation: float = number(60.0, -90, 90, "the strokes' height", "degrees", step=15, form="Height, °")

    def __post_init__(self) -> None:
        checked(self)


class Drybrush(Technique):
    """Source: common practice, craft school C; CP-13 (small forms and thin edges catch more)."""

    name, order, title = "drybrush", 30, "Dry-brush"
    Settings = Strokes
    handling, pace = 1.0, 700.0
    when_to_stop = "Stop while the flats between the crests still show what was there."
    mishap = ("It turned out too grey all over.", "Dry-brush the dark back into the shadows.")

    def film(self, site: Site, settings: Strokes, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) most on crests, none in recesses."""
        relief = site.relief
        out = (relief.exposed - FLAT_EXPOSED) / (CREST_EXPOSED - FLAT_EXPOSED) - 1.2 * relief.cavity
        low = 0.35 - 0.85 * settings.softness  # a soft brush gives way and touches flats too
        touch = np.clip((out - low) / (1 - low), 0, 1)
        touch = touch * np.clip(1 - relief.cavity / CAVITY_SKIPPED, 0, 1)
        if settings.azimuth is not None:
            toward = direction_of(settings.azimuth, settings.elevation)
            touch = touch * np.clip(0.15 + 0.85 * site.surface.normals @ toward, 0, 1)
        return (np.float32(settings.film_um) * touch).astype(np.float32)

    def how(self, settings: Strokes) -> str:
        """In a step's words."""
        soft = (
            "a large soft brush"
            if settings.softness > 0.7
            else "a brush"
            if settings.softness > 0.3
            else "a small brush"
        )
        pull = f", strokes pulled {self.where_from(settings)}" if settings.azimuth is not None else ", from all sides"
        return f"Load {soft}, wipe it nearly dry on paper, and stroke lightly over what stands out{pull}."

    def where_from(self, settings: Any) -> str:
        """Where the strokes come from."""
        return "" if settings.azimuth is None else from_words(settings.azimuth, settings.elevation)


TECHNIQUE = Drybrush()
