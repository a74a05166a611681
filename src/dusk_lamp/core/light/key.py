"""The key light: how squarely, and how much of it, one lamp reaches each spot."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..rays import Caster
from ..sculpt.surface import Surface
from .lamp import Lamp

RAYS = 64  # places on the lamp's disc; a straight shadow edge is then right to about 1 % of the disc


class KeyLight(NamedTuple):
    """What one lamp does.

    light: (N,) float32, relative irradiance, 1 = squarely facing the whole lamp. visible: (N,) float32, 0..1, the
    fraction of the lamp's disc that the spot sees.
    """

    light: NDArray[np.float32]
    visible: NDArray[np.float32]


def key_light(surface: Surface, lamp: Lamp, rays: int = RAYS) -> KeyLight:
    """Light of one distant lamp on every spot, with its shadow as soft as the lamp is large.

    The disc is cut into equal solid angles of equal brightness; each one that the spot sees adds its cosine. For a
    lamp that is seen whole this is exactly the cosine to its middle; for a half-hidden one it also knows which half.

    Args:
        surface: the samples.
        lamp: the lamp; a size of 0 casts one ray and gives a hard edge.
        rays: places on the disc, where it has a size.
    Source: Lambert's cosine law (Photometria, 1760); seen from the lamp is lit, CP-9.
    """
    return key_light_at(surface.origins, surface.normals, surface.caster, lamp, rays)


def key_light_at(
    origins: NDArray[np.float32], normals: NDArray[np.float32], caster: Caster, lamp: Lamp, rays: int = RAYS
) -> KeyLight:
    """The same for any places (M, 3) float32 with normals (M, 3) float32 among the caster's triangles."""
    pattern = lamp.pattern(rays)
    light = np.zeros(len(origins), np.float32)
    seen = np.zeros(len(origins), np.float32)
    for toward in pattern:
        cosine = normals @ toward
        facing = np.flatnonzero(cosine > 0)  # a spot turned away is dark already: half the rays saved
        open_ = facing[~caster.blocked(origins[facing], toward)]
        light[open_] += cosine[open_]
        seen[open_] += 1
    light /= np.float32((pattern @ lamp.direction).sum())  # a spot squarely facing the whole disc gets 1
    seen /= np.float32(len(pattern))
    return KeyLight(light, seen)
