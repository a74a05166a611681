"""Many machines: one database, one broker and one store of files between them, and nothing else."""

import io
import os
import signal
import subprocess
import sys
import time
from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest
from sqlalchemy import select

from dusk_lamp.cli.main import main
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.rack import Paint
from dusk_lamp.jobs.leases import free_jobs, in_turn, new_worker
from dusk_lamp.jobs.queue import Queue, run
from dusk_lamp.settings import Settings, settings_from
from dusk_lamp.store import accounts, paints, plans, preparing
from dusk_lamp.store.backup import backup, restore
from dusk_lamp.store.cache import key_of
from dusk_lamp.store.database import counts
from dusk_lamp.store.models import FILLS_THE_SHELF, Base, JobRow, Painter, Sculpt
from dusk_lamp.store.move import move
from dusk_lamp.store.owner import acting_for
from dusk_lamp.store.plans import add_sculpt
from dusk_lamp.store.shared import FilesError, Shared, SharedCache
from dusk_lamp.store.store import Store, clear_away, new_job
from dusk_lamp.store.upgrade import DatabaseError
from dusk_lamp.web.app import create_app

from .servers import Postgres, Redis
from .shapes import ball

SECRET = "one long text that is the same on every machine"


# --- files
@pytest.fixture(params=["folder", "s3"])
def shared(request, tmp_path, monkeypatch):
    """Files that machines share: in a folder, and in an S3-compatible store (moto's server)."""
    if request.param == "folder":
        yield Shared(str(tmp_path / "shared"))
        return
    import boto3
    import s3fs
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer(port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    monkeypatch.setenv("AWS_ENDPOINT_URL", f"http://{host}:{port}")
    for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
        monkeypatch.setenv(name, "testing")
    monkeypatch.setenv("AWS_DEFAULT_REGION", "us-east-1")
    boto3.client("s3").create_bucket(Bucket="lamp")
    s3fs.S3FileSystem.clear_instance_cache()
    yield Shared("s3://lamp/bench")
    server.stop()


def test_what_one_machine_keeps_another_fetches(shared, tmp_path):
    first, second = tmp_path / "one.stl", tmp_path / "two" / "one.stl"
    first.write_bytes(b"a sculpt")
    assert not shared.has("uploads/a.stl") and not shared.fetch("uploads/a.stl", second)
    shared.put("uploads/a.stl", first)
    assert shared.has("uploads/a.stl") and shared.fetch("uploads/a.stl", second)
    assert second.read_bytes() == b"a sculpt" and second.stat().st_mode & 0o077 == 0
    assert list(second.parent.iterdir()) == [second], "nothing half fetched is left"
    assert shared.entries("uploads")["uploads/a.stl"][0] == 8 and shared.entries("photos") == {}
    shared.remove("uploads/a.stl")
    shared.remove("uploads/a.stl")
    assert not shared.has("uploads/a.stl") and shared.answer()


def test_the_cache_of_one_machine_is_that_of_all(shared, tmp_path):
    one, two = SharedCache(tmp_path / "one", shared), SharedCache(tmp_path / "two", shared)
    key = key_of("surface", 1, "x")
    assert key not in one
    with pytest.raises(KeyError):
        two.array(key, "points")
    one.put(key, {"points": np.arange(6.0).reshape(3, 2)}, {"facts.json": b"{}"})
    assert key in two
    assert (two.array(key, "points") == np.arange(6.0).reshape(3, 2)).all() and two.blob(key, "facts.json") == b"{}"
    with pytest.raises(KeyError):
        two.blob(key, "nothing.json")
    other = key_of("surface", 1, "y")
    two.put(other, blobs={"big": b"x" * 5000})
    assert two.trim_shared(5100) == 1 and key not in SharedCache(tmp_path / "three", shared)
    assert other in SharedCache(tmp_path / "three", shared)


def test_files_that_cannot_be_reached_say_so(tmp_path):
    blocked = tmp_path / "shared"
    blocked.write_text("a file, no folder")
    files = Shared(str(blocked))
    assert not files.answer()
    (tmp_path / "a").write_bytes(b"x")
    with pytest.raises(FilesError, match="cannot be written just now"):
        files.put("uploads/a", tmp_path / "a")
    with pytest.raises(FilesError, match="cannot be reached"):
        Shared("nowhere://x")


# --- fair work
def test_one_painters_hundred_jobs_do_not_keep_another_waiting():
    free = [(n, 1, False) for n in range(100)] + [(200, 2, False), (300, 3, True)]
    order = in_turn(free, {1: datetime(2026, 1, 2), 2: datetime(2026, 1, 1)})
    assert order[:3] == [200, 0, 1] and order[-1] == 300, "who was served longest ago is first; filling a shelf waits"
    assert in_turn([(1, 1, False), (2, 1, False)], {}) == [1, 2]
    assert in_turn([(1, 1, False), (2, 2, False)], {1: datetime(2026, 1, 1)}) == [2, 1], "who never was comes first"


def test_jobs_are_taken_in_turn_and_by_urgency(tmp_path, kept_in):
    store = Store(tmp_path, kept_in)
    jobs = {}
    for painter, name, urgency in ((1, "a", 1), (1, "b", 2), (2, "c", 1), (2, "d", FILLS_THE_SHELF), (3, "e", 1)):
        with acting_for(painter), store.saving() as session:
            sculpt = add_sculpt(session, name, [{"name": name, "format": "stl", "sha": name * 64}])
            jobs[name] = new_job(session, sculpt, urgency=urgency).id
    names = {n: name for name, n in jobs.items()}
    assert [names[n] for n in free_jobs(store)] == ["b", "c", "e", "a", "d"]
    with store.saving() as session:
        session.get(JobRow, jobs["c"]).begun_at = datetime(2026, 1, 1)
        session.get(JobRow, jobs["c"]).state = "done"
    assert [names[n] for n in free_jobs(store)] == ["b", "e", "a", "d"]
    store.close()


# --- two machines
class Machine:
    """A process group with a folder of its own."""

    def __init__(self, folder, settings: Settings):
        self.folder, self.settings = folder, settings
        folder.mkdir()
        names = ("database", "broker", "files", "secret")
        self.environment = {**os.environ, **{f"DUSK_LAMP_{n.upper()}": getattr(settings, n) for n in names}}
        self.environment |= {"DUSK_LAMP_MOST_SAMPLES": "20000", "DUSK_LAMP_LEASE_S": "5"}
        self.store = Store(folder, replace(settings, most_samples=20_000, lease_s=5))

    def work(self):
        words = [sys.executable, "-m", "dusk_lamp.cli", "worker", "--data", str(self.folder)]
        return subprocess.Popen(words, env=self.environment, start_new_session=True)

    def job(self, job_id) -> JobRow:
        with self.store.session() as session:
            return session.get(JobRow, job_id)


def wait_for(true, seconds=60):
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not come about"
        time.sleep(0.1)


@pytest.fixture
def two(tmp_path, postgres):
    redis = Redis(tmp_path)
    settings = Settings(
        database=postgres.new(), broker=redis.address, files=str(tmp_path / "shared"), secret=SECRET, lease_s=5
    )
    machines = [Machine(tmp_path / name, settings) for name in ("one", "two")]
    yield machines
    for machine in machines:
        machine.store.close()
    redis.stop()


def killed(process):
    os.killpg(process.pid, signal.SIGKILL)
    process.wait(10)


@pytest.mark.long
def test_a_job_begun_on_one_machine_survives_its_death_on_the_other(two, tmp_path):
    """Killed without warning in the middle of its work: the other takes it up, finds what was done in the shared
    cache, and its pages show it."""
    one, other = two
    path = tmp_path / "ball.stl"
    ball(fine=5).export(path)
    with path.open("rb") as f:
        sha = one.store.keep_upload(f, "stl")
    with acting_for(1), one.store.saving() as session:
        sculpt = add_sculpt(session, "Ball", [{"name": "ball.stl", "format": "stl", "sha": sha}])
        job, number = new_job(session, sculpt).id, sculpt.id
    Queue(one.store).add(job)
    first = one.work()
    try:
        wait_for(lambda: one.job(job).state == "working" and one.job(job).share > 0.05)
    finally:
        killed(first)
    assert one.job(job).state == "working", "killed in the middle"
    second = other.work()
    try:
        wait_for(lambda: other.job(job).state == "done", 90)
    finally:
        killed(second)
    assert other.job(job).attempts <= 1
    for machine in (other, one):
        with acting_for(1), machine.store.session() as session:
            sculpt = session.get(Sculpt, number)
            assert sculpt.surface_key in machine.store.cache and sculpt.sky_key in machine.store.cache
            assert len(machine.store.cache.blob(sculpt.thumb_key, "thumb.png")) > 1000
    for machine in (one, other):  # pages lay the sculpt out in memory from what was fetched
        app = create_app(machine.folder, machine.settings, testing=True)
        surface = app.test_client().get(f"/sculpts/{number}/surface.bin")
        assert surface.status_code == 200 and len(surface.data) > 100_000
        app.extensions["workshop"].store.close()
    assert one.store.upload_path(sha, "stl").read_bytes() == other.store.upload_path(sha, "stl").read_bytes()


def test_a_page_of_one_machine_goes_on_at_the_other(two):
    """The same cookie, the same plan: what was saved on one is there on the other, and of two saves on one revision
    one is refused."""
    one, other = (create_app(m.folder, replace(m.settings, accounts=1), testing=True) for m in two)
    with two[0].store.saving() as session:
        token = accounts.invite(session)
    client = one.test_client()
    csrf = client.get(f"/invited/{token}").text.split('csrf-token" content="')[1].split('"')[0]
    client.post(f"/invited/{token}", data={"name": "Ann", "passphrase": "a lamp at dusk", "csrf_token": csrf})
    cookie = client.get_cookie("session").value
    there = other.test_client()
    there.set_cookie("session", cookie)
    assert there.get("/").status_code == 200
    form = {"name": "Soot", "kind": "layer", "by": "swatch", "colour": "#222222", "hiding": "0.9"}
    token = there.get("/").text.split('csrf-token" content="')[1].split('"')[0]
    assert there.post("/rack", data=form, headers={"X-CSRFToken": token}).status_code == 302
    assert "Soot" in client.get("/rack").text
    for app in (one, other):
        app.extensions["workshop"].store.close()


# --- a dead server
def test_a_dead_database_is_a_plain_page_and_comes_back(tmp_path_factory):
    server = Postgres()
    folder = tmp_path_factory.mktemp("bench")
    app = create_app(folder, settings_from({}, database=server.new(), secret=SECRET), testing=True)
    client = app.test_client()
    assert client.get("/rack").status_code == 200
    server.stop("immediate")
    answer = client.get("/rack")
    assert answer.status_code == 503 and "database" in answer.text and "Try again" in answer.text
    assert client.get("/healthz").status_code == 200
    ready = client.get("/readyz")
    assert ready.status_code == 503 and ready.get_json()["database"] is False
    server.start()
    assert client.get("/rack").status_code == 200 and client.get("/readyz").status_code == 200
    app.extensions["workshop"].store.close()
    server.end()


def test_a_dead_broker_keeps_nobody_from_working_and_what_waits_is_found_again(tmp_path, caplog):
    dead = create_app(tmp_path / "data", settings_from({}, broker=f"unix://{tmp_path}/none.sock"), testing=True)
    store, queue = dead.extensions["workshop"].store, dead.extensions["workshop"].queue
    with acting_for(1), store.saving() as session:
        sculpt = add_sculpt(session, "Ball", [{"name": "b.stl", "format": "stl", "sha": "a" * 64}])
        job = new_job(session, sculpt).id
    queue.add(job)
    assert "cannot be reached" in caplog.text and free_jobs(store) == [job]
    ready = dead.test_client().get("/readyz")
    assert ready.status_code == 503 and ready.get_json() == {
        "ready": False,
        "database": True,
        "broker": False,
        "files": True,
    }
    store.close()
    redis = Redis(tmp_path)
    back = Store(tmp_path / "data", Settings(broker=redis.address))
    assert Queue(back).resume() == 1 and len(Queue(back).huey) == 1
    back.close()
    redis.stop()


def test_a_database_that_is_none_of_ours_is_left_alone(tmp_path, postgres):
    from sqlalchemy import create_engine, text

    address = postgres.new()
    engine = create_engine(address)
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE other (id integer)"))
    with pytest.raises(DatabaseError, match="tables of something else"):
        Store(tmp_path, Settings(database=address))
    with engine.begin() as connection:
        connection.execute(text("DROP TABLE other"))
    Store(tmp_path, Settings(database=address)).close()
    with engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(DatabaseError, match="newer Dusk Lamp"):
        Store(tmp_path, Settings(database=address))
    engine.dispose()
    with pytest.raises(DatabaseError, match="cannot be reached"):
        Store(tmp_path, Settings(database="postgresql+psycopg://nobody@/none?host=/nowhere"))


# --- moving
def test_everything_moves_to_the_other_database_and_back(tmp_path, postgres):
    home = Store(tmp_path / "home")
    with acting_for(1), home.saving() as session:
        sculpt = add_sculpt(session, "Knight", [{"name": "k.stl", "format": "stl", "sha": "a" * 64}])
        kept = plans.kept_of(session, sculpt)
        own = replace(kept.plan.sculpt, up="z", front="-y", height=40.0)
        plans.keep(session, sculpt, replace(kept, plan=replace(kept.plan, sculpt=own)), "stood up")
        paints.put(session, Paint("Soot"))
        session.add(Painter(id=1, name="Ann", passphrase="x", looks_after=True))
    home.close()
    address = postgres.new()
    moved = move(tmp_path / "home", Settings(), address)
    assert moved["sculpt"] == 1 and moved["plan"] == 2 and moved["painter"] == 1
    with pytest.raises(SettingError, match="has something in it"):
        move(tmp_path / "home", Settings(), address)
    there = Store(tmp_path / "there", Settings(database=address))
    with acting_for(1), there.saving() as session:
        sculpt = session.scalars(select(Sculpt)).one()
        assert sculpt.height_mm == 40.0 and plans.can_step(session, sculpt)[0] == "stood up"
        plans.step(session, sculpt, -1, sculpt.plan_id)
        assert sculpt.height_mm is None, "the whole history came along"
        paints.put(session, Paint("Gull"))  # numbers go on after those that were moved
    there.close()
    back = move(tmp_path / "there", Settings(database=address), str(tmp_path / "back"))
    again = Store(tmp_path / "back")
    with again.engine.connect() as connection:
        assert counts(connection) == back and set(back) == set(Base.metadata.tables)
    with again.session() as session:
        assert [p.name for p in paints.rack_of(session)] == ["Soot", "Gull"]
    again.close()


def test_a_backup_of_many_machines_is_a_data_folder_that_stands_by_itself(tmp_path, postgres):
    settings = Settings(database=postgres.new(), files=str(tmp_path / "shared"))
    one = Store(tmp_path / "one", settings)
    sha = one.keep_upload(io.BytesIO(b"a sculpt"), "stl")
    with acting_for(1), one.saving() as session:
        add_sculpt(session, "Knight", [{"name": "k.stl", "format": "stl", "sha": sha}])
    one.close()
    (tmp_path / "two").mkdir()
    assert backup(tmp_path / "two", tmp_path / "all.zip", settings) == {"files": 1, "sculpts": 1}
    restore(tmp_path / "all.zip", tmp_path / "home")
    home = Store(tmp_path / "home")
    with home.session() as session:
        assert session.scalars(select(Sculpt.name)).all() == ["Knight"]
    assert home.upload_path(sha, "stl").read_bytes() == b"a sculpt"
    home.close()


def test_a_painter_who_is_removed_while_their_job_runs_leaves_nothing(tmp_path, kept_in, monkeypatch):
    store = Store(tmp_path, kept_in)
    path = tmp_path / "b.stl"
    ball(fine=2).export(path)
    with path.open("rb") as f:
        sha = store.keep_upload(f, "stl")
    with store.saving() as session:
        painter = accounts.accept(session, accounts.invite(session), "Ann", "a lamp at dusk").id
    with acting_for(painter), store.saving() as session:
        sculpt = add_sculpt(session, "Ball", [{"name": "b.stl", "format": "stl", "sha": sha}])
        job = new_job(session, sculpt).id
    mend = preparing.mended

    def removed_meanwhile(*args):
        with store.saving() as session:
            accounts.remove_painter(session, painter)
        return mend(*args)

    monkeypatch.setattr(preparing, "mended", removed_meanwhile)
    assert run(store, job, new_worker(), apart=False)
    with store.session() as session:
        assert not session.scalars(select(Sculpt)).all() and not session.scalars(select(JobRow)).all()
    store.close()


# --- what nobody needs
def test_shared_files_that_nobody_needs_go_and_others_stay(tmp_path):
    store = Store(tmp_path / "one", Settings(files=str(tmp_path / "shared")))
    kept = store.keep_upload(io.BytesIO(b"kept"), "stl")
    gone = store.keep_upload(io.BytesIO(b"gone"), "stl")
    with acting_for(1), store.saving() as session:
        add_sculpt(session, "Kept", [{"name": "k.stl", "format": "stl", "sha": kept}])
    clear_away(store)
    assert (tmp_path / "shared" / "uploads" / f"{gone}.stl").exists(), "another machine may be about to need it"
    old = time.time() - 2 * 86400
    for path in (tmp_path / "shared" / "uploads").iterdir():
        os.utime(path, (old, old))
    clear_away(store)
    assert [p.name for p in (tmp_path / "shared" / "uploads").iterdir()] == [f"{kept}.stl"]
    store.close()


# --- the command line
def test_painters_by_the_command_line(tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("DUSK_LAMP_ACCOUNTS", "1")
    data = str(tmp_path / "data")

    def said(*words, code=0):
        assert main([*words, "--data", data]) == code
        return capsys.readouterr()

    link = said("painter", "invite", "--address", "https://bench.example/").out.strip()
    assert link.startswith("https://bench.example/invited/")
    store = Store(tmp_path / "data")
    with store.saving() as session:
        accounts.accept(session, link.rsplit("/", 1)[1], "Ann", "a lamp at dusk")
    store.close()
    assert "Ann: 0 sculpts, 0 MB, 0 s of work, looks after the bench" in said("painter", "list").out
    said("painter", "export", "ann", "-o", str(tmp_path / "ann.zip"))
    assert (tmp_path / "ann.zip").read_bytes().startswith(b"PK")
    assert "no painter" in said("painter", "export", "Bob", "-o", str(tmp_path / "b.zip"), code=2).err
    said("painter", "remove", "Ann", "--yes")
    assert said("painter", "list").out == ""
    assert "name another one" in said("move", "--to", data, code=2).err
    monkeypatch.setenv("DUSK_LAMP_DATABASE", "postgresql+psycopg://nobody@/none?host=/nowhere")
    assert "DUSK_LAMP_SECRET" in said("pages", "--port", "0", code=2).err
