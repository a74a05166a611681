"""The pictures of a plan: the model as painted so far, with the spots the next grey goes on marked against it."""

import numpy as np
from numpy.typing import NDArray

from ..paint.value import grey_srgb
from ..sculpt.site import Site
from .camera import Camera
from .raster import SOFTEN, Snapshot, smoothed, snapshot

MARK = np.array([242, 168, 58], np.float32)  # lamplight amber; its grey differs from every neighbour it lies on
HATCH_PX, HATCH_WIDTH_PX = 9, 2.2  # rising lines, so that the mark survives a black-and-white printer
PAPER, GROUND = 255, 119  # white, and the middle grey of the bench


def plan_snapshot(site: Site, camera: Camera, width: int, height: int, zoom_height: float) -> Snapshot:
    """One view of the sculpt, as every step's picture from this side needs it."""
    return snapshot(site.surface, camera, width * SOFTEN, height * SOFTEN, zoom_height=zoom_height)


def step_picture(
    site: Site,
    shot: Snapshot,
    camera: Camera,
    greys: NDArray[np.float64],
    step: NDArray[np.uint8],
    k: int,
    paper: int = PAPER,
) -> NDArray[np.uint8]:
    """(H, W, 3) uint8 picture for step k (0 = primer) on paper white, or another grey.

    What is already there is shown in its own greys, faintly modelled so that the form reads; where the new grey goes
    is amber, hatched and outlined.
    """
    seen = shot.seen
    painted = grey_srgb(greys)[np.minimum(step, max(k - 1, 0))]
    # a little side light, for the eye only: flat primer would be a black hole
    form = 0.72 + 0.28 * np.clip(
        site.surface.normals @ (0.5 * camera.toward + 0.5 * camera.up + 0.3 * camera.right), 0, 1
    )
    lift = 24.0 * (form - 0.72) / 0.28
    grey = shot.field((painted * form + lift).astype(np.float32))
    picture = np.repeat(grey[..., None], 3, axis=-1)
    on = seen & (shot.nearest(step) >= k) if k else np.zeros_like(seen)
    if k == 0:
        picture = picture * 1.0
    y, x = np.indices(seen.shape)
    px = SOFTEN
    hatch = (x + y) % (HATCH_PX * px) < HATCH_WIDTH_PX * px
    shade = shot.field(form.astype(np.float32))[..., None]
    picture = np.where(on[..., None], MARK * shade, picture)
    picture = np.where((on & hatch)[..., None], picture * 0.62, picture)
    rim = _edge(on) & seen
    picture = np.where(rim[..., None], 30, picture)
    picture = np.where(seen[..., None], picture, paper)
    outline = _edge(seen)
    picture = np.where((outline & ~seen)[..., None], 60, picture)
    return smoothed(np.clip(picture, 0, 255))


def marked_picture(
    site: Site, camera: Camera, marks: NDArray[np.bool_], width: int, height: int
) -> NDArray[np.uint8]:
    """(height, width, 3) uint8 picture of the sculpt in one middle grey with the marked samples (N,) hatched in amber."""
    shot = snapshot(site.surface, camera, width * SOFTEN, height * SOFTEN)
    return step_picture(site, shot, camera, np.array([6.5, 6.5]), marks.astype(np.uint8), 1, GROUND)


def finished_picture(shot: Snapshot, value: NDArray[np.float32]) -> NDArray[np.uint8]:
    """(H, W, 3) uint8 picture of values on paper white."""
    grey = np.where(shot.seen, shot.field(grey_srgb(value).astype(np.float32)), PAPER)
    return smoothed(np.repeat(grey[..., None], 3, axis=-1))


def _edge(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Pixels within one pixel of where a mask changes."""
    edge = np.zeros_like(mask)
    across, down = mask[:, 1:] != mask[:, :-1], mask[1:] != mask[:-1]
    edge[:, 1:] |= across
    edge[:, :-1] |= across
    edge[1:] |= down
    edge[:-1] |= down
    return edge
