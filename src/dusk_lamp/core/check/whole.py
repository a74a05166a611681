"""The whole check: from a photo and a few matched points to a map and a verdict."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..paint.colour import xyz
from ..plan.simulation import Simulation
from ..sculpt.site import Site
from ..view.raster import averaged_levels
from .align import aligned
from .compare import Comparison, compared
from .lamp_photo import LampFound, lamp_of
from .merge import disagreements, merged
from .perspective import seen_by
from .photo import Photo, photo_troubles
from .pinhole import Pinhole
from .pose import Pose, pose_of
from .shine import Shone, shone
from .verdict import Fault, faults_of, verdict_words

TOO_LIGHT, RIGHT, TOO_DARK = np.array([242, 168, 58]), np.array([92, 92, 92]), np.array([72, 118, 190])
FULL_AT = 1.5  # steps of value at which a colour of the map is full
HATCH_PX = 7  # rising lines where it is too light, falling where it is too dark: not by colour alone


@dataclass(frozen=True)
class Checked:
    """A photo that was checked. camera: it was taken with, in the pixels of the whole photo. faults: worst first.
    words: the verdict. troubles: of the photo."""

    pose: Pose
    camera: Pinhole
    comparison: Comparison
    faults: tuple[Fault, ...]
    words: tuple[str, ...]
    troubles: tuple[str, ...]


def laid_over(
    site: Site, reflectance: NDArray[np.float32], photo: Photo, points: tuple[NDArray, NDArray]
) -> tuple[Pose, Pinhole]:
    """The pose by matched points, in pixels of the whole photo, and the camera that lays the sculpt over it exactly,
    in the photo's own. points: see checked_photo.

    Raises:
        SettingError: see pose_of.
    """
    whole = _whole_size(photo)
    pose = pose_of(*points, whole, None if photo.lens is None else photo.lens * max(whole))
    return pose, aligned(site, reflectance, photo, pose.camera.sized(*photo.size))


def _whole_size(photo: Photo) -> tuple[int, int]:
    width, height = photo.size
    return round(width * photo.times), round(height * photo.times)


def lamp_in_photo(
    site: Site, reflectance: NDArray[np.float32], photo: Photo, points: tuple[NDArray, NDArray]
) -> LampFound:
    """Where the lamp shines that a model was photographed under. points: see checked_photo.

    Raises:
        SettingError: see pose_of and lamp_of.
    """
    _, camera = laid_over(site, reflectance, photo, points)
    return lamp_of(site, xyz(reflectance)[:, 1], photo, camera)


def checked_photo(
    site: Site,
    simulation: Simulation,
    coats: Sequence[Coat],
    photo: Photo,
    points: tuple[NDArray, NDArray],
    grey: tuple[float, float] | None = None,
    paints: Sequence[Coat] | None = None,
) -> Checked:
    """A photo of a model after some coats, checked against what they should come to.

    Args:
        points: pixels (P, 2) of the whole photo and places (P, 3) mm on the bench that lie there. grey: pixel of a
        grey card. paints: coats whose mixes may mend it; None for the same.

    Raises:
        SettingError: see pose_of and compared.
    """
    seen = simulation.reflectance(coats)
    pose, camera = laid_over(site, seen, photo, points)
    edges = _edges(site, simulation, coats)
    card = None if grey is None else (grey[0] / photo.times, grey[1] / photo.times)
    found = compared(site, seen, photo, camera, card, edges)
    faults = faults_of(site, found, seen, [c for c in paints or coats if not c.muted])
    said = photo_troubles(photo, found.looked_at)
    return Checked(
        pose,
        camera.sized(*_whole_size(photo)),
        found,
        tuple(faults),
        tuple(verdict_words(faults, found)),
        tuple(said),
    )


def judged_together(
    site: Site,
    reflectance: NDArray[np.float32],
    comparisons: Sequence[Comparison],
    paints: Sequence[Coat],
) -> tuple[Comparison, tuple[Fault, ...], tuple[str, ...]]:
    """Several photos of one step judged together: what they say, what is off, and the verdict in words.

    Raises:
        SettingError: see merged.
    """
    found = merged(comparisons)
    faults = faults_of(site, found, reflectance, [c for c in paints if not c.muted])
    words = (*verdict_words(faults, found), *disagreements(comparisons))
    return found, tuple(faults), words


def shone_in_photo(
    site: Site, reflectance: NDArray[np.float32], photo: Photo, points: tuple[NDArray, NDArray], number: int
) -> Shone:
    """Where a region shone in a photo of the glossed model. points: see checked_photo.

    Raises:
        SettingError: see pose_of, compared and shone.
    """
    _, camera = laid_over(site, reflectance, photo, points)
    return shone(site, compared(site, reflectance, photo, camera), photo, number)


def _edges(site: Site, simulation: Simulation, coats: Sequence[Coat]) -> dict[int, NDArray[np.bool_]]:
    """The samples of edge highlights, by the number of their region."""
    out: dict[int, NDArray[np.bool_]] = {}
    films = simulation.films(coats)
    for coat, film in zip(coats, films, strict=True):
        if coat.way == "edges" and coat.region in site.marking.ids:
            number = site.marking.number_of(coat.region)
            out[number] = out.get(number, np.zeros(len(site), np.bool_)) | (film > 0.5 * film.max(initial=0.0))
    return out


def map_picture(site: Site, found: Comparison, photo: Photo, camera: Pinhole) -> NDArray[np.uint8]:
    """(H, W, 3) the photo with what is too light in amber and what is too dark in blue, hatched either way."""
    shown = camera.sized(*photo.size)
    shot = seen_by(site.surface, shown, *photo.size)
    off = shot.field(np.nan_to_num(found.off, nan=0.0)[:, None])[..., 0]
    share = np.clip(np.abs(off) / FULL_AT, 0, 1)[..., None]
    colour = np.where(off[..., None] > 0, TOO_LIGHT, TOO_DARK)
    grey = photo.levels.mean(axis=2, keepdims=True) * 0.6 + 30
    y, x = np.mgrid[: photo.size[1], : photo.size[0]]
    line = np.where(off > 0, (x + y) % HATCH_PX, (x - y) % HATCH_PX) < 2
    strength = share * np.where(line[..., None], 1.0, 0.72) * (np.abs(off)[..., None] >= 0.3)
    out = np.where(shot.seen[..., None], grey * (1 - strength) + colour * strength, photo.levels * 0.45)
    return np.clip(out, 0, 255).astype(np.uint8)


def predicted_picture(
    site: Site, reflectance: NDArray[np.float32], camera: Pinhole, size: tuple[int, int]
) -> NDArray[np.uint8]:
    """(H, W, 4) the predicted model as that camera sees it, evenly lit, clear round it: to lie over the photo."""
    from ..coat.stack import looks

    levels = looks(reflectance)[1]
    shot = seen_by(site.surface, camera, size[0] * 2, size[1] * 2)
    form = 0.8 + 0.2 * np.clip(-(site.surface.normals @ np.asarray(camera.toward, np.float32)), 0, 1)
    picture = shot.field(levels * form[:, None])
    return averaged_levels(np.concatenate([picture, 255.0 * shot.seen[..., None]], axis=2))
