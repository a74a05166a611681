"""Preparing: how the base is built and what the model is printed in, before any paint (CP-2)."""

from collections.abc import Sequence

from ....coat.coat import Coat
from ...context import Context
from ...steps.care import care
from ...steps.task import Task
from ..feature import Feature
from .wishes import PrepareWishes


class PrepareFeature(Feature):
    """Source: common practice, CP-2, CP-44."""

    Wishes = PrepareWishes

    def tasks(self, context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
        """Putty, stones and paste, a night before the primer."""
        wishes, out = context.wishes(self.name), []
        if wishes.gaps:
            out.append(
                Task(
                    "Fill the gaps",
                    "Press putty in with a wet tool, smooth it level, and wet-sand it once it is hard.",
                    care("fill"),
                    care("putty dries"),
                    ("putty", "dust"),
                )
            )
        if wishes.base == "paste and stones":
            out.append(
                Task(
                    "Glue the stones on",
                    "Set the largest first, off the middle, a third of each sunk in.",
                    care("stones"),
                    care("glue dries"),
                    ("cement",),
                )
            )
        if wishes.base != "as it is":
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


FEATURE = PrepareFeature()
