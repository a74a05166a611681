"""What a way is given, what it gives, and how near that comes."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat, usual_coat
from ..coat.finish import films_of
from ..coat.stack import appearance
from ..coat.technique import technique
from ..datasets.materials import UNMARKED
from ..datasets.prices import price
from ..errors import SettingError
from ..light.lamp import Lamp
from ..paint.colour import delta_e
from ..paint.mix import Mix, nearest_mix
from ..paint.rack import Paint, Rack
from ..sculpt.mesh import evenly
from ..sculpt.site import Site, Where
from ..target.attention import attention_of
from ..target.target import Target
from ..workplace.tools import EVERYTHING, Tools
from .palette.share import BRUSHED, palette_minutes
from .steps.care import care_of, hand_minutes

NEAR = 5.0  # ΔE00: another colour at arm's length
FAR = 0.02  # what a ΔE counts beside not being near
COLOUR = "colour"
CLEAR = ("one-coat", "ink")
TINTING = ("wash",)
MATT = 0.0  # finish of an undercoat; what lies on it goes on from there
LOOKED_AT = 1500  # samples of a region that ways are compared on
LEAST_MM2 = 0.5  # what is worth mixing for
BRUSH = technique("brush")


ABOVE = Lamp(0, 90)  # CP-10


@dataclass(frozen=True)
class Brief:
    """One region to be painted.

    name: of the region. number, id: of it, 0 for the rest. mask: (N,) its samples. lab: (N, 3) and value: (N,) what
    each should look like. under: (N, 36) reflectance of what is there. areas: (N,) mm² that can be painted. rack,
    tools: what there is. lamp: that lights it. out: the puddles that other regions are painted from. worth: the share
    of the model's look that a minute must bring. laid: films that were worked out.
    """

    site: Site
    name: str
    number: int
    id: int
    mask: NDArray[np.bool_]
    lab: NDArray[np.float64]
    value: NDArray[np.float32]
    under: NDArray[np.float32]
    areas: NDArray[np.float64]
    rack: Rack
    tools: Tools = EVERYTHING
    lamp: Lamp = ABOVE
    out: tuple[Mix, ...] = ()
    worth: float = price("worth of a way")
    laid: dict[tuple[Any, ...], NDArray[np.float32]] = field(default_factory=dict, compare=False)

    def films(self, coats: Sequence[Coat]) -> list[NDArray[np.float32]]:
        """(N,) µm of each coat on what lies under it, matt below; each is worked out once."""
        return films_of(self.site, coats, self._film, MATT)

    def _film(self, coat: Coat, finish: NDArray[np.float32] | None) -> NDArray[np.float32]:
        if coat.by.even or finish is not None:
            return coat.film(self.site, finish)
        key = coat.technique, coat.settings, coat.where, coat.solids
        if key not in self.laid:
            self.laid[key] = coat.film(self.site)
        return self.laid[key]

    @property
    def material(self) -> str:
        """What it is made of; the rest is stone."""
        return self.site.marking.regions[self.number - 1].material if self.number else UNMARKED

    @property
    def where(self) -> Where:
        """The region as a coat goes on it: by its spots, so that the coat stays where it is when regions are
        numbered again."""
        return Where.some(self.mask)

    @cached_property
    def under_here(self) -> NDArray[np.float32]:
        """(n, 36) what is there on its own samples."""
        return self.under[self.mask]

    @cached_property
    def ground(self) -> NDArray[np.float64]:
        """(36,) what is there, on average."""
        return np.asarray(np.average(self.under_here, axis=0, weights=self.weight() + 1e-9), np.float64)

    @cached_property
    def looked_at(self) -> NDArray[np.int64]:
        """(m,) numbers among its own samples of those that ways are compared on."""
        return evenly(np.arange(np.count_nonzero(self.mask)), LOOKED_AT)

    def weight(self, mask: NDArray[np.bool_] | None = None) -> NDArray[np.float64]:
        """(n,) mm² of its samples, or of some of them."""
        return self.areas[self.mask if mask is None else mask]

    @cached_property
    def counts(self) -> float:
        """The share of the model's look that is its own, weighed by attention; of the rest, its share of the area."""
        areas, attention = self.site.areas.astype(np.float64), attention_of(self.site)
        if not self.number:
            return float(areas[self.mask].sum() / areas.sum())
        weight = areas * attention[self.site.labels]
        return float(weight[self.mask].sum() / weight.sum())

    def brush_minutes(self, mm2: float, coats: int, spotted: bool = True) -> float:
        """To brush so many coats on so many mm² of it. spotted: on spots, which the brush has to find."""
        return hand_minutes(BRUSH, None, mm2, spotted, coats, care_of(self.site, self.id))

    def mix(
        self, wanted: NDArray, paints: Sequence[Paint] | None = None, share: float = 1.0, out: Sequence[Mix] = ()
    ) -> Mix:
        """What to paint L*a*b* (3,) with on a share of the region: the best of two pots out of some paints or all
        that are brushed, of three where two do not reach it (CP-35), the best of two pots that are open, or a puddle
        that is out, by what each brings and the minutes it takes to put it together. out: further puddles of its
        own."""
        out = [*self.out, *out]
        puddles = [m for m in out if all(p.kind in BRUSHED for p in m.paints)]
        paints = paints or self.paints(*BRUSHED)
        open_ = list(dict.fromkeys(p for m in puddles for p in m.paints))
        mixes = [*puddles, *(nearest_mix(wanted, choice, most=2) for choice in (open_, paints) if choice)]
        if delta_e(mixes[-1].colour.lab, wanted) > price("same puddle"):
            mixes.append(nearest_mix(wanted, paints))
        lost = lost_of(delta_e(np.stack([m.colour.lab for m in mixes]), wanted))
        minutes = np.array(palette_minutes(mixes, out))
        return mixes[int(np.argmin(self.counts * share * lost + self.worth * minutes))]

    def paints(self, *kinds: str) -> list[Paint]:
        """Those of the rack of some kinds.

        Raises:
            SettingError: there is none.
        """
        found = [p for p in self.rack if p.kind in kinds]
        if not found:
            raise SettingError(
                f"there is no {' or '.join(kinds)} paint on the rack; put one on it, or take another way"
            )
        return found


def brief_of(
    site: Site,
    target: Target,
    number: int,
    under: NDArray[np.float32],
    rack: Rack,
    tools: Tools = EVERYTHING,
    lamp: Lamp = ABOVE,
) -> Brief:
    """A region of a target as a task; 0 is the rest.

    Raises:
        SettingError: nothing of the region can be painted.
    """
    mask = site.labels == number
    areas = site.areas.astype(np.float64)
    names = ["the rest" if site.marking.regions else "the model", *(r.name for r in site.marking.regions)]
    if areas[mask].sum() <= 0:
        raise SettingError(f"nothing of “{names[number]}” can be painted: mark it again, or leave it out")
    id_ = site.marking.ids[number]
    return Brief(site, names[number], number, id_, mask, target.lab, target.value, under, areas, rack, tools, lamp)


def lost_of(off: NDArray) -> NDArray[np.float64]:
    """What a difference ΔE00 costs: being not near, softly, and a little of how far."""
    return 1 - np.exp(-((off / NEAR) ** 4)) + FAR * off


def brushed(
    brief: Brief,
    mix: Mix,
    label: str,
    mask: NDArray | None = None,
    film_um: float | None = None,
    water: float | None = None,
) -> Coat:
    """A coat by brush on the whole region, or on some of its samples. mask: (N,) which of them, or the share 0..1 of
    each that it covers."""
    coat = usual_coat("brush", mix, f"{brief.name}: {label}", COLOUR)
    given = {k: v for k, v in (("film_um", film_um), ("water", water)) if v is not None}
    where = brief.where if mask is None else Where.some(mask > 0, mask)
    return Coat("brush", mix, coat.with_settings(given).settings, where, label=coat.label, stage=COLOUR)


def seen_after(brief: Brief, coats: Sequence[Coat], under: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """(n, 36) what is there on the n samples of the region after coats. under: (n, 36), where they go on after
    others."""
    films = [film[brief.mask] for film in brief.films(coats)]
    under = brief.under_here if under is None else under
    return appearance(list(zip(coats, films, strict=True)), len(under), under)


def quantiles(values: NDArray, weight: NDArray, shares: Sequence[float]) -> list[float]:
    """Values below which lie these shares of a weight."""
    order = np.argsort(values, kind="stable")
    run = np.cumsum(weight[order]) / max(float(weight.sum()), 1e-12)
    return [float(values[order[min(int(np.searchsorted(run, q)), len(order) - 1)]]) for q in shares]


def paints_for(wanted: Sequence[NDArray], paints: Sequence[Paint]) -> list[Paint]:
    """The few paints that a ladder through some L*a*b* colours is mixed from: those of the best mixes of each."""
    found: dict[str, Paint] = {}
    for colour in wanted:
        mix = nearest_mix(colour, paints)
        found.update({p.name: p for p, n in zip(mix.paints, mix.parts, strict=True) if n})
    return list(found.values())
