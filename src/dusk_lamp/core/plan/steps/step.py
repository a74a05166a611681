"""The step: one coat of the plan as a painter does it. Sheet, PDF, JSON, command line and bench all read this."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...coat.coat import Coat
from ...coat.finish import BARE, after_coat
from ...coat.technique import technique
from ...directions import bearing, height_words, on_dial
from ...light.rig import Rig
from ...paint.cost import drops_for
from ...plain import plain, rounded
from ...sculpt.site import Site
from ...units import counted, minutes_words, number_word
from ...workplace.tools import EVERYTHING, Tools
from ..palette.puddles import mixing_minutes, palette_for
from .care import care_of, hand_minutes
from .cautions import cautions_for, tags_of
from .cup import Cup, cups_of
from .hand import hand_words, of_its_paint
from .task import Task

SPRAYED_CUP, BRUSHED_CUP = (
    (2.0, 2.0),
    (1.0, 0.5),
)  # minutes to mix a paint, and to clean up; common practice, from memory
VARNISHED = (
    "One thin, even coat, and let it dry through. What is below is safe from then on: what goes wrong above it "
    "wipes off."
)
EVERYTHING_WORDS, SPOTS_WORDS = "everything", "the marked spots"
BY_ITSELF = " What is painted apart is held by itself, turned as it will be on the model."
SEEN_SHARE = 0.35  # of the thickest film: less is not aimed at
THICK_PERCENTILE = 95  # a film is given as what is reached on the best-covered twentieth


@dataclass(frozen=True)
class Step:
    """One coat, as it is done.

    number: among all coats, from 1. stage: of the work. title, purpose, how, where_from, goes_on, when_to_stop:
    words. parts: of the mix by paint; drops_of: whole drops of each for all models, drops_of_one: for one; drops: of
    paint that one model takes. paint: the mix in words. seconds: on the trigger, or None. laid_um: µm of film that
    was asked for, or None for a spray. film_um: where it lies thickest. covers_mm2: how much of the model it goes on.
    ml: out of the bottles, one model.
    coats: thin coats that it is laid in, each dry before the next. hand_minutes, wait_minutes: of all of them, at one
    model, and until its next step. set_up_minutes, clean_minutes: for all of them once. oil: it stays workable for
    hours. dial: where it comes from on the dome seen from above, None where that does not matter; turns: it comes
    from all round at that height. before, after: tasks around it, without paint.
    within, adds: the share of the area near the target after it, and by how much that grew, where that is known.
    """

    number: int
    stage: str
    technique: str
    title: str
    purpose: str
    goes_on: str
    where_from: str
    how: str
    when_to_stop: str
    mishap: str
    way_out: str
    paint: str
    parts: dict[str, int]
    drops_of: dict[str, int]
    drops_of_one: dict[str, int]
    hex: str
    value: float = rounded(2)
    ml: float = rounded(3)
    all_ml: float = rounded(3)
    drops: float = rounded(1)
    seconds: float | None = rounded(1)
    laid_um: float | None = rounded(2)
    film_um: float = rounded(2)
    covers_mm2: float = rounded(1)
    water: float = rounded(2)
    hand_minutes: float = rounded(1)
    wait_minutes: float = rounded(1)
    set_up_minutes: float = rounded(1, 0.0)
    clean_minutes: float = rounded(1, 0.0)
    coats: int = 1
    muted: bool = False
    warnings: tuple[str, ...] = ()
    caution_tags: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    settings: Any = None
    dial: tuple[float, float] | None = rounded(3, None)
    turns: bool = False
    oil: bool = False
    before: tuple[Task, ...] = ()
    after: tuple[Task, ...] = ()
    within: float | None = rounded(4, None)
    adds: float | None = rounded(4, None)

    @property
    def heading(self) -> str:
        """What it is for, or the technique where nobody has said that."""
        said = self.purpose or self.title
        return said[:1].upper() + said[1:]

    @property
    def drops_words(self) -> str:
        """The mix for all models in whole drops: “4 drops of Soot, 2 of Gull”."""
        return from_tube(self.parts, self.all_ml) if self.oil else drops_of_each(self.drops_of)

    @property
    def drops_of_one_words(self) -> str:
        """The mix for one model in whole drops."""
        return from_tube(self.parts, self.ml) if self.oil else drops_of_each(self.drops_of_one)

    @property
    def thinning_words(self) -> str:
        """How it is thinned."""
        thinner = technique(self.technique).thinner
        if not self.water:
            return "neat"
        if self.water < 1:
            return f"{1 / self.water:.2g} parts of paint to 1 of {thinner}"
        return f"{counted(self.water, 'part', 'parts')} of {thinner} to 1 of paint"

    @property
    def time_words(self) -> str:
        """How long at the model, and how long to wait."""
        return f"{minutes_words(self.hand_minutes)} at the model, then {minutes_words(self.wait_minutes)} to dry"


def key_of_step(step: Step, region: str) -> str:
    """What is the same for steps that are done on several models from one puddle. region: what it goes on, as the
    scheme calls it."""
    return " · ".join((step.stage, region, step.technique, step.paint))


def drops_of_each(drops: dict[str, int]) -> str:
    """“4 drops of Soot, 2 of Gull”."""
    each = [
        (counted(n, "drop", "drops") if k == 0 else f"{n}") + f" of {name}"
        for k, (name, n) in enumerate(drops.items())
    ]
    return ", ".join(each)


TUBE = ((0.01, "a pin's head"), (0.04, "a grain of rice"), (0.2, "a pea"), (1.0, "a hazelnut"))  # ml; from memory


def from_tube(parts: Mapping[str, int], ml: float) -> str:
    """“Bone Oil, a grain of rice, from the tube”, “Bone Oil and Tide Foundation 3:1, a pea in all, from the
    tube”: an oil has no drops."""
    size = next((words for most, words in TUBE if ml <= most), f"{ml:.1f} ml")
    names = " and ".join(parts)
    if len(parts) == 1:
        return f"{names}, {size}, from the tube"
    return f"{names} {':'.join(str(n) for n in parts.values())}, {size} in all, from the tube"


def step_of(
    number: int,
    coat: Coat,
    film: NDArray[np.float32],
    site: Site,
    tools: Tools = EVERYTHING,
    models: int = 1,
    within: tuple[float, float] | None = None,
    cup: tuple[bool, bool] = (True, True),
    finish: float | None = None,
) -> Step:
    """A coat with its film (N,) µm as a step. models: how many it is done on. within: near the target before and
    after it. cup: whether the paint has to be set up for it, and cleaned away after it. finish: that it lies on,
    where that matters."""
    by, settings, mix = coat.by, coat.settings, coat.mix
    mask = site.on(coat.where)
    areas = site.areas if mask is None else np.where(mask, site.areas, np.float32(0))
    ml = by.bottle_ml(settings, film, areas, coat.solids)
    quantity, unit = by.quantity(settings)
    tags = tags_of(coat)
    covered = film[areas > 0]
    mm2 = float(areas[film > SEEN_SHARE * np.percentile(covered, THICK_PERCENTILE)].sum()) if len(covered) else 0.0
    coats = by.coats(settings, mix)
    set_up, clean = SPRAYED_CUP if by.tool(settings) == "airbrush" else BRUSHED_CUP
    return Step(
        number=number,
        stage=coat.stage,
        technique=coat.technique,
        title=f"{by.title} {mix.words()}",
        purpose=coat.label,
        goes_on=_goes_on(site, coat),
        where_from=by.where_from(settings),
        how=_how(site, coat, coats),
        when_to_stop=by.when_to_stop,
        mishap=by.mishap[0],
        way_out=by.mishap[1],
        paint=mix.words(),
        parts=mix.counted(),
        drops_of=drops_for(mix.counted(), ml * models, tools.drops_per_ml),
        drops_of_one=drops_for(mix.counted(), ml, tools.drops_per_ml),
        hex=mix.colour.hex,
        value=mix.colour.value,
        ml=ml,
        all_ml=ml * models,
        drops=ml * tools.drops_per_ml,
        seconds=quantity if unit == "s" else None,
        laid_um=None if unit == "s" else quantity,
        film_um=float(np.percentile(covered, THICK_PERCENTILE)) if len(covered) else 0.0,
        covers_mm2=mm2,
        water=by.water(settings),
        coats=coats,
        hand_minutes=tools.paced(coat.technique, mm2)
        * hand_minutes(by, settings, mm2, coat.where.kind == "mask", coats, care_of(site, coat.region)),
        wait_minutes=coats * tools.wait(mix.minutes * by.drying(settings, mix), mix.kind),
        set_up_minutes=set_up if cup[0] else 0.0,
        clean_minutes=clean if cup[1] else 0.0,
        muted=coat.muted,
        warnings=_warnings(coat, film, finish),
        caution_tags=tags,
        cautions=tuple(cautions_for(*tags)),
        settings=settings,
        dial=_dial(settings),
        oil=mix.kind == "oil",
        turns=getattr(settings, "way", "") == "turn",
        within=within and within[1],
        adds=within and within[1] - within[0],
    )


NOWHERE = "none of it lands anywhere now: what it was for has changed; lay it again, or remove it"


def steps_of(
    site: Site,
    coats: Sequence[Coat],
    films: Sequence[NDArray[np.float32]],
    tools: Tools = EVERYTHING,
    models: int = 1,
    within: Sequence[float] | None = None,
) -> list[Step]:
    """Every coat as a step, muted ones too. within: near the target bare and after each coat, where that is known."""
    near = [None] * len(coats) if within is None else list(pairwise(within))
    mixes = [None if coat.muted else (coat.mix, coat.by.tool(coat.settings)) for coat in coats]
    done = [k for k, mix in enumerate(mixes) if mix is not None]
    goes_on = {(a, b) for a, b in pairwise(done) if mixes[a] == mixes[b]}  # from one cup
    begun, kept = {b for _, b in goes_on}, {a for a, _ in goes_on}
    finishes = _finishes(site, coats, films)
    made = [
        step_of(k + 1, coat, film, site, tools, models, pair, (k not in begun, k not in kept), finish)
        for k, (coat, film, pair, finish) in enumerate(zip(coats, films, near, finishes, strict=True))
    ]
    made = [
        replace(step, how=f"{step.how} {hand}") if hand else step
        for step, hand in zip(made, _hands(site, coats), strict=True)
    ]
    made = _from_palette(coats, made, tools)
    cups = cups_of(coats, [step.all_ml for step in made], tools.drops_per_ml)
    return [_from_cup(step, cup) if cup else step for step, cup in zip(made, cups, strict=True)]


def _from_palette(coats: Sequence[Coat], steps: Sequence[Step], tools: Tools) -> list[Step]:
    """Steps with what mixing takes where a puddle is first needed, and nothing where it is there already: to rinse
    the brush is part of every step."""
    done = [k for k, coat in enumerate(coats) if not coat.muted]
    puddles, letters = palette_for([coats[k] for k in done], [steps[k].all_ml for k in done], tools.drops_per_ml)
    takes, out = dict(zip([p.letter for p in puddles], mixing_minutes(puddles), strict=True)), list(steps)
    for k, letter in zip(done, letters, strict=True):
        if letter:
            out[k] = replace(out[k], set_up_minutes=takes.pop(letter, 0.0), clean_minutes=0.0)
    return out


def _from_cup(step: Step, cup: Cup) -> Step:
    """A sprayed step with what is done with its cup: what is put in, whether it is rinsed."""
    keeps = (
        f" Keep the last {counted(cup.leaves_wet, 'drop', 'drops')} in the cup for the next." if cup.leaves else ""
    )
    how = f"{cup.words} {step.how}{keeps}".strip()
    drops = cup.drops or step.drops_of
    return replace(step, how=how, drops_of=drops, clean_minutes=0.0 if cup.kept else step.clean_minutes)


def _hands(site: Site, coats: Sequence[Coat]) -> list[str]:
    """What the hand does at the edge of each coat, by what was brushed on its region before."""
    below: dict[int, Coat] = {}
    out = []
    for coat in coats:
        counts = coat.region and not coat.muted and coat.by.even
        out.append(hand_words(site, coat, below.get(coat.region)) if counts else "")
        if counts:
            below[coat.region] = coat
    return out


def _warnings(coat: Coat, film: NDArray[np.float32], finish: float | None) -> tuple[str, ...]:
    said = coat.by.warnings(coat.settings, film, coat.mix)
    if not coat.muted and not (film > 0).any():
        said = [*said, NOWHERE]
    ground = "" if finish is None else coat.by.on_finish(finish)
    return tuple([*said, ground] if ground else said)


def _finishes(site: Site, coats: Sequence[Coat], films: Sequence[NDArray[np.float32]]) -> list[float | None]:
    """The mean finish that each coat lies on, by its film; None for those to whom it does not matter."""
    out: list[float | None] = []
    finish = np.full(len(site), BARE, np.float32)
    last = max((k for k, c in enumerate(coats) if c.by.by_finish), default=-1)
    for k, (coat, film) in enumerate(zip(coats, films, strict=True)):
        weight = (film * site.areas).astype(np.float64) if coat.by.by_finish else None
        out.append(None if weight is None or weight.sum() <= 0 else float(np.average(finish, weights=weight)))
        if k < last:
            finish = after_coat(finish, coat, film)
    return out


def _dial(settings: Any) -> tuple[float, float] | None:
    azimuth = getattr(settings, "azimuth", None)
    return None if azimuth is None else on_dial(azimuth, settings.elevation)


def _how(site: Site, coat: Coat, coats: int = 1) -> str:
    if coat.mix.clear:
        return VARNISHED
    mask = site.on(coat.where) if site.loose and coat.by.from_afar else None
    by_itself = mask is not None and np.isin(site.parts[mask], list(site.loose)).any()
    several = f"{number_word(coats)} thin coats, each dry before the next. " if coats > 1 else ""
    return several + coat.by.how(coat.settings) + (BY_ITSELF if by_itself else "") + of_its_paint(coat)


def _goes_on(site: Site, coat: Coat) -> str:
    where = coat.where
    if where.kind == "region":
        number = site.marking.number_of(where.number)
        return site.marking.regions[number - 1].name if number else "the rest"
    if where.kind == "mask":
        lost = where.number != len(site)
        if lost:
            return "nothing any more: the sculpt was changed since; look for touch-ups again"
        region = next((r.name for r in site.marking.regions if r.id == coat.region), None)
        return region or SPOTS_WORDS  # which spots of it, the label and the picture say
    return {"whole": EVERYTHING_WORDS, "part": f"part {where.number + 1}"}[where.kind]


def row_of(step: Step, site: Site) -> dict[str, Any]:
    """A step as plain values, with a spray's own numbers beside it."""
    row: dict[str, Any] = {**plain(step), "amount": step.seconds if step.seconds is not None else step.laid_um}
    row |= {
        "unit": "s" if step.seconds is not None else "µm",
        "minutes": round(step.hand_minutes + step.wait_minutes, 1),
        "label": step.purpose,
    }
    aimed = dict.fromkeys(("way", "azimuth", "elevation", "distance_mm", "trigger"))  # there for every step
    row |= aimed | technique(step.technique).facts(step.settings, site)
    return row


def rig_words(rig: Rig) -> str:
    """The light in one line."""
    if rig.lamp is None:
        said = "No lamp"
    elif rig.lamp.elevation > 80:
        said = "Lamp straight above"
    else:
        said = f"Lamp {height_words(rig.lamp.elevation)}, from {bearing(rig.lamp.azimuth)}"
    if rig.lamp is not None:
        said += ", hard" if rig.lamp.size < 2 else f", {rig.lamp.size:.0f}° wide"
    sky = f"; {rig.sky_kind} sky {rig.sky * 100:.0f} %" if rig.sky else "; no sky"
    return said + sky + (f"; ground sends back {rig.bounce * 100:.0f} %." if rig.bounce else ".")
