"""Apart: work that a hostile file could make endless or enormous is done in a child process, with limits of memory
and time.

The child is forked from a server process that has our packages loaded, so it begins in a blink. What kills it kills
nothing else.
"""

import multiprocessing
import resource
import time
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

from ..core.errors import DuskLampError, SculptShapeError, Stopped

CHECK_S = 0.25  # how often the one who waits looks whether it was stopped
GRACE_S = 1.0  # a child that was asked to stop may end what it is at
PRELOADED = ["dusk_lamp.jobs.kinds"]


class CrashedError(Exception):
    """The child died: of a crash, or for lack of memory."""


class TooLongError(DuskLampError):
    """It took longer than it may."""


def _context() -> Any:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(PRELOADED)
    return context


def warm_up() -> None:
    """Have the server that children are forked from load our packages now, not when the first file comes."""
    with suppress(CrashedError, EOFError, OSError):  # the worker was ended before they were there
        call(_nothing, seconds=60, memory_gb=64)


def _nothing() -> None:
    """A first child's work."""


def _entry(pipe: Connection, memory_bytes: int, function: Callable[..., Any], args: tuple) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        pipe.send((True, function(*args)))
    except BrokenPipeError:
        pass  # who asked has stopped waiting: nobody wants it any more
    except MemoryError:
        pipe.send((False, SculptShapeError("this needs more memory than it may take here; decimate the file first")))
    except DuskLampError as e:
        pipe.send((False, e))


def call(
    function: Callable[..., Any],
    *args: Any,
    seconds: float,
    memory_gb: float,
    stopped: Callable[[], bool] | None = None,
) -> Any:
    """What a function of a module gives for arguments that can be pickled, worked out in a child.

    Raises:
        DuskLampError: the function's own; TooLongError: it had not ended in time. Stopped: `stopped` said so; it
        ended within two seconds. CrashedError: the child died.
    """
    mine, theirs = multiprocessing.Pipe(duplex=False)
    child = _context().Process(target=_entry, args=(theirs, int(memory_gb * 2**30), function, args), daemon=True)
    child.start()
    theirs.close()
    began, asked = time.monotonic(), None
    try:
        while not mine.poll(CHECK_S):
            now = time.monotonic()
            if asked is None and stopped and stopped():
                asked = now
            if asked is not None and now - asked > GRACE_S:
                raise Stopped("stopped; nothing was lost. Start again whenever you like.")
            if now - began > seconds:
                raise TooLongError(
                    f"this took longer than {seconds / 60:.0f} minutes and was stopped; decimate the file, or allow "
                    "more (JOB_MINUTES)"
                )
        fine, result = mine.recv()
    except EOFError as e:
        raise CrashedError("the child died") from e
    finally:
        mine.close()
        if child.is_alive():
            child.join(GRACE_S)
        if child.is_alive():
            child.kill()
        child.join()
    if not fine:
        raise result
    return result
