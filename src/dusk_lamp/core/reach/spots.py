"""Which spots a tool reaches: there is a direction from which its cone and the hand behind it meet nothing."""

from collections.abc import Callable, Collection

import numpy as np
from numpy.typing import NDArray

from ..directions import fibonacci_sphere, frame_round
from ..errors import Stopped
from ..places import tree_of
from ..rays import Caster
from ..sculpt.mesh import evenly
from ..sculpt.surface import Surface
from .tool import Tool

DIRECTIONS = 320  # a direction every eleven degrees
RIM = 6  # rays round the side of the cone
MOST_SPOTS = 12_000  # of a sculpt that are asked


def asked_spots(surface: Surface, paintable: NDArray[np.bool_], most: int = MOST_SPOTS) -> NDArray[np.int64]:
    """Numbers of the spots that are asked: all that can be painted, or evenly some of them."""
    return evenly(np.flatnonzero(paintable & (surface.areas > 0)), most)


class Obstacles:
    """What is in the way: the faces of some parts of a surface. parts: their numbers; None for all."""

    def __init__(self, surface: Surface, parts: Collection[int] | None = None) -> None:
        body = surface.blockers or surface
        faces = body.faces
        if parts is not None:
            faces = faces[np.isin(body.part[faces[:, 0]], list(parts))]
        self.empty = not len(faces)
        self.size = surface.size
        if self.empty:
            return
        self.caster = Caster(body.points, np.ascontiguousarray(faces))
        self.tree = tree_of(body.points[np.unique(faces)])

    def free(self, origins: NDArray[np.float32], toward: NDArray, far: float) -> NDArray[np.bool_]:
        """(M,) whether nothing lies within `far` mm of each origin (M, 3) toward one direction (3,)."""
        if self.empty or not len(origins):
            return np.ones(len(origins), np.bool_)
        boxed = self.caster.boxed(origins)
        return self.caster.boxed_first_face(boxed, np.asarray(toward, np.float32), far) < 0

    def room(self, middles: NDArray, radius: float) -> NDArray[np.bool_]:
        """(M,) whether a ball round each middle (M, 3) touches nothing."""
        if self.empty or radius <= 0 or not len(middles):
            return np.ones(len(middles), np.bool_)
        return ~np.isfinite(self.tree.query(middles, distance_upper_bound=radius, workers=-1)[0])


def can_reach(
    surface: Surface,
    spots: NDArray[np.int64],
    tool: Tool,
    obstacles: Obstacles,
    stopped: Callable[[], bool] | None = None,
) -> NDArray[np.bool_]:
    """(M,) whether a tool reaches each of some spots (M,) of a surface.

    Directions are tried one after another, the ones a hand would take first: those near the normals; a spot that one
    reaches is not asked again.

    Raises:
        Stopped: `stopped` said so.
    """
    sphere = fibonacci_sphere(DIRECTIONS).astype(np.float64)
    # steepest spots first would differ from spot to spot: directions go round the sphere in a spread-out order
    order = np.argsort((np.arange(DIRECTIONS) * 0.6180339887) % 1.0, kind="stable")
    out = np.zeros(len(spots), np.bool_)
    normals = surface.normals[spots].astype(np.float64)
    origins = surface.origins[spots]
    least = np.sin(np.radians(tool.graze))
    rims = _rim(tool.angle)
    for j in order:
        if stopped and stopped():
            raise Stopped("stopped while looking at what the brush reaches")
        axis = sphere[j]
        ask = np.flatnonzero(~out & (normals @ axis >= least))
        for toward in (axis, *(_around(axis) @ rim for rim in rims)):
            if not len(ask):
                break
            ask = ask[obstacles.free(origins[ask], toward, tool.length / np.cos(np.radians(tool.angle)))]
        if len(ask) and tool.hand > 0:
            middles = origins[ask] + (tool.length + tool.hand) * axis
            ask = ask[obstacles.room(middles, tool.hand)]
        out[ask] = True
        if out.all():
            break
    return out


def _rim(angle: float) -> list[NDArray[np.float64]]:
    """Directions on the side of a cone whose axis is z."""
    if angle <= 0:
        return []
    turn, tilt = np.arange(RIM) * 2 * np.pi / RIM, np.radians(angle)
    return [np.array([np.sin(tilt) * np.cos(t), np.sin(tilt) * np.sin(t), np.cos(tilt)]) for t in turn]


def _around(axis: NDArray) -> NDArray[np.float64]:
    """(3, 3) a turn that brings z to an axis."""
    return np.stack([*frame_round(axis), axis], axis=1)
