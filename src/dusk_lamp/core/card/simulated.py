"""A photo of a painted card by a simulated camera: askew, unevenly lit, with noise. It stands in for a camera in the
demo and in tests."""

import io
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from PIL import Image

from ..paint.colour import screen_levels
from ..paint.film import GREY_CARD
from ..plain import checked, number
from .card import Card
from .drawing import card_light

TABLE = 0.10  # reflectance of the table under the card
FULL_WELL = 9000.0


@dataclass(frozen=True)
class Snap:
    """How a card is photographed. askew: share that its corners are moved by. falloff: light lost from the brightest
    corner to the darkest. red, blue: of the white balance, against green. noise: times that of the light itself."""

    askew: float = number(0.04, 0, 0.2, "how much askew it is")
    falloff: float = number(0.3, 0, 0.8, "how uneven the light is")
    exposure: float = number(-0.2, -4, 2, "the exposure", "stops")
    red: float = number(1.08, 0.4, 2.5, "the red of the white balance")
    blue: float = number(0.9, 0.4, 2.5, "the blue of the white balance")
    noise: float = number(1.0, 0, 20, "the noise")
    grey: bool = True
    width: int = 1600

    def __post_init__(self) -> None:
        checked(self)


def card_photo(card: Card, seed: int, snap: Snap = Snap()) -> tuple[bytes, dict[str, Any]]:
    """A photo (JPEG) of a card as somebody painted it, and the truth about what was painted."""
    rng = np.random.default_rng([card.number, seed])
    painted, truth = card.painted(rng)
    flat = card_light(card, painted, GREY_CARD if snap.grey else None, 10.0)
    high, wide = flat.shape[:2]
    size = (snap.width, round(snap.width * 0.75))
    inset = np.array([[0.1, 0.12], [0.9, 0.12], [0.9, 0.83], [0.1, 0.83]])
    places = (inset + rng.uniform(-snap.askew, snap.askew, (4, 2))) * size
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32)
    onto = cv2.getPerspectiveTransform(corners, places.astype(np.float32))
    picture = cv2.warpPerspective(
        flat, onto, size, flags=cv2.INTER_AREA, borderMode=cv2.BORDER_CONSTANT, borderValue=(TABLE,) * 3
    )
    y, x = np.mgrid[: size[1], : size[0]]
    away = np.hypot(x / size[0] - rng.uniform(0.1, 0.9), y / size[1] - rng.uniform(0.1, 0.9))
    light = 1 - snap.falloff * np.clip(away, 0, 1) ** 1.5
    picture = picture * light[..., None] * 2.0**snap.exposure * np.array([snap.red, 1.0, snap.blue])
    noise = rng.normal(0, 1, picture.shape) * np.sqrt(np.maximum(picture, 0) / FULL_WELL + 1e-7)
    levels = screen_levels(picture + snap.noise * noise)
    out = io.BytesIO()
    Image.fromarray(levels).save(out, "JPEG", quality=93, subsampling=0)
    return out.getvalue(), truth
