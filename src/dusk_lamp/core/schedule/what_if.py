"""What if there were other tools: a plan as it would be laid, or dried, with them."""

from collections.abc import Sequence
from dataclasses import replace

from ..coat.coat import Coat
from ..plan.document import Plan
from ..plan.features.undercoat.schools import schools
from ..plan.steps.step import Step
from ..workplace.tools import DRIED_SHARE, SLOW_KINDS, Tools


def without_airbrush(plan: Plan, tools: Tools) -> tuple[Plan, Tools]:
    """A plan whose sprayed stages are still to be laid, by brush, and the tools without an airbrush. An undercoat
    that cannot do without one becomes the first school that can."""
    tools = replace(tools, airbrush=False)
    under = plan.wishes_of("undercoat")
    name = under.taken or under.school  # what the colours lie on, also where it was chosen with them
    if name not in schools() or tools.lack(*schools()[name].needs):
        name = next(n for n, s in schools().items() if not tools.lack(*s.needs))
    under = replace(under, school=name)
    sprayed = {c.stage for c in plan.coats if c.by.tool(c.settings) == "airbrush"} | {"undercoat"}
    plan = replace(
        plan.with_wishes("undercoat", under),
        tools=tools,
        coats=tuple(c for c in plan.coats if c.stage not in sprayed),
        settled=tuple(s for s in plan.settled if s not in sprayed),
    )
    return plan, tools


def with_dryer(steps: Sequence[Step], coats: Sequence[Coat], tools: Tools) -> list[Step]:
    """Steps whose paint is dried with a hair dryer; what that cracks or does not help waits as it did. Nothing
    changes where the tools have one."""
    if tools.dryer:
        return list(steps)
    slow = [any(p.kind in SLOW_KINDS for p in c.mix.paints) for c in coats]
    return [
        step if waits else replace(step, wait_minutes=step.wait_minutes * DRIED_SHARE)
        for step, waits in zip(steps, slow, strict=True)
    ]
