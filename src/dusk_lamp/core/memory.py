"""Memory: the few results used last, bounded by number, each worked out once however many threads ask for it; and
what outlives it."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from types import MappingProxyType
from typing import Any, Generic, TypeVar

from numpy.typing import NDArray

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Bounded(Generic[K, V]):
    """At most so many values by key; the one not used for longest goes first. Safe to ask from many threads.

    For large values: dropped, called after some went; weigh, how many usual ones a value counts for, 1 at least. Of
    those what is too many goes before another is made, so that there is never one more.
    """

    def __init__(
        self, most: int, dropped: Callable[[], None] | None = None, weigh: Callable[[V], float] = lambda _: 1
    ) -> None:
        self._most, self._dropped, self._weigh = most, dropped, weigh
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
                if self._dropped is not None:
                    self._make_room(self._most - 1)
                value = make()
                with self._lock:
                    self._kept[key] = value
                self._make_room(self._most, spare=1)  # what was just made is in use, however much it weighs
            finally:
                with self._lock:
                    self._making.pop(key, None)
        return value

    def _make_room(self, most: int, spare: int = 0) -> None:
        with self._lock:
            before = len(self._kept)
            while len(self._kept) > spare and sum(map(self._weigh, self._kept.values())) > most:
                self._kept.popitem(last=False)
            fewer = len(self._kept) < before
        if fewer and self._dropped is not None:
            self._dropped()

    def clear(self) -> bool:
        """Keep nothing of what is there now; whether there was something."""
        with self._lock:
            some = bool(self._kept)
            self._kept.clear()
        return some

    def values(self) -> list[V]:
        """What is kept, the one not used for longest first."""
        with self._lock:
            return list(self._kept.values())

    def __len__(self) -> int:
        return len(self._kept)


# how many of each kind are kept for one sculpt of 160,000 samples, and what one of them takes
LIMITS = MappingProxyType(
    {
        "light": 2,  # 6 MB: the light that is kept, and the one being tried
        "target": 3,  # 3 MB
        "film": 40,  # 0.7 MB
        "reflectance": 2,  # 26 MB: only to go on from
        "look": 30,  # 1.3 MB
        "glow": 26,  # 1.5 MB: twelve glows, as they are and with what shiny spots mirror of them
        "metal": 6,  # 0.7 MB
        "ready": 1,  # 10 MB: what plans for any budget are made of
        "economy": 8,  # 1 MB: a plan for a budget
        "way": 80,  # 20 kB: a region painted one way
        "value": 4,  # 0.7 MB
        "reach": 2,  # 0.2 MB
        "touch-up": 4,  # a few kB
        "stage": 24,  # pots, schools, and coats that wishes come to: some 100 kB
    }
)


class Memory:
    """What was worked out for one sculpt and may be wanted again, by kind and key."""

    def __init__(self, limits: Mapping[str, int] = LIMITS) -> None:
        self._kinds: dict[str, Bounded[Any, Any]] = {kind: Bounded(most) for kind, most in limits.items()}

    def of(self, kind: str, key: Hashable, make: Callable[[], V]) -> V:
        """What is kept of a kind under a key; made now where it is not."""
        return self._kinds[kind].of(key, make)

    def get(self, kind: str, key: Hashable) -> Any:
        """What is kept, or None."""
        return self._kinds[kind].get(key)

    def clear(self, *kinds: str) -> bool:
        """Keep nothing of some kinds; whether there was something."""
        return sum(self._kinds[kind].clear() for kind in kinds) > 0


class Lasting:
    """What outlives memory, by a key that names all it depends on. This one keeps nothing."""

    def plain(self, key: str, make: Callable[[], Any]) -> Any:
        """Plain values that were kept; made now where they were not."""
        return make()

    def fields(self, key: str) -> dict[str, NDArray] | None:
        """Fields by their names that were kept, or None."""
        return None

    def keep(self, key: str, fields: Mapping[str, NDArray]) -> None:
        """Keep fields, where they are not kept yet."""

    def field(self, key: str, make: Callable[[], NDArray]) -> NDArray:
        """One field that was kept; made and kept now where it was not."""
        known = self.fields(key)
        if known is None:
            known = {"field": make()}
            self.keep(key, known)
        return known["field"]
