"""A squad: the paint that the same steps take on several models together."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..plain import rounded
from ..plan.steps.step import Step
from ..units import DROPS_PER_ML


@dataclass(frozen=True)
class Needed:
    """paint: a mix in words. ml, drops: of it for all models."""

    paint: str
    ml: float = rounded(2)
    drops: int = 0


def paint_for(models: Iterable[Sequence[Step]], drops_per_ml: float = DROPS_PER_ML) -> list[Needed]:
    """The paint of every step that is not left out, over all models, by mix."""
    ml: dict[str, float] = {}
    for steps in models:
        for step in steps:
            if not step.muted:
                ml[step.paint] = ml.get(step.paint, 0.0) + step.ml
    return [Needed(paint, amount, round(amount * drops_per_ml)) for paint, amount in ml.items()]
