"""Hot metal: named heats laid along the skin from hot spots, hot middle to cool ends (common practice, craft page,
section 10)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.colour import rgb_from_hex
from ..plain import rounded
from ..sculpt.geodesic import along_the_skin
from ..sculpt.site import Site

# names of heats and how hot iron is that shows them, degrees Celsius, and how they are painted: metalworking
# handbooks, from
# memory; hot to cool
HEATS = (
    ("white heat", 1300, "#fff1c9"),
    ("yellow", 1100, "#f6b93c"),
    ("orange", 950, "#dd5f1b"),
    ("red", 800, "#b52a1c"),
    ("dark red", 650, "#5c0a06"),
)
DARK_TWICE = 2.0  # the coolest band is twice as wide, at the ends
DROPPED_FIRST = ("white heat", "red", "orange", "yellow")  # where there is no room for all
BLACK = "#191412"
SCALE_MM, SCALE_SHARE = 0.35, 0.45  # black scale along crests: how wide, and how much of them it covers. From memory
LONGEST_MM = 500.0


@dataclass(frozen=True)
class Heat:
    """One band. begins, ends: mm along the skin from a hot spot. mm2: of it."""

    name: str
    colour: str
    begins: float = rounded(2)
    ends: float = rounded(2)
    mm2: float = rounded(2, 0.0)


@dataclass(frozen=True)
class Heated:
    """heat: (N,) 1 at a hot spot to 0 at the cool end and beyond. band: (N,) place among the bands, −1 where it is
    cold.
    bands: hot to cool. black: (N,) broken scale along crests. dropped: heats there is no room for."""

    heat: NDArray[np.float32]
    band: NDArray[np.int8]
    bands: list[Heat]
    black: NDArray[np.bool_]
    dropped: tuple[str, ...]

    @property
    def colour(self) -> NDArray[np.uint8]:
        """(N, 3) sRGB levels; what is cold is the colour of scale."""
        table = np.array([rgb_from_hex(b.colour) for b in self.bands] + [rgb_from_hex(BLACK)])
        out = np.round(table[np.where(self.band < 0, len(self.bands), self.band)] * 255).astype(np.uint8)
        out[self.black] = np.round(rgb_from_hex(BLACK) * 255).astype(np.uint8)
        return out


def widths(length: float, mark: float) -> tuple[list[tuple[str, float]], tuple[str, ...]]:
    """Heats, hot to cool, with the width of each in mm, all together `length`; and those that had to be left out
    because a band would be narrower than a brush's mark.

    Raises:
        SettingError: no length, or one too short for a single band.
    """
    if not 0 < length <= LONGEST_MM:
        raise SettingError(f"heat runs over 0 to {LONGEST_MM:.0f} mm, not {length:g}")
    if not 0 < mark <= 50:
        raise SettingError(f"a mark is between 0 and 50 mm wide, not {mark:g}")
    kept, dropped = [name for name, _, _ in HEATS], []
    for name in DROPPED_FIRST:
        if length / (len(kept) - 1 + DARK_TWICE) >= mark:
            break
        kept.remove(name)
        dropped.append(name)
    if len(kept) == 1 and length < mark:
        raise SettingError(f"{length:g} mm is shorter than one mark of {mark:g} mm: nothing can be laid on it")
    one = length / (len(kept) - 1 + DARK_TWICE)
    return [(name, one * (DARK_TWICE if name == kept[-1] else 1.0)) for name in kept], tuple(dropped)


def heated(site: Site, spots: Sequence[Sequence[float]], length: float, mark: float = 0.8, seed: int = 1) -> Heated:
    """Heats along the skin from hot spots.

    Args:
        spots: (3,) mm each. length: mm from a spot to the cool end. mark: mm, what the airbrush or brush leaves.
        seed: of the broken scale.
    Raises:
        SettingError: a spot off the sculpt, or a length that makes no sense.
    """
    kept, dropped = widths(length, mark)
    far = along_the_skin(site.surface, site.bends, np.asarray(spots, float), 1.05 * length)
    heat = np.clip(1 - far / np.float32(length), 0, 1).astype(np.float32)
    edges = np.concatenate([[0.0], np.cumsum([w for _, w in kept])])
    band = np.where(far <= length, np.clip(np.searchsorted(edges, far, side="right") - 1, 0, len(kept) - 1), -1)
    areas = site.areas.astype(np.float64)
    colours = {name: colour for name, _, colour in HEATS}
    bands = [
        Heat(name, colours[name], float(edges[k]), float(edges[k + 1]), float(areas[band == k].sum()))
        for k, (name, _) in enumerate(kept)
    ]
    black = broken_crests(site, band >= len(kept) // 2, seed)
    return Heated(heat, band.astype(np.int8), bands, black, dropped)


def broken_crests(site: Site, where: NDArray[np.bool_], seed: int) -> NDArray[np.bool_]:
    """(N,) short pieces of crest among some samples, at random but always the same ones for a seed."""
    on = np.zeros(len(site), np.bool_)
    random = np.random.default_rng(seed)
    place = site.bends.place
    chosen = np.zeros(int(place.max()) + 1 if len(place) else 0, np.bool_)
    for line in site.lines:
        if line.convex:
            piece = max(2, round(1.2 / max(line.length / max(len(line.corners), 1), 1e-3)))
            keep = np.repeat(random.random(-(-len(line.corners) // piece)) < SCALE_SHARE, piece)[: len(line.corners)]
            chosen[line.corners[keep]] = True
    on[chosen[place]] = True
    return on & where
