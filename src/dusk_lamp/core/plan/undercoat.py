"""The undercoat: the five schools as lists of coats, what each comes to, and how far it is from the target."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat, appearance, looks
from ..coat.hand import SETTINGS
from ..coat.spray import STICKS, Spray
from ..errors import SettingError
from ..light.lamp import Lamp
from ..paint.mix import Mix, ladder, only, values_of
from ..paint.rack import KINDS, Paint, Rack
from ..sculpt.relief import Relief
from ..sculpt.surface import Surface
from ..units import DROPS_PER_ML

HALF_STEP = 0.5  # a value nobody tells apart on a model
TRIGGERS = (1.0, 0.5, 0.25, 0.1)  # full, half, a quarter, a touch
LEAST_SPAN = 3.0  # values between a primer and the white, or there is no sketch
SHORTEST_S = 3.0  # a half second more or less then matters little
SCHOOLS: dict[str, tuple[str, str]] = {  # name: when to take it, what it is bad at
    "ladder": ("Greys by airbrush, dark to light: smooth, and it carries detail.", "Slow: a cup to clean for every grey."),
    "twotone": ("Black, then one burst of white from the lamp: fast, for hordes.", "Coarse: hardly any middle values."),
    "drybrush": ("Greys by dry brush: no airbrush needed, crisp on texture.", "Chalky on smooth panels; shadows follow crests, not light."),
    "bright-first": ("A dark tint, a wide bright white, then toned down: glowing colours.", "Its darks stay tinted; needs drying time."),
    "shadow-first": ("White, then shadow only where the lamp does not reach: clean, bright schemes.", "Weak darks: deep recesses stay light."),
    "coloured": ("The ladder in one colour instead of greys: a cloak or a skin is half painted when it dries.", "Whatever is not to be that colour wants a coat of its own."),
}  # fmt: skip


@dataclass(frozen=True)
class Tins:
    """The paints an undercoat is made of: the primer, greys dark to light, white, a dark tint, a white primer, a transparent
    shadow, a wash; colour: steps through one colour that can stand in for the greys, through is its paint's name."""

    primer: Paint
    greys: list[Mix]
    white: Paint
    tint: Paint
    bright_primer: Paint
    shadow: Paint
    wash: Paint
    colour: list[Mix]
    through: str

    @property
    def darkest(self) -> float:
        """Munsell value of the primer: three thin coats of it hide wholly."""
        return self.primer.looks.value

    @property
    def lightest(self) -> float:
        """Munsell value of one sprayed coat of the white over the grey before it.

        Not that of a coat without end: where a spray falls off with the cosine, nobody reaches that at the top without
        drowning the middle in white (CP-14, the brightest step is rationed).
        """
        under = self.greys[-2].pigment if len(self.greys) > 1 else only(self.primer).pigment
        coat = self.white.pigment.film(KINDS[self.white.kind].sprayed_um, under.masstone)
        return float(values_of(coat[None])[0])


def tins_from(rack: Rack, steps: int = 5, primer: str | None = None, through: str | None = None) -> Tins:
    """The paints for an undercoat out of a rack.

    Args:
        steps: greys with the primer. primer: its name; None for the darkest. through: the paint a coloured ladder goes through;
            None for the strongest colour of middle value.
    Raises:
        SettingError: nothing dark, nothing light, a ladder of fewer than two greys, a primer too light to sketch upon, a
            colour as dark or as light as the ends of the ladder, or no such paint.
    """
    if steps < 2:
        raise SettingError("an undercoat needs at least two greys, a dark and a light one")
    plain = [p for p in rack if p.kind in ("base", "layer", "primer")]
    neutral = [p for p in plain if p.looks.chroma < 9]
    if not neutral:
        raise SettingError("there is no grey, black or white on the rack; put a black and a white on it")
    dark = min(neutral, key=lambda p: p.looks.value)
    white = max((p for p in neutral if p.kind != "primer"), key=lambda p: p.looks.value, default=dark)
    if white.looks.value < 7:
        raise SettingError("there is no white or light grey on the rack; an undercoat needs one")
    if dark.looks.value > 4:
        raise SettingError("there is no black or dark grey on the rack; an undercoat needs one")
    middle = min(neutral, key=lambda p: abs(p.looks.value - 6) + 0.1 * p.looks.chroma)
    between = middle if dark.looks.value < middle.looks.value < white.looks.value else None
    primers = [p for p in rack if p.kind == "primer"]
    ground = rack.find(primer) if primer else min(primers or neutral, key=lambda p: p.looks.value)
    if ground.looks.value > white.looks.value - LEAST_SPAN:
        raise SettingError(
            f"“{ground.name}” is too light to sketch light upon: no shadow can be darker than it. Take a darker primer, or shadow first, which brings its own white"
        )
    bright = max(primers or [white], key=lambda p: p.looks.value)
    tints = [p for p in plain if p.looks.value < 3.2 and p.looks.chroma > 15]
    tint = min(tints, key=lambda p: (p.looks.b, p.name)) if tints else dark
    clear = [p for p in rack if p.kind in ("one-coat", "ink") and p.looks.value < 4]
    shadow = min(clear, key=lambda p: (p.looks.b, p.name)) if clear else dark
    washes = [p for p in rack if p.kind == "wash"]
    wash = min(washes, key=lambda p: p.looks.value) if washes else shadow
    colours = [p for p in plain if p.kind != "primer" and 3.5 <= p.looks.value <= 6.5]
    base = rack.find(through) if through else max(colours, key=lambda p: (p.looks.chroma, p.name), default=middle)
    if not dark.looks.value < base.looks.value < white.looks.value:
        raise SettingError(f"“{base.name}” is no middle for a ladder; take a colour between the dark and the white")

    def upward(middle: Paint | None) -> list[Mix]:
        """The steps above the primer."""
        if ground.looks.value <= dark.looks.value + HALF_STEP:
            return [s.mix for s in ladder(dark, white, middle, steps)][1:]
        wanted = np.linspace(ground.looks.value, white.looks.value, steps)
        return [*[s.mix for s in ladder(dark, white, middle, wanted=list(wanted))][1:-1], only(white)]

    return Tins(ground, upward(between), white, tint, bright, shadow, wash, upward(base), base.name)


def middles(rack: Rack) -> list[str]:
    """Names of the paints a coloured ladder can go through."""
    return [p.name for p in rack if p.kind in ("base", "layer") and 2.5 <= p.looks.value <= 8]


def primed(mix: Mix, label: str) -> Coat:
    """Primer everywhere, three thin coats (CP-5)."""
    return Coat("prime", mix, amount=2.5 * mix.coat_um, label=label)


def _sprayed(
    surface: Surface,
    mix: Mix,
    azimuth: float,
    elevation: float,
    film_um: float,
    way: str,
    label: str,
    needle: float = 0.3,
    psi: float = 25.0,
) -> Coat:
    """A pass whose best-hit spots get so many µm: the seconds follow from what one second lays."""
    distance = max(60.0, 2.2 * surface.size)
    one = Coat("spray", mix, Spray(azimuth, elevation, distance, 1.0, way, needle=needle, psi=psi))
    solids = one.solids
    flow = one.pass_.wet_ml * 1000 * solids * STICKS["airbrush"] if one.pass_ else 1.0  # dry mm³ a second that stick
    spread = one.pass_.cone * distance if one.pass_ else 1.0
    outline = (surface.size + 2 * spread) ** 2
    seconds = film_um / 1000 * outline / flow * (1.6 if way == "turn" else 1.0)
    return Coat("spray", mix, counted(replace(one.pass_, seconds=seconds)) if one.pass_ else None, label=label)


def counted(pass_: Spray) -> Spray:
    """The same paint in whole half seconds, which a finger can count: of a short pass the trigger is drawn less far."""
    full = pass_.seconds * pass_.trigger
    trigger = trigger_for(full)
    return replace(pass_, trigger=trigger, seconds=max(0.5, round(2 * full / trigger) / 2))


def trigger_for(seconds: float) -> float:
    """How far the trigger is drawn for what would take so many seconds at full flow: the furthest at which it takes long
    enough to be counted."""
    return next((t for t in TRIGGERS if seconds / t >= SHORTEST_S), TRIGGERS[-1])


def school(name: str, surface: Surface, lamp: Lamp, tins: Tins) -> list[Coat]:
    """The coats of a school for a lamp, in order. Source: common practice, the five schools of the craft.

    Raises:
        SettingError: no such school.
    """
    if name not in SCHOOLS:
        raise SettingError(f"a school is one of {', '.join(SCHOOLS)} or fit, not '{name}'")
    black = primed(only(tins.primer), "primer everywhere")
    white = only(tins.white)
    toward = (lamp.azimuth, max(lamp.elevation, -60.0))
    above = (lamp.azimuth, min(90.0, lamp.elevation + 20))

    if name == "coloured":
        return school("ladder", surface, lamp, replace(tins, greys=tins.colour))

    def grey_at(share: float) -> Mix:
        return tins.greys[min(len(tins.greys) - 1, max(0, round(share * (len(tins.greys) - 1))))]

    if name == "ladder":
        coats, dark = [black], "the darkest" if tins.greys == tins.colour else "dark grey"
        last = len(tins.greys) - 1
        for k, mix in enumerate(tins.greys):
            if k == 0:  # it carries the detail: nearly everywhere but the deepest recesses and undersides
                coats.append(_sprayed(surface, mix, 0, 20, 9, "turn", f"{dark} all round"))
            elif k == 1 and last > 2:
                coats.append(_sprayed(surface, mix, 0, 50, 3, "turn", "the middle, from above and the sides"))
            elif k < last:
                coats.append(_sprayed(surface, mix, *toward, 4.5, "stroke", "lighter, from the lamp"))
            else:
                coats.append(_sprayed(surface, mix, *above, 3, "stroke", "the lightest, the last of the light"))
        return coats
    if name == "twotone":
        return [black, _sprayed(surface, white, *toward, 6, "stroke", "one white from the lamp")]
    if name == "drybrush":
        strokes = {"azimuth": lamp.azimuth, "elevation": lamp.elevation}
        return [
            black,
            Coat("drybrush", grey_at(0), amount=14, settings={"softness": 1.0}, label="dark grey over nearly all"),
            Coat("drybrush", grey_at(0.5), amount=12, settings={"softness": 0.8, **strokes}, label="lighter, strokes from the lamp"),
            Coat("drybrush", white, amount=9, settings={"softness": 0.5, **strokes}, label="white only where the lamp falls"),
        ]  # fmt: skip
    if name == "bright-first":
        return [
            primed(only(tins.tint), "a dark tint everywhere"),
            _sprayed(surface, white, lamp.azimuth - 25, toward[1], 6, "stroke", "white, wide"),
            _sprayed(surface, white, lamp.azimuth + 25, toward[1], 6, "stroke", "white, wide"),
            Coat("wash", only(tins.wash), amount=2.5, settings={"pooling": 5.0}, label="a wash to bring it down"),
            Coat(
                "oil wipe", only(tins.tint), amount=3, settings={"pressure": 0.9}, label="dark left in the recesses"
            ),
        ]
    below = -35.0 if lamp.elevation > 0 else 60.0
    return [
        primed(only(tins.bright_primer), "white everywhere"),
        _sprayed(surface, only(tins.shadow), 0, below, 12, "turn", "shadow from below, all round", psi=30),
        _sprayed(
            surface, only(tins.shadow), lamp.azimuth + 180, 10, 10, "stroke", "shadow from behind the lamp", psi=30
        ),
        _sprayed(surface, grey_at(0.8), *toward, 4, "stroke", "thin off-white, to rebuild the middle"),
        _sprayed(surface, white, *above, 2.5, "stroke", "a few spots of pure white"),
    ]


@dataclass(frozen=True)
class Outcome:
    """What a list of coats comes to.

    value: (N,) Munsell. levels: (N, 3) sRGB. mean, p95: of the difference from the target in value, by area. within: share of the area
    within half a value. after: the share within after each coat. films: (C, N) µm.
    """

    value: NDArray[np.float32]
    levels: NDArray[np.uint8]
    mean: float
    p95: float
    within: float
    after: list[float]
    films: list[NDArray[np.float32]]

    def figures(self) -> dict[str, Any]:
        """The errors as plain values."""
        return {
            "mean": round(self.mean, 3), "p95": round(self.p95, 3), "within_half": round(self.within, 4),
            "within_half_after_each": [round(a, 4) for a in self.after],
        }  # fmt: skip


def paint_target(
    value: NDArray[np.float32], tins: Tins, exposure_dark: float, exposure_light: float
) -> NDArray[np.float32]:
    """(N,) the target's values laid between the primer and the lightest a spray of these paints gets."""
    share = (value - exposure_dark) / max(exposure_light - exposure_dark, 1e-9)
    return (tins.darkest + np.clip(share, 0, 1) * (tins.lightest - tins.darkest)).astype(np.float32)


def differences(
    surface: Surface, value: NDArray, target: NDArray, paintable: NDArray[np.bool_]
) -> tuple[float, float, float]:
    """Mean and 95th percentile of the difference in value by area, and the share of the area within half a value."""
    off = np.abs(value - target)[paintable]
    area = surface.areas[paintable].astype(np.float64)
    order = np.argsort(off)
    run = np.cumsum(area[order])
    p95 = float(off[order][np.searchsorted(run, 0.95 * run[-1])])
    return float(np.average(off, weights=area)), p95, float(area[off <= HALF_STEP].sum() / area.sum())


Filmed = Callable[[Coat], NDArray[np.float32]]


def outcome(
    surface: Surface,
    coats: Sequence[Coat],
    target: NDArray[np.float32],
    paintable: NDArray[np.bool_],
    relief: Relief | None,
    filmed: Filmed | None = None,
    steps: bool = True,
) -> Outcome:
    """What coats come to against a target (N,) of values.

    Args:
        filmed: gives the film of a coat, where it may be known already. steps: also after every single coat.
    """
    of = filmed or (lambda coat: coat.film(surface, relief))
    films = [of(c) for c in coats]
    stack = list(zip(coats, films, strict=True))
    after: list[float] = []
    seen = appearance(stack[:0], len(surface))
    if steps:
        for coat, film in stack:
            seen = appearance([(coat, film)], len(surface), seen)
            after.append(differences(surface, looks(seen)[0], target, paintable)[2])
    else:
        seen = appearance(stack, len(surface))
    value, levels = looks(seen)
    mean, p95, within = differences(surface, value, target, paintable)
    return Outcome(value, levels, mean, p95, within, after, films)


def told(
    surface: Surface,
    coats: Sequence[Coat],
    films: Sequence[NDArray[np.float32]],
    paintable: NDArray[np.bool_],
    drops_per_ml: float = DROPS_PER_ML,
) -> list[dict[str, Any]]:
    """The coats as a painter reads them: technique, paint, from where, how far, how long, ml, drops, minutes, what to mind."""
    out = []
    for k, (coat, film) in enumerate(zip(coats, films, strict=True), 1):
        p = coat.pass_
        out.append(
            {
                "number": k, "technique": coat.technique, "label": coat.label, "paint": coat.mix.words(),
                "parts": coat.mix.counted(), "hex": coat.mix.colour.hex, "value": round(coat.mix.colour.value, 2),
                "way": p.way if p else None, "azimuth": p.azimuth if p else None, "elevation": p.elevation if p else None,
                "distance_mm": round(p.distance, 1) if p else None, "amount": p.seconds if p else coat.amount,
                "trigger": p.trigger if p else None, "water": p.water if p else None, "unit": "s" if p else "µm",
                "film_um": round(float(np.percentile(film, 95)), 2), "muted": coat.muted,
                "settings": {**SETTINGS.get(coat.technique, {}), **coat.settings},
                **coat.cost(surface, film, paintable, drops_per_ml), "warnings": coat.warnings(surface, film),
            }
        )  # fmt: skip
    return out


def more_dark(coats: Sequence[Coat], tins: Tins, surface: Surface, lamp: Lamp) -> list[Coat]:
    """The way out of "too grey all over": the dark is brought back from where the lamp does not reach."""
    mix = only(tins.primer)
    back = _sprayed(surface, mix, 0, -40 if lamp.elevation > 0 else 60, 6, "turn", "dark brought back from below")
    return [*coats, back]
