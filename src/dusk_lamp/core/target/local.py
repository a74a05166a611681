"""The local colour of a region, and what light makes of it: how dark and how light it may go, and what its shadows
and lights lean to.

Colours are kept as linear RGB: light adds up and is sent back channel by channel, and a colour that is picked on a
screen is no more than three numbers. What paints come to is worked out on 36 bands and compared as L*a*b*.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from ..datasets.materials import MATERIALS, USUAL_MATERIAL, material_called
from ..errors import SettingError
from ..light.tint import LUMINANCE
from ..paint.colour import RGB_TO_XYZ, XYZ_TO_RGB, lab, linear, rgb_from_hex
from ..paint.value import lightness_from_luminance, luminance_from_munsell, munsell_from_luminance
from ..paint.whites import white_called
from ..plain import checked, choice, number, text
from ..sculpt.marking import ATTENTION, CASTS, Region

RANKED = {
    "focal point": 1.15,
    "important": 1.0,
    "quiet": 0.8,
}  # the face gets the most contrast; craft page, section 6
DARKEST, LIGHTEST = 1.0, 9.3  # pure black and pure white are left for the last spots, CP-24
SHADOWS = {
    "cool": (2.0, -14.0),
    "warm": (9.0, 5.0),
}  # added to a*, b* in the deepest shadow; common practice, from memory
LIGHTS = {"cool": (-1.0, -6.0), "warm": (2.0, 12.0)}
# power of value over own value by which shade mutes a colour: with black alone paints lose 1.2 to 1.4, with richer
# darks less
MUTED = 0.9
OPPOSED = 1.2  # of its own a*, b* taken away: a little to the other side of grey
TOO_WHITE = 9.0  # a base above it cannot be highlighted, CP-24
DARK_TURNS, BRIGHT_TURNS = 0.9, 1.7  # powers by which a hue path leaves the own colour: the last light comes late
STEP = 0.05  # of a value, in the table of a colour's ladder
VALUES = np.arange(0, 10 + STEP / 2, STEP)


@dataclass(frozen=True)
class Local:
    """What a region should look like.

    colour: its local colour, `#rrggbb`. low, high: Munsell values in no light and in full light; middle: in half of
    it, None for half-way. shadow, light: what its shadows and lights lean to. ration: a value, and the share of it
    that may be lighter; None for as much as the light makes. dark, bright: `#rrggbb` that its hue path goes to; ""
    for its own colour.
    """

    colour: str = text("#808080", (7, 7), "a local colour")
    material: str = choice(USUAL_MATERIAL, MATERIALS, "a material")
    attention: str = choice("important", ATTENTION, "attention")
    low: float | None = number(None, 0, 10, "the value of its darkest", step=0.1)
    high: float | None = number(None, 0, 10, "the value of its lightest", step=0.1)
    middle: float | None = number(None, 0, 10, "the value of its middle", step=0.1)
    shadow: str = choice("neutral", CASTS, "the cast of its shadows")
    light: str = choice("neutral", CASTS, "the cast of its lights")
    ration: tuple[float, float] | None = None
    dark: str = text("", (0, 7), "the colour of its shadows")
    bright: str = text("", (0, 7), "the colour of its lights")

    def __post_init__(self) -> None:
        checked(self)
        for colour in filter(None, (self.colour, self.dark, self.bright)):
            rgb_from_hex(colour)
        low, middle, high = self.key
        if not low < high:
            raise SettingError(
                f"the lightest of a region must be lighter than its darkest, not {low:.1f} to {high:.1f}"
            )
        if not low <= middle <= high:
            raise SettingError("the middle of a region lies between its darkest and its lightest")

    @property
    def own_value(self) -> float:
        """Munsell value of the local colour itself."""
        return float(munsell_from_luminance(100 * float(linear(rgb_from_hex(self.colour)) @ LUMINANCE)))

    @property
    def key(self) -> tuple[float, float, float]:
        """Values of its darkest, its middle and its lightest: as they were set, or by material and attention. What
        white lacks above it and black below it is taken on the other side: sides of one white thing differ widely."""
        span = min(material_called(self.material).span * RANKED[self.attention], LIGHTEST - DARKEST)
        usual = float(np.clip(self.own_value - span / 2, DARKEST, LIGHTEST - span))
        low = usual if self.low is None else self.low
        high = usual + span if self.high is None else self.high
        return low, (low + high) / 2 if self.middle is None else self.middle, high

    @property
    def troubles(self) -> list[str]:
        """What cannot come out well, and the way out. CP-24."""
        low, _, high = self.key
        said = []
        if self.own_value > TOO_WHITE:
            said.append(
                "So light a base leaves no room for lights: base it off-white or light grey, and keep pure white "
                "for the edges."
            )
        if high - low < 1:
            said.append("Less than a value from dark to light: it will look flat.")
        return said

    def value(self, share: NDArray, areas: NDArray | None = None) -> NDArray[np.float32]:
        """(N,) Munsell values for shares of light (N,) 0..1. areas: (N,) mm² of all there is of it, by which it keeps
        its ration: what would be too much is brought down to the limit, and only the brightest goes past it."""
        knots, values = [0.0, 0.5, 1.0], list(self.key)
        if self.ration is not None and areas is not None and areas.sum() > 0:
            limit, most = self.ration
            order = np.argsort(share, kind="stable")
            run = np.cumsum(areas[order], dtype=np.float64)
            at = float(share[order[min(int(np.searchsorted(run, (1 - most) * run[-1])), len(order) - 1)]])
            if values[1] < limit < float(np.interp(at, knots, values)):
                knots, values = (
                    ([0.0, 0.5, at, 1.0], [*values[:2], limit, values[2]])
                    if at < 1
                    else ([0.0, 0.5, 1.0], [*values[:2], limit])
                )
        return np.interp(share, knots, values).astype(np.float32)


@lru_cache(256)
def colour_ladder(local: Local) -> NDArray[np.float64]:
    """(201, 3) linear RGB of a local colour at VALUES: darker by less light, lighter by more white, each with its
    cast."""
    linear_rgb = np.maximum(linear(rgb_from_hex(local.colour)), 1e-4)
    Y_own = float(linear_rgb @ LUMINANCE)
    Y = luminance_from_munsell(VALUES) / 100
    share = ((Y - Y_own) / max(1 - Y_own, 1e-6))[:, None]
    rgb = np.where(Y[:, None] <= Y_own, linear_rgb * (Y / Y_own)[:, None], linear_rgb + (1 - linear_rgb) * share)
    low, _, high = local.key
    at = local.own_value
    deep = np.clip((at - VALUES) / max(at - low, 0.5), 0, 1)
    bright = np.clip((VALUES - at) / max(high - at, 0.5), 0, 1)
    L, a, b = lab(rgb @ RGB_TO_XYZ.T).T
    shade = np.minimum(VALUES / max(at, 0.5), 1.0) ** MUTED
    a, b = a * shade, b * shade
    a, b = _on_path(local, a, b, deep, bright)
    for cast, weight, shift in ((local.shadow, deep, SHADOWS), (local.light, bright, LIGHTS)):
        if cast == "complement":
            a, b = a * (1 - OPPOSED * weight), b * (1 - OPPOSED * weight)
        elif cast in shift:
            fades = weight * np.clip(L / 12, 0, 1)  # black has no colour
            a, b = a + fades * shift[cast][0], b + fades * shift[cast][1]
    return seen_as(np.stack([L, a, b], axis=-1), Y)


def _on_path(local: Local, a: NDArray, b: NDArray, deep: NDArray, bright: NDArray) -> tuple[NDArray, NDArray]:
    """a*, b* (201,) of a ladder on its hue path (CP-36): from the own colour toward that of the shadow as it darkens,
    and toward that of the light as it brightens, of which the last bit is only at the very top. What is darker than
    its darkest fades to black, what is lighter than its lightest to white."""
    _, own_a, own_b = lab(linear(rgb_from_hex(local.colour)) @ RGB_TO_XYZ.T)
    for colour, share, way in ((local.dark, deep, DARK_TURNS), (local.bright, bright, BRIGHT_TURNS)):
        if not colour:
            continue
        L, to_a, to_b = lab(linear(rgb_from_hex(colour)) @ RGB_TO_XYZ.T)
        t = np.clip(share, 0, 1) ** way
        fade = np.minimum(VALUES * 10 / max(float(L), 8.0), 1.0) if colour == local.dark else _room(VALUES, float(L))
        on = share > 0
        a = np.where(on, ((1 - t) * own_a + t * to_a) * fade, a)
        b = np.where(on, ((1 - t) * own_b + t * to_b) * fade, b)
    return a, b


def _room(values: NDArray, lightness_: float) -> NDArray[np.float64]:
    """The share of a light's chroma that is left above its own lightness: none in white."""
    return np.clip((100 - 10 * values) / max(100 - lightness_, 4.0), 0, 1)


def seen_as(Lab: NDArray, Y: NDArray) -> NDArray[np.float64]:
    """(N, 3) linear RGB of L*a*b* (N, 3) within what a screen shows, its luminance (N,) 0..1 kept: too vivid colours
    go toward grey."""
    fy = (Lab[:, 0] + 16) / 116
    f = np.stack([fy + Lab[:, 1] / 500, fy, fy - Lab[:, 2] / 200], axis=-1)
    XYZ = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * np.array([0.95047, 1.0, 1.08883])
    return within_screen(XYZ @ XYZ_TO_RGB.T, Y)


def rgb_of_lab(Lab: NDArray) -> NDArray[np.float64]:
    """(N, 3) linear RGB of L*a*b* (N, 3), within what a screen shows."""
    fy = (Lab[:, 0] + 16) / 116
    return seen_as(Lab, np.where(fy > 6 / 29, fy**3, 3 * (6 / 29) ** 2 * (fy - 4 / 29)))


def within_screen(rgb: NDArray, Y: NDArray) -> NDArray[np.float64]:
    """(N, 3) linear RGB scaled to a luminance (N,) and brought toward its grey as far as no channel leaves 0..1."""
    rgb = rgb * (Y / np.maximum(rgb @ LUMINANCE, 1e-9))[:, None]
    off = rgb - Y[:, None]
    room = np.where(off > 0, 1 - Y[:, None], Y[:, None]) / np.maximum(np.abs(off), 1e-12)
    keep = np.minimum(room.min(axis=1), 1.0)
    return Y[:, None] + off * np.maximum(keep, 0)[:, None]


def colours_in_light(
    value: NDArray[np.float32], labels: NDArray, locals_: Sequence[Local], tint: NDArray | None = None
) -> NDArray[np.float32]:
    """(N, 3) linear RGB of samples of values (N,) whose local colour is that of their label (N,); tint: (N, 3) of
    the light on them."""
    tables = np.stack([colour_ladder(one) for one in locals_])
    lit = np.zeros((0, 3)) if tint is None else np.ascontiguousarray(tint, np.float64)
    Y = np.zeros(0) if tint is None else luminance_from_munsell(value) / 100
    return _coloured(np.ascontiguousarray(value, np.float64), labels.astype(np.int64), tables, lit, Y)


@numba.njit(cache=True, parallel=True)
def _coloured(value, labels, tables, lit, Y):
    """Every sample's place on its ladder; with a tint, brought within the screen as `within_screen` does."""
    out = np.empty((len(value), 3), np.float32)
    last = tables.shape[1] - 1
    for i in numba.prange(len(value)):
        at = min(max(value[i] / STEP, 0.0), float(last))
        below = min(int(at), last - 1)
        share = at - below
        low, high = tables[labels[i], below], tables[labels[i], below + 1]
        r = low[0] * (1 - share) + high[0] * share
        g = low[1] * (1 - share) + high[1] * share
        b = low[2] * (1 - share) + high[2] * share
        if len(lit):
            r, g, b = r * lit[i, 0], g * lit[i, 1], b * lit[i, 2]
            size = Y[i] / max(r * LUMINANCE[0] + g * LUMINANCE[1] + b * LUMINANCE[2], 1e-9)
            r, g, b = r * size, g * size, b * size
            keep = 1.0
            for off in (r - Y[i], g - Y[i], b - Y[i]):
                room = 1 - Y[i] if off > 0 else Y[i]
                keep = min(keep, room / max(abs(off), 1e-12))
            keep = max(keep, 0.0)
            r, g, b = Y[i] + (r - Y[i]) * keep, Y[i] + (g - Y[i]) * keep, Y[i] + (b - Y[i]) * keep
        out[i, 0], out[i, 1], out[i, 2] = r, g, b
    return out


def lab_of(rgb: NDArray) -> NDArray[np.float64]:
    """(N, 3) L*a*b* of linear RGB (N, 3)."""
    return lab(np.asarray(rgb, np.float64) @ RGB_TO_XYZ.T)


def lightness(value: NDArray) -> NDArray[np.float64]:
    """L* of Munsell values."""
    return lightness_from_luminance(luminance_from_munsell(value))


def usual_local(material: str = USUAL_MATERIAL, attention: str = "important", colour: str | None = None) -> Local:
    """A local colour by what it is made of."""
    return replace(Local(), material=material, attention=attention, colour=colour or material_called(material).colour)


def local_of(region: Region, colour: str | None = None) -> Local:
    """What a region should look like. colour: `#rrggbb` of the paint or recipe it names; None where that is not
    known.

    Raises:
        SettingError: its darkest is not darker than its lightest.
    """
    hex_colour = colour or (
        region.colour if region.colour.startswith("#") else material_called(region.material).colour
    )
    shadow, light, key, ration = region.shadow, region.light, (region.low, region.middle, region.high), None
    if (white := white_called(region.colour)) is not None:
        hex_colour, ration = colour or white.colour, (white.limit, white.share)
        shadow = white.shadow if shadow == "neutral" else shadow
        light = white.light if light == "neutral" else light
        key = (white.low, white.middle, white.high) if key == (None, None, None) else key
    return Local(
        hex_colour,
        region.material,
        region.attention,
        key[0],
        key[2],
        key[1],
        shadow,
        light,
        ration,
        region.dark,
        region.bright,
    )
