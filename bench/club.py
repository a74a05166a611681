"""A club on two machines: `bin/attack --only club`, and `bin/bench scale` for what a painter costs and how a bench
grows.

Two "machines" are two process groups with folders of their own; between them lie a PostgreSQL, a Redis and a folder
of files. Every painter has an account and a sculpt, and asks the machine that looks after it.
"""

import json
import os
import random
import re
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))
sys.path.insert(0, str(Path(__file__).parent.parent))
from attack import Painter, figure

from tests.servers import Postgres, Redis

PASSPHRASE = "a lamp at dusk"
SAMPLES = 20_000
THINK_S = (0.6, 3.0)  # between two drags of a lamp, while somebody is at it
CORES = 2


class Club:
    """Two machines, as many painters as one wishes."""

    def __init__(self, folder: Path) -> None:
        from dusk_lamp.settings import Settings

        self.folder = folder
        self.postgres, self.redis = Postgres(), Redis(folder)
        self.settings = Settings(
            database=self.postgres.new(),
            broker=self.redis.address,
            files=str(folder / "shared"),
            secret="one long text that is the same on every machine",
            accounts=1,
            most_samples=SAMPLES,
        )
        self.machines = [self._machine(folder / name) for name in ("one", "two")]

    def _machine(self, folder: Path) -> tuple[str, list[subprocess.Popen[str]]]:
        folder.mkdir()
        names = ("database", "broker", "files", "secret", "accounts", "most_samples")
        env = {**os.environ, **{f"DUSK_LAMP_{n.upper()}": str(getattr(self.settings, n)) for n in names}}
        own = [sys.executable, "-m", "dusk_lamp.cli"]
        pages = subprocess.Popen(
            [*own, "pages", "--port", "0", "--data", str(folder)],
            stdout=subprocess.PIPE,
            text=True,
            env=env,
            start_new_session=True,
        )
        assert pages.stdout is not None
        address = next(word for word in pages.stdout.readline().split() if word.startswith("http"))
        worker = subprocess.Popen([*own, "worker", "--data", str(folder)], env=env, start_new_session=True, text=True)
        return address, [pages, worker]

    def store(self) -> Any:
        """A store of the club, to look into."""
        from dusk_lamp.store.store import Store

        own = self.folder / "looks-on"
        own.mkdir(exist_ok=True)
        return Store(own, replace(self.settings))

    def painter(self, number: int) -> Painter:
        """A new painter, logged in at the machine that looks after them."""
        from dusk_lamp.store import accounts

        store = self.store()
        with store.saving() as session:
            token = accounts.invite(session)
        store.close()
        address = self.machines[number % len(self.machines)][0]
        painter = Painter(f"{address}/invited/{token}")
        painter.address = address
        form = f"name=Painter+{number}&passphrase={PASSPHRASE.replace(' ', '+')}&csrf_token={painter.token}"
        painter.send("POST", f"/invited/{token}", form.encode(), "application/x-www-form-urlencoded")
        code, page = painter.send("GET", "/")
        found = re.search(r'name="csrf-token" content="([^"]+)"', page.decode())
        assert found, f"the shelf was answered {code}: {page[:300]!r}"
        painter.token = found[1]
        return painter

    def end(self) -> None:
        """Put it out."""
        for _, processes in self.machines:
            for process in processes:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
        self.redis.stop()
        self.postgres.end()

    def pages_memory_mb(self) -> float:
        """What the pages of both machines hold."""
        total = 0.0
        for _, (pages, _) in self.machines:
            children = Path(f"/proc/{pages.pid}/task/{pages.pid}/children").read_text().split()
            for child in children:
                found = re.search(r"VmRSS:\s+(\d+)", Path(f"/proc/{child}/status").read_text())
                total += int(found[1]) / 1024 if found else 0.0
        return total


def settled(club: Club, count: int) -> list[tuple[Painter, int, dict[str, Any]]]:
    """So many painters, each with a sculpt that is lit, and what their pages ask for."""
    painters = [club.painter(n) for n in range(count)]
    numbers = [painter.bring(figure(), "Figure.stl") for painter in painters]
    out = []
    for painter, number in zip(painters, numbers, strict=True):
        end = time.monotonic() + 240
        while not painter.lit(number):
            if time.monotonic() > end:
                raise RuntimeError("a sculpt was not lit in four minutes")
            time.sleep(0.3)
        page = painter.send("GET", f"/sculpts/{number}/light")[1].decode()
        names = ("rig", "greys", "exposure")
        wish = {n: json.loads(re.search(rf"data-{n}='([^']+)'", page)[1]) for n in names}  # type: ignore[index]
        out.append((painter, number, wish))
        painter.send("POST", f"/sculpts/{number}/relight", json.dumps({**wish, "moving": True}).encode())  # opened
    return out


def dragged(
    painters: list[tuple[Painter, int, dict[str, Any]]], seconds: float, seed: int = 1
) -> tuple[list[float], dict[int, int]]:
    """All painters drag their lamps for so long: how long each light took, and the answers by code."""
    waits: list[float] = []
    codes: dict[int, int] = {}
    lock, until = threading.Lock(), time.monotonic() + seconds

    def paint(own: tuple[Painter, int, dict[str, Any]], seed: int) -> None:
        painter, number, wish = own
        rng = random.Random(seed)
        time.sleep(rng.uniform(0, THINK_S[1]))
        while time.monotonic() < until:
            lamp = {"azimuth": rng.uniform(-180, 180), "elevation": rng.uniform(0, 90), "size": 12}
            asked = {**wish, "rig": {**wish["rig"], "lamp": lamp}, "moving": rng.random() < 0.8}
            began = time.monotonic()
            code, _ = painter.send("POST", f"/sculpts/{number}/relight", json.dumps(asked).encode())
            took = time.monotonic() - began
            with lock:
                codes[code] = codes.get(code, 0) + 1
                waits.append(took)
            time.sleep(rng.uniform(*THINK_S))

    threads = [threading.Thread(target=paint, args=(own, seed * 1000 + k)) for k, own in enumerate(painters)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return waits, codes


def p95(waits: list[float]) -> float:
    """Seconds that 95 of 100 stay within."""
    return statistics.quantiles(waits, n=20)[-1]


def simulated(service: list[float], painters: int, seconds: float, servers: int, seed: int = 1) -> list[float]:
    """How long lights would take for so many painters, by a queue with so many servers and service times as measured
    (SimPy)."""
    import simpy

    rng, env, waits = random.Random(seed), simpy.Environment(), []
    cores = simpy.Resource(env, capacity=servers)

    def paint() -> Any:
        yield env.timeout(rng.uniform(0, THINK_S[1]))
        while env.now < seconds:
            began = env.now
            with cores.request() as turn:
                yield turn
                yield env.timeout(rng.choice(service))
            waits.append(env.now - began)
            yield env.timeout(rng.uniform(*THINK_S))

    for _ in range(painters):
        env.process(paint())
    env.run()
    return waits


def attacked(minutes: float, seed: int) -> str:
    """Ten painters a core, then fifty, at two machines."""
    with tempfile.TemporaryDirectory() as folder:
        club = Club(Path(folder))
        try:
            everybody = settled(club, 50)
            few, codes = dragged(everybody[: 10 * CORES], 30 * minutes, seed)
            many, more = dragged(everybody, 30 * minutes, seed + 1)
        finally:
            club.end()
        faults = sum(n for code, n in [*codes.items(), *more.items()] if code == 0 or code >= 500)
        return (
            f"50 painters on two machines: {len(few) + len(many)} lights, {faults} faults, p95 {p95(few):.2f} s for "
            f"{10 * CORES} and {p95(many):.2f} s for 50: {p95(many) / p95(few):.1f} times"
        )


def scale(seconds: float = 40.0) -> list[tuple[str, str]]:
    """What a painter costs, and the queue beside the two machines."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        club = Club(Path(folder))
        try:
            before = club.pages_memory_mb()
            everybody = settled(club, 16)
            alone, _ = dragged(everybody[:1], seconds / 2, 7)
            rows.append(
                ("a light, one painter: median / p95", f"{statistics.median(alone):.3f} / {p95(alone):.3f} s")
            )
            for count in (4, 8, 16):
                real, codes = dragged(everybody[:count], seconds, count)
                guess = simulated(alone, count, seconds * 5, CORES, count)
                faults = sum(n for code, n in codes.items() if code >= 500 or not code)
                both = f"{p95(real):.2f} / {p95(guess):.2f} s, {faults}"
                rows.append((f"{count} painters: p95 measured / simulated, faults", both))
            after = club.pages_memory_mb()
            rows.append(("memory of the pages for a sculpt that is open", f"{(after - before) / 16:.1f} MB"))
            size = sum(p.stat().st_size for p in (Path(folder) / "shared").rglob("*") if p.is_file())
            rows.append(("files and fields of a painter with one sculpt", f"{size / 16 / 1e6:.1f} MB"))
            for count in (20, 50, 100, 200):
                guess = simulated(alone, count, 300, CORES, count)
                rows.append((f"{count} painters at two cores, simulated p95", f"{p95(guess):.2f} s"))
        finally:
            club.end()
            shutil.rmtree(Path(folder) / "shared", ignore_errors=True)
    return rows
