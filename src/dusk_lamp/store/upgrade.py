"""The database of a data folder: begun in the newest shape, and an older one brought to it on a copy, which takes its
place only when it is whole."""

import os
import shutil
import sqlite3
import time
from collections.abc import Callable
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import create_engine, event, text
from sqlalchemy.engine import Connection, Engine

from ..core.errors import DuskLampError
from . import before_plans

if TYPE_CHECKING:  # only needed where something has to be brought to a newer shape, which is seldom
    from alembic.config import Config

DATABASE = "dusk-lamp.db"
MIGRATIONS = Path(__file__).parent / "migrations"
BACKUPS = "backups"
BACKUPS_KEPT = 3
RETIRED = ("marking", "coat", "scheme", "kept_scheme")  # tables whose rows became revisions of plans (0016)


class DatabaseError(DuskLampError):
    """The database cannot be opened; the message says why and what is safe."""


def begin(root: Path, make: Callable[[Connection], None]) -> None:
    """A database where there is none. make: gives an empty one the newest shape."""
    path, copy = root / DATABASE, root / f"{DATABASE}.new"
    _drop(copy)  # left over from a beginning that was cut off
    engine = _engine(copy)
    try:
        with engine.begin() as connection:
            make(connection)
    finally:
        engine.dispose()
    _take_place(copy, path)


def upgrade(root: Path) -> None:
    """Bring the database of a data folder to the newest shape; what was there before is kept beside it.

    Raises:
        DatabaseError: it was made by a newer Dusk Lamp, is damaged, or lost something on the way: then nothing was
        changed.
    """
    path, copy = root / DATABASE, root / f"{DATABASE}.new"
    known = revisions()
    head = known[-1]
    _drop(copy)  # left over from an upgrade that was cut off: the original was never touched
    found = _version(path)
    if found == head:
        return
    if found is not None and found not in known:
        raise DatabaseError(
            f"the data in {root} was made by a newer Dusk Lamp; nothing was changed. Start that one, or choose "
            "another folder"
        )
    with closing(sqlite3.connect(path)) as source, closing(sqlite3.connect(copy)) as target:
        source.backup(target)
    before = _counts(copy)
    _migrate(copy, found, head)
    after = _counts(copy)
    lost = [name for name, count in before.items() if name not in RETIRED and after.get(name, 0) < count]
    with closing(sqlite3.connect(copy)) as database:
        broken = database.execute("PRAGMA foreign_key_check").fetchall()
        sound = database.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    if lost or broken or not sound:
        _drop(copy)
        raise DatabaseError(
            f"the data in {root} could not be brought to the newest shape without losing something; nothing was "
            "changed"
        )
    folder = root / BACKUPS
    folder.mkdir(exist_ok=True)
    shutil.copy2(path, folder / f"before-{head}-{time.strftime('%Y%m%d-%H%M%S')}.db")
    for old in sorted(folder.glob("before-*.db"))[:-BACKUPS_KEPT]:
        old.unlink()
    _take_place(copy, path)


@cache
def revisions() -> tuple[str, ...]:
    """The shapes that are known, the newest last: those from before plans, and how the files of migrations begin."""
    return (*before_plans.OLDER, *sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py")))


def config_of() -> "Config":
    """Where the migrations lie, for Alembic."""
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return config


def _engine(path: Path) -> Engine:
    """Of one transaction: foreign keys off, or a table that is made again would take its rows' rows with it."""
    engine = create_engine(f"sqlite:///{path}")

    def plainly(connection: sqlite3.Connection, _record: object) -> None:
        connection.isolation_level = None
        connection.execute("PRAGMA foreign_keys=OFF")

    event.listen(engine, "connect", plainly)
    event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN IMMEDIATE"))
    return engine


def _migrate(path: Path, found: str | None, head: str) -> None:
    """All at once."""
    from alembic import command

    engine, config = _engine(path), config_of()
    try:
        with engine.connect() as connection:
            if found in before_plans.OLDER:
                before_plans.bring(connection)
                connection.execute(
                    text("UPDATE alembic_version SET version_num = :number"), {"number": before_plans.VERSION}
                )
            config.attributes["connection"] = connection
            command.upgrade(config, head)
    finally:
        engine.dispose()


def _take_place(copy: Path, path: Path) -> None:
    with closing(sqlite3.connect(copy)) as database:
        database.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    os.chmod(copy, 0o600)
    for ending in ("-wal", "-shm"):  # of the original, whose content is in the copy
        Path(f"{path}{ending}").unlink(missing_ok=True)
    os.replace(copy, path)


def _drop(copy: Path) -> None:
    for ending in ("", "-wal", "-shm", "-journal"):
        Path(f"{copy}{ending}").unlink(missing_ok=True)


def _version(path: Path) -> str | None:
    try:
        with closing(sqlite3.connect(path)) as database:
            row = database.execute("SELECT version_num FROM alembic_version").fetchone()
            return row[0] if row else None
    except sqlite3.OperationalError as e:
        if "no such table" in str(e):
            return None
        raise DatabaseError(f"the database {path} cannot be opened ({e}); nothing was changed") from e
    except sqlite3.DatabaseError as e:
        raise DatabaseError(
            f"the database {path} is damaged or no database of Dusk Lamp's; nothing was changed. Copies from before "
            f"upgrades lie in {path.parent / BACKUPS}"
        ) from e


def _counts(path: Path) -> dict[str, int]:
    with closing(sqlite3.connect(path)) as database:
        names = [r[0] for r in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        tables = [n for n in names if n[:7] != "sqlite_"]
        return {n: database.execute(f'SELECT count(*) FROM "{n}"').fetchone()[0] for n in tables}  # noqa: S608
