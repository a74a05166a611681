"""Work done apart, backups, and files that would blow up: limits of memory and time hold, and nothing else falls."""

import os
import re
import shutil
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import pytest

from dusk_lamp.core.errors import DuskLampError, SettingError, Stopped
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.read import read_sculpt
from dusk_lamp.jobs.child import CrashedError, TooLongError, call
from dusk_lamp.store.backup import MARK, BackupError, backup, restore
from dusk_lamp.store.lock import FolderInUseError, FolderLock
from dusk_lamp.store.models import Sculpt
from dusk_lamp.store.plans import add_sculpt
from dusk_lamp.store.store import Store

from .hostile import FILES, obj_of_objects
from .shapes import ball, mesh_of


def doubled(x):
    return 2 * x


def greedy():
    return len(bytearray(6 * 2**30))


def refuse():
    raise SettingError("not like this")


def say_and_wait(path):
    Path(path).write_text(str(os.getpid()))
    time.sleep(120)


def stumble():
    raise RuntimeError("a mistake of ours")


LIMITS = {"seconds": 30.0, "memory_gb": 4.0}


def test_what_is_done_apart_comes_back_and_so_does_its_refusal():
    assert call(doubled, 21, **LIMITS) == 42
    with pytest.raises(SettingError, match="not like this"):
        call(refuse, **LIMITS)


def test_too_much_memory_too_long_and_a_crash_end_the_child_only():
    with pytest.raises(DuskLampError, match="memory"):
        call(greedy, **LIMITS)
    with pytest.raises(TooLongError):
        call(time.sleep, 60, seconds=0.5, memory_gb=4)
    for crash in (os.abort, stumble):
        with pytest.raises(CrashedError):
            call(crash, **LIMITS)


def test_stop_is_heard_within_two_seconds_whatever_the_child_is_at():
    began = time.monotonic()
    with pytest.raises(Stopped):
        call(time.sleep, 60, **LIMITS, stopped=lambda: True)
    assert time.monotonic() - began < 2.5


def test_children_are_forked_from_one_server_which_is_started_again_where_it_died():
    first, second = call(os.getppid, **LIMITS), call(os.getppid, **LIMITS)
    assert first == second != os.getpid()
    os.kill(first, signal.SIGKILL)
    assert call(os.getppid, **LIMITS) not in (first, os.getpid())


def test_a_process_that_forked_its_fork_server_loads_nothing_again():
    """As the worker does: what it has loaded is there in the children."""
    script = (
        "import sys, os; from dusk_lamp.jobs import child; sys.modules['here'] = os; child.begin_fork_server();"
        "print(child.call(eval, \"'here' in __import__('sys').modules\", seconds=20, memory_gb=4))"
    )
    ran = subprocess.run([sys.executable, "-c", script], check=False, capture_output=True, text=True, timeout=60)
    assert (ran.stdout.strip(), ran.stderr) == ("True", "")


def test_a_child_ends_at_once_when_who_asked_for_it_is_gone(tmp_path):
    """A server that is stopped, or killed, leaves nothing behind that goes on working."""
    said = tmp_path / "number"
    script = (
        "from dusk_lamp.jobs.child import call; from tests.test_child import say_and_wait;"
        f"call(say_and_wait, {str(said)!r}, seconds=100, memory_gb=4)"
    )
    with subprocess.Popen([sys.executable, "-c", script], cwd=Path(__file__).parents[1]) as asks:
        until(lambda: said.exists() and said.read_text())
        child = Path(f"/proc/{said.read_text()}/stat")
        assert child.exists()
        asks.kill()
    until(lambda: not child.exists() or child.read_text().split()[2] == "Z")


def until(true, seconds=30.0):
    began = time.monotonic()
    while not true():
        assert time.monotonic() - began < seconds
        time.sleep(0.05)


@pytest.mark.parametrize("name", list(FILES))
def test_a_file_that_would_blow_up_is_refused_before_it_is_built(tmp_path, name):
    path = tmp_path / name
    path.write_bytes(FILES[name]())
    began = time.monotonic()
    with pytest.raises(DuskLampError) as said:
        read_sculpt(path)
    assert time.monotonic() - began < 10 and len(str(said.value)) > 30


def test_thirty_thousand_objects_a_fan_and_thousands_of_shells_turned_inside_out_are_no_trouble(tmp_path):
    path = tmp_path / "many.obj"
    path.write_bytes(obj_of_objects())
    began = time.monotonic()
    assert len(read_sculpt(path).faces) == 30_000
    import numpy as np

    n = 300_000
    angle = np.linspace(0, 2 * np.pi, n, endpoint=False)
    rim = np.stack([np.cos(angle), np.sin(angle), 0.1 * np.sin(7 * angle)], axis=1)
    k = np.arange(n)
    fan = Mesh(
        np.vstack([[0, 0, 1], rim]).astype(np.float32),
        np.stack([0 * k, k + 1, (k + 1) % n + 1], axis=1).astype(np.int32),
    )
    assert mend(fan).findings.shells == 1
    one = ball(1, 1)
    one.invert()
    small = mesh_of(one)
    count = 2_000
    places = np.stack(np.unravel_index(np.arange(count), (20, 10, 10)), axis=1) * 3.0
    vertices = (small.vertices[None] + places[:, None]).reshape(-1, 3).astype(np.float32)
    faces = (
        (small.faces[None] + len(small.vertices) * np.arange(count)[:, None, None]).reshape(-1, 3).astype(np.int32)
    )
    assert mend(Mesh(vertices, faces)).findings.flipped_shells == count
    assert time.monotonic() - began < 60


# --- backup


@pytest.fixture
def shelved(tmp_path):
    store = Store(tmp_path / "data")
    with store.saving() as session:
        (store.uploads / ("a" * 64 + ".stl")).write_bytes(b"a sculpt")
        add_sculpt(session, "Warden", [{"name": "w", "format": "stl", "sha": "a" * 64}])
    store.keep_photo(b"a photo")
    yield store
    store.close()


def test_a_backup_brings_everything_back_into_an_empty_folder(shelved, tmp_path):
    assert backup(shelved.root, tmp_path / "b.zip") == {"files": 2, "sculpts": 1}
    restore(tmp_path / "b.zip", tmp_path / "new")
    again = Store(tmp_path / "new")
    with again.session() as session:
        assert session.get(Sculpt, 1).name == "Warden"
    assert (again.uploads / ("a" * 64 + ".stl")).read_bytes() == b"a sculpt" and len(
        list(again.photos.iterdir())
    ) == 1
    again.close()
    with pytest.raises(BackupError, match="not empty"):
        restore(tmp_path / "b.zip", tmp_path / "new")


def test_a_cut_garbled_or_foreign_backup_touches_nothing(shelved, tmp_path):
    whole = tmp_path / "b.zip"
    backup(shelved.root, whole)
    content = whole.read_bytes()
    for k, bad in enumerate(
        (content[:-200], content[: len(content) // 2], b"", b"no zip", content[:400] + b"\0" * 90 + content[490:])
    ):
        path = tmp_path / f"bad{k}.zip"
        path.write_bytes(bad)
        with pytest.raises(BackupError):
            restore(path, tmp_path / "new")
        assert not (tmp_path / "new").exists() and not list(tmp_path.glob(".new*"))
    newer = tmp_path / "newer.zip"
    shutil.copy(whole, newer)
    with zipfile.ZipFile(whole) as z, zipfile.ZipFile(newer, "w") as out:
        for name in z.namelist():
            out.writestr(name, re.sub(rb'"00\d\d"', b'"9999"', z.read(name)) if name == MARK else z.read(name))
    with pytest.raises(BackupError, match="newer"):
        restore(newer, tmp_path / "new")
    climbing = tmp_path / "climbing.zip"
    with zipfile.ZipFile(whole) as z, zipfile.ZipFile(climbing, "w") as out:
        for name in z.namelist():
            out.writestr(name, z.read(name))
        out.writestr("uploads/../../escaped", b"x")
    restore(climbing, tmp_path / "new")
    assert not (tmp_path / "escaped").exists() and not (tmp_path.parent / "escaped").exists()


def test_one_folder_is_served_by_one_bench(tmp_path):
    first = FolderLock(tmp_path)
    with pytest.raises(FolderInUseError, match="another Dusk Lamp"):
        FolderLock(tmp_path)
    first.release()
    FolderLock(tmp_path).release()
