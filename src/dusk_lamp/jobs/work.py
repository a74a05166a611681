"""What every kind of work is given: its job, how to say how far it is, and whether it was stopped."""

import time
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.errors import Stopped
from ..core.plan.context import Context
from ..store import plans
from ..store.models import FILLS_THE_SHELF, LOOKED_AT, JobRow, Sculpt
from ..store.open_sculpts import OpenSculpts
from ..store.owner import acting_for
from ..store.store import Store

MAKES_WAY_S, LOOK_S = 60.0, 0.3  # for how long it makes way, and how often it looks meanwhile


@dataclass(frozen=True)
class JobInHand:
    """One job in hand."""

    store: Store
    job_id: int
    begun: float = field(default_factory=time.monotonic)

    def painter(self) -> int | None:
        """Whose job it is; None where it is gone."""
        with acting_for(None), self.store.session() as session:
            job = session.get(JobRow, self.job_id)
            return job.sculpt.user_id if job is not None else None

    def fills_the_shelf(self) -> bool:
        """Whether nobody waits for it."""
        with self.store.session() as session:
            job = session.get(JobRow, self.job_id)
            return job is not None and job.urgency == FILLS_THE_SHELF

    def say(self, step: str, share: float) -> None:
        """Tell the painter what is being done, and the share of it that is done, 0..1.

        Raises:
            Stopped: the painter stopped it, or a newer job took its place.
        """
        with self.store.saving() as session:
            job = session.get(JobRow, self.job_id)
            if job is None or job.stop_asked:
                raise Stopped(f"stopped before: {step}")
            job.step, job.share = step, share
        self._make_way()

    def stopped(self) -> bool:
        """Whether it was stopped."""
        with self.store.session() as session:
            job = session.get(JobRow, self.job_id)
            return job is None or job.stop_asked

    def stopped_after_a_pause(self) -> bool:
        """The same, asked in the middle of long work, once it has made way for pages."""
        self._make_way()
        return self.stopped()

    def _make_way(self) -> None:
        """What only fills the shelf waits while pages are worked out on this machine, in its first minute at most."""
        while self.store.at_work.seen() and time.monotonic() < self.begun + MAKES_WAY_S and self.fills_the_shelf():
            time.sleep(LOOK_S)

    def calm(self) -> None:
        """What somebody waited for is there: where others wait, the rest of the job only fills the shelf. Who looks
        at it goes on hurrying it."""
        with acting_for(None), self.store.saving() as session:
            job = session.get(JobRow, self.job_id)
            others = select(JobRow.id).where(JobRow.state == "waiting", JobRow.id != self.job_id)
            if job is not None and job.urgency == LOOKED_AT and session.scalars(others).first() is not None:
                job.urgency = FILLS_THE_SHELF

    def sculpt(self, session: Session) -> Sculpt:
        """The sculpt, to write to; a job that was stopped or overtaken by a newer one must not touch it any more.

        Raises:
            Stopped: it was.
        """
        job = session.get(JobRow, self.job_id)
        if job is None or job.stop_asked:
            raise Stopped("stopped before its result was kept")
        return job.sculpt

    def context(self) -> tuple[Context, plans.KeptPlan]:
        """The sculpt as it stands now, to work on, and its plan as it is kept."""
        self.say("Looking at the light", 0.01)
        with self.store.session() as session:
            sculpt = self.sculpt(session)
            return plans.context_of(session, sculpt, OpenSculpts(self.store).of(sculpt), self.store.cache)
