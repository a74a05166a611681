"""Strands: hair and fur, whose highlight is a band across the strands (craft page, section 11)."""

import numpy as np
from numpy.typing import NDArray

from .....directions import direction_of
from .....light.lamp import Lamp
from .....light.reflect import World
from .....sculpt.site import Site
from .school import MetalSchool, Shine

SHARPEST, BROADEST = 90.0, 6.0  # power of a band, from sleek to shaggy
ENDS = (2.0, 99.0)  # per cent of its spots that end at its darkest and its lightest
BODY = 0.3  # of full light, that lies on hair beside its band


class Strands(MetalSchool):
    """A strand is a thin cylinder: it shines where it runs square to the half-way between eye and lamp, all round.
    Strands are taken to hang: they run down along the skin. Source: Kajiya and Kay (1989)."""

    name, order, title = "strands", 40, "Across the strands"
    when = "Hair, fur and brushed metal: a bright band across the way the strands run."
    weak = "Strands are taken to hang down; a plait wants its own band by hand."

    def shares(self, site: Site, shine: Shine, world: World, lamp: Lamp) -> NDArray[np.float32]:
        """A band over a body lit softly by the lamp."""
        n = site.surface.normals.astype(np.float64)
        down = np.array([0.0, 0.0, -1.0]) + n[:, 2, None] * n
        steep = np.linalg.norm(down, axis=1)
        strand = down / np.maximum(steep, 1e-9)[:, None]
        light = direction_of(lamp.azimuth, lamp.elevation).astype(np.float64)
        half = direction_of(*shine.view).astype(np.float64) + light
        half /= max(float(np.linalg.norm(half)), 1e-9)
        across = np.sqrt(np.clip(1 - (strand @ half) ** 2, 0, 1))
        power = SHARPEST ** (1 - shine.roughness) * BROADEST**shine.roughness
        band = across**power * np.clip(n @ half, 0, 1) ** 0.5 * (steep > 1e-3)
        body = BODY * (0.5 + 0.5 * n @ light)
        shown = body + (1 - BODY) * band
        dark, bright = np.percentile(shown, ENDS)
        return np.clip((shown - dark) / max(float(bright - dark), 1e-6), 0, 1).astype(np.float32)


SCHOOL = Strands()
