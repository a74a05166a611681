"""Sponge chips: dark spots of broken outline where a model would be knocked, more of them the more a spot stands
out."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..plain import checked, number
from ..sculpt.site import Site
from ..units import per_cent
from .technique import Technique, film_um

LARGEST_SHARE, LEAST_SHARE = 0.45 / 32, 0.12 / 32  # radius of a chip over the size of the model; from memory
FLAT_SHARE = 0.04  # of the chance on a crest that a spot has which does not stand out
STANDS_OUT = 2.0  # power of how far out a spot is
RAGGED = 0.55  # of a chip's radius that its outline wanders
MOST = 4000


@dataclass(frozen=True)
class Chips:
    """film_um: of a chip. amount: share of the most exposed skin that is chipped. inner: only the middle of the
    larger chips, for the lighter colour or the rust inside them. seed: which chips."""

    film_um: float = film_um(10.0)
    amount: float = number(0.25, 0, 1, "how much is chipped", step=0.05, form="Chipped", slide=1)
    inner: float = number(
        0.0, 0, 0.9, "the share of a chip that is left out round its rim", step=0.1, form="Inside", slide=0.9
    )
    seed: int = number(1, 0, 2**31, "the pattern", step=1, form="Pattern")

    def __post_init__(self) -> None:
        checked(self)


@dataclass(frozen=True)
class Spots:
    """Where chips are: middles (C,) as samples, radii (C,) mm."""

    middles: NDArray[np.int64]
    radii: NDArray[np.float64]


def chips_of(site: Site, amount: float, seed: int) -> Spots:
    """The chips of a seed: drawn by area times how far out a spot stands."""
    rng = np.random.default_rng(seed)
    size = site.surface.size
    out = np.clip(site.relief.exposed - 0.5 * site.relief.cavity, 0, 1).astype(np.float64)
    far = max(float(np.quantile(out, 0.99)), 1e-6)
    chance = site.areas.astype(np.float64) * (FLAT_SHARE + (1 - FLAT_SHARE) * np.clip(out / far, 0, 1) ** STANDS_OUT)
    middle = np.pi * (0.5 * (LARGEST_SHARE + LEAST_SHARE) * size) ** 2
    count = int(np.clip(amount * chance.sum() / max(middle, 1e-9), 0, MOST))
    if count == 0 or chance.sum() <= 0:
        return Spots(np.zeros(0, np.int64), np.zeros(0))
    chosen = rng.choice(len(site), count, p=chance / chance.sum())
    radii = size * (LEAST_SHARE + (LARGEST_SHARE - LEAST_SHARE) * rng.beta(1.2, 3.0, count))
    return Spots(chosen.astype(np.int64), radii)


class Chip(Technique):
    """Source: common practice, craft page, section 12: dark first, lighter inside the larger ones, rust in their
    middle."""

    name, order, title = "chips", 62, "Sponge chips"
    Settings = Chips
    handling, pace = 1.0, 500.0
    fine = costly = True
    when_to_stop = "Stop early: a few chips on the edges read, many are noise."
    mishap = ("A chip is a blot.", "Cover it with the colour under it, thinned, and chip its rim again.")

    def film(self, site: Site, settings: Chips, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) the same every time for one seed."""
        spots = chips_of(site, settings.amount, settings.seed)
        out = np.zeros(len(site), np.float32)
        if not len(spots.middles):
            return out
        points = site.surface.points
        tree = site.tree
        rng = np.random.default_rng(settings.seed + 1)
        phase = rng.uniform(0, 2 * np.pi, (len(spots.middles), 3))
        for k, (row, radius) in enumerate(zip(spots.middles, spots.radii, strict=True)):
            reach = radius * (1 - settings.inner)
            if settings.inner and radius < site.surface.size * (LEAST_SHARE + LARGEST_SHARE) / 2:
                continue
            near = np.array(tree.query_ball_point(points[row], reach * (1 + RAGGED)))
            if not len(near):
                continue
            way = (points[near] - points[row]).astype(np.float64)
            ragged = np.cos(7 / reach * way + phase[k]).sum(axis=1) / 3
            out[near[np.linalg.norm(way, axis=1) <= reach * (1 + RAGGED * ragged)]] = settings.film_um
        return out

    def how(self, settings: Chips) -> str:
        """In a step's words."""
        where = "inside the larger chips" if settings.inner else "on edges and what stands out"
        return (
            f"Tear a sponge, load it, dab most of it off, and dab {where}: about {per_cent(settings.amount)} of "
            "the edges."
        )


TECHNIQUE = Chip()
