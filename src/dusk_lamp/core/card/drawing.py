"""A card drawn: as a PDF to print, and as a picture."""

from collections.abc import Mapping
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from ..paint.colour import screen_levels
from ..view.sheet_facts import FONTS
from .card import GREY_PLACE, INK, MARKER_AT_MM, MARKER_MM, PAPER, PX_MM, TALL_MM, WIDE_MM, Card, Words
from .reading import DICTIONARY, corners_mm, marker_number

LINE, PALE = 150, 205  # levels of lines round places
TEXT, BOLD = "atkinson-hyperlegible-next-400", "atkinson-hyperlegible-next-700"
LEFT_MM, TOP_MM = 15.0, 18.0  # of the card on its page
MARK_CELLS = 6


def marker(number: int) -> NDArray[np.bool_]:
    """(6, 6) the squares of a mark: True where it is white."""
    dictionary = cv2.aruco.getPredefinedDictionary(DICTIONARY)
    return np.asarray(cv2.aruco.generateImageMarker(dictionary, number, MARK_CELLS)) > 127


def words_of(card: Card) -> tuple[Words, ...]:
    """All words that are printed on a card."""
    title = Words(MARKER_AT_MM + MARKER_MM + 4, 9, card.title, 5.0, True)
    grey = Words(GREY_PLACE.x + 1, GREY_PLACE.y + 6.2, "grey card here", 2.6)
    labels = [Words(p.x, p.y - 1.2, p.label, 2.8) for p in card.places if p.label]
    return (title, grey, *labels, *card.printed)


def card_pdf(card: Card) -> bytes:
    """The card on an A4 page, with what to do below it."""
    from fpdf import FPDF

    pdf = FPDF(format="A4")
    pdf.set_auto_page_break(False)
    pdf.set_title(f"{card.title}: a card to paint")
    pdf.set_creator("Dusk Lamp")
    pdf.add_font("text", "", FONTS / f"{TEXT}.ttf")
    pdf.add_font("text", "B", FONTS / f"{BOLD}.ttf")
    pdf.add_page()
    pdf.set_draw_color(PALE)
    pdf.set_line_width(0.15)
    pdf.rect(LEFT_MM, TOP_MM, WIDE_MM, TALL_MM)
    pdf.set_fill_color(0)
    for place in card.black:
        pdf.rect(LEFT_MM + place.x, TOP_MM + place.y, place.wide, place.high, style="F")
    for corner in range(4):
        x, y = corners_mm(corner)[0]
        side = MARKER_MM / MARK_CELLS
        pdf.set_fill_color(0)
        pdf.rect(LEFT_MM + x, TOP_MM + y, MARKER_MM, MARKER_MM, style="F")
        pdf.set_fill_color(255)
        for row, column in zip(*np.nonzero(marker(marker_number(card, corner))), strict=True):
            pdf.rect(LEFT_MM + x + column * side, TOP_MM + y + row * side, side, side, style="F")
    pdf.set_draw_color(LINE)
    for place in (*card.places, GREY_PLACE):
        pdf.rect(LEFT_MM + place.x, TOP_MM + place.y, place.wide, place.high)
    for w in words_of(card):
        pdf.set_font("text", "B" if w.bold else "", size=w.size / 0.3528)
        pdf.text(LEFT_MM + w.x, TOP_MM + w.y, w.text)
    pdf.set_xy(LEFT_MM, TOP_MM + TALL_MM + 8)
    pdf.set_font("text", size=10.5)
    steps = (*card.how, *AFTER)
    for n, line in enumerate(steps, 1):
        pdf.set_x(LEFT_MM)
        pdf.multi_cell(WIDE_MM, 5.4, f"{n}. {line}", new_x="LMARGIN", new_y="NEXT")
    return bytes(pdf.output())


AFTER = (
    "Lay a grey card (18 %) in its place if you have one. Photograph the card from straight above in even light, all "
    "four corner marks in the picture, no shadow on it.",
)


@cache
def _font(bold: bool, size: float) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(Path(FONTS) / f"{BOLD if bold else TEXT}.ttf"), size)


def card_light(
    card: Card, painted: Mapping[str, NDArray] | None = None, grey: float | None = None, px_mm: float = PX_MM
) -> NDArray[np.float32]:
    """(H, W, 3) reflectance of a card, linear: as printed, or painted. painted: by place, linear colours (3,), or
    (N, 3) from left to right. grey: reflectance of a grey card in its place, None for none."""
    image = Image.new("L", (round(WIDE_MM * px_mm), round(TALL_MM * px_mm)), 255)
    draw = ImageDraw.Draw(image)

    def box(x: float, y: float, wide: float, high: float) -> tuple[float, float, float, float]:
        return x * px_mm, y * px_mm, (x + wide) * px_mm - 1, (y + high) * px_mm - 1

    for place in card.black:
        draw.rectangle(box(place.x, place.y, place.wide, place.high), fill=0)
    side = MARKER_MM / MARK_CELLS
    for corner in range(4):
        x, y = corners_mm(corner)[0]
        draw.rectangle(box(x, y, MARKER_MM, MARKER_MM), fill=0)
        for row, column in zip(*np.nonzero(marker(marker_number(card, corner))), strict=True):
            draw.rectangle(box(x + column * side, y + row * side, side, side), fill=255)
    for place in (*card.places, GREY_PLACE):
        draw.rectangle(box(place.x, place.y, place.wide, place.high), outline=LINE)
    for w in words_of(card):
        draw.text((w.x * px_mm, w.y * px_mm), w.text, fill=0, font=_font(w.bold, w.size * px_mm), anchor="ls")
    share = np.asarray(image, np.float32)[..., None] / 255
    out = np.repeat(INK + (PAPER - INK) * share, 3, axis=2)
    for place in card.places:
        if painted is None or place.name not in painted:
            continue
        left, top, right, bottom = (round(v) for v in box(place.x, place.y, place.wide, place.high))
        colours = np.atleast_2d(np.asarray(painted[place.name], np.float32))
        along = np.linspace(0, len(colours) - 1, right - left + 1)
        row = np.stack([np.interp(along, np.arange(len(colours)), colours[:, c]) for c in range(3)], axis=1)
        out[top : bottom + 1, left : right + 1] = row[None]
    if grey is not None:
        left, top, right, bottom = (
            round(v) for v in box(GREY_PLACE.x, GREY_PLACE.y, GREY_PLACE.wide, GREY_PLACE.high)
        )
        out[top : bottom + 1, left : right + 1] = grey
    return out.astype(np.float32)


def card_picture(card: Card, px_mm: float = PX_MM) -> NDArray[np.uint8]:
    """(H, W, 3) the card as it is printed."""
    return screen_levels(card_light(card, px_mm=px_mm) / PAPER)
