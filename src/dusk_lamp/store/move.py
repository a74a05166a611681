"""Moving a bench from one database to another: SQLite in a folder to PostgreSQL, or back; every row, counted."""

from dataclasses import replace
from pathlib import Path

from sqlalchemy import Integer, insert, select, text
from sqlalchemy.engine import Connection

from ..core.errors import SettingError
from ..settings import Settings
from .database import counts, engine_of, newest
from .models import Base

ROWS = 500  # at a time


def move(root: Path, settings: Settings, to: str) -> dict[str, int]:
    """Copy every row of the database that the settings name into an empty one. to: an address, or a folder for
    SQLite. Files stay where they are; they are copied by hand, or shared. Returns the rows of each table.

    Raises:
        SettingError: the other database is not empty, or the same. DatabaseError: one cannot be reached.
    """
    moved = replace(settings, database=to if "://" in to else "")
    other = root if "://" in to else Path(to)
    if moved.database == settings.database and other.resolve() == root.resolve():
        raise SettingError("this is the database that is in use; name another one")
    other.mkdir(parents=True, exist_ok=True)
    newest(root, settings)
    newest(other, moved)
    source, target = engine_of(root, settings), engine_of(other, moved)
    try:
        with source.connect() as old, target.begin() as new:
            if any(counts(new).values()):
                raise SettingError("the other database has something in it; name an empty one")
            for table in Base.metadata.sorted_tables:
                rows = old.execute(select(table)).mappings()
                while piece := rows.fetchmany(ROWS):
                    new.execute(insert(table), [dict(row) for row in piece])
            before, after = counts(old), counts(new)
            if before != after:
                wrong = ", ".join(name for name in before if before[name] != after.get(name))
                raise SettingError(f"not all rows of {wrong} arrived; nothing was moved")
            if new.dialect.name == "postgresql":
                _count_on(new)
    finally:
        source.dispose()
        target.dispose()
    return after


def _count_on(connection: Connection) -> None:
    """New rows go on counting after those that were moved."""
    for table in Base.metadata.sorted_tables:
        key = table.primary_key.columns.get("id")
        if key is not None and isinstance(key.type, Integer):
            sequence = f"pg_get_serial_sequence('\"{table.name}\"', 'id')"
            connection.execute(
                text(f'SELECT setval({sequence}, greatest((SELECT max(id) FROM "{table.name}"), 1))')  # noqa: S608
            )
