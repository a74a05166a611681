"""What the pages of the colours share."""

import numpy as np
from flask import Blueprint

from ....core.coat.coat import Coat
from ....core.plan.features.colour.feature import FEATURE
from ....core.plan.features.face.feature import FEATURE as FACE
from ...editing import OpenPlan
from ...responses import Turn

blueprint = Blueprint("colour", __name__)
DRAWING = Turn()


def colours_of(open_plan: OpenPlan) -> list[Coat]:
    """The coats that this page lists: colours, then what is added for faces."""
    return open_plan.context.coats(FEATURE.name, FACE.name)


def looked(open_plan: OpenPlan, number: int) -> np.ndarray:
    """(N, 36) after the undercoat and so many coats in colour."""
    return open_plan.context.simulation.reflectance(
        [*open_plan.context.before(FEATURE.name), *colours_of(open_plan)[:number]]
    )
