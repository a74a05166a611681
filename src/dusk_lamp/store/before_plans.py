"""Data folders from before plans were one document, versions 0001 to 0014, brought to the last shape of that time:
the tables and columns that are missing are added, and what had another name or form then is carried over."""

import json
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy.engine import Connection

VERSION = "0015"
OLDER = tuple(f"{number:04}" for number in range(1, int(VERSION)))
SHAPE = Path(__file__).with_name("before_plans.sql")
RENAMED = (("sculpt", "ladder", "greys"), ("paint", "told", "label"))
NO_TWINS = {
    "paint": "user_id, lower(json_extract(label, '$.name'))",
    "recipe": "user_id, lower(name)",
    "sculpt": "user_id, lower(name)",
}


def bring(connection: Connection) -> None:
    """Bring an empty or an older database to the shape of 0015; one that has it stays as it is."""
    for table, before, after in RENAMED:
        if before in _columns(connection, table):
            connection.exec_driver_sql(f"ALTER TABLE {table} RENAME COLUMN {before} TO {after}")
    with closing(sqlite3.connect(":memory:")) as wanted:
        wanted.executescript(SHAPE.read_text())
        for (table,) in wanted.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
            if (has := _columns(connection, table)) and table != "sqlite_sequence":
                for _, name, kind, needed, usual, _ in wanted.execute(f"PRAGMA table_info({table})").fetchall():
                    if name not in has:
                        ends = (f" DEFAULT {usual}" if usual is not None else "") + " NOT NULL" * needed
                        connection.exec_driver_sql(f"ALTER TABLE {table} ADD COLUMN {name} {kind}{ends}")
    for statement in SHAPE.read_text().split(";\n"):
        if statement.strip():
            connection.exec_driver_sql(statement)
    _stages_done(connection)
    if "undercoat" in _columns(connection, "sculpt"):
        _coats_as_rows(connection)
    _number_twins(connection)
    for table, alike in NO_TWINS.items():
        index = f"CREATE UNIQUE INDEX IF NOT EXISTS one_{table}_of_a_name"
        connection.exec_driver_sql(f"{index} ON {table} ({alike}) WHERE deleted_at IS NULL")


def _columns(connection: Connection, table: str) -> set[str]:
    return {row[1] for row in connection.exec_driver_sql(f"PRAGMA table_info({table})")}


def _stages_done(connection: Connection) -> None:
    """A stage that is done remembers what it rested on; of stages done before, that is not known and left empty."""
    for sculpt_id, done in connection.exec_driver_sql("SELECT id, stages_done FROM sculpt").all():
        if isinstance(stages := json.loads(done), list):
            marks = {"greys" if stage == "ladder" else stage: "" for stage in stages}
            connection.exec_driver_sql(
                "UPDATE sculpt SET stages_done = ? WHERE id = ?", (json.dumps(marks), sculpt_id)
            )


def _coats_as_rows(connection: Connection) -> None:
    """What was one undercoat beside each sculpt, with its states that can be undone, becomes rows."""
    for sculpt_id, undercoat in connection.exec_driver_sql("SELECT id, undercoat FROM sculpt").all():
        kept = json.loads(undercoat or "{}")
        if not kept.get("coats"):
            continue
        for number, state in enumerate([*kept.get("past", []), kept], 1):
            school, colour = state.get("school", "ladder"), bool(state.get("in_colour"))
            scheme = connection.exec_driver_sql(
                "INSERT INTO scheme (sculpt_id, number, school, primer, through, in_colour) "
                "VALUES (?, ?, ?, ?, ?, ?)",
                (sculpt_id, number, school, state.get("primer"), state.get("through"), colour),
            ).lastrowid
            for place, coat in enumerate(state.get("coats", [])):
                connection.exec_driver_sql(
                    "INSERT INTO coat (scheme_id, place, stage, technique, mix, settings, goes_on, muted, label) "
                    "VALUES (?, ?, 'undercoat', ?, ?, ?, ?, ?, ?)",
                    (scheme, place, *_coat(coat)),
                )
            connection.exec_driver_sql("UPDATE sculpt SET scheme_id = ? WHERE id = ?", (scheme, sculpt_id))
    connection.exec_driver_sql("ALTER TABLE sculpt DROP COLUMN undercoat")


def _coat(coat: dict[str, Any]) -> tuple[Any, ...]:
    """A coat as it was kept, a pass beside an amount; since then both are settings of the technique."""
    settings = {**coat["pass"]} if coat.get("pass") else {"film_um": coat["amount"], **coat.get("settings", {})}
    mix, everywhere = (
        {"paints": coat["paints"], "parts": coat["parts"]},
        {"kind": "whole", "number": 0, "samples": []},
    )
    plain = (json.dumps(mix), json.dumps(settings), json.dumps(everywhere))
    return coat["technique"], *plain, bool(coat.get("muted")), str(coat.get("label", ""))[:80]


def _number_twins(connection: Connection) -> None:
    """No two paints, recipes or sculpts have one name at a time; what was twin before gets a number."""
    paint_name = sa.func.json_extract(sa.column("label"), "$.name")
    for table, name, longest in (
        ("paint", paint_name, 54),
        ("recipe", sa.column("name"), 54),
        ("sculpt", sa.column("name"), 110),
    ):
        rows = sa.table(table, sa.column("id"), sa.column("name"), sa.column("label"), sa.column("deleted_at"))
        kept = sa.select(rows.c.id, name).select_from(rows).where(rows.c.deleted_at.is_(None)).order_by(rows.c.id)
        seen: set[str] = set()
        for row_id, first in connection.execute(kept).all():
            numbered, k = first, 2
            while numbered.lower() in seen:
                numbered, k = f"{first[:longest]} ({k})", k + 1
            seen.add(numbered.lower())
            if numbered != first:
                value = (
                    {"label": sa.func.json_set(rows.c.label, "$.name", numbered)}
                    if table == "paint"
                    else {"name": numbered}
                )
                connection.execute(sa.update(rows).where(rows.c.id == row_id).values(value))
