"""Edges: highlights along crests that the lamp sees, dots where they meet, dark lines along creases."""

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat
from ....errors import SettingError
from ...context import Context
from ..feature import Feature, Item
from ..metal.feature import HANDY
from .lines import edge_coats, lining_coat
from .wishes import EdgeWishes


class EdgesFeature(Feature):
    """Source: common practice, craft page, section 12."""

    shares_pots = True
    Wishes = EdgeWishes

    def lightness(self, context: Context) -> NDArray[np.float64]:
        """(R + 1,) mean value of the rest and of each region: no dark line lies between two whites."""
        site, value = context.site, context.target(self.name).value
        area = np.bincount(site.labels, weights=site.areas, minlength=len(site.marking.regions) + 1)
        return np.bincount(site.labels, weights=site.areas * value, minlength=len(area)) / np.maximum(area, 1e-9)

    def items(self, context: Context) -> list[Item]:
        """Lining first, then highlights: each region that was set."""
        wishes, regions = context.wishes(self.name), context.site.marking.regions
        lined = [Item("lining", r.id, f"{r.name}: lining") for r in regions if wishes.of(r.id).lining]
        return [*lined, *(Item("edges", r.id, f"{r.name}: edges") for r in regions if wishes.of(r.id).highlight)]

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """A wide line, a fine one and dots; or the dark line."""
        wish = context.wishes(self.name).of(item.region)
        brief = context.brief(self.name, context.site.marking.number_of(item.region))
        if item.way == "edges":
            return edge_coats(brief, context.plan.light.lamp or HANDY, wish.least, wish.line)
        line = lining_coat(brief, self.lightness(context))
        if line is None:
            raise SettingError("there is no crease round this region to line, or only between two whites")
        return [line]

    def rank(self, coat: Coat) -> int:
        """Lining before highlights."""
        return int(coat.way == "edges")


FEATURE = EdgesFeature()
