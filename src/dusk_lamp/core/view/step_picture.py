"""The pictures of a plan: the model as painted so far, and where the next film goes marked against it."""

import numpy as np
from numpy.typing import NDArray

from ..paint.value import grey_srgb
from ..sculpt.site import Site
from .camera import VIEWS, Camera
from .raster import SOFTEN, Snapshot, smoothed, snapshot
from .strokes import arrows, with_arrows

MARK = np.array([242, 168, 58], np.float32)  # lamplight amber; its grey differs from every neighbour it lies on
HATCH_PX, HATCH_WIDTH_PX = 9, 2.2  # rising lines, so that the mark survives a black-and-white printer
PICTURE_SIZE = (330, 440)  # of a sheet's pictures
SEEN_SHARE = 0.35  # of the thickest film: thinner than this nobody sees it going on
MIDDLE_GREY = 6.5  # Munsell value that marks show on
PAPER, GROUND = 255, 119  # white, and the middle grey of the bench


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
    on = covered(film)
    thin = (film > 0) & ~on if drawn_out and on.any() else None
    drawn = step_picture(site, shot, camera, before if on.any() or not whole else after, on, paper, thin)
    return drawn if pull is None else with_arrows(drawn, arrows(shot, pull[site.shown], on[site.shown]))


def covered(film: NDArray[np.float32]) -> NDArray[np.bool_]:
    """(N,) where a film lies that one would see going on; nowhere in particular where it lies everywhere alike."""
    there = film[film > 0]  # of a small region too: the rest of the model says nothing of how thick it lies
    thick = float(np.percentile(there, 95)) if len(there) else 0.0
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
    rows, columns, near = shot.close
    seen, levels, on = near.seen, levels[site.shown], on[site.shown]
    # a little side light, for the eye only: flat primer would be a black hole
    form = 0.72 + 0.28 * np.clip(
        site.surface.normals @ (0.5 * camera.toward + 0.5 * camera.up + 0.3 * camera.right), 0, 1
    )
    lift = 24.0 * (form - 0.72) / 0.28
    picture = near.field((levels * form[:, None] + lift[:, None]).astype(np.float32))
    marked = seen & near.nearest(on)
    rising = np.add.outer(np.arange(rows.start, rows.stop), np.arange(columns.start, columns.stop))
    hatch = rising % (HATCH_PX * SOFTEN) < HATCH_WIDTH_PX * SOFTEN
    shade = near.field(form.astype(np.float32))[marked]
    picture[marked] = MARK * (shade * np.where(hatch[marked], 0.62, 1.0))[:, None]
    all_of_it = marked
    if thin is not None:
        faint = seen & ~marked & near.nearest(thin[site.shown])
        picture[faint & hatch] = MARK
        all_of_it = marked | faint
    picture[(_edge(marked) | _edge(all_of_it)) & seen] = 30
    return _on_paper(picture, shot, paper)


def look_picture(site: Site, shot: Snapshot, levels: NDArray[np.uint8], paper: int = PAPER) -> NDArray[np.uint8]:
    """(H, W, 3) uint8 picture of sRGB levels (N, 3) on paper white, or another grey."""
    levels = levels[site.shown]
    return _on_paper(shot.close[2].field(levels), shot, paper)


def _on_paper(picture: NDArray[np.float32], shot: Snapshot, paper: int) -> NDArray[np.uint8]:
    """What was drawn close, smoothed, on a whole sheet."""
    rows, columns, near = shot.close
    picture[~near.seen] = paper
    picture[_edge(near.seen) & ~near.seen] = 60
    high, wide = shot.seen.shape
    out = np.full((high // SOFTEN, wide // SOFTEN, *picture.shape[2:]), paper, np.uint8)
    within = (slice(own.start // SOFTEN, own.stop // SOFTEN) for own in (rows, columns))
    out[tuple(within)] = smoothed(np.clip(picture, 0, 255))
    return out


def marked_picture(
    site: Site, camera: Camera, marks: NDArray[np.bool_], width: int, height: int
) -> NDArray[np.uint8]:
    """(height, width, 3) uint8 picture of the sculpt in one middle grey with the marked samples (N,) hatched in
    amber."""
    shot = snapshot(site.surface, camera, width * SOFTEN, height * SOFTEN)
    levels = np.full((len(site), 3), grey_srgb(MIDDLE_GREY), np.uint8)
    return step_picture(site, shot, camera, levels, marks, GROUND)


def _edge(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Pixels within one pixel of where a mask changes."""
    edge = np.zeros_like(mask)
    across, down = mask[:, 1:] != mask[:, :-1], mask[1:] != mask[:-1]
    edge[:, 1:] |= across
    edge[:, :-1] |= across
    edge[1:] |= down
    edge[:-1] |= down
    return edge
