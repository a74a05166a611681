"""Flame on a surface: brightest low and in recesses, licks upward with broken edges, in dabs (common practice, craft
page, section 10)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.colour import rgb_from_hex
from ..sculpt.geodesic import along_the_skin
from ..sculpt.site import Site
from .heat import LONGEST_MM

# dark to light; never through bright red: dark red goes straight to orange. Other hues work if the steps are
# neighbours
HUES = {
    "fire": ("#3a0d0a", "#6d150d", "#c9501a", "#eea32a", "#f8dc74", "#fff4d2"),
    "blue": ("#0d1533", "#17306b", "#2867b0", "#5fa6d8", "#a9d6ee", "#eefaff"),
    "green": ("#0c2415", "#164a26", "#2f8440", "#72b852", "#bfe07f", "#f6fbd8"),
    "violet": ("#1d0d2e", "#3f1b61", "#7736a3", "#b26fce", "#dcb3e8", "#fbf0ff"),
}
WAVES = 24
# of the field: how broken the edges are, what a recess adds, how soon it ends downward
RAGGED, DEEP, DOWN = 0.45, 0.25, 2.5
HEART = 0.86  # of the field: the dark heart is inside that


@dataclass(frozen=True)
class Flamed:
    """flame: (N,) 0 where there is none to 1 at its brightest. hue: (N,) place among the hues, −1 where there is
    none.
    colours: the hues, dark to light. catches: (N,) edges beside it that catch its light."""

    flame: NDArray[np.float32]
    hue: NDArray[np.int8]
    colours: tuple[str, ...]
    catches: NDArray[np.bool_]

    @property
    def colour(self) -> NDArray[np.uint8]:
        """(N, 3) sRGB levels; black where there is no flame."""
        table = np.array([rgb_from_hex(c) for c in self.colours] + [rgb_from_hex("#141210")])
        return np.round(table[np.where(self.hue < 0, len(self.colours), self.hue)] * 255).astype(np.uint8)


def flamed(
    site: Site,
    spots: Sequence[Sequence[float]],
    length: float,
    hues: str = "fire",
    heart: bool = False,
    seed: int = 1,
) -> Flamed:
    """Flame that licks upward along the skin from its feet.

    Args:
        spots: (3,) mm each, where it burns. length: mm of its licks. heart: a darker core low in it. seed: of its
        edges. Raises:
        SettingError: no such hues, a spot off the sculpt, or a length that makes no sense.
    """
    if hues not in HUES:
        raise SettingError(f"a flame is one of {', '.join(HUES)}")
    if not 0 < length <= LONGEST_MM:
        raise SettingError(f"a flame is up to {LONGEST_MM:.0f} mm long, not {length:g}")
    feet = np.atleast_2d(np.asarray(spots, float))
    points = site.surface.points.astype(np.float64)
    far = along_the_skin(site.surface, site.bends, feet, 1.6 * length).astype(np.float64)
    nearest = np.argmin(np.linalg.norm(points[:, None] - feet[None], axis=2), axis=1) if len(feet) > 1 else 0
    up = points[:, 2] - feet[nearest, 2]
    run = np.where(up < 0, far + DOWN * -up, far)  # it hardly burns downward
    ragged = 1 + RAGGED * _waves(points, length, seed)
    flame = np.clip(1 - run / (length * np.maximum(ragged, 0.15)), 0, 1)
    flame = np.where(flame > 0, np.clip(flame + DEEP * site.relief.cavity * flame, 0, 1), 0)
    colours = HUES[hues]
    hue = np.where(flame > 0, np.minimum((flame * len(colours)).astype(np.int64), len(colours) - 1), -1)
    if heart:
        hue = np.where(flame > HEART, 1, hue)
    place = site.bends.place
    on = np.zeros(int(place.max()) + 1 if len(place) else 0, np.bool_)
    for line in site.lines:
        if line.convex:
            on[line.corners] = True
    lit = on[place] & (flame <= 0) & (run < 1.35 * length) & (_waves(points, length / 2, seed + 1) > -0.3)
    return Flamed(flame.astype(np.float32), hue.astype(np.int8), colours, lit)


def _waves(points: NDArray[np.float64], length: float, seed: int) -> NDArray[np.float64]:
    """(N,) about −1..1, drawn out upward: a sum of waves of many directions, the same for a seed."""
    random = np.random.default_rng(seed)
    k = random.normal(size=(WAVES, 3)) * (2 * np.pi / (0.45 * length)) * np.array([1.0, 1.0, 0.22])
    phase = random.uniform(0, 2 * np.pi, WAVES)
    return np.cos(points @ k.T + phase).sum(axis=1) * np.sqrt(2 / WAVES) / 1.6
