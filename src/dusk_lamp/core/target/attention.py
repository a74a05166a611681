"""Attention: what a mm² of each region counts in the look of the whole model."""

import numpy as np
from numpy.typing import NDArray

from ..datasets.prices import price
from ..sculpt.marking import suggested_attention
from ..sculpt.mesh import summed
from ..sculpt.site import Site


def attention_of(site: Site) -> NDArray[np.float64]:
    """(R + 1,) what a mm² of each region counts, by its attention, and more where it is small; nothing where nobody
    has marked."""
    regions = site.marking.regions
    areas = summed(site.labels, site.areas.astype(np.float64), len(regions) + 1)
    least = price("small") * float(areas[1:].sum())
    attention = np.array([0.0, *(price(suggested_attention(r)) for r in regions)])
    return attention * np.maximum(1.0, least / np.maximum(areas, 1e-9))
