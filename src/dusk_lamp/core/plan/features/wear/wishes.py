"""What is wished of wear."""

from dataclasses import dataclass, field, replace
from typing import ClassVar

from ....errors import SettingError
from ....plain import checked, number
from ...wishes import Takers, Wishes, ids_taken, wishes_taken
from .layers import FOLLOWS, LAYERS, LAYERS_BY_NAME, Layer


@dataclass(frozen=True)
class WearWishes(Wishes):
    """amounts: 0..1 of each layer by its name; what is not there is left out; None as long as nobody has set any.
    spared: ids of the regions that stay clean. shares: 0..1 of layers on regions, by their ids, where they are not
    what the material asks for. seed: the pattern."""

    name: ClassVar[str] = "wear"
    order: ClassVar[int] = 70
    title: ClassVar[str] = "Wear"

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

        for of_region in self.shares.values():
            for name, share in of_region.items():
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
        amount = self.shown.get(layer.name, 0.0)
        return self.shown.get(FOLLOWS[layer.name], 0.0) if layer.name in FOLLOWS and amount else amount

    def without_region(self, id_: int) -> "WearWishes":
        """Not spared any more."""
        left = {k: v for k, v in self.shares.items() if k != str(id_)}
        return replace(self, spared=tuple(i for i in self.spared if i != id_), shares=left)

    def carried(self, theirs: "WearWishes", takers: Takers, first_id: int) -> "WearWishes":
        """As worn as the scheme, where it takes after it."""
        spared = ids_taken(self.spared, theirs.spared, takers)
        return replace(self, spared=spared, shares=wishes_taken(self.shares, theirs.shares, takers))


WISHES = WearWishes
