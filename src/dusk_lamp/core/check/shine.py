"""Where metal shone: the highlights in a photo of a glossed model, as a pattern to paint."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat, usual_coat
from ..errors import SettingError
from ..paint.mix import values_of
from ..sculpt.site import Site, Where
from ..units import grouped
from .compare import Comparison
from .photo import CLIPPED, Photo
from .verdict import mixes_of

BROAD, CORE = 0.8, 2.0  # steps of value that a shine and its middle are lighter than the rest
DULL = 0.4  # of a region's area: what is no lighter than this is no shine
LEAST_SPOTS, LEAST_MM2 = 20, 0.3


@dataclass(frozen=True)
class Shone:
    """number: of the region. broad: (N,) where it shone; core: (N,) where most. mm2 of both."""

    number: int
    broad: NDArray[np.bool_]
    core: NDArray[np.bool_]
    broad_mm2: float
    core_mm2: float

    def words(self, name: str) -> str:
        """In a sentence."""
        middle = f", most on {grouped(self.core_mm2, 1)} mm²" if self.core.any() else ""
        return f"{name} shone on {grouped(self.broad_mm2, 1)} mm²{middle}."


def shone(site: Site, found: Comparison, photo: Photo, number: int) -> Shone:
    """Where a region shone in a photo that was compared: what is lighter there than paint alone can be, burnt out or
    not.

    Raises:
        SettingError: the region is not in sight, or nothing on it shone.
    """
    mask = site.labels == number
    seen = mask & np.isfinite(found.off)
    if seen.sum() < LEAST_SPOTS:
        raise SettingError("this region is not in sight in the photo; take it from where one looks at the model")
    dull = float(np.quantile(found.off[seen], DULL, weights=site.areas[seen], method="inverted_cdf"))
    lighter = np.where(np.isfinite(found.off), found.off - dull, -np.inf)
    burnt = np.unique(found.pixels[(photo.levels >= CLIPPED).all(axis=2) & (found.pixels >= 0)])
    lighter[burnt] = np.inf
    broad, core = mask & (lighter >= BROAD), mask & (lighter >= CORE)
    areas = (float(site.areas[broad].sum()), float(site.areas[core].sum()))
    if areas[0] < LEAST_MM2:
        raise SettingError("nothing shone there: gloss the model, and put one lamp on it")
    return Shone(number, broad, core, *areas)


def shine_coats(site: Site, one: Shone, coats: Sequence[Coat]) -> list[Coat]:
    """The pattern as coats: the second lightest mix of the region's own where it shone, the lightest where most.

    Raises:
        SettingError: the plan has no paint yet.
    """
    id_, name = site.marking.ids[one.number], site.marking.regions[one.number - 1].name
    mixes = mixes_of([c for c in coats if not c.muted], id_)
    if not mixes:
        raise SettingError(f"there is no paint in the plan yet: plan the metal or colour of {name} first")
    ladder = sorted(mixes, key=lambda m: float(values_of(m.pigment.masstone[None])[0]))
    out = []
    for mask, mix, words in ((one.broad, ladder[-2:][0], "where it shone"), (one.core, ladder[-1], "the brightest")):
        if mask.any():
            coat = usual_coat("brush", mix, f"{name}: {words}", "metal")
            out.append(replace(coat, where=Where.some(mask), way="check", region=id_))
    return out
