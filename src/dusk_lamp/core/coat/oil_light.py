"""Oil lights: dabbed on where the light falls and blended, with a dry brush, into the oil that the cloth has left."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of, from_words
from ..light.key import key_light
from ..light.lamp import Lamp
from ..paint.mix import Mix
from ..plain import checked, number
from ..sculpt.site import Site
from .oil import OIL_WORDS
from .technique import Technique, film_um

SHADED = 0.8  # of a light is left out where the lamp does not reach: a painter sees that under it
CAVITY_DARK = 0.3  # a recess this deep keeps its foundation


@dataclass(frozen=True)
class Lights:
    """film_um: where it is dabbed on. spread: 0 where a spot faces the light squarely only, 1 on all that faces it
    at all. azimuth, elevation: of the light."""

    film_um: float = film_um(10.0)
    spread: float = number(0.5, 0, 1, "how far it is blended", step=0.05, form="Blended out", slide=1)
    azimuth: float = number(0.0, -360, 360, "the light's direction", "degrees", step=15, form="Direction, °")
    elevation: float = number(75.0, -90, 90, "the light's height", "degrees", step=15, form="Height, °")

    def __post_init__(self) -> None:
        checked(self)


class OilLight(Technique):
    """Source: common practice, the oil school of craft section 7: lights go straight into what is left wet, thick
    over thin. The film falls from the spots that face the light to nothing; recesses keep the foundation."""

    name, order, title = "oil light", 51, "Oil light, blended in"
    Settings = Lights
    thinner = "white spirit"
    handling, pace = 2.0, 120.0  # minutes, mm² a minute: dab and blend; from memory
    when_to_stop = "Stop when the border has gone; wipe the brush after every few strokes."
    mishap = (
        "It turned to one grey.",
        "The brush was dirty or the oil under it too thick: wipe the spot to the base and set the light again.",
    )

    def film(self, site: Site, settings: Lights, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) by how squarely a spot faces the light, little where something stands in its way, none in recesses."""
        seen = key_light(site.surface, Lamp(settings.azimuth, settings.elevation), 1).visible
        return (self._facing(site, settings) * (1 - SHADED * (1 - seen))).astype(np.float32)

    def film_roughly(
        self, site: Site, settings: Lights, solids: float, finish: NDArray[np.float32] | None
    ) -> NDArray[np.float32]:
        """(N,) by how squarely a spot faces the light alone."""
        return self._facing(site, settings)

    def _facing(self, site: Site, settings: Lights) -> NDArray[np.float32]:
        facing = site.surface.normals @ direction_of(settings.azimuth, settings.elevation)
        least = 0.9 - 0.9 * settings.spread  # a spot at right angles to the light gets nothing at the widest
        share = np.clip((facing - least) / (1 - least), 0, 1)
        share = share * share * (3 - 2 * share)
        share = share * np.clip(1 - site.relief.cavity / CAVITY_DARK, 0, 1)
        return (np.float32(settings.film_um) * share).astype(np.float32)

    def aimed(self, settings: Lights, azimuth: float, elevation: float) -> Lights:
        """The same for another light."""
        return replace(settings, azimuth=azimuth, elevation=elevation)

    def cautions(self, settings: Any, mix: Mix) -> tuple[str, ...]:
        """Thinner, rags."""
        return ("solvent",)

    def how(self, settings: Lights) -> str:
        """In a step's words."""
        far = "a little" if settings.spread < 0.35 else "far" if settings.spread > 0.65 else "half-way"
        return (
            f"Dab it unthinned where the light falls, {self.where_from(settings)}, then blend its edge {far} into "
            f"the oil that is left, with a soft dry brush: thick sticks to thin. {OIL_WORDS}"
        )

    def where_from(self, settings: Any) -> str:
        """Where the light is."""
        return from_words(settings.azimuth, settings.elevation)


TECHNIQUE = OilLight()
