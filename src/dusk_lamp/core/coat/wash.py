"""Wash: thin everywhere, thicker in recesses, most where a recess faces up while it dries."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..paint.mix import Mix
from ..plain import checked, choice, number
from ..sculpt.site import Site
from .technique import Technique, film_um

POSES = {  # how a model is laid down while a wash dries: which way of it is up
    "standing": (0.0, 0.0, 1.0),
    "upside down": (0.0, 0.0, -1.0),
    "on its back": tuple(float(x) for x in direction_of(0, 0)),
    "on its face": tuple(float(x) for x in direction_of(180, 0)),
    "right side up": tuple(float(x) for x in direction_of(90, 0)),
    "left side up": tuple(float(x) for x in direction_of(-90, 0)),
}
FLOODED_UM = 12.0  # a dry film of wash thicker than this on the flats was a puddle
THINNER, DEEPER = 0.5, 1.0  # on gloss: of the film on the flats that runs off, and how much more pools. From memory
LEVEL, HANGING = 0.75, 0.25  # of a recess's share: it leaves what hangs over


@dataclass(frozen=True)
class WashSettings:
    """film_um: dry, on an open flat. pooling: how many times thicker it would be in a spot that is all recess. pose:
    how the model was laid down while it dried."""

    film_um: float = film_um(2.5)
    pooling: float = number(4.0, 0, 50, "pooling", step=0.5, form="Runs together", slide=12)
    pose: str = choice("standing", tuple(POSES), "how a model dries", form="Dries")

    def __post_init__(self) -> None:
        checked(self)


class Wash(Technique):
    """Source: common practice; a recess's share of the surroundings decides how much runs into it."""

    name, order, title = "wash", 40, "Wash"
    Settings = WashSettings
    handling, pace = 1.0, 800.0
    by_finish = floods = True
    when_to_stop = "Stop when it lies in the recesses and the flats are only stained."
    mishap = ("It pools on the flats.", "Lift the pool with a clean damp brush before it skins.")

    def film(self, site: Site, settings: WashSettings, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) on what is neither very dull nor very shiny."""
        return self.film_on(site, settings, solids, None)

    def film_on(
        self, site: Site, settings: WashSettings, solids: float, finish: NDArray[np.float32] | None
    ) -> NDArray[np.float32]:
        """(N,) thicker in proportion to the cavity; on gloss it runs off the flats and into the recesses. CP-32."""
        up = np.array(POSES[settings.pose], np.float32)
        level = LEVEL + HANGING * np.clip(site.surface.normals @ up, -1, 1)
        pools = np.float32(settings.pooling) * site.relief.cavity * level
        flat: NDArray | float = 1.0
        if finish is not None:
            runs = np.clip(2 * finish - 1, 0, 1)  # satin holds it as matt does
            flat, pools = 1 - THINNER * runs, pools * (1 + DEEPER * runs)
        return (np.float32(settings.film_um) * (flat + pools)).astype(np.float32)

    def warnings(self, settings: WashSettings, film: NDArray[np.float32], mix: Mix) -> list[str]:
        """A flood."""
        if settings.film_um > FLOODED_UM:
            return [
                "So much wash pools on the flats and dries in rings: less of it, or lift the pools with a damp brush."
            ]
        return []

    def how(self, settings: WashSettings) -> str:
        """In a step's words."""
        laid = "standing" if settings.pose == "standing" else f"laid {settings.pose}"
        return f"Flood it on from a full brush, chase it out of the flats, and let it dry {laid}."

    def where_from(self, settings: Any) -> str:
        """Into the recesses, wherever they are."""
        return ""


TECHNIQUE = Wash()
