"""The edge: what is refused before any page sees it. Numbers, hosts, sizes and shapes from outside are checked here
once."""

import json
import math
from typing import Any

from flask import Flask, abort, request
from flask.json.provider import DefaultJSONProvider
from werkzeug.routing import IntegerConverter

from ..core.errors import SettingError
from ..settings import Settings

LARGEST_ID = 2**31 - 1  # SQLite would take more; nobody has that many
JSON_LIMIT_BYTES = 2_000_000  # a stroke of the brush is 60 kB
FORM_LIMIT_BYTES = 500_000
LOOPBACK = ("localhost", "127.0.0.1", "[::1]")


class Numbered(IntegerConverter):
    """`<int:…>` in an address: a number a row could have; anything else is nothing here."""

    def __init__(self, map: Any, *args: Any, **more: Any) -> None:
        super().__init__(map, *args, **{"max": LARGEST_ID, **more})


class PlainJSON(DefaultJSONProvider):
    """JSON as its standard (RFC 8259) has it: no NaN, no Infinity, no number of five thousand digits."""

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:
        """Read; what is no JSON is a ValueError."""
        try:
            return json.loads(s, parse_constant=_refused, parse_int=_whole, parse_float=_finite)
        except RecursionError as e:
            raise ValueError("nested too deeply") from e


def _refused(word: str) -> float:
    raise ValueError(f"{word} is no number")


def _whole(digits: str) -> int:
    if len(digits) > 18:
        raise ValueError("too many digits")
    return int(digits)


def _finite(digits: str) -> float:
    value = float(digits)
    if not math.isfinite(value):
        raise ValueError("too large a number")
    return value


def number_of(text: str, words: str, low: float, high: float) -> float:
    """A number from an address or a form, within a range.

    Raises:
        SettingError: it is none, or outside.
    """
    try:
        value = float(text.strip().replace(",", ".")) if len(text) < 40 else math.nan
    except ValueError:
        value = math.nan
    if not (math.isfinite(value) and low <= value <= high):
        raise SettingError(f"{words} is a number between {low:g} and {high:g}".replace("-", "−"))
    return value


def guard(app: Flask, settings: Settings) -> None:
    """Put the edge round an application: hosts, sizes of bodies by kind."""
    app.json = PlainJSON(app)
    trusted = {*LOOPBACK, *(h.strip().lower() for h in settings.trusted_hosts.split(",") if h.strip())}

    @app.before_request
    def _at_the_edge() -> None:
        # a page of another origin can point its own name at this machine; only names we go by are answered
        host = (request.host or "").lower()
        name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        if name not in trusted and "*" not in trusted:
            abort(421)
        if request.mimetype == "application/json":
            request.max_content_length = JSON_LIMIT_BYTES
        elif request.mimetype == "application/x-www-form-urlencoded":
            request.max_content_length = FORM_LIMIT_BYTES
