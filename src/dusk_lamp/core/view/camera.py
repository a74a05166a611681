"""Cameras: where a picture is taken from. Parallel projection, as painters' reference pictures are."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of, level_frame
from ..errors import SettingError
from ..light.lamp import Lamp

VIEWS = {  # azimuth, elevation in degrees; the front is seen from a little above, as on a shelf
    "front": (0.0, 8.0),
    "right": (90.0, 8.0),
    "back": (180.0, 8.0),
    "left": (-90.0, 8.0),
    "top": (0.0, 90.0),
}


@dataclass(frozen=True)
class Camera:
    """A far eye looking at the middle of the sculpt from an azimuth and elevation in degrees, as lamps are given."""

    azimuth: float
    elevation: float

    @classmethod
    def named(cls, view: str, lamp: Lamp | None = None) -> "Camera":
        """The camera of a view's name; "lamp" is the eye in the lamp.

        Raises:
            SettingError: no such view.
        """
        if view == "lamp" and lamp is not None:
            return cls(lamp.azimuth, lamp.elevation)
        if view not in VIEWS:
            raise SettingError(f"a view is one of {', '.join(VIEWS)} or lamp, not '{view}'")
        return cls(*VIEWS[view])

    @property
    def toward(self) -> NDArray[np.float32]:
        """(3,) unit vector from the sculpt to the eye."""
        return direction_of(self.azimuth, self.elevation)

    @property
    def right(self) -> NDArray[np.float32]:
        """(3,) unit vector to the right of the picture; level, so the figure never leans."""
        return level_frame(self.azimuth, self.elevation)[0].astype(np.float32)

    @property
    def up(self) -> NDArray[np.float32]:
        """(3,) unit vector to the top of the picture."""
        return level_frame(self.azimuth, self.elevation)[1].astype(np.float32)
