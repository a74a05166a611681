"""Serving: a parent that holds the port and the data folder, the pages and the worker as its children, all ended by
one Ctrl-C.

The parent loads all that is needed, once, and forks: its children need not load it again. A child that dies
is started again, as a process of its own: who is at the bench waits a second and goes on.
"""

import getpass
import ipaddress
import multiprocessing
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..core.errors import DuskLampError, SettingError
from ..core.workplace.room_sensor import SIMULATED
from ..settings import PREFIX, Settings, settings_from
from ..store import accounts
from ..store.lock import FolderLock
from ..store.store import Store, clear_away

RESTART_DELAY_S = 1.0
ENDING_S = 10.0
CLEARING_S = 3600  # how often what nobody needs is let go


def data_folder(given: Path | None) -> Path:
    """The folder to keep things in: the one given, $DUSK_LAMP_DATA, or the user's data folder."""
    if given:
        return given.resolve()
    if os.environ.get("DUSK_LAMP_DATA"):
        return Path(os.environ["DUSK_LAMP_DATA"]).resolve()
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share") / "dusk-lamp"


class Child:
    """A process that is started again whenever it dies. run: what it does; module, words: what does the same as a
    process of its own; how: given to it.

    It is forked, which is only safe where nothing runs beside: `watch` is for when all children are there. By then
    there are threads, so what is started again begins from nothing.
    """

    def __init__(self, run: Callable[[], None], module: str, *words: object, **how: Any) -> None:
        command = [sys.executable, "-m", module, *map(str, words)]
        self._again = lambda: subprocess.Popen(command, **how)  # noqa: S603 - our own modules
        self._ending = False
        self._forked = multiprocessing.get_context("fork").Process(target=run)
        self._forked.start()
        self._started: subprocess.Popen | None = None

    def watch(self) -> None:
        """Start it again from now on."""
        threading.Thread(target=self._watch, daemon=True).start()

    def _watch(self) -> None:
        self._forked.join()
        while not self._ending:
            time.sleep(RESTART_DELAY_S)
            if not self._ending:
                self._started = self._again()
                self._started.wait()

    def end(self) -> None:
        """Stop it; whatever it had in hand is taken up again at the next start."""
        self._ending = True
        if self._started is None:
            self._forked.terminate()
            self._forked.join(ENDING_S)
            if self._forked.is_alive():
                self._forked.kill()
            return
        self._started.terminate()
        try:
            self._started.wait(ENDING_S)
        except subprocess.TimeoutExpired:
            self._started.kill()


def _port(host: str, port: int) -> socket.socket:
    """The port, taken for this process and its children.

    Raises:
        SettingError: another has it, or the host is none of this machine's.
    """
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
        taken = socket.socket(found[0], found[1])
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        taken.bind(found[4])
        taken.listen(128)  # SO_REUSEADDR lets two bind; only one listens
    except OSError as e:
        raise SettingError(
            f"port {port} is taken, or {host} is no address of this machine; choose another with --port"
        ) from e
    return taken


def _loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def passphrase_for(host: str, settings: Settings) -> str:
    """The passphrase that is asked for to log in; none on loopback, unless one is set.

    Raises:
        SettingError: it is served beyond this machine, and there is none.
    """
    if settings.passphrase or _loopback(host):
        return settings.passphrase
    if sys.stdin is not None and sys.stdin.isatty():
        return getpass.getpass(f"Serving on {host} lets others in. A passphrase to log in: ")
    raise SettingError(
        f"serving on {host} lets everyone on the network in: set DUSK_LAMP_PASSPHRASE first, or serve on 127.0.0.1"
    )


def serve_pages(host: str, port: int, folder: Path) -> None:
    """Serve the pages alone, as one of many processes behind a proxy; workers are started beside them. A process that
    dies is started again.

    Raises:
        DuskLampError: the port is taken, the database cannot be opened, or nothing guards a bench beyond loopback.
    """
    settings = settings_from()
    if settings.database and not settings.secret:
        raise SettingError("many machines sign cookies alike: set DUSK_LAMP_SECRET to one long text on each of them")
    taken = _port(host, port)
    passphrase = "" if settings.accounts else passphrase_for(host, settings)
    Store(folder, settings).close()  # brings the database to the newest shape
    child = _pages(folder, taken, passphrase)
    try:
        child.watch()
        signal.signal(signal.SIGTERM, _leave)
        print(f"Dusk Lamp is lit: http://{host}:{taken.getsockname()[1]}  (Ctrl-C to put it out)", flush=True)
        while True:
            time.sleep(CLEARING_S)
    except KeyboardInterrupt:
        pass
    finally:
        child.end()


def _pages(folder: Path, taken: socket.socket, passphrase: str, leave: Callable[[], None] = lambda: None) -> Child:
    """The child that serves the pages on a port. passphrase: for it alone. leave: lets go of what is the parent's."""
    from .pages import serve_on

    parent, number, environment = os.getpid(), taken.fileno(), {PREFIX + "PASSPHRASE": passphrase}

    def run() -> None:
        leave()
        os.environ.update(environment)
        serve_on(folder, taken, parent)

    return Child(
        run, "dusk_lamp.web.pages", folder, number, parent, pass_fds=[number], env={**os.environ, **environment}
    )


def _worker(folder: Path, leave: Callable[[], None]) -> Child:
    """The child that works through the queue. leave: lets go of what is the parent's."""
    from ..jobs.worker import work

    parent = os.getpid()

    def run() -> None:
        leave()
        work(folder, parent)

    return Child(run, "dusk_lamp.jobs.worker", folder, parent)


def _say_how_to_come_in(folder: Path, settings: Settings, address: str) -> None:
    """On a bench of many where nobody is yet: the link for the first painter, who looks after it."""
    store = Store(folder, settings, migrate=False)
    with store.saving() as session:
        if not accounts.all_painters(session):
            token = accounts.invite(session, looks_after=True)
            print(f"Nobody has come in yet. The first painter: {address}/invited/{token}", flush=True)
    store.close()


def _leave(*_: object) -> None:
    raise KeyboardInterrupt


def serve(host: str, port: int, data: Path | None, *, with_demo: bool = False) -> None:
    """Serve until interrupted.

    Raises:
        DuskLampError: the port is taken, the folder cannot be written or is in use, its database cannot be opened,
        or there is no passphrase where one is needed.
    """
    settings = settings_from()
    taken = _port(host, port)  # first of all: nobody waits a minute to read that it is taken
    passphrase = "" if settings.accounts else passphrase_for(host, settings)
    folder = data_folder(data)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        os.chmod(folder, 0o700)
        lock = FolderLock(folder)
        store = Store(folder, settings)
    except DuskLampError:
        raise
    except OSError as e:
        raise SettingError(
            f"the data folder {folder} cannot be written ({e.strerror}); choose another with --data"
        ) from e
    clear_away(store)
    if with_demo:
        os.environ.setdefault(PREFIX + "ROOM_SENSOR", SIMULATED)
        from ..demo.load import load_demo
        from ..jobs.queue import Queue

        load_demo(store, Queue(store))
    store.close()

    def worker_leaves() -> None:
        lock.release()
        taken.close()

    children = [_pages(folder, taken, passphrase, lock.release), _worker(folder, worker_leaves)]
    try:
        for child in children:
            child.watch()
        signal.signal(signal.SIGTERM, _leave)
        print(f"Dusk Lamp is lit: http://{host}:{taken.getsockname()[1]}  (Ctrl-C to put it out)", flush=True)
        print(f"Everything is kept in {folder}", flush=True)
        if settings.accounts:
            _say_how_to_come_in(folder, settings, f"http://{host}:{taken.getsockname()[1]}")
        while True:
            time.sleep(CLEARING_S)
            clear_away(store, unneeded_for_s=CLEARING_S)
            store.close()
    except KeyboardInterrupt:
        pass
    finally:
        for child in children:
            child.end()
        lock.release()
