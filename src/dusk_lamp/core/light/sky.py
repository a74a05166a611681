"""The sky: the light of its upper half, weighed by what each spot sees of it."""

import numba
import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..rays import in_threads
from ..sculpt.surface import Surface
from ..sculpt.visibility import Visibility

KINDS = ("uniform", "overcast")


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


def open_dome(kind: str, up: NDArray[np.float32]) -> NDArray[np.float32]:
    """(N,) light of a dome nothing stands before, for spots whose normal rises by `up` (N,), −1..1.

    At tilt β, uniform: (1 + cos β)/2; overcast: 3/14 (1 + cos β) + 4/(7π) (sin β + (π − β) cos β), from
    Moon and Spencer's sky integrated over the half of it that the spot faces.
    """
    if kind == "uniform":
        return ((1 + up) / 2).astype(np.float32)
    rise = np.clip(np.asarray(up, np.float64), -1, 1)
    level = np.sqrt(1 - rise**2) + (np.pi - np.arccos(rise)) * rise
    return (3 / 14 * (1 + rise) + 4 / (7 * np.pi) * level).astype(np.float32)


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


def seen_share(surface: Surface, view: Visibility, weight: NDArray[np.float32]) -> NDArray[np.float32]:
    """(N,) 0..1: of the light that directions of these weights (D,) could bring a spot, the share that arrives."""
    out = np.zeros(len(surface), np.float32)
    cuts = np.linspace(0, len(surface), 9).astype(int)
    weight = weight.astype(np.float32)
    in_threads(
        lambda k: _gather(surface.normals, view.bits, view.directions, weight, cuts[k], cuts[k + 1], out), range(8)
    )
    return out


def sky_light(surface: Surface, view: Visibility, kind: str = "uniform") -> NDArray[np.float32]:
    """(N,) float32 light of the upper half of the sky, relative: 1 on an upward plane under the open dome.

    The open value is exact and only the share that is hidden is sampled, so a convex body is right to rounding.
    """
    weight = luminance(kind, view.directions[:, 2].astype(np.float64))
    return open_dome(kind, surface.normals[:, 2]) * seen_share(surface, view, weight)
