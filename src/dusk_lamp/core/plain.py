"""Plain values: the one way from dataclasses to what JSON can write and back, with the ranges and words of their
fields.

A field made by `number`, `choice` or `words_of` carries its range, its unit and what a painter calls it. `checked`
refuses what lies outside; forms, the command line and the steps of a plan read the same description.
"""

import math
import re
from collections.abc import Mapping
from dataclasses import MISSING, Field, dataclass, field, fields, is_dataclass
from functools import cache
from types import MappingProxyType, NoneType, UnionType
from typing import Any, TypeVar, Union, get_args, get_origin, get_type_hints

import numpy as np

from .errors import SettingError

T = TypeVar("T")
# control signs, half letters (lone surrogates) and what turns the direction of writing round
UNSEEN = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069\ud800-\udfff]")
AS_IT_IS = (str, int, bool, NoneType)  # what JSON writes as it is
LONGEST_TEXT = 400_000  # letters of any text that is kept: a mask of two million samples


@dataclass(frozen=True)
class Range:
    """What a field may hold. low, high: of a number. options: of a choice. unit, step: as a form shows it.

    words: what a painter calls it, in the middle of a sentence. letters: the least and the most of a text.
    option_words: what the options are called, where that differs; of a number, the values one usually chooses from.
    form: its label where it is asked for; "" where it never is. slide: how far a slider for it goes; None for a
    field.
    """

    words: str
    low: float = -math.inf
    high: float = math.inf
    unit: str = ""
    step: float | None = None
    options: tuple[Any, ...] = ()
    letters: tuple[int, int] | None = None
    option_words: Mapping[Any, str] | None = None
    form: str = ""
    slide: float | None = None


def number(
    default: Any,
    low: float,
    high: float,
    words: str,
    unit: str = "",
    step: float | None = None,
    usual: Mapping[Any, str] | None = None,
    form: str = "",
    slide: float | None = None,
) -> Any:
    """A field that holds a number between two others; see Range."""
    return _described(default, Range(words, low, high, unit, step, option_words=usual, form=form, slide=slide))


def choice(
    default: Any, options: tuple[Any, ...], words: str, option_words: Mapping[Any, str] | None = None, form: str = ""
) -> Any:
    """A field that holds one of a few things."""
    return _described(default, Range(words, options=options, option_words=option_words, form=form))


def text(default: Any, letters: tuple[int, int], words: str) -> Any:
    """A field that holds a text of so many letters, the spaces around it not counted."""
    return _described(default, Range(words, letters=letters))


def one_line(given: Any) -> str:
    """A name as it is kept: one line of visible letters. What turns the writing round, rings a bell or is half a
    letter is left out, once, where text comes in.

    Raises:
        SettingError: it is no text.
    """
    if not isinstance(given, str):
        raise SettingError("a name is a text; reload the page and type it again")
    return " ".join(UNSEEN.sub(" ", given).split())


def rounded(digits: int, default: Any = MISSING) -> Any:
    """A field of a report, rounded where it is written down."""
    return _described(default, None, {"digits": digits})


def _described(default: Any, range_: Range | None, more: Mapping[str, Any] = MappingProxyType({})) -> Any:
    meta = {**more, **({"range": range_} if range_ else {})}
    return field(metadata=meta) if default is MISSING else field(default=default, metadata=meta)


def range_of(f: "Field[Any]") -> Range | None:
    """What a field may hold, where it is described."""
    return f.metadata.get("range")


def refuse_outside(allowed: Range, value: float, error: type[SettingError] = SettingError, who: str = "") -> None:
    """Refuse a number outside a range.

    Raises:
        SettingError (or the given kind of it): says what it is, and what it may be.
    """
    if isinstance(value, str) or not math.isfinite(value) or not allowed.low <= value <= allowed.high:
        unit = f" {allowed.unit}" if allowed.unit else ""
        between = f"{_plainly(allowed.low)} and {_plainly(allowed.high)}{unit}"
        raise error(f"{who}{allowed.words} is between {between}, not {_plainly(value)}")


def described(kind: Any) -> dict[str, Range]:
    """The described fields of a dataclass, in their order."""
    return {f.name: f.metadata["range"] for f in fields(kind) if "range" in f.metadata}


def checked(thing: Any, error: type[SettingError] = SettingError, who: str = "") -> None:
    """Refuse what lies outside the ranges of a dataclass's fields; called from `__post_init__`. None is let through.

    Raises:
        SettingError (or the given kind of it): says which field, in the painter's words, and what it may hold.
    """
    for f in fields(thing):
        allowed, value = range_of(f), getattr(thing, f.name)
        if allowed is None or value is None:
            continue
        if allowed.options:
            if value not in allowed.options:
                shown = ", ".join(str(o) for o in allowed.options)
                raise error(f"{who}{allowed.words} is one of {shown}, not '{str(value)[:40]}'")
        elif allowed.letters:
            low, high = allowed.letters
            if not isinstance(value, str) or not low <= len(value.strip()) or len(value) > high:
                least = f"{low} to {high}" if low else f"at most {high}"
                raise error(f"{who}{allowed.words} has {least} letters")
        else:
            refuse_outside(allowed, value, error, who)


def _plainly(value: Any) -> str:
    return f"{value:g}".replace("-", "−") if isinstance(value, int | float) else f"'{str(value)[:40]}'"


def plain(thing: Any, digits: int | None = None) -> Any:
    """A dataclass, or anything made of them, as what JSON can write; fields of reports are rounded as they say."""
    if type(thing) in AS_IT_IS:  # most of what there is
        return thing
    if isinstance(thing, np.ndarray):
        return plain(thing.tolist(), digits)
    if isinstance(thing, np.generic):
        thing = thing.item()
    if isinstance(thing, float):
        return thing if digits is None else round(thing, digits)
    if is_dataclass(thing) and not isinstance(thing, type):
        known_fields = _fields(type(thing))
        return {name: plain(getattr(thing, name), said.get("digits", digits)) for name, said in known_fields}
    if isinstance(thing, Mapping):
        return {str(k): plain(v, digits) for k, v in thing.items()}
    if isinstance(thing, tuple | list | set | frozenset):
        return [plain(v, digits) for v in thing]
    return thing


@cache
def _fields(kind: Any) -> tuple[tuple[str, Mapping[str, Any]], ...]:
    return tuple((f.name, f.metadata) for f in fields(kind))


@cache
def _hints(kind: type) -> dict[str, Any]:
    return get_type_hints(kind)


def built(kind: type[T], given: Any, what: str = "what arrived", *, whole: bool = False) -> T:
    """A dataclass from plain values. What it does not know is left out; numbers are taken as such, never words for
    them.

    Args:
        what: how a painter would call it, for the message. whole: every field must be there, also those with a
        default.
    Raises:
        SettingError: something is missing, of another kind, or outside its range.
    """
    try:
        names = {name for name, _ in _fields(kind)}
        if whole and isinstance(given, Mapping) and not names <= given.keys():
            raise KeyError("a field")
        return _made(kind, given)
    except SettingError:
        raise
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError, RecursionError) as e:
        raise SettingError(f"{what} is incomplete or garbled; reload the page and set it again") from e


def _made(kind: Any, given: Any) -> Any:
    origin = get_origin(kind)
    if kind is Any:
        return given
    if origin in (Union, UnionType):
        kinds = get_args(kind)
        if given is None and NoneType in kinds:
            return None
        return _made(next(k for k in kinds if k is not NoneType), given)
    if is_dataclass(kind):
        if isinstance(given, kind):
            return given
        if not isinstance(given, Mapping):
            raise TypeError(f"no {kind} in a {type(given)}")
        hints = _hints(kind)
        made = {f.name: _made(hints[f.name], given[f.name]) for f in fields(kind) if _given(f, given)}
        return kind(**made)
    if origin is tuple:
        if isinstance(given, str | bytes | Mapping):
            raise TypeError("words for a row of values")
        members = get_args(kind)
        values = list(given)
        if len(members) == 2 and members[1] is Ellipsis:
            return tuple(_made(members[0], v) for v in values)
        return tuple(_made(k, v) for k, v in zip(members, values, strict=True))
    if origin is list:
        return [_made(get_args(kind)[0], v) for v in given]
    if origin is dict:
        return {str(k): _made(get_args(kind)[1], v) for k, v in dict(given).items()}
    if kind is float:
        if isinstance(given, bool | str | bytes):
            raise TypeError("no number")
        return float(given)
    if kind is int:
        if isinstance(given, bool | str | bytes) or float(given) != int(given):
            raise TypeError("no whole number")
        return int(given)
    if kind is bool:
        return bool(given)
    if kind is str:
        if not isinstance(given, str) or len(given) > LONGEST_TEXT:
            raise TypeError("no text")
        if UNSEEN.search(given):
            raise SettingError("a text holds signs that nobody can see or print; type it again without them")
        return given
    raise TypeError(f"{kind} has no plain form")


def _given(f: "Field[Any]", given: Mapping[str, Any]) -> bool:
    """Whether a field's value is there; what has a default may be missing."""
    if f.name in given:
        return True
    if f.default is MISSING and f.default_factory is MISSING:
        raise KeyError(f.name)
    return False
