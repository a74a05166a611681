"""What is wished before any paint."""

from dataclasses import dataclass
from typing import ClassVar

from ....plain import checked, choice
from ...wishes import Wishes

BASES = ("as it is", "paste", "paste and stones")


@dataclass(frozen=True)
class PrepareWishes(Wishes):
    """base: how it is built. gaps: whether there are any to fill."""

    name: ClassVar[str] = "prepare"
    order: ClassVar[int] = 5
    title: ClassVar[str] = "Preparing"

    base: str = choice("as it is", BASES, "how the base is built")
    gaps: bool = False

    def __post_init__(self) -> None:
        checked(self)


WISHES = PrepareWishes
