"""Real servers for the tests: PostgreSQL and Redis of Debian's packages, on sockets in a temporary folder."""

import os
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

POSTGRES_USER = "postgres"


def _binary(name):
    found = shutil.which(name) or next(
        (str(p) for p in sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), reverse=True)), None
    )
    assert found, f"{name} is missing: bin/test installs it"
    return found


class Postgres:
    """A cluster of our own. It refuses to run as root, so root starts it as Debian's postgres user."""

    def __init__(self):
        # not below pytest's folders: those are their owner's alone, and their names too long for a socket
        self._folder = tempfile.TemporaryDirectory(prefix="lamp-")
        self.folder = folder = Path(self._folder.name)
        self._number = 0
        data = folder / "data"
        root = os.geteuid() == 0
        self._as = ["runuser", "-u", POSTGRES_USER, "--"] if root else []
        if root:
            shutil.chown(folder, POSTGRES_USER)
        self._run(_binary("initdb"), "-D", data, "-A", "trust", "-U", POSTGRES_USER, "--no-sync", "-E", "UTF8")
        quick = f"-c listen_addresses='' -c fsync=off -c full_page_writes=off -c unix_socket_directories={folder}"
        self._options = (_binary("pg_ctl"), "-D", data, "-w", "-o", quick, "-l", folder / "log")
        self.start()

    def _run(self, *words):
        subprocess.run([*self._as, *map(str, words)], check=True, capture_output=True, cwd=self.folder)

    def start(self):
        self._run(*self._options, "start")

    def stop(self, how="fast"):
        self._run(*self._options, "-m", how, "stop")

    def end(self):
        self.stop("immediate")
        self._folder.cleanup()

    def address(self, name: str) -> str:
        return f"postgresql+psycopg://{POSTGRES_USER}@/{name}?host={self.folder}"

    def new(self) -> str:
        """The address of a new, empty database."""
        self._number += 1
        name = f"bench{self._number}"
        self._run(_binary("createdb"), "-h", self.folder, "-U", POSTGRES_USER, name)
        return self.address(name)


class Redis:
    """A broker of our own."""

    def __init__(self, folder: Path):
        self.socket = folder / "redis.sock"
        words = ["--port", "0", "--unixsocket", str(self.socket), "--save", "", "--dir", str(folder)]
        self.process = subprocess.Popen([shutil.which("redis-server"), *words], stdout=subprocess.DEVNULL)
        for _ in range(100):
            if self.socket.exists():
                return
            time.sleep(0.05)
        raise AssertionError("Redis did not come up")

    @property
    def address(self) -> str:
        return f"unix://{self.socket}"

    def stop(self):
        self.process.terminate()
        self.process.wait(10)
