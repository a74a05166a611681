"""The target: what each spot of a sculpt ought to look like under a rig."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..light.key import Stop
from ..light.rig import BENCH_RAYS, Light, Rig, light_on
from ..paint.value import grey_srgb
from ..sculpt.site import Site
from .exposure import Exposure, value_of_light


@dataclass(frozen=True)
class Target:
    """What each spot ought to look like.

    value: (N,) float32, Munsell 0..10. gloss: (N,) float32, 0 (matt) .. 1 (mirror). light: what falls on it.
    """

    value: NDArray[np.float32]
    gloss: NDArray[np.float32]
    light: Light

    @property
    def colour(self) -> NDArray[np.uint8]:
        """(N, 3) sRGB levels: neutral, as long as no region has a colour of its own to be lit."""
        return np.repeat(grey_srgb(self.value)[:, None], 3, axis=1)


def target(
    site: Site,
    rig: Rig,
    materials: Sequence[Any] = (),
    glows: Sequence[Any] = (),
    eye: Any = None,
    *,
    exposure: Exposure | None = None,
    rays: int = BENCH_RAYS,
    stopped: Stop = None,
) -> Target:
    """The one way from a lit sculpt to what it ought to look like.

    Args:
        site: the sculpt. rig: what lights it. materials: of its regions. glows: sources on it. eye: where it is looked at from,
        which matters only to what shines. exposure: how light becomes value. rays: to a soft lamp. stopped: asked now and then.
    Raises:
        Stopped: `stopped` said so.
        SettingError: materials or glows are asked for, which a target in greys cannot show.
    """
    if materials or glows:
        raise SettingError("a target in greys knows neither materials nor glows")
    light = light_on(site, rig, rays, stopped)
    value = value_of_light(light.total, exposure or Exposure(), rig.full)
    return Target(value, np.zeros(len(site), np.float32), light)
