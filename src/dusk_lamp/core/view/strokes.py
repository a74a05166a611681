"""Strokes: small arrows on a step's picture that say which way the brush is pulled (CP-17, CP-31, CP-43)."""

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from ..coat.coat import Coat
from .raster import SOFTEN, Snapshot, averaged

Arrow = tuple[float, float, float, float]  # from x, y to x, y in pixels of the picture
APART_PX, LONG_PX, SOFT_PX = 52, 24.0, 7.0  # of a picture; an arrow a brush's stroke, not every stroke
FLAT = 0.004  # of a value for a pixel: less than that points nowhere
WITHIN = 0.55  # of what lies round an arrow's middle must be painted
MOST = 24
HEAD = (0.38, 0.24)  # of an arrow's length: how long its head is, and half as wide


def pull_of(coat: Coat, below: Coat | None, value: NDArray[np.float32]) -> NDArray[np.float32] | None:
    """(N,) a field that rises toward where a brushed coat should end strongest: toward the light for what is lighter
    than the coat below, into the dark for what is darker. None where the stroke has no direction: what floods, dots
    or is laid first and even.

    value: (N,) of the target.
    """
    if below is None or not coat.by.even or coat.by.primes or coat.mix.clear:
        return None
    return value if coat.mix.colour.value >= below.mix.colour.value else -value


def arrows(shot: Snapshot, pull: NDArray[np.float32], on: NDArray[np.bool_]) -> list[Arrow]:
    """Arrows on the marked samples (N,) of a view, along the way a field (N,) rises; pixels of the smoothed
    picture."""
    rows, columns, near = shot.close
    marked = (near.seen & near.nearest(on))[..., None]
    if not marked.any():
        return []
    share = averaged(marked)[..., 0]
    weight = _soft(share)
    soft = _soft(averaged(np.where(marked, near.field(pull[:, None]), np.float32(0)))[..., 0])
    slopes = np.gradient(soft / np.maximum(weight, np.float32(1e-3)))
    down, across = np.asarray(slopes[0]), np.asarray(slopes[1])
    steep = np.hypot(across, down)
    good = (share > 0) & (weight > WITHIN) & (steep > FLAT)
    top, left = rows.start // SOFTEN, columns.start // SOFTEN
    found = []
    for y0 in range(0, good.shape[0], APART_PX):
        for x0 in range(0, good.shape[1], APART_PX):
            places = np.argwhere(good[y0 : y0 + APART_PX, x0 : x0 + APART_PX])
            if not len(places):
                continue
            best = places[np.abs(places - APART_PX / 2).sum(axis=1).argmin()]
            y, x = int(y0 + best[0]), int(x0 + best[1])
            dx, dy = (float(way[y, x] / steep[y, x] * LONG_PX / 2) for way in (across, down))
            mx, my = x + left, y + top
            found.append((float(weight[y, x]), (mx - dx, my - dy, mx + dx, my + dy)))
    found.sort(key=lambda one: -one[0])
    return [arrow for _, arrow in found[:MOST]]


def _soft(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), SOFT_PX, borderType=cv2.BORDER_CONSTANT), np.float32)


def with_arrows(picture: NDArray[np.uint8], drawn: list[Arrow]) -> NDArray[np.uint8]:
    """(H, W, 3) the picture with arrows, dark on a light rim, so that they are seen on any colour and in grey."""
    if not drawn:
        return picture
    image = Image.fromarray(picture)
    pen = ImageDraw.Draw(image)
    for width, ink in ((4, (255, 250, 238)), (2, (24, 20, 18))):
        for x0, y0, x1, y1 in drawn:
            dx, dy = x1 - x0, y1 - y0
            long, half = HEAD[0] + (0.06 if width > 2 else 0), HEAD[1] + (0.06 if width > 2 else 0)
            foot = (x1 - long * dx, y1 - long * dy)
            pen.line((x0, y0, *foot), fill=ink, width=width)
            pen.polygon(
                [(x1, y1), (foot[0] - half * dy, foot[1] + half * dx), (foot[0] + half * dy, foot[1] - half * dx)],
                fill=ink,
            )
    return np.asarray(image)
