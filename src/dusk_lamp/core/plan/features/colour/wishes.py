"""What is wished of the colours."""

from dataclasses import dataclass, replace
from typing import ClassVar

from ....errors import SettingError
from ....plain import checked, text
from ...economy.budget import Budget
from ...wishes import Takers, Wishes, wishes_taken
from .ways import ways


@dataclass(frozen=True)
class ColourWishes(Wishes):
    """every: the way of regions that name none; "" leaves them a sketch. budget: the time, pots and puddles that
    those are planned for, all together; None where each is painted by itself."""

    name: ClassVar[str] = "colour"
    order: ClassVar[int] = 20
    title: ClassVar[str] = "Colours"

    every: str = text("", (0, 20), "the way of all other regions")
    budget: Budget | None = None

    def __post_init__(self) -> None:
        checked(self)
        if self.every and self.every not in ways():
            raise SettingError(f"a way is one of {', '.join(ways())}, not '{self.every[:40]}'")

    def carried(self, theirs: "ColourWishes", takers: Takers, first_id: int) -> "ColourWishes":
        """The same budget, with what is pinned for the regions that take after the pinned ones."""
        if self.budget is None:
            return self
        steps_on = wishes_taken(self.budget.steps_on, {}, takers)
        return replace(self, budget=replace(self.budget, steps_on=steps_on))


WISHES = ColourWishes
