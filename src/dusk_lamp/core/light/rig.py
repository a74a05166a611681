"""The rig: lamp, sky and bounce together, and the sculpt that stands in it."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array
from scipy.spatial import cKDTree

from ..errors import SettingError
from ..sculpt.surface import Surface, some_samples
from . import key, sky
from .bounce import Ground, base_transfer, bounce_light
from .lamp import Lamp
from .sky import SkyView

PRESETS = {  # CP-10: the usual lamp is straight above, then above and to the right, then above and in front; CP-15
    "overhead": (0.0, 90.0),
    "above right": (60.0, 50.0),
    "above front": (0.0, 50.0),
    "behind": (180.0, 40.0),
    "below": (0.0, -60.0),
}
MOVING_RAYS = 4  # to a soft lamp while it is being dragged
BENCH_RAYS = 32  # and at rest: a shadow's edge is then right to about 2 % of the disc, less than an eighth of a value
STRONGEST_SKY = 2.0


@dataclass(frozen=True)
class Rig:
    """Everything that lights a sculpt.

    lamp: the key, or None when it is off. sky: light of the open dome on an upward plane, 0..2, relative to the key.
    sky_kind: "uniform" or "overcast". bounce: albedo of the ground, 0..1.
    """

    lamp: Lamp | None = field(default_factory=lambda: Lamp(0, 90, 12))
    sky: float = 0.25
    sky_kind: str = "overcast"
    bounce: float = 0.15

    def __post_init__(self) -> None:
        if not 0 <= self.sky <= STRONGEST_SKY:
            raise SettingError(f"the strength of the sky is between 0 and {STRONGEST_SKY:g}, not {self.sky:g}")
        if not 0 <= self.bounce <= 1:
            raise SettingError(f"the ground sends back between 0 and 1 of the light, not {self.bounce:g}")
        if self.sky_kind not in sky.KINDS:
            raise SettingError(f"the sky is one of {', '.join(sky.KINDS)}, not '{self.sky_kind}'")

    @property
    def full(self) -> float:
        """The most light a spot can get from lamp and sky together: that of one facing both squarely."""
        return (1.0 if self.lamp else 0.0) + self.sky or 1.0

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return {
            "lamp": self.lamp.as_dict() if self.lamp else None,
            "sky": self.sky,
            "sky_kind": self.sky_kind,
            "bounce": self.bounce,
        }

    @classmethod
    def from_dict(cls, given: dict[str, Any]) -> "Rig":
        """The rig from plain values.

        Raises:
            SettingError: a value is missing, no number, or outside its range.
        """
        try:
            lamp = given["lamp"]
            return cls(
                Lamp(float(lamp["azimuth"]), float(lamp["elevation"]), float(lamp["size"])) if lamp else None,
                float(given["sky"]),
                str(given["sky_kind"]),
                float(given["bounce"]),
            )
        except SettingError:
            raise
        except (KeyError, TypeError, ValueError) as e:
            raise SettingError("the light's settings are incomplete; set the lamp again") from e


@dataclass(frozen=True)
class Light:
    """Light on every sample: `total` relative, 1 = squarely facing the open key; `visible` 0..1 of the lamp's disc."""

    total: NDArray[np.float32]
    visible: NDArray[np.float32]


Apart = tuple[NDArray[np.int32], Surface]  # samples of a part that some neighbours do not shadow, and that part


class Scene:
    """A sculpt standing in light: relights as often as asked, casting only the key's rays again.

    The sky may be missing at first: the key alone can already be looked at while the sky is being worked out.
    """

    def __init__(self, surface: Surface, view: SkyView | None = None, apart: Sequence[Apart] = ()) -> None:
        self.surface = surface
        self.view = view
        self.apart = tuple(apart)
        self._ground: Ground | None = None
        self._base: csr_array | None = None
        self._domes: dict[str, NDArray[np.float32]] = {}

    def light(self, rig: Rig, rays: int = BENCH_RAYS) -> Light:
        """Lamp, sky and bounce on every sample. rays: to a soft lamp, fewer for a lamp in motion."""
        total = np.zeros(len(self.surface), np.float32)
        visible = total
        if rig.lamp is not None:
            total, visible = key.key_light(self.surface, rig.lamp, rays)
            for chosen, alone in self.apart:
                total[chosen], visible[chosen] = key.key_light(alone, rig.lamp, rays)
        if self.view is None:
            return Light(total, visible)
        if rig.sky:
            total = total + np.float32(rig.sky) * self._dome(self.view, rig.sky_kind)
        if rig.bounce:
            self._ground = self._ground or Ground(self.surface)
            if self._base is None:
                self._base = base_transfer(self.surface, self.view)
            total = total + bounce_light(
                self.surface, self.view, self._ground, self._base, rig.bounce, rig.lamp, rig.sky, rig.sky_kind, total
            )
        return Light(total, visible)

    @property
    def paintable(self) -> NDArray[np.bool_]:
        """(N,) what can be seen from anywhere; everything, as long as the sky is not known."""
        return np.ones(len(self.surface), np.bool_) if self.view is None else self.view.paintable

    def only(self, chosen: NDArray[np.int32], faces: NDArray[np.int32]) -> "Scene":
        """The same scene at some of its samples only; see sculpt.surface.quick_samples."""
        some = some_samples(self.surface, chosen, faces)
        apart = [few for own, alone in self.apart if (few := _few(own, alone, chosen)) is not None]
        if self.view is None:
            return Scene(some, apart=apart)
        place = np.full(len(self.surface), -1, np.int32)
        place[chosen] = np.arange(len(chosen), dtype=np.int32)
        view = self.view
        # the base's light is read at the chosen sample nearest to the one that was met
        _, near = cKDTree(some.points).query(self.surface.points[view.base_sample], workers=-1)
        looks = place[view.base_row] >= 0
        return Scene(
            some,
            SkyView(
                view.directions, view.bits[chosen], place[view.base_row[looks]], near[looks].astype(np.int32),
                view.base_direction[looks],
            ),
            apart,
        )  # fmt: skip

    def _dome(self, view: SkyView, kind: str) -> NDArray[np.float32]:
        if kind not in self._domes:
            self._domes[kind] = sky.sky_light(self.surface, view, kind)
        return self._domes[kind]


def _few(own: NDArray[np.int32], alone: Surface, chosen: NDArray[np.int32]) -> Apart | None:
    """Those of a part's samples (its own numbers, and its surface) that are among the chosen ones."""
    _, here, there = np.intersect1d(own, chosen, assume_unique=True, return_indices=True)
    if not len(here):
        return None
    some = some_samples(alone, here.astype(np.int32), np.zeros((0, 3), np.int32))
    return there.astype(np.int32), replace(some, blockers=alone.blockers)
