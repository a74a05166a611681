"""Where a photo was taken from: matched points of the photo and of the sculpt (perspective-n-point)."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from ..errors import SettingError
from ..plain import rounded
from .pinhole import Pinhole

LEAST_POINTS, MOST_POINTS = 4, 60
LENSES = np.geomspace(0.6, 8.0, 30)  # focal lengths that are tried, in longer sides of the picture
USUAL_LENS, LENS_SIGMA, KNOWN_SIGMA = (
    1.0,
    0.8,
    0.03,
)  # of phones, about 36 mm; one sigma of its logarithm. From memory
HAND_PX = 2.0  # one sigma of a click, in a picture 1400 pixels wide
MOST_LENS = 10.0  # a mirrored photo fits only a lens far longer than any: by it depth hardly shows
CONTRADICT = 0.006  # of the longer side: points that are further off on average contradict each other
FREE_DISTORTION = 9  # points from which on a lens's distortion is fitted too


@dataclass(frozen=True)
class Pose:
    """camera: that the photo was taken with. off: (P,) pixels that each point misses by. outliers: numbers of points
    that were left out, because they contradict the others."""

    camera: Pinhole
    off: NDArray[np.float64]
    outliers: tuple[int, ...] = ()
    reprojection_px: float = rounded(2, 0.0)


def pose_of(photo: NDArray, sculpt: NDArray, size: tuple[int, int], lens_px: float | None = None) -> Pose:
    """The camera that sees places (P, 3) mm at pixels (P, 2) of a picture of such a size.

    Every focal length is tried with OpenCV's SQPnP, the best is refined together with the focal length, softly, so
    that a point that is wrong does not spoil the others; one that contradicts them is left out. lens_px: the focal
    length that the camera wrote down, known to some hundredths; None where it did not.

    Raises:
        SettingError: too few points, points in a line, or points that contradict each other.
    """
    photo, sculpt = np.asarray(photo, float).reshape(-1, 2), np.asarray(sculpt, float).reshape(-1, 3)
    _checked(photo, sculpt)
    side = float(max(size))
    unit = side / 1400 * HAND_PX
    keep = np.arange(len(photo))
    best = _best(photo, sculpt, size, lens_px, unit)
    off = np.linalg.norm(best.project(sculpt)[0] - photo, axis=1)
    worst = int(np.argmax(off))
    if len(photo) >= 6 and off[worst] > max(6 * unit, 4 * float(np.median(off))):
        rest = np.delete(keep, worst)
        again = _best(photo[rest], sculpt[rest], size, lens_px, unit)
        err = np.linalg.norm(again.project(sculpt[rest])[0] - photo[rest], axis=1)
        if np.sqrt((err**2).mean()) < 0.5 * np.sqrt((off**2).mean()):
            keep, best = rest, again
    off = np.linalg.norm(best.project(sculpt)[0] - photo, axis=1)
    rms = float(np.sqrt((off[keep] ** 2).mean()))
    too_long = lens_px is None and best.focal_px > MOST_LENS * side
    if rms > CONTRADICT * side or too_long:
        raise SettingError(
            "the points contradict each other: one lies elsewhere on the sculpt than in the photo, or the photo is "
            "mirrored; match them again"
        )
    gone = tuple(int(k) for k in range(len(photo)) if k not in set(keep.tolist()))
    return Pose(best, off, gone, rms)


def _checked(photo: NDArray, sculpt: NDArray) -> None:
    if len(photo) != len(sculpt) or len(photo) < LEAST_POINTS:
        raise SettingError(
            f"match at least {LEAST_POINTS} points of the photo with the sculpt; there are {len(photo)}"
        )
    if len(photo) > MOST_POINTS:
        raise SettingError(f"{MOST_POINTS} points are enough; leave some out")
    if not (np.isfinite(photo).all() and np.isfinite(sculpt).all()):
        raise SettingError("a point that is no place cannot be matched; click again")
    for places in (photo, sculpt):
        spread = np.linalg.svd(places - places.mean(axis=0), compute_uv=False)
        if spread[1] < 0.02 * spread[0] or spread[0] < 1e-6:
            raise SettingError("the points lie in a line, or on each other; spread them over the model")


def _best(photo: NDArray, sculpt: NDArray, size: tuple[int, int], lens_px: float | None, unit: float) -> Pinhole:
    side = float(max(size))
    lenses = [lens_px * n for n in (0.95, 1.0, 1.05)] if lens_px else [side * n for n in LENSES]
    found: list[tuple[float, NDArray, NDArray, float]] = []
    for focal in lenses:
        matrix = np.array([[focal, 0, size[0] / 2], [0, focal, size[1] / 2], [0, 0, 1]], float)
        try:
            ok, turns, moves, _ = cv2.solvePnPGeneric(sculpt, photo, matrix, None, flags=cv2.SOLVEPNP_SQPNP)
        except cv2.error:
            continue
        for turn, move in zip(turns, moves, strict=True) if ok else ():
            seen = cv2.projectPoints(sculpt, turn, move, matrix, None)[0].reshape(-1, 2)
            depth = sculpt @ cv2.Rodrigues(turn)[0][2] + float(move[2, 0])
            if (depth > 0).all():
                cost = float((((seen - photo) / unit) ** 2).sum()) + _lens_off(focal / side, side, lens_px) ** 2
                found.append((cost, turn, move, focal))
    if not found:
        raise SettingError("no camera sees the points like that; match them again, spread over the model")
    found.sort(key=lambda f: f[0])
    tried = [_refined(photo, sculpt, size, f, lens_px, unit) for f in found[:3]]
    return min(tried, key=lambda t: t[0])[1]


def pose_refined(photo: NDArray, sculpt: NDArray, camera: Pinhole) -> Pinhole:
    """A camera moved a little so that places (P, 3) mm come to lie at pixels (P, 2)."""
    rows = camera.rows
    turn, side = cv2.Rodrigues(rows)[0], float(max(camera.width, camera.height))
    move = -rows @ np.asarray(camera.position, float)
    x0 = np.concatenate([turn.ravel(), move, [np.log(camera.focal_px / side)]])

    def camera_at(x: NDArray) -> Pinhole:
        turned = cv2.Rodrigues(x[:3])[0]
        eye = -turned.T @ x[3:6]
        focal = side * float(np.exp(x[6]))
        size = (camera.width, camera.height)
        return Pinhole(_three(eye), _three(turned[2]), _three(-turned[1]), focal, *size, camera.k1)

    def misses(x: NDArray) -> NDArray:
        lens = (x[6] - x0[6]) / 0.1  # distance and lens do nearly the same: what was fitted first holds
        return np.concatenate([(camera_at(x).project(sculpt)[0] - photo).ravel(), [lens]])

    scale = np.concatenate([[0.01] * 3, [1.0] * 3, [0.05]])
    return camera_at(least_squares(misses, x0, loss="soft_l1", x_scale=scale, max_nfev=60).x)


def _lens_off(share: float, side: float, known: float | None) -> float:
    """How far a focal length, in longer sides, is from what is known of it, in sigmas."""
    usual, sigma = (known / side, KNOWN_SIGMA) if known else (USUAL_LENS, LENS_SIGMA)
    return float(np.log(share / usual) / sigma)


def _refined(
    photo: NDArray,
    sculpt: NDArray,
    size: tuple[int, int],
    start: tuple[float, NDArray, NDArray, float],
    lens_px: float | None,
    unit: float,
) -> tuple[float, Pinhole]:
    """The camera from a first guess by least squares, with a soft loss; its cost."""
    _, turn, move, focal = start
    side = float(max(size))
    bent = len(photo) >= FREE_DISTORTION

    def camera(x: NDArray) -> Pinhole:
        turned = cv2.Rodrigues(x[:3])[0]
        eye = -turned.T @ x[3:6]
        long = side * float(np.exp(x[6]))
        return Pinhole(_three(eye), _three(turned[2]), _three(-turned[1]), long, *size, float(x[7]) if bent else 0.0)

    def misses(x: NDArray) -> NDArray:
        tried = camera(x)
        off = (tried.project(sculpt)[0] - photo).ravel() / unit
        lens = _lens_off(tried.focal_px / side, side, lens_px)
        return np.concatenate([off, [lens], [x[7] / 0.15] if bent else []])

    x0 = np.concatenate([turn.ravel(), move.ravel(), [np.log(focal / side)], [0.0] if bent else []])
    scale = np.concatenate([[0.01] * 3, [1.0] * 3, [0.05], [0.02] if bent else []])
    solved = least_squares(misses, x0, loss="soft_l1", f_scale=2.0, x_scale=scale, max_nfev=200)
    return float(solved.cost), camera(solved.x)


def _three(v: NDArray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def points_from(given: Sequence[Any]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Matched points of a list of {"photo": [x, y], "sculpt": [x, y, z]}.

    Raises:
        SettingError: it is none.
    """
    try:
        photo = [[float(n) for n in p["photo"]] for p in given]
        sculpt = [[float(n) for n in p["sculpt"]] for p in given]
    except (TypeError, KeyError, ValueError) as e:
        raise SettingError('points are a list such as [{"photo": [x, y], "sculpt": [x, y, z]}]') from e
    if any(len(p) != 2 for p in photo) or any(len(s) != 3 for s in sculpt):
        raise SettingError("a point has two numbers in the photo and three on the sculpt")
    return np.array(photo).reshape(-1, 2), np.array(sculpt).reshape(-1, 3)
