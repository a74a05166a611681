"""What a feature of a plan can say of itself."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from ...coat.coat import Coat
from ...target.target import Target
from ..context import Context
from ..nearness import Nearness
from ..palette.share import from_what_is_out
from ..steps.task import Task
from ..wishes import Wishes as FeatureWishes


@dataclass(frozen=True)
class Item:
    """One thing that a feature's wishes ask coats for. way: what its coats are known by. region: the id of the region
    it is for; 0 for none. title: what a painter calls it."""

    way: str
    region: int = 0
    title: str = ""


class Feature:
    """One feature of the plan. What a subclass does not say: it leaves the target as it is and lays no coats."""

    Wishes: ClassVar[type[FeatureWishes]]  # its defaults are what nobody has set
    name: ClassVar[str]  # these three as its wishes say
    order: ClassVar[int]
    title: ClassVar[str]
    needed: ClassVar[bool] = False  # whether there is no plan without its coats
    shares_pots: ClassVar[bool] = False  # whether its mixes may come from what is on the palette for others
    aims: ClassVar[int | None] = None  # when it changes the target, where it does

    def __init_subclass__(cls) -> None:
        cls.name, cls.order, cls.title = cls.Wishes.name, cls.Wishes.order, cls.Wishes.title

    def target(self, context: Context, aim: Target) -> Target:
        """What the model ought to look like with its wishes."""
        return aim

    def items(self, context: Context) -> list[Item]:
        """What its wishes ask coats for, in order."""
        return []

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """The coats of one item over those of the features before.

        Raises:
            SettingError: the rack lacks something for it, or it cannot be painted there.
        """
        return []

    def mine(self, item: Item, coat: Coat) -> bool:
        """Whether a coat of this feature belongs to an item."""
        return coat.way == item.way and coat.region == item.region

    def rank(self, coat: Coat) -> int:
        """Where a coat comes among those of this feature; equal ones stay as they are."""
        return 0

    def has(self, context: Context, item: Item) -> bool:
        """Whether an item has coats in the plan."""
        return any(self.mine(item, c) for c in context.coats(self.name))

    def put(self, context: Context, item: Item, new: Sequence[Coat]) -> list[Coat]:
        """All coats of the plan with those of one item replaced, or taken off where none are given."""
        coats_here = context.coats(self.name)
        at = next((k for k, c in enumerate(coats_here) if self.mine(item, c)), len(coats_here))
        left = [c for c in coats_here if not self.mine(item, c)]
        at = sum(not self.mine(item, c) for c in coats_here[:at])
        coats_here = sorted([*left[:at], *self.marked(item, new), *left[at:]], key=self.rank)
        return [*context.before(self.name), *coats_here, *context.after(self.name)]

    def marked(self, item: Item, coats: Sequence[Coat]) -> list[Coat]:
        """Coats as those of an item of this feature; what they already say of their way stays."""
        return [replace(c, stage=self.name, way=c.way or item.way, region=item.region) for c in coats]

    def painted(self, context: Context, item: Item) -> list[Coat]:
        """All coats of the plan with an item painted as its wishes are now.

        Raises:
            SettingError: see coats.
        """
        made = self.coats(context, item)
        if self.shares_pots:  # one palette for the whole plan
            others = [c for c in context.coats(self.name) if not self.mine(item, c)]
            made = from_what_is_out(made, [*context.before(self.name), *others])
        return self.put(context, item, made)

    def aim(self, coat: Coat) -> str:
        """The feature as far as whose target a coat aims."""
        return self.name

    def in_order(self, context: Context) -> list[Coat]:
        """All coats of the plan once its items are laid, with its own in the order of the craft."""
        return list(context.plan.coats)

    def covers(self, context: Context) -> set[int]:
        """The ids of regions that its coats cover whole: under them no colour is laid."""
        return set()

    def near(self, context: Context) -> dict[int, Nearness]:
        """How near each region that it paints ends, by its number."""
        return {}

    def tasks(self, context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
        """Work without paint that its wishes ask for, each with the place of the coat of the plan it is done
        before."""
        return []

    def laid_again(self, context: Context) -> bool:
        """Whether its coats are worked out once more when those of the features after it are known."""
        return False

    def came_to(self, context: Context) -> Any:
        """Its wishes, with what was found when its coats were worked out."""
        return context.wishes(self.name)
