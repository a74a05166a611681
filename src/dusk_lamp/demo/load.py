"""Lays the demo sculpts out on an empty shelf. What the user did to them, or deleted, is left alone."""

import hashlib
import io
import json
import lzma
from dataclasses import replace
from datetime import timedelta
from importlib.resources import files
from itertools import cycle
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.paint.rack import rack_from_csv
from ..core.plan.document import document_of
from ..core.sculpt.masks import read_mask
from ..jobs.queue import Queue
from ..store import log, paints, plans, preparing, progress
from ..store.cache import key_of
from ..store.models import FILLS_THE_SHELF, Bottle, Sculpt, now
from ..store.store import Store, new_job
from .finished import Finished, finished, known_of, shipped_facets, shipped_picture, shipped_sky, shipped_steps
from .plans import DEMO, Demo

# stages of the bench that a finished plan has been through
PLANNED = (
    "stand",
    "parts",
    "regions",
    "view",
    "light",
    "greys",
    "sketch",
    "undercoat",
    "colour",
    "metal",
    "glow",
    "wear",
    "sheet",
)
# of the steps that are painted: how long each took beside what was expected, and the break after it
PACE = 1.1, 0.9, 1.0, 0.95, 1.05, 1.15, 0.9, 1.0, 1.1, 0.95
BREAK_S = 240.0


def sculpt_file(demo: Demo) -> bytes:
    """The PLY of a demo sculpt, as it ships."""
    return lzma.decompress((files("dusk_lamp.demo") / f"{demo.file}.ply.xz").read_bytes())


def load_rack(store: Store) -> None:
    """Put the guild's paints on the rack, where it has never held any."""
    content = (files("dusk_lamp.demo") / "rack.csv").read_bytes()
    with store.saving() as session:
        if session.scalars(select(Bottle)).first() is None:
            paints.bring_paints(session, rack_from_csv(content))


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
            as_finished = not store.settings.most_samples  # then it is laid out as it was for what ships
            done = finished(demo.file) if as_finished else None
            if known := known_of(demo.file):  # it can be stood up before it is mended
                mended_key = sculpt.mended_key = preparing.mended_key_of(sculpt.files, False)
                preparing.know(store.cache, mended_key, *known)
                facts = preparing.facts_of(store.cache, mended_key)
                sculpt.findings, sculpt.notes = facts.findings, facts.notes
                standing = demo.standing().sculpt.standing
                if as_finished and standing:
                    surface_key = preparing.surface_key_of(mended_key, standing, None)
                    if sky := shipped_sky(demo.file):
                        preparing.know_sky(store.cache, surface_key, sky)
                    if facets := shipped_facets(demo.file):
                        preparing.know_facets(store.cache, surface_key, facets)
            if picture := shipped_picture(demo.file):  # the shelf shows something at once
                thumb_key = sculpt.thumb_key = key_of("finished demo", 1, hashlib.sha256(picture).hexdigest())
                store.cache.put(thumb_key, blobs={"thumb.png": picture})
            if done:  # its spots lie on the surface that the bench lays out where it may take all samples
                _finish(session, sculpt, demo, done)
            fresh.append(sculpt.id)
    for sculpt_id in reversed(fresh):  # the newest on the shelf is looked at first, so it is prepared first
        with store.saving() as session:
            job_id = new_job(session, session.get_one(Sculpt, sculpt_id), urgency=FILLS_THE_SHELF).id
        queue.add(job_id)


def _finish(session: Session, sculpt: Sculpt, demo: Demo, done: Finished) -> None:
    """Give a demo sculpt its finished plan, and mark the steps that are painted."""
    standing = done.plan.sculpt.standing
    if standing is None:
        raise ValueError(f"{demo.name} does not stand")
    surface_key = preparing.surface_key_of(preparing.mended_key_of(sculpt.files, False), standing, None)
    plan = replace(done.plan, sculpt=replace(done.plan.sculpt, file=sculpt.file_name))
    plans.keep(
        session, sculpt, plans.KeptPlan(plan, sculpt.plan_id, done.labels, surface_key), "planned for the demo"
    )
    sculpt.stages_done = dict.fromkeys(PLANNED, "")  # as things stand, whatever they rest on
    coats = [c for c in plan.coats if not c.muted]
    keys = progress.keys_of(coats)
    entries = shipped_steps(demo.file)
    times = [share * (e.expected_s or 0.0) for e, share in zip(entries, cycle(PACE), strict=False)]
    ended = now() - timedelta(seconds=sum(times) + BREAK_S * len(times))
    for k, (key, entry, took) in enumerate(zip(keys, entries, times, strict=False)):
        then = keys[k + 1] if k + 1 < len(keys) else None
        progress.end(session, sculpt, key, "done", 0.0, then, seconds=took)
        ended += timedelta(seconds=took + BREAK_S)
        at = f"{ended.isoformat(timespec='seconds')}Z"
        log.add(session, replace(entry, at=at, seconds=round(took)), sculpt, key)
    session.flush()


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
