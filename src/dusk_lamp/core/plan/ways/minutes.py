"""Minutes of a step that is tried, at the model."""

from ...coat.technique import technique
from ..care import care_of, hand_minutes
from .way import Task

BRUSH = technique("brush")


def brush_minutes(task: Task, mm2: float, coats: int, spotted: bool = True) -> float:
    """To brush so many coats on so many mm² of a region. spotted: on spots, which the brush has to find."""
    return hand_minutes(BRUSH, None, mm2, spotted, coats, care_of(task.site, task.id))
