"""The visibility: which of a fixed set of directions each spot sees, kept as bits, so that no relighting casts a ray
again."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

from ..directions import fibonacci_sphere
from ..errors import Stopped
from ..rays import Caster, in_threads, stretches
from .surface import Surface

DIRECTIONS = 256
AT_FIRST = 64  # of them, looked along before the others: enough for a first light
# spots, the samples of the base they meet, and the numbers of the directions, all (H,)
Hits = tuple[NDArray[np.integer], NDArray[np.int32], NDArray[np.integer]]
_NONE: Hits = (np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0, np.int32))


@dataclass(frozen=True)
class Visibility:
    """What each spot sees of its surroundings.

    directions: (D, 3) float32 unit vectors over the whole sphere, D a multiple of 8.
    bits: (N, D/8) uint8, bit j set where nothing lies toward direction j (and the spot faces it).
    base_row, base_sample, base_direction: for rays that go down and meet the sculpt's own base, three (H,) int32
        arrays: the spot that looks, the sample of the base it meets, and the number of the direction.
    """

    directions: NDArray[np.float32]
    bits: NDArray[np.uint8]
    base_row: NDArray[np.int32]
    base_sample: NDArray[np.int32]
    base_direction: NDArray[np.int32]

    @cached_property
    def paintable(self) -> NDArray[np.bool_]:
        """(N,) whether a spot sees out in any direction. One that sees out in none lies inside: a shell pushed
        through another, the inner wall of a hollow cast. Nobody can see or paint it, so it is left out of areas."""
        return self.bits.max(axis=1) > 0

    def with_part(self, chosen: NDArray[np.int32], view: "Visibility") -> "Visibility":
        """The same, but for some samples (M,) what they see in another view of theirs, where fewer things shadow
        them. What lies inside on the whole model stays unpaintable."""
        paintable = self.paintable[chosen]
        bits = self.bits.copy()
        bits[chosen[paintable]] = view.bits[paintable]
        replaced = np.zeros(len(self.bits), np.bool_)
        replaced[chosen[paintable]] = True
        old, new = ~replaced[self.base_row], paintable[view.base_row]
        return Visibility(
            self.directions,
            bits,
            np.concatenate([self.base_row[old], chosen[view.base_row[new]]]),
            np.concatenate([self.base_sample[old], view.base_sample[new]]),
            np.concatenate([self.base_direction[old], view.base_direction[new]]),
        )


@cache
def at_first(directions: int = DIRECTIONS) -> NDArray[np.int64]:
    """(64,) numbers of the directions that are looked along first, spread as evenly as they go: each is the one
    farthest from those before it (Gonzalez 1985)."""
    sphere = fibonacci_sphere(directions)
    chosen = [0]
    nearest = sphere @ sphere[0]
    while len(chosen) < min(AT_FIRST, directions):
        chosen.append(int(nearest.argmin()))
        nearest = np.maximum(nearest, sphere @ sphere[chosen[-1]])
    return np.sort(chosen)


BASE_SHARE = 0.15  # what faces up in the lowest 15 % of the height is the sculpt's own base


def visibility_of(
    surface: Surface,
    directions: int = DIRECTIONS,
    progress: Callable[[float], None] | None = None,
    stopped: Callable[[], bool] | None = None,
    glimpsed: Callable[[Visibility], None] | None = None,
) -> Visibility:
    """Cast one ray from every spot toward every direction it faces.

    Args:
        surface: the samples.
        directions: how many, a multiple of 8, spread evenly over the sphere.
        progress: is given the share done, 0..1.
        stopped: asked now and then; True ends the work.
        glimpsed: is given what is known after the first AT_FIRST directions, as a visibility of those alone.
    Raises:
        Stopped: `stopped` said so.
    """
    sphere = fibonacci_sphere(directions)
    seen = np.zeros((directions // 8, len(surface)), np.uint8)  # a bit for each direction
    body = surface.blockers or surface  # what the rays meet
    low = float(body.points[:, 2].min())
    tall, up = (sum(field[body.faces[:, k], 2] for k in range(3)) / 3 for field in (body.points, body.normals))
    is_base = (up > 0.5) & (tall < low + BASE_SHARE * body.height)
    hits = [_NONE]
    caster = _quick_caster(body)
    boxed = caster.boxed(surface.origins)
    done = 0

    def from_stretch(span: slice, looking: NDArray[np.int64]) -> None:
        nonlocal done
        if stopped and stopped():  # a question to the database: once for a stretch
            raise Stopped("stopped while looking at the sky")
        free = np.zeros((directions, span.stop - span.start), np.bool_)
        look = caster.boxed_looked(boxed[span], surface.normals[span], sphere[looking], is_base)
        free[looking] = look.free
        seen[:, span] |= np.packbits(free, axis=0, bitorder="little")
        hits.append((span.start + look.place, body.faces[look.face, 0], looking[look.direction]))
        done += len(looking) * (span.stop - span.start)
        if progress:
            progress(done / (directions * max(len(surface), 1)))

    def look_along(looking: NDArray[np.int64]) -> None:
        in_threads(lambda part: from_stretch(part, looking), stretches(len(surface)))

    def known(chosen: NDArray[np.int64]) -> Visibility:
        bits = seen
        if len(chosen) < directions:
            each = np.unpackbits(seen, axis=0, bitorder="little")
            bits = np.packbits(each[chosen], axis=0, bitorder="little")
        return _view(sphere[chosen], np.ascontiguousarray(bits.T), hits, chosen)

    whole = np.arange(directions)
    first = at_first(directions) if glimpsed else whole[:0]
    if glimpsed:
        look_along(first)
        glimpsed(known(first))
    look_along(np.setdiff1d(whole, first))
    return known(whole)


def _quick_caster(body: Surface) -> Caster:
    """What rays of the sky meet: of 20 million one or two slip through an edge between two faces, which nobody
    sees."""
    return Caster(body.points, body.faces, robust=False)


def _view(
    directions: NDArray[np.float32], bits: NDArray[np.uint8], hits: list[Hits], chosen: NDArray[np.int64]
) -> Visibility:
    """A visibility of what was found along directions. chosen: (D,) their numbers in the hits, ascending."""
    row, sample, number = (np.concatenate(found) for found in zip(*hits, strict=True))
    # threads finish in any order; results must not depend on it
    order = np.lexsort((row, number))
    number = np.searchsorted(chosen, number[order])
    return Visibility(
        directions, bits, row[order].astype(np.int32), sample[order].astype(np.int32), number.astype(np.int32)
    )


def view_packed(view: Visibility, surface: Surface) -> bytes:
    """A whole visibility as a small NPZ: its bits, and along which directions each spot meets the base. What it meets
    there is found again in a tenth of the time."""
    base = np.zeros((len(view.bits), len(view.directions)), np.bool_)
    base[view.base_row, view.base_direction] = True
    out = BytesIO()
    np.savez_compressed(out, bits=view.bits, base=np.packbits(base, axis=1, bitorder="little"), of=mark_of(surface))
    return out.getvalue()


def unpacked(content: bytes, surface: Surface) -> Visibility | None:
    """The visibility that was packed, to the last bit; None where it is that of another surface."""
    with np.load(BytesIO(content), allow_pickle=False) as kept:
        if str(kept["of"]) != mark_of(surface):
            return None
        bits, base = kept["bits"], np.unpackbits(kept["base"], axis=1, bitorder="little")
    sphere, body = fibonacci_sphere(base.shape[1]), surface.blockers or surface
    caster = _quick_caster(body)
    boxed = caster.boxed(surface.origins)
    hits = [_NONE]

    def one(j: int) -> None:
        rows = np.flatnonzero(base[:, j])
        met = caster.boxed_first_face(boxed.take(rows, axis=0), sphere[j])
        hits.append((rows, body.faces[met, 0], np.full(len(rows), j)))

    in_threads(one, np.flatnonzero(base.any(axis=0)).tolist())
    return _view(sphere, bits, hits, np.arange(len(sphere)))


def mark_of(surface: Surface) -> str:
    """What tells the spots of one surface from those of another."""
    places = np.ascontiguousarray(surface.points, np.float32).round(3)
    return hashlib.sha256(places.tobytes()).hexdigest()[:32]
