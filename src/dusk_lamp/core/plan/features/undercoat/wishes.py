"""What is wished of the undercoat."""

from dataclasses import dataclass, replace
from typing import ClassVar

from ....errors import SettingError
from ....plain import checked, number, text
from ...wishes import Wishes
from .pots import ValueSpan
from .schools import FIT, SUITED, schools


@dataclass(frozen=True)
class UndercoatWishes(Wishes):
    """How the coats come about. school: its name, "fit", or "suited": where the colours are planned for a number of
    minutes the one that is chosen with them, else the usual one. primer, through: names of paints; None where they
    are chosen by what is on the rack. in_colour: a fit sprays the steps of one colour instead of greys. darkest,
    lightest: the values aimed at; None for those of the paints. taken: the school that "suited" came to; "" before
    it came to any."""

    name: ClassVar[str] = "undercoat"
    order: ClassVar[int] = 10
    title: ClassVar[str] = "Undercoat"

    school: str = text(SUITED, (1, 20), "a school")
    taken: str = ""
    primer: str | None = text(None, (1, 60), "a primer's name")
    through: str | None = text(None, (1, 60), "a paint's name")
    in_colour: bool = False
    darkest: float | None = number(None, 0, 10, "the darkest value of the undercoat")
    lightest: float | None = number(None, 0, 10, "the lightest value of the undercoat")

    def __post_init__(self) -> None:
        checked(self)
        if self.taken and self.taken not in schools():
            raise SettingError(f"a school is one of {', '.join(schools())}, not '{self.taken[:40]}'")
        if self.school not in (*schools(), FIT, SUITED):
            raise SettingError(
                f"a school is one of {', '.join(schools())}, {FIT} or {SUITED}, not '{self.school[:40]}'"
            )

    def of(self, school: str, span: ValueSpan | None) -> "UndercoatWishes":
        """The same by another school, or "fit", and the values it aims at."""
        ends = (None, None) if span is None else (span.darkest, span.lightest)
        return replace(self, school=school, darkest=ends[0], lightest=ends[1])


WISHES = UndercoatWishes
