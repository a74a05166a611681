"""What a card has: places to paint, what is printed on it, and a grade for what was painted."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..paint.colour import RGB_TO_XYZ, screen_levels
from ..paint.film import WHITE_CARD
from ..paint.value import munsell_from_luminance
from ..plain import rounded

WIDE_MM, TALL_MM = 180.0, 120.0
MARKER_MM, MARKER_AT_MM = 14.0, 3.0  # side of a corner's mark, and its distance from both edges
GREY_MM = 22.0  # side of the place for a grey card
PAPER, INK = 0.84, 0.045  # reflectances of white office paper and of printed black, from memory
PX_MM = 6.0  # pixels of a card that was laid flat
INNER = 0.7  # of a place, in the middle: what is read; the rim is left out
BLOCKS = 4  # a side: a place is read in so many blocks, whose differences say how even it is


@dataclass(frozen=True)
class CardPlace:
    """A place on a card, mm from its top left corner. label: printed beside it."""

    name: str
    x: float
    y: float
    wide: float
    high: float
    label: str = ""


@dataclass(frozen=True)
class Words:
    """Words printed on a card, their left edge and base line in mm."""

    x: float
    y: float
    text: str
    size: float = 3.2
    bold: bool = False


GREY_PLACE = CardPlace("grey card", WIDE_MM - MARKER_AT_MM - MARKER_MM - GREY_MM - 4, 3.0, GREY_MM, 14.0)


@dataclass(frozen=True)
class Flat:
    """A card in a photo, laid flat: reflectance (H, W, 3) linear, white paper as it is. troubles: of the photo."""

    reflectance: NDArray[np.float32]
    troubles: tuple[str, ...] = ()

    @property
    def picture(self) -> NDArray[np.uint8]:
        """(H, W, 3) the card as it is, in even light."""
        return screen_levels(self.reflectance / WHITE_CARD)

    def blocks(
        self, place: CardPlace, across: int = BLOCKS, down: int = BLOCKS, inner: float = INNER
    ) -> NDArray[np.float64]:
        """(down, across, 3) means of the middle of a place; inner: of its width."""
        left, top = place.x + (1 - inner) / 2 * place.wide, place.y + (1 - INNER) / 2 * place.high
        columns = np.round((left + np.linspace(0, 1, across + 1) * inner * place.wide) * PX_MM).astype(int)
        rows = np.round((top + np.linspace(0, 1, down + 1) * INNER * place.high) * PX_MM).astype(int)
        out = np.empty((down, across, 3))
        for j in range(down):
            for k in range(across):
                out[j, k] = self.reflectance[rows[j] : rows[j + 1], columns[k] : columns[k + 1]].mean(axis=(0, 1))
        return out

    def colour(self, place: CardPlace) -> NDArray[np.float64]:
        """(3,) the colour of a place."""
        return np.median(self.blocks(place).reshape(-1, 3), axis=0)

    def values(self, place: CardPlace, across: int, inner: float = INNER) -> NDArray[np.float64]:
        """(across,) the values along a place."""
        return value_of_linear(self.blocks(place, across, 1, inner)[0])


def value_of_linear(colour: NDArray) -> NDArray[np.float64]:
    """Munsell values of linear colours (..., 3)."""
    Y = np.maximum(np.asarray(colour, float) @ RGB_TO_XYZ.T[:, 1], 0)
    return np.asarray(munsell_from_luminance(np.clip(100 * Y, 0, 100)), float)


@dataclass(frozen=True)
class Graded:
    """A painted card, graded. error: in unit, 0 for a perfect one; good: 0..1. words: what it means, and what to do.
    rows: what was read, a row for each place that is spoken of."""

    error: float = rounded(3, 0.0)
    good: float = rounded(3, 0.0)
    unit: str = ""
    words: tuple[str, ...] = ()
    rows: tuple[dict[str, Any], ...] = ()
    troubles: tuple[str, ...] = field(default=())


class Card:
    """One card."""

    name: ClassVar[str]
    title: ClassVar[str]
    teaches: ClassVar[str]  # in a sentence
    how: ClassVar[tuple[str, ...]]  # what to do, in order
    order: ClassVar[int] = 50
    number: ClassVar[int]  # by which the marks in its corners tell it from others
    unit: ClassVar[str]
    poor: ClassVar[float]  # an error as large as that is worth nothing
    places: ClassVar[tuple[CardPlace, ...]]
    black: ClassVar[tuple[CardPlace, ...]] = ()  # printed black
    printed: ClassVar[tuple[Words, ...]] = ()

    def graded(self, flat: Flat) -> Graded:
        """What was painted, graded.

        Raises:
            SettingError: nothing was painted, or what was painted is not what the card asks for.
        """
        raise NotImplementedError

    def painted(self, rng: np.random.Generator) -> tuple[Mapping[str, NDArray], dict[str, Any]]:
        """The card as somebody might have painted it, for the simulated camera: by place, linear colours (3,), or
        (N, 3) from left to right; and the truth, plain values."""
        raise NotImplementedError

    def goodness(self, error: float) -> float:
        """How good an error is, 0..1."""
        return max(0.0, 1 - error / self.poor)
