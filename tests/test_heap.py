"""The memory of the pages' process: sculpts that are let go leave it."""

import gc
import time
import weakref

from dusk_lamp import heap
from dusk_lamp.core.memory import Bounded


class Sculpt:
    """What was made of it refers to it, and it to that."""

    def __init__(self):
        self.made = [self]


def test_what_is_let_go_leaves_the_memory_though_it_refers_to_itself(monkeypatch):
    """Sixty sculpts opened one after another held 5 GB, since Python looks seldom for few large things."""
    monkeypatch.setattr(heap, "SETTLING_S", 0.01)
    given = []
    monkeypatch.setattr(heap, "give_back", lambda own=heap.give_back: given.append(1) or own())
    kept = Bounded(2, heap.Tidying().ask)
    was = gc.isenabled()
    gc.disable()  # it is not Python's own turn that frees them
    try:
        seen = [weakref.ref(kept.of(n, Sculpt)) for n in range(2)]
        assert not given, "nothing was let go yet"
        seen += [weakref.ref(kept.of(n, Sculpt)) for n in range(2, 6)]
        for _ in range(500):
            if sum(one() is not None for one in seen) == 2:
                break
            time.sleep(0.01)
        assert [one() is not None for one in seen] == [False] * 4 + [True] * 2
        assert 1 <= len(given) <= 4
    finally:
        if was:
            gc.enable()
