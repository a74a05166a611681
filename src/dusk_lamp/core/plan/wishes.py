"""Wishes: what a painter wants of a feature, as plain values. The plan holds them; features make coats of them.

A feature's wishes are a frozen dataclass below `Wishes` in `features/NAME/wishes.py`, and that class as `WISHES`.
They know nothing of a sculpt: the document can stand on them, and the features above it.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any, ClassVar, Self, TypeVar

from ..registry import registered_below

T = TypeVar("T")
Takers = Mapping[int, Sequence[int]]  # ids of the regions on another sculpt by the id of the one they take after


@dataclass(frozen=True)
class Wishes:
    """What is wished of one feature. name: of the feature. order: of its coats among those of others. title: what a
    painter calls it."""

    name: ClassVar[str]
    order: ClassVar[int]
    title: ClassVar[str]

    @property
    def ids(self) -> Iterable[int]:
        """The ids that it gave out, beside those of regions."""
        return ()

    def without_region(self, id_: int) -> Self:
        """The same once a region is gone."""
        return self

    def carried(self, theirs: Self, takers: Takers, first_id: int) -> Self:
        """The same for another sculpt. theirs: what is wished there so far; takers: the regions there that take after
        each region here, by ids. first_id: from which on ids are free there."""
        return self


@cache
def kinds_of_wishes() -> Mapping[str, type[Wishes]]:
    """The wishes of every feature by its name, in the order of their coats."""
    return registered_below(f"{__package__}.features", "wishes", "WISHES")


def ids_taken(ids: Sequence[int], kept: Sequence[int], takers: Takers) -> tuple[int, ...]:
    """The regions that take after some, and those of `kept` that take after none."""
    taking = {k for numbers in takers.values() for k in numbers}
    left = [k for k in kept if k not in taking]
    return tuple(dict.fromkeys([*(k for i in ids for k in takers.get(i, ())), *left]))


def wishes_taken(wishes: Mapping[str, Any], theirs: Mapping[str, T], takers: Takers) -> dict[str, T]:
    """What is wished for regions, by their ids as text, for those that take after them; others keep their own."""
    taking = {str(k) for ids in takers.values() for k in ids}
    kept = {k: v for k, v in theirs.items() if k not in taking}
    return kept | {str(k): v for i, v in wishes.items() for k in takers.get(int(i), ())}
