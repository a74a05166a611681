"""Mean curvature of a surface at a scale: how much it bulges or hollows over a brush's breadth."""

import numpy as np
from numpy.typing import NDArray

from .mesh import summed
from .relief import Bends, usual_scale
from .surface import Surface


def mean_curvature(surface: Surface, scale: float | None = None, bends: Bends | None = None) -> NDArray[np.float64]:
    """(N,) mean curvature (k₁ + k₂)/2 in 1/mm, positive where the form bulges; a ball of radius r has 1/r.

    Every edge bends the surface by its length times its angle; summed over a patch and shared out over its area, half
    of that is the patch's mean curvature. The patch is about `scale` mm wide.

    Args:
        scale: mm; the usual scale of relief where none is given, 0 for no evening out.
    Source: Cohen-Steiner and Morvan (2003), Restricted Delaunay triangulations and normal cycle.
    """
    bends = bends or Bends(surface)
    scale = usual_scale(surface) if scale is None else scale
    n = len(bends.joined.vertices)
    a, b = bends.edges.ends.T
    bending = np.where(bends.convex, 1, -1) * bends.angle * bends.length / 4  # half of it, a half to either end
    whole = summed(a, bending, n) + summed(b, bending, n)
    area = summed(bends.joined.faces.ravel(), np.repeat(bends.joined.face_areas() / 3, 3), n)
    # a mean over the neighbours, so many times over, spreads as far as a patch of that size
    for _ in range(round((scale / max(surface.spacing, 1e-12)) ** 2 / 2)):
        whole = whole + summed(a, whole[b], n) + summed(b, whole[a], n)
        area = area + summed(a, area[b], n) + summed(b, area[a], n)
        most = max(float(area.max()), 1e-300)  # only the ratio counts; keep both from growing without end
        whole, area = whole / most, area / most
    return (whole / np.maximum(area, 1e-300))[bends.place]
