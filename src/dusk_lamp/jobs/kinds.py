"""The kinds of work there are, and doing one of them."""

import os
from collections.abc import Callable
from pathlib import Path
from types import MappingProxyType

from ..settings import Settings
from ..store.owner import acting_for
from ..store.store import Store
from . import fit, for_me, prepare, squad
from .work import JobInHand

# a kind of work: one file of this folder
KINDS: MappingProxyType[str, Callable[[JobInHand], None]] = MappingProxyType(
    {"prepare": prepare.run, "fit": fit.run, "for_me": for_me.run, "squad": squad.run}
)


FILLING = 12  # niceness beside the worker's own: pages, where somebody waits, come first


def do(root: Path, settings: Settings, kind: str, job_id: int) -> None:
    """Do a job of a kind, in a process of its own."""
    store = Store(root, settings, migrate=False)
    try:
        work = JobInHand(store, job_id)
        with acting_for(work.painter()):
            if work.fills_the_shelf():
                os.nice(FILLING)
            KINDS[kind](work)
    finally:
        store.close()
