"""The stages of the work, in their order: the registry. A stage is one entry here, a page beside this file with its
name, a panel in templates/stages and, where it is on the bench, a script in static/bench/stages.

A page has a `blueprint`; one on the bench also a `panel(session, sculpt, laid)` that gives its template what it
shows, and, where going on without a change must keep something, a `confirm(session, sculpt)`.

A stage is done once something was set in it, or the painter went on from it; it is to be looked at again when
something that it rests on has changed since.
"""

import json
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from types import ModuleType
from typing import Any

from ...store.models import Sculpt

FACTS: dict[str, Callable[[Sculpt], Any]] = {  # what a stage can rest on
    "files": lambda s: [file["sha"] for file in s.files],
    "standing": lambda s: [s.up, s.front, s.height_mm],
    "light": lambda s: [s.rig, s.exposure],
    "greys": lambda s: s.greys,
    "looks": lambda s: [s.marking_number, s.tints],
    "glows": lambda s: s.glows,
    "metal": lambda s: s.metal,
    "wear": lambda s: s.wear,
    "coats": lambda s: s.scheme_id,
}
WORDS = {"done": "done", "again": "look again", "open": "to do", "optional": "optional"}
LAMPS = {"done": "lit", "again": "again", "open": "unlit", "optional": "unlit"}


@dataclass(frozen=True)
class Stage:
    """One stage. words: on the string of lamps. onward: on the button that leads on from it. on_bench: whether it
    shares the turntable. optional: whether the work can go on without it; going on from it then does not make it
    done. rests_on: names of FACTS."""

    name: str
    words: str
    onward: str = ""
    on_bench: bool = True
    optional: bool = False
    rests_on: tuple[str, ...] = ()

    @property
    def page(self) -> ModuleType:
        """Its page."""
        return import_module(f"{__name__}.{self.name}")


STAGES = (
    Stage("stand", "Stand it up", on_bench=False, rests_on=("files",)),
    Stage("parts", "Take it apart", "Next: mark the regions", optional=True, rests_on=("files",)),
    Stage("regions", "Mark regions", "Next: choose the view", optional=True, rests_on=("files",)),
    Stage("view", "Choose the view", "Next: set the lamp", optional=True, rests_on=("files", "standing")),
    Stage("light", "Set the lamp", "Next: choose greys", rests_on=("standing",)),
    Stage("greys", "Choose greys", "Next: sketch the colours", rests_on=("standing", "light")),
    Stage("sketch", "Sketch colours", "Next: lay the undercoat", optional=True, rests_on=("light", "looks")),
    Stage(
        "undercoat", "Lay the undercoat", "Next: paint it in colour", rests_on=("files", "standing", "light", "greys")
    ),
    Stage(
        "colour",
        "Lay the colours",
        "Next: metal and edges",
        optional=True,
        rests_on=("files", "standing", "light", "looks"),
    ),
    Stage(
        "metal",
        "Metal and edges",
        "Next: light a glow",
        optional=True,
        rests_on=("files", "light", "looks", "metal"),
    ),
    Stage("glow", "Light a glow", "Next: weather it", optional=True, rests_on=("files", "light", "looks", "glows")),
    Stage("wear", "Weather it", "Make my plan sheet", optional=True, rests_on=("files", "looks", "wear")),
    Stage("sheet", "Plan sheet", on_bench=False, rests_on=("files", "standing", "light", "greys", "coats")),
    Stage("paint", "Paint it", on_bench=False, rests_on=("coats",)),
)
NAMES = tuple(stage.name for stage in STAGES)
ON_BENCH = tuple(stage for stage in STAGES if stage.on_bench)


def after(name: str) -> Stage:
    """The stage that follows another."""
    return STAGES[NAMES.index(name) + 1]


def _mark(sculpt: Sculpt, stage: Stage) -> str:
    """What a stage rests on, as it is now, in a few letters."""
    facts = json.dumps([FACTS[name](sculpt) for name in stage.rests_on], sort_keys=True)
    return f"{zlib.crc32(facts.encode()):08x}"


def state_of(sculpt: Sculpt, stage: Stage) -> str:
    """done, again (done, but what it rests on has changed), optional or open."""
    kept = sculpt.stages_done.get(stage.name)
    if kept is None:
        return "optional" if stage.optional else "open"
    return "done" if kept in ("", _mark(sculpt, stage)) else "again"  # "" is from before there were marks


def string_of(sculpt: Sculpt, present: str | None = None) -> list[dict[str, Any]]:
    """The string of lamps: every stage with its words, how far it is, and whether it is being worked on."""
    out = []
    for stage in STAGES:
        state, here = state_of(sculpt, stage), stage.name == present
        out.append(
            {
                "name": stage.name, "words": stage.words, "state": state, "lamp": LAMPS[state], "present": here,
                "told": "working on it" if here else WORDS[state], "on_bench": stage.on_bench,
            }
        )  # fmt: skip
    return out


def mark_done(sculpt: Sculpt, *names: str) -> None:
    """Light the lamps of these stages, as things stand now."""
    sculpt.stages_done = {**sculpt.stages_done, **{s.name: _mark(sculpt, s) for s in STAGES if s.name in names}}


def mark_open(sculpt: Sculpt, name: str) -> None:
    """Put the lamp of a stage out."""
    sculpt.stages_done = {k: v for k, v in sculpt.stages_done.items() if k != name}
