"""The memory of the pages' process: sculpts that are let go leave it."""

import gc
import subprocess
import sys
import time
import weakref

import pytest

from dusk_lamp import heap
from dusk_lamp.core.results import Bounded


class Sculpt:
    """What was made of it refers to it, and it to that."""

    def __init__(self):
        self.made = [self]


@pytest.fixture
def not_by_itself():
    """It is not Python's own turn that frees anything."""
    was = gc.isenabled()
    gc.disable()
    yield
    if was:
        gc.enable()


def test_what_is_let_go_leaves_the_memory_before_another_is_made(not_by_itself):
    """Sixty sculpts opened one after another held 5 GB, since Python looks seldom for few large things."""
    kept, seen, most = Bounded(2, heap.Tidying().ask), [], []

    def opened():
        most.append(sum(one() is not None for one in seen))
        seen.append(weakref.ref(own := Sculpt()))
        return own

    for n in range(6):
        kept.of(n, opened)
    assert most == [0, 1, 1, 1, 1, 1] and [one() is not None for one in seen] == [False] * 4 + [True] * 2


def test_large_sculpts_count_for_more():
    """Three usual ones are kept, of large ones two, of one that is larger than all that one alone."""
    kept, gone = Bounded(3, lambda: gone.append(len(kept)), lambda size: max(1.0, size)), []
    for size, left in ((0.2, [0.2]), (1.0, [0.2, 1.0]), (0.7, [0.2, 1.0, 0.7]), (1.5, [0.7, 1.5]), (9.0, [9.0])):
        kept.of(size, lambda own=size: own)
        assert [s for s in (0.2, 1.0, 0.7, 1.5, 9.0) if kept.get(s)] == left
        for s in left:
            kept.get(s)  # the order in which they were used
    kept.of(0.5, lambda: gone.append("made") or 0.5)
    assert gone[-2:] == [0, "made"], "it goes before another is made"


def test_what_a_request_still_used_goes_soon_after(not_by_itself, monkeypatch):
    monkeypatch.setattr(heap, "SETTLING_S", 0.2)
    kept = Bounded(1, heap.Tidying().ask)
    used = kept.of(0, Sculpt)
    seen = weakref.ref(used)
    kept.of(1, Sculpt)
    assert seen() is not None
    del used
    for _ in range(500):
        if seen() is None:
            return
        time.sleep(0.01)
    raise AssertionError("it stayed")


FIELDS = """
import sys, numpy as np
from dusk_lamp.heap import keep_few
if sys.argv[1] == "few":
    keep_few()
held = lambda: int(open("/proc/self/statm").read().split()[1]) * 4096 / 1e6
np.ones(1_000_000)  # left to itself the library takes what was let go once from a heap the next time
before, fields = held(), [np.ones(900_000) for _ in range(30)]
stays = [bytes(2_000) for _ in range(100)]  # and this lies above them
del fields
print(held() - before)
"""


def test_large_fields_go_back_to_the_system_as_soon_as_they_are_let_go():
    def left(how):
        ran = subprocess.run([sys.executable, "-c", FIELDS, how], check=True, capture_output=True, text=True)
        return float(ran.stdout)

    assert left("few") < 40 < left("as it is")
