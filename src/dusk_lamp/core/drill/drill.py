"""What a drill can do: ask something of a sculpt, show it, grade an answer, and explain it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..directions import bearing, far_apart, height_words
from ..errors import SettingError
from ..light.key import key_light_at
from ..light.lamp import Lamp
from ..light.sky import sky_light
from ..paint.value import grey_srgb, luminance_from_munsell, munsell_from_luminance
from ..plain import rounded
from ..sculpt.display import seen_from
from ..sculpt.site import Site
from ..view.camera import Camera
from ..view.raster import SOFTEN, averaged_levels, snapshot

LAMPS_TRIED = 12  # until one throws clear lights and shadows
SIDE = 620  # pixels of a drill's picture
AMBIENT = 0.22  # of a drill's light
MARK, MARK_RING = (242, 168, 58), (26, 26, 26)
DARKEST, LIGHTEST = 1.5, 9.3  # values in no light and in full light


@dataclass(frozen=True)
class Question:
    """One question. question: in words. answers: what kind of answer is wanted: yes-no (one for each spot), order
    (numbers of spots), choice (the number of one), dial (azimuth, elevation), place (across and up, −1 to 1), number.
    unit: of the error. data: what is asked about, plain values. truth: the right answer. why: it is right, in words.
    """

    drill: str
    seed: int
    question: str
    answers: str
    unit: str
    data: dict[str, Any] = field(default_factory=dict)
    truth: Any = None
    why: str = ""


@dataclass(frozen=True)
class Grade:
    """How good an answer is. error: in the unit of the task, 0 for a perfect one. good: 0..1. words: what it
    means."""

    error: float = rounded(3)
    good: float = rounded(3)
    unit: str = ""
    words: str = ""


class Drill:
    """One drill."""

    name: ClassVar[str]
    title: ClassVar[str]
    teaches: ClassVar[str]  # in a sentence
    order: ClassVar[int] = 50
    unit: ClassVar[str]
    poor: ClassVar[float]  # an error as large as that is worth nothing

    def make(self, site: Site, seed: int) -> Question:
        """A question about a sculpt, the same for the same seed.

        Raises:
            SettingError: the sculpt has nothing to ask about.
        """
        raise NotImplementedError

    def error(self, question: Question, answer: Any) -> float:
        """How far an answer is off, in the drill's unit.

        Raises:
            SettingError: it is no answer of the kind that is wanted.
        """
        raise NotImplementedError

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """(H, W, 3) what is asked about; solved: with the answer in it."""
        raise NotImplementedError

    def grade(self, question: Question, answer: Any) -> Grade:
        """An answer graded.

        Raises:
            SettingError: see error.
        """
        error = self.error(question, answer)
        good = max(0.0, 1 - error / self.poor)
        said = "Right." if error <= 1e-9 else f"Off by {self.amount(error)}."
        return Grade(error, good, self.unit, f"{said} {question.why}".strip())

    def amount(self, error: float) -> str:
        """An error in words."""
        return f"{error:.2g} {self.unit}"


# --- what several drills share
def lamp_from(rng: np.random.Generator, low: float = 20.0, high: float = 75.0) -> Lamp:
    """A lamp at a round azimuth and elevation, in front or to a side."""
    return Lamp(float(5 * rng.integers(-24, 25)), float(5 * rng.integers(int(low / 5), int(high / 5) + 1)))


def lamp_words(lamp: Lamp) -> str:
    """“from the front right, high up”."""
    return f"from {bearing(lamp.azimuth)}, {height_words(lamp.elevation)}"


def view_of(rng: np.random.Generator) -> Camera:
    """A view from the front or somewhat to a side."""
    return Camera(float(10 * rng.integers(-4, 5)), 8.0)


def lit(site: Site, lamp: Lamp) -> NDArray[np.float32]:
    """(N,) values of the sculpt in one grey under a lamp, with some light from all over."""
    key = key_light_at(site.surface.origins, site.surface.normals, site.surface.caster, lamp).light
    around = np.ones(len(site), np.float32) if site.visibility is None else sky_light(site.surface, site.visibility)
    light = np.clip((1 - AMBIENT) * key + AMBIENT * around, 0, 1)
    low, high = luminance_from_munsell(np.array([DARKEST, LIGHTEST]))
    return munsell_from_luminance(low + (high - low) * light).astype(np.float32)


def key_at(site: Site, spots: NDArray, lamp: Lamp) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(M,) how squarely spots face a lamp, and how much of it they see."""
    light = key_light_at(site.surface.origins[spots], site.surface.normals[spots], site.surface.caster, lamp)
    return site.surface.normals[spots] @ lamp.direction, light.visible.astype(float)


def spots_seen(site: Site, camera: Camera, rng: np.random.Generator, count: int = 1500) -> NDArray[np.int64]:
    """Numbers of spots that are seen well from a view.

    Raises:
        SettingError: there are too few.
    """
    seen = seen_from(site.surface, camera.azimuth, camera.elevation) & site.paintable
    seen &= site.surface.normals @ camera.toward > 0.35
    spots = np.flatnonzero(seen)
    if len(spots) < 60:
        raise SettingError("too little of this sculpt is seen from the front to ask about; take another")
    return rng.choice(spots, min(count, len(spots)), replace=False)


def lights_and_shadows(
    site: Site,
    camera: Camera,
    rng: np.random.Generator,
    facing_least: float,
    away_most: float,
    counts: tuple[int, int],
) -> tuple[Lamp, NDArray[np.int64], NDArray[np.int64]]:
    """A lamp under which a view shows enough clear lights and shadows, and the spots of both.

    Args:
        facing_least, away_most: cosine; a light faces the lamp more than the one, a shadow is not seen from it or
            faces it less than the other.
        counts: of lights and of shadows, at least.

    Raises:
        SettingError: there are too few under all the lamps tried.
    """
    for _ in range(LAMPS_TRIED):
        lamp = lamp_from(rng)
        spots = spots_seen(site, camera, rng)
        facing, seen = key_at(site, spots, lamp)
        bright = spots[(facing > facing_least) & (seen > 0.99)]
        dark = spots[(seen < 0.01) | (facing < away_most)]
        if len(bright) >= counts[0] and len(dark) >= counts[1]:
            return lamp, bright, dark
    raise SettingError("this sculpt has no clear lights and shadows; take another")


def apart(site: Site, spots: NDArray[np.int64], count: int, camera: Camera) -> list[int]:
    """Some of the spots, far from each other in the picture."""
    flat = np.column_stack([site.surface.points[spots] @ camera.right, site.surface.points[spots] @ camera.up])
    return [int(spots[k]) for k in far_apart(flat, count)]


def drawn(
    site: Site,
    camera: Camera,
    values: NDArray[np.float32],
    spots: Sequence[int] = (),
    marks: Sequence[str] | None = None,
) -> NDArray[np.uint8]:
    """(SIDE, SIDE, 3) the sculpt in values (N,), with spots marked by numbers or other marks."""
    from PIL import Image, ImageDraw, ImageFont

    shot = snapshot(site.surface, camera, SIDE * SOFTEN, SIDE * SOFTEN)
    picture = np.where(shot.seen, shot.field(grey_srgb(values).astype(np.float32)), 119)
    image = Image.fromarray(averaged_levels(np.repeat(picture[..., None], 3, axis=2)))
    draw, font = ImageDraw.Draw(image), ImageFont.load_default(size=17)
    for n, spot in enumerate(spots):
        x, y = _pixel(site, camera, spot, shot.scale / SOFTEN)
        words = str(n + 1) if marks is None else marks[n]
        draw.ellipse((x - 4, y - 4, x + 4, y + 4), fill=MARK, outline=MARK_RING)
        draw.text((x + 8, y - 11), words, fill=MARK, font=font, stroke_width=3, stroke_fill=MARK_RING)
    return np.asarray(image, np.uint8)


def _pixel(site: Site, camera: Camera, spot: int, scale: float) -> tuple[float, float]:
    points = site.surface.points
    x, y = points @ camera.right, points @ camera.up
    return (
        SIDE / 2 + scale * float(x[spot] - (x.max() + x.min()) / 2),
        SIDE / 2 - scale * float(y[spot] - (y.max() + y.min()) / 2),
    )


def plain_form(site: Site, camera: Camera) -> NDArray[np.float32]:
    """(N,) values of the sculpt lit from the eye: its form, and nothing of the lamp."""
    return (4.0 + 3.5 * np.clip(site.surface.normals @ camera.toward, 0, 1)).astype(np.float32)


def numbers_in(answer: Any, count: int | None = None) -> list[float]:
    """An answer as numbers.

    Raises:
        SettingError: it is none, or not so many.
    """
    given = answer if isinstance(answer, list | tuple) else [answer]
    try:
        out = [float(n) for n in given]
    except (TypeError, ValueError) as e:
        raise SettingError("an answer is a number, or a list of numbers") from e
    if not np.isfinite(out).all() or (count is not None and len(out) != count):
        raise SettingError(f"this drill wants {count if count is not None else 'finite'} numbers")
    return out
