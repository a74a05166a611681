"""The rack: the paints a painter owns, and their files (CSV, GPL palette)."""

import csv
import io
import re
from collections.abc import Iterable
from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any

from ..datasets import rows
from ..errors import SettingError
from ..plain import checked, choice, number, plain
from .colour import Colour, colour_of, rgb_from_hex
from .pigment import HIDING, LEAST_HIDING, MOST_HIDING, Pigment, from_drawdown, from_swatch

MOST_PAINTS = 2000  # more than any shop carries; a longer file is something else
LONGEST_NAME = 60
GPL_HEADER = "GIMP Palette"  # the first line the open palette format asks for


class RackError(SettingError):
    """A rack's file, or a paint in it, is not right; the message says where."""


@dataclass(frozen=True)
class Kind:
    """What paints of a kind have in common, unless their bottle says otherwise; see datasets/kinds_of_paint.csv.

    coat_um: dry thickness of one normal brushed coat. sprayed_um: of one sprayed. minutes: until the next coat.
    solids: share by volume that stays. density: g/ml. hiding: contrast ratio of one coat. changes_colour: False for
    varnishes. mixable: whether it goes together with others in one well of a palette.
    """

    coat_um: float
    sprayed_um: float
    minutes: float
    solids: float
    density: float
    finish: str
    hiding: float
    changes_colour: bool
    mixable: bool


def _kind(row: dict[str, str]) -> Kind:
    um, sprayed, minutes, solids, density = (
        float(row[k]) for k in ("coat_um", "sprayed_um", "minutes", "solids", "density")
    )
    hiding = HIDING.get(row["hiding"]) or float(row["hiding"])
    yes = (row["changes_colour"] == "yes", row["mixable"] == "yes")
    return Kind(um, sprayed, minutes, solids, density, row["finish"], hiding, *yes)


KINDS = {row["kind"]: _kind(row) for row in rows("kinds_of_paint")}
FINISHES = ("matt", "satin", "gloss")
MIXABLE = tuple(name for name, kind in KINDS.items() if kind.mixable)


@dataclass(frozen=True)
class Paint:
    """One bottle.

    colour: `#rrggbb` of a coat that hides wholly. hiding: contrast ratio of one normal coat; None for the kind's.
    Instead of both, a drawdown: over_black and over_white, the colours of one coat of drawdown_um µm over the two
    cards. stock_ml: what is left; low_ml: when to buy. The rest as in Kind, None for the kind's.
    """

    name: str
    kind: str = choice("layer", tuple(KINDS), "a kind")
    colour: str = "#808080"
    hiding: float | None = number(None, LEAST_HIDING, MOST_HIDING, "hiding")
    over_black: str | None = None
    over_white: str | None = None
    drawdown_um: float | None = number(None, 1, 2000, "a drawdown's thickness", "µm")
    coat_um: float | None = number(None, 1, 2000, "a coat", "µm")
    minutes: float | None = number(None, 0, 100_000, "drying", "minutes")
    solids: float | None = number(None, 0.02, 1, "the share of solids")
    density: float | None = number(None, 0.5, 10, "density", "g/ml")
    finish: str | None = choice(None, FINISHES, "a finish")
    stock_ml: float = number(0.0, 0, 100_000, "what is left", "ml")
    low_ml: float = number(3.0, 0, 100_000, "when to buy it", "ml")

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > LONGEST_NAME:
            raise RackError(f"a paint's name has 1 to {LONGEST_NAME} letters")
        who = f"“{self.name}”"
        checked(self, RackError, f"{who}: ")
        drawdown = (self.over_black, self.over_white, self.drawdown_um)
        if any(v is not None for v in drawdown) and None in drawdown:
            raise RackError(f"{who}: a drawdown needs both colours and its thickness in µm")
        try:
            for text in (self.colour, self.over_black, self.over_white):
                if text is not None:
                    rgb_from_hex(text)
        except SettingError as e:
            raise RackError(f"{who}: {e}") from e

    @property
    def of_kind(self) -> Kind:
        """What its kind has in common."""
        return KINDS[self.kind]

    def of(self, what: str) -> Any:
        """One of coat_um, minutes, solids, density, finish: its own, or its kind's."""
        value = getattr(self, what)
        return getattr(self.of_kind, what) if value is None else value

    @property
    def hides(self) -> float:
        """Contrast ratio of one normal coat."""
        return self.of_kind.hiding if self.hiding is None else self.hiding

    @cached_property
    def pigment(self) -> Pigment:
        """Its absorption and scattering.

        Raises:
            RackError: no paint can be like this.
        """
        try:
            if self.over_black and self.over_white and self.drawdown_um:
                return from_drawdown(self.over_black, self.over_white, self.drawdown_um)
            return from_swatch(self.colour, self.hides, self.of("coat_um"))
        except SettingError as e:
            raise RackError(f"“{self.name}”: {e}") from e

    @cached_property
    def looks(self) -> Colour:
        """The colour of a coat that hides wholly."""
        return colour_of(self.pigment.masstone)

    @property
    def low(self) -> bool:
        """Whether it is time to buy it."""
        return self.stock_ml <= self.low_ml


PAINT_FIELDS = tuple(f.name for f in fields(Paint))
_NUMBERS = ("hiding", "drawdown_um", "coat_um", "minutes", "solids", "density", "stock_ml", "low_ml")
_WRITTEN = re.compile(r"(#?[0-9a-fA-F]{6})(?:@([0-9.,eE+-]+))?")


def paint_written(text: str) -> Paint:
    """A paint written `#rrggbb@hiding` (hiding 0.98 where it is left out).

    Raises:
        RackError: not written like that.
    """
    match = _WRITTEN.fullmatch(text.strip())
    if not match:
        raise RackError(f"a paint is a name on the rack, or written #rrggbb@0.95, not '{text[:40]}'")
    hiding = _number(match[2], "hiding", text) if match[2] else HIDING["opaque"]
    if not LEAST_HIDING <= hiding <= MOST_HIDING:
        raise RackError(
            f"'{text}': hiding is the contrast ratio of one coat, between {LEAST_HIDING:g} and just under 1, not "
            f"{hiding:g}"
        )
    return Paint(text.strip(), "layer", "#" + match[1].lstrip("#").lower(), hiding)


class Rack:
    """Paints by name; names differ in more than their capitals."""

    def __init__(self, paints: Iterable[Paint] = ()) -> None:
        self.paints: list[Paint] = list(paints)
        self._by_name = {p.name.casefold(): p for p in self.paints}
        if len(self._by_name) < len(self.paints):
            seen: set[str] = set()
            for p in self.paints:
                if p.name.casefold() in seen:
                    raise RackError(f"two paints are called “{p.name}”; give one of them another name")
                seen.add(p.name.casefold())

    def __iter__(self):
        return iter(self.paints)

    def __len__(self) -> int:
        return len(self.paints)

    def find(self, text: str) -> Paint:
        """A paint by its name on the rack, or written `#rrggbb@hiding`.

        Raises:
            RackError: neither.
        """
        paint = self._by_name.get(text.strip().casefold())
        if paint is not None:
            return paint
        if text.strip().startswith("#"):
            return paint_written(text)
        near = [p.name for p in self.paints if text.strip().casefold() in p.name.casefold()][:3]
        hint = f"; did you mean {' or '.join(near)}?" if near else ""
        raise RackError(f"there is no paint called “{text[:60]}” on the rack{hint}")

    def mixable(self) -> list[Paint]:
        """Those that can be mixed into one colour."""
        return [p for p in self.paints if p.kind in MIXABLE]


def _number(text: str, what: str, where: str) -> float:
    # a comma is the decimal sign in half the world's spreadsheets
    try:
        return float(text.strip().replace(",", ".") if text.count(",") == 1 and "." not in text else text)
    except ValueError as e:
        raise RackError(f"{where}: {what} is a number, not '{text[:30]}'") from e


def _decoded(content: bytes) -> str:
    for encoding in ("utf-8-sig", "utf-16") if content[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252"):
        try:
            return content.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise RackError("the file is not text in any encoding this bench knows; save it as UTF-8")


def rack_from_csv(content: bytes) -> Rack:
    """A rack from CSV with a heading; see docs/formats.md. Commas, semicolons or tabs; decimal points or commas.

    Raises:
        RackError: no heading, a heading without name and colour, more than MOST_PAINTS rows, or a bad paint; says
        which row.
    """
    text = _decoded(content)
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=first.count)
    lines = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        heading = [h.strip().casefold() for h in next(lines, [])]
        if "name" not in heading or not ({"colour", "over_black"} & set(heading)):
            raise RackError(
                "the first line must name the columns: name, kind, colour, hiding and so on; see the file formats"
            )
        paints: list[Paint] = []
        for at, row in enumerate(lines, 2):
            if not any(cell.strip() for cell in row):
                continue
            if len(paints) >= MOST_PAINTS:
                raise RackError(
                    f"more than {MOST_PAINTS:,} paints: that is no rack but a catalogue; bring the ones you own"
                )
            cells = {
                h: cell.strip() for h, cell in zip(heading, row, strict=False) if h in PAINT_FIELDS and cell.strip()
            }
            where = f"row {at}"
            try:
                values: dict[str, Any] = {
                    h: _number(cell, h, where) if h in _NUMBERS else _plain(cell) for h, cell in cells.items()
                }
                paints.append(Paint(**values))
            except TypeError as e:
                raise RackError(f"{where} has no name") from e
            except RackError as e:
                raise e if str(e).startswith(where) else RackError(f"{where}: {e}") from e
    except csv.Error as e:
        raise RackError(f"the CSV is garbled: {e}") from e
    return Rack(paints)


def _plain(cell: str) -> str:
    """A cell's text; the quote that keeps a spreadsheet from calculating it is taken off again."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in "=+-@" else cell


def rack_csv(paints: Iterable[Paint]) -> bytes:
    """The rack as CSV (UTF-8, commas). A name that a spreadsheet would take for a formula is quoted."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(PAINT_FIELDS)
    for paint in paints:
        row = ["" if v is None else f"{v:g}" if isinstance(v, float) else v for v in plain(paint).values()]
        writer.writerow([f"'{v}" if isinstance(v, str) and v[:1] in "=+-@" and v[:1] else v for v in row])
    return out.getvalue().encode()


def rack_from_gpl(content: bytes) -> Rack:
    """A rack from a GPL palette: every named colour becomes a layer paint. Names met again are numbered.

    Raises:
        RackError: not a GPL palette, or a bad line.
    """
    lines = _decoded(content).splitlines()
    if not lines or lines[0].strip() != GPL_HEADER:
        raise RackError("this is not a GPL palette: its first line is missing")
    paints: list[Paint] = []
    taken: set[str] = set()
    for at, line in enumerate(lines[1:], 2):
        if not line.strip() or line.startswith("#") or re.match(r"(Name|Columns):", line):
            continue
        match = re.fullmatch(r"\s*(\d+)\s+(\d+)\s+(\d+)\s*(.*)", line)
        if not match or max(map(int, match.groups()[:3])) > 255:
            raise RackError(f"line {at} of the palette is not three numbers up to 255 and a name")
        if len(paints) >= MOST_PAINTS:
            raise RackError(f"more than {MOST_PAINTS:,} colours: that is no rack; bring the ones you own")
        colour = "#{:02x}{:02x}{:02x}".format(*map(int, match.groups()[:3]))
        wanted = match[4].strip()[: LONGEST_NAME - 6] or colour
        name, k = wanted, 2
        while name.casefold() in taken:
            name, k = f"{wanted} ({k})", k + 1
        taken.add(name.casefold())
        paints.append(Paint(name, "layer", colour))
    return Rack(paints)


def rack_gpl(paints: Iterable[Paint], name: str = "Dusk Lamp rack") -> bytes:
    """The rack as a GPL palette of masstones."""
    lines = [GPL_HEADER, f"Name: {name}", "Columns: 8", "#"]
    for paint in paints:
        r, g, b = (round(255 * v) for v in rgb_from_hex(paint.looks.hex))
        lines.append(f"{r:3d} {g:3d} {b:3d}\t{' '.join(paint.name.split())}")
    return ("\n".join(lines) + "\n").encode()
