"""Standing a sculpt up: which way is up, which way it faces, and how tall it really is."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..plain import checked, choice, number
from .mesh import Mesh

AXES = ("z", "-z", "y", "-y", "x", "-x")
HEIGHTS_MM = (28.0, 32.0, 54.0, 75.0)  # the usual scales, offered as presets
USUAL_MM = 32.0
SHORTEST_MM, TALLEST_MM = 2.0, 2000.0  # a rivet to a garden gnome

_VECTOR = {
    "x": (1, 0, 0),
    "-x": (-1, 0, 0),
    "y": (0, 1, 0),
    "-y": (0, -1, 0),
    "z": (0, 0, 1),
    "-z": (0, 0, -1),
}


@dataclass(frozen=True)
class Standing:
    """How a sculpt stands.

    up, front: axis of the file that points up, and the one the figure faces ("-y" and so on), at right angles.
    height_mm: true height; None keeps the file's numbers and takes them as mm.
    """

    up: str = choice("z", AXES, "an axis")
    front: str = choice("-y", AXES, "an axis")
    height_mm: float | None = number(None, SHORTEST_MM, TALLEST_MM, "a height", "mm")

    def __post_init__(self) -> None:
        checked(self)
        if self.up[-1] == self.front[-1]:
            raise SettingError("a figure cannot face straight up or down; choose a front at right angles to up")

    def file_to_bench(self) -> NDArray[np.float64]:
        """(3, 3) rotation from the file's axes to the bench's: z up, the figure facing −y, viewer's right +x."""
        up, back = np.array(_VECTOR[self.up], float), -np.array(_VECTOR[self.front], float)
        return np.stack([np.cross(back, up), back, up])


def fronts_for(up: str) -> tuple[str, ...]:
    """The four ways a figure can face, the likeliest first, when `up` points up."""
    order = {"z": ("-y", "y", "x", "-x"), "y": ("z", "-z", "x", "-x"), "x": ("-y", "y", "z", "-z")}[up[-1]]
    return order if up[0] != "-" else (order[1], order[0], *order[2:])


@dataclass(frozen=True)
class Placing:
    """The way from the file's axes and units to the bench: turned, moved, then scaled.

    turn: (3, 3). move: (3,) in file units. scale: mm to a unit of the file.
    """

    turn: NDArray[np.float64]
    move: NDArray[np.float64]
    scale: float

    def to_bench(self, points: NDArray) -> NDArray[np.float64]:
        """Places (N, 3) of the file on the bench, mm."""
        return (np.asarray(points, np.float64) @ self.turn.T + self.move) * self.scale

    def to_file(self, points: NDArray) -> NDArray[np.float64]:
        """Places (N, 3) on the bench in the file."""
        return (np.asarray(points, np.float64) / self.scale - self.move) @ self.turn

    def as_array(self) -> NDArray[np.float64]:
        """(5, 3), to be kept as a field."""
        return np.vstack([self.turn, self.move, [self.scale, 0, 0]])

    @classmethod
    def from_array(cls, kept: NDArray[np.float64]) -> "Placing":
        """Back from `as_array`."""
        return cls(kept[:3], kept[3], float(kept[4, 0]))


def placing(mesh: Mesh, standing: Standing) -> Placing:
    """How the mesh comes to stand on the bench: z up, mm, ground at z = 0, the middle of its footprint over the
    origin.

    Raises:
        SettingError: it has no height this way up.
    """
    turn = standing.file_to_bench()
    low, high = np.sort(mesh.bounds.astype(np.float64) @ turn.T, axis=0)
    scale = 1.0
    if standing.height_mm is not None:
        tall = high[2] - low[2]
        if tall <= 0:
            raise SettingError("lying like this the sculpt has no height at all; stand it another way up")
        scale = standing.height_mm / tall
    return Placing(turn, -np.array([*(low + high)[:2] / 2, low[2]]), scale)


def stand(mesh: Mesh, standing: Standing) -> Mesh:
    """The mesh on the bench; see `placing`."""
    return Mesh(placing(mesh, standing).to_bench(mesh.vertices).astype(np.float32), mesh.faces)


@dataclass(frozen=True)
class UpGuess:
    """One way of standing, with how likely it is (higher is likelier) and why, in words."""

    up: str
    score: float
    reason: str


def guess_up(mesh: Mesh) -> list[UpGuess]:
    """All six ways it could stand, the likeliest first.

    A figure rests on something flat: the area of faces lying in the lowest 2 % and facing down counts most. Taller
    than wide, wider at the bottom than at the top, and the habit of exporters (z up, then y up) break ties.
    """
    # every k-th face is plenty to weigh a form by
    rough = Mesh(mesh.vertices, mesh.faces[:: 1 + len(mesh.faces) // 100_000])
    normals = rough.crosses()
    areas = np.linalg.norm(normals, axis=1) * (0.5 * len(mesh.faces) / len(rough.faces))
    normals /= np.maximum(2 * areas * len(rough.faces) / len(mesh.faces), 1e-300)[:, None]
    middles = rough.middles()
    size = np.ptp(mesh.bounds.astype(float), axis=0)
    habit = {"z": 0.10, "y": 0.07, "x": 0.01, "-z": 0.0, "-y": 0.0, "-x": 0.0}
    guesses = []
    for axis in AXES:
        up = np.array(_VECTOR[axis], float)
        k = int(np.argmax(np.abs(up)))
        height = middles @ up
        low, tall = height.min(), max(float(np.ptp(height)), 1e-300)
        footprint = max(float(np.prod(np.delete(size, k))), 1e-300)
        resting = areas[(height < low + 0.02 * tall) & (normals @ up < -0.95)].sum() / footprint
        standing_tall = size[k] / max(size.max(), 1e-300)
        bottom_heavy = 0.5 - (float((height - low) @ areas) / max(areas.sum(), 1e-300)) / tall
        score = min(resting, 1.0) + 0.35 * standing_tall + 0.5 * bottom_heavy + habit[axis]
        reason = "rests on a flat base" if resting > 0.2 else ("tallest this way" if standing_tall > 0.99 else "")
        guesses.append(UpGuess(axis, float(score), reason))
    return sorted(guesses, key=lambda g: -g.score)


@dataclass(frozen=True)
class UnitsGuess:
    """What the file's numbers probably are, the height to offer in mm, and a sentence saying so."""

    unit: str
    height_mm: float
    sentence: str
    sure: bool


def guess_units(tall: float) -> UnitsGuess:
    """Guess the unit from how many units tall the standing sculpt is.

    A miniature is 15–150 mm tall, which fits mm only in one range; the other ranges are what common exporters write.
    A figure as tall as a person was sculpted at life size, in metres or in millimetres: neither is a miniature.
    """
    said = f"{tall:.3g}"
    if 15 <= tall <= 150:
        return UnitsGuess("mm", round(tall, 2), f"{said} units tall: millimetres.", True)
    if 1.2 <= tall <= 2.5:
        return UnitsGuess(
            "life-size metres",
            USUAL_MM,
            f"{said} units tall is a person in metres, not a miniature: set its height.",
            False,
        )
    if 1200 <= tall <= 2500:
        return UnitsGuess(
            "life-size mm",
            USUAL_MM,
            f"{said} units tall is a person in millimetres, not a miniature: set its height.",
            False,
        )
    if 120 <= tall <= 250:
        return UnitsGuess("mm", round(tall, 2), f"{said} units tall: millimetres, a large display piece?", False)
    for unit, low, high, mm in (("inches", 0.5, 1.2, 25.4), ("cm", 2.5, 15, 10), ("metres", 0.015, 0.15, 1000)):
        if low <= tall <= high:
            return UnitsGuess(
                unit, round(tall * mm, 1), f"{said} units tall is probably in {unit}: {tall * mm:.0f} mm.", False
            )
    return UnitsGuess(
        "unknown", USUAL_MM, f"{said} units tall fits no unit a miniature is sculpted in: set its height.", False
    )


def guessed_standing(up: str, size: Sequence[float]) -> Standing:
    """How a sculpt probably stands whose axis `up` points up. size: of its box along x, y and z, in its own
    units."""
    return Standing(up, fronts_for(up)[0], guess_units(float(size["xyz".index(up[-1])])).height_mm)
