"""The pictures of a plan: the model as painted so far, and where the next film goes marked against it."""

import numba
import numpy as np
from numpy.typing import NDArray

from ..paint.value import grey_srgb
from ..sculpt.site import Site
from .camera import VIEWS, Camera
from .raster import SOFTEN, Snapshot, snapshot
from .strokes import arrows, with_arrows

MARK = np.array([242, 168, 58], np.float32)  # lamplight amber; its grey differs from every neighbour it lies on
HATCH_PX, HATCH_WIDTH_PX = 9, 2.2  # rising lines, so that the mark survives a black-and-white printer
PICTURE_SIZE = (330, 440)  # of a sheet's pictures
SEEN_SHARE = 0.35  # of the thickest film: thinner than this nobody sees it going on
MIDDLE_GREY = 6.5  # Munsell value that marks show on
PAPER, GROUND = 255, 119  # white, and the middle grey of the bench
INK, OUTLINE = np.float32(30), np.float32(60)  # levels of the outlines of what is marked, and of the sculpt


def plan_snapshot(site: Site, camera: Camera, width: int, height: int, zoom_height: float) -> Snapshot:
    """One view of the sculpt, as every step's picture from this side needs it."""
    return snapshot(site.surface, camera, width * SOFTEN, height * SOFTEN, zoom_height=zoom_height)


def sheet_shot(site: Site, camera: Camera, display: Camera, size: tuple[int, int] = PICTURE_SIZE) -> Snapshot:
    """One view at the size and scale of a sheet's pictures: whichever view needs the most room sets it for all."""
    outermost = site.surface.outermost
    cameras = [*(Camera.named(name) for name in VIEWS), display]
    tall = max(float(np.ptp(outermost @ c.up)) for c in cameras)
    wide = max(float(np.ptp(outermost @ c.right)) for c in cameras)
    return plan_snapshot(site, camera, *size, max(tall, wide * size[1] / size[0]))


def coat_picture(
    site: Site,
    shot: Snapshot,
    camera: Camera,
    film: NDArray[np.float32],
    before: NDArray[np.uint8],
    after: NDArray[np.uint8],
    paper: int = PAPER,
    whole: bool = True,
    pull: NDArray[np.float32] | None = None,
    drawn_out: bool = False,
) -> NDArray[np.uint8]:
    """A coat's picture: the model before it (N, 3) with its film (N,) marked, and arrows along the strokes where a
    field (N,) says which way they are pulled; what goes everywhere alike has no place to mark, and what it comes to
    is shown instead, unless that is shown beside it (whole=False). drawn_out: whether it is pulled thinner toward its
    edge, where lines alone are drawn."""
    on = where_it_shows(film)
    thin = (film > 0) & ~on if drawn_out and on.any() else None
    drawn = step_picture(site, shot, camera, before if on.any() or not whole else after, on, paper, thin)
    return drawn if pull is None else with_arrows(drawn, arrows(shot, pull[site.shown], on[site.shown]))


def where_it_shows(film: NDArray[np.float32]) -> NDArray[np.bool_]:
    """(N,) where a film lies that one would see going on; nowhere in particular where it lies everywhere alike."""
    covered = film[film > 0]  # of a small region too: the rest of the model says nothing of how thick it lies
    thick = float(np.percentile(covered, 95)) if len(covered) else 0.0
    on = film > SEEN_SHARE * thick
    return on if thick > 0 and not on.all() else np.zeros(len(film), np.bool_)


def step_picture(
    site: Site,
    shot: Snapshot,
    camera: Camera,
    levels: NDArray[np.uint8],
    on: NDArray[np.bool_],
    paper: int = PAPER,
    thin: NDArray[np.bool_] | None = None,
) -> NDArray[np.uint8]:
    """(H, W, 3) uint8 picture on paper white, or another grey: what is there, and where the next film goes.

    Args:
        levels: (N, 3) sRGB of what is there, faintly modelled so that the form reads. on: (N,) samples shown amber,
        hatched and outlined. thin: (N,) samples that amber lines are drawn over, where the film fades.
    """
    # a little side light, for the eye only: flat primer would be a black hole
    form = 0.72 + 0.28 * np.clip(
        site.surface.normals @ (0.5 * camera.toward + 0.5 * camera.up + 0.3 * camera.right), 0, 1
    )
    lift = 24.0 * (form - 0.72) / 0.28
    rows, columns, near = shot.close
    picture, marks = np.zeros((*near.seen.shape, 3), np.float32), np.zeros(near.seen.shape, np.uint8)
    faint = np.zeros(len(on), np.bool_) if thin is None else thin
    fields = (*(field[site.shown] for field in (levels, on, faint)), form.astype(np.float32), lift.astype(np.float32))
    begins = rows.start + columns.start  # the hatch runs on over the whole sheet
    _drawn(near.corners, near.weights, *fields, begins, picture, marks)
    return _on_paper(picture, shot, paper, marks)


def look_picture(site: Site, shot: Snapshot, levels: NDArray[np.uint8], paper: int = PAPER) -> NDArray[np.uint8]:
    """(H, W, 3) uint8 picture of sRGB levels (N, 3) on paper white, or another grey."""
    near = shot.close[2]
    return _on_paper(near.field(levels[site.shown]), shot, paper, np.zeros(near.seen.shape, np.uint8))


@numba.njit(cache=True, nogil=True)
def _drawn(corners, weights, levels, on, thin, form, lift, begins, picture, marks):
    """What each pixel (H, W) shows, (H, W, 3), and what it is: 1 on the marked samples, 2 on those where the film
    fades."""
    for i in range(corners.shape[0]):
        for j in range(corners.shape[1]):
            a, b, c = corners[i, j]
            if a < 0:
                continue
            u, v, w = weights[i, j]
            met = a if u >= v and u >= w else b if v >= w else c
            hatched = (begins + i + j) % (HATCH_PX * SOFTEN) < HATCH_WIDTH_PX * SOFTEN
            marks[i, j] = 1 if on[met] else 2 if thin[met] else 0
            if on[met]:
                shade = (form[a] * u + form[b] * v + form[c] * w) * (0.62 if hatched else 1.0)
                for k in range(3):
                    picture[i, j, k] = MARK[k] * shade
            elif thin[met] and hatched:
                for k in range(3):
                    picture[i, j, k] = MARK[k]
            else:
                for k in range(3):
                    own_a = np.float32(levels[a, k]) * form[a] + lift[a]
                    own_b = np.float32(levels[b, k]) * form[b] + lift[b]
                    own_c = np.float32(levels[c, k]) * form[c] + lift[c]
                    picture[i, j, k] = own_a * u + own_b * v + own_c * w


def _on_paper(
    picture: NDArray[np.float32], shot: Snapshot, paper: int, marks: NDArray[np.uint8]
) -> NDArray[np.uint8]:
    """What was drawn close, with outlines of the sculpt and of what is marked, smoothed, on a whole sheet."""
    rows, columns, near = shot.close
    high, wide = shot.seen.shape
    flat = picture.reshape(*near.seen.shape, -1)
    out = np.full((high // SOFTEN, wide // SOFTEN, flat.shape[2]), paper, np.uint8)
    within = tuple(slice(span.start // SOFTEN, span.stop // SOFTEN) for span in (rows, columns))
    _smooth(flat, near.seen, marks, paper, out[within])
    return out.reshape(*out.shape[:2], *picture.shape[2:])


@numba.njit(cache=True, nogil=True)
def _smooth(picture, seen, marks, paper, out):
    """The mean of SOFTEN × SOFTEN pixels each; outlined where a neighbour is not seen, or is marked otherwise."""
    high, wide = seen.shape
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            for k in range(out.shape[2]):
                whole = np.float32(0)
                for i in range(y * SOFTEN, (y + 1) * SOFTEN):
                    for j in range(x * SOFTEN, (x + 1) * SOFTEN):
                        outside, between = False, False
                        for di, dj in ((0, 1), (0, -1), (1, 0), (-1, 0)):
                            p, q = i + di, j + dj
                            if 0 <= p < high and 0 <= q < wide:
                                outside |= seen[p, q] != seen[i, j]
                                between |= marks[p, q] != marks[i, j]
                        if seen[i, j]:
                            tone = INK if between else min(max(picture[i, j, k], np.float32(0)), np.float32(255))
                        else:
                            tone = OUTLINE if outside else np.float32(paper)
                        whole += tone
                out[y, x, k] = np.uint8(np.rint(whole / np.float32(SOFTEN * SOFTEN)))


def marked_picture(
    site: Site, camera: Camera, marks: NDArray[np.bool_], width: int, height: int
) -> NDArray[np.uint8]:
    """(height, width, 3) uint8 picture of the sculpt in one middle grey with the marked samples (N,) hatched in
    amber."""
    shot = snapshot(site.surface, camera, width * SOFTEN, height * SOFTEN)
    levels = np.full((len(site), 3), grey_srgb(MIDDLE_GREY), np.uint8)
    return step_picture(site, shot, camera, levels, marks, GROUND)
