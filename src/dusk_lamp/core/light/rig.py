"""The rig: lamp, sky and bounce together, and their light on a sculpt."""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..plain import checked, choice, number
from ..results import result
from ..sculpt.site import Site
from ..sculpt.visibility import Visibility
from . import key
from .bounce import KEPT_SAMPLES, Ground, base_transfer, bounce_light, ground_transfer
from .lamp import Lamp
from .sky import KINDS, sky_light

PRESETS = {  # CP-10: the usual lamp is straight above, then above and to the right, then above and in front; CP-15
    "overhead": (0.0, 90.0),
    "above right": (60.0, 50.0),
    "above front": (0.0, 50.0),
    "behind": (180.0, 40.0),
    "below": (0.0, -60.0),
}
MOVING_RAYS = 4  # to a soft lamp while it is being dragged
BENCH_RAYS = 32  # and at rest: a shadow's edge is then right to about 2 % of the disc, less than an eighth of a value
STRONGEST_SKY = 2.0


@dataclass(frozen=True)
class Rig:
    """Everything that lights a sculpt.

    lamp: the key, or None when it is off. sky: light of the open dome on an upward plane, 0..2, relative to the key.
    sky_kind: "uniform" or "overcast". bounce: albedo of the ground, 0..1.
    """

    lamp: Lamp | None = field(default_factory=lambda: Lamp(0, 90, 12))
    sky: float = number(0.25, 0, STRONGEST_SKY, "the strength of the sky", step=0.01)
    sky_kind: str = choice("overcast", KINDS, "the sky")
    bounce: float = number(0.15, 0, 1, "the share of the light that the ground sends back", step=0.01)

    def __post_init__(self) -> None:
        checked(self)

    @property
    def full(self) -> float:
        """The most light a spot can get from lamp and sky together: that of one facing both squarely."""
        return (1.0 if self.lamp else 0.0) + self.sky or 1.0


@dataclass(frozen=True)
class Light:
    """Light on every sample: `total` relative, 1 = squarely facing the open key; `visible` 0..1 of the lamp's disc;
    and what of the total comes from the lamp (`key`), the sky and the ground (`bounce`), None where that gives
    none; glow: (N, 3) linear light of what glows on the sculpt, None where nothing does."""

    total: NDArray[np.float32]
    visible: NDArray[np.float32]
    key: NDArray[np.float32] | None = None
    sky: NDArray[np.float32] | None = None
    bounce: NDArray[np.float32] | None = None
    glow: NDArray[np.float32] | None = None

    def dimmed(self, share: float) -> "Light":
        """The same at dusk: a share of lamp, sky and ground is left; what glows is not dimmed."""
        if share == 1:
            return self
        much = np.float32(share)
        key, sky, bounce = (None if part is None else part * much for part in (self.key, self.sky, self.bounce))
        return replace(self, total=self.total * much, key=key, sky=sky, bounce=bounce)


def light_on(site: Site, rig: Rig, rays: int = BENCH_RAYS, stopped: key.Stop = None) -> Light:
    """Lamp, sky and bounce on every sample of a site; only the lamp's rays are cast again each time.

    As long as nothing is known of the visibility, the lamp alone. rays: to a soft lamp, fewer for a lamp in motion.
    stopped: asked now and then.

    Raises:
        Stopped: `stopped` said so.
    """
    surface, seen = site.surface, site.visibility or site.glimpse
    total = np.zeros(len(surface), np.float32)
    visible = total
    if rig.lamp is not None:
        total, visible = key.key_light(surface, rig.lamp, rays, stopped)
        for chosen, alone in site.apart:
            total[chosen], visible[chosen] = key.key_light(alone, rig.lamp, rays, stopped)
    lamp = total if rig.lamp else None
    if seen is None:
        return Light(total, visible, lamp)
    sky, bounce = None, None
    if rig.sky:
        sky = np.float32(rig.sky) * _dome(site, seen, rig.sky_kind)
        total = total + sky
    if rig.bounce:
        ground, base = _ground(site), _base(site, seen)
        up = _from_ground(site, seen, ground) if len(surface) <= KEPT_SAMPLES else None
        bounce = bounce_light(
            surface, seen, ground, base, rig.bounce, rig.lamp, rig.sky, rig.sky_kind, total, rays, up
        )
        total = total + bounce
    return Light(total, visible, lamp, sky, bounce)


# what each sees of its surroundings changes with the sky that is known, and the site lets go of all that rests on it
@result(most=3, depends=lambda site, seen, kind: (site.looked, kind))
def _dome(site: Site, seen: Visibility, kind: str) -> NDArray[np.float32]:
    return sky_light(site.surface, seen, kind)


@result(rests=True)
def _ground(site: Site) -> Ground:
    return Ground(site.surface)


@result(rests=True, depends=lambda site, seen: site.looked)
def _base(site: Site, seen: Visibility) -> Any:
    return base_transfer(site.surface, seen)


@result(rests=True, depends=lambda site, seen, ground: site.looked)
def _from_ground(site: Site, seen: Visibility, ground: Ground) -> Any:
    return ground_transfer(site.surface, seen, ground)
