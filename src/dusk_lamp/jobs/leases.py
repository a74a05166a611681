"""Leases: a worker has a job only for a while, unless it keeps saying that it is still there.

What a worker that died had in hand is taken up by the next, whichever that is; two workers never have the same job,
and none takes from another that is alive. Only a worker that died over a job counts as an attempt.
"""

import os
import secrets
import socket
import threading
from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from sqlalchemy import func, select, update

from ..store.models import FILLS_THE_SHELF, JobRow, Sculpt, now
from ..store.owner import acting_for
from ..store.store import Store

MOST_ATTEMPTS = 3  # a file that kills the worker as often as this is not tried again
BEATS = 4  # signs of life in the time of a lease
HOST = socket.gethostname()[:30].replace(":", "-")


def new_worker() -> str:
    """A name for a worker of this process: its machine, its number, and something no other has."""
    return f"{HOST}:{os.getpid()}:{secrets.token_hex(4)}"


def take_job(store: Store, job_id: int, worker: str) -> str | None:
    """Take a job that is free; returns its kind, or None where it is done, stopped or in another's hands.

    A job found in the hands of a worker that went silent has cost an attempt; after MOST_ATTEMPTS it is put aside.
    """
    with acting_for(None), store.saving() as session:
        job = session.get(JobRow, job_id)
        if job is None or not job.open:
            return None
        if job.state == "working":
            if not _silent(job):
                return None
            if not _attempt(job):
                return None
        if job.stop_asked:
            job.state, job.message = "stopped", "stopped before it began; start again whenever you like."
            return None
        job.state, job.worker, job.lease_until, job.begun_at = "working", worker, _until(store), now()
        return job.kind


def _attempt(job: JobRow) -> bool:
    """Count a worker that died over a job; False where it is put aside for that."""
    job.attempts += 1
    if job.attempts >= MOST_ATTEMPTS:
        job.state = "failed"
        job.message = "this file stopped the bench three times; it was put aside. Decimate it and try again."
    return job.state != "failed"


def crashed(store: Store, job_id: int) -> bool:
    """A job's child died: free it for another try, and say whether there is one."""
    with acting_for(None), store.saving() as session:
        job = session.get(JobRow, job_id)
        if job is None or not job.open or not _attempt(job):
            return False
        job.state, job.worker, job.lease_until = "waiting", None, None
        return True


def _until(store: Store) -> datetime:
    return now() + timedelta(seconds=store.settings.lease_s)


def _silent(job: JobRow) -> bool:
    """Whether a job's worker has not been heard of in its time, or is known to be gone: no process of this
    machine."""
    if job.lease_until is None or job.lease_until <= now():
        return True
    host, _, rest = (job.worker or "").partition(":")
    if host != HOST or not rest.split(":")[0].isdecimal():
        return False
    try:
        os.kill(int(rest.split(":")[0]), 0)
    except ProcessLookupError:
        return True
    except PermissionError:
        pass
    return False


def give_back(store: Store, worker: str) -> None:
    """What a worker that is ending in good order still has in hand: free at once, and no attempt."""
    with acting_for(None), store.saving() as session:
        session.execute(
            update(JobRow)
            .where(JobRow.worker == worker, JobRow.state == "working")
            .values(state="waiting", worker=None, lease_until=None)
        )


def free_jobs(store: Store) -> list[int]:
    """Jobs that wait, or whose worker went silent, in the order they are done in: those that somebody waits for
    before those that only fill a shelf; of each, painters in turn, who was served longest ago first; of one painter's
    the most urgent, then the oldest."""
    with acting_for(None), store.session() as session:
        in_order = select(JobRow, Sculpt.user_id).join(Sculpt, JobRow.sculpt_id == Sculpt.id)
        in_order = in_order.where(JobRow.state.in_(("waiting", "working"))).order_by(JobRow.urgency.desc(), JobRow.id)
        free = [(job, who) for job, who in session.execute(in_order) if job.state == "waiting" or _silent(job)]
        served: dict[int, datetime | None] = {}
        if len({who for _, who in free}) > 1:  # one painter's jobs need no turns
            begun = select(Sculpt.user_id, func.max(JobRow.begun_at)).join(JobRow, JobRow.sculpt_id == Sculpt.id)
            served = dict(session.execute(begun.group_by(Sculpt.user_id)).all())
    return in_turn([(job.id, who, job.urgency == FILLS_THE_SHELF) for job, who in free], served)


def in_turn(free: Sequence[tuple[int, int, bool]], served: Mapping[int, datetime | None]) -> list[int]:
    """Jobs (number, painter, whether it only fills a shelf), each painter's in order, as they are done in turn.
    served: when each painter's last job was begun."""
    rounds: Counter[tuple[int, bool]] = Counter()
    keyed = []
    for place, (job_id, painter, fills) in enumerate(free):
        last = served.get(painter)
        keyed.append((fills, rounds[painter, fills], last is not None, last or datetime.min, place, job_id))
        rounds[painter, fills] += 1
    return [job_id for *_, job_id in sorted(keyed)]


def gives_way(store: Store, job_id: int) -> bool:
    """Whether a job that only fills the shelf is held up by one that somebody waits for."""
    with acting_for(None), store.session() as session:
        job = session.get(JobRow, job_id)
        if job is None or job.urgency != FILLS_THE_SHELF:
            return False
        return (
            session.scalars(select(JobRow.id).where(JobRow.state == "waiting", JobRow.urgency > job.urgency)).first()
            is not None
        )


def put_back(store: Store, job_id: int) -> bool:
    """A job that gave way waits again; what its finished stages made is kept. False where it was stopped in the
    meantime."""
    with acting_for(None), store.saving() as session:
        job = session.get(JobRow, job_id)
        if job is None or not job.open or job.stop_asked:
            return False
        job.state, job.worker, job.lease_until = "waiting", None, None
        return True


class Heartbeat:
    """Says that a worker is still there, as long as the block lasts."""

    def __init__(self, store: Store, worker: str) -> None:
        self._store, self._worker = store, worker
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True, name="heartbeat")

    def __enter__(self) -> "Heartbeat":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _beat(self) -> None:
        while not self._over.wait(self._store.settings.lease_s / BEATS):
            with acting_for(None), self._store.saving() as session:
                session.execute(
                    update(JobRow)
                    .where(JobRow.worker == self._worker, JobRow.state == "working")
                    .values(lease_until=_until(self._store))
                )
