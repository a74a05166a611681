"""Packets: arrays, pictures and files on their way to the browser."""

import json
import re
import struct
import threading
from collections.abc import Callable
from typing import Any
from urllib.parse import quote

import numpy as np
from flask import Response, abort, request
from numpy.typing import NDArray
from werkzeug.utils import secure_filename

from ..core.view.formats import png_bytes
from .workshop import workshop

LEVELS_PER_VALUE = 25  # a value of 0..10 travels to the browser as one byte
UNSAFE = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|]')  # in a file's name, on one system or another
A_DAY = {"Cache-Control": "private, max-age=86400"}


class Turn:
    """One at a time of what a page asks for all at once, where each is heavy; nothing for a browser that has left
    meanwhile, which would keep the next page waiting."""

    def __init__(self) -> None:
        self._lock = threading.Lock()

    def __enter__(self) -> None:
        self._lock.acquire()
        left = request.environ.get("waitress.client_disconnected")
        if left is not None and left():
            self._lock.release()
            abort(Response(status=204))

    def __exit__(self, *_: object) -> None:
        self._lock.release()


def packed(heading: dict[str, Any], *arrays: np.ndarray) -> Response:
    """A JSON heading with its length before it, padded to 4 bytes, and arrays as they lie in memory."""
    text = json.dumps(heading).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + text + b"".join(np.ascontiguousarray(a).tobytes() for a in arrays)
    return Response(body, mimetype="application/octet-stream")


def picture(content: bytes, key: str | None = None) -> Response:
    """A PNG. Where its address names it (`v`, the beginning of its key), the browser keeps it for a day; else it asks
    each time whether it has changed. key: of this picture, where `v` may be that of another: a plan can change while
    its pictures are on their way."""
    named = request.args.get("v", "")
    if named and (key is None or key.startswith(named)):
        return Response(content, mimetype="image/png", headers=A_DAY)
    answer = Response(content, mimetype="image/png", headers={"Cache-Control": "private, no-cache"})
    answer.add_etag()
    answer.make_conditional(request)
    return answer


def drawn_once(key: str, draw: Callable[[], NDArray], named: str | None = None) -> Response:
    """A picture (H, W, 3 or 4) drawn the first time that it is asked for, and kept. named: what its address names it
    by, if not by its key."""
    cache = workshop().store.cache
    if key not in cache:
        cache.put(key, blobs={"look.png": png_bytes(draw())})
    return picture(cache.blob(key, "look.png"), named or key)


def download(content: bytes, kind: str, name: str) -> Response:
    """A file for the painter's disk, under a harmless name; in the sculpt's own letters where the browser can (RFC
    6266)."""
    safe, quoted = secure_filename(name) or "sculpt", quote(UNSAFE.sub("_", name))
    named = f"attachment; filename=\"{safe}\"; filename*=UTF-8''{quoted}"
    return Response(content, mimetype=kind, headers={"Content-Disposition": named})
