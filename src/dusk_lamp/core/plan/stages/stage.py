"""What a stage of a plan can say of itself."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, TypeVar

from ...coat.coat import Coat
from ...target.target import Target
from ..context import Context
from ..share import from_what_is_out
from ..task import Task

T = TypeVar("T")


@dataclass(frozen=True)
class Item:
    """One thing that a stage's wishes ask coats for. way: what its coats are known by. region: the id of the region
    it is for; 0 for none. title: what a painter calls it."""

    way: str
    region: int = 0
    title: str = ""


Takers = Mapping[int, Sequence[int]]  # ids of the regions on another sculpt by the id of the one they take after


def ids_taken(ids: Sequence[int], own: Sequence[int], takers: Takers) -> tuple[int, ...]:
    """The regions that take after some, and those of `own` that take after none."""
    taking = {k for some in takers.values() for k in some}
    kept = [k for k in own if k not in taking]
    return tuple(dict.fromkeys([*(k for i in ids for k in takers.get(i, ())), *kept]))


def wishes_taken(of: Mapping[str, T], own: Mapping[str, T], takers: Takers) -> dict[str, T]:
    """What is wished for regions, by their ids as text, for those that take after them; others keep their own."""
    taking = {str(k) for some in takers.values() for k in some}
    out = {k: v for k, v in own.items() if k not in taking}
    return out | {str(k): v for i, v in of.items() for k in takers.get(int(i), ())}


@dataclass(frozen=True)
class NoWishes:
    """Of a stage that asks nothing."""


class Stage:
    """One stage. What a subclass does not say: it wishes nothing, leaves the target as it is and lays no coats."""

    name: ClassVar[str]
    order: ClassVar[int]  # of its coats among those of other stages
    title: ClassVar[str]
    Wishes: ClassVar[type] = NoWishes  # a frozen dataclass of described fields; its defaults are what nobody has set
    shares_pots: ClassVar[bool] = False  # whether its mixes may come from what is on the palette for others
    aims: ClassVar[int | None] = None  # when it changes the target, where it does

    def target(self, context: Context, aim: Target) -> Target:
        """What the model ought to look like with this stage's wishes."""
        return aim

    def items(self, context: Context) -> list[Item]:
        """What its wishes ask coats for, in order."""
        return []

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """The coats of one item over the stages before.

        Raises:
            SettingError: the rack lacks something for it, or it cannot be painted there.
        """
        return []

    def mine(self, item: Item, coat: Coat) -> bool:
        """Whether a coat of this stage belongs to an item."""
        return coat.way == item.way and coat.region == item.region

    def rank(self, coat: Coat) -> int:
        """Where a coat comes among those of this stage; equal ones stay as they are."""
        return 0

    def has(self, context: Context, item: Item) -> bool:
        """Whether an item has coats in the plan."""
        return any(self.mine(item, c) for c in context.coats(self.name))

    def put(self, context: Context, item: Item, new: Sequence[Coat]) -> list[Coat]:
        """All coats of the plan with those of one item replaced, or taken off where none are given."""
        own = context.coats(self.name)
        at = next((k for k, c in enumerate(own) if self.mine(item, c)), len(own))
        left = [c for c in own if not self.mine(item, c)]
        at = sum(not self.mine(item, c) for c in own[:at])
        own = sorted([*left[:at], *self.marked(item, new), *left[at:]], key=self.rank)
        return [*context.before(self.name), *own, *context.after(self.name)]

    def marked(self, item: Item, coats: Sequence[Coat]) -> list[Coat]:
        """Coats as those of an item of this stage; what they already say of their way stays."""
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
        """The stage as far as whose target a coat aims."""
        return self.name

    def covers(self, context: Context) -> set[int]:
        """The ids of regions that its coats cover whole: under them no colour is laid."""
        return set()

    def tasks(self, context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
        """Work without paint that its wishes ask for, each with the place of the coat of the plan it is done
        before."""
        return []

    def came_to(self, context: Context) -> Any:
        """Its wishes, with what was found when its coats were worked out."""
        return context.wishes(self.name)

    def without_region(self, wishes: Any, id_: int) -> Any:
        """The wishes once a region is gone."""
        return wishes

    def carried(self, wishes: Any, own: Any, takers: Takers, first_id: int) -> Any:
        """The wishes of a scheme for another sculpt. own: what is wished there so far; takers: the regions there that
        take after each region of the scheme, by ids. first_id: from which on ids are free there."""
        return wishes
