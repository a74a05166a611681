"""The worker process: `python -m dusk_lamp.jobs.worker DATA [PARENT]`. Started, watched and restarted by `dusk-lamp serve`."""

import os
import sys
import threading
import time
from pathlib import Path

from .queue import queue_at

PARENT_CHECK_S = 2.0


def _leave_with_parent(parent: int) -> None:
    """Do not outlive the server: a worker without one would take jobs from the next.

    The server says its own number: asked here, it could be gone already, and someone else the parent.
    """
    while os.getppid() == parent:
        time.sleep(PARENT_CHECK_S)
    os._exit(0)


def main() -> None:
    """Work through the queue until stopped."""
    if len(sys.argv) > 2:
        threading.Thread(target=_leave_with_parent, args=(int(sys.argv[2]),), daemon=True).start()
    queue = queue_at(Path(sys.argv[1]))
    queue.resume()
    # one job at a time: each uses every core; the short delay is what a painter waits before the first step shows
    queue.huey.create_consumer(workers=1, initial_delay=0.1, max_delay=0.25, backoff=1.1, periodic=False).run()


if __name__ == "__main__":
    main()
