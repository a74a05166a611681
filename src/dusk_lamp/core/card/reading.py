"""A card in a photo: found by the marks in its corners, laid flat, the light of the room taken out by its paper."""

import cv2
import numpy as np
from numpy.typing import NDArray

from ..check.photo import Photo
from ..errors import SettingError
from ..paint.colour import cones, from_cones
from ..paint.film import GREY_CARD
from .card import GREY_PLACE, MARKER_AT_MM, MARKER_MM, PAPER, PX_MM, TALL_MM, WIDE_MM, Card, CardPlace, Flat

DICTIONARY = cv2.aruco.DICT_4X4_50
CLEAR_MM = 2.0  # round what is printed or painted: paper nearer than that is not taken as bare
GRID_MM = 3.0
BENT_MM = 1.2  # that the marks may lie beside where a flat card has them
UNEVEN = 2.0  # times that one corner may be brighter than another
TRIMS, TRIMMED = 4, 0.08  # rounds, and the logarithm of light that bare paper may differ by: else it is dirty
GREY_MOST, GREY_HUE = 0.55, 0.12  # of the paper's light, and of its colour: a grey card lies there
CLIPPED_MOST = 0.05


def marker_number(card: Card, corner: int) -> int:
    """The number of the mark in a corner of a card: 0 top left, then clockwise."""
    return 4 * card.number + corner


def corners_mm(corner: int) -> NDArray[np.float64]:
    """(4, 2) the corners of the mark in a corner of a card, mm, clockwise from the top left."""
    x = MARKER_AT_MM if corner in (0, 3) else WIDE_MM - MARKER_AT_MM - MARKER_MM
    y = MARKER_AT_MM if corner in (0, 1) else TALL_MM - MARKER_AT_MM - MARKER_MM
    return np.array([[x, y], [x + MARKER_MM, y], [x + MARKER_MM, y + MARKER_MM], [x, y + MARKER_MM]])


def flat_card(card: Card, photo: Photo) -> Flat:
    """A card in a photo, as reflectances.

    Raises:
        SettingError: the card is not found whole, it is bent, or too little of its paper is bare.
    """
    at, corners = _marks(card, photo)
    turn, _ = cv2.findHomography(at.astype(np.float32), corners.astype(np.float32))
    if turn is None:
        raise SettingError("the card cannot be laid flat; photograph it from straight above")
    laid = cv2.perspectiveTransform(at.astype(np.float32)[:, None], turn)[:, 0]
    if float(np.abs(laid - corners).max()) > BENT_MM:
        raise SettingError("the card is bent, or the lens bends it; lay it flat and step back")
    onto = np.diag([PX_MM, PX_MM, 1.0]) @ turn
    size = (round(WIDE_MM * PX_MM), round(TALL_MM * PX_MM))
    light = cv2.warpPerspective(np.ascontiguousarray(photo.light, np.float32), onto, size, flags=cv2.INTER_LINEAR)
    lost = cv2.warpPerspective(photo.clipped.astype(np.uint8), onto, size, flags=cv2.INTER_NEAREST).astype(bool)
    troubles = []
    for place in card.places:
        if lost[_pixels(place)].mean() > CLIPPED_MOST:
            raise SettingError(f"{place.label or place.name} is burnt out or black in the photo; take it again")
    light = np.maximum(cones(light), 1e-5).astype(np.float32)
    paper = _paper(card, light, lost)
    if float(paper[..., 1].max() / max(paper[..., 1].min(), 1e-6)) > UNEVEN:
        troubles.append("The light is uneven: one corner has twice that of another. Turn the card, or step back.")
    relative = light / paper
    white = _white(relative)
    if white is None:
        troubles.append("No grey card lay in its place: the paper is taken as usual office paper.")
    reflectance = from_cones(relative * (PAPER if white is None else white))
    return Flat(np.maximum(reflectance, 0).astype(np.float32), tuple(troubles))


def _marks(card: Card, photo: Photo) -> tuple[NDArray, NDArray]:
    """Pixels (16, 2) of the corners of the four marks, and where they lie on the card, mm."""
    finder = cv2.aruco.ArucoDetector(cv2.aruco.getPredefinedDictionary(DICTIONARY))
    corners, numbers, _ = finder.detectMarkers(cv2.cvtColor(photo.levels, cv2.COLOR_RGB2GRAY))
    found = {} if numbers is None else dict(zip(np.ravel(numbers).tolist(), corners, strict=True))
    wanted = [marker_number(card, k) for k in range(4)]
    missing = [k for k, number in enumerate(wanted) if number not in found]
    if len(missing) == 4 and len(found) >= 3:
        raise SettingError(f"this is another card; choose that one, or bring a photo of “{card.title}”")
    if missing:
        raise SettingError(
            "the card is not found: all four square marks in its corners have to be in the photo, sharp, not mirrored"
        )
    at = np.concatenate([np.asarray(found[n], float).reshape(4, 2) for n in wanted])
    return at, np.concatenate([corners_mm(k) for k in range(4)])


def _pixels(place: CardPlace, round_mm: float = 0.0) -> tuple[slice, slice]:
    def span(at: float, long: float) -> slice:
        return slice(max(0, round((at - round_mm) * PX_MM)), max(0, round((at + long + round_mm) * PX_MM)))

    return span(place.y, place.high), span(place.x, place.wide)


def _paper(card: Card, light: NDArray, lost: NDArray) -> NDArray[np.float32]:
    """(H, W, 3) what white paper would send to the eye's receptors from every place: a smooth surface through what is
    bare.

    Raises:
        SettingError: too little of it is bare.
    """
    height, width = lost.shape
    free = ~lost
    marks = [CardPlace("", float(x), float(y), MARKER_MM, MARKER_MM) for x, y in (corners_mm(k)[0] for k in range(4))]
    printed = [CardPlace("", w.x, w.y - w.size, len(w.text) * w.size * 0.62, 1.4 * w.size) for w in card.printed]
    labels = [CardPlace("", p.x - 9, p.y - 4.5, p.wide + 9, 4.5) for p in card.places if p.label]
    for place in (*card.places, *card.black, *marks, *printed, *labels, GREY_PLACE):
        free[_pixels(place, CLEAR_MM)] = False
    step = round(GRID_MM * PX_MM)
    rows, columns = np.mgrid[step // 2 : height : step, step // 2 : width : step]
    rows, columns = rows[free[rows, columns]], columns[free[rows, columns]]
    if len(rows) < 40:
        raise SettingError("too little bare paper is left to tell the light by; paint inside the lines")
    half = step // 3
    patches = np.lib.stride_tricks.sliding_window_view(light, (2 * half + 1, 2 * half + 1), axis=(0, 1))
    seen = np.median(patches[rows - half, columns - half].reshape(len(rows), 3, -1), axis=2)
    log = np.log(np.maximum(seen, 1e-4))
    terms = _smooth(columns / width, rows / height)
    keep = log[:, 1] > np.quantile(log[:, 1], 0.9) - 1.2
    for _ in range(TRIMS):
        fit = np.linalg.lstsq(terms[keep], log[keep], rcond=None)[0]
        keep = np.abs(log - terms @ fit).max(axis=1) < TRIMMED
        if keep.sum() < 30:
            raise SettingError("the light on the card is not even: shadows fall on it, or it is dirty")
    x, y = np.arange(width)[:, None] / width, np.arange(height)[:, None, None] / height
    return np.exp((fit[0] + x * fit[1] + x * x * fit[4]) + y * (fit[2] + x * fit[3]) + y * y * fit[5]).astype(
        np.float32
    )


def _smooth(x: NDArray, y: NDArray) -> NDArray[np.float64]:
    """(N, 6) the terms of a smooth surface."""
    return np.column_stack([np.ones_like(x), x, y, x * y, x * x, y * y]).astype(float)


def _white(relative: NDArray) -> NDArray[np.float64] | None:
    """(3,) the reflectance of the paper, by the grey card in its place; None where none lies there."""
    inner = CardPlace("", GREY_PLACE.x + 5, GREY_PLACE.y + 4, GREY_PLACE.wide - 10, GREY_PLACE.high - 8)
    card = np.median(relative[_pixels(inner)].reshape(-1, 3), axis=0).astype(float)
    if card[1] > GREY_MOST or float(np.abs(card / card[1] - 1).max()) > GREY_HUE:
        return None
    return GREY_CARD / np.maximum(card, 1e-3)
