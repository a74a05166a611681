"""Results: what was worked out and may be wanted again. A result is a function that declares what it depends on, how
many are kept, and whether they outlive memory:

    @result(most=40, depends=lambda site, lamp: lamp)
    def lit(site: Site, lamp: Lamp) -> Field: ...

Its first argument (or another, by `of`) is what it is worked out of, and has `results`: where it is kept. It is
worked out once, however many threads ask. `known(lit, site, lamp)` is what is there by now, None where it is not or
what it depends on has changed. Nothing else remembers anything about a sculpt."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from functools import partial, wraps
from hashlib import sha1
from json import dumps
from typing import Any, Generic, ParamSpec, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from .plain import plain

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
P = ParamSpec("P")
R = TypeVar("R")


def digest(*things: object) -> str:
    """A short hash of plain values and of arrays, by their content."""
    out = sha1(usedforsecurity=False)
    for thing in things:
        if isinstance(thing, np.ndarray):
            out.update(np.ascontiguousarray(thing).tobytes())
        else:
            out.update(dumps(plain(thing), sort_keys=True).encode())
        out.update(b"\0")
    return out.hexdigest()[:24]


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
        self._making: dict[K, threading.RLock] = {}
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
            turn = self._making.setdefault(key, threading.RLock())
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
            had_some = bool(self._kept)
            self._kept.clear()
        return had_some

    def values(self) -> list[V]:
        """What is kept, the one not used for longest first."""
        with self._lock:
            return list(self._kept.values())

    def __len__(self) -> int:
        return len(self._kept)


class Outlasting:
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


NOTHING_LASTS = Outlasting()
IN_MEMORY, AS_FIELD, AS_PLAIN = "in memory", "as a field", "as plain values"  # how long a result lives


@dataclass(frozen=True, eq=False)
class Declared:
    """What a result says of itself. name: unique in its room. most: how many are kept of one sculpt. rests: whether
    they are let go of while nobody looks at it. lives: IN_MEMORY, or on disk too, and how."""

    name: str
    most: int
    rests: bool
    lives: str


class Results:
    """What was worked out of one thing. outlasting: what outlives memory. Safe to ask from many threads."""

    def __init__(self, outlasting: Outlasting = NOTHING_LASTS) -> None:
        self.outlasting = outlasting
        self._kept: dict[Declared, Bounded[Any, Any]] = {}

    def _of_its_kind(self, declared: Declared) -> Bounded[Any, Any]:
        found = self._kept.get(declared)
        return self._kept.setdefault(declared, Bounded(declared.most)) if found is None else found

    def of(self, declared: Declared, key: Hashable, make: Callable[[], V]) -> V:
        """A result under all that it depends on; made now where it is not known."""
        if declared.lives == IN_MEMORY:
            return self._of_its_kind(declared).of(key, make)
        lasting = self.outlasting.field if declared.lives == AS_FIELD else self.outlasting.plain
        return self._of_its_kind(declared).of(
            key, lambda: lasting(digest(declared.name, key), cast("Callable[[], Any]", make))
        )

    def get(self, declared: Declared, key: Hashable) -> Any:
        """What is known of a result, or None."""
        found = self._kept.get(declared)
        return None if found is None else found.get(key)

    def rest(self) -> bool:
        """Let go of what is large and soon worked out again, as nobody looks at it for now; whether there was
        something."""
        return sum([kept.clear() for declared, kept in list(self._kept.items()) if declared.rests]) > 0

    def clear(self) -> None:
        """Keep nothing."""
        for kept in list(self._kept.values()):
            kept.clear()


def result(
    most: int = 1,
    *,
    of: int = 0,
    depends: Callable[..., Hashable] = lambda *_, **__: (),
    rests: bool = False,
    lives: str = IN_MEMORY,
) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Declares a function as a result; see the head of this file. of: the place of what it is worked out of among the
    arguments. depends: given the arguments, all else that it depends on."""

    def declare(make: Callable[P, R]) -> Callable[P, R]:
        name = f"{make.__module__}.{getattr(make, '__qualname__', '')}"
        declared = Declared(name, most, rests, lives)

        @wraps(make)
        def ask(*args: P.args, **kwargs: P.kwargs) -> R:
            results = cast("Any", args[of]).results
            return results.of(declared, depends(*args, **kwargs), partial(make, *args, **kwargs))

        def get(*args: P.args, **kwargs: P.kwargs) -> R | None:
            return cast("Any", args[of]).results.get(declared, depends(*args, **kwargs))

        cast("Any", ask).get = get
        return ask

    return declare


def known(worked: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R | None:
    """What a result is by now, or None where it is not known, or what it depends on has changed."""
    return cast("Any", worked).get(*args, **kwargs)
