"""The verdict: what is off, worst first, and what to do about it with the plan's own paints."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat, usual_coat
from ..coat.technique import technique
from ..paint.colour import delta_e, lab, xyz
from ..paint.film import film
from ..paint.mix import Mix, values_of
from ..plain import rounded
from ..plan.steps.care import care_of, hand_minutes
from ..sculpt.site import Site, Where
from ..units import counted, minutes_words
from .compare import Comparison, RegionOff

OFF = 0.5  # steps of value; less is not seen
PART_OFF = 0.8  # of its shadows or its lights alone: a small part is known less well
GREYER, GREYER_SHARE, TURNED = 4.0, 0.35, 15.0  # of chroma, of the chroma that it should have, degrees of hue
EDGES_LOST = -0.7  # steps that edge highlights are darker, beside the rest of their region, than they should be
GLAZE_WATER, LAYER_WATER = 10.0, 0.35
PASS_UM = 1.6  # µm of dry film that one pass of a glaze leaves; from memory
MOST_PASSES = 6


@dataclass(frozen=True)
class Fault:
    """One thing that is off. region: its name, number: its number. kind: light, dark, grey, strong, hue, edges. size:
    steps of value, or of what it is. words: what is off; mend: what to do. coat: the mend as a coat, None where it is
    not one."""

    region: str
    number: int
    kind: str
    size: float = rounded(2)
    words: str = ""
    mend: str = ""
    coat: Coat | None = None


def faults_of(
    site: Site, comparison: Comparison, reflectance: NDArray[np.float32], coats: Sequence[Coat]
) -> list[Fault]:
    """What is off, worst first. reflectance: (N, 36) as predicted. coats: of the plan, whose paints mend it."""
    out: list[Fault] = []
    for region in comparison.regions:
        if region.number == 0:
            continue
        part, size = _where(region)
        if abs(size) >= (PART_OFF if part else OFF):
            out.append(_value_fault(site, comparison, region, part, size, reflectance, coats))
        elif region.chroma_off <= -max(GREYER, GREYER_SHARE * region.chroma):
            out.append(_colour_fault(region, "grey", -region.chroma_off / 10, "too grey"))
        elif abs(region.hue_off) >= TURNED and region.de00 > 5:
            out.append(
                _colour_fault(region, "hue", abs(region.hue_off) / 20, f"off in hue by {region.hue_off:+.0f}°")
            )
        if region.edges is not None and region.edges <= EDGES_LOST:
            words = f"The edge highlights of {region.name} are missing or too faint."
            mend = "Pull them again with the side of a fine brush, in the mix of the plan."
            out.append(Fault(region.name, region.number, "edges", -region.edges, words, mend))
    weight = {r.number: np.sqrt(r.mm2) for r in comparison.regions}
    return sorted(out, key=lambda f: -f.size * weight[f.number])


def _where(region: RegionOff) -> tuple[str, float]:
    """Which part of a region is off most, and by how much."""
    if abs(region.shadows - region.lights) < OFF or abs(region.value_off) >= 0.8 * max(
        abs(region.shadows), abs(region.lights)
    ):
        return "", region.value_off
    if abs(region.shadows) > abs(region.lights):
        return "its shadows", region.shadows
    return "its lights", region.lights


def _value_fault(
    site: Site,
    comparison: Comparison,
    region: RegionOff,
    part: str,
    size: float,
    reflectance: NDArray[np.float32],
    coats: Sequence[Coat],
) -> Fault:
    light = size > 0
    what = "too light" if light else "too dark"
    steps = f"{abs(size):.1f} {'step' if round(abs(size), 1) == 1 else 'steps'}"
    place = f"{region.name}, {part}," if part else region.name
    words = f"{place} {'are' if part else 'is'} {steps} {what}."
    coat, mend = _mend(site, comparison, region, part, size, reflectance, coats)
    return Fault(region.name, region.number, "light" if light else "dark", abs(size), words, mend, coat)


def _colour_fault(region: RegionOff, kind: str, size: float, what: str) -> Fault:
    mend = (
        "One thin glaze of its own middle colour brings the colour back."
        if kind == "grey"
        else "Compare its mix with the plan's; a thin glaze of the right one turns it back."
    )
    return Fault(region.name, region.number, kind, size, f"{region.name} is {what}.", mend)


def mixes_of(coats: Sequence[Coat], id_: int) -> list[Mix]:
    """The mixes that a region is brushed with; where there are none, all of the plan but its primers."""
    mixes = [c.mix for c in coats if c.region == id_ and not c.mix.clear and c.by.tool(c.settings) == "brush"]
    return list(dict.fromkeys(mixes or [c.mix for c in coats if not c.mix.clear and not c.by.primes]))


def _mend(
    site: Site,
    comparison: Comparison,
    region: RegionOff,
    part: str,
    size: float,
    reflectance: NDArray[np.float32],
    coats: Sequence[Coat],
) -> tuple[Coat | None, str]:
    """A glaze (to darken) or a thin layer (to lighten) from the plan's own mixes, on the spots that are off."""
    id_ = site.marking.ids[region.number]
    mixes = mixes_of(coats, id_)
    off = np.sign(size) * comparison.off
    out_of_sight = ~np.isfinite(off) & (not part)  # what is off all over is probably so behind as well
    spots = (site.labels == region.number) & ((np.nan_to_num(off, nan=0.0) >= OFF / 2) | out_of_sight)
    if not mixes or not spots.any():
        return None, "Restate it in the plan's own mixes."
    now = _as_it_is(reflectance[spots], np.where(np.isfinite(off[spots]), comparison.off[spots], size))
    best = _best_mix(mixes, now, reflectance[spots], site.areas[spots])
    if best is None:
        way = "darken" if size > 0 else "lighten"
        return None, f"None of the plan's mixes would {way} it without spoiling its colour: restate the step."
    mix, um = best
    glaze = um <= MOST_PASSES * PASS_UM
    water = GLAZE_WATER if glaze else LAYER_WATER
    passes = max(1, min(MOST_PASSES, round(um / PASS_UM))) if glaze else 1
    label = f"{region.name}: {'toned down' if size > 0 else 'lightened'} after the photo"
    coat = usual_coat("brush", mix, label, "colour")
    coat = coat.with_settings({"film_um": round(max(um, 0.5), 1), "water": water})
    coat = replace(coat, where=Where.some(spots), way="check", region=id_)
    by = technique("brush")
    mm2 = float(site.areas[spots].sum())
    minutes = hand_minutes(by, coat.settings, mm2, True, passes, care_of(site, id_))
    verb = f"glaze {mix.words()}, {counted(passes, 'pass', 'passes')}" if glaze else f"a thin layer of {mix.words()}"
    return coat, f"{verb[0].upper()}{verb[1:]}{f' on {part}' if part else ''}, {minutes_words(minutes)}."


def _as_it_is(wanted: NDArray[np.float32], off: NDArray[np.float32]) -> NDArray[np.float64]:
    """(M, 36) reflectances as the photo says they are: those wanted, so much lighter or darker."""
    from ..paint.value import luminance_from_munsell

    Y = np.maximum(xyz(wanted)[:, 1], 1e-4)
    value = np.clip(values_of(wanted) + np.nan_to_num(off, nan=0.0), 0.3, 9.7)
    return np.clip(wanted * (luminance_from_munsell(value) / 100 / Y)[:, None], 0.003, 0.97)


def _best_mix(mixes: Sequence[Mix], now: NDArray, wanted: NDArray, areas: NDArray) -> tuple[Mix, float] | None:
    """The mix and its film, µm, that bring what is there nearest to what is wanted; None where nothing helps."""
    few = np.linspace(0, len(now) - 1, min(len(now), 400)).astype(int)
    aim, weight = lab(xyz(wanted[few])), areas[few].astype(float)
    before = float(np.average(delta_e(lab(xyz(now[few])), aim), weights=weight))
    best: tuple[float, Mix, float] | None = None
    for mix in mixes:
        for um in (0.8, 1.6, 2.4, 3.2, 4.8, 6.4, 9.6, 14.0, 20.0):
            K, S = (np.broadcast_to(getattr(mix.pigment, n), now[few].shape) for n in "KS")
            after = float(np.average(delta_e(lab(xyz(film(K, S, um, now[few]))), aim), weights=weight))
            if best is None or after < best[0]:
                best = (after, mix, um)
    return None if best is None or best[0] > 0.85 * before else (best[1], best[2])


def verdict_words(faults: Sequence[Fault], comparison: Comparison) -> list[str]:
    """All of it in sentences, worst first."""
    out = []
    if comparison.overall is not None and abs(comparison.overall) >= OFF:
        how = "lighter" if comparison.overall > 0 else "darker"
        out.append(f"All of it is {abs(comparison.overall):.1f} steps {how} than planned, by the grey card.")
    if not faults:
        out.append("It is as planned: no region is half a step off.")
    return [*out, *(f"{f.words} {f.mend}" for f in faults)]
