"""The data folder: migrations, the cache, uploads."""

import io
import sqlite3
from datetime import timedelta

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select

from dusk_lamp.store.cache import Cache, key_of
from dusk_lamp.store.models import Base, Sculpt, now
from dusk_lamp.store.store import Store, add_sculpt, clear_away


def test_the_migrations_make_exactly_the_models(tmp_path):
    store = Store(tmp_path)
    with store.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        assert compare_metadata(context, Base.metadata) == []
    store.close()


def test_opening_a_folder_again_keeps_what_is_in_it(tmp_path):
    Store(tmp_path).close()
    secret = Store(tmp_path)
    first = secret.secret()
    secret.close()
    again = Store(tmp_path)
    assert again.secret() == first and (tmp_path / "secret").stat().st_mode & 0o077 == 0
    again.close()


def test_sqlite_writes_ahead_and_minds_foreign_keys(tmp_path):
    store = Store(tmp_path)
    with store.engine.connect() as connection:
        assert connection.exec_driver_sql("PRAGMA journal_mode").scalar() == "wal"
        with pytest.raises(Exception, match="FOREIGN KEY"):
            connection.exec_driver_sql(
                "INSERT INTO job (sculpt_id, state, step, share, message, attempts, stop_asked, created_at) "
                "VALUES (99, 'waiting', '', 0, '', 0, 0, '2026-01-01')"
            )
    store.close()
    assert sqlite3.connect(tmp_path / "dusk-lamp.db").execute("select version_num from alembic_version").fetchone()


def test_what_was_deleted_long_ago_is_cleared_away_and_nothing_else(tmp_path):
    store = Store(tmp_path)
    days = {"new": None, "lately": 3, "long ago": 40}
    with store.session() as session:
        for name, ago in days.items():
            sha = store.keep_upload(io.BytesIO(name.encode()), "stl")
            sculpt = add_sculpt(session, name, [{"name": name, "format": "stl", "sha": sha}])
            sculpt.deleted_at = ago and now() - timedelta(days=ago)
    assert clear_away(store) == 1
    with store.session() as session:
        assert set(session.scalars(select(Sculpt.name))) == {"new", "lately"}
    assert len(list(store.uploads.iterdir())) == 2
    store.close()


def test_a_key_changes_with_any_input_and_with_nothing_else():
    base = key_of("sky", 1, {"a": 1, "b": [2.5, None]})
    assert base == key_of("sky", 1, {"b": [2.5, None], "a": 1})
    assert (
        len(
            {
                base,
                key_of("sky", 2, {"a": 1, "b": [2.5, None]}),
                key_of("sky", 1, {"a": 1, "b": [2.5]}),
                key_of("key", 1, {"a": 1, "b": [2.5, None]}),
            }
        )
        == 4
    )


def test_the_cache_gives_back_what_was_put_in_and_says_what_is_missing(tmp_path):
    cache = Cache(tmp_path)
    key = key_of("x", 1)
    cache.put(key, {"field": np.arange(5, dtype=np.float32)}, {"note.json": b"{}"})
    cache.put(key, {"field": np.zeros(1)})  # a second writer of the same entry changes nothing
    assert (
        key in cache and (cache.array(key, "field") == np.arange(5)).all() and cache.blob(key, "note.json") == b"{}"
    )
    for read in (lambda: cache.array(key, "other"), lambda: cache.blob("0" * 64, "x")):
        with pytest.raises(KeyError):
            read()
    assert not list(tmp_path.glob(".part-*"))


def test_an_upload_that_breaks_off_leaves_nothing_behind(tmp_path):
    store = Store(tmp_path)

    class Broken(io.BytesIO):
        def read(self, n=-1):
            raise OSError("connection lost")

    with pytest.raises(OSError):
        store.keep_upload(Broken(), "stl")
    assert list(store.uploads.iterdir()) == []
    store.close()
