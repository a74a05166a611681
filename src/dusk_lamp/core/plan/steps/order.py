"""The order over the whole model: what must come before what, which region is painted when, and why there."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...coat.brush import GLAZE_WATER
from ...coat.coat import Coat
from ...sculpt.site import Site

WHITE, WHITE_SPAN = 8.0, 3.0  # values: a region that goes lighter, and never this much darker, is a white one
CLEAR_KINDS = ("one-coat", "ink", "wash")
WHOLE_MODEL = -1  # what a coat is for that goes on more than one region
STEP_MINUTES = 3.0  # that a step takes with its mixing, to order by; the mean of two-hour plans on the demo sculpts
ONE_REGION = 0.9  # of the spots a coat goes on


@dataclass(frozen=True)
class OrderPlace:
    """Where a region comes in the order, and why. region: its number, or WHOLE_MODEL."""

    region: int
    why: str


@dataclass(frozen=True)
class Broken:
    """Two coats in the wrong order. first, second: their places in the list, from 0; second should come before first.
    why: in a sentence."""

    first: int
    second: int
    why: str


def _transparent(coat: Coat) -> bool:
    return coat.mix.kind in CLEAR_KINDS or coat.by.water(coat.settings) >= GLAZE_WATER


def is_white(coats: Sequence[Coat]) -> bool:
    """Whether coats make something that is seen as white. CP-24."""
    values = [c.mix.colour.value for c in coats if not c.mix.clear]
    return bool(values) and max(values) >= WHITE and min(values) >= WHITE - WHITE_SPAN


def touching(site: Site) -> set[tuple[int, int]]:
    """Pairs of regions that meet, each both ways round; 0 is the rest."""
    labels, count = site.labels.astype(np.int64), len(site.marking.regions) + 1
    a, b = site.surface.edges
    crossed = np.flatnonzero(labels[a] != labels[b])
    met = np.bincount(labels[a[crossed]] * count + labels[b[crossed]], minlength=count * count).reshape(count, count)
    return {(int(i), int(j)) for i, j in np.argwhere(met + met.T)}


def ordered(
    by_region: Mapping[int, Sequence[Coat]], meets: Collection[tuple[int, int]] = (), names: Sequence[str] = ()
) -> list[OrderPlace]:
    """The regions (numbers) with their coats, in the order they are painted.

    What floods comes first, since it runs onto its neighbours, then dark to light, so that a slip is covered by what
    comes after; metallics after washes, which dull them; whites last, because everything stains them; what is common
    to the whole model when all of it is there (common practice, CP-24, CP-34 and section 7). Of two that meet and are
    both transparent, another is painted in between, or the first has to dry.

    Args:
        meets: pairs of regions that touch; see `touching`. names: of the regions by number, for the words.
    """
    places = []
    for number, coats in by_region.items():
        values = [c.mix.colour.value for c in coats if not c.mix.clear] or [5.0]
        at, why = _rank(number, coats)
        places.append((at, min(values), OrderPlace(number, why)))
    left = sorted(places, key=lambda p: (p[0], p[1], p[2].region))
    out: list[OrderPlace] = []
    while left:
        before = out[-1].region if out else None
        peers = [p for p in left if p[0] == left[0][0]]
        free = next((p for p in peers if not _bleeds(before, p[2].region, by_region, meets)), None)
        chosen = free or left[0]
        left.remove(chosen)
        place = chosen[2]
        if before is not None and free is None:
            other = names[before] if 0 <= before < len(names) else "its neighbour"
            place = OrderPlace(
                place.region, f"{place.why}; but let {other} dry first: wet, the two run into each other"
            )
        out.append(place)
    return out


def rank_of(number: int, coats: Sequence[Coat]) -> int:
    """When a region with its coats comes among all, from 0."""
    return _rank(number, coats)[0]


def _rank(number: int, coats: Sequence[Coat]) -> tuple[int, str]:
    """When a region with its coats comes among all, and why then."""
    if number == WHOLE_MODEL:
        return 4, "when all of it is there: it is common to the whole model"
    if is_white(coats):
        return 3, "last: everything stains a white; clean water, a brush of its own"
    if any(c.mix.kind == "metallic" for c in coats):
        return 2, "after all washes, which dull a metal"
    if any(c.by.floods for c in coats):
        return 0, "first: a wash runs onto its neighbours, which cover it later"
    return 1, "dark to light: what comes after covers a slip"


def interleaved(by_region: Mapping[int, Sequence[Coat]], places: Sequence[OrderPlace]) -> list[Coat]:
    """The coats of regions, in their places, so that the hand goes on with another region while one dries, and takes
    all that wants a puddle while it is there.

    Of regions that come at the same time: what is dry and wants the puddle in hand, else the first that is dry, else
    what is dry soonest. A region's own coats keep their order. Source: common practice, craft page, section 13.
    """
    out: list[Coat] = []
    for rank in sorted({_rank(p.region, by_region[p.region])[0] for p in places}):
        left = {
            p.region: list(by_region[p.region]) for p in places if _rank(p.region, by_region[p.region])[0] == rank
        }
        dry, clock = dict.fromkeys(left, 0.0), 0.0
        while left:
            clock = max(clock, min(dry[r] for r in left))
            ready = [r for r in left if dry[r] <= clock]
            region = next((r for r in ready if out and left[r][0].mix == out[-1].mix), ready[0])
            coat = left[region].pop(0)
            clock += STEP_MINUTES
            dry[region] = clock + coat.by.coats(coat.settings, coat.mix) * coat.mix.minutes * coat.by.drying(
                coat.settings, coat.mix
            )
            out.append(coat)
            if not left[region]:
                del left[region]
    return out


def _bleeds(
    before: int | None, after: int, by_region: Mapping[int, Sequence[Coat]], meets: Collection[tuple[int, int]]
) -> bool:
    """Whether the last coat of one region and the first of another would run into each other."""
    if before is None or (before, after) not in meets:
        return False
    wet, next_ = by_region[before], by_region[after]
    return bool(wet and next_) and _transparent(wet[-1]) and _transparent(next_[0])


def out_of_order(site: Site, coats: Sequence[Coat]) -> list[Broken]:
    """Coats in the wrong order, muted ones left out: a varnish that comes after the oil it should lie under, a wash
    over a metal, a stain beside a white that is done, a region after what is common to the whole model."""
    mask = [(k, c, site.on(c.where)) for k, c in enumerate(coats) if not c.muted]
    regions = {k: region_of(site, c) for k, c, _ in mask}
    whites = {
        n for n in set(regions.values()) if n != WHOLE_MODEL and is_white([c for k, c, _ in mask if regions[k] == n])
    }
    meets = touching(site)
    near = lambda a, b: a == b or (a, b) in meets  # noqa: E731
    out = []
    for at, (k, first, _) in enumerate(mask):
        for m, second, _ in mask[at + 1 :]:
            a, b = regions[k], regions[m]
            if first.mix.kind == "metallic" and second.by.floods and near(a, b) and a != b:
                out.append(
                    Broken(k, m, f"“{second.label}” floods: a wash dulls the metal beside it, so it comes first")
                )
            elif a in whites and b not in whites and b != WHOLE_MODEL and near(a, b):
                out.append(
                    Broken(k, m, f"“{second.label}” would stain the white that is done by then: whites come last")
                )
            elif a == WHOLE_MODEL and b != WHOLE_MODEL and _shared(first):
                why = f"“{first.label}” is common to the whole model: it comes when all of it is painted"
                out.append(Broken(k, m, why))
    for k, coat, on in mask:
        if coat.by.wiped:
            seals = [(m, c) for m, c, over in mask if c.mix.clear and c.mix.finish > 0 and _meet(on, over)]
            if seals and all(m > k for m, _ in seals) and not _last(mask, seals[0][0]):
                m, varnish = seals[0]
                out.append(Broken(k, m, f"“{varnish.label}” goes under the oil, so that it wipes clean"))
    return out


def _shared(coat: Coat) -> bool:
    return coat.by.floods or coat.mix.clear


def _last(coats: Sequence[tuple[int, Coat, NDArray | None]], k: int) -> bool:
    """Whether a varnish is the last of all: it makes the finish one, and seals nothing for what comes after."""
    return k == coats[-1][0]


def _meet(one: NDArray[np.bool_] | None, other: NDArray[np.bool_] | None) -> bool:
    return one is None or other is None or bool((one & other).any())


def move_refused(site: Site, before: Sequence[Coat], after: Sequence[Coat]) -> str:
    """Why coats may not be put from one order into another; "" where they may: only what the change breaks counts."""
    said = {b.why for b in out_of_order(site, before)}
    return next((b.why for b in out_of_order(site, after) if b.why not in said), "")


def region_of(site: Site, coat: Coat) -> int:
    """The region that nearly all of what a coat goes on belongs to, or else WHOLE_MODEL."""
    id_ = coat.region or (coat.where.number if coat.where.kind == "region" else 0)
    if id_ in site.marking.ids and (id_ or coat.where.kind == "region"):
        return site.marking.number_of(id_)
    mask = site.on(coat.where)
    labels = site.labels if mask is None else site.labels[mask]
    if not len(labels):
        return 0
    count = np.bincount(labels)
    most = int(count.argmax())
    return most if mask is not None or count[most] >= ONE_REGION * len(labels) else WHOLE_MODEL
