"""Oil wash and wipe: dark oil everywhere, then a cloth pulled downwards; it stays low and in the lee."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.mix import Mix
from ..plain import checked, number
from ..sculpt.site import Site
from .technique import Technique, film_um

CAVITY_KEPT = 0.3  # a recess this deep keeps all of it
# of the film stays in the texture, however hard one wipes; gloss wipes clean. CP-32; from memory
MATT_HOLDS, SATIN_HOLDS = 0.35, 0.1
OIL_WORDS = (  # CP-38
    "The thinner is gone in a quarter of an hour, the oil can be worked for hours, varnish after a day; paint other "
    "parts meanwhile, nothing but oil over it."
)
STAIN_THINNED = 2.0
BARE_MATT = 0.25  # a finish duller than this
LEE_KEPT = 0.35  # and a wall that looks straight down keeps so much of it, in the lee of the cloth


@dataclass(frozen=True)
class Wipe:
    """film_um: before wiping. pressure: of the cloth, 0 (nothing comes off) to 1. pulled_down: wiped downwards."""

    film_um: float = film_um(8.0)
    pressure: float = number(0.7, 0, 1, "the pressure of the cloth", step=0.05, form="Pressure of the cloth", slide=1)
    pulled_down: bool = True

    def __post_init__(self) -> None:
        checked(self)


class OilWipe(Technique):
    """Source: common practice, the oil school of craft section 7."""

    name, order, title = "oil wipe", 50, "Oil and wipe"
    Settings = Wipe
    handling, pace = 2.0, 250.0
    by_finish = floods = wiped = True
    thinner = "white spirit"
    when_to_stop = "Stop when the raised parts are as light as they should be."
    mishap = (
        "Too much came off, or too little.",
        "Oil stays open for hours: put it on again, or wipe with a little thinner.",
    )

    def film(self, site: Site, settings: Wipe, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) on what is neither very dull nor very shiny."""
        return self.film_on(site, settings, solids, None)

    def film_on(
        self, site: Site, settings: Wipe, solids: float, finish: NDArray[np.float32] | None
    ) -> NDArray[np.float32]:
        """(N,) what the cloth leaves, and what the texture holds."""
        kept = np.clip(site.relief.cavity / CAVITY_KEPT, 0, 1)
        lee = np.clip(-site.surface.normals[:, 2], 0, 1) * LEE_KEPT if settings.pulled_down else 0
        left = 1 - settings.pressure * (1 - np.clip(kept + lee, 0, 1))
        if finish is not None:
            held = np.interp(finish, (0.0, 0.5, 1.0), (MATT_HOLDS, SATIN_HOLDS, 0.0)).astype(np.float32)
            left = held + (1 - held) * left
        return (np.float32(settings.film_um) * left).astype(np.float32)

    def water(self, settings: Any) -> float:
        """Parts of spirit: a stain runs; common practice, CP-39; the number from memory."""
        return STAIN_THINNED

    def on_finish(self, finish: float) -> str:
        """Bare matt paint."""
        if finish >= BARE_MATT:
            return ""
        return (
            "Over bare matt the oil stains and does not wipe clean, and the thinner can lift the paint: a coat of "
            "gloss or satin varnish first."
        )

    def cautions(self, settings: Any, mix: Mix) -> tuple[str, ...]:
        """Thinner, rags."""
        return ("solvent",)

    def how(self, settings: Wipe) -> str:
        """In a step's words."""
        hard = "firmly" if settings.pressure > 0.8 else "lightly" if settings.pressure < 0.5 else "evenly"
        down = ", pulling downwards" if settings.pulled_down else ""
        return (
            f"Stain everything, wait 5–10 min, then wipe the raised parts {hard} with a lint-free cloth{down}. "
            f"{OIL_WORDS}"
        )


TECHNIQUE = OilWipe()
