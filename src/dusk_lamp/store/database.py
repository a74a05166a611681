"""The database: SQLite in the data folder, or any other that an address names; PostgreSQL is the second one that is
tested.

A database that has just begun is made in the newest shape at once. An older one of SQLite is brought to it on a copy
(store.upgrade); one of PostgreSQL, which came with revision 0018, in one transaction, by one process at a time.
"""

from pathlib import Path
from typing import Any

from sqlalchemy import create_engine, event, func, inspect, select, text
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import OperationalError

from ..settings import Settings
from .models import Base
from .upgrade import DATABASE, DatabaseError, begin, config_of, revisions, upgrade

BUSY_S = 30  # how long a save waits for another one
SAVES = "dusk_lamp_saves"  # an execution option: this transaction will write
UPGRADE_LOCK, SAVE_LOCK = 5_151_001, 5_151_002  # advisory locks of ours
CONNECT_S = 5
PAINT_NAME = {"sqlite": "json_extract(label, '$.name')", "postgresql": "label->>'name'"}
NO_TWINS = (  # as revision 0007 has them
    "CREATE UNIQUE INDEX one_paint_of_a_name ON paint (user_id, lower({paint_name})) WHERE deleted_at IS NULL",
    "CREATE UNIQUE INDEX one_recipe_of_a_name ON recipe (user_id, lower(name)) WHERE deleted_at IS NULL",
    "CREATE UNIQUE INDEX one_sculpt_of_a_name ON sculpt (user_id, lower(name)) WHERE deleted_at IS NULL",
)


def engine_of(root: Path, settings: Settings) -> Engine:
    """The engine of a data folder, or of the database that the settings name."""
    if not settings.database:
        engine = create_engine(f"sqlite:///{root / DATABASE}", connect_args={"timeout": BUSY_S})
        event.listen(engine, "connect", _prepare_sqlite)
        event.listen(engine, "begin", _begin_sqlite)
        return engine
    more: dict[str, Any] = {}
    if settings.database.startswith("postgresql"):
        more["connect_args"] = {"connect_timeout": CONNECT_S, "options": f"-c lock_timeout={BUSY_S}s"}
    engine = create_engine(settings.database, pool_pre_ping=True, pool_size=10, max_overflow=20, **more)
    if engine.dialect.name == "postgresql":
        event.listen(engine, "begin", _begin_postgres)
    return engine


def newest(root: Path, settings: Settings) -> None:
    """Bring the database to the newest shape.

    Raises:
        DatabaseError: it was made by a newer Dusk Lamp, lost something on the way, or cannot be reached: then nothing
        was changed.
    """
    if not settings.database:
        if (root / DATABASE).exists():
            upgrade(root)
        else:
            begin(root, _make)
        return
    engine = engine_of(root, settings)
    try:
        with engine.begin() as connection:
            if engine.dialect.name == "postgresql":
                connection.execute(text("SELECT pg_advisory_xact_lock(:k)"), {"k": UPGRADE_LOCK})
            _bring(connection)
    except OperationalError as e:
        raise DatabaseError(f"the database {_named(engine)} cannot be reached; nothing was changed") from e
    finally:
        engine.dispose()


def _make(connection: Connection) -> None:
    """Give an empty database the newest shape, and note it where Alembic looks for it."""
    Base.metadata.create_all(connection)
    name = connection.dialect.name
    for line in NO_TWINS if name in PAINT_NAME else ():
        connection.exec_driver_sql(line.format(paint_name=PAINT_NAME[name]))
    if name == "postgresql":  # the first painter's number is taken
        connection.exec_driver_sql("SELECT setval(pg_get_serial_sequence('painter', 'id'), 1)")
    connection.exec_driver_sql("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)")
    connection.execute(text("INSERT INTO alembic_version VALUES (:head)"), {"head": revisions()[-1]})


def _bring(connection: Connection) -> None:
    from alembic import command
    from alembic.runtime.migration import MigrationContext

    known = revisions()
    head = known[-1]
    found = MigrationContext.configure(connection).get_current_revision()
    if found == head:
        return
    config = config_of()
    config.attributes["connection"] = connection
    if found is None:
        if inspect(connection).get_table_names():
            raise DatabaseError(
                "this database holds tables of something else; name an empty one. Nothing was changed"
            )
        _make(connection)
        return
    if found not in known:
        raise DatabaseError("this database was made by a newer Dusk Lamp; nothing was changed. Start that one")
    before = counts(connection)
    command.upgrade(config, "head")
    after = counts(connection)
    if lost := [name for name, count in before.items() if after.get(name, 0) < count]:
        raise DatabaseError(
            f"{', '.join(lost)} would have lost rows on the way to the newest shape; nothing was changed"
        )


def counts(connection: Connection) -> dict[str, int]:
    """How many rows each of our tables has, of those that are there."""
    tables = set(inspect(connection).get_table_names())
    return {
        name: connection.execute(select(func.count()).select_from(table)).scalar_one()
        for name, table in Base.metadata.tables.items()
        if name in tables
    }


def _named(engine: Engine) -> str:
    return engine.url.render_as_string(hide_password=True)


def _prepare_sqlite(connection: Any, _record: Any) -> None:
    connection.isolation_level = None  # transactions are begun below, not by the driver
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA synchronous=NORMAL")


def _begin_sqlite(connection: Connection) -> None:
    # a transaction that read first cannot write once somebody else has; one that will write takes its turn at once
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get(SAVES) else "BEGIN")


def _begin_postgres(connection: Connection) -> None:
    # the same: saves are short, and what one depends on must not change under it
    if connection.get_execution_options().get(SAVES):
        connection.exec_driver_sql(f"SELECT pg_advisory_xact_lock({SAVE_LOCK})")
