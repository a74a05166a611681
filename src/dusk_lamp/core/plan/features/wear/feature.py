"""Wear: how a model is weathered, layer on layer, and what that makes of its look."""

from dataclasses import replace

import numpy as np

from ....coat.coat import Coat
from ....plain import Range
from ....target.local import rgb_of_lab
from ....target.target import Target
from ...context import Context
from ..feature import Feature, Item
from .layers import LAYERS, films_of_wear, wear_coats
from .wishes import WearWishes

AMOUNT = Range("an amount of wear", 0, 1, step=0.05)


class WearFeature(Feature):
    """Source: common practice, craft page, section 12; CP-32."""

    shares_pots = True
    Wishes = WearWishes
    aims = 40

    def target(self, context: Context, aim: Target) -> Target:
        """What each layer covers takes its colour, as far as its film closes."""
        wishes = context.wishes(self.name)
        if not wishes.amounts or aim.rgb is None:
            return aim
        rgb = aim.rgb.copy()
        for layer, film, closes in films_of_wear(
            context.site, self.amounts(wishes), wishes.spared, wishes.seed, wishes.shares
        ):
            share = np.clip(film / np.float32(closes), 0, 1)[:, None]
            rgb += share * (rgb_of_lab(np.array([layer.colour], float))[0].astype(np.float32) - rgb)
        return aim.with_rgb(rgb)

    def amounts(self, wishes: WearWishes) -> dict[str, float]:
        """Of every layer by its name."""
        return {layer.name: wishes.amount(layer) for layer in LAYERS}

    def all_coats(self, context: Context, wishes: WearWishes | None = None) -> list[Coat]:
        """The coats of some wishes, in order; each knows its layer as `way`.

        Raises:
            SettingError: the rack has nothing to mix them from.
        """
        wanted = wishes or context.wishes(self.name)
        made = wear_coats(
            context.site, self.amounts(wanted), wanted.spared, wanted.seed, context.rack, context.tools, wanted.shares
        )
        return [replace(c, stage=self.name) for c in made]

    def items(self, context: Context) -> list[Item]:
        """All of it together."""
        return [Item("wear", 0, "Wear")] if context.wishes(self.name).amounts else []

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """Every layer."""
        return self.all_coats(context)

    def mine(self, item: Item, coat: Coat) -> bool:
        """All of them."""
        return True


FEATURE = WearFeature()
