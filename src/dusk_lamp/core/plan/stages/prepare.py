"""Preparing: how the base is built and what the model is printed in, before any paint (CP-2)."""

from collections.abc import Sequence
from dataclasses import dataclass

from ...coat.coat import Coat
from ...plain import checked, choice
from ..care import care
from ..context import Context
from ..task import Task
from .stage import Stage

BASES = ("as it is", "paste", "paste and stones")


@dataclass(frozen=True)
class PrepareWishes:
    """base: how it is built. gaps: whether there are any to fill."""

    base: str = choice("as it is", BASES, "how the base is built")
    gaps: bool = False

    def __post_init__(self) -> None:
        checked(self)


class PrepareStage(Stage):
    """Source: common practice, CP-2, CP-44."""

    name, order, title = "prepare", 5, "Preparing"
    Wishes = PrepareWishes

    def tasks(self, context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
        """Putty, stones and paste, a night before the primer."""
        own, out = context.wishes(self.name), []
        if own.gaps:
            out.append(
                Task(
                    "Fill the gaps",
                    "Press putty in with a wet tool, smooth it level, and wet-sand it once it is hard.",
                    care("fill"),
                    care("putty dries"),
                    ("putty", "dust"),
                )
            )
        if own.base == "paste and stones":
            out.append(
                Task(
                    "Glue the stones on",
                    "Set the largest first, off the middle, a third of each sunk in.",
                    care("stones"),
                    care("glue dries"),
                    ("cement",),
                )
            )
        if own.base != "as it is":
            out.append(
                Task(
                    "Spread the paste on the base",
                    "Up to the feet and not over them; clean the rim with a damp finger. It dries overnight, "
                    "before the primer.",
                    care("paste"),
                    care("paste dries"),
                    (),
                )
            )
        return [(0, task) for task in out]


STAGE = PrepareStage()
