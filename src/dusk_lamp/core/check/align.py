"""Laying the sculpt exactly over the photo: from a pose by a few clicks to one that fits to a pixel."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..paint.colour import RGB_TO_XYZ, XYZ_TO_RGB, xyz
from ..sculpt.mesh import evenly
from ..sculpt.site import Site
from .compare import room_light
from .perspective import seen_by
from .photo import Photo
from .pinhole import Pinhole
from .pose import pose_refined

SIDE = 640  # pixels of the longer side that are laid over each other
POINTS = 400  # of the sculpt that carry the correction back to the camera
ROUNDS = 2
STEPS, ENOUGH = 40, 1e-4  # of the alignment
FARTHEST = 0.02  # of the longer side: a correction that is larger is none
BLUR = 5  # pixels, so that the alignment is drawn from further off


def aligned(site: Site, reflectance: NDArray[np.float32], photo: Photo, camera: Pinhole) -> Pinhole:
    """The camera corrected so that the predicted picture lies on the photo.

    The predicted picture, in the light that was fitted to the photo, is warped onto it (enhanced correlation
    coefficient, Evangelidis and Psarakis 2008, by OpenCV), and the camera is fitted again to where places of the
    sculpt come to lie. A correction that is too large is none. camera: in the photo's own pixels.
    """
    wanted = np.maximum(xyz(reflectance) @ XYZ_TO_RGB.T, 1e-4)
    bright = (wanted @ RGB_TO_XYZ.T[:, 1]).astype(np.float32)
    shrunk = max(1.0, max(photo.size) / SIDE)
    size = (round(photo.size[0] / shrunk), round(photo.size[1] / shrunk))
    full = photo.light @ RGB_TO_XYZ.T[:, 1].astype(np.float32)
    grey = np.asarray(cv2.resize(full, size, interpolation=cv2.INTER_AREA), np.float32)
    best = camera
    for _ in range(ROUNDS):
        again = _once(site, bright, grey, best.sized(*size))
        if again is None:
            break
        best = again.sized(*photo.size)
    return best


def _once(site: Site, bright: NDArray[np.float32], grey: NDArray[np.float32], camera: Pinhole) -> Pinhole | None:
    width, height = camera.width, camera.height
    shot = seen_by(site.surface, camera, width, height)
    if shot.seen.sum() < 400:
        return None
    light = room_light(site, bright, shot, grey)
    if light is None:
        return None
    drawn = shot.field(bright * light)
    mask = cv2.erode(shot.seen.astype(np.uint8), np.ones((3, 3), np.uint8)) * np.uint8(255)
    level = float(np.quantile(drawn[shot.seen], 0.9)) + 1e-6
    template, picture = (np.sqrt(np.clip(p / level, 0, 2)).astype(np.float32) for p in (drawn, grey))
    ground = float(np.median(picture[~shot.seen])) if (~shot.seen).any() else 0.0
    template[~shot.seen] = ground
    how = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, STEPS, ENOUGH)
    whole = cv2.dilate(mask, np.ones((9, 9), np.uint8))
    left, top, wide, high = cv2.boundingRect(whole)  # only what is drawn is laid over the picture
    warp: Any = _moved(left, top)
    try:
        part = np.ascontiguousarray(template[top : top + high, left : left + wide])
        _, warp = cv2.findTransformECC(part, picture, warp, cv2.MOTION_HOMOGRAPHY, how, whole, BLUR)
    except cv2.error:
        return None
    warp = warp @ _moved(-left, -top)
    spots = evenly(np.unique(shot.corners[shot.seen][:, 0]), POINTS)
    places = site.surface.points[spots].astype(float)
    at = camera.project(places)[0]
    moved = np.asarray(cv2.perspectiveTransform(at[None].astype(np.float32), warp)[0], float)
    if np.median(np.linalg.norm(moved - at, axis=1)) > FARTHEST * max(width, height):
        return None
    return pose_refined(moved, places, camera)


def _moved(right: int, down: int) -> NDArray[np.float32]:
    """(3, 3) that moves places of a picture by so many pixels."""
    return np.array([[1, 0, right], [0, 1, down], [0, 0, 1]], np.float32)
