"""Under the lamp: what a glossy surface would really show from the display view."""

import numpy as np
from numpy.typing import NDArray

from .....light.lamp import Lamp
from .....light.reflect import World, mirrored
from .....sculpt.site import Site
from .school import MetalSchool, Shine

# of the area is darker than what is painted white, and than what is painted black
BRIGHT_SHARE, DARK_SHARE = 0.97, 0.03
EVEN = 0.97  # a world so even has no dark to be painted black


class UnderLamp(MetalSchool):
    """The mirror's own picture, its brightest few per cent white."""

    name, order, title = "lamp", 20, "Under the lamp"
    when = "The true reflection of a small world: the most convincing from one view."
    weak = "From other sides it no longer reads as metal; flat plates come out all one value."

    def shares(self, site: Site, shine: Shine, world: World, lamp: Lamp) -> NDArray[np.float32]:
        """What is mirrored, as painted light is: its lightness between the darkest and the brightest of it, for metal
        is near-black beside near-white."""
        shown = mirrored(site.surface, site.visibility, shine.view, world, shine.roughness).astype(np.float64)
        order = np.argsort(shown, kind="stable")
        run = np.cumsum(site.areas[order].astype(np.float64))
        white = float(shown[order[min(int(np.searchsorted(run, BRIGHT_SHARE * run[-1])), len(order) - 1)]])
        light = np.clip(shown / max(white, 1e-9), 0, 1) ** (1 / 2.4)
        dark = float(light[order[min(int(np.searchsorted(run, DARK_SHARE * run[-1])), len(order) - 1)]])
        if dark > EVEN:
            return light.astype(np.float32)
        return np.clip((light - dark) / (1 - dark), 0, 1).astype(np.float32)


SCHOOL = UnderLamp()
