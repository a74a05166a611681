"""Eyes: where each pupil goes so that both look at one point, and what is too small for a dot; and where blood is
near (common practice, CP-33)."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....errors import SettingError
from ....paint.glaze import WICKED
from ....paint.mix import nearest_mix, only
from ....paint.rack import Rack
from ....plain import rounded
from ....sculpt.site import Site, Where
from ....sculpt.surface import Surface
from ...brief import COLOUR, quantiles

# proportions of a face and an eye, from memory: a face is five eyes wide, so that an eye's width lies between the
# two;
# the ball is 24 mm across, the iris 11.7 mm, the pupil 4 mm, the opening 30 mm wide and 11 mm high
BETWEEN = 2.0  # eye widths from middle to middle
BALL_RADIUS, IRIS, PUPIL, OPEN = 12 / 30, 11.7 / 30, 4 / 30, 11 / 30
LEAST_DOT_MM = 0.2  # what a fine brush can set; common practice, from memory
FURTHEST = 40.0  # degrees an eye turns before the head does; from memory
NEAR_MM = 0.6  # what is looked at to find which way a face faces
WARM_SHARE = 0.15  # of the skin that stands out most: lips, nose, ears, knuckles, elbows
WARM_WATER, WARM_PASSES = 10.0, 2  # a glaze, CP-17
EYES = "eyes"
SOCKET, LINE = (1.7, 2.6), (1.25, 1.5)  # of an opening's width and height; from memory
SOCKET_COLOUR, EYE_WHITE = (
    np.array([26.0, 9.0, 9.0]),
    np.array([84.0, 1.0, 7.0]),
)  # L*a*b*; off-white, never white: CP-33
LINE_COLOUR, DOT_COLOUR = np.array([18.0, 6.0, 6.0]), np.array([12.0, 2.0, 2.0])
WHITE_OF_AN_EYE, ALIKE_EYES = 6.5, 0.8  # value of an off-white; and the share of the other's white that is alike
BLOOD = np.array([45.0, 34.0, 22.0])  # L*a*b* that warmth leans to; from memory


@dataclass(frozen=True)
class Eye:
    """One eye, as one looks at the model. toward_right, up: mm of the pupil from the middle of the opening; toward
    the viewer's right, and up. width: of the opening, mm. side: "left" or "right", the model's own."""

    side: str
    toward_right: float = rounded(3)
    up: float = rounded(3)
    width: float = rounded(3)

    @property
    def height(self) -> float:
        """Of the opening, mm."""
        return self.width * OPEN

    @property
    def iris(self) -> float:
        """Its diameter, mm."""
        return self.width * IRIS

    @property
    def pupil(self) -> float:
        """Its diameter, mm."""
        return self.width * PUPIL


@dataclass(frozen=True)
class Face:
    """right, left: the model's own eyes; on a drawing the right one is at the left. words: what to do."""

    right: Eye
    left: Eye
    words: tuple[str, ...]

    @property
    def dots(self) -> bool:
        """Whether a dot can be set at all."""
        return self.left.iris >= LEAST_DOT_MM


def face_of(surface: Surface, left: NDArray, right: NDArray, looks_at: NDArray | None = None) -> Face:
    """Where the pupils go.

    Args:
        left, right: (3,) mm, the middles of the model's own eyes. looks_at: (3,) mm; None for straight ahead.
    Raises:
        SettingError: both eyes in one place, or a point inside the head.
    """
    left, right = np.asarray(left, float), np.asarray(right, float)
    across, ahead, up, swapped = frame_of(surface, left, right)
    width, eyes = float(np.linalg.norm(left - right)) / BETWEEN, []
    said = ["The left and the right eye may be swapped: left is the model's own."] if swapped else []
    for side, at in (("right", right), ("left", left)):
        toward = ahead if looks_at is None else np.asarray(looks_at, float) - at
        far = float(np.linalg.norm(toward))
        if far < 1e-6 or toward @ ahead <= 0:
            raise SettingError("a face cannot look behind itself: turn the head, or choose a point in front of it")
        toward = toward / far
        sideways, upward = np.arctan2(toward @ across, toward @ ahead), np.arcsin(np.clip(toward @ up, -1, 1))
        most = np.radians(FURTHEST)
        if max(abs(sideways), abs(upward)) > most and not any("turn so far" in s for s in said):
            said.append(f"Eyes do not turn so far: over {FURTHEST:.0f}° the head turns; they are drawn at that.")
        sideways, upward = np.clip((sideways, upward), -most, most)
        radius = width * BALL_RADIUS
        eyes.append(Eye(side, float(radius * np.sin(sideways)), float(radius * np.sin(upward)), width))
    face = Face(eyes[0], eyes[1], ())
    if not face.dots:
        said.append(f"Too small for a dot (the iris is {face.left.iris:.2f} mm): a dark wash into the sockets only.")
    else:
        said.append("Off-white, never white, into the eye; a dark line round it; then the dots, both at once.")
        if face.left.pupil < LEAST_DOT_MM:
            said.append("No pupil inside the iris: one dark dot is both.")
    return Face(eyes[0], eyes[1], tuple(said))


def frame_of(
    surface: Surface, left: NDArray, right: NDArray
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], bool]:
    """Unit vectors (3,) across a face toward its left eye, ahead and up; and whether left and right seem swapped."""
    apart = float(np.linalg.norm(left - right))
    if not np.isfinite(apart) or apart < 1e-3:
        raise SettingError("both eyes are in one place; mark the left one and the right one")
    across = (left - right) / apart
    near = [np.linalg.norm(surface.points - p, axis=1) for p in (left, right)]
    around = [d <= max(NEAR_MM, float(d.min()) * 1.01) for d in near]
    ahead = np.mean([surface.normals[a].mean(axis=0) for a in around], axis=0).astype(float)
    ahead -= across * (ahead @ across)
    if np.linalg.norm(ahead) < 1e-6:
        raise SettingError("these two eyes do not lie on one face; mark them again")
    ahead /= np.linalg.norm(ahead)
    up = np.cross(ahead, across)
    return across, ahead, -up if up[2] < 0 else up, bool(up[2] < 0)


def eye_coats(site: Site, face: Face, left: NDArray, right: NDArray, rack: Rack) -> list[Coat]:
    """The eyes as coats, in order (CP-33): dark sockets, off-white into the openings, a dark line round them, then
    both dots; of eyes too small for a dot a dark wash into the sockets only.

    Args:
        left, right: (3,) mm, the middles of the model's own eyes.
    Raises:
        SettingError: the rack has nothing to mix them from.
    """
    across, ahead, up, _ = frame_of(site.surface, left, right)
    points, facing = site.surface.points.astype(float), site.surface.normals @ ahead > 0

    def spots(wide: float, high: float, dot: bool = False) -> NDArray[np.bool_]:
        """(N,) of both eyes within so many of an opening's width and height; of a dot round where it looks."""
        out = np.zeros(len(site), np.bool_)
        for eye, middle in ((face.left, left), (face.right, right)):
            off = points - middle
            x, y = off @ across, off @ up
            if dot:
                x, y = x - eye.toward_right, y - eye.up
            a, b = max(wide * eye.width / 2, 1e-6), max(high * eye.height / 2, 1e-6)
            shape = (x / a) ** 2 + (y / b) ** 2
            near = facing & (np.abs(off @ ahead) < 2 * eye.width)
            out |= near & (shape <= 1)
            if not (near & (shape <= 1)).any() and near.any():  # finer than the samples: the one that is there
                out[np.flatnonzero(near)[np.argmin(shape[near])]] = True
        return out & site.paintable

    brushed = [p for p in rack if p.kind in ("base", "layer")]
    washes = [p for p in rack if p.kind == "wash"]
    if not brushed:
        raise SettingError("there is no base or layer paint on the rack to paint eyes with")

    def laid(on: NDArray[np.bool_], wanted: NDArray[np.float64], label: str) -> Coat:
        coat = usual_coat("brush", nearest_mix(wanted, brushed), f"Face: {label}", COLOUR).with_settings(
            {"water": 1.0}
        )
        return replace(coat, where=Where.some(on), way=EYES)

    sockets = spots(*SOCKET)
    if not face.dots:
        if not washes:
            return [laid(sockets, SOCKET_COLOUR, "dark into the sockets, too small for more")]
        dark = min(washes, key=lambda p: p.looks.value)
        coat = usual_coat("wash", only(dark), "Face: a wash into the sockets, too small for more", COLOUR)
        return [replace(coat, where=Where.some(sockets), way=EYES)]
    opening = spots(1.0, 1.0)
    iris = IRIS / OPEN  # of the opening's height
    return [
        laid(sockets, SOCKET_COLOUR, "sockets dark"),
        laid(opening, EYE_WHITE, "off-white into both eyes"),
        laid(spots(*LINE) & ~opening, LINE_COLOUR, "a dark line round them, heavier above"),
        laid(spots(IRIS, iris, dot=True), DOT_COLOUR, "the dots, both at once"),
    ]


@dataclass(frozen=True)
class Seen:
    """What is to be seen of one eye, mm², once its coats lie: white, dark (line and dot), and the shares of the
    opening that both have. side: the model's own."""

    side: str
    white: float = rounded(3)
    dark: float = rounded(3)

    @property
    def share(self) -> float:
        """Of white."""
        return self.white / max(self.white + self.dark, 1e-9)


def eyes_seen(
    site: Site, coats: Sequence[Coat], face: Face, left: NDArray, right: NDArray
) -> tuple[Seen, Seen] | None:
    """What coats make of the right and the left eye; None where there is no white among them.

    coats: those of the eyes, in order. left, right: (3,) mm.
    """
    whites = [k for k, c in enumerate(coats) if c.technique == "brush" and c.mix.colour.value >= WHITE_OF_AN_EYE]
    if not whites:
        return None
    across, ahead, up, _ = frame_of(site.surface, left, right)
    shown = np.full(len(site), -1)
    for k, coat in enumerate(coats):
        mask = site.on(coat.where)
        shown[slice(None) if mask is None else mask] = k
    points, out = site.surface.points.astype(float), []
    for eye, middle in ((face.right, right), (face.left, left)):
        off = points - middle
        x, y = off @ across / (eye.width / 2), off @ up / (eye.height / 2)
        inside = (x * x + y * y <= 1) & (site.surface.normals @ ahead > 0) & (np.abs(off @ ahead) < 2 * eye.width)
        white = inside & np.isin(shown, whites)
        dark = inside & (shown > max(whites))
        out.append(Seen(eye.side, float(site.areas[white].sum()), float(site.areas[dark].sum())))
    return out[0], out[1]


def eye_pair_words(seen: tuple[Seen, Seen]) -> str:
    """Which of a pair of eyes came out worse, and by what; "" where they are alike."""
    worse, better = sorted(seen, key=lambda s: (s.white, s.share))
    if better.white <= 0 or worse.white >= ALIKE_EYES * better.white:
        return ""
    return (
        f"Its {worse.side} eye came out worse: {worse.white:.2f} mm² of white are seen, and {better.white:.2f} mm² "
        f"in the other. Paint it first, and set the other to match: a touch more off-white on the {worse.side}, or "
        f"a heavier line on the {better.side}."
    )


def eye_words(eye: Eye) -> str:
    """Where its dot goes, in words."""
    side = "right" if eye.toward_right >= 0 else "left"
    height = "up" if eye.up >= 0 else "down"
    return (
        f"Its {eye.side} eye: {abs(eye.toward_right):.2f} mm to your {side}, {abs(eye.up):.2f} mm {height} from the "
        f"middle; opening {eye.width:.2f} × {eye.height:.2f} mm, iris {eye.iris:.2f} mm."
    )


def warm_spots(site: Site, number: int) -> NDArray[np.bool_]:
    """(N,) where a region of skin stands out most, and blood is near: lips, nose, ears, knuckles, elbows."""
    mask = (site.labels == number) & site.paintable
    if not mask.any():
        return mask
    felt = site.relief_at(np.flatnonzero(mask))
    values, weight = (felt.exposed - felt.cavity).astype(float), site.areas[mask].astype(float)
    cut = quantiles(values, weight, (1 - WARM_SHARE,))[0]
    middle = float(np.average(values, weights=weight))
    spread = float(np.sqrt(np.average((values - middle) ** 2, weights=weight)))
    mask[mask] = values > max(cut, middle + spread)
    return mask


def warmth(site: Site, number: int, rack: Rack) -> Coat:
    """A thin glaze of the rack's nearest red over the warm spots of a region.

    Raises:
        SettingError: nothing stands out there, or there is no such paint.
    """
    spots, name = warm_spots(site, number), site.marking.regions[number - 1].name
    if not spots.any():
        raise SettingError(f"nothing of “{name}” stands out enough to be warmer than the rest")
    reds = [p for p in rack if p.kind in ("base", "layer", "ink", "one-coat") and p.looks.a > 10]
    if not reds:
        raise SettingError("there is no red or pink on the rack to warm skin with")
    paint = min(reds, key=lambda p: float(np.linalg.norm(p.looks.lab - BLOOD)))
    coat = usual_coat("brush", only(paint), f"{name}: warmth on nose, lips, ears and joints", COLOUR)
    film = round(WARM_PASSES * WICKED * paint.of("coat_um") / (1 + WARM_WATER), 2)
    settings = coat.with_settings({"film_um": film, "water": WARM_WATER}).settings
    return Coat("brush", coat.mix, settings, Where.some(spots), label=coat.label, stage=COLOUR)
