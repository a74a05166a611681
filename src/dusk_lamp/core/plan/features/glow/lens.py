"""Lenses, gems and eyes: a dark base, up to three crescents in the half away from the lamp, a thin line, a dot toward
the lamp (common practice, craft page, section 10)."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....datasets.materials import GLASS
from ....errors import SettingError
from ....light.lamp import Lamp
from ....paint.colour import colour_of_hex, screen_hex
from ....paint.mix import EARNS, Mix, MixMatch, match
from ....paint.rack import Paint, Rack
from ....places import pieces_joined, tree_of
from ....plain import rounded
from ....sculpt.site import Site, Where
from ....target.local import Local, colour_ladder
from ...brief import BRUSHED
from .glows import GLOW

MOST_CRESCENTS = 3
ALIKE_LENSES = 0.85  # of the other width: so much is alike
MARKS = (4.0, 3.0, 2.0)  # a lens so many marks wide has room for three crescents, two, one
LEAST_SAMPLES = 8
LEAST_SHARE = 0.15  # of the largest piece: what is smaller is a scrap
ROUND = 72  # places round an outline
HALF_TURN = (1.31, 0.98, 0.65)  # radians that crescents reach to either side
THICK = (0.44, 0.29, 0.15)  # of the radius
OUT = (0.88, 0.84, 0.80)
LINE_OUT, LINE_HALF, DOT_OUT = 0.95, 1.2, 0.52
VALUES = (2.0, 4.2, 6.2, 8.0)  # base and crescents; common practice, from memory
STEPS = (
    "Turn the model over to reach the low half.",
    ("A fine brush with a point; the dark base first, into the recess too."),
    "The crescents, each smaller and brighter than the one before, low and inside; the thin line; the dot last.",
    "Spilled over the rim? The socket's wash hides it.",
    ("Too much? A glaze of the base, pulled backward, is the eraser."),
)


@dataclass(frozen=True)
class Lens:
    """One lens, flat, as one looks at the model. outline, crescents, line: (P, 2) mm, x to the viewer's right, y up.
    dot: x, y and radius. middle: (3,) mm on the model. width: mm in the direction away from the lamp. colours: of the
    base, the crescents, the line and the dot. rows: (S,) its samples; flat: (S, 2) mm, where they lie on the
    drawing."""

    outline: NDArray[np.float64]
    crescents: list[NDArray[np.float64]]
    line: NDArray[np.float64]
    dot: tuple[float, float, float]
    middle: NDArray[np.float64]
    colours: tuple[str, ...]
    rows: NDArray[np.int64]
    flat: NDArray[np.float64]
    width: float = rounded(3)

    @property
    def marks(self) -> list[tuple[str, str, NDArray[np.bool_]]]:
        """What is painted, dark to light: in words, `#rrggbb`, and on which of its samples (S,)."""
        x, y, radius = self.dot
        line = np.zeros(len(self.flat), np.bool_)
        line[tree_of(self.flat).query(self.line)[1]] = True
        dot = np.hypot(self.flat[:, 0] - x, self.flat[:, 1] - y) <= radius
        return [
            ("dark base, into the recess too", self.colours[0], np.ones(len(self.flat), np.bool_)),
            *(
                (f"crescent {k + 1}, low and inside", self.colours[k + 1], self._inside(ring))
                for k, ring in enumerate(self.crescents)
            ),
            ("thin line along the low edge", self.colours[-2], line),
            ("a dot of white, high", self.colours[-1], dot if dot.any() else self._nearest(np.array([x, y]))),
        ]

    def _inside(self, ring: NDArray[np.float64]) -> NDArray[np.bool_]:
        """(S,) the samples in a ring (P, 2), by how often a line to the right crosses it; the nearest one where it is
        finer than they are."""
        x, y = self.flat[:, 0, None], self.flat[:, 1, None]
        (x0, y0), (x1, y1) = ring.T, np.roll(ring, -1, axis=0).T
        with np.errstate(divide="ignore", invalid="ignore"):
            crosses = ((y0 > y) != (y1 > y)) & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
        inside = crosses.sum(axis=1) % 2 == 1
        return inside if inside.any() else self._nearest(ring.mean(axis=0))

    def _nearest(self, at: NDArray[np.float64]) -> NDArray[np.bool_]:
        mask = np.zeros(len(self.flat), np.bool_)
        mask[int(np.argmin(((self.flat - at) ** 2).sum(axis=1)))] = True
        return mask

    @property
    def words(self) -> str:
        """What is painted, and what there is no room for."""
        n = len(self.crescents)
        if n == MOST_CRESCENTS:
            return f"{self.width:.2f} mm wide: three crescents, a line and a dot."
        many = ("no crescent", "one crescent", "two crescents")[n]
        return f"{self.width:.2f} mm wide, less than four marks of your brush: {many} and a dot."


def lenses(site: Site, region: int, lamp: Lamp, brush: float = 0.2, colour: str = "#3f9f6a") -> list[Lens]:
    """The lenses of a region, from the viewer's left to the right; both of a pair, one on each side.

    Args:
        brush: mm, the mark of the finest one.
    Raises:
        SettingError: no such region, or too few samples of it.
    """
    if not 1 <= region <= len(site.marking.regions):
        raise SettingError("this region is not there any more; choose another")
    if not 0.02 <= brush <= 10:
        raise SettingError(f"a brush leaves a mark of 0.02 to 10 mm, not {brush:g}")
    mask = np.flatnonzero((site.labels == region) & site.paintable)
    name = site.marking.regions[region - 1].name
    found = [_lens(site, rows, lamp, brush, colour) for rows in _pieces(site, mask) if len(rows) >= LEAST_SAMPLES]
    if not found:
        raise SettingError(f"“{name}” is too small to be drawn as a lens: a dot of light is all it takes")
    return sorted(found, key=lambda lens: float(lens.middle[0]))


def lens_pair_words(found: Sequence[Lens]) -> str:
    """Which of a pair of lenses comes out worse, and by what; "" where they are alike, or no pair."""
    if len(found) != 2:
        return ""
    left, right = found
    side = ["right", "left"] if left.width >= right.width else ["left", "right"]
    wide, narrow = (left, right) if left.width >= right.width else (right, left)
    short = len(wide.crescents) - len(narrow.crescents)
    if narrow.width >= ALIKE_LENSES * wide.width and not short:
        return ""
    fewer = f", and has room for {len(narrow.crescents)} crescents in place of {len(wide.crescents)}" if short else ""
    return (
        f"The {side[0]} one comes out worse: it is {narrow.width:.2f} mm wide, the other {wide.width:.2f} mm{fewer}. "
        f"Paint it first, and give the {side[1]} one no more marks than it has."
    )


def lens_coats(site: Site, region: int, found: Sequence[Lens], rack: Rack) -> list[Coat]:
    """The coats of a region's lenses as they are drawn, dark to light: base, crescents, line, dot.

    Raises:
        SettingError: there is nothing on the rack to mix them from.
    """
    paints = [p for p in rack if p.kind in BRUSHED]
    if not paints:
        raise SettingError("there is no base or layer paint on the rack to paint a lens with")
    name = site.marking.regions[region - 1].name
    masks: dict[str, tuple[str, NDArray[np.bool_]]] = {}
    for lens in sorted(found, key=lambda lens: -len(lens.crescents)):
        for words, colour, spots in lens.marks:
            masks.setdefault(words, (colour, np.zeros(len(site), np.bool_)))[1][lens.rows[spots]] = True
    mixes = dict(zip(masks, _from_three_pots(tuple(c for c, _ in masks.values()), tuple(paints)), strict=True))
    return [
        replace(usual_coat("brush", mixes[words], f"{name}: {words}", GLOW), where=Where.some(mask))
        for words, (_, mask) in masks.items()
    ]


@lru_cache(64)
def _from_three_pots(colours: tuple[str, ...], paints: tuple[Paint, ...]) -> tuple[Mix, ...]:
    """A mix for each of the marks of a lens, dark to light, from three pots: the base of a dark one and one of its
    hue, all others of the hue and a light one, so that each grows out of the one before. What is a millimetre wide is
    worth no more (CP-21, CP-22). The hue is the pot that brings all marks nearest."""
    wanted = [colour_of_hex(c) for c in colours]
    by_value = sorted(paints, key=lambda p: p.looks.value)

    def mixes(hue: Paint) -> list[MixMatch]:
        dark, light = ([hue] if end == hue else [end, hue] for end in (by_value[0], by_value[-1]))
        return [match(colour, light if k else dark, 2, earns=EARNS)[0] for k, colour in enumerate(wanted)]

    return tuple(m.mix for m in min(map(mixes, paints), key=lambda found: sum(m.delta_e for m in found)))


def _pieces(site: Site, rows: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """What hangs together, the scraps left out."""
    if not len(rows):
        return []
    place = site.bends.place
    covered = np.zeros(len(site), np.bool_)
    covered[rows] = True
    a, b = (place[e] for e in site.surface.edges)
    both = covered[site.surface.edges[0]] & covered[site.surface.edges[1]]
    size = int(place.max()) + 1
    label = pieces_joined(a[both], b[both], size)[place[rows]]
    parts = [rows[label == k] for k in np.unique(label)]
    area = [float(site.surface.areas[p].sum()) for p in parts]
    return [p for p, mm2 in zip(parts, area, strict=True) if mm2 >= LEAST_SHARE * max(area)]


def _lens(site: Site, rows: NDArray[np.int64], lamp: Lamp, brush: float, colour: str) -> Lens:
    points = site.surface.points[rows].astype(float)
    weight = site.surface.areas[rows].astype(float) + 1e-12
    normal = np.average(site.surface.normals[rows].astype(float), axis=0, weights=weight)
    size = float(np.linalg.norm(normal))
    normal = normal / size if size > 1e-6 else np.array([0.0, -1.0, 0.0])
    up = np.array([0.0, 0.0, 1.0]) - normal[2] * normal
    up = np.array([0.0, 1.0, 0.0]) - normal[1] * normal if np.linalg.norm(up) < 1e-3 else up
    up /= np.linalg.norm(up)
    right = np.cross(up, normal)  # to the viewer's right, as one looks at it
    middle = points.mean(axis=0)
    flat = np.column_stack([(points - middle) @ right, (points - middle) @ up])
    flat -= (flat.max(axis=0) + flat.min(axis=0)) / 2
    outline = _outline(flat)
    toward = np.array([lamp.direction.astype(float) @ right, lamp.direction.astype(float) @ up])
    toward = np.array([0.0, 1.0]) if np.linalg.norm(toward) < 0.05 else toward / np.linalg.norm(toward)
    along = outline @ toward
    width = float(along.max() - along.min())
    count = next((MOST_CRESCENTS - k for k, m in enumerate(MARKS) if width >= m * brush), 0)
    away = float(np.arctan2(-toward[1], -toward[0]))
    local = Local(colour, GLASS)
    table = colour_ladder(local)
    shades = (*(screen_hex(table[round(v / 0.05)]) for v in (*VALUES[: count + 1], 8.8)), "#ffffff")
    dot = toward * _radius(outline, away + np.pi) * DOT_OUT
    return Lens(
        outline,
        [_crescent(outline, away, k) for k in range(count)],
        _arc(outline, away, LINE_HALF, LINE_OUT),
        (float(dot[0]), float(dot[1]), max(brush / 2, 0.07 * width)),
        middle,
        shades,
        rows,
        flat,
        width,
    )


def _outline(flat: NDArray[np.float64]) -> NDArray[np.float64]:
    """(ROUND, 2) how far it reaches in every direction, evened out a little."""
    angle = np.arctan2(flat[:, 1], flat[:, 0])
    far = np.hypot(*flat.T)
    bins = np.round((angle + np.pi) / (2 * np.pi) * ROUND).astype(int) % ROUND
    radius = np.zeros(ROUND)
    np.maximum.at(radius, bins, far)
    known = np.flatnonzero(radius > 0)
    turn = np.arange(ROUND)
    radius = np.interp(turn, known, radius[known], period=ROUND)
    radius = (np.roll(radius, 1) + 2 * radius + np.roll(radius, -1)) / 4
    at = turn / ROUND * 2 * np.pi - np.pi
    return np.column_stack([radius * np.cos(at), radius * np.sin(at)])


def _radius(outline: NDArray[np.float64], angle: NDArray | float) -> NDArray:
    """How far the outline is in some directions."""
    far = np.hypot(*outline.T)
    return np.interp((np.asarray(angle) + np.pi) / (2 * np.pi) * ROUND, np.arange(ROUND), far, period=ROUND)


def _arc(outline: NDArray[np.float64], middle: float, half: float, share: NDArray | float) -> NDArray[np.float64]:
    angle = middle + np.linspace(-half, half, 33)
    radius = _radius(outline, angle) * share
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])


def _crescent(outline: NDArray[np.float64], away: float, k: int) -> NDArray[np.float64]:
    """The k-th crescent, the largest first: inside the one before on every side."""
    half, share = HALF_TURN[k], np.linspace(-1, 1, 33)
    inner = OUT[k] - THICK[k] * np.cos(share * np.pi / 2)
    return np.concatenate([_arc(outline, away, half, OUT[k]), _arc(outline, away, half, inner)[::-1]])
