"""The brush: an even coat on all of a model, a part or a region; and the primer, even by nature."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.mix import Mix
from ..plain import checked
from ..sculpt.site import Site
from .technique import Technique, film_um


@dataclass(frozen=True)
class Even:
    """film_um: µm of dry film."""

    film_um: float = film_um(20.0)

    def __post_init__(self) -> None:
        checked(self)


class Brush(Technique):
    """An even coat by brush."""

    name, order, title = "brush", 20, "Brush on"
    Settings = Even
    when_to_stop = "Stop when the coat is even; what still shows through is for the next coat."
    mishap = ("It goes on thick and chalky, or fills the detail.", "Thin it more and take two coats.")

    def film(self, site: Site, settings: Even, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) the same film everywhere."""
        return np.full(len(site), settings.film_um, np.float32)

    def usual(self, mix: Mix) -> Even:
        """One normal coat of the paint."""
        return Even(round(mix.coat_um, 1))

    def how(self, settings: Any) -> str:
        """In a step's words."""
        return "Thin coats with a damp brush, pulled one way; let each dry."


TECHNIQUE = Brush()
