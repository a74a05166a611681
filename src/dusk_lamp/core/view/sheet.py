"""The plan sheet as a PDF: black on white, pictures large. Typeset by fpdf2 with the fonts that ship."""

import io
import re
from collections.abc import Callable, Sequence
from typing import cast

import numpy as np
from fpdf import FPDF
from fpdf.fonts import TTFFont
from PIL import Image

from ..plan.steps.cards import StepCard, how_once, pictures_of
from ..plan.steps.step import Step
from ..plan.steps.task import Task
from ..units import THIN_SPACE, counted, grouped
from .sheet_facts import FONTS, READING, SheetFacts

PAGE_MM, MARGIN_MM = (210, 297), 14
SOFT_HYPHEN = "\u00ad"
NO_BREAK = "\u00a0"  # the fonts that are printed with have no narrower one
DOME_MM = 15
OTHER_SCRIPTS = (  # the first that has a letter gives it; read only where they are needed
    "latin-ext",
    "greek",
    "greek-ext",
    "cyrillic",
    "cyrillic-ext",
    "hebrew-hebrew",
    "arabic-arabic",
    "jp-japanese",
    "kr-korean",
    "sc-chinese-simplified",
)
JOINED = re.compile("[\u0590-\u08ff]")  # Hebrew, Arabic: from the right, and letters join
OWN_LETTERS = "Δ"  # that the sheet's own words need beside those of its usual font
KANA = re.compile("[\u3040-\u30ff]")
CARD_WIDE_MM, CARD_GAP_MM, CARD_PICTURE_MM = 88.0, 6.0, 24.0
HEAD, TEXT, SMALL = ("B", 9.0, 4.2), ("", 8.0, 3.7), ("", 7.2, 3.3)  # of a step: style, size, mm from line to line
FIRST_STEP_MM = 18.0  # of the first step of a card, that stays with its pictures
PALETTE_COLUMNS, PALETTE_ROW_MM = 3, 8.4
MOST_SEAMS = 12  # on the first page
PICTURE_RATIO = 4 / 3  # height over width of every step picture


def plan_pdf(
    facts: SheetFacts,
    steps: list[Step],
    picture: Callable[[int, str], bytes],
    finished: bytes,
    progress: Callable[[float], None] | None = None,
) -> bytes:
    """The plan as A4 pages.

    Args:
        facts: heading.
        steps: in working order.
        picture: gives the PNG of a step (from 0) seen from a view.
        finished: PNG of the finished model.
        progress: is given the share that is done.
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
    promised = f" {facts.promised}" if facts.promised else ""
    near = (
        f" {100 * facts.near:.0f} % of the surface ends within half a value of the light."
        if facts.near is not None and not promised
        else ""
    )
    for words in (
        f"{facts.height_mm:.0f} mm tall, {grouped(facts.area_mm2).replace(THIN_SPACE, NO_BREAK)} mm² to paint. "
        f"{facts.light}",
        f"{facts.school}: {counted(len(steps), 'step', 'steps')}.{near}{promised} {READING}",
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
    _palette(pdf, facts, wide)
    column = _Columns(pdf)
    cards = facts.cards or [StepCard("Steps", tuple(range(len(steps))))]
    cautioned: dict[tuple[str, ...], int] = {}
    advised: set[str] = set()  # techniques of which it was said when to stop, and how to mend
    for n, card in enumerate(cards):
        if progress:
            progress(n / len(cards))
        _card(pdf, column, facts, card, steps, picture, cautioned, advised)
    return bytes(pdf.output())


class _Columns:
    """Two columns that cards are put into, from top to bottom, the left one first."""

    def __init__(self, pdf: FPDF) -> None:
        self.pdf, self.top, self.left = pdf, pdf.get_y(), True
        self.y = self.top

    @property
    def x(self) -> float:
        """Where the present column begins."""
        return MARGIN_MM if self.left else MARGIN_MM + CARD_WIDE_MM + CARD_GAP_MM

    def room(self, tall: float) -> None:
        """Go on in the next column, or on the next page, where so much does not fit."""
        if self.y + tall <= PAGE_MM[1] - MARGIN_MM:
            return
        if not self.left:
            self.pdf.add_page()
            self.top = MARGIN_MM
        self.left = not self.left
        self.y = self.top


def _palette(pdf: FPDF, facts: SheetFacts, wide: float) -> None:
    """What to have out, and the wet palette."""
    if not facts.puddles:
        return
    pdf.set_font("text", "B", 10)
    pdf.cell(wide, 5.5, f"Have out: {counted(len(facts.pots), 'pot', 'pots')}", new_x="LMARGIN", new_y="NEXT")
    pdf.set_font("text", size=9)
    pdf.multi_cell(wide, 4.4, ", ".join(facts.pots), align="L", new_x="LMARGIN", new_y="NEXT")
    pdf.ln(1.5)
    pdf.set_font("text", "B", 10)
    pdf.cell(wide, 5.5, "Your palette, in the order you need it (drops)", new_x="LMARGIN", new_y="NEXT")
    if facts.mixing:
        pdf.set_font("text", size=9)
        pdf.cell(wide, 4.4, facts.mixing, new_x="LMARGIN", new_y="NEXT")
    each = wide / PALETTE_COLUMNS
    y = pdf.get_y()
    rows = -(-len(facts.puddles) // PALETTE_COLUMNS)
    for k, (hex_, words, used) in enumerate(facts.puddles):
        x, at = MARGIN_MM + each * (k // rows), y + PALETTE_ROW_MM * (k % rows)
        if at + PALETTE_ROW_MM > PAGE_MM[1] - MARGIN_MM:
            break
        pdf.set_fill_color(*_levels_of(hex_))
        pdf.circle(x + 3, at + 3.2, 2.7, "DF")
        pdf.set_xy(x + 7, at)
        pdf.set_font("text", "B", 8.5)
        pdf.cell(each - 8, 3.6, _cut(pdf, words, each - 8), new_x="LEFT", new_y="NEXT")
        pdf.set_font("text", size=7.5)
        pdf.cell(each - 8, 3.2, _cut(pdf, used, each - 8))
    pdf.set_xy(MARGIN_MM, y + PALETTE_ROW_MM * rows + 3)
    if facts.twins:
        pdf.set_font("text", "B", 9)
        pdf.cell(wide, 4.6, "To mend by brush what is primed or sprayed", new_x="LMARGIN", new_y="NEXT")
        pdf.set_font("text", size=8)
        pdf.multi_cell(wide, 3.9, " ".join(facts.twins), align="L", new_x="LMARGIN", new_y="NEXT")
        pdf.ln(2)


def _card(
    pdf: FPDF,
    column: _Columns,
    facts: SheetFacts,
    card: StepCard,
    steps: Sequence[Step],
    picture: Callable[[int, str], bytes],
    cautioned: dict[tuple[str, ...], int],
    advised: set[str],
) -> None:
    """One card: its title, a strip of its mixes, pictures where something happens, and its steps to tick off."""
    steps_here = [steps[k] for k in card.steps]
    column.room(CARD_PICTURE_MM * PICTURE_RATIO + 16 + FIRST_STEP_MM)
    x, y = column.x, column.y
    pdf.set_draw_color(60)
    pdf.line(x, y, x + CARD_WIDE_MM, y)
    pdf.set_xy(x, y + 1)
    pdf.set_font("display", size=13)
    pdf.cell(CARD_WIDE_MM, 6.5, _cut(pdf, card.title, CARD_WIDE_MM - 7 * min(len(steps_here), 7)))
    for k, step in enumerate(steps_here[:7]):
        pdf.set_fill_color(*_levels_of(step.hex))
        pdf.rect(x + CARD_WIDE_MM - 6.5 * (min(len(steps_here), 7) - k), y + 1.6, 5.5, 5.5, "DF")
    shown = pictures_of(card, steps)
    top = y + 9
    for n, (k, view) in enumerate(shown):
        at = x + n * (CARD_PICTURE_MM + 1.5)
        pdf.image(_packed(picture(k, view)), at, top, CARD_PICTURE_MM)
        pdf.set_xy(at, top + CARD_PICTURE_MM * PICTURE_RATIO)
        pdf.set_font("text", size=7)
        pdf.cell(CARD_PICTURE_MM, 3.4, f"step {steps[k].number}, {view}", align="C")
    column.y = top + (CARD_PICTURE_MM * PICTURE_RATIO + 5 if shown else 0)
    how = how_once(card, steps)
    for k, step in zip(card.steps, steps_here, strict=True):
        _line(pdf, column, facts, k, step, how[k], cautioned, advised)
    column.y += 4


def _line(
    pdf: FPDF,
    column: _Columns,
    facts: SheetFacts,
    k: int,
    step: Step,
    how: str,
    cautioned: dict[tuple[str, ...], int],
    advised: set[str],
) -> None:
    """One step: a box to tick, what goes on, how (where that is not as before), how long, and what to mind."""
    put = facts.puts[k] if k < len(facts.puts) else None
    head = f"{step.number}. {f'{put.letter}, ' if put else ''}{step.heading}"
    where = f"{step.where_from[:1].upper()}{step.where_from[1:]}. " if step.where_from else ""
    drops = put.words if put else step.drops_words
    for_one = "" if put and not put.rows else _for_one(facts, step)
    words = f"{step.title}: {drops}{for_one}; {step.thinning_words}. {where}{how}".strip()
    words = " ".join([*(f"Before it: {task_words(task)}" for task in step.before), words])
    more = [f"{step.time_words}.", *step.warnings]
    more += [f"After it: {task_words(task)}" for task in step.after]
    if step.technique not in advised:
        advised.add(step.technique)
        words += f" {step.when_to_stop}"
        more.append(f"If it goes wrong: {step.mishap} {step.way_out}")
    first = cautioned.setdefault(step.caution_tags, step.number)
    safety = f"Safety: {' '.join(step.cautions)}" if first == step.number else ""
    if not safety:
        more.append(f"Safety: as at step {first}.")
    dome = DOME_MM + 2 if step.dial is not None else 0
    text_wide = CARD_WIDE_MM - 6 - dome
    texts = ((head, *HEAD), (words, *TEXT), (" ".join(more), *TEXT), (safety, *SMALL))
    broken = [(_broken(pdf, w, text_wide, style, size), style, size, tall) for w, style, size, tall in texts if w]
    column.room(max(sum(len(lines) * tall for lines, _, _, tall in broken) + 3, dome + 4))
    x, y = column.x, column.y
    pdf.set_draw_color(60)
    pdf.rect(x, y + 0.8, 3.6, 3.6)  # to tick
    if dome:
        _dome(pdf, step, x + CARD_WIDE_MM - DOME_MM / 2, y + 1 + DOME_MM / 2)
    pdf.set_xy(x + 6, y)
    for lines, style, size, tall in broken:
        pdf.set_font("text", style, size)
        for line in lines:
            pdf.cell(text_wide, tall, line, new_x="LEFT", new_y="NEXT")
    column.y = max(pdf.get_y(), y + dome + 3) + 1.6


def _broken(pdf: FPDF, words: str, wide: float, style: str, size: float) -> list[str]:
    """Words in lines that fit. Breaking takes most of the time of a sheet, so it is done once, and by whole words
    where they are plain: letter by letter, as the library does it, takes ten times as long."""
    pdf.set_font("text", style, size)
    lines = pdf.lines_of_plain(words, wide) if isinstance(pdf, _Pages) else None
    return lines or cast(list[str], pdf.multi_cell(wide, size, words, dry_run=True, output="LINES"))


def task_words(task: Task) -> str:
    """A task in a line, with what to mind."""
    cautions = f" Safety: {' '.join(task.cautions)}" if task.tags else ""
    time = f" {task.time_words}." if task.time_words else ""
    return f"{task.title[:1].lower()}{task.title[1:]}. {task.how}{time}{cautions}"


def _cut(pdf: FPDF, words: str, wide: float) -> str:
    """Words as far as they fit on one line."""
    if pdf.get_string_width(words) <= wide:
        return words
    while words and pdf.get_string_width(f"{words}…") > wide:
        words = words[:-1]
    return f"{words.rstrip()}…"


def _levels_of(hex_: str) -> tuple[int, int, int]:
    r, g, b = (int(hex_[k : k + 2], 16) for k in (1, 3, 5))
    return r, g, b


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
        self._widths: dict[tuple[str, float, str], float] = {}
        self.set_auto_page_break(False)
        self.set_margins(MARGIN_MM, MARGIN_MM)
        self.set_title(f"{name}: plan sheet")
        self.set_creator("Dusk Lamp")
        for family, style, file in (
            ("text", "", "atkinson-hyperlegible-next-400"),
            ("text", "B", "atkinson-hyperlegible-next-700"),
            ("display", "", "fraunces-600"),
        ):
            self.add_font(family, style, FONTS / f"{file}.ttf")
        others = ["display"]  # it has the µ
        missing = {letter for letter in names + OWN_LETTERS if not self._has("text", letter) and letter.isprintable()}
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

    def lines_of_plain(self, words: str, wide: float) -> list[str] | None:
        """Words in lines that fit the font that is set; None where they are not plain: other scripts, joined letters,
        breaks of their own, or a word longer than a line."""
        if self.text_shaping or "  " in words or words != words.strip():
            return None
        letters = set(words) - {" ", NO_BREAK}
        if SOFT_HYPHEN in letters or any(one.isspace() for one in letters):
            return None
        if not all(self._has("text", one) or self._has("display", one) for one in letters):
            return None
        room, space = wide - 2 * self.c_margin, self._width_of(" ")
        lines: list[list[str]] = []
        line: list[str] = []
        far = 0.0
        for word in words.split(" "):
            word_width = self._width_of(word)
            if word_width > room:
                return None
            if line and far + space + word_width > room + 1e-9:
                lines.append(line)
                line, far = [], 0.0
            far += word_width + (space if line else 0.0)
            line.append(word)
        return [" ".join(line).replace(NO_BREAK, " ") for line in (*lines, line)]

    def _width_of(self, word: str) -> float:
        """mm in the font that is set; words come again and again."""
        key = self.font_style, self.font_size_pt, word
        if key not in self._widths:
            self._widths[key] = self.get_string_width(word)
        return self._widths[key]

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
