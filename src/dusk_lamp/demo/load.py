"""Lays the demo sculpts out on an empty shelf. What the user did to them, or deleted, is left alone."""

import io
import json
import lzma
from importlib.resources import files
from pathlib import Path

from sqlalchemy import select

from ..core.paint.rack import rack_from_csv
from ..core.plan.document import document_of
from ..core.sculpt.masks import read_mask
from ..jobs.queue import Queue
from ..store import paints, plans
from ..store.models import FILLS_THE_SHELF, Bottle, Sculpt
from ..store.store import Store, new_job
from .plans import DEMO, Demo


def sculpt_file(demo: Demo) -> bytes:
    """The PLY of a demo sculpt, as it ships."""
    return lzma.decompress((files("dusk_lamp.demo") / f"{demo.file}.ply.xz").read_bytes())


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
        sha = store.keep_upload(io.BytesIO(sculpt_file(demo)), "ply")
        with store.saving() as session:
            if session.scalars(select(Sculpt).where(Sculpt.file_sha == sha)).first():
                continue
            file = {"name": f"{demo.file}.ply", "format": "ply", "sha": sha}
            sculpt = plans.add_sculpt(session, demo.name, [file], plans.fresh(demo.standing()))
            fresh.append(sculpt.id)
    for sculpt_id in reversed(fresh):  # the newest on the shelf is looked at first, so it is prepared first
        with store.saving() as session:
            job_id = new_job(session, session.get_one(Sculpt, sculpt_id), urgency=FILLS_THE_SHELF).id
        queue.add(job_id)


def write_plans(folder: Path) -> list[Path]:
    """Write every demo plan as a file with its sculpt beside it; returns the plans."""
    folder.mkdir(parents=True, exist_ok=True)
    out = []
    for demo in reversed(DEMO):
        sculpt = folder / f"{demo.file}.ply"
        sculpt.write_bytes(sculpt_file(demo))
        mask = read_mask(sculpt, "ply")
        if mask is None:
            raise ValueError(f"{sculpt.name} carries no regions")
        plan = {
            k: v for k, v in document_of(demo.plan(mask.marking)).items() if k not in ("marking", "rack", "tools")
        }
        path = folder / f"{demo.file}.json"
        path.write_text(json.dumps(plan, indent=1, ensure_ascii=False))
        out.append(path)
    return out
