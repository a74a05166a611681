"""Drawings for drills that need no sculpt: patches, ramps, balls."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..paint.value import grey_srgb

WIDE, HIGH = 620, 300
BALL_SPAN = 1.2  # radii from the middle of a ball's picture to its edge


def patches(values: Sequence[float], labels: Sequence[str] | None = None) -> NDArray[np.uint8]:
    """(HIGH, WIDE, 3) greys side by side on a middle grey, with words below."""
    out = np.full((HIGH, WIDE, 3), 119, np.uint8)
    each = WIDE // len(values)
    for k, value in enumerate(values):
        out[30 : HIGH - 60, k * each + 14 : (k + 1) * each - 14] = grey_srgb(value)
    return with_words(out, [(k * each + 16, HIGH - 46, w) for k, w in enumerate(labels or [])])


def colour_patches(colours: Sequence[NDArray], labels: Sequence[str] | None = None) -> NDArray[np.uint8]:
    """(HIGH, WIDE, 3) the same for sRGB levels."""
    out = np.full((HIGH, WIDE, 3), 119, np.uint8)
    each = WIDE // len(colours)
    for k, colour in enumerate(colours):
        out[30 : HIGH - 60, k * each + 4 : (k + 1) * each - 4] = np.round(colour)
    return with_words(out, [(k * each + 10, HIGH - 46, w) for k, w in enumerate(labels or [])])


def with_words(picture: NDArray[np.uint8], words: Sequence[tuple[float, float, str]]) -> NDArray[np.uint8]:
    """Words on a picture."""
    from PIL import Image, ImageDraw, ImageFont

    image = Image.fromarray(picture)
    draw, font = ImageDraw.Draw(image), ImageFont.load_default(size=17)
    for x, y, text in words:
        draw.text((x, y), text, fill=(245, 243, 238), font=font, stroke_width=2, stroke_fill=(26, 26, 26))
    return np.asarray(image, np.uint8)


def ball(lamp: NDArray, dot: tuple[float, float] | None, side: int = 480) -> NDArray[np.uint8]:
    """(side, side, 3) a glossy ball lit from a direction (3: right, up, toward the eye), with a white dot on it."""
    y, x = np.mgrid[:side, :side]
    u, v = BALL_SPAN * ((x + 0.5) / side * 2 - 1), BALL_SPAN * (1 - (y + 0.5) / side * 2)
    inside = u**2 + v**2 <= 1
    w = np.sqrt(np.clip(1 - u**2 - v**2, 0, 1))
    cos = np.clip(u * lamp[0] + v * lamp[1] + w * lamp[2], 0, 1)
    values = np.where(inside, 2.2 + 3.2 * cos, 5.0)
    out = np.repeat(grey_srgb(values)[..., None], 3, axis=2)
    if dot is not None:
        near = (u - dot[0]) ** 2 + (v - dot[1]) ** 2 < 0.006
        out[near & inside] = 250
    return out.astype(np.uint8)
