"""The memory of this process: few heaps, and what large things took given back once they are let go."""

import ctypes
import gc
import threading
import time

M_ARENA_MAX, HEAPS = -8, 2  # of malloc.h
# things made beyond those let go before Python looks for what only refers to itself, and how often it looks further:
# hardly anything does while a program loads, where looking takes a tenth of the time
SELDOM, USUAL = (50_000, 20, 100), gc.get_threshold()
SETTLING_S = 2.0  # after which most requests that still used what was dropped have ended


def keep_few() -> None:
    """Many threads that each keep a heap of their own hold on to most of what sculpts took; a few are enough for all.
    Only where the C library has such heaps."""
    if hasattr(library := ctypes.CDLL(None), "mallopt"):
        library.mallopt(M_ARENA_MAX, HEAPS)


def look_seldom() -> None:
    """Have Python look seldom for what only refers to itself: while a program loads, or runs one command."""
    gc.set_threshold(*SELDOM)


def settle() -> None:
    """A server has loaded: what is there stays and need not be looked through; from here on Python looks as usual."""
    gc.freeze()
    gc.set_threshold(*USUAL)


def give_back() -> None:
    """Free what only refers to itself, as a sculpt and what was made of it do, and hand the room back to the
    machine. Python would look for such things much later: they are few, though large."""
    gc.collect()
    if hasattr(library := ctypes.CDLL(None), "malloc_trim"):
        library.malloc_trim(0)


class Tidying:
    """Gives back at once when it is asked to, and again soon after, beside the requests; asked many times, it does
    that once."""

    def __init__(self) -> None:
        self._asked = threading.Lock()  # held while one is under way

    def ask(self) -> None:
        """Something large was let go; some request may still use it."""
        give_back()
        if self._asked.acquire(blocking=False):
            threading.Thread(target=self._soon, daemon=True).start()

    def _soon(self) -> None:
        time.sleep(SETTLING_S)
        self._asked.release()  # what is let go from here on asks again
        give_back()
