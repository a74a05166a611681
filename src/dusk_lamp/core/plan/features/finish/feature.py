"""Finishing: the base's rim in two coats, and a last varnish that makes the sheen one (CP-32, CP-44)."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....errors import SettingError
from ....paint.mix import only
from ....sculpt.site import Site, Where
from ...context import Context
from ..feature import Feature, Item
from ..undercoat.schools.school import sprayed
from .wishes import NONE, FinishWishes

VARNISH_UM = 10.0
RIM_COATS = 2
LOW_MM, LOW_SHARE = 6.0, 0.12  # no higher than that, or that share of the model, is a base's rim; from memory
# of a normal's length may point up or down: on the wall, and on the bevels above and below it
UPRIGHT, BEVELLED = 0.5, 0.9
OUTERMOST = 0.93  # of the way out from the middle, in its direction
DIRECTIONS, BAND_MM = 36, 0.8
ROUND = 0.6  # a height belongs to the rim where a wall stands in so many of all directions


def rim_spots(site: Site) -> NDArray[np.bool_]:
    """(N,) the upright outer side of the base: low, and as far out as the base goes in that direction."""
    points, up = site.surface.points.astype(float), np.abs(site.surface.normals[:, 2])
    height = points[:, 2] - points[:, 2].min()
    low = height <= min(LOW_MM, LOW_SHARE * site.surface.height)
    if not low.any():
        return low
    ground = height <= 0.3 * min(LOW_MM, LOW_SHARE * site.surface.height)
    middle = (points[ground, :2].min(axis=0) + points[ground, :2].max(axis=0)) / 2
    off = points[:, :2] - middle
    sector = (np.arctan2(off[:, 1], off[:, 0]) / (2 * np.pi) * DIRECTIONS).astype(int) % DIRECTIONS
    far, out = np.hypot(off[:, 0], off[:, 1]), np.zeros(DIRECTIONS)
    np.maximum.at(out, sector[ground], far[ground])
    outer = low & (far >= OUTERMOST * out[sector])
    wall, top = outer & (up <= UPRIGHT), BAND_MM
    while len(np.unique(sector[wall & (height > top - BAND_MM) & (height <= top)])) >= ROUND * DIRECTIONS:
        top += BAND_MM / 4
    return outer & (height <= top - BAND_MM / 4) & (up <= BEVELLED) & site.paintable


class FinishFeature(Feature):
    """Source: common practice, CP-32, CP-44."""

    Wishes = FinishWishes

    def items(self, context: Context) -> list[Item]:
        """Varnish first, then the rim, so that no hand is on it any more."""
        wishes = context.wishes(self.name)
        found = [Item("varnish", 0, "Last varnish")] if wishes.varnish != NONE else []
        return [*found, Item("rim", 0, "Base rim")] if wishes.rim else found

    def rank(self, coat: Coat) -> int:
        """The rim last."""
        return int(coat.way == "rim")

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """One thin, even varnish; two coats on the rim.

        Raises:
            SettingError: the varnish or the paint is not on the rack, or the base has no rim.
        """
        wishes, site, tools = context.wishes(self.name), context.site, context.tools
        if item.way == "varnish":
            found = [p for p in context.rack if not p.of_kind.changes_colour and p.of("finish") == wishes.varnish]
            if not found or wishes.varnish not in tools.varnishes:
                raise SettingError(
                    f"there is no {wishes.varnish} varnish on the rack or among your tools; choose another, or none"
                )
            label = f"last varnish, {wishes.varnish}: it makes the sheen one"
            if tools.sprays:
                coat = sprayed(
                    site.surface, only(found[0]), context.lamp.azimuth, 30, VARNISH_UM, "turn", label, tools
                )
            else:
                coat = usual_coat("brush", only(found[0]), label)
            return [replace(coat, stage=self.name)]
        spots, paint = rim_spots(site), context.rack.find(wishes.rim)
        if not spots.any():
            raise SettingError("this sculpt has no base with an upright rim; leave the rim out")
        coat = usual_coat("brush", only(paint), "base rim, all round", self.name)
        film = coat.with_settings({"film_um": RIM_COATS * paint.of("coat_um")})
        return [replace(film, where=Where.some(spots))]


FEATURE = FinishFeature()
