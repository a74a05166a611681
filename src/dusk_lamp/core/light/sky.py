"""The sky: which of a fixed set of directions each spot sees, kept as bits, so that no relighting casts a ray again."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError, Stopped
from ..rays import fibonacci_sphere, in_threads
from ..sculpt.surface import Surface

DIRECTIONS = 256
KINDS = ("uniform", "overcast")


@dataclass(frozen=True)
class SkyView:
    """What each spot sees of its surroundings.

    directions: (D, 3) float32 unit vectors over the whole sphere, D a multiple of 8.
    bits: (N, D/8) uint8, bit j set where nothing lies toward direction j (and the spot faces it).
    base_row, base_sample, base_direction: for rays that go down and meet the sculpt's own base, three (H,) int32
        arrays: the spot that looks, the sample of the base it meets, and the number of the direction.
    """

    directions: NDArray[np.float32]
    bits: NDArray[np.uint8]
    base_row: NDArray[np.int32]
    base_sample: NDArray[np.int32]
    base_direction: NDArray[np.int32]

    @cached_property
    def paintable(self) -> NDArray[np.bool_]:
        """(N,) whether a spot sees out in any direction. One that sees out in none lies inside: a shell pushed through
        another, the inner wall of a hollow cast. Nobody can see or paint it, so it is left out of areas."""
        return self.bits.max(axis=1) > 0

    def with_part(self, chosen: NDArray[np.int32], view: "SkyView") -> "SkyView":
        """The same, but for some samples (M,) what they see in another view of theirs, where fewer things shadow them.
        What lies inside on the whole model stays unpaintable."""
        own = self.paintable[chosen]
        bits = self.bits.copy()
        bits[chosen[own]] = view.bits[own]
        replaced = np.zeros(len(self.bits), np.bool_)
        replaced[chosen[own]] = True
        old, new = ~replaced[self.base_row], own[view.base_row]
        return SkyView(
            self.directions,
            bits,
            np.concatenate([self.base_row[old], chosen[view.base_row[new]]]),
            np.concatenate([self.base_sample[old], view.base_sample[new]]),
            np.concatenate([self.base_direction[old], view.base_direction[new]]),
        )


BASE_SHARE = 0.15  # what faces up in the lowest 15 % of the height is the sculpt's own base


def sky_view(
    surface: Surface,
    directions: int = DIRECTIONS,
    progress: Callable[[float], None] | None = None,
    stopped: Callable[[], bool] | None = None,
) -> SkyView:
    """Cast one ray from every spot toward every direction it faces.

    Args:
        surface: the samples.
        directions: how many, a multiple of 8, spread evenly over the sphere.
        progress: told the share done, 0..1.
        stopped: asked now and then; True ends the work.
    Raises:
        Stopped: `stopped` said so.
    """
    sphere = fibonacci_sphere(directions)
    bytes_ = np.zeros((directions // 8, len(surface)), np.uint8)  # a row per byte: threads never share one
    body = surface.blockers or surface  # what the rays meet
    low = float(body.points[:, 2].min())
    middles = body.points[body.faces].mean(axis=1)
    upward = body.normals[body.faces].mean(axis=1)[:, 2] > 0.5
    is_base = upward & (middles[:, 2] < low + BASE_SHARE * body.height)
    hits: list[tuple[NDArray[np.int64], NDArray[np.int32], int]] = []
    boxed = surface.caster.boxed(surface.origins)
    done = 0

    def one_byte(b: int) -> None:
        nonlocal done
        if stopped and stopped():
            raise Stopped("stopped while looking at the sky")
        for j in range(8 * b, 8 * b + 8):
            toward = sphere[j]
            facing = np.flatnonzero(surface.normals @ toward > 0)
            if toward[2] < 0:  # only what looks down can see the base
                met = surface.caster.boxed_first_face(boxed[facing], toward)
                free = met < 0
                on_base = np.flatnonzero(~free & is_base[met])
                hits.append((facing[on_base], body.faces[met[on_base], 0], j))
            else:
                free = ~surface.caster.boxed_blocked(boxed[facing], toward)
            bytes_[b, facing[free]] |= np.uint8(1 << (j % 8))
        done += 1
        if progress:
            progress(done * 8 / directions)

    in_threads(one_byte, range(directions // 8))
    hits.sort(key=lambda h: h[2])  # threads finish in any order; results must not depend on it
    return SkyView(
        sphere,
        np.ascontiguousarray(bytes_.T),
        np.concatenate([h[0] for h in hits]).astype(np.int32) if hits else np.zeros(0, np.int32),
        np.concatenate([h[1] for h in hits]).astype(np.int32) if hits else np.zeros(0, np.int32),
        np.concatenate([np.full(len(h[0]), h[2]) for h in hits]).astype(np.int32) if hits else np.zeros(0, np.int32),
    )


def luminance(kind: str, sin_elevation: NDArray[np.floating]) -> NDArray[np.floating]:
    """Brightness of the sky at an elevation, scaled so that an upward plane receives 1; nothing below the horizon.

    uniform: the same everywhere. overcast: three times brighter overhead than at the horizon (CIE standard overcast
    sky, Moon and Spencer 1942; ISO 15469 type 1 in its simple form): (1 + 2 sin el)/3.
    """
    if kind not in KINDS:
        raise SettingError(f"the sky is one of {', '.join(KINDS)}, not '{kind}'")
    up = sin_elevation > 0
    if kind == "uniform":
        return np.where(up, 1 / np.pi, 0.0)
    return np.where(up, (1 + 2 * sin_elevation) / 3 * 9 / (7 * np.pi), 0.0)


@cache
def _open_overcast() -> NDArray[np.float64]:
    """(181,) light of an open overcast sky on a plane tilted 0..180 degrees, by summing 200,000 directions."""
    d = fibonacci_sphere(200_000).astype(np.float64)
    d = d[d[:, 2] > 0]
    bright = luminance("overcast", d[:, 2]) * 4 * np.pi / 200_000
    tilt = np.radians(np.arange(181))
    cosine = np.outer(np.sin(tilt), d[:, 0]) + np.outer(np.cos(tilt), d[:, 2])
    return np.maximum(cosine, 0) @ bright


def open_dome(kind: str, up: NDArray[np.float32]) -> NDArray[np.float32]:
    """(N,) light of a dome nothing stands before, for spots whose normal rises by `up` (N,), −1..1.

    uniform: (1 + cos β)/2 at tilt β. overcast: by table.
    """
    if kind == "uniform":
        return ((1 + up) / 2).astype(np.float32)
    return np.interp(np.degrees(np.arccos(np.clip(up, -1, 1))), np.arange(181), _open_overcast()).astype(np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _gather(normals, bits, directions, weight, first, last, out):
    """Share, by weight and cosine, of the directions that a spot both faces and sees."""
    for i in range(first, last):
        x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
        whole = np.float32(0)
        seen = np.float32(0)
        for j in range(len(directions)):
            if weight[j] > 0:
                c = x * directions[j, 0] + y * directions[j, 1] + z * directions[j, 2]
                if c > 0:
                    c *= weight[j]
                    whole += c
                    if bits[i, j >> 3] >> (j & 7) & 1:
                        seen += c
        out[i] = seen / whole if whole > 0 else np.float32(0)


def seen_share(surface: Surface, view: SkyView, weight: NDArray[np.float32]) -> NDArray[np.float32]:
    """(N,) 0..1: of the light that directions of these weights (D,) could bring a spot, the share that arrives."""
    out = np.zeros(len(surface), np.float32)
    cuts = np.linspace(0, len(surface), 9).astype(int)
    weight = weight.astype(np.float32)
    in_threads(
        lambda k: _gather(surface.normals, view.bits, view.directions, weight, cuts[k], cuts[k + 1], out), range(8)
    )
    return out


def sky_light(surface: Surface, view: SkyView, kind: str = "uniform") -> NDArray[np.float32]:
    """(N,) float32 light of the upper half of the sky, relative: 1 on an upward plane under the open dome.

    The open value is exact and only the share that is hidden is sampled, so a convex body is right to rounding.
    """
    weight = luminance(kind, view.directions[:, 2].astype(np.float64))
    return open_dome(kind, surface.normals[:, 2]) * seen_share(surface, view, weight)
