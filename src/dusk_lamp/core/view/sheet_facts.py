"""What a plan sheet says, on screen and on paper."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from ..plan.palette.puddles import Put
from ..plan.steps.cards import StepCard
from ..plan.steps.step import Step

FONTS = Path(__file__).parent / "fonts"
FEW_VIEWS = ("display", "back")
READING = (  # how a step's pictures are read, in print and on screen
    "Each picture shows the model before its step, amber where the film goes, amber lines where it fades out; a "
    "picture without amber is painted all over, and shows how it looks then. Small arrows say which way the brush is "
    "pulled. The numbers are the order to work in: while one region dries, another is painted."
)


@dataclass(frozen=True)
class SheetFacts:
    """What stands in the heading. school: what the coats came from. near: the share of the area near the light when
    the undercoat is done; promised: what it comes to when all is painted, in words. times: in words, on so many
    models. cards: steps that are done together. pots: to have out; puddles: of the palette, each with its `#rrggbb`,
    how it is mixed, and what it is for; mixing: how many of them are mixed, in words; puts: what each step does at
    the palette. twins: what mends each primed or sprayed colour by brush."""

    name: str
    light: str
    height_mm: float
    area_mm2: float
    notice: str
    seams: list[str]
    school: str = ""
    near: float | None = None
    times: str = ""
    models: int = 1
    promised: str = ""
    cards: list[StepCard] = field(default_factory=list)
    pots: list[str] = field(default_factory=list)
    puddles: list[tuple[str, str, str]] = field(default_factory=list)
    puts: list[Put | None] = field(default_factory=list)
    twins: list[str] = field(default_factory=list)
    mixing: str = ""


def views_of(step: Step, views: Sequence[str]) -> list[str]:
    """The views that a step is shown from: coats on one region need fewer."""
    return list(views) if step.stage == "undercoat" else list(FEW_VIEWS)
