"""Layered: value climbs to one place, above and in front, and falls away from it."""

import numpy as np
from numpy.typing import NDArray

from .....directions import direction_of
from .....light.key import key_light
from .....light.lamp import Lamp
from .....light.reflect import World
from .....sculpt.site import Site
from .school import MetalSchool, Shine

ABOVE = 50.0  # degrees over the view: where the one place is
LEGS, MIDDLE = 0.5, 0.72  # what the lowest and the middle get of the light: legs no lighter than the middle
FADE = 0.75  # of what lies in the way of the light stays dark
SHARP = 1.8


class Layered(MetalSchool):
    """The usual metal of a model that is looked at from all sides."""

    name, order, title = "layered", 10, "Layered"
    when = "One soft climb to a place above and in front: reads from most sides."
    weak = "Not a mirror: plain on blades and large plates."

    def shares(self, site: Site, shine: Shine, world: World, lamp: Lamp) -> NDArray[np.float32]:
        """By how squarely a spot faces the place, how high it is, and what lies in between."""
        place = Lamp(shine.view[0], min(shine.view[1] + ABOVE, 90.0))
        facing = (1 + site.surface.normals @ direction_of(place.azimuth, place.elevation)) / 2
        z = site.surface.points[:, 2]
        height = (z - z.min()) / max(float(np.ptp(z)), 1e-9)
        falls = np.interp(height, (0.0, 0.5, 1.0), (LEGS, MIDDLE, 1.0))
        seen = key_light(site.surface, place, 1).visible
        return (facing**SHARP * falls * (1 - FADE * (1 - seen))).astype(np.float32)


SCHOOL = Layered()
