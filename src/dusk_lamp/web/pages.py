"""The pages' process. Started, watched and restarted by `dusk-lamp serve`; as `python -m dusk_lamp.web.pages DATA
SOCKET PARENT` where it is started again."""

import os
import signal
import socket
import sys
import threading
import time
from pathlib import Path
from typing import Any

from waitress import create_server

from ..heap import keep_few, settle
from ..jobs.child import begin_fork_server
from ..settings import settings_from
from .app import create_app

BODY_ON_DISK_BYTES = 1 << 20  # larger uploads wait on disk, not in memory
PARENT_CHECK_S = 2.0
THREADS = 8
CHANNEL_S = 30  # a request that is sent this slowly, or half, is given up
CONNECTIONS = 400  # at a time; half-sent ones cannot take them all for longer than CHANNEL_S
HEADER_BYTES = 32_768
UNHURRIED = ("/backup.zip",)  # takes as long as there is to pack


def _leave_with_parent(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(PARENT_CHECK_S)
    os._exit(0)


class Watched:
    """An application whose requests have an upper time: one that is at it for longer takes the process with it,
    which is started again; what was saved is saved. A thread cannot be ended from outside."""

    def __init__(self, app: Any, seconds: float) -> None:
        self._app, self._seconds = app, seconds
        self._began: dict[int, float] = {}
        threading.Thread(target=self._watch, daemon=True).start()

    def __call__(self, environ: Any, start_response: Any) -> Any:
        """One request; see the class."""
        if environ.get("PATH_INFO") in UNHURRIED:
            return self._app(environ, start_response)
        thread = threading.get_ident()
        self._began[thread] = time.monotonic()
        try:
            return self._app(environ, start_response)
        finally:
            self._began.pop(thread, None)

    def _watch(self) -> None:
        while True:
            time.sleep(1)
            if any(time.monotonic() - t > self._seconds for t in list(self._began.values())):
                print("a request took too long; the pages are started again", file=sys.stderr, flush=True)
                os._exit(75)


def main() -> None:
    """Serve the pages on a socket that the parent holds."""
    serve_on(Path(sys.argv[1]), socket.socket(fileno=int(sys.argv[2])), int(sys.argv[3]))


def serve_on(folder: Path, taken: socket.socket, parent: int) -> None:
    """Serve the pages of a data folder on a socket until stopped, or the parent is gone."""
    begin_fork_server()  # before any thread
    threading.Thread(target=_leave_with_parent, args=(parent,), daemon=True).start()
    # at once: a thread that is deep in a piece of work would keep the process for as long as that takes
    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, lambda *_: os._exit(0))
    keep_few()
    settings = settings_from()
    app = create_app(folder, settings)
    settle()
    create_server(
        Watched(app, settings.request_s),
        sockets=[taken],
        threads=THREADS,
        ident="",
        connection_limit=CONNECTIONS,
        max_request_body_size=app.config["MAX_CONTENT_LENGTH"] * 2,
        inbuf_overflow=BODY_ON_DISK_BYTES,
        max_request_header_size=HEADER_BYTES,
        channel_timeout=CHANNEL_S,
        cleanup_interval=5,
        channel_request_lookahead=1,  # reads on meanwhile, and so learns that a browser has left
    ).run()


if __name__ == "__main__":
    main()
