"""Hue paths: the hues of a thing in its shadow, its middle and its light (CP-36): not one colour with black and
white."""

from dataclasses import dataclass

import numpy as np

from ..paint.colour import colour_of_hex


@dataclass(frozen=True)
class HuePath:
    """dark, bright: `#rrggbb` that shadows go to and that lights go to. words: in a few words."""

    dark: str
    bright: str
    words: str


GREY, BROWN = (
    (8.0, HuePath("#2b303b", "#efe6d2", "cool shadow, grey, warm light")),
    HuePath("#35202a", "#dcae6e", "purple-brown, brown, ochre"),
)
PALE_CHROMA, PALE_LIGHT = 22.0, 62.0  # cream, linen, bone
PALE = HuePath("#4a4350", "#fbf3df", "cool brown shadow, cream, warm white")
BROWN_CHROMA, BROWN_LIGHT = 42.0, 58.0  # orange hues that are duller and darker than that are brown
# by hue angle (CIELAB, degrees) up to which it counts: common practice, CP-36; the colours are ours
FAMILIES = (
    (18.0, HuePath("#46122c", "#f3b58e", "wine, pink-red, peach")),
    (48.0, HuePath("#4a1222", "#f2b04a", "wine, red, orange, a little yellow")),
    (72.0, HuePath("#4e241e", "#f6d765", "red-brown, orange, yellow")),
    (108.0, HuePath("#9c4a38", "#f8efbf", "warm pink-red, ochre, yellow, pale yellow")),
    (170.0, HuePath("#14322f", "#cdd26a", "blue-green, green, yellow-green")),
    (235.0, HuePath("#182548", "#a6d9c6", "deep blue, turquoise, mint")),
    (295.0, HuePath("#1c1944", "#93c0dc", "violet-blue, blue, sky")),
    (345.0, HuePath("#2a1038", "#d9a0c4", "aubergine, violet, rose")),
    (360.0, HuePath("#46122c", "#f3b58e", "wine, pink-red, peach")),
)


def usual_path(colour: str) -> HuePath:
    """The hue path that is usual for a local colour, `#rrggbb`."""
    _, a, b = colour_of_hex(colour).lab
    chroma, angle = float(np.hypot(a, b)), float(np.degrees(np.arctan2(b, a)) % 360)
    if chroma < GREY[0]:
        return GREY[1]
    if chroma < PALE_CHROMA and colour_of_hex(colour).lab[0] > PALE_LIGHT:
        return PALE
    if 30 <= angle < 90 and chroma < BROWN_CHROMA and colour_of_hex(colour).lab[0] < BROWN_LIGHT:
        return BROWN
    return next(path for upto, path in FAMILIES if angle <= upto)
