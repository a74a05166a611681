"""The simulated bench camera: a photo of a model as it was painted, with a lens, noise, exposure, a light of its own,
and mistakes that one asks for. It stands in for a camera in the demo, in drills and in tests."""

import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image

from ..directions import direction_of
from ..errors import SettingError
from ..light.key import key_light
from ..light.lamp import Lamp
from ..light.sky import open_dome, sky_light
from ..paint.colour import XYZ_TO_RGB, screen_levels, xyz
from ..paint.value import luminance_from_munsell, munsell_from_luminance
from ..plain import checked, choice, number, text
from ..results import result
from ..sculpt.site import Site
from ..view.raster import averaged
from .perspective import seen_by
from .pinhole import FULL_FRAME_MM, Pinhole

MISTAKES = ("light", "dark", "grey", "missing", "hue")
GROUND = 0.16  # light of what stands behind the model
TIMES = 2  # rays a pixel and direction
FULL_WELL = 9000.0  # electrons of a pixel that is full: the noise of light itself
CARD_LIGHT = 0.18


@dataclass(frozen=True)
class Mistake:
    """A painting mistake. kind: a region too light or too dark by so many values, too grey by a share of its chroma,
    missing (a share of it left as it was under the colours), or turned in hue by so many degrees."""

    kind: str = choice("light", MISTAKES, "a mistake")
    region: str = text("", (0, 80), "the region of a mistake")
    amount: float = number(1.0, -180, 180, "the amount of a mistake")

    def __post_init__(self) -> None:
        checked(self)


@dataclass(frozen=True)
class Booth:
    """How a photo is taken. ambient: share of light that comes from all over; the rest from lamp. exposure: stops;
    white_balance: of red and blue against green. noise: times that of the light itself. glare: share of the brightest
    spots that burns out. quality: of the JPEG; 0 for a PNG."""

    ambient: float = number(0.75, 0, 1, "the share of light from all over")
    azimuth: float = number(-35.0, -360, 360, "the lamp's direction", "degrees")
    elevation: float = number(50.0, -90, 90, "the lamp's height", "degrees")
    exposure: float = number(0.0, -6, 6, "the exposure", "stops")
    red: float = number(1.0, 0.3, 3, "the red of the white balance")
    blue: float = number(1.0, 0.3, 3, "the blue of the white balance")
    noise: float = number(1.0, 0, 50, "the noise")
    glare: float = number(0.0, 0, 1, "the glare")
    quality: int = number(92, 0, 100, "the JPEG's quality")
    card: bool = False

    def __post_init__(self) -> None:
        checked(self)


def mistaken(
    site: Site, seen: NDArray[np.float32], bare: NDArray[np.float32], mistakes: Sequence[Mistake]
) -> NDArray[np.float32]:
    """(N, 36) reflectances (N, 36) with mistakes in them. bare: (N, 36) of the model before its colours.

    Raises:
        SettingError: a mistake names a region that is not there.
    """
    out = seen.copy()
    names = {r.name.casefold(): k for k, r in enumerate(site.marking.regions, 1)}
    for m in mistakes:
        if m.region.casefold() not in names:
            known = ", ".join(r.name for r in site.marking.regions) or "none"
            raise SettingError(f"there is no region '{m.region[:40]}' to make a mistake on; there is {known}")
        mask = site.labels == names[m.region.casefold()]
        out[mask] = _changed(out[mask], bare[mask], m)
    return np.clip(out, 0.003, 0.97)


def _changed(seen: NDArray[np.float32], bare: NDArray[np.float32], m: Mistake) -> NDArray[np.float32]:
    Y = np.maximum(xyz(seen)[:, 1], 1e-4)
    if m.kind in ("light", "dark"):
        sign = 1 if m.kind == "light" else -1
        wanted = luminance_from_munsell(np.clip(munsell_from_luminance(100 * Y) + sign * m.amount, 0.5, 9.6)) / 100
        return (seen * (wanted / Y)[:, None]).astype(np.float32)
    if m.kind == "grey":
        return ((1 - m.amount) * seen + m.amount * Y[:, None]).astype(np.float32)
    if m.kind == "missing":
        return ((1 - m.amount) * seen + m.amount * bare).astype(np.float32)
    shift = round(m.amount / 10)  # bands of ten nanometres: a hue that is off
    return np.roll(seen, shift, axis=1)


def room_sky(site: Site) -> NDArray[np.float32]:
    """(N,) the light of an even ceiling on each sample.

    Raises:
        SettingError: it is not known yet what each sees of its surroundings.
    """
    if site.visibility is None:
        raise SettingError("the light of a room needs what each spot sees of its surroundings")
    return sky_light(site.surface, site.visibility)


@result(most=4, depends=lambda site, lamp: lamp)
def _key(site: Site, lamp: Lamp) -> NDArray[np.float32]:
    return key_light(site.surface, lamp).light


def booth_light(site: Site, booth: Booth) -> NDArray[np.float32]:
    """(N,) the light of the room on each sample, 1 where nothing is in its way."""
    lamp = Lamp(booth.azimuth, booth.elevation, 12.0)
    above = room_sky(site)
    below = 0.35 * (1 - np.clip(site.surface.normals[:, 2], -1, 1)) / 2  # the table sends some back
    key = _key(site, lamp)  # photos from many sides
    return (booth.ambient * (above + below * above.mean()) + (1 - booth.ambient) * key).astype(np.float32)


def _on_a_card(normal: NDArray, booth: Booth, site: Site) -> float:
    """The light of the room on a card that stands in the open and faces the camera."""
    mean = float(room_sky(site).mean())
    lamp = direction_of(booth.azimuth, booth.elevation).astype(float)
    above = float(open_dome("uniform", np.array([normal[2]], np.float32))[0]) + 0.35 * (1 - normal[2]) / 2 * mean
    return booth.ambient * above + (1 - booth.ambient) * max(0.0, float(normal @ lamp))


def _written_down(camera: Pinhole) -> Image.Exif:
    """What a camera writes beside its picture: the focal length, in whole millimetres."""
    exif = Image.Exif()
    mm = round(camera.focal_px / max(camera.width, camera.height) * FULL_FRAME_MM)
    exif.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.FocalLengthIn35mmFilm] = mm
    return exif


def photograph(
    site: Site,
    seen: NDArray[np.float32],
    camera: Pinhole,
    booth: Booth = Booth(),
    seed: int = 0,
) -> tuple[bytes, tuple[float, float] | None]:
    """A photo of a model with reflectances (N, 36), as JPEG or PNG; and the pixel of the grey card in it, where there
    is one."""
    rng = np.random.default_rng(seed)
    width, height = camera.width, camera.height
    shot = seen_by(site.surface, camera, width * TIMES, height * TIMES)
    light = booth_light(site, booth)
    colour = (xyz(seen) @ XYZ_TO_RGB.T).astype(np.float32)
    picture = np.where(shot.seen[..., None], shot.field(colour * light[:, None]), np.float32(GROUND))
    picture = averaged(picture, TIMES)
    at = None
    if booth.card:
        side = max(24, width // 14)
        at = (side * 0.9, height - side * 0.9)
        lit = _on_a_card(-np.asarray(camera.toward, float), booth, site)
        picture[height - round(1.4 * side) : height - round(0.4 * side), round(0.4 * side) : round(1.4 * side)] = (
            CARD_LIGHT * lit
        )
    picture *= 2.0**booth.exposure * np.array([booth.red, 1.0, booth.blue])
    if booth.glare:
        bright = picture.mean(axis=2) > np.quantile(picture.mean(axis=2), 1 - 0.03 * booth.glare)
        picture[bright] += booth.glare
    noise = rng.normal(0, 1, picture.shape) * np.sqrt(np.maximum(picture, 0) / FULL_WELL + 1e-7)
    levels = screen_levels(picture + booth.noise * noise)
    out = io.BytesIO()
    image = Image.fromarray(levels)
    if booth.quality:
        image.save(out, "JPEG", quality=booth.quality, subsampling=0, exif=_written_down(camera))
    else:
        image.save(out, "PNG")
    return out.getvalue(), at


def trial_photo(site: Site, view: tuple[float, float], seen: NDArray[np.float32], bare: NDArray[np.float32]) -> bytes:
    """A photo to try the check with, where there is no camera: by hand, nearly from the display view (azimuth and
    elevation, degrees), a little dark, the second largest region one value too light. seen, bare: reflectances
    (N, 36), as it is painted and under the colours."""
    points, (azimuth, elevation) = site.surface.points, view
    middle = (points.max(axis=0) + points.min(axis=0)) / 2
    camera = Pinhole.looking_at(middle, azimuth + 8, elevation + 3, 3.3 * site.surface.size, 70, (900, 1200))
    areas = np.asarray(site.marking.areas(site.surface, site.paintable))[1:]
    order = np.argsort(-areas)
    wrong = [Mistake("light", site.marking.regions[int(order[1 % len(order)])].name, 1.0)] if len(order) else []
    return photograph(site, mistaken(site, seen, bare, wrong), camera, Booth(exposure=-0.2), 7)[0]
