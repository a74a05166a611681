"""The data folder: the database, coats and their revisions, the cache, uploads, photos."""

import io
import os
import shutil
import sqlite3
import threading
import time
from contextlib import suppress
from dataclasses import replace
from datetime import timedelta

import numpy as np
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.log.entry import Entry
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.rack import Paint
from dusk_lamp.core.plan.features.undercoat.feature import UndercoatWishes
from dusk_lamp.core.results import Bounded
from dusk_lamp.store import log, plans
from dusk_lamp.store.cache import FolderCache, key_of
from dusk_lamp.store.models import Base, Piece, Sculpt, now
from dusk_lamp.store.plans import add_sculpt
from dusk_lamp.store.store import Store, clear_away


@pytest.mark.filterwarnings(
    "ignore:Skipped unsupported reflection of expression-based index"
)  # those that forbid twins
def test_a_new_database_has_exactly_the_models(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)
    with store.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        twins = ("one_paint_of_a_name", "one_recipe_of_a_name", "one_sculpt_of_a_name")  # made by hand on both
        other = [d for d in compare_metadata(context, Base.metadata) if getattr(d[1], "name", "") not in twins]
        assert other == []
    store.close()


def test_opening_a_folder_again_keeps_what_is_in_it(tmp_path, kept_in):
    Store(tmp_path, kept_in).close()
    secret = Store(tmp_path, kept_in)
    first = secret.secret()
    secret.close()
    again = Store(tmp_path, kept_in)
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


def test_what_was_deleted_long_ago_is_cleared_away_and_nothing_else(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)
    days = {"new": None, "lately": 3, "long ago": 40}
    with store.session() as session:
        for name, ago in days.items():
            sha = store.keep_upload(io.BytesIO(name.encode()), "stl")
            sculpt = add_sculpt(session, name, [{"name": name, "format": "stl", "sha": sha}])
            sculpt.deleted_at = ago and now() - timedelta(days=ago)
    mark = tmp_path / "cleared"
    assert clear_away(store) == 0, "a first start has no clock to believe"
    for jump in (-3600, 300 * 86400):  # the clock went back, or far ahead: what is in the bin stays there
        os.utime(mark, (time.time() - jump,) * 2)
        assert clear_away(store) == 0
    store.keep_upload(io.BytesIO(b"a drop that was refused"), "stl")
    assert clear_away(store, unneeded_for_s=60) == 1
    with store.session() as session:
        assert set(session.scalars(select(Sculpt.name))) == {"new", "lately"}
    assert len(list(store.uploads.iterdir())) == 4, "what has just come may not have its sculpt yet"
    clear_away(store)
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
    cache = FolderCache(tmp_path)
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


def test_an_upload_that_breaks_off_leaves_nothing_behind(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)

    class Broken(io.BytesIO):
        def read(self, n=-1):
            raise OSError("connection lost")

    with pytest.raises(OSError):
        store.keep_upload(Broken(), "stl")
    assert list(store.uploads.iterdir()) == []
    store.close()


# --- plans with revisions

SOOT = only(Paint("Soot", "base", "#1b1b1d"))


@pytest.fixture
def shelved(tmp_path, kept_in):
    """A store with one sculpt on its shelf."""
    store = Store(tmp_path, kept_in)
    with store.saving() as session:
        add_sculpt(session, "Warden", [{"name": "w", "format": "stl", "sha": "0" * 64}])
    yield store
    store.close()


def laid(store, labels, seen=None, sculpt_id=1):
    """Lay brushed coats of these labels on the revision that was seen; the one that holds then."""
    with store.saving() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        kept = plans.kept_of(session, sculpt)
        coats = tuple(usual_coat("brush", SOOT, label) for label in labels)
        plan = replace(kept.plan, coats=coats).with_wishes("undercoat", UndercoatWishes("twotone", primer="Pitch"))
        new = replace(kept, plan=plan, turn=kept.turn if seen is None else seen)
        return plans.keep(session, sculpt, new, f"laid {len(labels)}")


def held(store, sculpt_id=1):
    with store.session() as session:
        return session.get(Sculpt, sculpt_id).plan_id


def labels_of(store, sculpt_id=1):
    with store.session() as session:
        return [c.label for c in plans.plan_of(session, session.get(Sculpt, sculpt_id)).coats]


def stepped(store, by):
    with store.saving() as session:
        sculpt = session.get(Sculpt, 1)
        return plans.step(session, sculpt, by, sculpt.plan_id)


def test_every_state_of_a_plan_can_be_undone_and_redone_by_its_name(shelved):
    laid(shelved, ["a"])
    laid(shelved, ["a", "b"])
    assert labels_of(shelved) == ["a", "b"]
    with shelved.session() as session:
        assert plans.can_step(session, session.get(Sculpt, 1)) == ("laid 2", None)
    assert stepped(shelved, -1) and labels_of(shelved) == ["a"]
    with shelved.session() as session:
        assert plans.can_step(session, session.get(Sculpt, 1)) == ("laid 1", "laid 2")
    assert stepped(shelved, 1) and labels_of(shelved) == ["a", "b"] and not stepped(shelved, 1)
    assert stepped(shelved, -1) and stepped(shelved, -1) and labels_of(shelved) == [] and not stepped(shelved, -1)
    laid(shelved, ["c"])
    assert labels_of(shelved) == ["c"] and not stepped(shelved, 1), "what was undone before it is gone"
    with shelved.session() as session:
        wishes = plans.plan_of(session, session.get(Sculpt, 1)).wishes_of("undercoat")
        assert (wishes.school, wishes.primer) == ("twotone", "Pitch")
        assert session.query(Piece).count() == 1, "and so are its coats"


def test_a_hundred_revisions_are_kept_and_no_more(shelved):
    for k in range(plans.MOST_REVISIONS + 5):
        laid(shelved, [str(k)])
    back = 0
    while stepped(shelved, -1):
        back += 1
    assert back == plans.MOST_REVISIONS - 1 and labels_of(shelved) == ["5"]


def test_of_two_changes_made_on_one_revision_one_is_refused(shelved):
    """Also where the other was undone and done again in between: a number never comes again."""
    seen = laid(shelved, ["a"])
    laid(shelved, ["mine"], seen)
    with pytest.raises(plans.ChangedElsewhereError):
        laid(shelved, ["theirs"], seen)
    assert labels_of(shelved) == ["mine"]
    laid(shelved, ["a", "b"])
    other = laid(shelved, ["b"])
    stepped(shelved, -1)
    laid(shelved, ["c"])
    with pytest.raises(plans.ChangedElsewhereError):
        laid(shelved, ["late"], other)


def test_four_saves_at_the_same_moment_are_one_save_and_three_refusals(shelved):
    seen = laid(shelved, ["a"])
    for _ in range(10):
        kept, start = [], threading.Barrier(4)

        def save(name, seen=seen, kept=kept, start=start):
            start.wait()
            with suppress(plans.ChangedElsewhereError):
                kept.append((name, laid(shelved, [name], seen)))

        threads = [threading.Thread(target=save, args=(f"tab {k}",)) for k in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert len(kept) == 1 and labels_of(shelved) == [kept[0][0]]
        seen = kept[0][1]


def test_a_copy_of_a_sculpt_has_its_plan_and_its_own_from_then_on(shelved):
    laid(shelved, ["a", "b"])
    with shelved.saving() as session:
        copy = add_sculpt(session, "Copy", session.get(Sculpt, 1).files)
        plans.copy(session, session.get(Sculpt, 1), copy)
    assert labels_of(shelved, 2) == ["a", "b"]
    laid(shelved, ["c"], held(shelved, 2), 2)
    assert labels_of(shelved, 1) == ["a", "b"] and labels_of(shelved, 2) == ["c"]


def test_photos_are_a_painters_own_and_outlive_the_cache(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)
    name = store.keep_photo(b"a picture")
    shutil.rmtree(store.cache.root, ignore_errors=True)
    clear_away(store)
    assert store.photo(name) == b"a picture"
    old = next(store.photos.iterdir())
    os.utime(old, (0, 0))
    clear_away(store)
    for gone in (name, "../secret", "", "z" * 64):
        with pytest.raises(KeyError):
            store.photo(gone)
    store.close()


def test_a_photo_that_the_log_names_is_never_cleared_away(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)
    named, loose = store.keep_jpeg(b"painted"), store.keep_jpeg(b"not named")
    assert store.keep_jpeg(b"painted") == named, "the same twice is one"
    with store.saving() as session:
        log.add(session, Entry(at="2026-11-27T20:00:00Z", how="note", title="Photo", photo=named))
    for own in store.photos.iterdir():
        os.utime(own, (0, 0))
    clear_away(store)
    assert store.photo_path(named).read_bytes() == b"painted" and store.photo_path(loose) is None
    for strange in ("../dusk-lamp", "", "x" * 64, named.upper()):
        assert store.photo_path(strange) is None
    store.close()


# --- memory


def test_what_many_ask_for_at_once_is_made_once_and_the_oldest_goes_first():
    kept: Bounded[int, str] = Bounded(2)
    made = []

    def make(k):
        time.sleep(0.05)
        made.append(k)
        return str(k)

    threads = [threading.Thread(target=lambda: kept.of(1, lambda: make(1))) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert made == [1]
    kept.of(2, lambda: make(2))
    kept.of(1, lambda: make(1))
    kept.of(3, lambda: make(3))
    assert kept.get(2) is None and kept.get(1) == "1" and len(kept) == 2

    def fail():
        raise KeyError("no such thing")

    with pytest.raises(KeyError):
        kept.of(9, fail)
    assert kept.of(9, lambda: "now") == "now", "what failed once can be asked for again"
