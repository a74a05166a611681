"""What the pages of the glows share."""

from dataclasses import replace

from flask import Blueprint

from ....core.plan.features.glow.feature import FEATURE, GlowWishes
from ...editing import OpenPlan

blueprint = Blueprint("glow", __name__)


def glows_of(open_plan: OpenPlan) -> GlowWishes:
    """What is wished to glow."""
    return open_plan.context.wishes(FEATURE.name)


def with_glows(open_plan: OpenPlan, wishes: GlowWishes, dusk: float | None = None) -> OpenPlan:
    """The plan with other glows, or less of the lamp."""
    plan = open_plan.plan.with_wishes(FEATURE.name, wishes)
    return replace(open_plan, context=open_plan.context.on(plan if dusk is None else replace(plan, dusk=dusk)))
