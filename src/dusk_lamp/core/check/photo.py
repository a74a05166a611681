"""Reading a photo, as light; and what is wrong with it."""

import io
import warnings
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image, ImageOps, UnidentifiedImageError

from ..errors import SettingError
from ..paint.colour import linear
from .pinhole import FULL_FRAME_MM

MOST_PIXELS, LEAST_SIDE = 100_000_000, 200
KEPT_SIDE = 1400  # of the longer side: more pixels tell nothing more of a region
CLIPPED, CRUSHED = 252, 2  # levels
MUCH_CLIPPED = 0.02  # of what is looked at
BLURRED = 12.0  # variance of the Laplacian of an 8-bit grey picture 1000 pixels wide; from memory
GREY_CARD = 0.18  # reflectance
_LIGHT = linear(np.arange(256) / 255).astype(np.float32)  # of each level
CARD_SHARE = 0.012  # of the longer side: the patch of the card that is averaged


@dataclass(frozen=True)
class Photo:
    """light: (H, W, 3) linear, relative. levels: (H, W, 3) 8-bit sRGB. times: by how much it was made smaller.
    lens: focal length in longer sides of the picture, as the camera wrote it down; None where it did not."""

    light: NDArray[np.float32]
    levels: NDArray[np.uint8]
    times: float
    lens: float | None = None

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.levels.shape[1], self.levels.shape[0]

    @property
    def clipped(self) -> NDArray[np.bool_]:
        """(H, W) where the picture shows nothing: burnt out, or black."""
        red, green, blue = (self.levels[..., k] for k in range(3))
        most = np.maximum(np.maximum(red, green), blue)  # a tenth of the time of asking any and all of the three
        return (most >= CLIPPED) | (most <= CRUSHED)

    def patch(self, x: float, y: float) -> NDArray[np.float64]:
        """(3,) the light of a small patch round a pixel.

        Raises:
            SettingError: it lies outside, or is burnt out.
        """
        w, h = self.size
        half = max(2, round(CARD_SHARE * max(w, h)))
        if not (0 <= x < w and 0 <= y < h):
            raise SettingError("the grey card lies outside the photo; click on it again")
        square = (slice(max(0, int(y) - half), int(y) + half + 1), slice(max(0, int(x) - half), int(x) + half + 1))
        if self.clipped[square].mean() > 0.2:
            raise SettingError("the grey card is burnt out or black in the photo; take it again, less bright")
        return np.median(self.light[square].reshape(-1, 3), axis=0).astype(np.float64)


def read_photo(content: bytes) -> Photo:
    """A photo as light, turned as its camera held it; places, names and numbers of the camera are not kept.

    Raises:
        SettingError: it is none that can be read, too small, or too large.
    """
    if content[4:12] in (b"ftypheic", b"ftypheix", b"ftypmif1", b"ftyphevc"):
        raise SettingError("this is a HEIC photo; export it as JPEG, or set the phone to “most compatible”")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(content), formats=("JPEG", "PNG", "WEBP", "TIFF", "GIF")) as opened:
                if opened.width * opened.height > MOST_PIXELS:
                    raise SettingError("the photo has more than 100 megapixels; make it smaller")
                if getattr(opened, "n_frames", 1) > 1:
                    raise SettingError("this picture moves; bring a still photo")
                if max(opened.size) < LEAST_SIDE:
                    raise SettingError(
                        f"the photo is only {opened.width} × {opened.height} pixels; bring a larger one"
                    )
                whole = max(opened.size)
                opened.draft("RGB", (2 * KEPT_SIDE, 2 * KEPT_SIDE))
                lens = _lens(opened)
                picture = ImageOps.exif_transpose(_eight_bit(opened))
    except SettingError:
        raise
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as e:
        raise SettingError("the photo has more than 100 megapixels; make it smaller") from e
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as e:
        raise SettingError("this is no photo that can be read; bring a JPEG or PNG") from e
    times = max(1.0, max(picture.size) / KEPT_SIDE)
    if times > 1:
        size = (max(1, round(picture.width / times)), max(1, round(picture.height / times)))
        picture = picture.resize(size, Image.Resampling.BOX)
    levels = np.asarray(picture, np.uint8)
    light = np.asarray(cv2.LUT(levels, _LIGHT), np.float32)
    return Photo(light, levels, whole / max(picture.size), lens)


def jpeg_of(photo: Photo) -> bytes:
    """A photo as a JPEG that says nothing but what lens it was taken with: no place, no name, no time."""
    out = io.BytesIO()
    exif = Image.Exif()
    if photo.lens:
        exif.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.FocalLengthIn35mmFilm] = round(36 * photo.lens)
    Image.fromarray(photo.levels).save(out, "JPEG", quality=94, subsampling=0, exif=exif)
    return out.getvalue()


def _lens(opened: Image.Image) -> float | None:
    """The focal length that a camera wrote down, for full frame, in longer sides of the picture."""
    try:
        mm = float(opened.getexif().get_ifd(ExifTags.IFD.Exif).get(ExifTags.Base.FocalLengthIn35mmFilm, 0))
    except (TypeError, ValueError, OSError, SyntaxError):
        return None
    return mm / FULL_FRAME_MM if 8 <= mm <= 1200 else None


def _eight_bit(opened: Image.Image) -> Image.Image:
    """Whatever it holds as 8-bit sRGB."""
    if opened.mode in ("I", "I;16", "I;16B", "F"):
        deep = np.asarray(opened, np.float64)
        return Image.fromarray(np.clip(deep / 257.0, 0, 255).astype(np.uint8)).convert("RGB")
    return opened.convert("RGB")


def photo_troubles(photo: Photo, looked_at: NDArray[np.bool_]) -> list[str]:
    """What is wrong with a photo where it is looked at (H, W), in sentences."""
    out = []
    if not looked_at.any():
        return ["The model is not in the photo where the points say; match the points again."]
    lost = float(photo.clipped[looked_at].mean())
    if lost > MUCH_CLIPPED:
        out.append(
            f"{100 * lost:.0f} % of the model is burnt out or black: left out. Take it less bright, or brighter."
        )
    grey = cv2.cvtColor(photo.levels, cv2.COLOR_RGB2GRAY)
    sharp = float(cv2.Laplacian(grey, cv2.CV_64F)[looked_at].var()) * (1000 / max(photo.size)) ** -1
    if sharp < BLURRED:
        out.append("The photo is blurred: edges and small forms are not judged.")
    return out
