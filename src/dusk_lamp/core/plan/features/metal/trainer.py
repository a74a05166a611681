"""The blade trainer: one facet unrolled flat as a gradient to copy, with the mixes along it and how the hand joins
them."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ....errors import SettingError
from ....paint.colour import screen_hex
from ....paint.mix import nearest_mix
from ....paint.rack import Paint
from ....plain import rounded
from ....sculpt.facets import Facet
from ....sculpt.site import Site
from ....target.local import Local, lab_of
from ....units import counted
from ...steps.gradient import between
from .painted import STEEL, colours
from .wishes import Metal

STOPS, MOST_MIXES = 24, 5
LEAST_SAMPLES = 12


@dataclass(frozen=True)
class Stop:
    """One place along a facet. share: of its length, from its start. value: Munsell. colour: `#rrggbb`."""

    share: float = rounded(3)
    value: float = rounded(2)
    colour: str = ""


@dataclass(frozen=True)
class Trainer:
    """length, width: mm of the facet unrolled. stops: along its length. mixes: (share, in words, `#rrggbb`), dark to
    light or back as they come. words: how they are joined, one for each border."""

    kind: str
    stops: list[Stop]
    mixes: list[tuple[float, str, str]]
    words: list[str]
    length: float = rounded(2)
    width: float = rounded(2)


def unrolled(
    site: Site, facet: Facet, value: NDArray[np.float32], metal: Metal, paints: Sequence[Paint], local: Local = STEEL
) -> Trainer:
    """A facet as a strip to copy.

    Args:
        value: (N,) what the sculpt should be. paints: that its mixes come from.
    Raises:
        SettingError: the facet is too small.
    """
    spots = np.flatnonzero(facet.mask & site.paintable)
    if len(spots) < LEAST_SAMPLES:
        raise SettingError("this facet is too small to be unrolled; choose a larger one")
    at = site.surface.points[spots].astype(float) @ facet.along
    share = (at - at.min()) / max(float(np.ptp(at)), 1e-9)
    middles = (np.arange(STOPS) + 0.5) / STOPS
    order = np.argsort(share, kind="stable")
    # the middle of what lies there: its edges are painted last and on their own
    near = [
        order[np.searchsorted(share[order], m - 1 / STOPS) : np.searchsorted(share[order], m + 1 / STOPS)]
        for m in middles
    ]
    values = np.array([np.median(value[spots[rows]]) if len(rows) else np.nan for rows in near])
    known = np.isfinite(values)
    values = np.interp(middles, middles[known], values[known])
    rgb = colours(values.astype(np.float32), metal, local)
    stops = [Stop(float(m), float(v), screen_hex(c)) for m, v, c in zip(middles, values, rgb, strict=True)]
    count = int(np.clip(round(float(np.ptp(values)) / 1.2) + 1, 2, MOST_MIXES))
    places = np.linspace(0, STOPS - 1, count).round().astype(int)
    mixes = [nearest_mix(lab_of(rgb[k : k + 1])[0], paints) for k in places]
    width = facet.width if facet.kind == "flat" else np.pi / 2 * facet.width
    words = []
    for pair in pairwise(mixes):
        lower, upper = sorted(pair, key=lambda m: m.colour.value)
        if lower != upper:
            words.append(f"{lower.words()} to {upper.words()}: {between(lower, upper, float(width)).words}.")
    each = facet.length / max(count - 1, 1)
    words.insert(
        0,
        f"{counted(count, 'mix', 'mixes')} over {facet.length:.1f} mm, one every {each:.1f} mm; the cutting edge "
        "last.",
    )
    named = [(float(middles[k]), m.words(), m.colour.hex) for k, m in zip(places, mixes, strict=True)]
    return Trainer(facet.kind, stops, named, words, float(facet.length), float(width))
