"""The palette: every puddle in its place, what is added to what, in whole drops, and what mixing takes."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil

from ...coat.coat import Coat
from ...datasets.prices import price
from ...paint.adding import grown
from ...paint.mix import Mix
from ...units import counted
from ..steps.care import care

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


@dataclass(frozen=True)
class Puddle:
    """One puddle. letter: its place. mix: what it is. drops: put in, by pot. added_to: the letter of the puddle that
    it grows out of, "" where it is mixed afresh; takes: drops of that. ml: that the model needs of it. left: drops
    over. feeds: letters of those that grow out of it."""

    letter: str
    mix: Mix
    drops: dict[str, int]
    added_to: str
    takes: int
    ml: float
    left: float
    feeds: tuple[str, ...] = ()

    @property
    def parts(self) -> dict[str, int]:
        """By pot."""
        return self.mix.counted()

    @property
    def mixing(self) -> str:
        """How it is mixed."""
        put = ", ".join(f"{n} {name}" for name, n in self.drops.items())
        return f"{counted(self.takes, 'drop', 'drops')} of {self.added_to}, then {put}" if self.added_to else put

    @property
    def words(self) -> str:
        """How it is mixed, with its letter."""
        return f"{self.letter}: {self.mixing}"


def from_puddle(coat: Coat) -> bool:
    """Whether a coat is brushed on from a puddle."""
    return coat.by.tool(coat.settings) == "brush" and not coat.mix.clear and not coat.by.primes


def palette_for(coats: Sequence[Coat], ml: Sequence[float], drops_per_ml: float) -> tuple[list[Puddle], list[str]]:
    """The puddles of all that is brushed on, in the order they are needed, and the letter of each coat's, "" where it
    comes by another tool or from a pot of its own. ml: of each coat, for all models."""
    places: dict[Mix, float] = {}  # in the order they are first needed
    for coat, much in zip(coats, ml, strict=True):
        if from_puddle(coat):
            places[coat.mix] = places.get(coat.mix, 0.0) + much
    puddles = palette_of(list(places), list(places.values()), drops_per_ml)
    letter = {p.mix: p.letter for p in puddles}
    return puddles, [letter[c.mix] if from_puddle(c) else "" for c in coats]


def mixing_minutes(puddles: Sequence[Puddle]) -> list[float]:
    """What it takes to put each puddle on the palette, with the pots that are opened for it; shaking them is a task
    of its own."""
    out, open_ = [], set[str]()
    for puddle in puddles:
        neat = "neat puddle" if len(puddle.parts) == 1 else "mixed puddle"
        pots = puddle.drops.keys() - open_
        open_ |= pots
        out.append(price("grown puddle" if puddle.added_to else neat) + (price("pot") - care("shake")) * len(pots))
    return out


@dataclass(frozen=True)
class Put:
    """What a step does at the palette. letter: of its puddle. rows: what is put together where it is first needed, as
    (drops, of what), empty where it is there. words: the same in a line."""

    letter: str
    rows: tuple[tuple[int, str], ...]
    words: str


def puts_of(puddles: Sequence[Puddle], letters: Sequence[str], numbers: Sequence[int]) -> list[Put | None]:
    """What each step does at the palette, None where it takes nothing from it. letters, numbers: of the steps."""
    by_letter, since = {p.letter: p for p in puddles}, dict[str, int]()
    out: list[Put | None] = []
    for letter, number in zip(letters, numbers, strict=True):
        if not letter:
            out.append(None)
        elif letter in since:
            out.append(Put(letter, (), f"{letter} is there, from step {since[letter]}"))
        else:
            since[letter], puddle = number, by_letter[letter]
            rows = [(puddle.takes, f"of puddle {puddle.added_to}")] if puddle.added_to else []
            out.append(Put(letter, (*rows, *((n, name) for name, n in puddle.drops.items())), puddle.mixing))
    return out


def palette_words(puddles: Sequence[Puddle]) -> str:
    """How many of them are mixed, grown and neat, in a line."""
    grown = sum(bool(p.added_to) for p in puddles)
    neat = sum(not p.added_to and len(p.parts) == 1 for p in puddles)
    fresh = len(puddles) - grown - neat
    said = [
        f"{n} {words}"
        for n, words in ((fresh, "to mix"), (grown, "by adding to one that is there"), (neat, "neat from the pot"))
        if n
    ]
    return ", ".join(said)


def letter_of(k: int) -> str:
    """A, B, …, Z, A2, …"""
    return LETTERS[k % len(LETTERS)] + ("" if k < len(LETTERS) else str(k // len(LETTERS) + 1))


def palette_of(mixes: Sequence[Mix], ml: Sequence[float], drops_per_ml: float) -> list[Puddle]:
    """The puddles in the order they are needed. A mix grows out of a puddle of the same two pots, or of one of them
    neat, where only the other pot has to be added (CP-21, CP-22)."""
    need = [max(price("least drops"), price("spare") * v * drops_per_ml) for v in ml]
    made: list[tuple[str, int, dict[str, int]]] = []  # from, drops taken of it, what is added
    given = [0.0] * len(mixes)  # drops that others take
    for k in range(len(mixes) - 1, -1, -1):  # the last first, so that each knows what is taken of it
        parts, wants = mixes[k].counted(), need[k] + given[k]
        times = max(1, ceil(wants / sum(parts.values())))
        fresh = {name: n * times for name, n in parts.items()}
        for j in range(k - 1, -1, -1):
            found = grown(mixes[j].counted(), parts, wants)
            if found is not None and found[0] + sum(found[1].values()) <= sum(fresh.values()) + price("more drops"):
                given[j] += found[0]
                made.append((letter_of(j), *found))
                break
        else:
            made.append(("", 0, fresh))
    made.reverse()
    feeds: dict[str, list[str]] = {}
    for k, (source, _, _) in enumerate(made):
        if source:
            feeds.setdefault(source, []).append(letter_of(k))
    out = []
    for k, (mix, (source, takes, adds)) in enumerate(zip(mixes, made, strict=True)):
        left = takes + sum(adds.values()) - given[k] - ml[k] * drops_per_ml
        out.append(
            Puddle(letter_of(k), mix, adds, source, takes, ml[k], round(left, 1), tuple(feeds.get(letter_of(k), ())))
        )
    return out
