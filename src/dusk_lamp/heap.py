"""The memory of this process: few heaps, and what large things took given back once they are let go."""

import ctypes
import gc
import threading
import time

M_ARENA_MAX, M_MMAP_THRESHOLD = -8, -3  # of malloc.h
HEAPS = 2
LARGE_BYTES = 1 << 20  # a field of a sculpt takes as much, and more
# things made beyond those let go before Python looks for what only refers to itself, and how often it looks further:
# hardly anything does while a program loads, where looking takes a tenth of the time
SELDOM, USUAL = (50_000, 20, 100), gc.get_threshold()
SETTLING_S = 2.0  # after which most requests that still used what was dropped have ended


def keep_few() -> None:
    """Many threads that each keep a heap of their own hold on to most of what sculpts took; a few are enough for all.
    What is large is had from the system and goes back to it as soon as it is let go: left to itself the library takes
    ever larger pieces from its heaps, where small ones that stay keep them. Only where the C library has such
    heaps."""
    if hasattr(library := ctypes.CDLL(None), "mallopt"):
        library.mallopt(M_ARENA_MAX, HEAPS)
        library.mallopt(M_MMAP_THRESHOLD, LARGE_BYTES)


def look_seldom() -> None:
    """Have Python look seldom for what only refers to itself: while a program loads, or runs one command."""
    gc.set_threshold(*SELDOM)


def settle() -> None:
    """A server has loaded: what is there stays and need not be looked through; from here on Python looks as usual."""
    gc.freeze()
    gc.set_threshold(*USUAL)


def give_memory_back() -> None:
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
        give_memory_back()
        if self._asked.acquire(blocking=False):
            threading.Thread(target=self._soon, daemon=True).start()

    def _soon(self) -> None:
        time.sleep(SETTLING_S)
        self._asked.release()  # what is let go from here on asks again
        give_memory_back()
