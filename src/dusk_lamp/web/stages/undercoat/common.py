"""The undercoat: its blueprint, its coats and the keys of its pictures, for all of its pages."""

from flask import Blueprint

from ....core.coat.coat import Coat
from ....core.plain import plain
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.outcome import Look, looks_after
from ....store.cache import code_mark, key_of
from ...background import Say
from ...editing import OpenPlan
from ...responses import Turn

blueprint = Blueprint("undercoat", __name__)
DRAWING = Turn()


def undercoats(open_plan: OpenPlan) -> list[Coat]:
    """The coats that this stage lays."""
    return open_plan.context.coats(FEATURE.name)


def looks_of(open_plan: OpenPlan, coats: list[Coat], say: Say = lambda *_: None) -> list[Look]:
    """The bare model, then the model after each coat, against the values that its school aims at."""
    return looks_after(open_plan.context.simulation, coats, FEATURE.values(open_plan.context), say)


def look_key(open_plan: OpenPlan, coats: list[Coat]) -> str:
    """All that the picture after some coats depends on."""
    view = [*open_plan.context.view, open_plan.sculpt.held.labels_key]
    return key_of("undercoat", code_mark(), open_plan.open.surface_key, view, plain(coats))


def school_picture(open_plan: OpenPlan, name: str) -> str:
    """The key of a school's picture."""
    return key_of("school picture", code_mark(), FEATURE.key(open_plan.context, name), *open_plan.context.view)
