"""Dust: pigment that lies low and on what faces up, thicker the nearer the ground."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..plain import checked, number
from ..sculpt.site import Site
from .technique import Technique, film_um

UPWARD, NOOKS = 0.6, 0.6  # how much more lies on what faces up, and in nooks


@dataclass(frozen=True)
class DustSettings:
    """film_um: where it lies thickest. amount: how high it comes, as a share of the height. seed: of its patches."""

    film_um: float = film_um(6.0)
    amount: float = number(0.3, 0, 1, "how high dust comes", step=0.05, form="Comes up", slide=1)
    seed: int = number(1, 0, 2**31, "the pattern", step=1, form="Pattern")

    def __post_init__(self) -> None:
        checked(self)


class Dust(Technique):
    """Source: common practice, craft page, section 12: dust from below."""

    name, order, title = "dust", 66, "Dust"
    Settings = DustSettings
    handling, pace = 1.0, 900.0
    fine = True
    when_to_stop = "Stop when the feet belong to the base."
    mishap = ("It hides the detail.", "Brush it off dry, or with a little water; less next time.")

    def film(self, site: Site, settings: DustSettings, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) thinner upward."""
        z = site.surface.points[:, 2].astype(np.float64)
        height = (z - z.min()) / max(float(np.ptp(z)), 1e-9)
        rng = np.random.default_rng(settings.seed)
        waves = rng.normal(0, 8 / max(site.surface.size, 1e-9), (12, 3))
        patches = np.cos(site.surface.points @ waves.T + rng.uniform(0, 2 * np.pi, 12)).sum(axis=1) / 12
        low = (
            np.clip(1 - height / max(settings.amount, 1e-6) * (1 + 0.4 * patches), 0, 1) if settings.amount else 0 * z
        )
        facing = (1 - UPWARD) + UPWARD * np.clip(site.surface.normals[:, 2], 0, 1)
        lies = low * np.minimum(facing + NOOKS * site.relief.cavity, 1)
        return (settings.film_um * lies).astype(np.float32)

    def how(self, settings: DustSettings) -> str:
        """In a step's words."""
        return (
            "Stipple it on from below with a soft brush, most on the feet and hem, less upward; blend the rim "
            "away dry."
        )


TECHNIQUE = Dust()
