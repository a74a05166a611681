"""The queue: what waits for a worker. The rows of the jobs are what counts; the queue only says that there is
something."""

import logging
import sqlite3
from collections.abc import Callable

from huey import RedisHuey, SqliteHuey
from huey.api import Huey
from redis.exceptions import RedisError

from ..core.errors import DuskLampError, Stopped
from ..store.models import LOOKED_AT, JobRow, now
from ..store.owner import acting_for
from ..store.store import Store
from .child import CrashedError, call
from .kinds import KINDS, do
from .leases import Heartbeat, crashed, free_jobs, give_back, gives_way, new_worker, put_back, take_job
from .work import JobInHand

log = logging.getLogger(__name__)
BROKER_ERRORS = (RedisError, OSError, sqlite3.OperationalError)


class Queue:
    """Jobs of one data folder. Pages only add to it; worker processes take from it."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.huey = _broker(store)
        self.worker = new_worker()
        self._task = self.huey.task(name="job")(self._run)

    def add(self, job_id: int) -> None:
        """Put a job on the queue. Call it once the job's row is committed. Where the broker cannot be reached the job
        waits as a row: workers look for such when it is back."""
        try:
            self._task(job_id)
        except BROKER_ERRORS:
            log.warning("the broker cannot be reached; job %s waits", job_id)

    def _run(self, job_id: int) -> None:
        # the message says only that something waits; which job is done is the rows' to say
        for urgent in [*free_jobs(self.store), job_id]:
            if run(self.store, urgent, self.worker, apart=not self.huey.immediate, held_up=self._held_up(urgent)):
                if urgent in free_jobs(self.store):  # it gave way
                    self.add(urgent)
                return

    def _held_up(self, job_id: int) -> Callable[[], bool]:
        return lambda: gives_way(self.store, job_id)

    def hurry(self, job_id: int) -> None:
        """Somebody looks at what this job is for: it goes first."""
        with self.store.saving() as session:
            job = session.get(JobRow, job_id)
            if job is None or not job.open or job.urgency == LOOKED_AT:
                return
            job.urgency = LOOKED_AT
        self.add(job_id)

    def resume(self) -> int:
        """Queue again what waits, and what the hands of a worker that went silent dropped; returns how many.

        A job that is on the queue twice is done once: the second to take it finds it taken.
        """
        ids = free_jobs(self.store)
        for job_id in ids:
            self.add(job_id)
        return len(ids)

    def leave(self) -> None:
        """Give back what is in hand, when this worker ends in good order."""
        give_back(self.store, self.worker)


def _broker(store: Store) -> Huey:
    if store.settings.broker:
        return RedisHuey("dusk-lamp", url=store.settings.broker, results=False)
    return SqliteHuey("dusk-lamp", filename=str(store.root / "queue.db"), results=False, fsync=True)


def run(
    store: Store, job_id: int, worker: str, *, apart: bool = True, held_up: Callable[[], bool] = lambda: False
) -> bool:
    """Do one job, if it is free, and say how it ended; False where it was not. apart: in a child process with
    limits; else in this one. held_up: asked now and then, whether a more urgent one waits; then this one waits
    again."""
    kind = take_job(store, job_id, worker)
    if kind is None:
        return False
    work, settings, gave_way = JobInHand(store, job_id), store.settings, False

    def stopped() -> bool:
        nonlocal gave_way
        if work.stopped():
            return True
        gave_way = held_up()  # remembered: by the time it has ended it may be hurried again itself
        return gave_way

    try:
        with Heartbeat(store, worker):
            if apart:
                call(
                    do,
                    store.root,
                    settings,
                    kind,
                    job_id,
                    seconds=60 * settings.job_minutes,
                    memory_gb=settings.job_memory_gb,
                    stopped=stopped,
                )
            else:
                with acting_for(work.painter()):
                    KINDS[kind](work)
        _end(store, job_id, "done", "")
    except Stopped as e:
        if apart and gave_way and not work.stopped() and put_back(store, job_id):
            return True
        message = str(e) if "were" in str(e) else "stopped; nothing was lost. Start again whenever you like."
        _end(store, job_id, "stopped", message)
    except DuskLampError as e:
        _end(store, job_id, "failed", str(e))
    except MemoryError:
        _end(store, job_id, "failed", "the sculpt needs more memory than this machine has; decimate it first")
    except CrashedError:
        log.exception("job %s crashed", job_id)
        if crashed(store, job_id):
            run(store, job_id, worker, apart=apart, held_up=held_up)
    except Exception:
        log.exception("job %s failed", job_id)
        _end(
            store,
            job_id,
            "failed",
            "something went wrong on our side; the file is kept. Try again, or bring it as STL.",
        )
    return True


def _end(store: Store, job_id: int, state: str, message: str) -> None:
    with store.saving() as session:
        job = session.get(JobRow, job_id)
        if job is not None and job.open:
            job.state, job.message, job.share = state, message, 1.0 if state == "done" else job.share
            job.seconds += (now() - job.begun_at).total_seconds() if job.begun_at else 0.0
            job.worker = job.lease_until = None
