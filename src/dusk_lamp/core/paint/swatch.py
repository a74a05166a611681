"""Swatches: the colour of a paint from a photo that shows it beside a grey card."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from .colour import cones, from_cones, linear, screen_hex
from .film import GREY_CARD

SPOT_SHARE = 0.012  # half the side of the patch that is read, over the photo's longer side
DARKEST_CARD, LIGHTEST_CARD = 0.004, 0.98  # light between which a grey card says anything


@dataclass(frozen=True)
class Swatch:
    """hex: `#rrggbb`. clipped: brighter than a white would be beside this card."""

    hex: str
    clipped: bool


def patch(pixels: NDArray[np.floating], at: tuple[float, float]) -> NDArray[np.float64]:
    """(3,) mean light of a patch of a photo (H, W, 3) sRGB 0..1 at a place (x, y) given as shares of it.

    Raises:
        SettingError: the place lies beside the photo.
    """
    tall, wide = pixels.shape[:2]
    x, y = at
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise SettingError("the spot that arrived lies beside the photo; click again")
    half = max(1, round(SPOT_SHARE * max(tall, wide)))
    row, column = int(y * (tall - 1)), int(x * (wide - 1))
    block = pixels[max(0, row - half) : row + half + 1, max(0, column - half) : column + half + 1]
    return linear(block).reshape(-1, 3).mean(axis=0)


def swatch_of(
    pixels: NDArray[np.floating], at: tuple[float, float], grey: tuple[float, float] | None = None
) -> Swatch:
    """The colour at a place of a photo; a grey card takes the light's own colour and strength out.

    Raises:
        SettingError: a place lies beside the photo, or the card is too dark or burnt out there.
    """
    light = patch(pixels, at)
    if grey is not None:
        card = patch(pixels, grey)
        if card.min() < DARKEST_CARD or card.max() > LIGHTEST_CARD:
            raise SettingError("the grey card is too dark or burnt out there; click on an evenly lit place of it")
        light = from_cones(cones(light) * GREY_CARD / cones(card))
    return Swatch(screen_hex(light), bool((light > 1).any()))
