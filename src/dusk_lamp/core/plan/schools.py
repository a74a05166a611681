"""The schools: five ways to lay the light down, and the ladder in one colour, each as a list of coats."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat, usual_coat
from ..coat.spray import STICKS, Spray, roughly
from ..errors import SettingError
from ..light.lamp import Lamp
from ..paint.mix import Mix, only
from ..sculpt.site import Site
from ..sculpt.surface import Surface
from .tins import Tins
from .tools import EVERYTHING, Tools

DETAIL_NEEDLE, DETAIL_MM = 0.2, 140.0  # the last white, and how far off it is still sprayed at most (CP-7)
CAN_MM, CAN_FILM = 370.0, 0.7  # CP-4; a can lays more than it is asked for
TRIGGERS = (1.0, 0.5, 0.25, 0.1)  # full, half, a quarter, a touch
SHORTEST_S = 3.0  # a half second more or less then matters little


@dataclass(frozen=True)
class School:
    """title: as painters call it. when: to take it. weak: what it is bad at."""

    title: str
    when: str
    weak: str


SCHOOLS = {
    "ladder": School("Grey ladder", "Greys by airbrush, dark to light: smooth, and it carries detail.",
        "Slow: a cup to clean for every grey."),
    "twotone": School("Two-tone", "Black, then one burst of white from the lamp: fast, for hordes.",
        "Coarse: hardly any middle values."),
    "drybrush": School("Drybrush", "Greys by dry brush: no airbrush needed, crisp on texture.",
        "Chalky on smooth panels; shadows follow crests, not light."),
    "bright-first": School("Bright first", "A dark tint, a wide bright white, then toned down: glowing colours.",
        "Its darks stay tinted; needs drying time."),
    "shadow-first": School("Shadow first", "White, then shadow only where the lamp does not reach: clean, bright schemes.",
        "Weak darks: nothing ends black, and the shadow must dry before the white."),
    "coloured": School("One colour", "The ladder in one colour instead of greys: a cloak or a skin is half painted when it dries.",
        "Whatever is not to be that colour wants a coat of its own."),
}  # fmt: skip


def school_title(name: str) -> str:
    """What coats came from, at the head of a sheet."""
    return SCHOOLS[name].title if name in SCHOOLS else "Passes fitted to your light" if name == "fit" else ""


def rough_film(site: Site, coat: Coat, finish: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """(N,) a coat's film to choose by: sprays from the outlook alone, without a ray. finish: (N,) of what it lies on."""
    if isinstance(coat.settings, Spray):
        return roughly(site, coat.settings, coat.solids).film
    return coat.film(site, finish)


def primed(mix: Mix, label: str, tools: Tools = EVERYTHING) -> Coat:
    """Primer everywhere, three thin coats (CP-5)."""
    return usual_coat("prime", mix, label).with_settings({"tool": tools.primes_with})


def spray_distance(surface: Surface) -> float:
    """mm from the nozzle to the middle of the model: the cone takes in about a third of it."""
    return float(max(60.0, round(2.2 * surface.size / 5) * 5))


def _sprayed(
    surface: Surface,
    mix: Mix,
    azimuth: float,
    elevation: float,
    film_um: float,
    way: str,
    label: str,
    tools: Tools,
    needle: float = 0.3,
    psi: float = 25.0,
) -> Coat:
    """A pass whose best-hit spots get so many µm: the seconds follow from what one second lays."""
    if tools.sprays:
        distance = spray_distance(surface) if needle > DETAIL_NEEDLE else min(DETAIL_MM, spray_distance(surface))
        one = Spray(azimuth, elevation, distance, 1.0, way, needle=tools.needle(needle), psi=tools.psi(psi))
    else:
        one = Spray(azimuth, elevation, CAN_MM, 1.0, way, "can", water=0.0)
    solids = Coat("spray", mix, one).solids
    flow = one.wet_ml * 1000 * solids * STICKS[one.tool]  # dry mm³ a second that stick
    outline = (surface.size + 2 * one.cone * one.distance) ** 2
    seconds = film_um / 1000 * outline / flow * (1.6 if way == "turn" else 1.0)
    return Coat("spray", mix, counted(replace(one, seconds=seconds)), label=label)


def _by_hand(technique: str, mix: Mix, label: str, **settings: Any) -> Coat:
    return usual_coat(technique, mix, label).with_settings(settings)


def counted(pass_: Spray) -> Spray:
    """The same paint in whole half seconds, which a finger can count: of a short pass the trigger is drawn less
    far."""
    full = pass_.seconds * pass_.trigger
    trigger = trigger_for(full) if pass_.tool == "airbrush" else 1.0
    return replace(pass_, trigger=trigger, seconds=max(0.5, round(2 * full / trigger) / 2))


def trigger_for(seconds: float) -> float:
    """How far the trigger is drawn for what would take so many seconds at full flow: the furthest at which it takes
    long enough to be counted."""
    return next((t for t in TRIGGERS if seconds / t >= SHORTEST_S), TRIGGERS[-1])


def school(name: str, surface: Surface, lamp: Lamp, tins: Tins, tools: Tools = EVERYTHING) -> list[Coat]:
    """The coats of a school for a lamp, in order, in usual amounts. Source: common practice, the five schools of the
    craft.

    Raises:
        SettingError: no such school, or something is missing for it.
    """
    if name not in SCHOOLS:
        raise SettingError(f"a school is one of {', '.join(SCHOOLS)} or fit, not '{name}'")
    if lack := tools.lack(name):
        raise SettingError(f"{SCHOOLS[name].title} {lack}; see “My tools”")
    black = primed(only(tins.primer), "primer everywhere", tools)
    white = only(tins.white)
    toward = (lamp.azimuth, max(lamp.elevation, -60.0))
    above = (lamp.azimuth, min(90.0, lamp.elevation + 20))

    if name == "coloured":
        return school("ladder", surface, lamp, replace(tins, greys=tins.colour), tools)

    def grey_at(share: float) -> Mix:
        return tins.greys[min(len(tins.greys) - 1, max(0, round(share * (len(tins.greys) - 1))))]

    if name == "ladder":
        coats, dark = [black], "the darkest" if tins.greys == tins.colour else "dark grey"
        last = len(tins.greys) - 1
        for k, mix in enumerate(tins.greys):
            if k == 0:  # it carries the detail: nearly everywhere but the deepest recesses and undersides
                coats.append(_sprayed(surface, mix, 0, 20, 9, "turn", f"{dark} all round", tools))
            elif k == 1 and last > 2:
                coats.append(_sprayed(surface, mix, 0, 50, 3, "turn", "the middle, from above and the sides", tools))
            elif k < last:
                coats.append(_sprayed(surface, mix, *toward, 4.5, "stroke", "lighter, from the lamp", tools))
            else:
                said = "the lightest, the last of the light"
                coats.append(_sprayed(surface, mix, *above, 3, "stroke", said, tools, DETAIL_NEEDLE))
        return coats
    if name == "twotone":
        paint = white if tools.sprays else only(tins.bright_primer)
        film = 6 if tools.sprays else 6 * CAN_FILM
        return [black, _sprayed(surface, paint, *toward, film, "stroke", "one white from the lamp", tools)]
    if name == "drybrush":
        pulled = {"azimuth": lamp.azimuth, "elevation": lamp.elevation}
        return [
            black,
            _by_hand("drybrush", grey_at(0), "dark grey over nearly all", film_um=14, softness=1.0),
            _by_hand("drybrush", grey_at(0.5), "lighter, strokes from the lamp", film_um=12, softness=0.8, **pulled),
            _by_hand("drybrush", white, "white only where the lamp falls", film_um=9, softness=0.5, **pulled),
        ]
    if name == "bright-first":
        seal = tins.varnish if tins.varnish and tins.varnish.of("finish") in tools.varnishes else None
        varnish = [_by_hand("brush", only(seal), "varnish, so that oil wipes clean")] if seal else []
        return [
            primed(only(tins.tint), "a dark tint everywhere", tools),
            _sprayed(surface, white, lamp.azimuth - 25, toward[1], 6, "stroke", "white, wide", tools),
            _sprayed(surface, white, lamp.azimuth + 25, toward[1], 6, "stroke", "white, wide", tools),
            *varnish,
            _by_hand("wash", only(tins.wash), "a wash to bring it down", film_um=2.5, pooling=5.0),
            _by_hand("oil wipe", only(tins.tint), "dark left in the recesses", film_um=3, pressure=0.9),
        ]
    below = -35.0 if lamp.elevation > 0 else 60.0
    shadow = only(tins.shadow)
    return [
        primed(only(tins.bright_primer), "white everywhere", tools),
        _sprayed(surface, shadow, 0, below, 12, "turn", "shadow from below, all round", tools, psi=30),
        _by_hand("wash", shadow, "shadow run into the recesses", film_um=1.0, pooling=20.0, pose="upside down"),
        _sprayed(surface, grey_at(0.8), *toward, 4, "stroke", "thin off-white, to rebuild the middle", tools),
        _sprayed(surface, white, *above, 2.5, "stroke", "a few spots of pure white", tools, DETAIL_NEEDLE),
    ]


def more_dark(
    coats: Sequence[Coat], tins: Tins, surface: Surface, lamp: Lamp, tools: Tools = EVERYTHING
) -> list[Coat]:
    """The way out of "too grey all over": the dark is brought back from where the lamp does not reach, or by a dry
    brush."""
    if not tools.sprays:
        back = _by_hand("drybrush", only(tins.primer), "dark brought back from below", film_um=8, softness=0.8,
            azimuth=lamp.azimuth, elevation=-60.0 if lamp.elevation > 0 else 60.0)  # fmt: skip
        return [*coats, back]
    under = -40 if lamp.elevation > 0 else 60
    back = _sprayed(surface, only(tins.primer), 0, under, 6, "turn", "dark brought back from below", tools)
    return [*coats, back]
