"""The plan sheet as a PDF: black on white, pictures large. Typeset by fpdf2 with the fonts that ship."""

import io
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import cast

import numpy as np
from fpdf import FPDF
from fpdf.fonts import TTFFont
from PIL import Image

from ..plan.step import Step
from ..units import THIN_SPACE, counted, grouped

FONTS = Path(__file__).parent / "fonts"
PAGE_MM, MARGIN_MM = (210, 297), 14
NO_BREAK = "\u00a0"  # the fonts that are printed with have no narrower one
DOME_MM = 15
OTHER_SCRIPTS = (  # the first that has a letter gives it; read only where they are needed
    "latin-ext", "greek", "greek-ext", "cyrillic", "cyrillic-ext", "hebrew-hebrew", "arabic-arabic", "jp-japanese", "kr-korean",
    "sc-chinese-simplified",
)  # fmt: skip
JOINED = re.compile("[\u0590-\u08ff]")  # Hebrew, Arabic: from the right, and letters join
KANA = re.compile("[\u3040-\u30ff]")
FEW_VIEWS = ("display", "back")
FEW_WIDE_MM, FEW_ROOM_MM = 27.0, 26.0  # of a picture beside the words, and for what stands under it
MOST_SEAMS = 12  # on the first page
ROOM_MM = 62  # for the words of a step round its pictures
PICTURE_RATIO = 4 / 3  # height over width of every step picture
READING = (  # how a step's pictures are read, in print and on screen
    "Each picture shows the model before its step, amber where the film goes; "
    "a picture without amber is painted all over, and shows how it looks then."
)


@dataclass(frozen=True)
class SheetFacts:
    """What stands in the heading. school: what the coats came from. near: the share of the area near the light when
    the undercoat is done; coloured: of what is painted in colour. times: what it takes, in words, on so many
    models."""

    name: str
    light: str
    height_mm: float
    area_mm2: float
    notice: str
    seams: list[str]
    school: str = ""
    near: float | None = None
    times: str = ""
    models: int = 1
    coloured: float | None = None


def views_of(step: Step, views: Sequence[str]) -> list[str]:
    """The views that a step is shown from: coats on one region need fewer."""
    return list(views) if step.stage == "undercoat" else list(FEW_VIEWS)


def plan_pdf(
    facts: SheetFacts,
    steps: list[Step],
    views: list[str],
    picture: Callable[[int, str], bytes],
    finished: bytes,
    progress: Callable[[float], None] | None = None,
) -> bytes:
    """The plan as A4 pages.

    Args:
        facts: heading.
        steps: in working order.
        views: names of the views, in the order they are shown.
        picture: gives the PNG of a step (from 0) seen from a view.
        finished: PNG of the finished model.
        progress: is told the share that is done.
    """
    pdf = _Pages(
        facts.name, "".join([facts.name, *facts.seams, *(f"{s.heading}{s.drops_words}{s.goes_on}" for s in steps)])
    )
    wide = PAGE_MM[0] - 2 * MARGIN_MM
    pdf.add_page()
    pdf.set_font("display", size=26)
    pdf.multi_cell(wide - 62, 11, facts.name, align="L", new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("text", size=10.5)
    pdf.ln(2)
    coloured = f" In colour {100 * facts.coloured:.0f} % comes near its colour." if facts.coloured is not None else ""
    near = (
        f" {100 * facts.near:.0f} % of the surface ends within half a value of the light."
        if facts.near is not None
        else ""
    )
    for words in (
        f"{facts.height_mm:.0f} mm tall, {grouped(facts.area_mm2).replace(THIN_SPACE, NO_BREAK)} mm² to paint. {facts.light}",
        f"{facts.school}: {counted(len(steps), 'step', 'steps')}.{near}{coloured} {READING}",
        f"For {counted(facts.models, 'model', 'models')}: {facts.times}." if facts.times else "",
        facts.notice,
    ):
        if words:
            pdf.multi_cell(wide - 62, 5.2, words, align="L", new_x="LMARGIN", new_y="NEXT")
            pdf.ln(2)
    if facts.seams:
        pdf.set_font("text", "B", 9.5)
        pdf.cell(wide - 62, 5, "Seams to match", new_x="LMARGIN", new_y="NEXT")
        pdf.set_font("text", size=9.5)
        for line in facts.seams[:MOST_SEAMS]:
            pdf.multi_cell(wide - 62, 4.6, line, align="L", new_x="LMARGIN", new_y="NEXT")
    pdf.image(_packed(finished), PAGE_MM[0] - MARGIN_MM - 56, MARGIN_MM, 56)
    pdf.set_y(max(pdf.get_y() + 4, MARGIN_MM + 56 * PICTURE_RATIO + 6))

    gap = 2.0
    picture_wide = (wide - gap * (len(views) - 1)) / len(views)
    picture_tall = picture_wide * PICTURE_RATIO
    cautioned: dict[tuple[str, ...], int] = {}
    for k, step in enumerate(steps):
        if progress:
            progress(k / len(steps))
        shown = views_of(step, views)
        few = len(shown) < len(views)  # then they stand beside the words
        room = FEW_WIDE_MM * PICTURE_RATIO + FEW_ROOM_MM if few else picture_tall + ROOM_MM
        if pdf.get_y() + room > PAGE_MM[1] - MARGIN_MM:
            pdf.add_page()
        y = pdf.get_y()
        beside = len(shown) * (FEW_WIDE_MM + gap) if few else DOME_MM + gap
        pdf.set_fill_color(*(int(step.hex[c : c + 2], 16) for c in (1, 3, 5)))
        pdf.set_draw_color(60)
        pdf.rect(MARGIN_MM, y, 15, 15, "DF")
        pdf.rect(PAGE_MM[0] - MARGIN_MM - 6, y + 1, 6, 6)  # to tick
        _dome(pdf, step, PAGE_MM[0] - MARGIN_MM - DOME_MM / 2, y + 10 + DOME_MM / 2)
        pdf.set_xy(MARGIN_MM + 18, y - 0.6)
        pdf.set_font("display", size=15)
        pdf.cell(wide - 26, 7.5, f"{step.number}. {step.heading}", new_x="LEFT", new_y="NEXT")
        pdf.set_font("text", "B", 9.5)
        pdf.multi_cell(
            wide - 18 - (beside if few else 0),
            4.6,
            f"{step.title}: {step.drops_words}{_for_one(facts, step)}; {step.thinning_words}.",
            align="L",
            new_x="LEFT",
            new_y="NEXT",
        )
        pdf.set_font("text", size=9.5)
        where = f"{step.where_from[:1].upper()}{step.where_from[1:]}. " if step.where_from else ""
        for words in (
            f"{where}{step.how} {step.when_to_stop}",
            f"{step.time_words}. On {step.goes_on}; value {step.value:.1f} of 10, {step.film_um:.0f} µm where it lies thickest.",
            *(f"{w}" for w in step.warnings),
            f"If it goes wrong: {step.mishap} {step.way_out}",
        ):
            pdf.set_x(MARGIN_MM + 18)
            pdf.multi_cell(wide - 18 - beside, 4.6, words, align="L", new_x="LMARGIN", new_y="NEXT")
        pdf.ln(1.5)
        own_wide = FEW_WIDE_MM if few else picture_wide
        from_x = PAGE_MM[0] - MARGIN_MM - beside if few else MARGIN_MM
        words_end = pdf.get_y()
        y = y + 9 if few else max(words_end, y + 12 + DOME_MM)
        for n, view in enumerate(shown):
            x = from_x + n * (own_wide + gap)
            pdf.image(_packed(picture(k, view)), x, y, own_wide)
            pdf.set_xy(x, y + own_wide * PICTURE_RATIO)
            pdf.set_font("text", size=8)
            pdf.cell(own_wide, 4, view, align="C")
        pdf.set_xy(MARGIN_MM, max(words_end if few else 0.0, y + own_wide * PICTURE_RATIO + 4.5))
        pdf.set_font("text", "B", 8.5)
        pdf.write(4.2, "Safety: ")
        pdf.set_font("text", size=8.5)
        first = cautioned.setdefault(step.caution_tags, step.number)
        pdf.write(4.2, " ".join(step.cautions) if first == step.number else f"as at step {first}.")
        pdf.ln(9.2)
    return bytes(pdf.output())


def _dome(pdf: FPDF, step: Step, x: float, y: float) -> None:
    """Where a coat comes from: the dome seen from above, the front downwards."""
    if step.dial is None:
        return
    r = DOME_MM / 2 / 1.3
    pdf.set_draw_color(60)
    pdf.circle(x, y, r)
    pdf.line(x - 0.12 * r, y + 1.2 * r, x + 0.12 * r, y + 1.2 * r)
    pdf.set_fill_color(170)
    pdf.circle(x, y, 0.3 * r, "F")
    pdf.set_fill_color(20)
    if step.turns:
        pdf.set_line_width(0.8)
        pdf.circle(x, y, r * float(np.hypot(*step.dial)))
        pdf.set_line_width(0.2)
    else:
        pdf.line(x, y, x + r * step.dial[0], y + r * step.dial[1])
        pdf.circle(x + r * step.dial[0], y + r * step.dial[1], 0.14 * r, "F")


def _for_one(facts: SheetFacts, step: Step) -> str:
    return f" for all {facts.models} (for one {step.drops_of_one_words})" if facts.models > 1 else ""


class _Pages(FPDF):
    """A4 pages with the plan's name and the page's number at the foot. names: all that painters have named, in any
    script."""

    def __init__(self, name: str, names: str) -> None:
        super().__init__(format="A4")
        self._name = name
        self.set_auto_page_break(False)
        self.set_margins(MARGIN_MM, MARGIN_MM)
        self.set_title(f"{name}: plan sheet")
        self.set_creator("Dusk Lamp")
        for family, style, file in (("text", "", "atkinson-hyperlegible-next-400"), ("text", "B", "atkinson-hyperlegible-next-700"),
                                    ("display", "", "fraunces-600")):  # fmt: skip
            self.add_font(family, style, FONTS / f"{file}.ttf")
        others = ["display"]  # it has the µ
        missing = {letter for letter in names if not self._has("text", letter) and letter.isprintable()}
        scripts = (
            OTHER_SCRIPTS
            if KANA.search(names)
            else (*OTHER_SCRIPTS[:-3], "sc-chinese-simplified", *OTHER_SCRIPTS[-3:-1])
        )
        for script in scripts:
            if missing:
                self.add_font(script, "", FONTS / f"noto-sans-{script}.woff")
                found = {letter for letter in missing if self._has(script, letter)}
                missing -= found
                others += [script] if found else []
        self.set_fallback_fonts(others, exact_match=False)
        if JOINED.search(names):
            self.set_text_shaping(True)

    def _has(self, family: str, letter: str) -> bool:
        return ord(letter) in cast(TTFFont, self.fonts[family]).cmap

    def footer(self) -> None:
        """The name and the page's number."""
        self.set_y(PAGE_MM[1] - 9)
        self.set_font("text", size=8)
        self.cell(0, 4, f"{self._name}, page {self.page_no()}", align="R")


def _packed(png: bytes) -> io.BytesIO:
    """A picture as JPEG: photographs of grey shapes take a fifth of the room, and 90 % leaves no trace on paper."""
    out = io.BytesIO()
    Image.open(io.BytesIO(png)).convert("RGB").save(out, "JPEG", quality=90)
    out.seek(0)
    return out
