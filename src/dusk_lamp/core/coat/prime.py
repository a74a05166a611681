"""The primer: everywhere, in three thin coats, by airbrush or can."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.mix import Mix
from ..plain import checked, choice
from ..sculpt.site import Site
from ..units import psi_words
from .technique import Technique, film_um

PRIMER_COATS = 3  # thin ones, CP-5
OF_A_COAT = 2.5  # normal coats' worth of film, all three together


@dataclass(frozen=True)
class Primer:
    """film_um: µm of dry film, all coats together. tool: what it comes out of."""

    film_um: float = film_um(55.0)
    tool: str = choice(
        "airbrush",
        ("airbrush", "can", "brush"),
        "what primer is put on with",
        {"airbrush": "an airbrush", "can": "a can", "brush": "a brush"},
        "Put on with",
    )

    def __post_init__(self) -> None:
        checked(self)


class Prime(Technique):
    """Primer on the whole sculpt."""

    name, order, title = "prime", 0, "Prime"
    Settings = Primer
    by_hand = False
    even = primes = True
    handling, pace = 1.5, 1500.0  # three coats, one after another
    when_to_stop = "Stop when nothing but primer shows; not before, and no thicker."
    mishap = ("It looks rough or dusty.", "Closer, and wetter: it dried in the air. Sand it lightly when dry.")

    def film(self, site: Site, settings: Primer, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) the same film everywhere: recesses first, then all of it."""
        return np.full(len(site), settings.film_um, np.float32)

    def tool(self, settings: Primer) -> str:
        """As it was chosen."""
        return settings.tool

    def usual(self, mix: Mix) -> Primer:
        """Three thin coats, CP-5."""
        return Primer(OF_A_COAT * mix.coat_um)

    def cautions(self, settings: Any, mix: Mix) -> tuple[str, ...]:
        """A bare print may be resin."""
        return (*(() if settings.tool == "brush" else (settings.tool,)), "resin", "small parts")

    def how(self, settings: Primer) -> str:
        """In a step's words. CP-4, CP-5."""
        coats = f"{PRIMER_COATS} thin coats, recesses first, until nothing but primer shows."
        if settings.tool == "can":
            return f"36–38 cm away, matt, short bursts that begin and end past the model. {coats}"
        if settings.tool == "brush":
            return f"Thinned a little, with a soft brush. {coats}"
        return f"0.4 mm needle, {psi_words(30)}. {coats}"


TECHNIQUE = Prime()
