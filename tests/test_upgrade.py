"""Upgrades: whatever was kept in an older shape is there in the newest, also when an upgrade is cut off in the
middle."""

import json
import sqlite3
import zlib
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from alembic import command
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine, event
from sqlalchemy.exc import IntegrityError, PendingRollbackError

from dusk_lamp.core.plain import plain
from dusk_lamp.core.sculpt.site import Where
from dusk_lamp.store import paints, plans, upgrade
from dusk_lamp.store.models import Bottle, Sculpt
from dusk_lamp.store.store import Store
from dusk_lamp.store.upgrade import DATABASE, DatabaseError

# the statements that made a data folder's database in each version before plans were one document, as they were kept
OLD_SHAPES = json.loads(Path(__file__).with_name("data").joinpath("shapes.json").read_text())
MIGRATED = sorted(r.revision for r in ScriptDirectory.from_config(upgrade.config_of()).walk_revisions())
VERSIONS = sorted({*OLD_SHAPES, *MIGRATED})
PAINT = {"name": "Soot", "kind": "base", "colour": "#1b1b1d"}
OLD_COAT = {
    "technique": "spray",
    "paints": [PAINT],
    "parts": [1],
    "amount": 20.0,
    "settings": {},
    "muted": True,
    "label": "old",
    "pass": {"azimuth": 10.0, "elevation": 40.0, "distance": 90.0, "seconds": 3.5, "way": "stroke", "aim": [0, 0, 0]},
}
VALUES = {
    "undercoat": json.dumps(
        {
            "school": "fit",
            "coats": [OLD_COAT, {**OLD_COAT, "technique": "wash", "pass": None, "amount": 2.0}],
            "past": [{"school": "ladder", "coats": [OLD_COAT]}],
            "turn": 3,
            "primer": "Pitch",
        }
    ),
    "stages_done": json.dumps(["stand", "light", "ladder"]),
    "told": json.dumps(PAINT),
    "paints": json.dumps([PAINT]),
    "parts": "[1]",
    "findings": "{}",
    "rig": json.dumps({"lamp": None, "sky": 0.5, "sky_kind": "overcast", "bounce": 0}),
    "state": "done",
    "name": "Own",
    "number": 1,
    "marking_number": 1,
    "sculpt_id": 1,
    "deleted_at": None,
    "labels": zlib.compress(bytes(9)),
    "more_files": "[]",
    "document": json.dumps({"plan": 2, "sculpt": {"up": "z", "front": "-y", "height": 30.0}, "light": {"sky": 0.5}}),
    **dict.fromkeys(
        (
            "greys",
            "exposure",
            "tints",
            "display",
            "face",
            "glows",
            "metal",
            "wear",
            "choice",
            "standing",
            "surface_standing",
            "goes_on",
            "settings",
            "counts",
        ),
        "{}",
    ),
    "mix": json.dumps({"paints": [PAINT], "parts": [1]}),
    "technique": "brush",
    "stage": "colour",
    "up": "z",
    "front": "-y",
    "height_mm": 30.0,
    "school": "fit",
    "darkest": 1.0,
    "lightest": 9.0,
    "labels_key": "",
    "coats_key": "",
    "plan_id": 1,
}


def migrate(root, version):
    """From nothing, by migrations alone."""
    engine = create_engine(f"sqlite:///{root / DATABASE}")
    config = upgrade.config_of()
    with engine.connect() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, version)
    engine.dispose()


def made_at(root, version):
    """A data folder whose database has the shape of a version, with a row in every table."""
    root.mkdir(exist_ok=True)
    if version in OLD_SHAPES:
        with closing(sqlite3.connect(root / DATABASE)) as database:
            for statement in OLD_SHAPES[version]:
                database.execute(statement)
            database.execute("INSERT INTO alembic_version VALUES (?)", (version,))
            database.commit()
    else:
        migrate(root, version)
    with closing(sqlite3.connect(root / DATABASE)) as database:
        tables = [
            r[0]
            for r in database.execute(
                "SELECT name FROM sqlite_master WHERE type='table' AND name != 'alembic_version' AND name NOT LIKE "
                "'sqlite_%'"
            )
        ]
        for table in sorted(tables, key=lambda t: t != "sculpt"):
            columns = database.execute(f"PRAGMA table_info({table})").fetchall()
            row = {}
            for _, name, kind, _, _, _ in columns:
                usual = (
                    1
                    if kind in ("INTEGER", "BOOLEAN")
                    else 1.0
                    if kind == "FLOAT"
                    else "[]"
                    if kind == "JSON"
                    else "2026-01-01 00:00:00"
                    if kind == "DATETIME"
                    else "text"
                )
                row[name] = VALUES.get(name, usual)
            if table == "paint" and "label" in row:
                row["label"] = json.dumps(PAINT)
            if table == "recipe":
                row["parts"] = "[1]"
            elif table == "sculpt" and "parts" in row:
                row["parts"] = "[]"
            names = ", ".join(row)
            database.execute(
                f"INSERT INTO {table} ({names}) VALUES ({', '.join('?' * len(row))})", list(row.values())
            )
        database.commit()
        return tables


def counts(root):
    with closing(sqlite3.connect(root / DATABASE)) as database:
        names = [
            r[0]
            for r in database.execute(
                "SELECT name FROM sqlite_master WHERE type='table' AND name NOT LIKE 'sqlite_%'"
            )
        ]
        return {n: database.execute(f"SELECT count(*) FROM {n}").fetchone()[0] for n in names}


def test_the_newest_shape_is_the_one_that_the_last_migration_makes():
    assert list(upgrade.revisions()) == VERSIONS


def shape(root):
    """Of every table its columns, without what they hold where nobody says; where it points to; and its indexes."""
    out = {}
    with closing(sqlite3.connect(root / DATABASE)) as database:

        def said(what, name):
            return database.execute(f"PRAGMA {what}('{name}')").fetchall()

        for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type='table'").fetchall():
            if name not in ("alembic_version", "sqlite_sequence"):
                columns = {(c[1], c[2], c[3], c[5]) for c in said("table_info", name)}
                points = {(p[2], p[3], p[4], p[6]) for p in said("foreign_key_list", name)}
                indexes = {
                    (i[2], i[4], tuple(c[2] for c in said("index_info", i[1]))) for i in said("index_list", name)
                }
                out[name] = columns, points, indexes
        made = "SELECT sql FROM sqlite_master WHERE name LIKE 'one_%' AND type = 'index' ORDER BY name"
        return {**out, "no twins": database.execute(made).fetchall()}


def test_a_new_database_has_the_shape_that_all_migrations_make(tmp_path):
    made_at(tmp_path / "old", VERSIONS[-1])
    Store(tmp_path / "new").close()
    assert shape(tmp_path / "new") == shape(tmp_path / "old")


@pytest.mark.parametrize("version", VERSIONS)
def test_from_every_version_nothing_is_lost(tmp_path, version):
    tables = made_at(tmp_path, version)
    store = Store(tmp_path)
    after = counts(tmp_path)
    assert all(after[table] >= 1 for table in tables if table not in upgrade.RETIRED), after
    with store.session() as session:
        sculpt = session.get(Sculpt, 1)
        assert (
            sculpt.document["light"]["sky"] == 0.5
            and len(sculpt.jobs) == 1
            and (version >= "0006" or "greys" in sculpt.stages_done)
        )
        if version == "0005":
            plan = plans.plan_of(session, sculpt)
            coats = plan.coats
            assert [c.technique for c in coats] == ["spray", "wash"]
            assert coats[0].settings.seconds == 3.5 and coats[0].muted and coats[1].settings.film_um == 2.0
            assert plan.wishes_of("undercoat").school == "fit"
            assert plans.can_step(session, sculpt) == ("coats changed", None)
    store.close()
    if version != VERSIONS[-1]:
        assert len(list((tmp_path / "backups").iterdir())) == 1, "what was before is kept"


def test_an_upgrade_cut_off_anywhere_loses_nothing_and_is_done_at_the_next_start(tmp_path, monkeypatch):
    """Every eleventh statement of it once is the last that is run."""
    made_at(tmp_path / "old", "0001")
    statements = 0
    cut_at = 0

    class CutError(BaseException):
        pass

    def count(*_):
        nonlocal statements
        statements += 1
        if statements == cut_at:
            raise CutError

    plain = upgrade.create_engine

    def watched(*args, **more):
        engine = plain(*args, **more)
        event.listen(engine, "before_cursor_execute", count)
        return engine

    monkeypatch.setattr(upgrade, "create_engine", watched)
    while True:
        cut_at, statements = cut_at + 11, 0
        root = tmp_path / str(cut_at)
        root.mkdir()
        (root / DATABASE).write_bytes((tmp_path / "old" / DATABASE).read_bytes())
        try:
            upgrade.upgrade(root)
            break  # there was no statement of this number
        except (CutError, PendingRollbackError):
            statements, stop = 0, cut_at
            cut_at = 0
            upgrade.upgrade(root)
            cut_at = stop
        assert counts(root)["job"] == 1 and counts(root)["sculpt"] == 1
    assert cut_at > 20


def test_a_newer_or_broken_database_is_told_in_a_line_and_not_touched(tmp_path):
    Store(tmp_path).close()
    with closing(sqlite3.connect(tmp_path / DATABASE)) as database:
        database.execute("UPDATE alembic_version SET version_num = '9999'")
        database.commit()
    with pytest.raises(DatabaseError, match="newer"):
        Store(tmp_path)
    (tmp_path / DATABASE).write_bytes(b"not a database" * 300)
    before = (tmp_path / DATABASE).read_bytes()
    with pytest.raises(DatabaseError, match="damaged"):
        Store(tmp_path)
    assert (tmp_path / DATABASE).read_bytes() == before


def test_twins_of_old_are_numbered_and_new_ones_refused_by_the_database(tmp_path):
    made_at(tmp_path, "0006")
    with closing(sqlite3.connect(tmp_path / DATABASE)) as database:
        database.execute("INSERT INTO paint (label, user_id) VALUES (?, 1)", [json.dumps({**PAINT, "name": "SOOT"})])
        database.commit()
    store = Store(tmp_path)
    with store.session() as session:
        assert [p.name for p in paints.rack_of(session)] == ["Soot", "SOOT (2)"]
    with pytest.raises(IntegrityError), store.session() as session:
        session.add(Bottle(label={**PAINT, "name": "soot"}))
        session.flush()
    store.close()


def test_what_was_kept_by_a_regions_name_or_number_is_kept_by_its_id(tmp_path):
    """Strokes, states of coats, kept schemes, metal, glows, wear and face of version 0015, as revisions that can be
    undone."""
    made_at(tmp_path, "0015")
    labels = np.array([0, 1, 1, 2, 2, 2, 0, 1], np.uint8)
    own, everything = [{"name": "Blade", "material": "metal"}, {"name": "Gem"}], {"kind": "whole"}
    mask = {"kind": "mask", "number": 8, "mask": plain(Where.some(labels == 2))["mask"]}
    coat = {
        "technique": "brush",
        "mix": {"paints": [PAINT], "parts": [1]},
        "settings": {},
        "muted": False,
        "label": "x",
    }
    with closing(sqlite3.connect(tmp_path / DATABASE)) as database:
        database.execute("DELETE FROM marking")
        database.execute("DELETE FROM coat")
        for number, regions in ((1, own[:1]), (2, own)):
            row = (number, zlib.compress((labels * (labels <= number)).tobytes()), json.dumps(regions))
            database.execute(
                "INSERT INTO marking (sculpt_id, number, surface_key, standing, labels, regions) VALUES (1, ?, "
                "'text', '{}', ?, ?)",
                row,
            )
        coats = [
            ("undercoat", everything, ""),
            ("metal", {"kind": "region", "number": 1}, "metal"),
            ("metal", mask, "edges"),
            ("glow", everything, "glow-3"),
            ("glow", mask, "lens-2"),
        ]
        for place, (stage, on, way) in enumerate(coats):
            database.execute(
                "INSERT INTO coat (scheme_id, place, stage, technique, mix, settings, goes_on, muted, label, way) "
                "VALUES (1, ?, ?, 'brush', ?, '{}', ?, 0, ?, ?)",
                (place, stage, json.dumps(coat["mix"]), json.dumps(on), way or "prime", way),
            )
        database.execute("DELETE FROM kept_scheme")
        for id_, name in ((4, "Blue"), (7, "Red")):
            regions = [{"name": "Gem", "colour": "#2030ff" if name == "Blue" else "#ff3020"}]
            kept = [{**coat, "stage": "colour", "where": mask, "way": name}]
            database.execute(
                "INSERT INTO kept_scheme (id, sculpt_id, name, coats, choice, regions, tints) VALUES (?, 1, ?, ?, "
                "?, ?, '{}')",
                (
                    id_,
                    name,
                    json.dumps(kept),
                    json.dumps(
                        {
                            "school": "ladder",
                            "primer": None,
                            "through": None,
                            "in_colour": False,
                            "darkest": 1,
                            "lightest": 8,
                        }
                    ),
                    json.dumps(regions),
                ),
            )
        glow = {"number": 3, "kind": "region", "of": "Gem", "name": "Gem", "strength": 2.0, "seed": 5}
        values = {
            "marking_number": 2,
            "scheme_id": 1,
            "kept_scheme": 7,
            "metal": {"Blade": {"school": "facet", "world": "dusk", "least": 2.0}},
            "glows": {"dusk": 0.4, "all": [glow]},
            "wear": {"amounts": {"dust": 0.5}, "spared": ["Gem"], "seed": 9},
            "parts": [],
        }
        for name, value in values.items():
            database.execute(
                f"UPDATE sculpt SET {name} = ?", (json.dumps(value) if isinstance(value, dict | list) else value,)
            )
        database.commit()
    store = Store(tmp_path)
    with store.saving() as session:
        sculpt = session.get(Sculpt, 1)
        kept = plans.kept_of(session, sculpt)
        plan = kept.plan
        assert [(r.name, r.id) for r in plan.regions] == [
            ("Blade", 1),
            ("Gem", 2),
        ] and kept.labels.tolist() == labels.tolist()
        metal, edges = plan.wishes_of("metal").of(1), plan.wishes_of("edges")
        assert (metal.school, metal.world) == ("facet", "dusk") and edges.of(1).least == 2.0 and edges.of(2).highlight
        (light,) = plan.wishes_of("glow").glows
        assert (light.region, light.seed, plan.dusk) == (2, 5, 0.4) and light.id == 5 == plan.last_id
        assert plan.wishes_of("glow").lenses == (2,) and plan.wishes_of("wear").spared == (2,)
        found = [(c.stage, c.way, c.region) for c in plan.coats]
        assert found == [
            ("undercoat", "", 0),
            ("metal", "metal", 1),
            ("edges", "edges", 2),
            ("glow", light.way, 0),
            ("glow", "lens", 2),
        ]
        assert [s.name for s in plans.schemes_of(session, sculpt)] == ["Blue", "Red"] and sculpt.scheme_id == 7
        assert plans.can_step(session, sculpt)[0] and plans.step(session, sculpt, -1, sculpt.plan_id)
        assert not plans.plan_of(session, sculpt).coats, "before the coats there were the regions"
        assert plans.step(session, sculpt, -1, sculpt.plan_id)
        assert [r.name for r in plans.plan_of(session, sculpt).regions] == ["Blade"]
        plans.take_scheme(session, sculpt, 4, sculpt.plan_id)
        blue = plans.plan_of(session, sculpt)
        assert blue.regions[1].colour == "#2030ff" and [c.way for c in blue.coats] == ["Blue"]
    store.close()
