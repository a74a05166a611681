"""Pots: which paints of a rack an undercoat is made of."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ....errors import SettingError
from ....paint.ladder import ladder
from ....paint.mix import Mix, only, values_of
from ....paint.rack import KINDS, Paint, Rack
from ....plain import rounded

HALF_VALUE = 0.5  # a difference nobody tells apart on a model
SAVED = 0.75  # values at the light end
SHADES = 12  # at most 0.8 of a value apart
LIGHT_INK = 8.0  # value of an ink that serves as a white
DARK_OIL, LIGHT_OIL = 4.0, 7.0  # values of a foundation, at most, and of an oil that lights are blended in with
LEAST_SPAN = 3.0  # values between a primer and the white, or there is no sketch


@dataclass(frozen=True)
class ValueSpan:
    """The values of no light and of full light, that a way of working aims at."""

    darkest: float = rounded(2)
    lightest: float = rounded(2)

    def of(self, share: NDArray) -> NDArray:
        """(N,) values for shares (N,) of the way from no light to full light."""
        return self.darkest + share * (self.lightest - self.darkest)

    def share(self, value: NDArray) -> NDArray:
        """(N,) the way back."""
        return (value - self.darkest) / max(self.lightest - self.darkest, 1e-9)


@dataclass(frozen=True)
class Pots:
    """The paints an undercoat is made of: the primer, greys dark to light, white, a dark tint, a white primer, a
    transparent shadow, a wash, a varnish that oils wipe clean on (None where there is none); fine_white: what the
    last, narrow white is sprayed with; foundations: dark oils, the darkest first; oil_lights: light ones; colour:
    steps through one colour that can stand in for the greys, through is its paint's name; shades: mixes for
    touch-ups, so close that each spot has one within half a value."""

    primer: Paint
    greys: list[Mix]
    white: Paint
    tint: Paint
    bright_primer: Paint
    shadow: Paint
    wash: Paint
    colour: list[Mix]
    through: str
    shades: list[Mix]
    varnish: Paint | None = None
    fine_white: Paint | None = None
    foundations: list[Paint] = field(default_factory=list)
    oil_lights: list[Paint] = field(default_factory=list)

    @property
    def darkest(self) -> float:
        """Munsell value of the primer: three thin coats of it hide wholly."""
        return self.primer.looks.value

    @property
    def lightest(self) -> float:
        """Munsell value of one sprayed coat of the white over the grey before it.

        Not that of a coat without end: where a spray falls off with the cosine, nobody reaches that at the top
        without drowning the middle in white (CP-14, the brightest step is rationed).
        """
        under = self.greys[-2].pigment if len(self.greys) > 1 else only(self.primer).pigment
        coat = self.white.pigment.film(KINDS[self.white.kind].sprayed_um, under.masstone)
        return float(values_of(coat[None])[0])

    @property
    def span(self) -> ValueSpan:
        """What an undercoat of these paints aims at: the last of the white is left for edges and last spots (CP-14,
        CP-24)."""
        return ValueSpan(self.darkest, max(self.lightest - SAVED, self.darkest + LEAST_SPAN))


def pots_from(rack: Rack, steps: int = 5, primer: str | None = None, through: str | None = None) -> Pots:
    """The paints for an undercoat out of a rack.

    Args:
        steps: greys with the primer. primer: its name; None for the darkest. through: the paint a coloured ladder
        goes through; None for the strongest colour of middle value.
    Raises:
        SettingError: nothing dark, nothing light, a ladder of fewer than two greys, a primer too light to sketch
        upon, a colour as dark or as light as the ends of the ladder, or no such paint.
    """
    if steps < 2:
        raise SettingError("an undercoat needs at least two greys, a dark and a light one")
    plain = [p for p in rack if p.kind in ("base", "layer", "primer")]
    neutral = [p for p in plain if p.looks.chroma < 9]
    if not neutral:
        raise SettingError("there is no grey, black or white on the rack; put a black and a white on it")
    mixed = [p for p in neutral if p.kind != "primer"] or neutral  # primer clogs, and is not for mixing
    dark = min(mixed, key=lambda p: p.looks.value)
    white = max((p for p in mixed if p.kind != "primer"), key=lambda p: p.looks.value, default=dark)
    if white.looks.value < 7:
        raise SettingError("there is no white or light grey on the rack; an undercoat needs one")
    if dark.looks.value > 4:
        raise SettingError("there is no black or dark grey on the rack; an undercoat needs one")
    middle = min(mixed, key=lambda p: abs(p.looks.value - 6) + 0.1 * p.looks.chroma)
    between = middle if dark.looks.value < middle.looks.value < white.looks.value else None
    primers = [p for p in rack if p.kind == "primer"]
    ground = rack.find(primer) if primer else min(primers or neutral, key=lambda p: p.looks.value)
    if ground.looks.value > white.looks.value - LEAST_SPAN:
        raise SettingError(
            f"“{ground.name}” is too light to sketch light upon: no shadow can be darker than it. Take a darker "
            "primer, or shadow first, which brings its own white"
        )
    bright = max(primers or [white], key=lambda p: p.looks.value)
    tints = [p for p in plain if p.looks.value < 3.2 and p.looks.chroma > 15]
    tint = min(tints, key=lambda p: (p.looks.b, p.name)) if tints else dark
    clear = [p for p in rack if p.kind in ("one-coat", "ink") and p.looks.value < 4]
    cool = [p for p in clear if p.looks.b <= 2] or clear
    shadow = min(cool, key=lambda p: (p.looks.value, p.name)) if cool else dark
    washes = [p for p in rack if p.kind == "wash"]
    wash = min(washes, key=lambda p: p.looks.value) if washes else shadow
    colours = [p for p in plain if p.kind != "primer" and 3.5 <= p.looks.value <= 6.5]
    base = rack.find(through) if through else max(colours, key=lambda p: (p.looks.chroma, p.name), default=middle)
    if not dark.looks.value < base.looks.value < white.looks.value:
        raise SettingError(f"“{base.name}” is no middle for a ladder; take a colour between the dark and the white")

    def upward(middle: Paint | None) -> list[Mix]:
        """The steps above the primer."""
        if ground.looks.value <= dark.looks.value + HALF_VALUE:
            return [s.mix for s in ladder(dark, white, middle, steps)][1:]
        wanted = np.linspace(ground.looks.value, white.looks.value, steps)
        return [*[s.mix for s in ladder(dark, white, middle, wanted=list(wanted))][1:-1], only(white)]

    spread = np.linspace(dark.looks.value, white.looks.value, SHADES)
    shades = [s.mix for s in ladder(dark, white, between, wanted=list(spread))]
    oils = sorted((p for p in rack if p.kind == "oil"), key=lambda p: (p.looks.value, p.name))
    inks = [p for p in rack if p.kind == "ink" and p.looks.value >= LIGHT_INK]
    return Pots(
        ground,
        upward(between),
        white,
        tint,
        bright,
        shadow,
        wash,
        upward(base),
        base.name,
        shades,
        sealer(rack),
        max(inks, key=lambda p: p.looks.value, default=white),
        [p for p in oils if p.looks.value <= DARK_OIL],
        [p for p in oils if p.looks.value >= LIGHT_OIL],
    )


def sealer(rack: Rack, owned: Sequence[str] = ("satin", "gloss")) -> Paint | None:
    """The varnish of a rack that goes under oils: satin holds a little in the texture, gloss wipes clean, matt holds
    too much (common practice, CP-32); None where there is none. owned: finishes of varnish that are at hand."""
    fit = [p for p in rack if not p.of_kind.changes_colour and p.of("finish") in owned and p.of("finish") != "matt"]
    return min(fit, key=lambda p: p.of("finish") != "satin") if fit else None


def middles(rack: Rack) -> list[str]:
    """Names of the paints a coloured ladder can go through."""
    return [p.name for p in rack if p.kind in ("base", "layer") and 2.5 <= p.looks.value <= 8]
