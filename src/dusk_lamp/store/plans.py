"""A sculpt's plan worked out: its values, bands and steps, and their pictures, kept in the cache."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.light.rig import Light, Rig, light_on
from ..core.plan.ladder import Bands, Ladder, lay_bands
from ..core.plan.steps import Step, ladder_steps
from ..core.plan.target import Exposure, target_value
from ..core.sculpt.site import Site
from ..core.view.camera import VIEWS, Camera
from ..core.view.formats import png_bytes
from ..core.view.step_picture import finished_picture, plan_snapshot, step_picture
from .cache import Cache, key_of
from .models import Sculpt

PICTURES = 5  # version of the code that draws them
PICTURE_SIZE = (330, 440)


@dataclass(frozen=True)
class Plan:
    """Everything the sheet and the exports show."""

    key: str
    rig: Rig
    ladder: Ladder
    exposure: Exposure
    light: Light
    value: NDArray[np.float32]
    bands: Bands
    steps: list[Step]
    display: Camera


def plan_of(sculpt: Sculpt, site: Site) -> Plan:
    """Work out the plan of a sculpt as it is kept now."""
    rig, ladder, exposure = Rig.from_dict(sculpt.rig), Ladder.from_dict(sculpt.ladder), Exposure(**sculpt.exposure)
    display = Camera(sculpt.display["azimuth"], sculpt.display["elevation"])
    light = light_on(site, rig)
    value = target_value(light.total, exposure, rig.full)
    bands = lay_bands(site.surface, value, ladder, exposure, site.paintable)
    key = key_of(
        "pictures",
        PICTURES,
        sculpt.surface_key,
        sculpt.shadowless,
        sculpt.display,
        site.outlook is not None,
        rig.as_dict(),
        ladder.as_dict(),
        exposure.as_dict(),
    )
    return Plan(key, rig, ladder, exposure, light, value, bands, ladder_steps(site.surface, bands, rig), display)


def draw(cache: Cache, site: Site, plan: Plan) -> None:
    """Draw every picture of the plan into the cache, all views at one scale."""
    if plan.key in cache:
        return
    surface = site.surface
    cameras = {name: Camera.named(name) for name in VIEWS} | {"display": plan.display}
    # one scale for all, set by whichever view needs the most room
    tall = max(float(np.ptp(surface.points @ c.up)) for c in cameras.values())
    wide = max(float(np.ptp(surface.points @ c.right)) for c in cameras.values())
    span = max(tall, wide * PICTURE_SIZE[1] / PICTURE_SIZE[0])
    blobs = {}
    for name, camera in cameras.items():
        shot = plan_snapshot(site, camera, *PICTURE_SIZE, span)
        for k in range(len(plan.bands.greys) if name in VIEWS else 0):
            blobs[f"{k}-{name}.png"] = png_bytes(
                step_picture(site, shot, camera, plan.bands.greys, plan.bands.step, k)
            )
        blobs[f"finished-{name}.png"] = png_bytes(
            finished_picture(shot, plan.bands.greys[plan.bands.step].astype(np.float32))
        )
    cache.put(plan.key, blobs=blobs)
