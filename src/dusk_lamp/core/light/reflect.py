"""Reflection: what a glossy surface shows from one view of a small world of sky, horizon, ground and lamp.

The lobe is GGX (Walter and others, 2007), sampled by the normals that are visible (Heitz, 2018); what the sculpt
hides from itself is read from the visibility's bits.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of, level_frame
from ..errors import SettingError
from ..places import tree_of
from ..plain import built, checked, number, plain
from ..sculpt.surface import Surface
from ..sculpt.visibility import Visibility

LOBE = 32  # directions a rough surface looks along
AWAY = 4  # times fewer where a spot looks away from the view
MIRROR = 0.01  # smoother than this is a mirror: one direction
GRID = 64  # of the octahedral map of directions
GRAZING = 0.05  # what turns away from the view is seen at this cosine
BRIGHTEST = 100.0
MOST_BYTES = 100_000


@dataclass(frozen=True)
class Disc:
    """A lamp in a world. brightness: of its disc, in the world's own unit."""

    azimuth: float = number(30.0, -360, 360, "the lamp's direction", "degrees")
    elevation: float = number(55.0, -90, 90, "the lamp's height", "degrees")
    size: float = number(20.0, 0.5, 180, "the lamp's size", "degrees")
    brightness: float = number(3.0, 0, BRIGHTEST, "the lamp's brightness")

    def __post_init__(self) -> None:
        checked(self)


@dataclass(frozen=True)
class World:
    """What is mirrored. sky: (elevation in degrees, brightness) from the horizon up. ground: brightness below it.
    horizon_sharpness: degrees over which one goes into the other, 0 for a knife's edge. glow: an accent, such as a
    fire."""

    sky: tuple[tuple[float, float], ...] = ((0.0, 1.0), (90.0, 0.4))
    ground: float = number(0.08, 0, BRIGHTEST, "the ground's brightness")
    horizon_sharpness: float = number(4.0, 0, 90, "how soft the horizon is", "degrees")
    lamp: Disc | None = field(default_factory=Disc)
    glow: Disc | None = None

    def __post_init__(self) -> None:
        checked(self)
        steps = np.asarray(self.sky, float).reshape(-1, 2)
        if not len(steps) or len(steps) > 64 or not np.isfinite(steps).all() or (np.diff(steps[:, 0]) < 0).any():
            raise SettingError("a sky is pairs of elevation and brightness, from the horizon up")
        if steps[:, 1].min() < 0 or steps[:, 1].max() > BRIGHTEST or np.abs(steps[:, 0]).max() > 90:
            raise SettingError(
                f"a sky's elevations are within 90 degrees, its brightness between 0 and {BRIGHTEST:g}"
            )
        if self.brightest <= 0:
            raise SettingError("a world without light shows nothing: give it a sky, a ground or a lamp")

    @property
    def brightest(self) -> float:
        """What is brightest in it."""
        discs = [disc.brightness for disc in (self.lamp, self.glow) if disc]
        return max(float(np.asarray(self.sky, float).reshape(-1, 2)[:, 1].max()), self.ground, *discs)

    def seen(self, toward: NDArray) -> NDArray[np.float64]:
        """(K,) its brightness toward directions (K, 3)."""
        steps = np.asarray(self.sky, float).reshape(-1, 2)
        height = np.degrees(np.arcsin(np.clip(toward[..., 2], -1, 1)))
        sky = np.interp(height, steps[:, 0], steps[:, 1])
        soft = max(self.horizon_sharpness, 1e-9)
        t = np.clip(height / soft + 0.5, 0, 1)
        out = self.ground + (sky - self.ground) * t * t * (3 - 2 * t)
        for disc in (self.glow, self.lamp):
            if disc:
                at = direction_of(disc.azimuth, disc.elevation).astype(float)
                away = np.degrees(np.arccos(np.clip(toward @ at, -1, 1)))
                edge = np.clip((disc.size / 2 - away) / max(0.15 * disc.size, 0.5) + 0.5, 0, 1)
                out = out + (disc.brightness - out) * edge
        return out


def on_ball(x: NDArray | float, y: NDArray | float, view: tuple[float, float]) -> NDArray[np.float64]:
    """(..., 3) what a mirror ball shows at places (x to the right, y up, within the unit circle), seen from a
    view."""
    right, up = level_frame(*view)
    eye = direction_of(*view).astype(np.float64)
    x, y = np.asarray(x, float)[..., None], np.asarray(y, float)[..., None]
    normal = x * right + y * up + np.sqrt(np.clip(1 - x * x - y * y, 0, 1)) * eye
    normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-9)
    return 2 * (normal @ eye)[..., None] * normal - eye


def with_disc_at(world: World, which: str, x: float, y: float, view: tuple[float, float]) -> World:
    """A world whose lamp, or glow, is put where a mirror ball shows it at a place; see on_ball. One that was out is
    lit.

    Raises:
        SettingError: neither lamp nor glow, or a place off the ball.
    """
    if which not in ("lamp", "glow") or not np.hypot(x, y) <= 1:
        raise SettingError("on the mirror ball the lamp and the glow can be dragged; reload the page")
    toward = on_ball(x, y, view)
    azimuth = float(np.degrees(np.arctan2(toward[0], -toward[1])))
    elevation = float(np.degrees(np.arcsin(np.clip(toward[2], -1, 1))))
    if which == "lamp":
        return replace(world, lamp=replace(world.lamp or Disc(), azimuth=azimuth, elevation=elevation))
    return replace(world, glow=replace(world.glow or ACCENT, azimuth=azimuth, elevation=elevation))


ACCENT = Disc(-60.0, -10.0, 40.0, 1.0)  # a glow that was out
WORLDS = {
    "noon": World(((0, 1.0), (25, 0.75), (90, 0.35)), 0.07, 3.0, Disc(30, 60, 18, 2.2)),
    "dusk": World(((0, 0.9), (12, 0.45), (90, 0.12)), 0.03, 8.0, Disc(-60, 8, 30, 1.6)),
    "red sky": World(((0, 1.0), (8, 0.6), (30, 0.25), (90, 0.06)), 0.02, 10.0, Disc(70, 4, 24, 1.8)),
    "under a roof": World(((0, 0.9), (20, 0.6), (45, 0.1), (90, 0.05)), 0.12, 6.0, None),
    "by the fire": World(((0, 0.12), (90, 0.05)), 0.05, 20.0, Disc(-40, -5, 50, 1.5)),
    "a lamp alone": World(((0, 0.2), (90, 0.12)), 0.06, 20.0, Disc(30, 55, 24, 2.0)),
    "uniform": World(((0, 1.0), (90, 1.0)), 1.0, 0.0, None),
}


@dataclass(frozen=True)
class WorldControls:
    """What a painter changes of a world: brightness of sky, ground, lamp and glow; degrees of horizon and lamp."""

    sky_low: float = number(
        1.0, 0, BRIGHTEST, "the sky at the horizon", step=0.05, form="Sky at the horizon", slide=3
    )
    sky_high: float = number(0.4, 0, BRIGHTEST, "the sky above", step=0.05, form="Sky above", slide=3)
    ground: float = number(0.08, 0, BRIGHTEST, "the ground", step=0.05, form="Ground", slide=3)
    horizon: float = number(
        4.0, 0, 90, "how soft the horizon is", "degrees", step=1, form="Soft horizon, °", slide=60
    )
    lamp_light: float = number(3.0, 0, BRIGHTEST, "the lamp", step=0.1, form="Lamp", slide=5)
    lamp_size: float = number(
        20.0, 0.5, 180, "the lamp's size", "degrees", step=0.5, form="Size of the lamp, °", slide=120
    )
    glow_light: float = number(0.0, 0, BRIGHTEST, "the glow", step=0.1, form="Glow", slide=5)

    def __post_init__(self) -> None:
        checked(self)


def controls_of(world: World) -> WorldControls:
    """A world as a painter changes it."""
    lamp, glow = world.lamp or Disc(brightness=0.0), world.glow.brightness if world.glow else 0.0
    sky = world.sky[0][1], world.sky[-1][1]
    return WorldControls(*sky, world.ground, world.horizon_sharpness, lamp.brightness, lamp.size, glow)


def with_controls(world: World, settings: Mapping[str, Any], view: tuple[float, float]) -> World:
    """A world with some of WorldControls changed; `drag` ("lamp,x,y" or "glow,x,y") puts one where a mirror ball
    shows it.

    Raises:
        SettingError: outside its range, or no such place.
    """
    given = {k: settings[k] for k in (f.name for f in fields(WorldControls)) if k in settings}
    if given:
        controls = built(WorldControls, {**plain(controls_of(world)), **given}, "the world")
        sky = ((world.sky[0][0], controls.sky_low), *world.sky[1:-1], (world.sky[-1][0], controls.sky_high))
        lamp, glow = world.lamp, world.glow
        if "lamp_light" in given or "lamp_size" in given:
            lamp = replace(lamp or Disc(), brightness=controls.lamp_light, size=controls.lamp_size)
        if "glow_light" in given:
            glow = replace(glow or ACCENT, brightness=controls.glow_light) if controls.glow_light else None
        world = World(sky, controls.ground, controls.horizon, lamp, glow)
    if "drag" in settings:
        try:
            which, x, y = str(settings["drag"]).split(",")
            world = with_disc_at(world, which, float(x), float(y), view)
        except ValueError as e:
            if isinstance(e, SettingError):
                raise
            raise SettingError("where it was dragged to did not arrive; reload the page") from e
    return world


def world_from(content: bytes) -> World:
    """A world in a JSON file.

    Raises:
        SettingError: it is none, or garbled.
    """

    def no_number(word: str) -> float:
        raise SettingError(f"this world holds {word}, which is no number")

    if len(content) > MOST_BYTES:
        raise SettingError("a world is a small file; this is something else")
    try:
        given: Any = json.loads(content, parse_constant=no_number)
    except SettingError:
        raise
    except (ValueError, RecursionError) as e:
        raise SettingError("this world is no JSON, or is cut short") from e
    if not isinstance(given, dict):
        raise SettingError("a world is a JSON object with sky, ground, horizon_sharpness and lamp")
    return built(World, given, "the world")


def world_called(name: str) -> World:
    """A world by its name.

    Raises:
        SettingError: there is none.
    """
    if name not in WORLDS:
        raise SettingError(f"a world is one of {', '.join(WORLDS)}, or a JSON file, not '{name[:40]}'")
    return WORLDS[name]


def mirrored(
    surface: Surface, visibility: Visibility | None, view: tuple[float, float], world: World, roughness: float
) -> NDArray[np.float32]:
    """(N,) what each spot shows toward a far view (azimuth, elevation), in the world's unit.

    A surface that loses nothing: in a world that is 1 everywhere it shows 1 at every roughness. Where a direction is
    hidden by the sculpt itself, the mean of the world comes from there.

    Args:
        visibility: None where nothing hides anything. roughness: 0 (a mirror) to 1.
    Raises:
        SettingError: roughness outside 0 to 1.
    """
    if not 0 <= roughness <= 1:
        raise SettingError(f"roughness is between 0 and 1, not {roughness:g}")
    eye = direction_of(*view).astype(np.float64)
    axis = (np.arange(GRID) + 0.5) / GRID * 2 - 1
    x, y = np.meshgrid(axis, axis, indexing="ij")
    ways = _from_square(np.stack([x.ravel(), y.ravel()], axis=1))
    shown = world.seen(ways).astype(np.float64)
    body = float(shown.mean())
    if visibility is None:
        nearest, bits = np.zeros(len(ways), np.int64), np.full((1, 1), 255, np.uint8)
    else:
        nearest = tree_of(visibility.directions).query(ways)[1].astype(np.int64)
        bits = visibility.bits
    alpha = float(roughness) ** 2
    if alpha < MIRROR**2:
        return _mirror(surface, bits, visibility is not None, eye, world, nearest, body)
    k = np.arange(LOBE) + 0.5
    r, turn = np.sqrt(k / LOBE), 2 * np.pi * ((k * 0.6180339887498949) % 1.0)
    pairs = np.stack([r * np.cos(turn), r * np.sin(turn)], axis=1)
    normals = surface.normals.astype(np.float64)
    return _lobe(normals, bits, visibility is not None, eye, alpha, pairs, shown, nearest, body).astype(np.float32)


def _mirror(
    surface: Surface, bits: NDArray, hides: bool, eye: NDArray, world: World, nearest: NDArray, body: float
) -> NDArray[np.float32]:
    """One direction each, and the world asked itself: its horizon is where the mirrored view is level."""
    n = surface.normals.astype(np.float64)
    cosine = n @ eye
    view = np.where((cosine < GRAZING)[:, None], eye - n * (cosine - GRAZING)[:, None], eye)
    view /= np.maximum(np.linalg.norm(view, axis=1), 1e-12)[:, None]
    toward = 2 * np.einsum("ij,ij->i", view, n)[:, None] * n - view
    out = world.seen(toward)
    if hides:
        j = nearest[_cells(toward)]
        free = (bits[np.arange(len(n)), j // 8] >> (j % 8)) & 1
        out = np.where(free == 1, out, body)
    return out.astype(np.float32)


def _from_square(uv: NDArray) -> NDArray[np.float64]:
    """(K, 3) unit vectors of the octahedral map of (K, 2) in −1..1. Source: Meyer and others (2010)."""
    z = 1 - np.abs(uv).sum(axis=1)
    fold = np.maximum(-z, 0)
    xy = uv - np.sign(uv) * fold[:, None]
    out = np.column_stack([xy, z])
    return out / np.linalg.norm(out, axis=1)[:, None]


def _cells(toward: NDArray) -> NDArray[np.int64]:
    """(K,) cells of that map."""
    d = toward / np.abs(toward).sum(axis=1)[:, None]
    under = d[:, 2] < 0
    xy = d[:, :2].copy()
    flipped = (1 - np.abs(d[:, 1::-1])) * np.where(d[:, :2] >= 0, 1.0, -1.0)
    xy[under] = flipped[under]
    ij = np.clip(((xy + 1) / 2 * GRID).astype(np.int64), 0, GRID - 1)
    return ij[:, 0] * GRID + ij[:, 1]


@numba.njit(cache=True, parallel=True, fastmath=True)
def _lobe(normals, bits, hides, eye, alpha, pairs, shown, nearest, body):
    out = np.zeros(len(normals))
    grid = GRID
    for i in numba.prange(len(normals)):
        nx, ny, nz = normals[i]
        if nx * nx + ny * ny + nz * nz < 0.5:
            continue
        # a frame round the normal (Duff and others, 2017)
        sign = 1.0 if nz >= 0 else -1.0
        a = -1.0 / (sign + nz)
        b = nx * ny * a
        tx, ty, tz = 1.0 + sign * nx * nx * a, sign * b, -sign * nx
        sx, sy, sz = b, sign + ny * ny * a, -ny
        vx = eye[0] * tx + eye[1] * ty + eye[2] * tz
        vy = eye[0] * sx + eye[1] * sy + eye[2] * sz
        vz = max(eye[0] * nx + eye[1] * ny + eye[2] * nz, GRAZING)
        scale = 1.0 / np.sqrt(vx * vx + vy * vy + vz * vz)
        vx, vy, vz = vx * scale, vy * scale, vz * scale
        # visible normals, by Heitz (2018)
        hx, hy, hz = alpha * vx, alpha * vy, vz
        scale = 1.0 / np.sqrt(hx * hx + hy * hy + hz * hz)
        hx, hy, hz = hx * scale, hy * scale, hz * scale
        flat = hx * hx + hy * hy
        if flat > 1e-14:
            ax, ay = -hy / np.sqrt(flat), hx / np.sqrt(flat)
        else:
            ax, ay = 1.0, 0.0
        bx, by, bz = -hz * ay, hz * ax, hx * ay - hy * ax
        total = weight = 0.0
        # what looks away from the view is painted too, but nobody sees it from there: a quarter of the lobe will do
        stride = 1 if eye[0] * nx + eye[1] * ny + eye[2] * nz > 0 else AWAY
        for k in range(0, len(pairs), stride):
            p, q = pairs[k, 0], pairs[k, 1]
            s = 0.5 * (1 + hz)
            q = (1 - s) * np.sqrt(max(1 - p * p, 0.0)) + s * q
            o = np.sqrt(max(1 - p * p - q * q, 0.0))
            mx = alpha * (p * ax + q * bx + o * hx)
            my = alpha * (p * ay + q * by + o * hy)
            mz = max(q * bz + o * hz, 1e-6)
            scale = 1.0 / np.sqrt(mx * mx + my * my + mz * mz)
            mx, my, mz = mx * scale, my * scale, mz * scale
            dot = vx * mx + vy * my + vz * mz
            lx, ly, lz = 2 * dot * mx - vx, 2 * dot * my - vy, 2 * dot * mz - vz
            if lz <= 0:
                continue
            w = 2.0 / (
                1.0 + np.sqrt(1.0 + alpha * alpha * (lx * lx + ly * ly) / (lz * lz))
            )  # shadowing of the way out
            dx = lx * tx + ly * sx + lz * nx
            dy = lx * ty + ly * sy + lz * ny
            dz = lx * tz + ly * sz + lz * nz
            size = abs(dx) + abs(dy) + abs(dz)
            u, v = dx / size, dy / size
            if dz < 0:
                u, v = (
                    (1 - abs(dy / size)) * (1.0 if dx >= 0 else -1.0),
                    (1 - abs(dx / size)) * (1.0 if dy >= 0 else -1.0),
                )
            cell = min(int((u + 1) / 2 * grid), grid - 1) * grid + min(int((v + 1) / 2 * grid), grid - 1)
            light = shown[cell]
            if hides:
                j = nearest[cell]
                if not (bits[i, j // 8] >> (j % 8)) & 1:
                    light = body
            total += w * light
            weight += w
        out[i] = total / weight if weight > 0 else body
    return out
