"""The shape of what reaches in: hairs or nozzle as a cone, and the hand behind it as a ball."""

from dataclasses import dataclass

from ..plain import checked, number


@dataclass(frozen=True)
class Tool:
    """length: mm from the tip to the fingers, that have to fit in between. angle: degrees from the axis to the side
    of the cone. hand: mm, radius of the ball that the fingers are; 0 for none. graze: degrees at least between the
    axis and the surface, or the belly of the brush lies on it."""

    length: float = number(28.0, 1, 300, "the length of the brush", "mm")
    angle: float = number(6.0, 0, 45, "the angle of the brush", "degrees")
    hand: float = number(11.0, 0, 100, "the radius of the hand", "mm")
    graze: float = number(8.0, 0, 60, "the least angle to the surface", "degrees")

    def __post_init__(self) -> None:
        checked(self)


BRUSH = Tool()  # a size 0 held near its ferrule; from memory
NOZZLE = Tool(25.0, 10.0, 14.0, 20.0)  # close to the model, CP-7; a film lies where it lands steeply enough
