"""The brush: an even coat on all of a model, a part or a region; and the primer, even by nature."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..paint.glaze import WICKED
from ..paint.mix import Mix
from ..paint.thin import JOBS
from ..plain import checked, number
from ..sculpt.site import Site
from .technique import Technique, film_um

JOB_OF_KIND = {"base": "base coat", "primer": "base coat", "layer": "layer", "one-coat": "one-coat over panels"}
NEAT, AT_ONCE = 0.5, 1.35  # parts of water; coats' worth of film that are laid at once. From memory
TINTS, TINT_DRIES = (
    ("ink", "one-coat"),
    2.0,
)  # transparent paints; thinned, they take so many times as long. From memory
GLAZE_WATER = 8.0  # so thin a paint is a glaze, CP-17
POOLS_WATER, POOLS = 1.5, 3.0  # parts of water, and coats' worth of wet film that no brush holds. From memory


@dataclass(frozen=True)
class Even:
    """film_um: µm of dry film. water: parts of water to one of paint."""

    film_um: float = film_um(20.0)
    water: float = number(0.25, 0, 10, "water to one of paint", "parts", step=0.05, form="Water to 1 paint")

    def __post_init__(self) -> None:
        checked(self)


def job_water(job: str) -> float:
    """Parts of water to one of paint for a job of thinning.csv (CP-20)."""
    water = JOBS[job]
    return round(water.water / water.paint, 2)


class Brush(Technique):
    """An even coat by brush."""

    name, order, title = "brush", 20, "Brush on"
    Settings = Even
    even, careful = True, True
    handling, pace = 0.8, 400.0  # of one thin coat; from memory
    thinner = "water"
    when_to_stop = "Stop when the coat is even; what still shows through is for the next coat."
    mishap = ("It goes on thick and chalky, or fills the detail.", "Thin it more and take two coats.")

    def film(self, site: Site, settings: Even, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) the same film everywhere."""
        return np.full(len(site), settings.film_um, np.float32)

    def usual(self, mix: Mix) -> Even:
        """One normal coat of the paint, thinned as its kind is. CP-19, CP-20."""
        job = JOBS.get(JOB_OF_KIND.get(mix.kind, ""))
        return Even(round(mix.coat_um, 1), round(job.water / job.paint, 2) if job else 0.0)

    def water(self, settings: Even) -> float:
        """As it was thinned."""
        return settings.water

    def drying(self, settings: Even, mix: Mix) -> float:
        """A tint dries slower than a layer (common practice, craft page, section 13)."""
        return TINT_DRIES if mix.kind in TINTS and settings.water >= NEAT else self.drying_share

    def warnings(self, settings: Even, film: NDArray[np.float32], mix: Mix) -> list[str]:
        """Pools and drowned detail. CP-19, CP-20."""
        said = []
        if mix.kind == "one-coat" and settings.water < NEAT:
            said.append(
                "Straight from the bottle it pools and blotches on flat panels: there, thin it about 1:1 and take "
                "two coats."
            )
        if settings.water >= POOLS_WATER and settings.film_um * (1 + settings.water) > POOLS * mix.coat_um:
            said.append(
                "So thin and so much of it runs into pools: wick the brush, and lift pools with a clean damp one."
            )
        return said

    def coats(self, settings: Any, mix: Mix) -> int:
        """As many as its film is normal coats (CP-39): a yellow takes three where a base takes one (CP-18). Thinner
        paint leaves less of itself each time."""
        if settings.water >= GLAZE_WATER:  # each pass with a wicked brush
            return max(1, round(settings.film_um * (1 + settings.water) / (WICKED * mix.coat_um)))
        usual = self.usual(mix)
        one = mix.coat_um * (1 + usual.water) / (1 + max(settings.water, usual.water))
        return max(1, round(settings.film_um / (AT_ONCE * one) + 0.49))

    def how(self, settings: Any) -> str:
        """In a step's words."""
        if settings.water >= GLAZE_WATER:
            return (
                "Wick the brush, touch lightly, and pull it to where the colour should end strongest; no pools, "
                "and dry fully between passes."
            )
        return "With a damp brush, pulled one way."


TECHNIQUE = Brush()
