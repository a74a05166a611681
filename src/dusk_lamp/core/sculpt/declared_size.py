"""What a file expands to: counted from its own words before a reader builds it. A kilobyte can name a million
triangles."""

import json
import re
import struct
import zipfile
import zlib
from io import BytesIO
from typing import Any

from ..errors import SculptFileError, SculptShapeError

MOST_TRIANGLES = 12_000_000  # twice the densest sculpts in circulation; above it 24 GB machines start to suffer
MOST_PIECES = 5_000  # objects, items, nodes: a plate of prints has dozens
DEEPEST = 64  # nodes under nodes
_GARBLED = "it is cut short, garbled or something else; export it again, or bring it as STL"


def refuse_too_many(triangles: int) -> None:
    """Refuse more triangles than the bench takes.

    Raises:
        SculptShapeError: they are more.
    """
    if triangles > MOST_TRIANGLES:
        raise SculptShapeError(
            f"{triangles:,} triangles are more than this bench takes ({MOST_TRIANGLES:,}); decimate the file first"
        )


def _refuse_pieces(count: int, deep: int = 0) -> None:
    if count > MOST_PIECES or deep > DEEPEST:
        raise SculptShapeError(
            f"the file is put together from more pieces than this bench takes ({MOST_PIECES:,}, {DEEPEST} deep); "
            "join them before you export it"
        )


class _Tree:
    """Things that hold others, each with triangles of its own: what one comes to, counted once."""

    def __init__(self, triangles: dict[Any, int], holds: dict[Any, list[Any]]) -> None:
        self._triangles, self._holds = triangles, holds
        self._known: dict[Any, tuple[int, int]] = {}

    def of(self, name: Any, deep: int = 0) -> tuple[int, int]:
        """Triangles and pieces that a thing comes to."""
        _refuse_pieces(0, deep)  # also ends what holds itself
        if name not in self._known:
            triangles, pieces = self._triangles.get(name, 0), 1
            for other in self._holds.get(name, []):
                more, parts = self.of(other, deep + 1)
                triangles, pieces = triangles + more, pieces + parts
                refuse_too_many(triangles)
                _refuse_pieces(pieces)
            self._known[name] = triangles, pieces
        return self._known[name]

    def all(self, roots: list[Any]) -> None:
        """Refuse what the roots come to together, where it is too much."""
        found = [self.of(root) for root in roots]
        refuse_too_many(sum(t for t, _ in found))
        _refuse_pieces(sum(p for _, p in found))


def of_3mf(content: bytes) -> None:
    """Count the items of a 3MF's build, with the components they are made of.

    Raises:
        SculptFileError: it is no 3MF. SculptShapeError: it expands to too much.
    """
    triangles: dict[str, int] = {}
    holds: dict[str, list[str]] = {}
    roots: list[str] = []
    unit = ""
    word = re.compile(rb"<(?:\w+:)?(object|triangle|component|item)\b([^>]*)>")
    try:
        with zipfile.ZipFile(BytesIO(content)) as z:
            for name in z.namelist():
                if not name.lower().endswith(".model"):
                    continue
                for match in word.finditer(z.read(name)):
                    kind, rest = match[1], match[2]
                    if kind == b"triangle":
                        triangles[unit] = triangles.get(unit, 0) + 1
                        continue
                    number = re.search(rb'\b(?:object)?id\s*=\s*"([^"]{1,40})"', rest)
                    called = number[1].decode("ascii", "replace") if number else ""
                    if kind == b"object":
                        unit = called
                    elif kind == b"component":
                        holds.setdefault(unit, []).append(called)
                    else:
                        roots.append(called)
                    _refuse_pieces(len(roots))
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, ValueError, NotImplementedError, RuntimeError) as e:
        if isinstance(e, SculptShapeError):
            raise
        raise SculptFileError(f"the file cannot be read as 3MF: {_GARBLED}") from e
    _Tree(triangles, holds).all(roots)


def of_glb(content: bytes) -> None:
    """Count the nodes of a GLB and what its accessors promise, against what the file holds.

    Raises:
        SculptFileError: it is no GLB. SculptShapeError: it expands to too much.
    """
    try:
        magic, _, _, length, kind = struct.unpack_from("<4sIII4s", content)
        if magic != b"glTF" or kind != b"JSON" or length > len(content):
            raise ValueError("no GLB")
        scene = json.loads(content[20 : 20 + length])
        accessors, meshes, nodes = (_list(scene, k) for k in ("accessors", "meshes", "nodes"))
        counts = [int(a["count"]) for a in accessors]
        # an accessor without a buffer stands for zeros, as many as it says; none can say more than the file could
        # hold
        if any(c < 0 for c in counts) or sum(counts) > len(content):
            raise SculptShapeError("the file promises more numbers than it holds; export it again")
        of_mesh = {
            k: sum(counts[p.get("indices", p["attributes"]["POSITION"])] // 3 for p in _list(m, "primitives"))
            for k, m in enumerate(meshes)
        }
        holds = {("node", k): [("node", c) for c in _list(n, "children")] for k, n in enumerate(nodes)}
        triangles = {("node", k): of_mesh.get(n.get("mesh", -1), 0) for k, n in enumerate(nodes)}
        below = {c for children in holds.values() for c in children}
        _refuse_pieces(len(nodes))
        _Tree(triangles, holds).all([n for n in holds if n not in below])
    except SculptShapeError:
        raise
    except (struct.error, ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError) as e:
        raise SculptFileError(f"the file cannot be read as GLB: {_GARBLED}") from e


def _list(attributes: dict[str, Any], name: str) -> list[Any]:
    found = attributes.get(name, [])
    if not isinstance(found, list):
        raise ValueError(f"{name} is no list")
    return found


def plain_obj(content: bytes) -> bytes:
    """An OBJ with its corners and faces only: objects, groups, materials and textures make no surface, and thirty
    thousand of them would each be made a mesh.

    Raises:
        SculptShapeError: a corner has no three numbers, or there are more faces than the bench takes.
    """
    lines = content.replace(b"\\\n", b" ").replace(b"\\\r\n", b" ").splitlines()
    corners = [line for line in lines if line.startswith((b"v ", b"v\t"))]
    if any(len(line.split()) < 4 for line in corners):
        raise SculptShapeError("a corner in this OBJ has no three numbers; export the file again")
    faces = [line for line in lines if line.startswith((b"f ", b"f\t"))]
    refuse_too_many(len(faces))
    # a face names corner/texture/normal; the corner alone is kept
    return b"\n".join([*corners, *(re.sub(rb"/[^\s]*", b"", line) for line in faces), b""])
