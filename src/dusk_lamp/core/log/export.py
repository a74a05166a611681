"""The log as CSV and JSON, and back: a row that is cut short is reported."""

import csv
import io
import json
from collections.abc import Iterable
from dataclasses import fields
from typing import Any

from ..errors import SettingError
from ..plain import built, plain
from .entry import Entry

COLUMNS = tuple(f.name for f in fields(Entry))
NUMBERS = ("ml", "mm2", "expected_s", "seconds", "psi", "water", "near")
WHOLE = ("coats", "coats_done", "rating")
MOST_ENTRIES = 100_000


def as_csv(entries: Iterable[Entry]) -> str:
    """Entries as CSV, parts and drops as “Soot 4; Gull 2”."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")  # RFC 4180
    writer.writerow(COLUMNS)
    for e in entries:
        writer.writerow([_cell(getattr(e, name)) for name in COLUMNS])
    return out.getvalue()


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, dict):
        return "; ".join(f"{k} {n:g}" for k, n in value.items())
    words = str(value)
    # what a spreadsheet would take for a formula is text
    return f"'{words}" if isinstance(value, str) and words[:1] in ("=", "+", "-", "@") else words


def as_json(entries: Iterable[Entry]) -> str:
    """Entries as a JSON list."""
    return json.dumps([plain(e) for e in entries], ensure_ascii=False, indent=1)


def from_csv(content: str) -> list[Entry]:
    """Entries from CSV as `as_csv` writes it.

    Raises:
        SettingError: a column is missing, a row is cut short, or a cell is not what it should be; it names the row.
    """
    rows = csv.reader(io.StringIO(content.lstrip("\ufeff")))
    try:
        head = next(rows, None)
        if head is None or "at" not in head or "how" not in head:
            raise SettingError("this is no log: its first line names no columns at and how")
        strange = [c for c in head if c not in COLUMNS]
        if strange:
            raise SettingError(f"a log has no column '{strange[0][:40]}'; it has {', '.join(COLUMNS)}")
        out = []
        for n, row in enumerate(rows, 2):
            if not row:
                continue
            if len(row) != len(head):
                raise SettingError(
                    f"line {n} has {len(row)} of {len(head)} cells; mend or remove it, nothing was taken in"
                )
            out.append(_entry(dict(zip(head, row, strict=True)), f"line {n}"))
            if len(out) > MOST_ENTRIES:
                raise SettingError(f"a log has at most {MOST_ENTRIES:,} entries")
    except csv.Error as e:
        raise SettingError("this is no CSV, or is cut short; nothing was taken in") from e
    return out


def from_json(content: str) -> list[Entry]:
    """Entries from JSON as `as_json` writes it.

    Raises:
        SettingError: see from_csv.
    """
    try:
        given = json.loads(content)
    except (ValueError, RecursionError) as e:
        raise SettingError("this log is no JSON, or is cut short; nothing was taken in") from e
    if not isinstance(given, list) or len(given) > MOST_ENTRIES:
        raise SettingError(f"a log is a list of at most {MOST_ENTRIES:,} entries")
    out = []
    for n, row in enumerate(given, 1):
        if not isinstance(row, dict) or any(k not in COLUMNS for k in row):
            raise SettingError(f"entry {n} is no entry of a log; nothing was taken in")
        out.append(built(Entry, row, f"entry {n}"))
    return out


def _entry(cells: dict[str, str], where: str) -> Entry:
    given: dict[str, Any] = {}
    for name, cell in cells.items():
        try:
            if name in ("parts", "drops"):
                given[name] = _counted(cell, name)
            elif name in NUMBERS:
                given[name] = float(cell) if cell.strip() else None
            elif name in WHOLE:
                given[name] = int(cell) if cell.strip() else None
            else:
                given[name] = cell.removeprefix("'") if cell[:2] in ("'=", "'+", "'-", "'@") else cell
        except ValueError as e:
            raise SettingError(f"{where}: {name} is '{cell[:40]}', which is no number; nothing was taken in") from e
    try:
        return built(Entry, given, where)
    except SettingError as e:
        raise SettingError(f"{where}: {e}; nothing was taken in") from e


def _counted(cell: str, name: str) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for part in (p.strip() for p in cell.split(";") if p.strip()):
        paint, _, n = part.rpartition(" ")
        out[paint.strip()] = int(n) if name == "parts" else float(n)
    return out
