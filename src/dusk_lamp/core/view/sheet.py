"""The plan sheet as a PDF: black on white, pictures large. Typeset by fpdf2 with the fonts that ship."""

import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from fpdf import FPDF
from PIL import Image

from ..plan.steps import Step

PAGE_MM, MARGIN_MM = (210, 297), 14
MOST_SEAMS = 12  # on the first page
PICTURE_RATIO = 4 / 3  # height over width of every step picture


@dataclass(frozen=True)
class SheetFacts:
    """What stands in the heading."""

    name: str
    light: str
    height_mm: float
    area_mm2: float
    notice: str
    seams: list[str]


def plan_pdf(
    facts: SheetFacts,
    steps: list[Step],
    views: list[str],
    picture: Callable[[int, str], bytes],
    finished: bytes,
    fonts: Path,
) -> bytes:
    """The plan as A4 pages.

    Args:
        facts: heading.
        steps: darkest first.
        views: names of the views, in the order they are shown.
        picture: gives the PNG of a step (from 0) seen from a view.
        finished: PNG of the finished sketch.
        fonts: folder that holds the two fonts as .ttf.
    """
    pdf = FPDF(format="A4")
    pdf.set_auto_page_break(False)
    pdf.set_margins(MARGIN_MM, MARGIN_MM)
    pdf.set_title(f"{facts.name}: plan sheet")
    pdf.set_creator("Dusk Lamp")
    pdf.add_font("text", "", fonts / "atkinson-hyperlegible-next-400.ttf")
    pdf.add_font("text", "B", fonts / "atkinson-hyperlegible-next-700.ttf")
    pdf.add_font("display", "", fonts / "fraunces-600.ttf")
    wide = PAGE_MM[0] - 2 * MARGIN_MM

    pdf.add_page()
    pdf.set_font("display", size=26)
    pdf.multi_cell(wide - 62, 11, facts.name, align="L", new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("text", size=10.5)
    pdf.ln(2)
    pdf.multi_cell(
        wide - 62, 5.2,
        f"{facts.height_mm:.0f} mm tall, {facts.area_mm2:,.0f} mm² to paint. {facts.light}",
        align="L", new_x="LMARGIN", new_y="NEXT",
    )  # fmt: skip
    pdf.ln(3)
    pdf.multi_cell(
        wide - 62, 5.2,
        "Work from the darkest grey to the lightest. Each grey lies inside the one before and leaves a rim of it. "
        "Amber hatching shows where the next grey goes.",
        align="L", new_x="LMARGIN", new_y="NEXT",
    )  # fmt: skip
    if facts.notice:
        pdf.ln(2)
        pdf.multi_cell(wide - 62, 5.2, facts.notice, align="L", new_x="LMARGIN", new_y="NEXT")
    if facts.seams:
        pdf.ln(2)
        pdf.set_font("text", "B", 9.5)
        pdf.cell(wide - 62, 5, "Seams to match", new_x="LMARGIN", new_y="NEXT")
        pdf.set_font("text", size=9.5)
        for line in facts.seams[:MOST_SEAMS]:
            pdf.multi_cell(wide - 62, 4.6, line, align="L", new_x="LMARGIN", new_y="NEXT")
    pdf.ln(4)
    left = pdf.get_x()
    top = pdf.get_y()
    each = (wide - 62) / len(steps)
    for step in steps:  # the grey card
        level = int(step.hex[1:3], 16)
        pdf.set_fill_color(level)
        pdf.set_draw_color(120)
        x = left + (step.number - 1) * each
        pdf.rect(x, top, each, 12, "DF")
        pdf.set_xy(x, top + 12.5)
        pdf.set_font("text", size=8)
        pdf.cell(each, 4, f"{step.number}   N {step.value:.1f}", align="C")
    pdf.image(_packed(finished), PAGE_MM[0] - MARGIN_MM - 56, MARGIN_MM, 56)
    pdf.set_y(max(top + 22, MARGIN_MM + 56 * PICTURE_RATIO + 6))

    gap = 2.0
    picture_wide = (wide - gap * (len(views) - 1)) / len(views)
    picture_tall = picture_wide * PICTURE_RATIO
    for step in steps:
        if pdf.get_y() + picture_tall + 40 > PAGE_MM[1] - MARGIN_MM:
            pdf.add_page()
        y = pdf.get_y()
        pdf.set_fill_color(int(step.hex[1:3], 16))
        pdf.set_draw_color(60)
        pdf.rect(MARGIN_MM, y, 15, 15, "DF")
        pdf.set_xy(MARGIN_MM + 18, y - 0.6)
        pdf.set_font("display", size=15)
        pdf.cell(wide - 18, 7.5, f"{step.number}. {step.title}", new_x="LEFT", new_y="NEXT")
        pdf.set_font("text", size=9.5)
        pdf.cell(
            wide - 18, 5,
            f"Value N {step.value:.1f}, L* {step.lightness:.0f}. Covers {step.covered:.0%} of the surface "
            f"({step.covered_mm2:,.0f} mm²); {step.left:.0%} stays visible.",
            new_x="LEFT", new_y="NEXT",
        )  # fmt: skip
        pdf.set_x(MARGIN_MM + 18)
        pdf.multi_cell(wide - 18, 4.6, f"{step.where} {step.how}", align="L", new_x="LMARGIN", new_y="NEXT")
        pdf.ln(1.5)
        y = max(pdf.get_y(), y + 17)
        for k, view in enumerate(views):
            x = MARGIN_MM + k * (picture_wide + gap)
            pdf.image(_packed(picture(step.number - 1, view)), x, y, picture_wide)
            pdf.set_xy(x, y + picture_tall)
            pdf.set_font("text", size=8)
            pdf.cell(picture_wide, 4, view, align="C")
        pdf.set_xy(MARGIN_MM, y + picture_tall + 4.5)
        if step.cautions:
            pdf.set_font("text", "B", 8.5)
            pdf.write(4.2, "Mind: ")
            pdf.set_font("text", size=8.5)
            pdf.write(4.2, " ".join(step.cautions))
            pdf.ln(4.2)
        pdf.ln(5)
    return bytes(pdf.output())


def _packed(png: bytes) -> io.BytesIO:
    """A picture as JPEG: photographs of grey shapes take a fifth of the room, and 90 % leaves no trace on paper."""
    out = io.BytesIO()
    Image.open(io.BytesIO(png)).convert("RGB").save(out, "JPEG", quality=90)
    out.seek(0)
    return out
