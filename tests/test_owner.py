"""Whose rows are whose: what one painter keeps, no other sees, on either database."""

import pytest
from sqlalchemy import delete, func, select, update
from sqlalchemy.exc import IntegrityError

from dusk_lamp.core.log.entry import Entry
from dusk_lamp.core.paint.rack import Paint
from dusk_lamp.core.workplace.tools import Tools
from dusk_lamp.store import accounts, log, painters, paints
from dusk_lamp.store.models import Base, Bottle, JobRow, LogEntry, OfSculpt, Owned, Revision, Sculpt
from dusk_lamp.store.owner import acting_for
from dusk_lamp.store.plans import add_sculpt
from dusk_lamp.store.store import Store, free_name, new_job

MINE, YOURS = 1, 2


@pytest.fixture
def two(tmp_path, kept_in):
    """A store in which two painters have a sculpt, a paint, a log entry and a job each."""
    store = Store(tmp_path, kept_in)
    for painter in (MINE, YOURS):
        with acting_for(painter), store.saving() as session:
            sculpt = add_sculpt(session, "Knight", [{"name": "k.stl", "format": "stl", "sha": "a" * 64}])
            paints.put(session, Paint("Soot", stock_ml=float(painter)))
            log.add(session, Entry(title=f"by {painter}"), sculpt)
            new_job(session, sculpt)
            painters.keep_tools(session, Tools(airbrush=painter == MINE))
    yield store
    store.close()


def test_every_table_says_whose_it_is():
    """A new table cannot be forgotten: it is a painter's, a sculpt's, or one of those that are the bench's own."""
    bench = {"painter", "invitation", "login"}
    for mapper in Base.registry.mappers:
        own = mapper.class_
        assert issubclass(own, Owned | OfSculpt) or own.__tablename__ in bench, own


def test_a_painter_sees_and_changes_only_what_is_theirs(two):
    for painter, other in ((MINE, YOURS), (YOURS, MINE)):
        with acting_for(painter), two.session() as session:
            sculpts = session.scalars(select(Sculpt)).all()
            assert [s.user_id for s in sculpts] == [painter] and sculpts[0].latest_job() is not None
            assert [p.stock_ml for p in paints.rack_of(session)] == [painter]
            assert [e.title for e in log.entries(session)] == [f"by {painter}"]
            assert painters.tools_of(session).airbrush == (painter == MINE)
            for table in (JobRow, Revision, LogEntry, Bottle):
                assert session.scalar(select(func.count()).select_from(table)) == 1, table
            assert session.scalars(select(Sculpt.name)).all() == ["Knight"], "columns alone as well"
            assert free_name(session, "Knight") == "Knight (2)"
            for table in (Sculpt, JobRow, Revision, LogEntry, Bottle):
                assert session.get(table, other) is None, table
        with acting_for(painter), two.saving() as session:
            assert session.execute(update(Bottle).where(Bottle.id == other).values(user_id=painter)).rowcount == 0
            assert session.execute(delete(LogEntry).where(LogEntry.id == other)).rowcount == 0
            assert session.execute(delete(JobRow).where(JobRow.id == other)).rowcount == 0
    with two.session() as session:  # the worker, the command line
        assert len(session.scalars(select(Sculpt)).all()) == 2 and len(log.entries(session)) == 2


def test_the_first_painter_takes_over_the_bench_and_others_come_beside(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)
    with acting_for(MINE), store.saving() as session:
        add_sculpt(session, "Knight", [{"name": "k.stl", "format": "stl", "sha": "a" * 64}])
    with store.saving() as session:
        tokens = [accounts.invite(session, looks_after=n == 2) for n in range(3)]
    for token, name in zip(tokens, ("Ann", "Bob", "Cid"), strict=True):
        with store.saving() as session:
            painter = accounts.accept(session, token, name, "a lamp at dusk")
            assert (painter.id == MINE) == (name == "Ann") and painter.looks_after == (name != "Bob")
    with store.saving() as session:
        bob = accounts.who_is(session, " bob ", "a lamp at dusk")
        assert bob is not None and accounts.who_is(session, "bob", "wrong") is None
        token = accounts.log_in(session, bob)
        assert accounts.logged_in(session, token).name == "Bob" and accounts.logged_in(session, "x") is None
        assert [t.sculpts for t in accounts.takes(session, store)] == [1, 0, 0]
        accounts.remove_painter(session, MINE)
    with store.session() as session:
        assert not session.scalars(select(Sculpt)).all()
        assert [p.name for p in accounts.all_painters(session)] == ["Bob", "Cid"]
    store.close()


def test_names_are_once_for_each_painter_and_the_database_minds_it(two):
    with pytest.raises(IntegrityError), acting_for(MINE), two.saving() as session:
        session.add(Bottle(label={"name": "SOOT"}))
