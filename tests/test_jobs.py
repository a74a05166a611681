"""Long work: killed, resumed, stopped, given up."""

import os
import signal
import subprocess
import sys
import threading
import time
import urllib.request
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.sculpt.marking import Region
from dusk_lamp.core.sculpt.pieces import pieces_of
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.stand import Standing
from dusk_lamp.jobs import leases, prepare
from dusk_lamp.jobs import work as work_module
from dusk_lamp.jobs.leases import give_back, new_worker, take_job
from dusk_lamp.jobs.queue import Queue, run
from dusk_lamp.jobs.work import JobInHand
from dusk_lamp.settings import Settings
from dusk_lamp.store import plans
from dusk_lamp.store import preparing as stages
from dusk_lamp.store.cache import code_mark, key_of
from dusk_lamp.store.models import FILLS_THE_SHELF, LOOKED_AT, JobRow, Sculpt, now
from dusk_lamp.store.open_sculpts import OpenSculpts
from dusk_lamp.store.plans import add_sculpt
from dusk_lamp.store.store import Store, lay_out_again, new_job

from .shapes import ball, surface_of


@pytest.fixture(autouse=True)
def few_samples(monkeypatch):
    monkeypatch.setenv("DUSK_LAMP_MOST_SAMPLES", "8000")


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path / "data", Settings(most_samples=8_000))
    yield store
    store.close()


def brought(store, path, kind, name="Warden"):
    with path.open("rb") as f:
        sha = store.keep_upload(f, kind)
    with store.session() as session:
        sculpt = add_sculpt(session, name, [{"name": path.name, "format": kind, "sha": sha}])
        return sculpt.id, new_job(session, sculpt).id


def job_of(store, job_id):
    with store.session() as session:
        job = session.get(JobRow, job_id)
        session.expunge(job)
        return job


def wait_for(what, seconds=60):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if got := what():
            return got
        time.sleep(0.02)
    raise AssertionError("it never happened")


def written(store):
    """When each entry of the cache was written."""
    return {p.name: max(f.stat().st_mtime_ns for f in p.iterdir()) for p in store.cache.root.glob("*/*")}


@pytest.mark.long
def test_a_worker_killed_in_mid_import_resumes_at_its_last_stage(store, warden_file):
    _, job_id = brought(store, warden_file, "ply")
    command = [sys.executable, "-m", "dusk_lamp.jobs.worker", str(store.root)]
    first = subprocess.Popen(command)
    try:
        wait_for(lambda: job_of(store, job_id).share >= 0.6)  # mended, laid out, lit; now at the sky
    finally:
        first.kill()
        first.wait()
    assert job_of(store, job_id).state == "working", "killed in the middle"
    done_before = written(store)
    assert len(done_before) >= 3
    second = subprocess.Popen(command)
    try:
        wait_for(lambda: job_of(store, job_id).state == "done", 90)
    finally:
        second.terminate()
        second.wait(10)
    assert job_of(store, job_id).attempts == 1, "one worker died over it"
    again = written(store)
    assert all(again[name] == when for name, when in done_before.items()), "no finished stage was done again"


@pytest.mark.long
def test_a_worker_does_not_outlive_its_server_even_one_that_died_before_it_had_begun(store):
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    worker = subprocess.Popen([sys.executable, "-m", "dusk_lamp.jobs.worker", str(store.root), str(gone.pid)])
    try:
        assert worker.wait(30) == 0
    finally:
        worker.kill()
        worker.wait()


GONE = f"{leases.HOST}:999999999:gone"  # no process has this number


def in_hand(store, job_id, worker, until=None, attempts=0):
    with store.saving() as session:
        job = session.get(JobRow, job_id)
        job.state, job.worker, job.attempts = "working", worker, attempts
        job.lease_until = until or now() + timedelta(seconds=60)


@pytest.fixture
def waiting(store, tmp_path):
    """A job that waits."""
    path = tmp_path / "b.stl"
    ball(fine=1).export(path)
    return brought(store, path, "stl")[1]


def test_a_file_that_kills_the_worker_three_times_is_put_aside(store, waiting):
    for k in range(1, 4):
        in_hand(store, waiting, GONE, attempts=k - 1)
        assert (take_job(store, waiting, new_worker()) is None) == (k == 3)
        assert job_of(store, waiting).attempts == k
    job = job_of(store, waiting)
    assert job.state == "failed" and "put aside" in job.message
    assert Queue(store).resume() == 0


def test_a_job_in_a_living_hand_is_left_there_and_one_in_a_dead_hand_is_not(store, waiting):
    in_hand(store, waiting, "elsewhere:1:x")
    assert take_job(store, waiting, new_worker()) is None and Queue(store).resume() == 0
    in_hand(store, waiting, "elsewhere:1:x", now() - timedelta(seconds=1))
    assert Queue(store).resume() == 1 and take_job(store, waiting, "mine") == "prepare"
    assert take_job(store, waiting, "mine too") is not None or job_of(store, waiting).worker == "mine"


def test_of_many_workers_one_gets_the_job(store, waiting):
    got, start = [], threading.Barrier(6)

    def grab(name):
        start.wait()
        if take_job(store, waiting, name):
            got.append(name)

    threads = [threading.Thread(target=grab, args=(f"elsewhere:{k}:x",)) for k in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(got) == 1 and job_of(store, waiting).worker == got[0]


def test_a_restart_in_good_order_is_no_crash(store, waiting):
    """Three times Ctrl-C and three starts: the file is not to blame."""
    for _ in range(3):
        worker = new_worker()
        assert take_job(store, waiting, worker) == "prepare"
        give_back(store, worker)
    job = job_of(store, waiting)
    assert job.state == "waiting" and job.attempts == 0 and Queue(store).resume() == 1


def test_a_worker_that_is_still_there_keeps_its_job(store, waiting):
    quick = Store(store.root, Settings(lease_s=5))
    take_job(quick, waiting, "elsewhere:1:x")
    first = job_of(store, waiting).lease_until
    with leases.Heartbeat(quick, "elsewhere:1:x"):
        wait_for(lambda: job_of(store, waiting).lease_until > first, 5)
    quick.close()


def test_a_fit_and_a_preparation_do_not_end_each_other(store, waiting):
    with store.saving() as session:
        sculpt = session.get(JobRow, waiting).sculpt
        fit = new_job(session, sculpt, "fit").id
    assert job_of(store, waiting).open and job_of(store, fit).open
    with store.saving() as session:
        newer = new_job(session, session.get(JobRow, fit).sculpt, "fit").id
    assert not job_of(store, fit).open and job_of(store, newer).open and job_of(store, waiting).open


@pytest.mark.long
def test_many_machines_can_share_the_work_through_redis(store, waiting, tmp_path):
    """Against Debian's redis-server on a socket of its own."""
    socket = tmp_path / "redis.sock"
    server = subprocess.Popen(
        ["redis-server", "--port", "0", "--unixsocket", str(socket), "--save", ""], stdout=subprocess.DEVNULL
    )
    try:
        wait_for(socket.exists, 10)
        shared = Store(store.root, Settings(broker=f"unix://{socket}", most_samples=8_000))
        one, two = Queue(shared), Queue(shared)
        one.add(waiting)
        task = two.huey.dequeue()
        assert task is not None and two.huey.dequeue() is None
        two.huey.execute(task)
        assert job_of(store, waiting).state == "done"
        shared.close()
    finally:
        server.terminate()
        server.wait(10)


def test_stopping_takes_effect_at_the_next_step_and_nothing_is_lost(store, tmp_path, monkeypatch):
    path = tmp_path / "b.stl"
    ball(fine=3).export(path)
    sculpt_id, job_id = brought(store, path, "stl")
    lay_out = stages.surface

    def lay_out_then_stop(*args):
        key = lay_out(*args)
        with store.session() as session:
            session.get(JobRow, job_id).stop_asked = True
        return key

    monkeypatch.setattr(prepare.stages, "surface", lay_out_then_stop)
    run(store, job_id, new_worker(), apart=False)
    assert job_of(store, job_id).state == "stopped"
    with store.session() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        assert sculpt.mended_key in store.cache
        again = new_job(session, sculpt).id
    monkeypatch.setattr(prepare.stages, "surface", lay_out)
    run(store, again, new_worker(), apart=False)
    assert job_of(store, again).state == "done"


def test_a_newer_job_ends_the_older_one(store, tmp_path):
    path = tmp_path / "b.stl"
    ball(fine=1).export(path)
    sculpt_id, old = brought(store, path, "stl")
    with store.session() as session:
        new_job(session, session.get(Sculpt, sculpt_id))
    run(store, old, new_worker(), apart=False)
    assert job_of(store, old).state == "stopped" and job_of(store, old).attempts == 0


def test_a_painters_own_standing_is_never_overwritten_by_a_job_it_overtook(store, tmp_path, monkeypatch):
    path = tmp_path / "b.stl"
    ball(fine=2).export(path)
    sculpt_id, old = brought(store, path, "stl")
    mend = stages.mended

    def stood_up_meanwhile(*args):
        result = mend(*args)
        with store.session() as session:
            sculpt = session.get(Sculpt, sculpt_id)
            kept = plans.kept_of(session, sculpt)
            own = replace(kept.plan.sculpt, up="x", front="z", height=54.0)
            plans.keep(session, sculpt, replace(kept, plan=replace(kept.plan, sculpt=own)), "stood up")
            lay_out_again(session, sculpt)
        return result

    monkeypatch.setattr(prepare.stages, "mended", stood_up_meanwhile)
    run(store, old, new_worker(), apart=False)
    with store.session() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        assert (sculpt.standing, sculpt.surface_key) == (Standing("x", "z", 54.0), None)


@pytest.mark.parametrize("trouble", [RuntimeError("boom"), MemoryError(), KeyError("x")])
def test_trouble_inside_is_told_in_words_and_the_file_is_kept(store, tmp_path, monkeypatch, trouble):
    path = tmp_path / "b.stl"
    ball(fine=1).export(path)
    _, job_id = brought(store, path, "stl")

    def fail(*args, **kwargs):
        raise trouble

    monkeypatch.setattr(prepare.stages, "surface", fail)
    run(store, job_id, new_worker(), apart=False)
    job = job_of(store, job_id)
    assert job.state == "failed" and "boom" not in job.message and len(job.message) > 30
    assert len(list(store.uploads.iterdir())) == 1


@pytest.mark.long
def test_what_somebody_waits_for_goes_before_what_fills_the_shelf_and_interrupts_it(store, warden_file, tmp_path):
    sculpt, filling = brought(store, warden_file, "ply")
    path = tmp_path / "b.stl"
    ball(5, 2).export(path)
    with store.saving() as session:
        session.get(JobRow, filling).urgency = FILLS_THE_SHELF
    queue = Queue(store)
    queue.huey.immediate = False
    thread = threading.Thread(target=queue._run, args=(filling,))
    thread.start()
    wait_for(lambda: job_of(store, filling).share >= 0.2)
    _, upload = brought(store, path, "stl", "Ball")
    thread.join(60)
    assert job_of(store, filling).state == "waiting" and job_of(store, filling).attempts == 0, (
        "it gave way, and no harm done"
    )
    assert leases.free_jobs(store) == [upload, filling]
    queue._run(filling)  # the message of the one does the other, which is more urgent
    assert job_of(store, upload).state == "done" and job_of(store, filling).state == "waiting"
    queue.hurry(filling)
    assert job_of(store, filling).urgency == LOOKED_AT
    queue._run(filling)
    assert job_of(store, filling).state == "done"
    with store.session() as session:
        assert session.get(Sculpt, sculpt).sky_key


@pytest.mark.long
def test_the_pieces_of_a_sculpt_without_regions_are_kept_before_anybody_asks(store, tmp_path):
    ball(5, 4).export(tmp_path / "ball.stl")
    sculpt, job = brought(store, tmp_path / "ball.stl", "stl", "Ball")
    Queue(store)._run(job)
    with store.session() as session:
        own = session.get(Sculpt, sculpt)
        laid = OpenSculpts(store).of(own)
        assert key_of("pieces", code_mark("core/sculpt"), own.sky_key) in store.cache
    kept, made = laid.pieces(lambda *_: None), pieces_of(laid.site.surface, laid.site.paintable, laid.site.bends)
    assert np.array_equal(kept.children, made.children) and np.array_equal(kept.cut(5), made.cut(5))


def test_what_only_fills_the_shelf_makes_way_for_pages_that_are_worked_out(store, tmp_path, monkeypatch):
    ball(5, 2).export(tmp_path / "ball.stl")
    _, job = brought(store, tmp_path / "ball.stl", "stl", "Ball")
    work, order = JobInHand(store, job), []

    def looks(_seconds):
        order.append("waits")
        assert len(order) < 9
        if len(order) == 3:
            hurried(LOOKED_AT)

    def hurried(urgency):
        with store.saving() as session:
            session.get(JobRow, job).urgency = urgency

    monkeypatch.setattr(work_module.time, "sleep", looks)
    hurried(FILLS_THE_SHELF)
    work.say("Nobody is at a page", 0.1)
    assert order == []
    with store.at_work.shown():
        work.say("It waits until somebody looks at it", 0.2)
        assert order == ["waits"] * 3 and not work.stopped_after_a_pause() and len(order) == 3
        hurried(FILLS_THE_SHELF)
        JobInHand(store, job, begun=time.monotonic() - 100).say("It waited long enough", 0.3)
    assert len(order) == 3


def test_the_facets_of_a_sculpt_with_metal_are_kept_before_anybody_asks(store, tmp_path, monkeypatch):
    trimesh.creation.box((8, 6, 20)).subdivide_to_size(1.0).export(tmp_path / "block.stl")
    sculpt, job = brought(store, tmp_path / "block.stl", "stl", "Block")
    with store.session() as session:
        own = session.get(Sculpt, sculpt)
        plans.amend(session, own, replace(plans.plan_of(session, own), regions=(Region("Block", "metal"),)))
    Queue(store)._run(job)
    monkeypatch.setattr(Site, "found_facets", None)  # nothing is worked out again
    with store.session() as session:
        found = OpenSculpts(store).of(session.get(Sculpt, sculpt)).site.facets()
    assert len(found) == 6 and all(f.kind == "flat" and len(f.neighbours) == 4 for f in found)


def test_facets_that_ship_are_taken_for_the_surface_they_are_of_and_for_no_other(store, monkeypatch):
    block, other = (Site(surface_of(trimesh.creation.box(size))) for size in ((8, 6, 20), (8, 6, 19)))
    stages.know_facets(store.cache, "a block", content := stages.packed_facets(block))
    stages.know_facets(store.cache, "another", content)
    assert stages.kept_facets(store.cache, "another", other)[0].mm2 == pytest.approx(8 * 19)
    monkeypatch.setattr(Site, "found_facets", None)  # nothing is worked out
    assert stages.kept_facets(store.cache, "a block", block)[0].mm2 == pytest.approx(8 * 20)


@pytest.mark.long
def test_once_its_bench_is_open_a_hurried_job_lets_others_go_first(store, tmp_path):
    """Somebody looked in on three sculpts: each is laid out before any has its sky worked out."""
    jobs = []
    for k in range(2):
        path = tmp_path / f"{k}.stl"
        ball(5 + k, 2).export(path)
        jobs.append(brought(store, path, "stl", f"Ball {k}")[1])
    queue = Queue(store)
    queue.huey.immediate = False
    for job in jobs:
        queue.hurry(job)
    assert run(store, jobs[0], new_worker(), apart=False)
    assert job_of(store, jobs[0]).urgency == FILLS_THE_SHELF and job_of(store, jobs[1]).urgency == LOOKED_AT
    assert run(store, jobs[1], new_worker(), apart=False)
    assert job_of(store, jobs[1]).urgency == LOOKED_AT  # nobody else waits


def test_a_job_that_is_hurried_while_it_gives_way_waits_again_and_is_not_stopped(store, warden_file):
    _, job = brought(store, warden_file, "ply")
    asked = iter([False, True])
    assert run(store, job, new_worker(), held_up=lambda: next(asked, False))
    assert job_of(store, job).state == "waiting" and job_of(store, job).attempts == 0


@pytest.mark.long
def test_pages_and_worker_that_die_are_started_again_and_end_with_their_server(tmp_path):
    command = [sys.executable, "-m", "dusk_lamp.cli", "serve", "--port", "0", "--data", str(tmp_path / "data")]
    server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)

    def children():
        own = Path(f"/proc/{server.pid}/task").glob("*/children")  # of each of its threads
        return {int(number) for path in own for number in path.read_text().split()}

    try:
        address = next(word for word in server.stdout.readline().split() if word.startswith("http"))
        first = children()
        assert len(first) == 2
        for number in first:
            os.kill(number, signal.SIGKILL)
        assert urllib.request.urlopen(address, timeout=60).status == 200, "who asks waits until the pages are back"
        for _ in range(100):
            second = children()
            if len(second - first) == 2:
                break
            time.sleep(0.1)
        assert len(second) == 2 and not second & first
        server.send_signal(signal.SIGTERM)
        assert server.wait(20) == 0
        assert not [number for number in second if Path(f"/proc/{number}").exists()]
    finally:
        server.kill()
        server.stdout.close()
        server.wait()
