"""Files that many machines share: a folder that all of them see, or an S3-compatible store, by fsspec. What a machine
has read or written lies in its data folder too; what it lacks is fetched when it is asked for."""

import contextlib
import os
import secrets
import time
from datetime import datetime
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from ..core.errors import DuskLampError
from .cache import FolderCache

WHOLE = ".whole"  # the last file of an entry of the cache: without it the entry is not there
TRIES = 3  # of a transfer that failed
ANSWERS_S = 5.0  # how long it is believed that the files answer


class FilesError(DuskLampError):
    """The shared files cannot be reached, or not written; the message says which."""


class Shared:
    """A store of files by name, `folder/name`. address: a folder, or an address that fsspec knows, such as
    s3://bucket/prefix (its key and endpoint by the environment, as boto has them)."""

    def __init__(self, address: str) -> None:
        try:
            import fsspec

            self._fs, self._root = fsspec.core.url_to_fs(address)
        except (ImportError, ValueError) as e:
            raise FilesError(
                f"DUSK_LAMP_FILES names files that cannot be reached ({e}); a folder, or s3://… with the packages of "
                "requirements/club.txt"
            ) from e
        self._root = self._root.rstrip("/")
        self._answered = 0.0

    def _path(self, name: str) -> str:
        return f"{self._root}/{name}"

    def put(self, name: str, path: Path) -> None:
        """Keep a file under a name; it appears whole.

        Raises:
            FilesError: it cannot be written.
        """
        self._tried("written", lambda: self._fs.put_file(str(path), self._made(name)))

    def _made(self, name: str) -> str:
        path = self._path(name)
        with contextlib.suppress(FileExistsError):
            self._fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        return path

    def fetch(self, name: str, to: Path) -> bool:
        """Fetch a file to a path, where it appears whole; False where there is none.

        Raises:
            FilesError: it cannot be read.
        """
        to.parent.mkdir(parents=True, exist_ok=True)
        part = to.with_name(f".{to.name}.{secrets.token_hex(6)}.part")
        try:
            self._tried("read", lambda: self._fs.get_file(self._path(name), str(part)))
            os.chmod(part, 0o600)
            part.replace(to)
        except FileNotFoundError:
            return False
        finally:
            part.unlink(missing_ok=True)
        return True

    def has(self, name: str) -> bool:
        """Whether there is a file of that name."""
        found: list[bool] = []
        self._tried("read", lambda: found.append(bool(self._fs.exists(self._path(name)))))
        return found[-1]

    def size(self, name: str) -> int:
        """Bytes of a file; 0 where there is none."""
        found = [0]
        with contextlib.suppress(FileNotFoundError):
            self._tried("read", lambda: found.append(int(self._fs.size(self._path(name)) or 0)))
        return found[-1]

    def entries(self, folder: str) -> dict[str, tuple[int, float]]:
        """The files below a folder: name, size, and when it was written, in seconds."""
        self._fs.invalidate_cache()
        try:
            found = self._fs.find(self._path(folder), detail=True)
        except FileNotFoundError:
            return {}
        return {
            path[len(self._root) + 1 :]: (int(facts.get("size") or 0), _written(facts))
            for path, facts in found.items()
        }

    def remove(self, name: str) -> None:
        """Let go of a file, if it is there."""
        with contextlib.suppress(FileNotFoundError):
            self._fs.rm_file(self._path(name))

    def answer(self) -> bool:
        """Whether they can be reached and written now."""
        if time.monotonic() - self._answered < ANSWERS_S:
            return True
        try:
            with self._fs.open(self._made("answers"), "wb") as f:
                f.write(b"yes")
        except Exception:  # whatever the client of the store raises
            return False
        self._answered = time.monotonic()
        return True

    def _tried(self, what: str, work: Any) -> None:
        for left in reversed(range(TRIES)):
            try:
                work()
                return
            except FileNotFoundError:
                raise
            except Exception as e:
                if not left:
                    raise FilesError(
                        f"the shared files cannot be {what} just now; nothing was lost. Try again in a moment"
                    ) from e
                time.sleep(0.2)


def _written(facts: dict[str, Any]) -> float:
    at = facts.get("mtime") or facts.get("LastModified") or facts.get("created") or 0.0
    return at.timestamp() if isinstance(at, datetime) else float(at)


class SharedCache(FolderCache):
    """The cache of one machine, backed by the shared files: what another has worked out is fetched."""

    def __init__(self, root: Path, shared: Shared) -> None:
        super().__init__(root)
        self._shared = shared

    def _name(self, key: str, file: str) -> str:
        return f"cache/{key[:2]}/{key}/{file}"

    def __contains__(self, key: str) -> bool:
        return super().__contains__(key) or self._shared.has(self._name(key, WHOLE))

    def put(self, key: str, arrays: dict[str, NDArray] | None = None, blobs: dict[str, bytes] | None = None) -> None:
        """Keep an entry here, and for the others."""
        super().put(key, arrays, blobs)
        folder = self.folder(key)
        names = [*(f"{n}.npy" for n in arrays or {}), *(blobs or {})]
        for name in names:
            self._shared.put(self._name(key, name), folder / name)
        mark = folder / WHOLE
        mark.touch()
        self._shared.put(self._name(key, WHOLE), mark)

    def array(self, key: str, name: str) -> NDArray:
        """One array of an entry; see Cache."""
        try:
            return super().array(key, name)
        except KeyError:
            self._fetch(key, f"{name}.npy")
            return super().array(key, name)

    def blob(self, key: str, name: str) -> bytes:
        """One blob of an entry; see Cache."""
        try:
            return super().blob(key, name)
        except KeyError:
            self._fetch(key, name)
            return super().blob(key, name)

    def _fetch(self, key: str, file: str) -> None:
        if not self._shared.fetch(self._name(key, file), self.folder(key) / file):
            raise KeyError(f"{key}/{file}")

    def trim_shared(self, most_bytes: int) -> int:
        """Let go of the oldest entries of the shared cache until the rest fits; how many went."""
        entries: dict[str, tuple[int, float]] = {}
        files = self._shared.entries("cache")
        for name, (size, at) in files.items():
            key = name.split("/")[2] if name.count("/") >= 3 else ""
            before = entries.get(key, (0, 0.0))
            entries[key] = (before[0] + size, max(before[1], at))
        whole, gone = sum(size for size, _ in entries.values()), set()
        for key, (size, _) in sorted(entries.items(), key=lambda e: e[1][1]):
            if whole <= most_bytes:
                break
            gone.add(key)
            whole -= size
        for name in sorted(files, key=lambda n: not n.endswith(WHOLE)):  # the mark first: then it is not there
            if name.count("/") >= 3 and name.split("/")[2] in gone:
                self._shared.remove(name)
        return len(gone)
