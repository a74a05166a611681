"""Packets: arrays, pictures and files on their way to the browser."""

import json
import re
import struct
from typing import Any
from urllib.parse import quote

import numpy as np
from flask import Response
from werkzeug.utils import secure_filename

LEVELS_PER_VALUE = 25  # a value of 0..10 travels to the browser as one byte
UNSAFE = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|]')  # in a file's name, on one system or another
A_DAY = {"Cache-Control": "private, max-age=86400"}


def packed(heading: dict[str, Any], *arrays: np.ndarray) -> Response:
    """A JSON heading with its length before it, padded to 4 bytes, and arrays as they lie in memory."""
    text = json.dumps(heading).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + text + b"".join(np.ascontiguousarray(a).tobytes() for a in arrays)
    return Response(body, mimetype="application/octet-stream")


def picture(content: bytes) -> Response:
    """A PNG whose address changes whenever it does."""
    return Response(content, mimetype="image/png", headers=A_DAY)


def download(content: bytes, kind: str, name: str) -> Response:
    """A file for the painter's disk, under a harmless name; in the sculpt's own letters where the browser can (RFC
    6266)."""
    safe, own = secure_filename(name) or "sculpt", quote(UNSAFE.sub("_", name))
    named = f"attachment; filename=\"{safe}\"; filename*=UTF-8''{own}"
    return Response(content, mimetype=kind, headers={"Content-Disposition": named})
