"""Apart: work that a hostile file could make endless or enormous is done in a child process, with limits of memory
and time.

The child is forked from a fork server: a process with our packages loaded that does nothing else, so the child begins
in a blink. What kills it kills nothing else.
"""

import os
import resource
import signal
import socket
import subprocess
import sys
import threading
import time
import traceback
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection, Pipe
from typing import Any, NoReturn

from ..core.errors import DuskLampError, SculptShapeError, Stopped
from ..heap import settle

CHECK_S = 0.25  # how often the one who waits looks whether it was stopped
GRACE_S = 1.0  # a child that was asked to stop may end what it is at


class CrashedError(Exception):
    """The child died: of a crash, or for lack of memory."""


class TooLongError(DuskLampError):
    """It took longer than it may."""


class ForkServer:
    """The process that children are forked from, and the socket on which it is handed the pipe of each. It ends when
    nobody holds the other end any more."""

    def __init__(self, ours: socket.socket, process: subprocess.Popen | None = None) -> None:
        self._ours, self._process = ours, process

    @classmethod
    def forked(cls) -> "ForkServer":
        """Of this process as it is, which has loaded what is needed, and runs no thread of its own yet."""
        ours, theirs = socket.socketpair()
        if os.fork() == 0:
            ours.close()
            try:
                _fork_on_demand(theirs)
            finally:
                os._exit(1)
        theirs.close()
        return cls(ours)

    @classmethod
    def started(cls) -> "ForkServer":
        """From nothing: whatever this process does meanwhile."""
        ours, theirs = socket.socketpair()
        command = [sys.executable, "-m", "dusk_lamp.jobs.child", str(theirs.fileno())]
        process = subprocess.Popen(command, pass_fds=[theirs.fileno()])  # noqa: S603 - our own module
        theirs.close()
        return cls(ours, process)

    def child(self) -> tuple[Connection, int]:
        """A child's pipe, on which it takes a job, gives its result and ends; and its number.

        Raises:
            OSError, EOFError: the server has died.
        """
        mine, theirs = Pipe()
        with theirs:
            socket.send_fds(self._ours, [b"."], [theirs.fileno()])
        return mine, mine.recv()


_server: ForkServer | None = None
_lock = threading.Lock()


def begin_fork_server() -> None:
    """Have the fork server forked now: while nothing runs beside, which would leave it half done in the children."""
    global _server  # noqa: PLW0603 - one for the whole process
    settle()  # what is loaded stays, here and in the children
    _server = ForkServer.forked()


def _new_child() -> tuple[Connection, int]:
    global _server  # noqa: PLW0603
    with _lock:
        if _server is not None:
            with suppress(OSError, EOFError):
                return _server.child()
        _server = ForkServer.started()
        return _server.child()


def _fork_on_demand(theirs: socket.socket) -> NoReturn:
    """The fork server's whole life."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for those who can end in good order
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody asks for a child that has ended: the system clears it away
    with suppress(OSError):
        while True:
            _, pipes, _, _ = socket.recv_fds(theirs, 1, 1)
            if not pipes:
                break
            if os.fork() == 0:
                theirs.close()
                _do_one(Connection(pipes[0]))
            os.close(pipes[0])
    os._exit(0)


def _do_one(pipe: Connection) -> NoReturn:
    """A child's whole life."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    try:
        _entry(pipe)
    except (EOFError, BrokenPipeError):
        pass  # who asked has stopped waiting: nobody wants it any more
    except BaseException:
        traceback.print_exc()
    finally:
        os._exit(0)


def _ends_with(pipe: Connection) -> None:
    """End this process as soon as who asked is gone, in the midst of its work: nobody wants that any more."""
    with suppress(OSError):
        pipe.poll(None)  # nothing more is sent, so it is readable only once the other end is let go
    os._exit(1)


def _entry(pipe: Connection) -> None:
    pipe.send(os.getpid())
    memory_bytes, function, args = pipe.recv()
    threading.Thread(target=_ends_with, args=(pipe,), daemon=True).start()
    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        pipe.send((True, function(*args)))
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
    try:
        pipe, number = _new_child()
    except (EOFError, OSError) as e:
        raise CrashedError("no child could be had") from e
    try:
        pipe.send((int(memory_gb * 2**30), function, args))
        fine, result = _waited_for(pipe, seconds, stopped)
    except (EOFError, OSError) as e:
        raise CrashedError("the child died") from e
    finally:
        _ended(pipe, number)
        pipe.close()
    if not fine:
        raise result
    return result


def _waited_for(pipe: Connection, seconds: float, stopped: Callable[[], bool] | None) -> tuple[bool, Any]:
    """Whether it went well, and the result or what was wrong."""
    began, last_look = time.monotonic(), None
    while not pipe.poll(CHECK_S):
        now = time.monotonic()
        if last_look is None and stopped and stopped():
            last_look = now
        if last_look is not None and now - last_look > GRACE_S:
            raise Stopped("stopped; nothing was lost. Start again whenever you like.")
        if now - began > seconds:
            raise TooLongError(
                f"this took longer than {seconds / 60:.0f} minutes and was stopped; decimate the file, or allow "
                "more (JOB_MINUTES)"
            )
    return pipe.recv()


def _ended(pipe: Connection, number: int) -> None:
    """Wait until a child has let go of its end of the pipe; it is killed if it does not. As long as it holds it, its
    number is its own."""
    with suppress(EOFError, OSError):
        if not pipe.poll(GRACE_S):
            os.kill(number, signal.SIGKILL)
            pipe.poll(GRACE_S)


if __name__ == "__main__":
    from . import kinds as _loaded  # noqa: F401 - all that children do

    _fork_on_demand(socket.socket(fileno=int(sys.argv[1])))
