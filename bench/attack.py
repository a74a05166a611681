"""The attack: `bin/attack [--minutes 10] [--seed 1] [--only kills|files|routes|users|openings|club]`. Prints
what was tried and what came of it.

Everything happens on loopback, against a bench that is started for it in a temporary folder.
"""

import argparse
import http.cookiejar
import json
import os
import random
import re
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.hostile import BODIES, NUMBERS

HELD_FILES, MEMORY_GB = 30.0, 2.0


class Bench:
    """A bench of our own, and a painter who is signed in there."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.process: subprocess.Popen[str] | None = None
        self.address = ""

    def start(self, samples: int = 20_000) -> None:
        """Start it, and wait until it answers. samples: the most a sculpt is laid out in; 0 for as many as it
        needs."""
        command = [sys.executable, "-m", "dusk_lamp.cli", "serve", "--port", "0", "--data", str(self.data)]
        self.process = subprocess.Popen(
            command,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
            start_new_session=True,
            env={**os.environ, "DUSK_LAMP_MOST_SAMPLES": str(samples)},
        )
        assert self.process.stdout is not None
        self.address = next(word for word in self.process.stdout.readline().split() if word.startswith("http"))
        for _ in range(200):
            try:
                urllib.request.urlopen(self.address, timeout=5).read()
                return
            except OSError:
                time.sleep(0.05)

    def kill(self) -> None:
        """Kill everything of it at once, as a power cut would."""
        assert self.process is not None
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()

    def painter(self) -> "Painter":
        """Somebody who uses it."""
        return Painter(self.address)


class Painter:
    """Sends requests as the pages do."""

    def __init__(self, address: str) -> None:
        self.address = address
        jar = urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar())
        self._opener = urllib.request.build_opener(jar)
        page = self._opener.open(address, timeout=30).read().decode()
        found = re.search(r'name="csrf-token" content="([^"]+)"', page)
        self.token = found[1] if found else ""

    def send(
        self, method: str, url: str, body: bytes | None = None, kind: str = "application/json"
    ) -> tuple[int, bytes]:
        """Status and body; 0 where there was no answer."""
        request = urllib.request.Request(self.address + url, data=body, method=method)
        request.add_header("X-CSRFToken", self.token)
        request.add_header("X-Requested-With", "fetch")
        if body is not None:
            request.add_header("Content-Type", kind)
        try:
            with self._opener.open(request, timeout=60) as answer:
                return answer.status, answer.read()
        except urllib.error.HTTPError as e:
            return e.code, e.read()
        except (OSError, ValueError):
            return 0, b""

    def json(self, method: str, url: str, body: Any) -> tuple[int, Any]:
        """The same with JSON both ways."""
        code, content = self.send(method, url, json.dumps(body).encode())
        return code, json.loads(content) if content[:1] in (b"{", b"[") else None

    def bring(self, content: bytes, name: str) -> int:
        """Drop a file on the shelf; the number of the sculpt."""
        form = (
            b'--b\r\nContent-Disposition: form-data; name="file"; filename="'
            + name.encode()
            + b'"\r\n\r\n'
            + content
            + b"\r\n--b--\r\n"
        )
        code, answer = self.send("POST", "/sculpts", form, "multipart/form-data; boundary=b")
        return json.loads(answer)["id"] if code == 201 else 0

    def lit(self, sculpt: int) -> bool:
        """Whether a sculpt is ready with its sky."""
        code, content = self.send("GET", f"/sculpts/{sculpt}/state")
        return code == 200 and json.loads(content)["sky"]


def figure() -> bytes:
    """A small sculpt."""
    import trimesh

    parts = [
        trimesh.creation.cylinder(radius=8, height=4, sections=48),
        trimesh.creation.icosphere(3, 5),
        trimesh.creation.icosphere(3, 3),
    ]
    for part, z in zip(parts, (2, 12, 22), strict=True):
        part.apply_translation((0, 0, z))
    return trimesh.util.concatenate(parts).export(file_type="stl")


def prepared(bench: Bench) -> tuple[Painter, int]:
    """A painter and a sculpt that is lit."""
    painter = bench.painter()
    sculpt = painter.bring(figure(), "Figure.stl")
    end = time.monotonic() + 120
    while not painter.lit(sculpt) and time.monotonic() < end:
        time.sleep(0.3)
    painter.send("POST", "/rack/demo", b"", "application/x-www-form-urlencoded")
    return painter, sculpt


def kills(bench: Bench, until: float, rng: random.Random) -> str:
    """Save, kill in the middle of it, start again: what was acknowledged must be there."""
    bench.start()
    painter, sculpt = prepared(bench)
    tries = acknowledged = lost = 0
    kept = {
        "rig": {
            "lamp": {"azimuth": 0, "elevation": 50, "size": 8},
            "sky": 0.25,
            "sky_kind": "overcast",
            "bounce": 0.1,
        },
        "greys": {"steps": 5, "white_budget": 0.03, "cuts": None},
        "exposure": {"primer": 1.5, "white": 9.5, "gain": 1},
    }
    while time.monotonic() < until:
        tries += 1
        last: dict[str, Any] = {}
        over = threading.Event()

        def save(painter: Painter = painter, last: dict[str, Any] = last, over: threading.Event = over) -> None:
            while not over.is_set():
                angle = round(rng.uniform(-180, 180), 3)
                lamp = {**kept["rig"]["lamp"], "azimuth": angle}
                wish = {**kept, "rig": {**kept["rig"], "lamp": lamp}}  # type: ignore[dict-item]
                code, _ = painter.json("PUT", f"/sculpts/{sculpt}/plan", {**wish, "revision": 0, "anyway": True})
                if code == 200:
                    last["light"] = angle
                elif code == 0:
                    return
                code, plan = painter.json("POST", f"/sculpts/{sculpt}/undercoat", {"do": "mute", "number": 2})
                if code == 200:
                    last["turn"] = plan["turn"]

        thread = threading.Thread(target=save)
        thread.start()
        time.sleep(rng.uniform(0.2, 1.5))
        bench.kill()
        over.set()
        thread.join()
        bench.start()
        painter = bench.painter()
        page = painter.send("GET", f"/sculpts/{sculpt}/light")[1].decode()
        now = json.loads(re.search(r"data-rig='([^']+)'", page)[1])["lamp"]["azimuth"]  # type: ignore[index]
        turn = json.loads(painter.send("GET", f"/sculpts/{sculpt}/undercoat.json")[1]).get("turn", 0)
        if "light" in last:
            acknowledged += 1
            # a save that was on its way when the power went may have come after the last that was answered
            lost += "turn" in last and turn < last["turn"]
            lost += now == 0.0
    bench.kill()
    return f"{tries} kills, {acknowledged} with saves that were acknowledged: {lost} lost"


def through(path: str) -> int:
    """A file through reading, mending, laying out and lighting."""
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.rig import Rig
    from dusk_lamp.core.sculpt.mend import mend
    from dusk_lamp.core.sculpt.read import read_sculpt
    from dusk_lamp.core.sculpt.site import Site
    from dusk_lamp.core.sculpt.surface import working_surface
    from dusk_lamp.core.target.target import target

    mended = mend(read_sculpt(path))
    surface = working_surface(mended.mesh, mended.shell, 2_000)
    return len(target(Site(surface), Rig(Lamp(30, 50))).value)


def some_through(paths: list[str]) -> list[str]:
    """How each file of a batch ended: light, a refusal in words, or a fault."""
    from dusk_lamp.core.errors import DuskLampError

    ends = []
    for path in paths:
        try:
            through(path)
            ends.append("lit")
        except DuskLampError:
            ends.append("refused")
        except Exception as e:
            ends.append(f"fault {type(e).__name__}: {e}"[:120])
    return ends


def files(_bench: Bench, until: float, rng: random.Random) -> str:
    """Files of six formats with bytes changed, cut, doubled or swapped, each batch in a child with limits."""
    import trimesh

    from dusk_lamp.jobs.child import CrashedError, TooLongError, call

    shape = trimesh.load(trimesh.util.wrap_as_stream(figure()), file_type="stl")
    seeds = {
        kind: bytes(e) if isinstance(e := shape.export(file_type=kind), bytes) else e.encode()
        for kind in ("stl", "obj", "ply", "off", "glb", "3mf")
    }
    counts = {"lit": 0, "refused": 0, "fault": 0, "crash": 0, "too long": 0}
    notes = set()
    with tempfile.TemporaryDirectory() as folder:
        while time.monotonic() < until:
            paths = []
            for k in range(25):
                kind = rng.choice(list(seeds))
                content = bytearray(seeds[kind])
                for _ in range(rng.choice((1, 1, 1, 2, 3, 8))):
                    at = rng.randrange(len(content))
                    what = rng.randrange(5)
                    if what == 0:
                        content[at] = rng.randrange(256)
                    elif what == 1:
                        del content[at : at + rng.randrange(1, 400)]
                    elif what == 2:
                        content[at:at] = content[rng.randrange(len(content)) :][:200]
                    elif what == 3:
                        content[at : at + 4] = rng.choice(
                            [b"\xff\xff\xff\xff", b"\0\0\0\x80", b"\0\0\xc0\x7f", b"9999"]
                        )
                    elif len(content) > 200:
                        del content[rng.randrange(100, len(content)) :]
                    content = content or bytearray(b"x")
                path = Path(folder) / f"{k}.{kind}"
                path.write_bytes(content)
                paths.append(str(path))
            try:
                for end in call(some_through, paths, seconds=HELD_FILES * 4, memory_gb=MEMORY_GB):
                    counts[end.split()[0]] += 1
                    if end.startswith("fault"):
                        notes.add(end)
            except CrashedError:
                counts["crash"] += 1
            except TooLongError:
                counts["too long"] += 1
    return ", ".join(f"{n} {word}" for word, n in counts.items()) + "".join(
        f"\n      {n}" for n in sorted(notes)[:10]
    )


def routes(bench: Bench, until: float, rng: random.Random) -> str:
    """Every route with hostile bodies and numbers."""
    from dusk_lamp.web.app import create_app
    from tests.web.test_edge import addresses

    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder), testing=True)
        every = [a for a in addresses(app) if "login" not in a[1]]
        app.extensions["workshop"].store.close()
    bench.start()
    painter, _ = prepared(bench)
    asked = faults = 0
    bad: dict[tuple[str, str], int] = {}
    while time.monotonic() < until:
        method, url = rng.choice(every)
        if method == "GET" and rng.random() < 0.7:
            url += f"?azimuth={rng.choice(NUMBERS)[:50]}&elevation={rng.choice(NUMBERS)[:50]}"
            url = urllib.request.quote(url, safe="/?=&.-")
            code, _ = painter.send(method, url)
        else:
            kind, body = rng.choice(BODIES)
            code, _ = painter.send(method, url, None if method == "GET" else body, kind)
        asked += 1
        if code == 0 or code >= 500:
            faults += 1
            bad[method, url] = code
    bench.kill()
    return f"{asked} requests on {len(every)} addresses: {faults} answered with a fault of ours" + "".join(
        f"\n      {c} {m} {u}" for (m, u), c in list(bad.items())[:10]
    )


def openings(bench: Bench, _until: float, rng: random.Random) -> str:
    """Sixty sculpts opened one after another, each looked at from shelf to sheet; what the pages' process holds at
    the end."""
    from dusk_lamp.demo.load import load_demo
    from dusk_lamp.jobs.queue import Queue
    from dusk_lamp.store.store import Store

    store = Store(bench.data)
    load_demo(store, Queue(store))
    store.close()
    bench.start(samples=0)
    painter = bench.painter()
    numbers = range(1, 9)
    while not all(painter.lit(n) for n in numbers):
        time.sleep(1)
    assert bench.process is not None
    number = bench.process.pid
    pages, _ = Path(f"/proc/{number}/task/{number}/children").read_text().split()  # and the worker
    codes = set()
    order = list(numbers)
    for k in range(60):
        if k % len(order) == 0:
            rng.shuffle(order)
        at = f"/sculpts/{order[k % len(order)]}"
        for url in ("/light", "/surface.bin", "/regions", "/undercoat", "/undercoat.json", "/sheet"):
            codes.add(painter.send("GET", at + url)[0])
    status = Path(f"/proc/{pages}/status").read_text()
    most = int(re.search(r"VmHWM:\s+(\d+)", status)[1]) * 1024 / 1e9  # type: ignore[index]
    bench.kill()
    return f"60 openings of {len(order)} sculpts, answers {sorted(codes)}: at most {most:.2f} GB"


def large() -> bytes:
    """Five million triangles."""
    import trimesh

    return trimesh.creation.icosphere(9, 20).export(file_type="stl")


def users(bench: Bench, until: float, rng: random.Random) -> str:
    """Twenty painters who drag lamps all at once; in the second half a file of five million triangles comes in
    beside them."""
    bench.start()
    first, sculpt = prepared(bench)
    page = first.send("GET", f"/sculpts/{sculpt}/light")[1].decode()
    names = ("rig", "greys", "exposure")
    wish = {n: json.loads(re.search(rf"data-{n}='([^']+)'", page)[1]) for n in names}  # type: ignore[index]
    waits: list[tuple[float, float]] = []
    codes: dict[int, int] = {}
    lock = threading.Lock()

    def paint(seed: int) -> None:
        own, painter = random.Random(seed), bench.painter()
        while time.monotonic() < until:
            lamp = {"azimuth": own.uniform(-180, 180), "elevation": own.uniform(0, 90), "size": 12}
            asked = {**wish, "rig": {**wish["rig"], "lamp": lamp}, "moving": own.random() < 0.8}
            began = time.monotonic()
            code, _ = painter.send("POST", f"/sculpts/{sculpt}/relight", json.dumps(asked).encode())
            took = time.monotonic() - began
            with lock:
                codes[code] = codes.get(code, 0) + 1
                waits.append((began, took))
            time.sleep(own.uniform(0.05, 0.4))

    threads = [threading.Thread(target=paint, args=(rng.randrange(10**9),)) for _ in range(20)]
    content = large()
    for thread in threads:
        thread.start()
    time.sleep(max(0.0, until - time.monotonic()) / 2)
    brought = time.monotonic()
    number = first.bring(content, "Large.stl")
    for thread in threads:
        thread.join()
    lit = first.lit(number)
    bench.kill()
    alone, beside = ([took for began, took in waits if (began >= brought) == late] for late in (False, True))
    faults = sum(n for code, n in codes.items() if code == 0 or code >= 500)
    p95 = " and ".join(f"{statistics.quantiles(some, n=20)[-1]:.2f} s" for some in (alone, beside))
    return f"{len(waits)} lights for 20 users: {faults} faults, p95 {p95} beside an import (ended: {lit}) ({codes})"


def club(_bench: Bench, until: float, rng: random.Random) -> str:
    """Fifty painters with accounts on two machines."""
    sys.path.insert(0, str(Path(__file__).parent))
    from club import attacked

    return attacked(max(until - time.monotonic(), 20) / 60, rng.randrange(1000))


ATTACKS = {"kills": kills, "files": files, "routes": routes, "users": users, "openings": openings, "club": club}


def main() -> None:
    """Attack, one after another, each for its share of the time."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", choices=ATTACKS)
    args = parser.parse_args()
    chosen = [args.only] if args.only else list(ATTACKS)
    for name in chosen:
        with tempfile.TemporaryDirectory() as folder:
            bench = Bench(Path(folder) / "data")
            until = time.monotonic() + 60 * args.minutes / len(chosen)
            print(f"{name:8} {ATTACKS[name](bench, until, random.Random(args.seed))}", flush=True)


if __name__ == "__main__":
    main()
