"""Lays the demo sculpts out on an empty shelf. What the user did to them, or deleted, is left alone."""

import io
import lzma
from importlib.resources import files
from typing import Any

from sqlalchemy import select

from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..store.models import Sculpt
from ..store.store import add_sculpt, new_job

DEMO = {
    # name on the shelf: file, height in mm, light
    "Wick-warden": ("wick-warden.ply.xz", 40.0, Rig(Lamp(40, 58, 16), 0.22, "overcast", 0.15)),
}


def load_demo(workshop: Any) -> None:
    """Add each demo sculpt whose file has never been on this shelf."""
    jobs = []
    for name, (file, height, rig) in DEMO.items():
        content = lzma.decompress((files("dusk_lamp.demo") / file).read_bytes())
        sha = workshop.store.keep_upload(io.BytesIO(content), "ply")
        with workshop.store.session() as session:
            if session.scalars(select(Sculpt).where(Sculpt.file_sha == sha)).first():
                continue
            sculpt = add_sculpt(session, name, file.removesuffix(".xz"), "ply", sha)
            sculpt.up, sculpt.front, sculpt.height_mm = "z", "-y", height
            sculpt.rig = rig.as_dict()
            jobs.append(new_job(session, sculpt).id)
    for job_id in jobs:
        workshop.queue.add(job_id)
