"""What is wished at the end."""

from dataclasses import dataclass
from typing import ClassVar

from ....plain import checked, choice, text
from ....workplace.tools import VARNISHES
from ...wishes import Wishes

NONE = "none"


@dataclass(frozen=True)
class FinishWishes(Wishes):
    """rim: the name of the paint that the base's rim gets; "" for none. varnish: the last coat over all."""

    name: ClassVar[str] = "finish"
    order: ClassVar[int] = 90
    title: ClassVar[str] = "Finishing"

    rim: str = text("", (0, 80), "the paint of the base's rim")
    varnish: str = choice(NONE, (NONE, *VARNISHES), "the last varnish")

    def __post_init__(self) -> None:
        checked(self)


WISHES = FinishWishes
