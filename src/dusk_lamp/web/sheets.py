"""A plan worked out for what shows all of it: the sheet on screen, its PDF, the bench and the exports; with
pictures."""

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from flask import render_template
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..core.errors import SettingError
from ..core.paint.value import grey_srgb
from ..core.plain import plain
from ..core.plan.context import Context
from ..core.plan.features.undercoat.feature import FEATURE as UNDERCOAT
from ..core.plan.features.undercoat.twins import twins_of
from ..core.plan.outcome import Look, looks_after
from ..core.plan.palette.puddles import Puddle, Put, palette_for, palette_words, puts_of
from ..core.plan.palette.share import stand_ins
from ..core.plan.steps.around import with_tasks
from ..core.plan.steps.cards import StepCard, cards_of, how_once, used_on, wet_words
from ..core.plan.steps.step import Step, steps_of
from ..core.plan.steps.times import Times, times_of
from ..core.plan.whole import Whole, whole_of
from ..core.results import result
from ..core.sculpt.parts import seams
from ..core.sculpt.site import Site
from ..core.target.greys import Bands, lay_bands
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.step_picture import GROUND, coat_picture, look_picture, sheet_shot
from ..core.view.strokes import pull_of
from ..store import plans
from ..store.cache import Cache, code_mark, key_of
from ..store.models import Sculpt
from ..store.open_sculpts import OpenSculpt
from .background import Say, in_background, not_yet
from .stage_registry import string_of
from .workshop import hurried, laid_out, the_sculpt, wants_json, workshop

BENCH_SIZE = (480, 640)
MOST_THREADS = 4  # that draw pictures of one PDF


@dataclass(frozen=True)
class PlanSheet:
    """A plan worked out. coats, steps: what is done, muted ones left out. looks: the model bare and after each of
    them.
    near: the share of the area near the light's values when the undercoat is done, None where there is
    none. whole: what it comes to when all is painted, None where there is only an undercoat."""

    context: Context
    bands: Bands
    coats: list[Coat] = field(default_factory=list)
    steps: list[Step] = field(default_factory=list)
    looks: list[Look] = field(default_factory=list)
    whole: Whole | None = None

    @property
    def site(self) -> Site:
        """The sculpt with its regions."""
        return self.context.site

    @property
    def display(self) -> Camera:
        """The display view."""
        return Camera(*self.context.view)

    @property
    def value(self) -> NDArray[np.float32]:
        """(N,) the values of the lamp's light."""
        return self.context.grey.value

    @property
    def school(self) -> str:
        """What the undercoat came from."""
        return UNDERCOAT.school(self.context) if self.coats else ""

    @cached_property
    def cards(self) -> list[StepCard]:
        """The steps that are done together."""
        return cards_of(self.site, self.coats)

    @cached_property
    def palette(self) -> tuple[list[Puddle], list[str]]:
        """The puddles, and the letter of each step's."""
        return palette_for(self.coats, [s.all_ml for s in self.steps], self.context.tools.drops_per_ml)

    @property
    def pots(self) -> list[str]:
        """To have out, in the order they are needed."""
        return list(dict.fromkeys(name for c in self.coats for name in c.mix.counted()))

    @property
    def puddle_rows(self) -> list[tuple[str, str, str]]:
        """Colour, how it is mixed, and what it is for, of each puddle."""
        puddles, letters = self.palette
        room = self.context.tools.room
        return [
            (
                p.mix.colour.hex,
                p.words,
                f"{used_on(self.site, self.coats, p)}, {wet_words(p, letters, self.steps, room)}",
            )
            for p in puddles
        ]

    @cached_property
    def puts(self) -> list[Put | None]:
        """What each step does at the palette."""
        return puts_of(*self.palette, [s.number for s in self.steps])

    @property
    def mixing(self) -> str:
        """How many puddles are mixed, grown and neat, in a line."""
        return palette_words(self.palette[0])

    def how_once(self, card: StepCard) -> dict[int, str]:
        """What the hand does at each step of a card, where that is not as before."""
        return how_once(card, self.steps)

    @cached_property
    def twins(self) -> list[str]:
        """What mends each primed or sprayed colour by brush."""
        return [t.words for t in twins_of(self.coats, self.context.rack)]

    @cached_property
    def marks(self) -> list[str]:
        """A hash of each coat."""
        return [key_of("coat", 1, plain(c)) for c in self.coats]

    @cached_property
    def stand_ins(self) -> list[str]:
        """What stands in for each pot that is missing."""
        return [s.words for s in stand_ins(self.coats, self.context.rack)]

    def pull(self, k: int) -> NDArray[np.float32] | None:
        """(N,) the field along which the strokes of a coat are pulled, by what it aims at; None where they have no
        direction."""
        coat = self.coats[k]
        earlier = (c for c in reversed(self.coats[:k]) if c.region == coat.region and c.by.even)
        below = next(earlier, None) if coat.region else None
        aim = self.context.feature(coat.stage).aim(coat)
        return None if below is None else pull_of(coat, below, self.context.target(aim).value)

    @property
    def times(self) -> Times:
        """What it takes on all its models."""
        return times_of(self.steps, self.context.plan.models)

    @property
    def near(self) -> float | None:
        """The share of the area within half a value of the light when the undercoat is done."""
        return self.looks[sum(c.stage == "undercoat" for c in self.coats)].within if self.coats else None


def sheet_of(session: Session, sculpt: Sculpt, say: Say = lambda *_: None) -> tuple[OpenSculpt, PlanSheet]:
    """The plan of a sculpt as it is kept now, with the coats that were laid; it invents none. Worked out once for all
    its pictures."""
    open_sculpt = laid_out(sculpt)
    context, kept = plans.context_of(session, sculpt, open_sculpt, workshop().store.cache)
    state = (kept.turn, open_sculpt.surface_key, open_sculpt.site.looked, plain_key(context))
    return open_sculpt, _worked_out(open_sculpt, state, context, say)


def plain_key(context: Context) -> str:
    """What else a sheet depends on: the tools, and which paints there are."""
    return key_of("sheet", 1, plain(context.tools), [p.name for p in context.rack])


@result(depends=lambda open_sculpt, state, context, say: state)
def _worked_out(
    open_sculpt: OpenSculpt, state: tuple, context: Context, say: Callable[[str, float], None]
) -> PlanSheet:
    plan, site = context.plan, context.site
    bands = lay_bands(site.surface, context.grey.value, plan.greys, plan.exposure, site.paintable)
    coats = [c for c in plan.coats if not c.muted]
    if not coats:
        return PlanSheet(context, bands)
    try:
        wanted = UNDERCOAT.values(context)
    except SettingError:  # the rack lacks something by now; the coats themselves are whole
        wanted = context.grey.value
    looks = looks_after(context.simulation, coats, wanted, say)
    say("Counting paint and time", 0.95)
    films = context.simulation.films(coats)
    steps = steps_of(site, coats, films, context.tools, plan.models, [look.within for look in looks])
    steps = with_tasks(context, coats, steps)
    under = sum(s.stage == "undercoat" for s in steps)
    steps = [s if s.stage == "undercoat" else replace(s, within=None, adds=None) for s in steps]
    return PlanSheet(context, bands, coats, steps, looks, whole_of(context) if len(steps) > under else None)


def still_working(sculpt: Sculpt, stage: str) -> Any:
    """The page, or for a script the words, that say how far a sculpt's plan is; None once it is at hand. It
    waits for the sky: what coats come to is known under the whole light alone."""
    sculpt_id = sculpt.id

    def work(say: Say) -> None:
        say("Looking at the light", 0.02)
        with workshop().store.session() as session:
            sheet_of(session, the_sculpt(session, sculpt_id), say)

    job = hurried(sculpt) if sculpt.sky_key is None else None
    if job is not None:
        progress = {"step": job.step, "share": job.share, "number": 0}
    elif (found := in_background(("plan", sculpt_id, sculpt.plan_id), work)) is not None:
        progress = found
    else:
        return None
    if wants_json():
        return not_yet(progress)
    return render_template("waiting_plan.html", sculpt=sculpt, stages=string_of(sculpt, stage), progress=progress)


def seams_of(sculpt: Sculpt, site: Site, value: np.ndarray) -> list[dict[str, Any]]:
    """The seams to be matched, with the value (N,) on either side and the length in mm, as plain values."""
    named, out = sculpt.named_parts, []
    for seam in seams(site.surface, named, site.paintable):
        on_a, on_b = seam.either_side(site.surface, value)
        out.append(
            {
                "a": named[seam.a].name,
                "b": named[seam.b].name,
                "value_a": round(on_a, 1),
                "value_b": round(on_b, 1),
                "length": round(seam.length, 1),
            }
        )
    return out


# --- pictures
def camera_of(sheet: PlanSheet, view: str) -> Camera:
    """The camera of a view's name, or of the display view."""
    return sheet.display if view == "display" else Camera.named(view)


def picture_key(sculpt: Sculpt, sheet: PlanSheet, name: str, view: str) -> str:
    """Hash of all that a picture of the plan shows. name: a step's number from 1, or "finished"."""
    number = len(sheet.coats) if name == "finished" else int(name)
    camera, display = camera_of(sheet, view), sheet.display
    return key_of(
        "step",
        code_mark(),
        sculpt.surface_key,
        sheet.marks[:number],
        name,
        [camera.azimuth, camera.elevation],
        [display.azimuth, display.elevation],
        sculpt.held.labels_key,
        sorted(sheet.site.loose),
    )


def _shot(open_sculpt: OpenSculpt, sheet: PlanSheet, camera: Camera, view: str, kind: str) -> Any:
    return (large_shot_of if kind == "large shot" else shot_of)(open_sculpt, sheet, camera)


def _seen_by(open_sculpt: OpenSculpt, sheet: PlanSheet, camera: Camera) -> tuple[Camera, Camera]:
    return camera, sheet.display


@result(most=6, depends=_seen_by, rests=True)  # 14 MB each
def shot_of(open_sculpt: OpenSculpt, sheet: PlanSheet, camera: Camera) -> Any:
    """What a camera sees of a sculpt, at a sheet's size."""
    return sheet_shot(sheet.site, camera, sheet.display)


@result(depends=_seen_by, rests=True)  # 28 MB
def large_shot_of(open_sculpt: OpenSculpt, sheet: PlanSheet, camera: Camera) -> Any:
    """The same at the size of the bench."""
    return sheet_shot(sheet.site, camera, sheet.display, BENCH_SIZE)


def picture_of(
    sculpt: Sculpt, open_sculpt: OpenSculpt, sheet: PlanSheet, cache: Cache, name: str, view: str
) -> bytes:
    """A step's picture as PNG: what was there before it with the new film marked; or the finished model. Drawn
    once."""
    return _picture(picture_key(sculpt, sheet, name, view), open_sculpt, sheet, cache, name, view)


@contextmanager
def drawn_ahead(
    sculpt: Sculpt, open_sculpt: OpenSculpt, sheet: PlanSheet, cache: Cache, shown: Iterable[tuple[int, str]]
) -> Iterator[Callable[[int, str], bytes]]:
    """What gives the picture of a step, from 0, in a view: those that are shown are drawn in threads, in order,
    while the first are laid out."""
    keys = {(k, view): picture_key(sculpt, sheet, str(k + 1), view) for k, view in dict.fromkeys(shown)}
    with ThreadPoolExecutor(min(os.cpu_count() or 1, MOST_THREADS)) as pool:
        drawn = {
            (k, view): pool.submit(_picture, key, open_sculpt, sheet, cache, str(k + 1), view)
            for (k, view), key in keys.items()
        }
        yield lambda k, view: drawn[k, view].result()


def _picture(key: str, open_sculpt: OpenSculpt, sheet: PlanSheet, cache: Cache, name: str, view: str) -> bytes:
    if key not in cache:
        camera = camera_of(sheet, view)
        shot = _shot(open_sculpt, sheet, camera, view, "shot")
        if name == "finished":
            picture = look_picture(sheet.site, shot, _levels(sheet, len(sheet.coats)))
        else:
            k = int(name) - 1
            film = sheet.context.simulation.last_film(sheet.coats[: k + 1])
            picture = coat_picture(
                sheet.site,
                shot,
                camera,
                film,
                _levels(sheet, k),
                _levels(sheet, k + 1),
                pull=sheet.pull(k),
                drawn_out=sheet.coats[k].by.drawn_out,
            )
        cache.put(key, blobs={"picture.png": png_bytes(picture)})
    return cache.blob(key, "picture.png")


def bench_picture(
    sculpt: Sculpt, open_sculpt: OpenSculpt, sheet: PlanSheet, cache: Cache, number: int, look: str, view: str
) -> bytes:
    """A step's picture for the bench, larger and on its grey, as PNG. look: before, with the new film marked, or
    after. Drawn once."""
    key = key_of("bench", code_mark(), picture_key(sculpt, sheet, str(number), view), look)
    if key not in cache:
        camera = camera_of(sheet, view)
        shot = _shot(open_sculpt, sheet, camera, view, "large shot")
        if look == "after":
            drawn = look_picture(sheet.site, shot, _levels(sheet, number), GROUND)
        else:
            film = sheet.context.simulation.last_film(sheet.coats[:number])
            before, after = _levels(sheet, number - 1), _levels(sheet, number)
            pull, drawn_out = sheet.pull(number - 1), sheet.coats[number - 1].by.drawn_out
            drawn = coat_picture(sheet.site, shot, camera, film, before, after, GROUND, False, pull, drawn_out)
        cache.put(key, blobs={"picture.png": png_bytes(drawn)})
    return cache.blob(key, "picture.png")


def _levels(sheet: PlanSheet, after: int) -> NDArray[np.uint8]:
    """(N, 3) of the model after so many coats; the target's greys where there are none."""
    if sheet.looks:
        return sheet.looks[after].levels
    return np.repeat(grey_srgb(sheet.bands.greys)[sheet.bands.step][:, None], 3, axis=1)
