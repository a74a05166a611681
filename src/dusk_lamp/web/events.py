"""What is going on, as one stream of server-sent events: jobs of the worker, and work beside requests, with the time
that is left in words.

A page has a stream only while it waits for something. There are fewer streams than threads, so that pages are always
answered; who gets none asks again after a while. A stream ends after a minute, and the browser opens the next.
"""

import json
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from flask import Blueprint, Response, current_app
from sqlalchemy import select

from ..core.units import left_words
from ..store.models import JobRow
from ..store.owner import acting, acting_for
from .background import Background
from .workshop import workshop

LOOKED_S, STREAM_S, BEAT_S = 0.4, 60.0, 10.0
STREAMS = 4  # at most half of the threads

blueprint = Blueprint("events", __name__)


@dataclass
class Events:
    """The streams of one application. began: when and at which share each piece of work was first seen."""

    room: threading.BoundedSemaphore = field(default_factory=lambda: threading.BoundedSemaphore(STREAMS))
    began: dict[str, tuple[float, float]] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def left(self, key: str, share: float) -> str:
        """How long it will take yet, by how it went since it was first seen; "" as long as that says nothing."""
        now = time.monotonic()
        with self.lock:
            start, first = self.began.setdefault(key, (now, share))
            if share < first:  # it began again
                start, first = self.began[key] = (now, share)
        done, took = share - first, now - start
        return left_words(took * (1 - share) / done) if done > 0.02 and took > 2 else ""

    def forget(self, keys: set[str]) -> None:
        """What is over."""
        with self.lock:
            for key in self.began.keys() - keys:
                del self.began[key]


def going_on(events: Events, background: Background) -> dict[str, Any]:
    """Jobs that are open, and work beside requests: how far each is."""
    with workshop().store.session() as session:
        rows = session.execute(
            select(JobRow.id, JobRow.sculpt_id, JobRow.kind, JobRow.state, JobRow.step, JobRow.share)
            .where(JobRow.state.in_(("waiting", "working")))
            .order_by(JobRow.id)
        ).all()
    working = background.progress()
    events.forget({f"job {r.id}" for r in rows} | {f"work {w['number']}" for w in working})
    jobs = [
        {
            "job": r.id,
            "sculpt": r.sculpt_id,
            "kind": r.kind,
            "state": r.state,
            "step": r.step,
            "share": round(r.share, 3),
            "left": events.left(f"job {r.id}", r.share),
        }
        for r in rows
    ]
    return {
        "jobs": jobs,
        "working": [{**w, "left": events.left(f"work {w['number']}", w["share"])} for w in working],
    }


@blueprint.get("/events")
def events() -> Response:
    """The stream: an event `now` with jobs and work, at once and whenever something has changed. 204 where there are
    as many streams as there may be."""
    app = current_app._get_current_object()  # ty: ignore[missing-attribute]
    own_events: Events = app.extensions["events"]
    if not own_events.room.acquire(blocking=False):
        return Response(status=204)
    painter = acting()
    seconds = 0.0 if app.testing else min(STREAM_S, workshop().settings.request_s / 2)

    def stream() -> Iterator[str]:
        said, beat, end = "", time.monotonic(), time.monotonic() + seconds
        yield "retry: 500\n\n"
        while True:
            with app.app_context(), acting_for(painter):
                now = json.dumps(going_on(own_events, app.extensions["background"]))
            if now != said:
                said, beat = now, time.monotonic()
                yield f"event: now\ndata: {now}\n\n"
            elif time.monotonic() - beat > BEAT_S:  # a browser that has gone is noticed by writing to it
                beat = time.monotonic()
                yield ": still here\n\n"
            if time.monotonic() >= end:
                return
            time.sleep(LOOKED_S)

    answer = Response(stream(), mimetype="text/event-stream", headers={"X-Accel-Buffering": "no"})
    answer.call_on_close(own_events.room.release)  # also where the browser left before the first word
    return answer
