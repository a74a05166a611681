"""The key light: how squarely, and how much of it, one lamp reaches each spot."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import Stopped
from ..rays import Caster, in_threads, stretches
from ..sculpt.surface import Surface
from .lamp import Lamp

FIRST_RAYS = 8  # a first look at the lamp
EDGE_RINGS = 2  # neighbours round a penumbra that are looked at closely too
DENSE_SAMPLES = 20_000  # below this, neighbours are too far apart to speak for each other
RAYS = 64  # places on the lamp's disc; a straight shadow edge is then right to about 1 % of the disc


Stop = Callable[[], bool] | None  # asked now and then; True ends the work


class KeyLight(NamedTuple):
    """What one lamp does.

    light: (N,) float32, relative irradiance, 1 = squarely facing the whole lamp. visible: (N,) float32, 0..1, the
    fraction of the lamp's disc that the spot sees.
    """

    light: NDArray[np.float32]
    visible: NDArray[np.float32]


def key_light(surface: Surface, lamp: Lamp, rays: int = RAYS, stopped: Stop = None) -> KeyLight:
    """Light of one distant lamp on every spot, with its shadow as soft as the lamp is large.

    The disc is cut into equal solid angles of equal brightness; each one that the spot sees adds its cosine. For a
    lamp that is seen whole this is exactly the cosine to its middle; for a half-hidden one it also knows which half.

    Args:
        surface: the samples.
        lamp: the lamp; a size of 0 casts one ray and gives a hard edge.
        rays: places on the disc, where it has a size. stopped: asked before each of them; True gives the work up.
    Raises:
        Stopped: `stopped` said so.
    Source: Lambert's cosine law (Photometria, 1760); seen from the lamp is lit, CP-9.
    """
    if lamp.size == 0 or rays <= FIRST_RAYS or len(surface) < DENSE_SAMPLES:
        return key_light_at(surface.origins, surface.normals, surface.caster, lamp, rays, stopped)

    # Most spots see all of the lamp or none of it. A few places on the disc tell which; only where they disagree, and
    # a brush mark round it, is the whole disc looked at.
    few = key_light_at(surface.origins, surface.normals, surface.caster, lamp, FIRST_RAYS, stopped)
    edge = (few.visible > 0) & (few.visible < 1)
    a, b = surface.edges
    for _ in range(EDGE_RINGS):
        wider = edge.copy()
        wider[a[edge[b]]] = True
        wider[b[edge[a]]] = True
        edge = wider
    light = np.where(few.visible == 1, np.maximum(surface.normals @ lamp.direction, 0), 0).astype(np.float32)
    visible = few.visible.copy()
    where = np.flatnonzero(edge)
    whole = key_light_at(surface.origins[where], surface.normals[where], surface.caster, lamp, rays, stopped)
    light[where], visible[where] = whole.light, whole.visible
    return KeyLight(light, visible)


def key_light_at(
    origins: NDArray[np.float32],
    normals: NDArray[np.float32],
    caster: Caster,
    lamp: Lamp,
    rays: int = RAYS,
    stopped: Stop = None,
) -> KeyLight:
    """The same for any places (M, 3) float32 with normals (M, 3) float32 among the caster's triangles."""
    pattern = lamp.pattern(rays)
    light, seen = np.zeros(len(origins), np.float32), np.zeros(len(origins), np.float32)
    boxed = caster.boxed(origins)

    def from_stretch(span: slice) -> None:
        light[span], seen[span] = _from_places(boxed[span], normals[span], caster, pattern, stopped)

    in_threads(from_stretch, stretches(len(origins)))
    light /= np.float32((pattern @ lamp.direction).sum())  # a spot squarely facing the whole disc gets 1
    seen /= np.float32(len(pattern))
    return KeyLight(light, seen)


def _from_places(boxed, normals, caster, places, stopped):
    """Sum of cosines (M,) and count (M,) over the places of the disc that each spot sees."""
    light, seen = np.zeros(len(boxed), np.float32), np.zeros(len(boxed), np.float32)
    for toward in places:
        if stopped and stopped():
            raise Stopped("another light is wanted by now")
        cosine = normals @ toward
        facing = np.flatnonzero(cosine > 0)  # a spot turned away is dark already: half the rays saved
        open_ = facing[~caster.boxed_blocked(boxed.take(facing, axis=0), toward)]
        light[open_] += cosine[open_]
        seen[open_] += 1
    return light, seen
