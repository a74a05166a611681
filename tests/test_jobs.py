"""Long work: killed, resumed, stopped, given up."""

import subprocess
import sys
import time

import pytest

from dusk_lamp.jobs import queue as queue_module
from dusk_lamp.jobs.queue import Queue, prepare
from dusk_lamp.store import stages
from dusk_lamp.store.models import Job, Sculpt
from dusk_lamp.store.store import Store, add_sculpt, new_job

from .shapes import ball


@pytest.fixture(autouse=True)
def few_samples(monkeypatch):
    monkeypatch.setenv("DUSK_LAMP_MOST_SAMPLES", "50000")


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path / "data")
    yield store
    store.close()


def brought(store, path, kind):
    with path.open("rb") as f:
        sha = store.keep_upload(f, kind)
    with store.session() as session:
        sculpt = add_sculpt(session, "Warden", [{"name": path.name, "format": kind, "sha": sha}])
        return sculpt.id, new_job(session, sculpt).id


def job_of(store, job_id):
    with store.session() as session:
        job = session.get(Job, job_id)
        session.expunge(job)
        return job


def wait_for(what, seconds=60):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if got := what():
            return got
        time.sleep(0.02)
    raise AssertionError("it never happened")


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
    done_before = {p.name: p.stat().st_mtime_ns for p in store.cache.root.glob("*/*")}
    assert len(done_before) >= 3
    second = subprocess.Popen(command)
    try:
        wait_for(lambda: job_of(store, job_id).state == "done", 90)
    finally:
        second.terminate()
        second.wait(10)
    assert job_of(store, job_id).attempts == 2
    now = {p.name: p.stat().st_mtime_ns for p in store.cache.root.glob("*/*")}
    assert all(now[name] == when for name, when in done_before.items()), "no finished stage was done again"


def test_a_worker_does_not_outlive_its_server_even_one_that_died_before_it_had_begun(store):
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    worker = subprocess.Popen([sys.executable, "-m", "dusk_lamp.jobs.worker", str(store.root), str(gone.pid)])
    try:
        assert worker.wait(30) == 0
    finally:
        worker.kill()
        worker.wait()


def test_a_file_that_kills_the_worker_three_times_is_put_aside(store, tmp_path):
    path = tmp_path / "b.stl"
    ball(fine=1).export(path)
    _, job_id = brought(store, path, "stl")
    with store.session() as session:
        job = session.get(Job, job_id)
        job.state, job.attempts = "working", 3
    queue = Queue(store)
    assert queue.resume() == 0
    job = job_of(store, job_id)
    assert job.state == "failed" and "put aside" in job.message


def test_stopping_takes_effect_at_the_next_step_and_nothing_is_lost(store, tmp_path, monkeypatch):
    path = tmp_path / "b.stl"
    ball(fine=3).export(path)
    sculpt_id, job_id = brought(store, path, "stl")
    lay_out = stages.surface

    def lay_out_then_stop(*args):
        key = lay_out(*args)
        with store.session() as session:
            session.get(Job, job_id).stop_asked = True
        return key

    monkeypatch.setattr(queue_module.stages, "surface", lay_out_then_stop)
    prepare(store, job_id)
    assert job_of(store, job_id).state == "stopped"
    with store.session() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        assert sculpt.mended_key in store.cache
        again = new_job(session, sculpt).id
    monkeypatch.setattr(queue_module.stages, "surface", lay_out)
    prepare(store, again)
    assert job_of(store, again).state == "done"


def test_a_newer_job_ends_the_older_one(store, tmp_path):
    path = tmp_path / "b.stl"
    ball(fine=1).export(path)
    sculpt_id, old = brought(store, path, "stl")
    with store.session() as session:
        new_job(session, session.get(Sculpt, sculpt_id))
    prepare(store, old)
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
            sculpt.up, sculpt.front, sculpt.height_mm = "x", "z", 54.0
            new_job(session, sculpt)
        return result

    monkeypatch.setattr(queue_module.stages, "mended", stood_up_meanwhile)
    prepare(store, old)
    with store.session() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        assert (sculpt.up, sculpt.front, sculpt.height_mm, sculpt.surface_key) == ("x", "z", 54.0, None)


@pytest.mark.parametrize("trouble", [RuntimeError("boom"), MemoryError(), KeyError("x")])
def test_trouble_inside_is_told_in_words_and_the_file_is_kept(store, tmp_path, monkeypatch, trouble):
    path = tmp_path / "b.stl"
    ball(fine=1).export(path)
    _, job_id = brought(store, path, "stl")

    def fail(*args, **kwargs):
        raise trouble

    monkeypatch.setattr(queue_module.stages, "surface", fail)
    prepare(store, job_id)
    job = job_of(store, job_id)
    assert job.state == "failed" and "boom" not in job.message and len(job.message) > 30
    assert len(list(store.uploads.iterdir())) == 1
