"""How many coats: until a paint hides what is under it, which paint under it saves some, and which primer costs
least."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from .colour import BANDS, Colour, colour_of, delta_e
from .film import BARE_RESIN
from .mix import SEEN_SIDE_BY_SIDE, Mix, only
from .rack import Paint

HIDES = 0.98  # contrast ratio of a film that hides, by ASTM D2805 and ISO 6504-3
MOST_COATS = 40
LONG = 3  # above this many coats a paint under it is looked for


@dataclass(frozen=True)
class Coats:
    """Coats of a mix over a ground.

    coats: how many until within ΔE00 2 of the masstone; None if MOST_COATS do not get there. delta_e,
    contrast_ratio, colour: after so many coats. hiding_coats: how many until the film alone hides (contrast ratio
    0.98), whatever the ground.
    """

    mix: Mix
    coats: int | None
    delta_e: float
    contrast_ratio: float
    colour: Colour
    hiding_coats: int | None
    reflectance: NDArray[np.float64]

    @property
    def minutes(self) -> float:
        """Drying, all coats together."""
        return (self.coats or MOST_COATS) * self.mix.minutes


def coats_over(mix: Mix, under: NDArray[np.float64], sprayed: bool = False) -> Coats:
    """How many normal coats of a mix until what is under it (36,) no longer shows.

    Raises:
        SettingError: a varnish never hides anything.
    """
    if mix.clear:
        raise SettingError("a varnish hides nothing, however many coats of it")
    pigment, goal = mix.pigment, mix.colour.lab
    coat = mix.coat_um * (0.5 if sprayed else 1)
    hiding = next((n for n in range(1, MOST_COATS + 1) if pigment.contrast_ratio(n * coat) >= HIDES), None)
    off, n = np.inf, 0
    while n < MOST_COATS:
        n += 1
        reflectance = pigment.film(n * coat, under)
        off = float(delta_e(colour_of(reflectance).lab, goal))
        if off <= SEEN_SIDE_BY_SIDE:
            break
    done = off <= SEEN_SIDE_BY_SIDE
    return Coats(
        mix, n if done else None, off, pigment.contrast_ratio(n * coat), colour_of(reflectance), hiding, reflectance
    )


@dataclass(frozen=True)
class Underpaint:
    """A paint under another: its coats, and how many of the other then suffice."""

    paint: Paint
    coats: int
    then: int
    minutes: float

    @property
    def all(self) -> int:
        """Coats together."""
        return self.coats + self.then


def underpaint_for(direct: Coats, under: NDArray[np.float64], paints: Sequence[Paint]) -> Underpaint | None:
    """The cheapest paint to lay under it from the rack, where a paint needs more than LONG coats: fewest coats, then
    fewest minutes.

    One or two coats of each paint are tried. None where nothing saves a coat.
    """
    if direct.coats is not None and direct.coats <= LONG:
        return None
    best: Underpaint | None = None
    whole = direct.coats or MOST_COATS + 1
    for paint in paints:
        if paint in direct.mix.paints:
            continue
        ground = only(paint)
        for n in (1, 2):
            between = paint.pigment.film(n * ground.coat_um, under)
            then = coats_over(direct.mix, between)
            if then.coats is None:
                continue
            found = Underpaint(paint, n, then.coats, n * ground.minutes + then.minutes)
            if found.all < whole and (best is None or (found.all, found.minutes) < (best.all, best.minutes)):
                best = found
    return best


@dataclass(frozen=True)
class WishedColour:
    """What one region should become: its name, its area in mm², and its colour as a mix."""

    name: str
    area: float
    mix: Mix


@dataclass(frozen=True)
class PrimerVerdict:
    """One primer: mean coats over the model by area, minutes by region one after another, and the row of each
    region."""

    primer: Paint
    coats: float
    minutes: float
    rows: list[dict[str, Any]]


def choose_primer(
    wishes: Sequence[WishedColour], primers: Sequence[Paint], paints: Sequence[Paint] = ()
) -> list[PrimerVerdict]:
    """The primers, the one that costs the fewest coats over the whole model first; ties go to fewer minutes. CP-3.

    A region that needs more than LONG coats may get another paint under it from `paints`; the verdict counts it. A
    region that never gets there counts with MOST_COATS.

    Raises:
        SettingError: nothing to choose from or for.
    """
    if not wishes or not primers:
        raise SettingError("choose a colour for at least one region, and have a primer on the rack")
    area = np.array([max(w.area, 0.0) for w in wishes])
    if area.sum() <= 0:
        raise SettingError("the regions have no area")
    verdicts = []
    for primer in primers:
        ground = primer.pigment.film(
            2 * only(primer).coat_um, np.full(BANDS, BARE_RESIN)
        )  # two thin coats over a bare print
        rows: list[dict[str, Any]] = []
        for wish in wishes:
            direct = coats_over(wish.mix, ground)
            under = underpaint_for(direct, ground, paints)
            count = under.all if under else direct.coats or MOST_COATS
            minutes = under.minutes if under else direct.minutes
            rows.append(
                {
                    "region": wish.name,
                    "area_mm2": round(wish.area, 1),
                    "colour": wish.mix.words(),
                    "coats": count,
                    "minutes": round(minutes),
                    "undercoat": under.paint.name if under else None,
                    "reached": under is not None or direct.coats is not None,
                }
            )
        mean = float(np.average([r["coats"] for r in rows], weights=area))
        verdicts.append(PrimerVerdict(primer, mean, float(sum(r["minutes"] for r in rows)), rows))
    return sorted(verdicts, key=lambda v: (round(v.coats, 2), v.minutes))
