"""Tables of numbers that were measured, published or are known of the trade, as CSV files; every row names its
source."""

import csv
from functools import cache
from importlib.resources import files


@cache
def rows(table: str) -> tuple[dict[str, str], ...]:
    """The rows of a table by its file's name without ending; lines that begin with # are remarks."""
    content = (files(__name__) / f"{table}.csv").read_text("utf-8")
    return tuple(csv.DictReader(line for line in content.splitlines() if line and not line.startswith("#")))


@cache
def by(table: str, key: str) -> dict[str, dict[str, str]]:
    """The rows of a table by one of their columns."""
    return {row[key]: row for row in rows(table)}
