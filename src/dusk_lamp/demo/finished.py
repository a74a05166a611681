"""The demo plans that ship worked out; `tools/finish_demo.py` makes them."""

import base64
import json
import lzma
import zipfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.log.entry import Entry
from ..core.plain import built
from ..core.plan.document import Plan, plan_from

HERE = Path(__file__).parent / "plans_done"


@dataclass(frozen=True)
class Finished:
    """A plan that was worked out. labels: (N,) of the working surface that its spots lie on. picture: for the shelf,
    PNG."""

    plan: Plan
    labels: NDArray[np.uint8]
    picture: bytes


def shipped_picture(name: str) -> bytes | None:
    """The picture for the shelf of a demo sculpt, PNG; None where none ships."""
    done, path = finished(name), HERE / f"{name}.png"
    return done.picture if done else path.read_bytes() if path.is_file() else None


def known_of(name: str) -> tuple[bytes, dict[tuple[str, str], bytes]] | None:
    """The facts (JSON) and the pictures of how it could stand, by up and front, of a demo sculpt; None where none
    ship."""
    path = HERE / f"{name}.stand.zip"
    if not path.is_file():
        return None
    with zipfile.ZipFile(path) as kept:
        pictures = [n for n in kept.namelist() if n.endswith(".png")]
        ways = {(n[:-4].split()[0], n[:-4].split()[1]): kept.read(n) for n in pictures}
        return kept.read("facts.json"), ways


def shipped_sky(name: str) -> bytes | None:
    """What a demo sculpt sees of the sky, packed; None where it does not ship."""
    path = HERE / f"{name}.sky.npz"
    return path.read_bytes() if path.is_file() else None


def shipped_facets(name: str) -> bytes | None:
    """The facets of a demo sculpt, packed; None where they do not ship."""
    path = HERE / f"{name}.facets.npz"
    return path.read_bytes() if path.is_file() else None


def shipped_steps(name: str) -> list[Entry]:
    """What the log says of the steps of a demo plan that are painted, but for when and how long."""
    path = HERE / f"{name}.log.json"
    return [built(Entry, e) for e in json.loads(path.read_text("utf-8"))] if path.is_file() else []


@cache
def finished(name: str) -> Finished | None:
    """The finished plan of a demo sculpt by its file's name; None where none ships."""
    path = HERE / f"{name}.json.xz"
    if not path.is_file():
        return None
    content = json.loads(lzma.decompress(path.read_bytes()))
    labels = np.frombuffer(lzma.decompress(base64.b64decode(content["labels"])), np.uint8)
    return Finished(plan_from(content["plan"]), labels, base64.b64decode(content["picture"]))
