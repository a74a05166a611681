"""The undercoat: its blueprint, its coats and the keys of its pictures, for all of its pages."""

from flask import Blueprint

from ....core.coat.coat import Coat
from ....core.plain import plain
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.outcome import Look, looks_after
from ....store.cache import key_of
from ...background import Say
from ...editing import OpenPlan
from ...responses import Turn

blueprint = Blueprint("undercoat", __name__)
PICTURES = 5
DRAWING = Turn()


def undercoats(own: OpenPlan) -> list[Coat]:
    """The coats that this stage lays."""
    return own.context.coats(FEATURE.name)


def looks_of(own: OpenPlan, coats: list[Coat], say: Say = lambda *_: None) -> list[Look]:
    """The bare model, then the model after each coat, against the values that its school aims at."""
    return looks_after(own.context.simulation, coats, FEATURE.values(own.context), say)


def look_key(own: OpenPlan, coats: list[Coat]) -> str:
    view = [*own.context.view, own.sculpt.held.labels_key]
    return key_of("undercoat", PICTURES, own.open.surface_key, view, plain(coats))


def school_picture(own: OpenPlan, name: str) -> str:
    """The key of a school's picture."""
    return key_of("school picture", PICTURES, FEATURE.key(own.context, name), *own.context.view)
