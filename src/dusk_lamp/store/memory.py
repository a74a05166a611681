"""Memory: the few things used last, bounded by number, each worked out once however many ask for it at the same
time."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Bounded(Generic[K, V]):
    """At most so many values by key; the one not used for longest goes first. Safe to ask from many threads."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[K, V] = OrderedDict()
        self._making: dict[K, threading.Lock] = {}
        self._lock = threading.Lock()

    def get(self, key: K) -> V | None:
        """What is kept under a key, or None."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            return self._kept.get(key)

    def of(self, key: K, make: Callable[[], V]) -> V:
        """What is kept under a key; made now, by one of those who ask, where it is not."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            turn = self._making.setdefault(key, threading.Lock())
        with turn:
            with self._lock:
                if key in self._kept:
                    return self._kept[key]
            try:
                value = make()
                with self._lock:
                    self._kept[key] = value
                    while len(self._kept) > self._most:
                        self._kept.popitem(last=False)
            finally:
                with self._lock:
                    self._making.pop(key, None)
        return value

    def __len__(self) -> int:
        return len(self._kept)
