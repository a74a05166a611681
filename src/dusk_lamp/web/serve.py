"""Serving: the pages by waitress in this process, the worker beside it, both ended by one Ctrl-C."""

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

from waitress import create_server

from ..core.errors import SettingError
from ..store.store import clear_away
from .app import create_app

RESTART_DELAY_S = 1.0
BODY_ON_DISK_BYTES = 1 << 20  # larger uploads wait on disk, not in memory


def data_folder(given: Path | None) -> Path:
    """The folder to keep things in: the one given, $DUSK_LAMP_DATA, or the user's data folder."""
    if given:
        return given.resolve()
    if os.environ.get("DUSK_LAMP_DATA"):
        return Path(os.environ["DUSK_LAMP_DATA"]).resolve()
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share") / "dusk-lamp"


class Worker:
    """The worker process, started again whenever it dies."""

    def __init__(self, data: Path) -> None:
        self._data = data
        self._ending = False
        self.process = self._start()
        threading.Thread(target=self._watch, daemon=True).start()

    def _start(self) -> subprocess.Popen:
        return subprocess.Popen([sys.executable, "-m", "dusk_lamp.jobs.worker", str(self._data), str(os.getpid())])  # noqa: S603 - our own module

    def _watch(self) -> None:
        while not self._ending:
            self.process.wait()
            if not self._ending:
                time.sleep(RESTART_DELAY_S)
                self.process = self._start()

    def end(self) -> None:
        """Stop the worker; a job in the middle is taken up again at the next start."""
        self._ending = True
        self.process.terminate()
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()


def _port(host: str, port: int) -> socket.socket:
    """The port, taken for this process.

    Raises:
        SettingError: another has it, or the host is none of this machine's.
    """
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
        taken = socket.socket(found[0], found[1])
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        taken.bind(found[4])
        taken.listen(64)  # SO_REUSEADDR lets two bind; only one listens
    except OSError as e:
        raise SettingError(
            f"port {port} is taken, or {host} is no address of this machine; choose another with --port"
        ) from e
    return taken


def serve(host: str, port: int, data: Path | None, *, with_demo: bool = False) -> None:
    """Serve until interrupted.

    Raises:
        SettingError: the port is taken.
    """
    taken = _port(host, port)  # first of all: nobody waits a minute to be told that it is taken
    folder = data_folder(data)
    folder.mkdir(parents=True, exist_ok=True)
    app = create_app(folder)
    clear_away(app.extensions["workshop"].store)
    if with_demo:
        from ..demo.load import load_demo

        load_demo(app.extensions["workshop"])
    server = create_server(
        app, sockets=[taken], threads=8, max_request_body_size=app.config["MAX_CONTENT_LENGTH"],
        inbuf_overflow=BODY_ON_DISK_BYTES, ident="",
    )  # fmt: skip
    worker = Worker(folder)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    print(f"Dusk Lamp is lit: http://{host}:{taken.getsockname()[1]}  (Ctrl-C to put it out)", flush=True)
    print(f"Everything is kept in {folder}", flush=True)
    try:
        server.run()
    except (KeyboardInterrupt, SystemExit):
        pass
    finally:
        worker.end()
