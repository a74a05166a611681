"""Facet by facet: each plane runs dark to light along its length, neighbours opposed, cutting edges near white."""

import numpy as np
from numpy.typing import NDArray

from .....directions import direction_of
from .....light.lamp import Lamp
from .....light.reflect import World, mirrored
from .....sculpt.facets import Facet, from_edges
from .....sculpt.site import Site
from .school import MetalSchool, Shine, facets_of, value_of

CUTTING = np.radians(50.0)  # an edge that bends more is a cutting edge
EDGE_WIDTH, LEAST_EDGE_MM = 1.2, 0.15  # of the white line: samples, and never less than a fine brush draws


class FacetByFacet(MetalSchool):
    """Blades and armour plates; what is no plain facet shows what it would mirror."""

    name, order, title = "facet", 30, "Facet by facet"
    when = "Blades and plates: crisp, graphic, dark against light at every edge."
    weak = "Needs facets; on round forms it falls back on the mirror."

    def shares(self, site: Site, shine: Shine, world: World, lamp: Lamp) -> NDArray[np.float32]:
        """A gradient along every facet."""
        out = mirrored(site.surface, site.visibility, shine.view, world, shine.roughness).astype(np.float64)
        out = np.clip(out / max(world.brightest, 1e-9), 0, 1) ** (1 / 2.4)
        found = facets_of(site, shine)
        runs = runs_of(found, direction_of(lamp.azimuth, lamp.elevation).astype(float))
        points = site.surface.points.astype(float)
        away = from_edges(site.surface, site.bends, CUTTING)
        for facet, run in zip(found, runs, strict=True):
            if facet.kind == "ball":
                continue
            at = points[facet.mask] @ facet.along
            share = (at - at.min()) / max(float(np.ptp(at)), 1e-9)
            out[facet.mask] = climb(share, run, shine)
            line = EDGE_WIDTH * max(site.surface.spacing, LEAST_EDGE_MM)
            white = np.clip(1.5 - 1.5 * away[facet.mask] / line, 0, 1)  # a line as even as the samples allow
            out[facet.mask] = np.maximum(out[facet.mask], white)
        return out.astype(np.float32)


def climb(share: NDArray[np.float64], run: int, shine: Shine) -> NDArray[np.float64]:
    """Shares of light at shares of a facet's length, which climbs along it (run 1) or against it (run −1)."""
    climbs = share if run > 0 else 1 - share
    if shine.counterchange < 1:
        climbs = shine.counterchange * climbs + (1 - shine.counterchange) * share
    return climbs ** (1 + shine.bow)


def ends_of(run: int, shine: Shine) -> tuple[float, float]:
    """The values that a facet is painted with at the start and at the end of its length."""
    low, high = value_of(climb(np.array([0.0, 1.0]), run, shine).astype(np.float32), shine).tolist()
    return low, high


def runs_of(found: list[Facet], light: NDArray[np.float64]) -> list[int]:
    """+1 or −1 for each facet, along its length: the largest climbs toward the light, each other against the most of
    those neighbours that are settled."""
    runs: list[int] = [0] * len(found)
    settled = np.zeros(len(found), np.bool_)
    for start in range(len(found)):
        waiting = [start]
        while waiting:
            k = waiting.pop(0)
            if settled[k]:
                continue
            beside = [m for m in found[k].neighbours if settled[m]]
            pull = sum(
                runs[m] * found[m].mm2 * float(np.sign(found[m].along @ found[k].along or 1.0)) for m in beside
            )
            runs[k] = (-1 if pull > 0 else 1) if beside else (1 if found[k].along @ light >= 0 else -1)
            settled[k] = True
            waiting += [m for m in found[k].neighbours if not settled[m]]
    return runs


SCHOOL = FacetByFacet()
