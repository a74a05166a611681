"""Wear: how a model is weathered, layer on layer, and what that makes of its look."""

from dataclasses import dataclass, field, replace

import numpy as np

from ...coat.coat import Coat
from ...errors import SettingError
from ...plain import Range, checked, number
from ...target.local import rgb_of_lab
from ...target.target import Target
from ..context import Context
from ..wear import FOLLOWS, LAYERS, LAYERS_BY_NAME, Layer, films_of_wear, wear_coats
from .stage import Item, Stage, Takers, ids_taken, wishes_taken

AMOUNT = Range("an amount of wear", 0, 1, step=0.05)


@dataclass(frozen=True)
class WearWishes:
    """amounts: 0..1 of each layer by its name; what is not there is left out; None as long as nobody has set any.
    spared: ids of the regions that stay clean. shares: 0..1 of layers on regions, by their ids, where they are not
    what the material asks for. seed: the pattern."""

    amounts: dict[str, float] | None = None
    spared: tuple[int, ...] = ()
    shares: dict[str, dict[str, float]] = field(default_factory=dict)
    seed: int = number(1, 1, 9999, "the pattern")

    def __post_init__(self) -> None:
        checked(self)
        for name, amount in (self.amounts or {}).items():
            if name not in LAYERS_BY_NAME:
                raise SettingError(f"wear is {', '.join(LAYERS_BY_NAME)}, not '{str(name)[:40]}'")
            if isinstance(amount, bool) or not (isinstance(amount, int | float) and 0 <= amount <= 1):
                raise SettingError(f"{LAYERS_BY_NAME[name].title.lower()} is an amount between 0 and 1, not {amount}")

        for own in self.shares.values():
            for name, share in own.items():
                if name not in LAYERS_BY_NAME:
                    raise SettingError(f"wear is {', '.join(LAYERS_BY_NAME)}, not '{str(name)[:40]}'")
                if isinstance(share, bool) or not 0 <= share <= 1:
                    raise SettingError(f"a region's share of wear is between 0 and 1, not {share}")

    @property
    def shown(self) -> dict[str, float]:
        """The amounts as they were set, or a little of what everybody does."""
        return {layer.name: layer.usual for layer in LAYERS if layer.usual} if self.amounts is None else self.amounts

    def amount(self, layer: Layer) -> float:
        """Of a layer; what lies inside another has as much as that."""
        own = self.shown.get(layer.name, 0.0)
        return self.shown.get(FOLLOWS[layer.name], 0.0) if layer.name in FOLLOWS and own else own


class WearStage(Stage):
    """Source: common practice, craft page, section 12; CP-32."""

    name, order, title = "wear", 70, "Wear"
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
        own = wishes or context.wishes(self.name)
        made = wear_coats(
            context.site, self.amounts(own), own.spared, own.seed, context.rack, context.tools, own.shares
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

    def without_region(self, wishes: WearWishes, id_: int) -> WearWishes:
        """Not spared any more."""
        left = {k: v for k, v in wishes.shares.items() if k != str(id_)}
        return replace(wishes, spared=tuple(i for i in wishes.spared if i != id_), shares=left)

    def carried(self, wishes: WearWishes, own: WearWishes, takers: Takers, first_id: int) -> WearWishes:
        """As worn as the scheme, where it takes after it."""
        spared = ids_taken(wishes.spared, own.spared, takers)
        return replace(wishes, spared=spared, shares=wishes_taken(wishes.shares, own.shares, takers))


STAGE = WearStage()
