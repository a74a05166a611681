"""What squads and the shelf need of a plan that was worked out, as plain values: its steps as jobs, its paint."""

import json
from dataclasses import dataclass

from sqlalchemy.orm import Session

from ..core.plain import built, plain
from ..core.schedule.jobs import DayStep
from ..store import painters, progress
from ..store.cache import code_mark, key_of
from ..store.models import Sculpt
from .clock import jobs_on
from .sheets import sheet_of
from .workshop import workshop


@dataclass(frozen=True)
class Facts:
    """jobs: for the clock. keys: of the coats, in the order of the steps; numbers: of those steps. ml: of paint for
    one model, by mix in words; parts: of each. minutes: at the model."""

    jobs: tuple[DayStep, ...] = ()
    keys: tuple[str, ...] = ()
    numbers: tuple[int, ...] = ()
    ml: dict[str, float] | None = None
    parts: dict[str, dict[str, int]] | None = None
    minutes: float = 0.0


def facts_key(session: Session, sculpt: Sculpt) -> str:
    """All that the facts of a sculpt's plan depend on."""
    tools = plain(painters.tools_of(session))
    return key_of("plan facts", code_mark(), sculpt.id, sculpt.plan_id, sculpt.surface_key, sculpt.sky_key, tools)


def plan_facts_of(session: Session, sculpt: Sculpt) -> Facts:
    """The facts of a sculpt's plan, worked out once for each state of it and of the tools."""
    cache, key = workshop().store.cache, facts_key(session, sculpt)
    if key not in cache:
        _, plan = sheet_of(session, sculpt)
        ml: dict[str, float] = {}
        parts: dict[str, dict[str, int]] = {}
        for step in plan.steps:
            ml[step.paint] = ml.get(step.paint, 0.0) + step.ml
            parts[step.paint] = step.parts
        facts = Facts(
            tuple(jobs_on(plan)),
            tuple(progress.keys_of(plan.coats)),
            tuple(s.number for s in plan.steps),
            ml,
            parts,
            sum(s.hand_minutes for s in plan.steps),
        )
        cache.put(key, blobs={"facts.json": json.dumps(plain(facts)).encode()})
        return facts
    return built(Facts, json.loads(cache.blob(key, "facts.json")), "what is known of a plan")
