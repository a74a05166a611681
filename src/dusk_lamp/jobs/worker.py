"""The worker process. Started, watched and restarted by `dusk-lamp serve`, as `python -m dusk_lamp.jobs.worker DATA
[PARENT]` where it is started again."""

import os
import signal
import sys
import threading
import time
from pathlib import Path

from sqlalchemy.exc import OperationalError

from ..settings import settings_from
from ..store.store import Store
from .child import begin_fork_server
from .queue import BROKER_ERRORS, Queue

PARENT_CHECK_S = 2.0
TRIM_ROUNDS = 60  # sweeps between two looks at the size of the cache
POLITE = 3  # a job gives way to the pages, where somebody is waiting, but is not starved by them
SWEEP_S = 5.0  # how often jobs are looked for that lost their worker, or their place on the queue


def _leave_with_parent(parent: int) -> None:
    """Do not outlive the server: a worker without one would take jobs from the next.

    The server says its own number: asked here, it could be gone already, and someone else the parent.
    """
    while os.getppid() == parent:
        time.sleep(PARENT_CHECK_S)
    os._exit(0)


def _sweep(queue: Queue) -> None:
    rounds = 0
    while True:
        time.sleep(SWEEP_S)
        try:
            if len(queue.huey) == 0:
                queue.resume()
        except (*BROKER_ERRORS, OperationalError):
            continue  # broker or database are away; they come back
        rounds += 1
        if rounds % TRIM_ROUNDS == 0:
            queue.store.trim()


def main() -> None:
    """The worker of a data folder, or of a server on it."""
    work(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else None)


def work(root: Path, parent: int | None = None) -> None:
    """Work through the queue until stopped; or for a server, by its number, which is not outlived."""
    begin_fork_server()  # before any thread
    if parent is not None:
        threading.Thread(target=_leave_with_parent, args=(parent,), daemon=True).start()
    os.nice(POLITE)
    queue = Queue(Store(root, settings_from(), migrate=False))
    queue.resume()
    threading.Thread(target=_sweep, args=(queue,), daemon=True).start()

    def leave(*_: object) -> None:
        queue.leave()
        os._exit(0)

    # one job at a time: each uses every core; the short delay is what a painter waits before the first step shows
    consumer = queue.huey.create_consumer(workers=1, initial_delay=0.1, max_delay=0.25, backoff=1.1, periodic=False)
    consumer._set_signal_handlers = lambda: None  # it would finish the job in hand first, which may take minutes
    for sign in (signal.SIGTERM, signal.SIGINT):
        signal.signal(sign, leave)
    consumer.run()


if __name__ == "__main__":
    main()
