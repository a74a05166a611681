"""One lock on a data folder: two benches on one folder would each take the other's work for a dead one's."""

import fcntl
import os
from pathlib import Path

from ..core.errors import DuskLampError


class FolderInUseError(DuskLampError):
    """Another bench is served from this folder."""


class FolderLock:
    """Held from now until the process ends, however it ends."""

    def __init__(self, root: Path) -> None:
        path = root / "lock"
        self._file = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as e:
            os.close(self._file)
            raise FolderInUseError(
                f"another Dusk Lamp is served from {root}; put that one out, or choose another folder with --data"
            ) from e
        os.ftruncate(self._file, 0)
        os.write(self._file, str(os.getpid()).encode())

    def release(self) -> None:
        """Let go of the folder."""
        os.close(self._file)
