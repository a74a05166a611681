"""The target: what each spot of a sculpt ought to look like under a rig."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..datasets.materials import material_called
from ..errors import SettingError
from ..light.key import Stop
from ..light.rig import BENCH_RAYS, Light, Rig, light_on
from ..light.tint import LUMINANCE, Tints, tint_of
from ..paint.colour import screen_levels
from ..paint.value import grey_srgb, munsell_from_luminance
from ..sculpt.site import Site
from .exposure import Exposure, laid_between, value_of_light
from .local import Local, colours_in_light, lab_of, lightness

WHITE = Tints()


@dataclass(frozen=True)
class Target:
    """What each spot ought to look like.

    value: (N,) float32, Munsell 0..10. gloss: (N,) float32, 0 (matt) .. 1 (mirror). light: what falls on it. rgb:
    (N, 3) linear; None as long as no region has a colour of its own.
    """

    value: NDArray[np.float32]
    gloss: NDArray[np.float32]
    light: Light
    rgb: NDArray[np.float32] | None = None

    @property
    def colour(self) -> NDArray[np.uint8]:
        """(N, 3) sRGB levels."""
        if self.rgb is None:
            return np.repeat(grey_srgb(self.value)[:, None], 3, axis=1)
        return screen_levels(self.rgb)

    @cached_property
    def lab(self) -> NDArray[np.float64]:
        """(N, 3) L*a*b*."""
        if self.rgb is None:
            return np.stack([lightness(self.value), np.zeros(len(self.value)), np.zeros(len(self.value))], axis=1)
        return lab_of(self.rgb)

    def with_rgb(self, rgb: NDArray[np.float32]) -> "Target":
        """The same with other colours (N, 3), linear; the values follow."""
        value = munsell_from_luminance(100 * np.clip(rgb @ LUMINANCE, 0, 1)).astype(np.float32)
        return replace(self, rgb=rgb, value=value)


def target(
    site: Site,
    rig: Rig,
    locals_: Sequence[Local] = (),
    tints: Tints = WHITE,
    *,
    exposure: Exposure | None = None,
    rays: int = BENCH_RAYS,
    stopped: Stop = None,
) -> Target:
    """The one way from a lit sculpt to what it ought to look like.

    Args:
        site: the sculpt. rig: what lights it. locals_: of the rest and of each region; none for greys alone. tints:
        the colours of what lights it. exposure: how light becomes value. rays: to a soft lamp. stopped: asked now
        and then.
    Raises:
        Stopped: `stopped` said so.
        SettingError: not one local colour for the rest and for each region.
    """
    light = light_on(site, rig, rays, stopped)
    grey = greys_of(light, rig, exposure or Exposure())
    return sketched(site, grey, exposure or Exposure(), locals_, tints) if locals_ else grey


def greys_of(light: Light, rig: Rig, exposure: Exposure) -> Target:
    """The greys under a light that a rig gives."""
    value = value_of_light(light.total, exposure, rig.full)
    return Target(value, np.zeros(len(value), np.float32), light)


SMALL_GAIN = 0.35  # of full light, at most, that a small form in full light gains; common practice, from memory


def small_lights(site: Site, share: NDArray[np.float32], strength: float) -> NDArray[np.float32]:
    """(N,) shares of full light with studs, scales, rivets and knuckles brought up: by how far they stand out at the
    scale of a brush, sooner and sharper than the plane they sit on, and only where the lamp falls (CP-13, CP-42).

    share: (N,) 0..1. strength: 0..1.
    """
    if not strength:
        return share
    stands = np.clip(site.relief.exposed - site.relief.cavity, 0, 1)
    # beside what the surface round it does: a whole rounded limb is no small form
    level = float(np.average(stands, weights=np.maximum(site.areas, 1e-12)))
    sharp = np.clip((stands - level) / max(1 - level, 1e-6), 0, 1) ** 0.5
    return np.clip(share + np.float32(strength * SMALL_GAIN) * sharp * np.sqrt(share), 0, 1).astype(np.float32)


def sketched(
    site: Site, grey: Target, exposure: Exposure, locals_: Sequence[Local], tints: Tints = WHITE, small: float = 0.0
) -> Target:
    """A target in greys with the local colours of its regions put in: for the same light, without a ray. small: how
    much sooner small forms go bright.

    Raises:
        SettingError: not one local colour for the rest and for each region.
    """
    if len(locals_) != len(site.marking.regions) + 1:
        raise SettingError("the rest and every region need a local colour each")
    share = small_lights(site, laid_between(grey.value, exposure, 0.0, 1.0), small)
    labels = site.labels
    value, gloss = np.empty(len(site), np.float32), np.empty(len(site), np.float32)
    for k, local in enumerate(locals_):
        mask = labels == k
        value[mask], gloss[mask] = local.value(share[mask], site.areas[mask]), material_called(local.material).gloss
    return Target(value, gloss, grey.light, colours_in_light(value, labels, locals_, tint_of(grey.light, tints)))
