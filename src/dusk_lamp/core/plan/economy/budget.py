"""What a painter has: minutes, pots, puddles, and what must stay as it is."""

from dataclasses import dataclass, field

from ...datasets.prices import price
from ...errors import SettingError
from ...plain import checked, number

EVENING, GAME, DISPLAY = 90.0, 120.0, 300.0  # minutes, door to door
MOST_STEPS_ON = 12  # of one region, that a pin can ask for
SHORT = 150.0  # minutes; in less nobody wants more than a small palette


@dataclass(frozen=True)
class Budget:
    """How far a plan may go. minutes: of work, door to door. pots, puddles, steps: at most so many, None for any.
    only: names of the pots it may take, () for all. blends: whether neighbouring puddles may be blended. neat:
    whether every region's base comes neat from a pot. steps_on: how many steps some regions get, by their ids."""

    minutes: float = number(GAME, 1, 3000, "the time", "minutes", step=10, form="Minutes")
    pots: int | None = number(None, 1, 200, "the number of pots", step=1, form="Pots at most")
    puddles: int | None = number(None, 1, 200, "the number of puddles", step=1, form="Puddles at most")
    steps: int | None = number(None, 1, 500, "the number of steps", step=1, form="Steps at most")
    only: tuple[str, ...] = ()
    blends: bool = True
    neat: bool = False
    steps_on: dict[str, int] = field(default_factory=dict)

    @classmethod
    def usual(cls, minutes: float = GAME) -> "Budget":
        """What suits so much time: twelve pots and eighteen puddles for an evening or two, more for a display
        piece."""
        short = minutes <= SHORT
        return cls(minutes, 12 if short else 20, 18 if short else 40, 36 if short else None)

    @property
    def worth(self) -> float:
        """The share of the weighted area that a minute must bring: who has more time takes smaller gains."""
        return price("worth") * self._thrift

    @property
    def worth_of_a_way(self) -> float:
        """The same for a region that is painted by itself."""
        return price("worth of a way") * self._thrift

    @property
    def _thrift(self) -> float:
        return min(1.0, (GAME / self.minutes) ** 2)

    def __post_init__(self) -> None:
        checked(self)
        if len(self.only) > 200:
            raise SettingError("at most 200 pots can be pinned")
        if len(self.steps_on) > 255 or not all(1 <= n <= MOST_STEPS_ON for n in self.steps_on.values()):
            raise SettingError(f"a region can be pinned to 1 to {MOST_STEPS_ON} steps")
        pinned = sum(self.steps_on.values())
        if self.steps is not None and pinned > self.steps:
            raise SettingError(
                f"the pinned regions alone take {pinned} steps and only {self.steps} are allowed; free one of them"
            )
