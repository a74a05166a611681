"""Bounce: light that comes back up from the ground, and from the sculpt's own base, CP-12."""

from typing import TYPE_CHECKING

import numba
import numpy as np
from numpy.typing import NDArray

from ..rays import in_threads
from ..sculpt.surface import Surface
from ..sculpt.visibility import Visibility
from .key import RAYS, key_light_at
from .lamp import Lamp
from .sky import luminance

if TYPE_CHECKING:
    from scipy.sparse import csr_array

CELLS = 48  # the ground is looked up on a grid this fine; its shadow reaches the sculpt blurred by half the sphere
REACH = 1.5  # the grid reaches this many heights past the sculpt; beyond, the ground is open
GROUND_RAYS = 9  # places on a soft lamp's disc for the ground's shadow, for the same reason
KEPT_SAMPLES = 50_000  # of up to so many is kept what each place of the ground hands on to them: 10 MB


class Ground:
    """The plane z = 0 under one sculpt, and how much sky each place on it sees. Made once per sculpt."""

    def __init__(self, surface: Surface) -> None:
        surface = surface.blockers or surface
        low, high = surface.points.min(axis=0)[:2], surface.points.max(axis=0)[:2]
        margin = REACH * max(surface.height, float((high - low).max()))
        self.corner = (low - margin).astype(np.float32)
        self.cell = np.float32(float((high - low).max() + 2 * margin) / CELLS)
        middle = (np.arange(CELLS, dtype=np.float32) + np.float32(0.5)) * self.cell
        x, y = np.meshgrid(self.corner[0] + middle, self.corner[1] + middle, indexing="ij")
        lift = np.float32(1e-4 * surface.size)
        self.places = np.stack([x.ravel(), y.ravel(), np.full(x.size, lift, np.float32)], axis=1)
        self.normals = np.tile(np.array([[0, 0, 1]], np.float32), (len(self.places), 1))
        self.caster = surface.caster
        self._sky: dict[str, NDArray[np.float32]] = {}

    def light(
        self, lamp: Lamp | None, sky: float, kind: str, directions: NDArray[np.float32], rays: int = GROUND_RAYS
    ) -> NDArray[np.float32]:
        """(CELLS², ) relative light that falls on each place of the ground. rays: to a soft lamp."""
        falls = np.zeros(len(self.places), np.float32)
        if lamp is not None:
            falls += key_light_at(self.places, self.normals, self.caster, lamp, rays).light
        if sky:
            if kind not in self._sky:
                self._sky[kind] = self._open_share(kind, directions)
            falls += np.float32(sky) * self._sky[kind]
        return falls

    def _open_share(self, kind: str, directions: NDArray[np.float32]) -> NDArray[np.float32]:
        seen = np.zeros(len(self.places), np.float32)
        whole = 0.0
        for toward in directions[directions[:, 2] > 0]:
            weight = float(luminance(kind, toward[2].astype(float)) * toward[2])
            whole += weight
            seen += np.float32(weight) * ~self.caster.blocked(self.places, toward)
        return (seen / np.float32(whole)).astype(np.float32, copy=False)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _from_ground(points, normals, bits, directions, ground, corner, cell, outside, first, last, out):
    """Cosine-weighted mean of the ground's light over the directions that go down, blocked ones counting as dark."""
    cells = ground.shape[0]
    for i in range(first, last):
        if points[i, 2] < 0:
            continue  # below the ground nothing comes up
        x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
        whole = np.float32(0)
        got = np.float32(0)
        for j in range(len(directions)):
            dz = directions[j, 2]
            if dz >= 0:
                continue
            c = x * directions[j, 0] + y * directions[j, 1] + z * dz
            if c <= 0:
                continue
            whole += c
            if not (bits[i, j >> 3] >> (j & 7) & 1):
                continue
            reach = -points[i, 2] / dz
            gx = (points[i, 0] + reach * directions[j, 0] - corner[0]) / cell
            gy = (points[i, 1] + reach * directions[j, 1] - corner[1]) / cell
            if 0 <= gx < cells and 0 <= gy < cells:
                got += c * ground[int(gx), int(gy)]
            else:
                got += c * outside
        out[i] = got / whole if whole > 0 else np.float32(0)


def base_transfer(surface: Surface, view: Visibility) -> "csr_array":
    """(N, N) sparse: the share of the light on each sample of the base that every spot receives from it.

    Each ray that met the base stands for its solid angle; Lambert's law on both ends.
    """
    from scipy.sparse import csr_array

    normals = surface.normals.take(view.base_row, axis=0)
    cosine = np.einsum("ij,ij->i", normals, view.directions.take(view.base_direction, axis=0))
    share = cosine * np.float32(4 / len(view.directions))  # solid angle 4π/D over π
    return csr_array((share, (view.base_row, view.base_sample)), shape=(len(surface),) * 2, dtype=np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _meeting_ground(points, normals, bits, directions, corner, cell, cells, starts, at, share):
    """The same as a matrix: for each spot, the places of the ground that its open directions meet, and their shares;
    what lies outside has the place after the last. starts: (N + 1,) where the entries of a spot begin; they are
    filled in where there is room, and counted where there is none."""
    count = 0
    for i in range(len(points)):
        starts[i] = count
        if points[i, 2] < 0:
            continue
        x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
        whole = np.float32(0)
        first = count
        for j in range(len(directions)):
            dz = directions[j, 2]
            if dz >= 0:
                continue
            c = x * directions[j, 0] + y * directions[j, 1] + z * dz
            if c <= 0:
                continue
            whole += c
            if not (bits[i, j >> 3] >> (j & 7) & 1):
                continue
            if len(at):
                reach = -points[i, 2] / dz
                gx = (points[i, 0] + reach * directions[j, 0] - corner[0]) / cell
                gy = (points[i, 1] + reach * directions[j, 1] - corner[1]) / cell
                inside = 0 <= gx < cells and 0 <= gy < cells
                at[count] = int(gx) * cells + int(gy) if inside else cells * cells
                share[count] = c
            count += 1
        if len(at) and whole > 0:
            share[first:count] /= whole
    starts[len(points)] = count


def ground_transfer(surface: Surface, view: Visibility, ground: Ground) -> "csr_array":
    """(N, CELLS² + 1) sparse: the share of the light on each place of the ground, and last of that on the ground
    outside, that every spot receives. A lamp in motion then costs one product of it."""
    from scipy.sparse import csr_array

    starts, none = np.zeros(len(surface) + 1, np.int32), np.zeros(0, np.int32)
    arrays = (surface.points, surface.normals, view.bits, view.directions, ground.corner, ground.cell, CELLS, starts)
    _meeting_ground(*arrays, none, np.zeros(0, np.float32))
    at, share = np.zeros(starts[-1], np.int32), np.zeros(starts[-1], np.float32)
    _meeting_ground(*arrays, at, share)
    return csr_array((share, at, starts), shape=(len(surface), CELLS * CELLS + 1))


def open_key(lamp: Lamp) -> np.float32:
    """Light of the lamp on a level plane that nothing stands before."""
    pattern = lamp.pattern(RAYS)
    return np.float32(np.maximum(pattern[:, 2], 0).sum() / (pattern @ lamp.direction).sum())


def bounce_light(
    surface: Surface,
    view: Visibility,
    ground: Ground,
    base: "csr_array",
    albedo: float,
    lamp: Lamp | None,
    sky: float,
    kind: str,
    direct: NDArray[np.float32],
    rays: int = GROUND_RAYS,
    from_ground: "csr_array | None" = None,
) -> NDArray[np.float32]:
    """(N,) float32: one bounce off the ground plane z = 0 and off the sculpt's own base, both of one albedo.

    Args:
        surface, view, ground, base: the sculpt, what it sees, the ground under it, and what its base hands on.
        albedo: 0..1, share of the light that the ground sends back, evenly to all sides (Lambert).
        lamp, sky, kind: what lights the ground. The ground never stands in the way of a lamp from below.
        direct: (N,) lamp and sky on the sculpt itself, for its base.
        rays: to a soft lamp. from_ground: what the ground hands on, where it is kept: see `ground_transfer`.
    """
    falls = ground.light(lamp, sky, kind, view.directions, min(rays, GROUND_RAYS))
    open_ground = np.float32(sky) + (open_key(lamp) if lamp is not None else np.float32(0))
    if from_ground is not None:
        down = from_ground @ np.append(falls, open_ground)
    else:
        down = _down(surface, view, ground, falls.reshape(CELLS, CELLS), open_ground)
    # the share of its sphere a tilted spot turns to the ground, (1 − cos β)/2, is known exactly
    down *= (1 - surface.normals[:, 2]) / 2
    down += base @ direct
    return np.float32(albedo) * down


def _down(
    surface: Surface, view: Visibility, ground: Ground, falls: NDArray[np.float32], outside: np.float32
) -> NDArray[np.float32]:
    """(N,) what comes up from the ground, (CELLS, CELLS) of it and outside."""
    down = np.zeros(len(surface), np.float32)
    cuts = np.linspace(0, len(surface), 9).astype(int)
    in_threads(
        lambda k: _from_ground(
            surface.points,
            surface.normals,
            view.bits,
            view.directions,
            falls,
            ground.corner,
            ground.cell,
            outside,
            cuts[k],
            cuts[k + 1],
            down,
        ),
        range(8),
    )
    return down
