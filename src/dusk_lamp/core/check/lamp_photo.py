"""Where the desk lamp shines, by a photo of the primed model under it."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from ..directions import angles_of, fibonacci_sphere, frame_round, from_words
from ..errors import SettingError
from ..light.key import key_light_at
from ..light.lamp import Lamp
from ..light.rig import STRONGEST_SKY, Rig
from ..light.sky import sky_light
from ..paint.colour import RGB_TO_XYZ
from ..plain import rounded
from ..sculpt.mesh import evenly
from ..sculpt.site import Site
from .compare import GRAZING, LEAST_SPOTS, _inside
from .perspective import seen_by
from .photo import Photo
from .pinhole import Pinhole

COARSE, MOST_SPOTS = 240, 4000  # directions that are tried first, spots that are compared
LOWEST = -0.35  # sine: a desk lamp does not shine from below the table
CLOSER = (12.0, 6.0, 3.0)  # degrees that the best direction is moved by
SIZES = (0.0, 8.0, 20.0, 40.0)  # degrees across


@dataclass(frozen=True)
class LampFound:
    """lamp: where it shines from, and how large it is. ambient: the share of light that comes from all over. off:
    what is left unexplained, as a share of the light. sure: degrees, about, that the direction may be off."""

    lamp: Lamp
    ambient: float = rounded(3)
    off: float = rounded(3)
    sure: float = rounded(1)

    @property
    def words(self) -> str:
        """In a sentence."""
        return (
            f"The lamp shines {from_words(self.lamp.azimuth, self.lamp.elevation)}, give or take {self.sure:.0f}°; "
            f"{100 * self.ambient:.0f} % of the light comes from all over."
        )

    def rig(self, rig: Rig) -> Rig:
        """A rig with this lamp, and as much sky beside it as the photo has."""
        sky = min(STRONGEST_SKY, self.ambient / max(1 - self.ambient, 1e-3))
        return replace(rig, lamp=self.lamp, sky=round(sky, 2))


def lamp_of(site: Site, reflectance: NDArray | float, photo: Photo, camera: Pinhole) -> LampFound:
    """The lamp that lights a model in a photo best, with light from all over beside it.

    For every direction the light of a lamp there, shadows and all, and that of an open sky are mixed so that they
    come nearest to the photo (non-negative least squares); the best is looked at more closely, then its size.

    Args:
        reflectance: (N,) or one number, of the model as it is, 0..1.

    Raises:
        SettingError: too little of the model is in sight.
    """
    if site.visibility is None:
        raise SettingError("the sculpt is still being looked at; try again in a moment")
    width, height = photo.size
    shot = seen_by(site.surface, camera, width, height)
    pixels = np.where(shot.seen, shot.nearest(np.arange(len(site), dtype=np.int32)), -1)
    good = _inside(shot.seen) & ~(photo.levels >= 252).any(axis=2)
    rows, spots = np.flatnonzero(good.ravel()), pixels[good]
    count = np.bincount(spots, minlength=len(site))
    light = np.bincount(spots, (photo.light @ RGB_TO_XYZ.T[:, 1].astype(np.float32)).ravel()[rows], len(site))
    away = np.asarray(camera.position) - site.surface.points
    facing = (site.surface.normals * away).sum(axis=1) / np.linalg.norm(away, axis=1)
    chosen = np.flatnonzero((count > 0) & (facing > GRAZING) & site.paintable)
    if len(chosen) < LEAST_SPOTS:
        raise SettingError("too little of the model is in sight in this photo; take it nearer")
    chosen = evenly(chosen, MOST_SPOTS)
    shown = np.broadcast_to(np.asarray(reflectance, float), (len(site),))[chosen]
    seen = light[chosen] / count[chosen] / np.maximum(shown, 1e-3)
    weight = np.sqrt(site.areas[chosen].astype(float) * facing[chosen])
    sky = sky_light(site.surface, site.visibility)[chosen].astype(float)
    below = np.clip(1 - site.surface.normals[chosen, 2], 0, 2) / 2 * sky.mean()

    origins, normals = site.surface.origins[chosen], site.surface.normals[chosen]

    def misses(direction: NDArray, size: float) -> tuple[float, NDArray]:
        lamp = _lamp(direction, size)
        key = key_light_at(origins, normals, site.surface.caster, lamp).light.astype(float)
        table = np.column_stack([key, sky, below]) * weight[:, None]
        share, rest = nnls(table, seen * weight)
        return float(rest), share

    sphere = fibonacci_sphere(COARSE).astype(float)
    tried = [(misses(d, 0.0)[0], d) for d in sphere[sphere[:, 2] > LOWEST]]
    best, direction = min(tried, key=lambda t: t[0])
    for step in CLOSER:
        for _ in range(4):
            around = _around(direction, step)
            rest, moved = min(((misses(d, 0.0)[0], d) for d in around), key=lambda t: t[0])
            if rest >= best:
                break
            best, direction = rest, moved
    size = min(SIZES, key=lambda s: misses(direction, s)[0])
    rest, share = misses(direction, size)
    key, all_over = share[0], share[1] + share[2]
    whole = float(np.linalg.norm(seen * weight))
    if key <= 1e-6:
        raise SettingError("no lamp can be made out in this photo: the light comes from all over")
    ambient = float(all_over / max(key + all_over, 1e-9))
    return LampFound(_lamp(direction, size), ambient, rest / max(whole, 1e-9), _sure(misses, direction, size, rest))


def _lamp(direction: NDArray, size: float) -> Lamp:
    azimuth, elevation = angles_of(direction)
    return Lamp(round(azimuth, 2), round(elevation, 2), size)


def _around(direction: NDArray, degrees: float) -> list[NDArray]:
    side, other = frame_round(direction)
    out = []
    for turn in np.arange(8) * np.pi / 4:
        moved = direction + np.tan(np.radians(degrees)) * (np.cos(turn) * side + np.sin(turn) * other)
        out.append(moved / np.linalg.norm(moved))
    return out


def _sure(
    misses: Callable[[NDArray, float], tuple[float, NDArray]], direction: NDArray, size: float, rest: float
) -> float:
    """Degrees that the lamp can be moved until it explains a twentieth less."""
    for degrees in (3.0, 6.0, 10.0, 16.0, 25.0):
        if min(misses(d, size)[0] for d in _around(direction, degrees)[::2]) > 1.05 * rest + 1e-9:
            return degrees
    return 40.0
