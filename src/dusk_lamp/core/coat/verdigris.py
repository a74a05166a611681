"""Verdigris: thin pale green in the nooks of brass and bronze, and a little below them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..plain import checked, number
from ..sculpt.site import Site
from .technique import Technique, film_um

BEGINS = 0.12  # cavity from which on it gathers


@dataclass(frozen=True)
class VerdigrisSettings:
    """film_um: in the deepest nook. amount: how far out of the nooks it comes. seed: of its patches."""

    film_um: float = film_um(3.0)
    amount: float = number(0.4, 0, 1, "how far verdigris comes", step=0.05, form="Comes out", slide=1)
    seed: int = number(1, 0, 2**31, "the pattern", step=1, form="Pattern")

    def __post_init__(self) -> None:
        checked(self)


class Verdigris(Technique):
    """Source: common practice, craft page, section 12, CP-20 (a wash of 1:5)."""

    name, order, title = "verdigris", 65, "Verdigris"
    Settings = VerdigrisSettings
    handling, pace = 1.0, 500.0
    fine = True
    when_to_stop = "Stop while most of the metal is still clean."
    mishap = ("It is everywhere.", "Wipe what stands out with a damp brush before it dries.")

    def film(self, site: Site, settings: VerdigrisSettings, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) in nooks only."""
        rng = np.random.default_rng(settings.seed)
        waves = rng.normal(0, 30 / max(site.surface.size, 1e-9), (12, 3))
        patches = 0.5 + np.cos(site.surface.points @ waves.T + rng.uniform(0, 2 * np.pi, 12)).sum(axis=1) / 8
        begins = BEGINS + 0.5 * (1 - settings.amount)
        deep = np.clip((site.relief.cavity - begins) / 0.3, 0, 1) if settings.amount else 0 * site.relief.cavity
        return (settings.film_um * deep * np.clip(patches, 0.15, 1)).astype(np.float32)

    def water(self, settings: VerdigrisSettings) -> float:
        """As a wash, CP-20."""
        return 5.0

    def how(self, settings: VerdigrisSettings) -> str:
        """In a step's words."""
        return (
            "One part of paint to five of water, into nooks and under rivets; wipe what stands out with a damp brush."
        )


TECHNIQUE = Verdigris()
