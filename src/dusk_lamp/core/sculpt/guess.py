"""A first guess of a sculpt's regions, for the painter to keep or throw away."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from .marking import Marking, Region
from .mesh import summed
from .regions import USUAL_CREASE, grow
from .relief import Bends
from .surface import Surface

SEEDS = 48
MOST_GUESSES = 12
LEAST_SHARE = 0.012  # of the whole surface: smaller patches are left to the painter
LEAST_NEW = 0.6  # of a patch: one that mostly lies in another is no region of its own
WHOLE_PART = 0.75  # of a part: one patch that covers this much of it is the part


def first_guess(
    surface: Surface,
    paintable: NDArray[np.bool_],
    bends: Bends | None = None,
    progress: Callable[[float], None] | None = None,
) -> Marking:
    """Regions grown from seeds spread over the surface, the largest first, none across parts. The same every time."""
    bends = bends or Bends(surface)
    areas = np.where(paintable, surface.areas, 0).astype(np.float64)
    whole = areas.sum()
    found: list[tuple[float, NDArray[np.bool_]]] = []
    faces = np.linspace(0, len(surface.faces) - 1, SEEDS).astype(int)  # faces lie along a curve through space
    of_part = summed(surface.part, areas, int(surface.part.max()) + 1)
    for k, face in enumerate(faces):
        if progress:
            progress(k / len(faces))
        own = surface.faces[face]
        if not paintable[own].all() or any(mask[own].all() and size > 0.02 * whole for size, mask in found):
            continue
        mask = grow(surface, surface.points[own].mean(axis=0), USUAL_CREASE, bends, int(face))
        found.append((float(areas[mask].sum()), mask))
    if len(of_part) > 1:
        found += [(float(size), surface.part == k) for k, size in enumerate(of_part)]
    labels = np.zeros(len(surface), np.uint8)
    regions: list[Region] = []
    for size, mask in sorted(found, key=lambda f: -f[0]):
        new = mask & (labels == 0)
        fresh = float(areas[new].sum())
        if size > WHOLE_PART * whole or fresh < max(LEAST_SHARE * whole, LEAST_NEW * size):
            continue
        regions.append(Region(f"Guess {len(regions) + 1}"))
        labels[new] = len(regions)
        if len(regions) == MOST_GUESSES:
            break
    return Marking(labels, tuple(regions))
