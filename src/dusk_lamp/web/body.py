"""The body of a request: what a page has sent as JSON, checked at the door.

The reader of a value says what it has to be; what is missing or is something else is refused in words. What is raised
behind the door is a slip of the program, and answered as one.
"""

import json
import math
from collections.abc import Sequence
from typing import Any

from flask import request

from ..core.errors import SettingError

INCOMPLETE = "the change that arrived is incomplete; reload the page"
LONGEST_LIST = 20_000  # of rays in a stroke, wells in a mix, points in a photo


class BodyError(SettingError):
    """What a page has sent lacks something, or holds something else than it should."""


class Body(dict[str, Any]):
    """An object that came as JSON, and each object within it."""

    def __missing__(self, key: str) -> Any:
        raise BodyError(INCOMPLETE)

    def whole(self, key: str, usual: int | None = None) -> int:
        """A whole number; `usual` where none was sent.

        Raises:
            BodyError: it is none, or missing.
        """
        value = self.decimal(key, usual)
        if value != int(value):
            raise BodyError(INCOMPLETE)
        return int(value)

    def decimal(self, key: str, usual: float | None = None) -> float:
        """A finite number; `usual` where none was sent.

        Raises:
            BodyError: it is none, or missing.
        """
        if usual is not None and key not in self:
            return usual
        return _finite(self[key])

    def listed(self, key: str, most: int = LONGEST_LIST, usual: Sequence[Any] | None = None) -> list[Any]:
        """A list, cut after so many; `usual` where none was sent.

        Raises:
            BodyError: it is none, or missing.
        """
        value = list(usual) if usual is not None and key not in self else self[key]
        if not isinstance(value, list):
            raise BodyError(INCOMPLETE)
        return value[:most]

    def bodies(self, key: str, most: int = LONGEST_LIST) -> list["Body"]:
        """A list of objects, cut after so many.

        Raises:
            BodyError: it is none, or missing.
        """
        found = self.listed(key, most)
        if not all(isinstance(one, Body) for one in found):
            raise BodyError(INCOMPLETE)
        return found

    def wholes(self, key: str, most: int = LONGEST_LIST, usual: Sequence[int] | None = None) -> list[int]:
        """A list of whole numbers, cut after so many.

        Raises:
            BodyError: it is none, or missing.
        """
        return [Body(one=value).whole("one") for value in self.listed(key, most, usual)]

    def numbers(self, key: str, count: int | None = None) -> list[float]:
        """A list of finite numbers; count: exactly so many.

        Raises:
            BodyError: it is none, or missing.
        """
        found = [_finite(value) for value in self.listed(key)]
        if count is not None and len(found) != count:
            raise BodyError(INCOMPLETE)
        return found

    def within(self, key: str) -> "Body":
        """An object in it.

        Raises:
            BodyError: it is none, or missing.
        """
        value = self[key]
        if not isinstance(value, Body):
            raise BodyError(INCOMPLETE)
        return value


def _finite(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise BodyError(INCOMPLETE)
    try:
        number = float(value)
    except (ValueError, OverflowError) as e:
        raise BodyError(INCOMPLETE) from e
    if not math.isfinite(number):
        raise BodyError(INCOMPLETE)
    return number


def json_body() -> Body:
    """The object that came as JSON.

    Raises:
        BodyError: it is none.
    """
    try:
        given = json.loads(request.get_data(), object_hook=Body) if request.is_json else None
    except (ValueError, RecursionError):
        given = None
    if not isinstance(given, Body):
        raise BodyError("what arrived is incomplete; reload the page and try again")
    return given
