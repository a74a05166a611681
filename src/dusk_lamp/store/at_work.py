"""A sign that pages are being worked out on this machine: what only fills the shelf makes way for them meanwhile."""

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

STALE_S = 60.0  # after which a sign that nobody renewed is one of a server that was killed


class AtWork:
    """The sign in one data folder, a file that is there while pages are worked out; seen by all its processes."""

    def __init__(self, root: Path) -> None:
        self._path, self._pages, self._lock = root / "at-work", 0, threading.Lock()

    @contextmanager
    def shown(self) -> Iterator[None]:
        """Show it while a page is worked out."""
        with self._lock, suppress(OSError):  # on a full disk the page is worked out all the same
            self._pages += 1
            self._path.touch()
        try:
            yield
        finally:
            with self._lock, suppress(OSError):
                self._pages -= 1
                if not self._pages:
                    self._path.unlink(missing_ok=True)

    def renew(self) -> None:
        """The work goes on."""
        with self._lock, suppress(OSError):
            if self._pages:
                self._path.touch()

    def seen(self) -> bool:
        """Whether pages are being worked out."""
        try:
            return time.time() - self._path.stat().st_mtime < STALE_S
        except OSError:
            return False
