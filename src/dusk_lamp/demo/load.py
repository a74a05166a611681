"""Lays the demo sculpts out on an empty shelf. What the user did to them, or deleted, is left alone."""

import io
import lzma
from dataclasses import dataclass, field
from importlib.resources import files

from sqlalchemy import select

from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..core.paint.rack import rack_from_csv
from ..core.plain import plain
from ..core.sculpt.display import Display
from ..core.sculpt.parts import Part
from ..jobs.queue import Queue
from ..store import paints
from ..store.models import FILLS_THE_SHELF, Bottle, Sculpt
from ..store.store import Store, add_sculpt, new_job


@dataclass(frozen=True)
class Demo:
    """One demo sculpt: its name on the shelf and its file, height in mm, light, display view, parts largest first."""

    name: str
    file: str
    height: float
    rig: Rig
    display: Display
    parts: tuple[Part, ...] = field(default=())


def _runner(number: int, name: str, height: float, azimuth: float, face: tuple[float, float, float]) -> Demo:
    rig = Rig(Lamp(40, 55, 14), 0.25, "overcast", 0.15)
    return Demo(f"Reed-runner, {name}", f"reed-runner-{number}", height, rig, Display(azimuth, 10, (face,)))


# The first is the newest on the shelf, so it is brought last.
DEMO = (
    _runner(5, "bow", 33.4, -25, (0.6, -3.2, 28.6)),
    _runner(4, "lamp", 33.2, 15, (-0.6, -4.0, 28.0)),
    _runner(3, "horn", 34.3, -20, (0.0, -2.9, 29.3)),
    _runner(2, "knife", 31.0, -15, (0.2, -5.2, 26.0)),
    _runner(1, "pole", 35.1, 10, (0.3, -3.4, 28.6)),
    Demo(
        "Kiln-keeper",
        "kiln-keeper",
        51.7,
        Rig(Lamp(30, 25, 20), 0.12, "overcast", 0.15),
        Display(18, 6, ((1.0, -8.0, 38.5), (9.5, -11.0, 8.0))),
        (Part("Kiln and plinth", 0, 0, apart=True), Part("Bust", 0, 1, apart=True)),
    ),
    Demo(
        "Sluice knight",
        "sluice-knight",
        37.6,
        Rig(Lamp(35, 60, 14), 0.2, "overcast", 0.15),
        Display(-15, 10, ((0.0, -4.0, 33.2), (-8.1, -6.6, 12.0))),
        (
            Part("Body", 0, 0),
            Part("Ground", 0, 1, apart=True),
            Part("Helm", 0, 2, apart=True),
            Part("Blade", 0, 3, apart=True),
        ),
    ),
    Demo(
        "Wick-warden",
        "wick-warden",
        40.0,
        Rig(Lamp(40, 58, 16), 0.22, "overcast", 0.15),
        Display(15, 8, ((0.0, -3.0, 30.2), (10.7, -6.5, 31.5))),
    ),
)


def load_rack(store: Store) -> None:
    """Put the guild's paints on the rack, where it has never held any."""
    content = (files("dusk_lamp.demo") / "rack.csv").read_bytes()
    with store.saving() as session:
        if session.scalars(select(Bottle)).first() is None:
            paints.bring(session, rack_from_csv(content))


def load_demo(store: Store, queue: Queue) -> None:
    """Add each demo sculpt whose file has never been on this shelf, and the rack."""
    load_rack(store)
    fresh = []
    for demo in DEMO:
        content = lzma.decompress((files("dusk_lamp.demo") / f"{demo.file}.ply.xz").read_bytes())
        sha = store.keep_upload(io.BytesIO(content), "ply")
        with store.saving() as session:
            if session.scalars(select(Sculpt).where(Sculpt.file_sha == sha)).first():
                continue
            sculpt = add_sculpt(session, demo.name, [{"name": f"{demo.file}.ply", "format": "ply", "sha": sha}])
            sculpt.up, sculpt.front, sculpt.height_mm = "z", "-y", demo.height
            sculpt.rig, sculpt.display = plain(demo.rig), plain(demo.display)
            sculpt.parts = plain(demo.parts)
            fresh.append(sculpt.id)
    for sculpt_id in reversed(fresh):  # the newest on the shelf is looked at first, so it is prepared first
        with store.saving() as session:
            job_id = new_job(session, session.get_one(Sculpt, sculpt_id), urgency=FILLS_THE_SHELF).id
        queue.add(job_id)
