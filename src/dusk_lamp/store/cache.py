"""The field cache: arrays and files kept under a hash of everything they were made from.

Nothing in it is precious: whatever is missing is worked out again. Entries appear whole or not at all, so work that
is killed loses only the stage it was in. What keeps them is behind `Cache`: a folder here; elsewhere it may be
shared.
"""

import contextlib
import hashlib
import json
import os
import shutil
import uuid
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

import dusk_lamp

from ..core.results import Outlasting


def key_of(stage: str, code: str | int, *inputs: Any) -> str:
    """Hash (64 hex digits) of a stage's name, its code, and its inputs (anything JSON can write). code: as code_mark
    has it; a number for what is no matter of code."""
    text = json.dumps([stage, code, *inputs], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


class Cache(Protocol):
    """What keeps the fields."""

    def __contains__(self, key: str) -> bool:
        """Whether there is an entry."""

    def put(self, key: str, arrays: dict[str, NDArray] | None = None, blobs: dict[str, bytes] | None = None) -> None:
        """Keep an entry. The last writer of equal content wins, which harms nobody."""

    def array(self, key: str, name: str) -> NDArray:
        """One array of an entry.

        Raises:
            KeyError: the entry or the array is not there.
        """

    def blob(self, key: str, name: str) -> bytes:
        """One blob of an entry.

        Raises:
            KeyError: the entry or the blob is not there.
        """


class FolderCache:
    """Folders of .npy files and small blobs, one folder per key. `trim` keeps it within a limit."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def trim(self, most_bytes: int) -> int:
        """Let go of the entries not read for longest until the rest fits; returns how many went."""
        entries = []
        for folder in self.root.glob("*/*"):
            if not folder.name.startswith(".") and folder.is_dir():
                with contextlib.suppress(OSError):
                    size = sum(f.stat().st_size for f in folder.iterdir())
                    entries.append((folder.stat().st_mtime, size, folder))
        whole, gone = sum(size for _, size, _ in entries), 0
        for _, size, folder in sorted(entries):
            if whole <= most_bytes:
                break
            shutil.rmtree(folder, ignore_errors=True)
            whole, gone = whole - size, gone + 1
        return gone

    def folder(self, key: str) -> Path:
        """Where the entry of a key lies."""
        return self.root / key[:2] / key

    def __contains__(self, key: str) -> bool:
        return self.folder(key).is_dir()

    def put(self, key: str, arrays: dict[str, NDArray] | None = None, blobs: dict[str, bytes] | None = None) -> None:
        """Keep an entry; see Cache."""
        target = self.folder(key)
        part = self.root / f".part-{uuid.uuid4().hex}"
        part.mkdir(parents=True)
        try:
            for name, array in (arrays or {}).items():
                np.save(part / f"{name}.npy", array, allow_pickle=False)
            for name, content in (blobs or {}).items():
                (part / name).write_bytes(content)
            target.parent.mkdir(parents=True, exist_ok=True)
            if target.exists():
                return
            try:
                os.replace(part, target)
            except OSError:  # another process finished the same entry in the meantime
                if not target.exists():
                    raise
        finally:
            shutil.rmtree(part, ignore_errors=True)

    def array(self, key: str, name: str) -> NDArray:
        """One array of an entry; see Cache."""
        try:
            with contextlib.suppress(OSError):
                os.utime(self.folder(key))  # it was wanted: it goes last when room is made
            return np.load(self.folder(key) / f"{name}.npy", allow_pickle=False)
        except (OSError, ValueError, EOFError) as e:
            raise KeyError(f"{key}/{name}") from e

    def blob(self, key: str, name: str) -> bytes:
        """One blob of an entry; see Cache."""
        try:
            return (self.folder(key) / name).read_bytes()
        except OSError as e:
            raise KeyError(f"{key}/{name}") from e


@cache
def code_mark(room: str = "") -> str:
    """Of all code and tables, or of a room (such as core/sculpt) and what stands beside it: what other code worked
    out is not found any more."""
    out, root = hashlib.sha256(), Path(dusk_lamp.__file__).parent
    inside = {*(root / room).rglob("*"), *(root / room).parent.glob("*")} if room else set(root.rglob("*"))
    for path in sorted(path for path in inside if path.suffix in (".py", ".csv")):
        out.update(f"{path.relative_to(root)}\0".encode())
        out.update(path.read_bytes())
    return out.hexdigest()


class InCache(Outlasting):
    """What was worked out on one sculpt and outlives memory. of: what tells the sculpt from others."""

    def __init__(self, cache: Cache, *inputs: Any) -> None:
        self._cache, self._of = cache, inputs

    def plain(self, key: str, make: Callable[[], Any]) -> Any:
        """Plain values; see Outlasting."""
        entry = key_of("kept", code_mark("core"), key)
        if entry not in self._cache:
            self._cache.put(entry, blobs={"kept.json": json.dumps(make()).encode()})
        return json.loads(self._cache.blob(entry, "kept.json"))

    def fields(self, key: str) -> dict[str, NDArray] | None:
        """Fields by their names; see Outlasting."""
        entry = self._key(key)
        try:
            names = json.loads(self._cache.blob(entry, "names.json"))
            return {name: self._cache.array(entry, name) for name in names}
        except KeyError:
            return None

    def keep(self, key: str, fields: Mapping[str, NDArray]) -> None:
        """Keep fields; see Outlasting."""
        if (entry := self._key(key)) not in self._cache:
            self._cache.put(entry, dict(fields), {"names.json": json.dumps(list(fields)).encode()})

    def _key(self, key: str) -> str:
        return key_of("fields", code_mark("core"), *self._of, key)
