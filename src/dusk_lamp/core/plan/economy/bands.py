"""Bands: how smooth a painted region looks. Over pairs of spots a little apart inside one region, how much more the
painted colour jumps than what is aimed at does. Three flat tones look cut out of paper; a film over the sprayed
light has no border at all."""

import numpy as np
from numpy.typing import NDArray

from ...paint.colour import delta_e, lab, xyz
from ...places import tree_of
from ...results import digest, result
from ...sculpt.mesh import evenly
from ...sculpt.site import Site

APART_MM, AROUND = 0.4, 0.2  # spots are that far apart, by so much of it more or less
HARDLY_SEEN = 2.0  # ΔE00: a jump that is no larger than it should be by more than that does not show
MOST_PAIRS = 12_000


@result(most=4, depends=lambda site: digest(site.labels))
def pairs_of(site: Site) -> NDArray[np.int64]:
    """(P, 2) spots APART_MM from each other inside one region, evenly over all that is marked and can be painted."""
    mine = np.flatnonzero((site.labels > 0) & site.paintable)
    first = evenly(mine, MOST_PAIRS)
    if not len(first):
        return np.zeros((0, 2), np.int64)
    points = site.surface.points
    low, high = APART_MM * (1 - AROUND), APART_MM * (1 + AROUND)
    out = []
    for a, near in zip(first, tree_of(points).query_ball_point(points[first], high), strict=True):
        beside = np.asarray(near, np.int64)
        far = np.linalg.norm(points[beside] - points[a], axis=1)
        beside = beside[(far >= low) & (site.labels[beside] == site.labels[a]) & site.paintable[beside]]
        if len(beside):
            out.append((a, beside[a % len(beside)]))
    return np.array(out, np.int64).reshape(-1, 2)


def banding(site: Site, seen: NDArray, wanted: NDArray, judged: NDArray[np.bool_] | None = None) -> float:
    """Mean ΔE00 by which neighbours jump further than they should and than shows. seen: (N, 36) reflectance. wanted:
    (N, 3) L*a*b*. judged: (N,) the spots that are looked at; None for all that are marked."""
    a, b = pairs_of(site).T
    if judged is not None:
        both = judged[a] & judged[b]
        a, b = a[both], b[both]
    if not len(a):
        return 0.0
    spots, at = np.unique(np.concatenate([a, b]), return_inverse=True)
    looks = lab(xyz(seen[spots]))[at]
    jump = delta_e(looks[: len(a)], looks[len(a) :])
    return float(np.maximum(jump - delta_e(wanted[a], wanted[b]) - HARDLY_SEEN, 0).mean())
