"""The queue, and the one kind of work on it: preparing a sculpt."""

import logging
from pathlib import Path

from huey import SqliteHuey
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.errors import DuskLampError, Stopped
from ..core.light.rig import Rig
from ..core.paint.mix import only
from ..core.plan.spray_fit import fit
from ..core.plan.target import Exposure
from ..core.sculpt.parts import Part, alone, matched
from ..core.sculpt.site import Site
from ..core.sculpt.stand import Standing, fronts_for, guess_units
from ..store import markings, stages, undercoats
from ..store.models import Job, Sculpt
from ..store.scenes import Scenes
from ..store.store import Store

MOST_ATTEMPTS = 3  # a file that kills the worker as often as this is not tried again
log = logging.getLogger(__name__)


class Queue:
    """Jobs of one data folder. Pages only add to it; the worker process takes from it."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.huey = SqliteHuey("dusk-lamp", filename=str(store.root / "queue.db"), results=False, fsync=True)
        self._task = self.huey.task(name="prepare")(self._prepare)

    def add(self, job_id: int) -> None:
        """Put a job on the queue. Call it once the job's row is committed."""
        self._task(job_id)

    def _prepare(self, job_id: int) -> None:
        prepare(self.store, job_id)

    def resume(self) -> int:
        """Queue again what was open when the worker last died; returns how many. Only the worker calls it, at start."""
        self.huey.flush()
        with self.store.session() as session:
            left = list(session.scalars(select(Job).where(Job.state.in_(("waiting", "working"))).order_by(Job.id)))
            for job in left:
                if job.attempts >= MOST_ATTEMPTS:
                    job.state = "failed"
                    job.message = (
                        "this file stopped the bench three times; it was put aside. Decimate it and try again."
                    )
            ids = [job.id for job in left if job.open]
        for job_id in ids:
            self.add(job_id)
        return len(ids)


def prepare(store: Store, job_id: int) -> None:
    """Take a sculpt from its file to its first light and its sky, resuming after the last stage that was finished."""
    with store.session() as session:
        job = session.get(Job, job_id)
        if job is None or not job.open:
            return
        job.state, job.attempts = "working", job.attempts + 1
        kind = job.kind
    try:
        _fit(store, job_id) if kind == "fit" else _stages(store, job_id)
        _end(store, job_id, "done", "")
    except Stopped:
        _end(store, job_id, "stopped", "stopped; nothing was lost. Start again whenever you like.")
    except DuskLampError as e:
        _end(store, job_id, "failed", str(e))
    except MemoryError:
        _end(store, job_id, "failed", "the sculpt needs more memory than this machine has; decimate it first")
    except Exception:
        log.exception("job %s failed", job_id)
        _end(
            store,
            job_id,
            "failed",
            "something went wrong on our side; the file is kept. Try again, or bring it as STL.",
        )


def _end(store: Store, job_id: int, state: str, message: str) -> None:
    with store.session() as session:
        job = session.get(Job, job_id)
        if job is not None and job.open:
            job.state, job.message, job.share = state, message, 1.0 if state == "done" else job.share


def _stages(store: Store, job_id: int) -> None:
    def say(step: str, share: float) -> None:
        with store.session() as session:
            job = session.get(Job, job_id)
            if job is None or job.stop_asked:
                raise Stopped(f"stopped before: {step}")
            job.step, job.share = step, share

    def stopped() -> bool:
        with store.session() as session:
            job = session.get(Job, job_id)
            return job is None or job.stop_asked

    def mine(session: Session) -> Sculpt:
        """The sculpt, to write to; a job that was stopped or overtaken by a newer one must not touch it any more."""
        job = session.get(Job, job_id)
        if job is None or job.stop_asked:
            raise Stopped("stopped before its result was kept")
        return job.sculpt

    with store.session() as session:
        sculpt = mine(session)
        files, standing, close_holes = sculpt.files, sculpt.standing, sculpt.holes_closed
    paths = [store.upload_path(f["sha"], f["format"]) for f in files]

    mended_key, facts = stages.mended(store.cache, files, paths, close_holes, say)
    with store.session() as session:
        sculpt = mine(session)
        sculpt.mended_key, sculpt.findings, sculpt.notes = mended_key, facts.findings, facts.notes
        sculpt.parts = [p.as_dict() for p in matched(sculpt.named_parts, [Part.from_dict(p) for p in facts.parts])]
        shadowless = sculpt.shadowless
        if standing is None:
            standing = first_guess(facts)
            sculpt.up, sculpt.front, sculpt.height_mm = standing.up, standing.front, standing.height_mm
        sculpt.file_tall = facts.size["xyz".index(standing.up[-1])]
        rig, exposure = Rig.from_dict(sculpt.rig), Exposure(**sculpt.exposure)

    say("A first look", 0.32)
    thumb_key = stages.first_look(store.cache, mended_key, standing, rig, exposure)
    with store.session() as session:
        mine(session).thumb_key = thumb_key
    surface_key = stages.surface(store.cache, mended_key, standing, say)
    say("Turning on the lamp", 0.5)
    laid = stages.load_surface(store.cache, surface_key)
    site = Site(laid, apart=[alone(laid, part, uncast) for part, uncast in shadowless])
    thumb_key = stages.thumb(store.cache, [surface_key, shadowless], site, rig, exposure)
    own = stages.own_marking(paths[0], files[0]["format"], laid, stages.load_placing(store.cache, surface_key))
    with store.session() as session:
        sculpt = mine(session)
        sculpt.surface_key, sculpt.thumb_key, sculpt.sky_key = surface_key, thumb_key, None
        if own is not None and not markings.ever_marked(session, sculpt):
            markings.keep(session, sculpt, own)

    say("Looking at the sky from every spot", 0.6)
    sky_key = stages.sky(store.cache, surface_key, laid, shadowless, say, stopped)
    site.outlook = stages.load_sky(store.cache, sky_key, surface_key, laid, shadowless)
    say("Drawing its picture", 0.99)
    thumb_key = stages.thumb(store.cache, [surface_key, shadowless, sky_key], site, rig, exposure)
    with store.session() as session:
        sculpt = mine(session)
        sculpt.sky_key, sculpt.thumb_key = sky_key, thumb_key


def _fit(store: Store, job_id: int) -> None:
    """Find the passes of the undercoat for a sculpt's present light."""

    def say(step: str, share: float) -> None:
        with store.session() as session:
            job = session.get(Job, job_id)
            if job is None or job.stop_asked:
                raise Stopped(f"stopped before: {step}")
            job.step, job.share = step, share

    say("Looking at the light", 0.01)
    with store.session() as session:
        sculpt = session.get_one(Job, job_id).sculpt
        laid = Scenes(store).of(sculpt)
        tins = undercoats.tins_of(session, sculpt)
        lamp, wanted = undercoats.lamp_of(sculpt), undercoats.target_of(sculpt, laid, tins)
        greys = undercoats.greys_of(sculpt, tins)
    found = fit(laid.site.surface, wanted, laid.site.paintable, lamp, only(tins.primer), greys, progress=say)
    with store.session() as session:
        job = session.get(Job, job_id)
        if job is None or job.stop_asked:
            raise Stopped("stopped before its result was kept")
        undercoats.fitted(session, job.sculpt, tins, found.coats, laid)


def first_guess(facts: stages.MendedFacts) -> Standing:
    """How a sculpt probably stands, and how tall it probably is."""
    up = facts.up_order[0]
    guess = guess_units(facts.size["xyz".index(up[-1])])
    return Standing(up, fronts_for(up)[0], guess.height_mm)


def queue_at(root: Path) -> Queue:
    """The queue of a data folder, for the worker."""
    return Queue(Store(root))
