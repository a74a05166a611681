"""Parts: what a sculpt is put together from, how it comes apart, and where painted pieces must match again."""

from collections.abc import Collection
from dataclasses import MISSING, dataclass, replace
from itertools import combinations, permutations

import numpy as np
from numpy.typing import NDArray

from ..places import Tree, tree_of
from ..plain import checked, text
from .marking import LONGEST_NAME
from .mesh import summed
from .surface import Surface, some_samples

MOST_PARTS = 60  # more than anyone assembles; rivets and chain links beyond that are kept together as one
PULL = 0.9  # a part moves out by this share of its distance from the largest one
LEAST_PULL_SHARE = 0.12  # and by at least this share of the size
MOST_TIMES, MOST_AWAY = 2.5, 1.5  # a replacing file this much larger or smaller, or further off, is another part
TOUCHING_MM = 0.25  # parts that are glued lie as near as that
FACING = -0.3  # the normals of two faces that lie on each other
SEAM_SPACINGS = 2.0  # samples nearer than this many spacings lie on a seam


@dataclass(frozen=True)
class Part:
    """One part.

    file, order: which file it came in, and its place among that file's shells, largest first. apart: painted on its
    own and put on afterwards. uncast: numbers of parts that cast no shadow on it.
    """

    name: str = text(MISSING, (1, LONGEST_NAME), "a part's name")
    file: int = 0
    order: int = 0
    apart: bool = False
    uncast: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        checked(self)


def gathered(shell: NDArray[np.int32], areas: NDArray[np.float64], most: int = MOST_PARTS) -> NDArray[np.int32]:
    """(F,) part of each face: its shell, but shells beyond the `most` − 1 largest are one part, the last.

    Args:
        shell: (F,) shells in any order of numbers. areas: (F,) of the faces.
    """
    count = int(shell.max()) + 1
    if count <= most:
        return shell
    largest = np.sort(np.argsort(-summed(shell, areas, count), kind="stable")[: most - 1])
    number = np.full(count, most - 1, np.int32)
    number[largest] = np.arange(most - 1)
    return number[shell]


def parts_matched(named: list[Part], found: list[Part]) -> list[Part]:
    """The parts found in the files, with the names and wishes kept for those that were there before."""
    known = {(p.file, p.order): p for p in named}
    number = {(p.file, p.order): k for k, p in enumerate(found)}
    moved = {k: number.get((p.file, p.order)) for k, p in enumerate(named)}
    out = []
    for part in found:
        if (was := known.get((part.file, part.order))) is None:
            out.append(part)
        else:
            uncast = tuple(sorted(n for k in was.uncast if (n := moved.get(k)) is not None))
            out.append(replace(was, uncast=uncast))
    return out


def mismatch(was: NDArray[np.float64], now: NDArray[np.float64]) -> str:
    """Why a file cannot take the place of another, by the bounds (2, 3) of both in the file's units; "" where it
    can."""
    size, new_size = float(np.ptp(was, axis=0).max()), float(np.ptp(now, axis=0).max())
    times = new_size / max(size, 1e-30)
    away = float(np.linalg.norm(was.mean(axis=0) - now.mean(axis=0)))
    if times > MOST_TIMES or times < 1 / MOST_TIMES:
        return f"it is {times:.3g} times as large as the one it replaces"
    if away > MOST_AWAY * size:
        return f"it lies {away:.0f} units away from where the one it replaces was"
    return ""


def height_with(
    bounds: NDArray[np.float64], number: int, new: NDArray[np.floating], axis: int, height_mm: float
) -> float:
    """The height in mm of the whole when one file is replaced: a taller part makes it taller, and the rest does not
    shrink.

    Args:
        bounds: (F, 2, 3) of every file, in the files' units. number: of the one replaced. new: (2, 3). axis: that
        points up.
    """
    before = np.ptp(bounds[:, :, axis])
    after = bounds.copy()
    after[number] = new
    return float(height_mm * np.ptp(after[:, :, axis]) / max(before, 1e-30))


def areas(surface: Surface, count: int, paintable: NDArray[np.bool_]) -> NDArray[np.float64]:
    """(count,) mm² of each part that a brush can reach."""
    return summed(surface.part, np.where(paintable, surface.areas, 0), count)


def pull(surface: Surface, count: int) -> NDArray[np.float32]:
    """(count, 3) mm: how far each part moves when the sculpt is pulled all the way apart; the largest one stays."""
    out = np.zeros((count, 3))
    weight = np.maximum(summed(surface.part, surface.areas, count), 1e-12)
    middle = np.stack(
        [summed(surface.part, surface.areas * surface.points[:, k], count) / weight for k in range(3)], 1
    )
    way = middle - middle[np.argmax(weight)]
    far = np.linalg.norm(way, axis=1)
    moves = far > 1e-6 * surface.size
    out[moves] = way[moves] * np.maximum(PULL, LEAST_PULL_SHARE * surface.size / far[moves])[:, None]
    return out.astype(np.float32)


def spot(
    surface: Surface,
    origin: NDArray[np.float32],
    direction: NDArray[np.float32],
    hidden: frozenset[int] = frozenset(),
    moved: NDArray[np.float32] | None = None,
) -> tuple[int, NDArray[np.float64]] | None:
    """The face (its number) and the place (3,) mm that a line of sight meets first, or None.

    Args:
        origin, direction: (3,) mm.
        hidden: parts that are out of sight.
        moved: (P, 3) mm, how far each part is pulled from its place; the place is given where it really is.
    """
    count = int(surface.part.max()) + 1
    shifts = np.zeros((count, 3), np.float32) if moved is None else moved
    # one ray for all parts that stand where their neighbours do
    groups = [
        (shift, set(np.flatnonzero((shifts == shift).all(axis=1)).tolist())) for shift in np.unique(shifts, axis=0)
    ]
    best: tuple[float, int, NDArray[np.float64]] | None = None
    for shift, members in groups:
        for face, far, place in surface.caster.passed(origin - shift, direction):
            part = int(surface.part[surface.faces[face, 0]])
            if part in members and part not in hidden:
                if best is None or far < best[0]:
                    best = (far, face, place)
                break
    return None if best is None else best[1:]


def lifted_out(surface: Surface, number: int) -> Surface:
    """One part alone, as a surface of its own."""
    chosen = np.flatnonzero(surface.part == number).astype(np.int32)
    lifted = some_samples(surface, chosen, _between(surface, chosen))
    return replace(lifted, blockers=None)


def alone(surface: Surface, kept: Collection[int], uncast: Collection[int]) -> tuple[NDArray[np.int32], Surface]:
    """Which samples (M,) are of some parts, and those in their place on the model, shadowed by all parts but some.

    A part painted apart is lit in the pose it takes in the end, CP-1; what stands beside it there may or may not be
    meant to cast on it.
    """
    chosen = np.flatnonzero(np.isin(surface.part, list(kept))).astype(np.int32)
    body = surface.blockers or surface
    casts = ~np.isin(body.part[body.faces[:, 0]], list(uncast))
    shadowing = replace(body, faces=np.ascontiguousarray(body.faces[casts]))
    few = some_samples(surface, chosen, _between(surface, chosen))
    return chosen, replace(few, blockers=shadowing)


def _between(surface: Surface, chosen: NDArray[np.int32]) -> NDArray[np.int32]:
    place = np.full(len(surface), -1, np.int32)
    place[chosen] = np.arange(len(chosen), dtype=np.int32)
    faces = place[surface.faces]
    return np.ascontiguousarray(faces[(faces >= 0).all(axis=1)])


@dataclass(frozen=True)
class Seam:
    """Where two parts meet, one of them at least painted apart.

    a, b: their numbers. on_a, on_b: (M,) samples of each beside the seam. length: about, mm.
    """

    a: int
    b: int
    on_a: NDArray[np.int64]
    on_b: NDArray[np.int64]
    length: float

    def either_side(self, surface: Surface, field: NDArray[np.floating]) -> tuple[float, float]:
        """The mean of a field on either side of the seam, by area."""
        a, b = (float(np.average(field[s], weights=surface.areas[s] + 1e-12)) for s in (self.on_a, self.on_b))
        return a, b


def seams(surface: Surface, named: list[Part], paintable: NDArray[np.bool_]) -> list[Seam]:
    """Every seam that has to be matched, the longest first: where a part painted apart meets another, in plain
    sight."""
    reach = SEAM_SPACINGS * surface.spacing
    trees: dict[int, tuple[NDArray[np.int64], Tree]] = {}
    for k in range(len(named)):
        rows = np.flatnonzero((surface.part == k) & paintable)
        if len(rows):
            trees[k] = (rows, tree_of(surface.points[rows]))
    out = []
    for (a, (own_a, tree_a)), (b, (own_b, tree_b)) in combinations(trees.items(), 2):
        if named[a].apart or named[b].apart:
            if (tree_a.mins - reach > tree_b.maxes).any() or (tree_b.mins - reach > tree_a.maxes).any():
                continue
            on_a = own_a[np.isfinite(tree_b.query(tree_a.data, distance_upper_bound=reach, workers=-1)[0])]
            on_b = own_b[np.isfinite(tree_a.query(tree_b.data, distance_upper_bound=reach, workers=-1)[0])]
            if len(on_a) and len(on_b):
                # a band as wide as the reach runs along each side of the seam
                length = float(surface.areas[on_a].sum() + surface.areas[on_b].sum()) / 2 / reach
                out.append(Seam(a, b, on_a, on_b, length))
    return sorted(out, key=lambda s: -s.length)


def glue_faces(surface: Surface, loose: Collection[int], paintable: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(N,) the samples that have to stay bare, since a part painted apart (their numbers: loose) is glued there: on
    both sides, what lies on the other part face to face, or inside it."""
    out = np.zeros(len(surface), np.bool_)
    every = {int(k): np.flatnonzero(surface.part == k) for k in np.unique(surface.part)}
    trees = {k: tree_of(surface.points[rows]) for k, rows in every.items()}
    reach = max(TOUCHING_MM, surface.spacing)
    for a, b in permutations(trees, 2):
        if a not in loose and b not in loose:
            continue
        rows, tree = every[a], trees[b]
        points = surface.points[rows]
        near = ((points >= tree.mins - reach) & (points <= tree.maxes + reach)).all(axis=1)
        rows, points = rows[near], points[near]
        if not len(rows):
            continue
        far, nearest = tree.query(points, workers=-1)
        other = every[b][nearest]
        facing = np.einsum("ij,ij->i", surface.normals[rows], surface.normals[other]) < FACING
        inside = np.einsum("ij,ij->i", points - surface.points[other], surface.normals[other]) < 0
        out[rows] |= ((far <= reach) & facing) | (inside & ~paintable[rows])
    return out
