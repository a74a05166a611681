"""A sculpt's plan worked out: its light, greys and bands, and its coats as steps with their pictures."""

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat
from ..core.errors import SettingError
from ..core.light.rig import Light, Rig
from ..core.paint.value import grey_srgb
from ..core.plain import built, plain
from ..core.plan.outcome import Look
from ..core.plan.step import Step
from ..core.plan.times import Times, times_of
from ..core.plan.tins import Key
from ..core.sculpt.display import Display
from ..core.sculpt.site import Site
from ..core.target.exposure import Exposure
from ..core.target.greys import Bands, Greys, lay_bands
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.step_picture import GROUND, coat_picture, look_picture, sheet_shot
from . import colours, markings, painted, painters, schemes, undercoats
from .cache import Cache, key_of
from .laid import Laid
from .models import Sculpt

Say = Callable[[str, float], None]
BENCH_SIZE = (480, 640)
PICTURES = 8  # version of the code that draws them


@dataclass(frozen=True)
class Plan:
    """Everything the sheet and the exports show. coats, steps: what is done, muted ones left out. looks: the model
    bare and after each of them. near: the share of the area near the target when the undercoat is done, None where
    there is no coat. coloured: the share of the regions painted in colour that ends near what they shall look like,
    None where none is."""

    rig: Rig
    greys: Greys
    exposure: Exposure
    light: Light
    value: NDArray[np.float32]
    bands: Bands
    display: Camera
    site: Site
    school: str
    coats: list[Coat] = field(default_factory=list)
    steps: list[Step] = field(default_factory=list)
    looks: list[Look] = field(default_factory=list)
    models: int = 1
    coloured: float | None = None

    @cached_property
    def marks(self) -> list[str]:
        """A hash of each coat."""
        return [key_of("coat", 1, plain(c)) for c in self.coats]

    @property
    def times(self) -> Times:
        """What it takes on all its models."""
        return times_of(self.steps, self.models)

    @property
    def near(self) -> float | None:
        """The share of the area within half a value of the target when the undercoat is done."""
        return self.looks[len(schemes.split(self.coats)[0])].within if self.coats else None


def light_plan(sculpt: Sculpt, laid: Laid, site: Site) -> Plan:
    """The plan of the light alone: what each spot ought to be, and the greys laid on it."""
    rig, greys = built(Rig, sculpt.rig, "the light"), built(Greys, sculpt.greys, "the greys")
    exposure, display = built(Exposure, sculpt.exposure, "the exposure"), built(Display, sculpt.display, "the view")
    wanted = laid.lit(rig, exposure)
    bands = lay_bands(site.surface, wanted.value, greys, exposure, site.paintable)
    camera = Camera(display.azimuth, display.elevation)
    return Plan(rig, greys, exposure, wanted.light, wanted.value, bands, camera, site, "")


def plan_of(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, say: Say = lambda *_: None) -> Plan:
    """The plan of a sculpt as it is kept now, with the coats that were laid; it invents none. Worked out once for
    all its pictures."""
    try:
        key = undercoats.key_for(undercoats.tins_of(session, sculpt), schemes.choice_of(session, sculpt))
    except SettingError:  # the rack lacks something by now; the coats themselves are whole
        key = None
    names = [
        sculpt.scheme_id, sculpt.rig, sculpt.greys, sculpt.exposure, sculpt.display, sculpt.marking_number, sculpt.models, sorted(sculpt.loose),
        plain(painters.tools_of(session)), plain(key), laid.site.outlook is not None,
    ]  # fmt: skip
    return laid.plans.of(
        json.dumps(names, sort_keys=True), lambda: _worked_out(session, sculpt, laid, cache, key, say)
    )


def _worked_out(session: Session, sculpt: Sculpt, laid: Laid, cache: Cache, key: Key | None, say: Say) -> Plan:
    site = markings.site_of(session, sculpt, laid, cache)
    lit = light_plan(sculpt, laid, site)
    coats = [coat for coat in schemes.kept_coats(session, sculpt) if not coat.muted]
    if not coats:
        return lit
    wanted = lit.value if key is None else key.of(painted.share_of(sculpt, laid)).astype(np.float32)
    looks = painted.after(laid, site, coats, wanted, say)
    say("Reckoning paint and time", 0.95)
    steps = painted.steps(laid, site, coats, looks, painters.tools_of(session), sculpt.models)
    return Plan(
        lit.rig, lit.greys, lit.exposure, lit.light, lit.value, lit.bands, lit.display, site,
        schemes.choice_of(session, sculpt).school, coats, steps, looks, sculpt.models, colours.near(session, sculpt, laid, cache, coats),
    )  # fmt: skip


def camera_of(plan: Plan, view: str) -> Camera:
    """The camera of a view's name, or of the display view."""
    return plan.display if view == "display" else Camera.named(view)


def picture_key(sculpt: Sculpt, plan: Plan, name: str, view: str) -> str:
    """Hash of all that a picture of the plan shows. name: a step's number from 1, or "finished"."""
    number = len(plan.coats) if name == "finished" else int(name)
    before = plan.marks[:number]
    camera = camera_of(plan, view)
    return key_of("step", PICTURES, sculpt.surface_key, before, name, [camera.azimuth, camera.elevation],
        [plan.display.azimuth, plan.display.elevation], sculpt.marking_number,
    )  # fmt: skip


def picture_of(sculpt: Sculpt, laid: Laid, plan: Plan, cache: Cache, name: str, view: str) -> bytes:
    """A step's picture as PNG: what was there before it with the new film marked; or the finished model. Drawn
    once."""
    key = picture_key(sculpt, plan, name, view)
    if key not in cache:
        camera = camera_of(plan, view)
        shot = laid.shots.of(
            f"{view} {camera.azimuth:g} {camera.elevation:g}", lambda: sheet_shot(plan.site, camera, plan.display)
        )
        if name == "finished":
            picture = look_picture(plan.site, shot, _levels(plan, len(plan.coats)))
        else:
            k = int(name) - 1
            film = painted.last_film(laid, plan.site, plan.coats[: k + 1])
            picture = coat_picture(plan.site, shot, camera, film, _levels(plan, k), _levels(plan, k + 1))
        cache.put(key, blobs={"picture.png": png_bytes(picture)})
    return cache.blob(key, "picture.png")


def bench_picture(sculpt: Sculpt, laid: Laid, plan: Plan, cache: Cache, number: int, look: str, view: str) -> bytes:
    """A step's picture for the bench, larger and on its grey, as PNG. look: before, with the new film marked, or
    after. Drawn once."""
    key = key_of("bench", PICTURES, picture_key(sculpt, plan, str(number), view), look)
    if key not in cache:
        camera = camera_of(plan, view)
        shot = laid.large.of(
            f"{view} {camera.azimuth:g} {camera.elevation:g}",
            lambda: sheet_shot(plan.site, camera, plan.display, BENCH_SIZE),
        )
        if look == "after":
            drawn = look_picture(plan.site, shot, _levels(plan, number), GROUND)
        else:
            film = painted.last_film(laid, plan.site, plan.coats[:number])
            before, after = _levels(plan, number - 1), _levels(plan, number)
            drawn = coat_picture(plan.site, shot, camera, film, before, after, GROUND, whole=False)
        cache.put(key, blobs={"picture.png": png_bytes(drawn)})
    return cache.blob(key, "picture.png")


def _levels(plan: Plan, after: int) -> NDArray[np.uint8]:
    """(N, 3) of the model after so many coats; the target's greys where there are none."""
    if plan.looks:
        return plan.looks[after].levels
    return np.repeat(grey_srgb(plan.bands.greys)[plan.bands.step][:, None], 3, axis=1)
