"""The stages of the work, in their order: the registry. A stage is one entry here, a page beside this file with its name, a
panel in templates/stages and, where it is on the bench, a script in static/bench/stages.

A page has a `blueprint`; one on the bench also a `panel(session, sculpt, laid)` that gives its template what it shows, and, where
going on without a change must keep something, a `confirm(session, sculpt)`.
"""

from dataclasses import dataclass
from importlib import import_module
from types import ModuleType
from typing import Any

from ...store.models import Sculpt


@dataclass(frozen=True)
class Stage:
    """One stage. words: on the string of lamps. onward: on the button that leads on from it. on_bench: whether it shares the
    turntable. optional: whether the work can go on without it."""

    name: str
    words: str
    onward: str = ""
    on_bench: bool = True
    optional: bool = False

    @property
    def page(self) -> ModuleType:
        """Its page."""
        return import_module(f"{__name__}.{self.name}")


STAGES = (
    Stage("stand", "Stand it up", on_bench=False),
    Stage("parts", "Take it apart", "Next: mark the regions", optional=True),
    Stage("regions", "Mark regions", "Next: choose the view", optional=True),
    Stage("view", "Choose the view", "Next: set the lamp", optional=True),
    Stage("light", "Set the lamp", "Next: choose greys"),
    Stage("greys", "Choose greys", "Next: lay the undercoat"),
    Stage("undercoat", "Lay the undercoat", "Make my plan sheet"),
    Stage("sheet", "Plan sheet", on_bench=False),
    Stage("paint", "Paint it", on_bench=False),
)
NAMES = tuple(stage.name for stage in STAGES)
ON_BENCH = tuple(stage for stage in STAGES if stage.on_bench)


def after(name: str) -> Stage:
    """The stage that follows another."""
    return STAGES[NAMES.index(name) + 1]


def string_of(sculpt: Sculpt, present: str | None = None) -> list[dict[str, Any]]:
    """The string of lamps: every stage with its words, and whether it is lit or being worked on."""
    return [
        {"name": s.name, "words": s.words, "done": s.name in sculpt.stages_done, "present": s.name == present,
         "on_bench": s.on_bench, "optional": s.optional}
        for s in STAGES
    ]  # fmt: skip


def mark_done(sculpt: Sculpt, *names: str) -> None:
    """Light the lamps of these stages."""
    done = set(sculpt.stages_done) | set(names)
    sculpt.stages_done = [name for name in NAMES if name in done]
