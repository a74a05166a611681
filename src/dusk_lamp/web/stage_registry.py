"""The stages of the work, in their order: the registry. A stage is one entry here, a page beside this file with its
name, a panel in templates/stages and, where it is on the bench, a script in static/bench/stages.

A page has a `blueprint`; one on the bench also a `panel(session, sculpt, own)` that gives its template what it
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

from sqlalchemy.orm import object_session

from ..core.units import counted
from ..store import progress
from ..store.models import Sculpt

FACTS: dict[str, Callable[[Sculpt], Any]] = {  # what a stage can rest on
    "files": lambda s: [file["sha"] for file in s.files],
    "standing": lambda s: [s.document["sculpt"][k] for k in ("up", "front", "height")],
    "light": lambda s: [s.document[k] for k in ("light", "exposure", "dusk")],
    "greys": lambda s: s.document["greys"],
    "looks": lambda s: [s.held.labels_key, s.document["regions"], s.document["tints"]],
    "glows": lambda s: s.document["wishes"].get("glow"),
    "metal": lambda s: [s.document["wishes"].get(k) for k in ("metal", "edges")],
    "wear": lambda s: s.document["wishes"].get("wear"),
    "coats": lambda s: s.held.coats_key,
}
WORDS = {"done": "done", "again": "look again", "open": "to do", "optional": "optional"}
LAMPS = {"done": "lit", "again": "again", "open": "unlit", "optional": "unlit"}


@dataclass(frozen=True)
class Stage:
    """One stage. words: on the string of lamps. onward: on the button that leads on from it. on_bench: whether it
    shares the turntable. optional: whether the work can go on without it; going on from it then does not make it
    done. rests_on: names of FACTS. lays: names of the plan's stages whose coats it lays; wishes: and whose wishes it
    sets: without any of those it is not done, whatever was done before it was undone."""

    name: str
    words: str
    onward: str = ""
    on_bench: bool = True
    optional: bool = False
    rests_on: tuple[str, ...] = ()
    lays: tuple[str, ...] = ()
    wishes: tuple[str, ...] = ()

    def empty(self, sculpt: Sculpt) -> bool:
        """Whether nothing that it lays or sets is there."""
        if not self.lays:
            return self.name == "regions" and not sculpt.document["regions"]
        laid = any(sculpt.held.counts.get(name) for name in self.lays)
        return not laid and not any(sculpt.document["wishes"].get(name) for name in self.wishes)

    @property
    def page(self) -> ModuleType:
        """Its page."""
        return import_module(f"{__package__}.stages.{self.name}")


GROUPS = {  # on the string of lamps: what a painter calls the parts of the work, with the stages of each in order
    "Model": ("stand", "parts", "regions", "view"),
    "Light": ("light", "greys"),
    "Look": ("sketch", "metal", "glow", "wear"),
    "Paint": ("undercoat", "colour", "sheet", "paint"),
}
STAGES = (
    Stage("stand", "Stand it up", on_bench=False, rests_on=("files",)),
    Stage("parts", "Take it apart", "Next: mark the regions", optional=True, rests_on=("files",)),
    Stage("regions", "Mark regions", "Next: choose the view", optional=True, rests_on=("files",)),
    Stage("view", "Choose the view", "Next: set the lamp", optional=True, rests_on=("files", "standing")),
    Stage("light", "Set the lamp", "Next: choose greys", rests_on=("standing",)),
    Stage("greys", "Choose greys", "Next: sketch the colours", rests_on=("standing", "light")),
    Stage("sketch", "Sketch colours", "Next: metal and edges", optional=True, rests_on=("light", "looks")),
    Stage(
        "metal",
        "Metal and edges",
        "Next: light a glow",
        optional=True,
        rests_on=("files", "light", "looks", "metal"),
        lays=("metal", "edges"),
        wishes=("metal", "edges"),
    ),
    Stage(
        "glow",
        "Light a glow",
        "Next: weather it",
        optional=True,
        rests_on=("files", "light", "looks", "glows"),
        lays=("glow",),
        wishes=("glow",),
    ),
    Stage(
        "wear",
        "Weather it",
        "Next: lay the undercoat",
        optional=True,
        rests_on=("files", "looks", "wear"),
        lays=("wear",),
        wishes=("wear",),
    ),
    Stage(
        "undercoat",
        "Lay the undercoat",
        "Next: paint it in colour",
        rests_on=("files", "standing", "light", "greys"),
        lays=("undercoat",),
    ),
    Stage(
        "colour",
        "Lay the colours",
        "Make my plan sheet",
        optional=True,
        rests_on=("files", "standing", "light", "looks"),
        lays=("colour", "face"),
        wishes=("face",),
    ),
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
    if kept is None or stage.empty(sculpt):
        return "optional" if stage.optional else "open"
    return "done" if kept in ("", _mark(sculpt, stage)) else "again"  # "" is from before there were marks


def string_of(sculpt: Sculpt, present: str | None = None) -> list[dict[str, Any]]:
    """The string of lamps: every stage with its words, how far it is, and whether it is being worked on."""
    out = []
    for stage in STAGES:
        state, here = state_of(sculpt, stage), stage.name == present
        said = "working on it" if here else WORDS[state]
        if stage.name == "paint" and state == "open" and (count := _painted(sculpt)):
            said = counted(count, "step done", "steps done")
        out.append(
            {
                "name": stage.name,
                "words": stage.words,
                "state": state,
                "lamp": LAMPS[state],
                "present": here,
                "said": said,
                "on_bench": stage.on_bench,
            }
        )
    return out


def _painted(sculpt: Sculpt) -> int:
    session = object_session(sculpt)
    return progress.ended(session, sculpt) if session is not None else 0


def in_groups(stages: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The string of lamps in its groups: each with its stages, how many of them are done, and whether it is open."""
    by_name = {stage["name"]: stage for stage in stages}
    out = []
    for group, names in GROUPS.items():
        stages_here = [by_name[n] for n in names]
        done = sum(stage["state"] == "done" for stage in stages_here)
        out.append(
            {
                "name": group,
                "stages": stages_here,
                "done": done,
                "of": len(stages_here),
                "present": any(s["present"] for s in stages_here),
                "lamp": "lit"
                if done == len(stages_here)
                else "again"
                if any(s["state"] == "again" for s in stages_here)
                else "unlit",
            }
        )
    return out


def mark_done(sculpt: Sculpt, *names: str) -> None:
    """Light the lamps of these stages, as things stand now."""
    sculpt.stages_done = {**sculpt.stages_done, **{s.name: _mark(sculpt, s) for s in STAGES if s.name in names}}


def mark_open(sculpt: Sculpt, name: str) -> None:
    """Put the lamp of a stage out."""
    sculpt.stages_done = {k: v for k, v in sculpt.stages_done.items() if k != name}
