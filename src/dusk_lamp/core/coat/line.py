"""Line: an edge highlight along crests that a light sees, thinner upward (craft page, section 12)."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..places import tree_of
from ..plain import checked, number
from ..results import result
from ..sculpt.relief import caught, closely, corners_seeing, covered_by
from ..sculpt.site import Site
from .technique import Technique, film_um

GRAZE = 0.05
THINNER = 0.6  # of the width is lost from the lowest to the highest line


@dataclass(frozen=True)
class LineSettings:
    """film_um: of a line. width: mm of the lowest line. azimuth, elevation: of the light that sees the crests. least:
    mm of the shortest edge that gets one."""

    film_um: float = film_um(12.0)
    width: float = number(0.35, 0.05, 10, "the width of a line", "mm", step=0.05, form="Width, mm")
    azimuth: float = number(0.0, -360, 360, "the light's direction", "degrees", step=15, form="Light from, °")
    elevation: float = number(60.0, -90, 90, "the light's height", "degrees", step=15, form="Its height, °")
    least: float = number(0.0, 0, 100, "the shortest edge", "mm", step=0.5, form="Shortest edge, mm")

    def __post_init__(self) -> None:
        checked(self)


class LineTechnique(Technique):
    """Source: common practice, craft page, section 12: crests that the lamp can see, thinner and brighter upward."""

    name, order, title = "line", 70, "Edge highlight"
    Settings = LineSettings
    handling, pace = 2.0, 12.0
    fine = costly = True
    when_to_stop = "Stop at the edges the light sees; a line in the shadow flattens the form."
    mishap = ("A line wobbles or is too wide.", "Pull the base colour, thinned, along its lower side.")

    def film(self, site: Site, settings: LineSettings, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) along the crests; many regions have their edges drawn in one light."""
        return _along(site, settings)

    def how(self, settings: LineSettings) -> str:
        """In a step's words."""
        return (
            "The side of a fine brush, thinned 1:1, pulled along the edge in one go; thinner toward the top, "
            "corners last."
        )

    def water(self, settings: LineSettings) -> float:
        """A fine highlight, CP-20."""
        return 1.0


@result(most=4, depends=lambda site, settings: settings)
def _along(site: Site, settings: LineSettings) -> NDArray[np.float32]:
    toward = direction_of(settings.azimuth, settings.elevation)
    at = corners_seeing(site.surface, site.bends, toward)
    on = []
    for line in site.lines:
        if line.convex and line.length >= settings.least:
            both = at[line.corners[:-1]] & at[line.corners[1:]] & caught(line, site.surface.size)
            on += [line.places[k : k + 2] for k in np.flatnonzero(both)]
    out = np.zeros(len(site), np.float32)
    if not on:
        return out
    spacing = site.surface.spacing
    places = closely(on, spacing / 4)
    bound = settings.width / 2 + spacing
    far = tree_of(places).query(site.surface.points, distance_upper_bound=bound, workers=-1)[0]
    z = site.surface.points[:, 2]
    height = (z - z.min()) / max(float(np.ptp(z)), 1e-9)
    half = settings.width / 2 * (1 - THINNER * height)
    share = covered_by(np.minimum(far, bound), half, spacing)
    faces_it = site.surface.normals @ toward > -GRAZE
    out[faces_it] = settings.film_um * share[faces_it]
    return out


TECHNIQUE = LineTechnique()
