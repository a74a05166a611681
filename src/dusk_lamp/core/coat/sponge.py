"""Sponge: dabs of a torn sponge on what stands out, broken spots."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..plain import checked, number
from ..sculpt.site import Site
from ..units import per_cent
from .technique import Technique, film_um

GRAIN_SHARE = 0.5 / 32  # grain of a sponge over height
WAVES = 24  # plane waves that make the broken pattern, at two scales
CAVITY_MISSED = 0.3  # a sponge does not reach into a spot that is this far inside


@dataclass(frozen=True)
class Dabs:
    """film_um: of a dab. cover: share of the exposed surface that is hit. seed: which pattern."""

    film_um: float = film_um(8.0)
    cover: float = number(0.2, 0, 1, "the share that a sponge covers", step=0.05, form="Covers", slide=1)
    seed: int = number(0, 0, 2**31, "the pattern")

    def __post_init__(self) -> None:
        checked(self)


class Sponge(Technique):
    """Source: common practice, craft section 12."""

    name, order, title = "sponge", 60, "Sponge"
    Settings = Dabs
    handling, pace = 1.0, 800.0
    fine = costly = True
    when_to_stop = "Stop early: chips read when they are few."
    mishap = ("The dabs are blots.", "Dab most of it off on paper first; cover a blot with the colour under it.")

    def film(self, site: Site, settings: Dabs, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) the same every time for one seed."""
        surface = site.surface
        grain = GRAIN_SHARE * (surface.height or surface.size)
        rng = np.random.default_rng(settings.seed)
        noise = np.zeros(len(surface))
        for scale in (1.0, 2.3):
            waves = rng.normal(0, 1 / (grain * scale), (WAVES, 3))
            noise += np.cos(surface.points @ waves.T + rng.uniform(0, 2 * np.pi, WAVES)).sum(axis=1)
        hit = noise >= np.quantile(noise, 1 - settings.cover)
        open_ = np.clip(1 - site.relief.cavity / CAVITY_MISSED, 0, 1)
        return (np.float32(settings.film_um) * hit * open_).astype(np.float32)

    def how(self, settings: Dabs) -> str:
        """In a step's words."""
        return (
            "Tear a sponge, load it, dab most of it off, and dab on edges and what stands out: about "
            f"{per_cent(settings.cover)} of it."
        )


TECHNIQUE = Sponge()
