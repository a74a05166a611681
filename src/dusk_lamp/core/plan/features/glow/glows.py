"""Glows: how strong for how far, what each reaches, and the coats that paint it (common practice, CP-25, CP-26)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....coat.stack import appearance
from ....errors import SettingError
from ....light.emitter import Glow, Source
from ....light.rig import Light
from ....light.tint import even_light
from ....paint.colour import RGB_TO_XYZ, delta_e, lab, linear, rgb_from_hex, xyz
from ....paint.mix import Mix, only, values_of
from ....paint.rack import Paint, Rack
from ....paint.value import luminance_from_munsell
from ....places import tree_of
from ....plain import Range, checked, choice, number, refuse_outside, rounded, text
from ....sculpt.mesh import summed
from ....sculpt.site import Site, Where
from ....target.exposure import Exposure, value_of_light
from ...brief import BRUSHED, CLEAR, LEAST_MM2, nearest_mix, quantiles
from .wishes import EVENNESS

READABLE = 0.5  # values: the least step that is read on a model
NEAR_STEPS = 3.0  # so many of them, and a spot is near
BANDS = ("none", "far", "near", "edge catch", "tinted rim", "white core")
NONE, FAR, NEAR, CATCH, RIM, CORE = range(6)
CORE_SHARE = 0.35  # of the source is left white in its middle; common practice, from memory
LAMPLIT = 0.5  # of full light: where the lamp gives more, what is bright is the lamp's own doing
OUTSHINES = 0.9  # of full light: a receiver as light as that is as light as its source
REACH = Range("the reach of a glow", 0.01, 300.0, "mm", step=0.5)
GLOW = "glow"
TINTED = 0.5  # of a coat's film that a tint 1:1 leaves
FAINT, LAST = 0.5, 0.3  # of that in the far band, and of the last tint over the source
# how far a tint spills over its rim, and the share of a coat that tidies it; from memory
SPILLS_MM, TIDY_SHARE = 0.6, 0.3
MOST_TIDIED = 2  # regions that are tidied one by one
KEEPS = 0.8  # of their own contrast, that receivers should keep
SHOWS = 4.0  # ΔE00 toward the glow that a tint must bring, or it is not seen
HIGHLIT = 0.25  # values that an edge with a highlight of its own is lighter than what lies beside it
BESIDE_MM = (0.35, 1.5)


@dataclass(frozen=True)
class WishedGlow:
    """A glow as a painter wants it. name: in a few words. colour: of its light. strength: as `strength_of` counts it.
    evenness: where the source is hottest. shadow: whether the sculpt casts in its light. on: whether it glows."""

    source: Source
    colour: str = text("#ffb347", (7, 7), "the colour of a glow")
    strength: float = number(1.0, 1e-6, 1e7, "the strength of a glow")
    evenness: str = choice("middle", EVENNESS, "where a glow is hottest")
    shadow: bool = True
    on: bool = True
    name: str = text("", (0, 60), "the name of a glow")

    def __post_init__(self) -> None:
        checked(self)
        if float(_linear(self.colour).max()) < 0.004:
            raise SettingError("a black glow gives no light; choose a lighter colour")


def _linear(colour: str) -> NDArray[np.float64]:
    return linear(rgb_from_hex(colour))


# --- strength is reach
def radiosity(source: Source, strength: float) -> float:
    """Of a source's surface, for a strength: for a ball the light it gives a facing spot 1 mm off its surface, for
    regions and planes the radiosity itself."""
    return strength * ((source.radius + 1) / source.radius) ** 2 if source.kind == "ball" else strength


def light_of_value(value: float, exposure: Exposure, full: float) -> float:
    """The light that is painted with a value; the way back of `value_of_light`."""
    dark, bright = luminance_from_munsell([exposure.primer, exposure.white])
    Y = float(luminance_from_munsell(value))
    return float((Y - dark) / (bright - dark) * full / exposure.gain)


def readable(lamp_light: float, exposure: Exposure, full: float) -> float:
    """The light that has to be added to so much of the lamp's, to be one step lighter."""
    now = float(value_of_light(np.array([lamp_light], np.float32), exposure, full)[0])
    return max(light_of_value(now + READABLE, exposure, full) - lamp_light, 1e-6)


def strength_of(source: Source, area: float, reach: float, least: float) -> float:
    """The strength whose light, on a surface that faces it `reach` mm from its middle, is `least`.

    A ball falls off with the square of the distance; a region or a plane as a disc of its area does on its axis.

    Raises:
        SettingError: no reach, or one further than any model.
    """
    refuse_outside(REACH, reach)
    if source.kind == "ball":
        return least * (max(reach, source.radius) / (source.radius + 1)) ** 2
    return least * (np.pi * reach**2 + area) / area


def glow_reach(source: Source, area: float, strength: float, least: float) -> float:
    """The reach in mm of a strength: the way back of `strength_of`."""
    if source.kind == "ball":
        return (source.radius + 1) * float(np.sqrt(strength / least))
    return float(np.sqrt(max(area * (strength / least - 1), 0) / np.pi))


# --- what it reaches
@dataclass(frozen=True)
class Catch:
    """One crest within reach. length, lit: mm of it, and of what catches the glow. has_highlight: from the plan, None
    where there is none."""

    length: float = rounded(2)
    lit: float = rounded(2)
    region: int = 0
    has_highlight: bool | None = None


@dataclass(frozen=True)
class Reached:
    """light: (N,) of the glow. band: (N,) as BANDS. catches: the longest first. most: the strongest light on a
    receiver, as a share of full light with the lamp's."""

    light: NDArray[np.float32]
    band: NDArray[np.uint8]
    catches: list[Catch]
    most: float


def reached(
    site: Site,
    wish: WishedGlow,
    glow: Glow,
    lamp_light: NDArray[np.float32],
    exposure: Exposure,
    full: float,
    plan_value: NDArray | None = None,
    highlit: dict[int, bool] | None = None,
) -> Reached:
    """What a glow reaches.

    Args:
        lamp_light: (N,) what falls on each spot without it. plan_value: (N,) values as they are planned so far.
        highlit:
        which crests have a highlight in those, as far as that is known; filled here, for the next glow.
    """
    light = (glow.factor * np.float32(radiosity(wish.source, wish.strength))).astype(np.float32)
    before = value_of_light(lamp_light, exposure, full)
    after = value_of_light(lamp_light + light, exposure, full)
    step = after - before
    band = np.where(step >= NEAR_STEPS * READABLE, NEAR, np.where(step >= READABLE, FAR, NONE)).astype(np.uint8)
    # on a spot that is white already nothing shows: what is past the white is counted by light
    band[(before >= exposure.white - READABLE)] = NONE
    band[~site.paintable] = NONE
    catches, on_crest = _catches(site, band >= FAR, glow.mask, plan_value, {} if highlit is None else highlit)
    band[on_crest & (band >= FAR)] = CATCH
    if glow.mask.any():
        band[glow.mask] = RIM
        band[core_of(site, glow, wish.evenness)] = CORE
    others = ~glow.mask & site.paintable
    most = float(((lamp_light + light)[others].max(initial=0.0)) / full)
    return Reached(light, band, catches, most)


def core_of(site: Site, glow: Glow, evenness: str) -> NDArray[np.bool_]:
    """(N,) the hottest part of a source that is a region: its middle; the line where it sees most of itself, which on
    a hose is its inner curve; its upper end; all of it where it is even."""
    rows = np.flatnonzero(glow.mask)
    out = np.zeros(len(site), np.bool_)
    if not len(rows):
        return out
    points = site.surface.points[rows].astype(float)
    if evenness == "line":
        heat = glow.factor[rows].astype(float)
    elif evenness == "end":
        axis = np.linalg.svd(points - points.mean(axis=0), full_matrices=False)[2][0]
        heat = (points - points.mean(axis=0)) @ (axis * np.sign(axis[2] or 1.0))
    else:
        border = np.flatnonzero(~glow.mask)
        heat = (
            tree_of(site.surface.points[border]).query(points, workers=-1)[0] if len(border) else np.zeros(len(rows))
        )
    if evenness == "even":
        out[rows] = True
        return out
    cut = quantiles(heat, site.surface.areas[rows].astype(float), (1 - CORE_SHARE,))[0]
    out[rows[heat >= cut]] = True
    return out


def _catches(
    site: Site, lit: NDArray[np.bool_], mask: NDArray[np.bool_], plan_value: NDArray | None, highlit: dict[int, bool]
) -> tuple[list[Catch], NDArray[np.bool_]]:
    """Crests that a glow reaches, and (N,) the samples on them."""
    place = site.bends.place
    count = int(place.max()) + 1 if len(place) else 0
    at = np.zeros(count, np.bool_)
    at[place[lit & ~mask]] = True
    on = np.zeros(count, np.bool_)
    first = np.zeros(count, np.int64)
    first[place[::-1]] = np.arange(len(place))[::-1]
    out = []
    for k, line in enumerate(site.lines):
        if not line.convex:
            continue
        both = at[line.corners[:-1]] & at[line.corners[1:]]
        if not both.any():
            continue
        pieces = np.linalg.norm(np.diff(line.places.astype(float), axis=0), axis=1)
        pieces *= line.length / max(pieces.sum(), 1e-12)  # the run of the line, not its zigzag
        on[line.corners[at[line.corners]]] = True
        rows = first[line.corners]
        if plan_value is not None and k not in highlit:
            highlit[k] = _highlit(site, rows, plan_value)
        region = int(np.bincount(site.labels[rows]).argmax())
        out.append(Catch(float(pieces.sum()), float(pieces[both].sum()), region, highlit.get(k)))
    return sorted(out, key=lambda c: -c.lit), on[place] & ~mask


def _highlit(site: Site, rows: NDArray[np.int64], value: NDArray) -> bool:
    """Whether an edge is lighter than what lies beside it."""
    tree = site.tree
    few = rows[:: max(1, len(rows) // 24)]
    near = tree.query_ball_point(site.surface.points[few], BESIDE_MM[1])
    beside = []
    for row, those in zip(few, near, strict=True):
        rows_near = np.array(those)
        far = np.linalg.norm(site.surface.points[rows_near] - site.surface.points[row], axis=1)
        ring = rows_near[(far > BESIDE_MM[0]) & (site.labels[rows_near] == site.labels[row])]
        if len(ring):
            beside.append(float(value[row] - np.median(value[ring])))
    return bool(beside) and float(np.mean(beside)) >= HIGHLIT


def band_rows(site: Site, band: NDArray[np.uint8]) -> list[dict[str, Any]]:
    """mm² of each band, the share of the whole, and of each region by its number."""
    areas = site.areas.astype(np.float64)
    whole, regions = max(float(areas.sum()), 1e-12), len(site.marking.regions) + 1
    of_region = np.maximum(summed(site.labels, areas, regions), 1e-12)
    rows: list[dict[str, Any]] = []
    for k in (CORE, RIM, NEAR, FAR, CATCH):
        mm2 = summed(site.labels, np.where(band == k, areas, 0), regions)
        shares = {n: round(float(mm2[n] / of_region[n]), 4) for n in range(regions) if mm2[n] >= LEAST_MM2}
        rows.append(
            {
                "name": BANDS[k],
                "mm2": round(float(mm2.sum()), 2),
                "share": round(float(mm2.sum()) / whole, 5),
                "regions": shares,
            }
        )
    return rows


def strongest(wish: WishedGlow, glow: Glow, lamp_light: NDArray[np.float32], full: float) -> float:
    """The strength from which on some receiver would be as light as the source."""
    others = ~glow.mask & (glow.factor > 1e-6) & (lamp_light < LAMPLIT * full)
    if not others.any():
        return float("inf")
    least = float(((OUTSHINES * full - lamp_light[others]) / glow.factor[others]).min())
    return least / radiosity(wish.source, 1.0)


# --- light with glows in it
def glowing(light: Light, wishes: Sequence[tuple[WishedGlow, Glow]], full: float) -> Light:
    """The light of the rig with that of glows added. The source is the lightest thing there is; its middle is
    white."""
    total, colour = light.total, np.zeros((len(light.total), 3), np.float32)
    for wish, glow in wishes:
        if not wish.on:
            continue
        tint = even_light(wish.colour)
        add = glow.factor * np.float32(radiosity(wish.source, wish.strength))
        add = np.where(glow.mask, np.maximum(np.float32(full) - total, 0), add).astype(np.float32)
        total = total + add
        colour += add[:, None] * tint.astype(np.float32)
    return replace(light, total=total, glow=colour)


# --- the coats
@dataclass(frozen=True)
class Painted:
    """coats: of a glow, in order. mind: what to look out for. opaque: whether receivers are painted, not tinted."""

    coats: list[Coat]
    mind: list[str]
    opaque: bool


def tint_for(rack: Rack, colour: str) -> Paint:
    """The transparent paint of a rack nearest to a colour.

    Raises:
        SettingError: it has none.
    """
    clear = [p for p in rack if p.kind in CLEAR and p.looks.value < 8.5]
    if not clear:
        raise SettingError("there is no ink or one-coat paint on the rack to tint a glow with")
    return min(clear, key=lambda p: _hue_off(p, colour))


def _hue_off(paint: Paint, colour: str) -> float:
    wanted = lab(_linear(colour) @ RGB_TO_XYZ.T)
    coat = paint.pigment.film(TINTED * paint.of("coat_um"), np.full(36, 0.85))
    got = lab(xyz(coat))
    return float(np.hypot(*(got - wanted)[1:]))


def glow_coats(
    site: Site,
    wish: WishedGlow,
    found: Reached,
    seen: NDArray[np.float32],
    wanted: NDArray,
    rack: Rack,
    puddles: Mapping[int, Sequence[Mix]] | None = None,
) -> Painted:
    """The coats of a glow over what is there, in the order of CP-26.

    Args:
        seen: (N, 36) reflectance before it. wanted: (N, 3) L*a*b* with the glow in it. puddles: mixes that each
        region was painted with, by its number; what it spilled onto is tidied from these.
    Raises:
        SettingError: the rack lacks a tint or a white.
    """
    name = wish.name or "Glow"
    tint = only(tint_for(rack, wish.colour))
    source, core = found.band >= RIM, found.band == CORE
    near = (found.band == NEAR) | (found.band == CATCH)
    far = found.band == FAR
    mind: list[str] = []
    coats: list[Coat] = []
    white = _white(rack)
    if source.any():
        coats.append(
            _coat(white, f"{name}: the source solid white, several thin coats", source, 2.0 * white.coat_um, 0.5)
        )
    opaque = not _tint_shows(tint, near | far, seen, wish.colour)
    if opaque and (near | far).any():
        mind.append("A tint does not show on what is there (it goes grey): painted opaque instead, far to near.")
        for mask, words in ((far, "far"), (near, "near")):
            if site.areas[mask].sum() >= LEAST_MM2:
                mix = nearest_mix(np.average(wanted[mask], axis=0, weights=site.areas[mask] + 1e-9), _plain(rack))
                coats.append(_coat(mix, f"{name}: {words} band, opaque", mask, round(mix.coat_um, 1), 1.0))
        if source.any():
            coats.append(_coat(tint, f"{name}: tint 1:1 over the source", source, TINTED * tint.coat_um, 1.0))
    else:
        for mask, share, words in ((source | near, 1.0, "source and near"), (far, FAINT, "far, half as much")):
            if site.areas[mask].sum() >= LEAST_MM2:
                film = share * TINTED * tint.coat_um
                coats.append(
                    _coat(tint, f"{name}: tint 1:1, {words}; too little rather than too much", mask, film, 1.0)
                )
        kept = _contrast_kept(site, coats[-2:] if far.any() else coats[-1:], near | far, seen)
        if kept < KEEPS:
            mind.append(f"The tint leaves what it falls on {100 * kept:.0f} % of its own contrast: thin it more.")
    for own_number, rim in _tidied(site, _overspill(site, found.band)):
        rim_lab = lab(xyz(np.average(seen[rim], axis=0, weights=site.areas[rim] + 1e-9)))
        puddle = (puddles or {}).get(own_number)
        mix = (
            min(puddle, key=lambda m: float(delta_e(m.colour.lab, rim_lab)))
            if puddle
            else nearest_mix(rim_lab, _plain(rack))
        )
        on = f" onto {site.marking.regions[own_number - 1].name}" if own_number else ""
        label = f"{name}: once dry, tidy what spilled over{on}, in its own colour, thinned"
        coats.append(_coat(mix, label, rim, round(TIDY_SHARE * mix.coat_um, 1), 2.0))
    if core.any() and not (core == source).all():
        film = round(1.5 * white.coat_um, 1)
        coats.append(_coat(white, f"{name}: white again in the middle of the source, its rim left", core, film, 0.5))
    if source.any():
        coats.append(
            _coat(tint, f"{name}: one light tint over the source only", source, LAST * TINTED * tint.coat_um, 1.0)
        )
    bare = sum(c.has_highlight is False for c in found.catches[:40])
    if bare:
        mind.append(f"{bare} of the edges within reach have no highlight of their own yet: they come first (CP-26).")
    return Painted(coats, mind, opaque)


def _overspill(site: Site, band: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """(N,) where a tint that was not meant to ends up: beside the source and what is near it, out of its sight."""
    out = (band == NONE) & site.paintable
    inside = np.flatnonzero(band >= NEAR)
    if not len(inside) or not out.any():
        return np.zeros(len(site), np.bool_)
    rows = np.flatnonzero(out)
    far = tree_of(site.surface.points[inside]).query(
        site.surface.points[rows], distance_upper_bound=SPILLS_MM, workers=-1
    )[0]
    out[rows[~np.isfinite(far)]] = False
    return out


def _tidied(site: Site, rim: NDArray[np.bool_]) -> list[tuple[int, NDArray[np.bool_]]]:
    """What a tint spilled onto by regions, the largest first, as (number, (N,) where): each is tidied in its own
    colour, and what is hardly there is left."""
    mm2 = summed(site.labels[rim], site.areas[rim].astype(np.float64), len(site.marking.regions) + 1)
    large = np.argsort(-mm2, kind="stable")[:MOST_TIDIED]
    return [(int(n), rim & (site.labels == n)) for n in large if mm2[n] >= LEAST_MM2]


def dabbed(site: Site, name: str, masks: Sequence[tuple[str, str, NDArray[np.bool_]]], rack: Rack) -> list[Coat]:
    """Heat or flame in coats: one for each hue, as (its name, `#rrggbb`, (N,) where), the coolest first.

    Raises:
        SettingError: the rack has nothing to mix them from.
    """
    paints, out = _plain(rack), []
    for words, colour, mask in masks:
        if float(site.areas[mask].sum()) >= LEAST_MM2:
            mix = nearest_mix(lab(_linear(colour) @ RGB_TO_XYZ.T), paints)
            coat = usual_coat("brush", mix, f"{name}: {words}", GLOW)
            out.append(replace(coat, where=Where.some(mask)))
    return out


def _coat(mix: Mix, label: str, mask: NDArray[np.bool_], film: float, water: float) -> Coat:
    coat = usual_coat("brush", mix, label, GLOW)
    settings = replace(coat.settings, film_um=round(float(film), 2), water=water)
    return Coat("brush", mix, settings, Where.some(mask), label=coat.label, stage=GLOW)


def _white(rack: Rack) -> Mix:
    whites = [p for p in rack if p.kind in ("ink", *BRUSHED) and p.looks.value > 8.8 and p.looks.chroma < 10]
    if not whites:
        raise SettingError("there is no white on the rack: a source is solid white before it is tinted")
    return only(max(whites, key=lambda p: (p.kind == "ink", p.hides)))


def _plain(rack: Rack) -> list[Paint]:
    found = [p for p in rack if p.kind in BRUSHED]
    if not found:
        raise SettingError("there is no base or layer paint on the rack")
    return found


def _tint_shows(tint: Mix, mask: NDArray[np.bool_], seen: NDArray, colour: str) -> bool:
    """Whether a tint over what is there turns it toward the glow's colour by more than the eye misses."""
    if not mask.any():
        return True
    few = np.flatnonzero(mask)[:: max(1, int(mask.sum()) // 800)]
    before = lab(xyz(seen[few]))
    after = lab(xyz(tint.pigment.film(TINTED * tint.coat_um, seen[few].astype(float))))
    light = lab(_linear(colour) @ RGB_TO_XYZ.T)
    toward = light[1:] / max(float(np.hypot(*light[1:])), 1e-6)
    moved = (after - before)[:, 1:] @ toward
    chroma = np.hypot(*after[:, 1:].T)
    greyed = chroma < 0.6 * np.hypot(*before[:, 1:].T)
    return bool(np.mean((moved > 0) & (delta_e(after, before) > SHOWS) & ~greyed) > 0.5)


def _contrast_kept(site: Site, coats: Sequence[Coat], mask: NDArray[np.bool_], seen: NDArray[np.float32]) -> float:
    """Share of the spread of values on some samples that is left after coats."""
    few = np.flatnonzero(mask & site.paintable)[:: max(1, int(mask.sum()) // 4000)]
    if len(few) < 10:
        return 1.0
    after = appearance([(c, c.film(site)[few]) for c in coats], len(few), seen[few])
    spread = lambda x: float(np.subtract(*np.percentile(values_of(x), [95, 5])))  # noqa: E731
    return spread(after) / max(spread(seen[few]), 1e-6)
