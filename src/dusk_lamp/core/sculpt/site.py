"""A site: everything a technique, a light or a target may ask of one sculpt; what is costly is worked out when first
asked for."""

import base64
import zlib
from collections.abc import Callable, Iterable, Sequence
from copy import copy
from dataclasses import dataclass, replace
from functools import lru_cache
from threading import RLock
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..places import Tree, tree_of
from ..plain import checked, choice, text
from ..results import Results, known, result
from .facets import Facet, FacetCut, FacetNote, facets, flat_parts
from .marking import Marking
from .mesh import Mesh
from .parts import alone, glue_faces
from .relief import Bends, Line, Relief, lines, relief_of
from .surface import Surface, some_samples
from .visibility import Visibility, visibility_of

Rows = NDArray[np.integer] | None  # of samples; None for all
Notes = Sequence[FacetNote]
Cuts = Sequence[FacetCut]
Apart = tuple[NDArray[np.int32], Surface]  # samples of a part that some neighbours do not shadow, and that part
T = TypeVar("T")
LONGEST_MASK = 400_000  # letters: two million samples at random
FADES = 255  # steps from none of a film to all of it
MOST_UNPACKED = 120  # masks kept unpacked, 0.2 MB each: a page asks for each of its plan's a dozen times


@dataclass(frozen=True)
class Where:
    """What a coat goes on: the whole model, a region or a part by its number, or some of its samples.

    number: the id of a region (0 is the rest), a part's from 0. mask: which samples, as `Where.some` packs them.
    fade: how much of the film each sample of the mask gets, where a coat fades out; "" for all of it.
    """

    kind: str = choice("whole", ("whole", "region", "part", "mask"), "what a coat goes on")
    number: int = 0
    mask: str = text("", (0, LONGEST_MASK), "which spots a coat goes on")
    fade: str = text("", (0, LONGEST_MASK), "where a coat fades out")

    def __post_init__(self) -> None:
        checked(self)

    @classmethod
    def some(cls, on: NDArray[np.bool_], share: NDArray | None = None) -> "Where":
        """The samples of a mask (N,). share: (N,) 0..1 of the film that each gets, None for all of it."""
        fade = "" if share is None or (share[on] >= 1).all() else _packed(np.round(FADES * np.clip(share[on], 0, 1)))
        return cls("mask", len(on), _packed(np.packbits(on)), fade)

    def shares(self, count: int) -> NDArray[np.float32] | None:
        """(count,) how much of the film each sample gets; None where it does not fade.

        Raises:
            SettingError: it is garbled.
        """
        if not self.fade or self.number != count:
            return None
        mask = self.samples(count)
        out = np.zeros(count, np.float32)
        out[mask] = np.minimum(_bytes(self.fade, int(mask.sum())), FADES) / np.float32(FADES)
        return out

    def samples(self, count: int) -> NDArray[np.bool_]:
        """(count,) which samples; none where the mask was made for a surface with another number of them.

        Raises:
            SettingError: it is garbled.
        """
        return np.zeros(count, np.bool_) if self.number != count else _unpacked(self.mask, count)


def _packed(values: NDArray) -> str:
    return base64.b85encode(zlib.compress(values.astype(np.uint8).tobytes(), 9)).decode()


def _bytes(text: str, count: int) -> NDArray[np.uint8]:
    try:
        found = zlib.decompressobj().decompress(base64.b85decode(text), count)  # never more than it can need
    except (ValueError, zlib.error) as e:
        raise SettingError("where this coat goes is garbled; choose it again") from e
    return np.frombuffer(found.ljust(count, b"\0"), np.uint8)


@lru_cache(MOST_UNPACKED)
def _unpacked(mask: str, count: int) -> NDArray[np.bool_]:
    mask_bits = np.unpackbits(_bytes(mask, -(-count // 8)))[:count].astype(np.bool_)
    mask_bits.flags.writeable = False  # it is shared
    return mask_bits


WHOLE = Where()


class Site:
    """One sculpt as the rest of the core may ask of it.

    surface: the samples. visibility: what each sees of its surroundings, None as long as that is not known: lamps and
    sprays can do without. glimpse: the same of a few directions, as long as that is all there is: light makes do with
    it. apart: parts on which some others do not cast. relief: given, or a function that gives it for some rows or for
    all (None), or worked out here. marking: given, or a function that gives it; else an empty one. loose: numbers of
    the parts that are painted apart. mesh: gives the file's triangles as they stand on the bench. facets: gives its
    facets where they may be kept. Safe to ask from many threads.
    """

    def __init__(
        self,
        surface: Surface,
        visibility: Visibility | None = None,
        apart: Sequence[Apart] = (),
        *,
        relief: Relief | Callable[[Rows], Relief] | None = None,
        marking: Marking | Callable[[], Marking] | None = None,
        loose: Iterable[int] = (),
        mesh: Callable[[], Mesh] | None = None,
        facets: "Callable[[Site, Notes, Cuts], list[Facet]] | None" = None,
    ) -> None:
        self.surface = surface
        self._visibility = visibility
        self._glimpse: Visibility | None = None
        self.apart = tuple(apart)
        self.loose = frozenset(loose)
        self._mesh = mesh
        self._facets = facets or Site.found_facets
        self._relief = relief or (lambda rows: relief_of(surface, rows=rows))
        self._marking = marking or (lambda: Marking(np.zeros(len(surface), np.uint8)))
        self.results = Results()
        self._last_few: tuple[NDArray[np.bool_], Site] | None = None
        self._lock = RLock()

    def __len__(self) -> int:
        return len(self.surface)

    @property
    def visibility(self) -> Visibility | None:
        """What each sample sees of its surroundings, once that is known."""
        return self._visibility

    @visibility.setter
    def visibility(self, seen: Visibility | None) -> None:
        with self._lock:
            self._visibility, self._glimpse, self._last_few = seen, None, None
            self.results.clear()

    @property
    def glimpse(self) -> Visibility | None:
        """What each sample sees along a few directions, as long as no more is known."""
        return self._glimpse

    @glimpse.setter
    def glimpse(self, seen: Visibility) -> None:
        with self._lock:
            if self._visibility is None:
                self._glimpse, self._last_few = seen, None
                self.results.clear()

    @property
    def looked(self) -> int:
        """Along how many directions it was looked."""
        seen = self._visibility or self._glimpse
        return 0 if seen is None else len(seen.directions)

    @property
    def paintable(self) -> NDArray[np.bool_]:
        """(N,) what can be seen from anywhere; everything, as long as the visibility is not known."""
        return np.ones(len(self), np.bool_) if self._visibility is None else self._visibility.paintable

    @property
    def areas(self) -> NDArray[np.float32]:
        """(N,) mm² that can be painted."""
        return self._areas()

    @result()
    def _areas(self) -> NDArray[np.float32]:
        return np.where(self.paintable, self.surface.areas, np.float32(0))

    @property
    def relief(self) -> Relief:
        """Cavity and exposedness at the brush's scale."""
        return self._felt()

    @result()
    def _felt(self) -> Relief:
        return self._relief if isinstance(self._relief, Relief) else self._relief(None)

    def relief_at(self, rows: NDArray[np.integer]) -> Relief:
        """The same of some samples (M,) alone: a face is a fiftieth of its model, and quicker felt."""
        if isinstance(self._relief, Relief) or known(Site._felt, self) is not None:
            return Relief(self.relief.cavity[rows], self.relief.exposed[rows])
        return self._relief(rows)

    @property
    def marking(self) -> Marking:
        """Which sample belongs to which region."""
        return self._marking if isinstance(self._marking, Marking) else self._marking()

    @property
    def labels(self) -> NDArray[np.uint8]:
        """(N,) region of each sample, 0 for the rest."""
        return self.marking.labels

    @property
    def parts(self) -> NDArray[np.int32]:
        """(N,) part of each sample."""
        return self.surface.part

    @property
    def bends(self) -> Bends:
        """How its faces meet."""
        return self._bends()

    @result(rests=True)
    def _bends(self) -> Bends:
        return Bends(self.surface)

    @property
    def tree(self) -> Tree:
        """Its samples, for the nearest of them."""
        return self._tree()

    @result()
    def _tree(self) -> Tree:
        return tree_of(self.surface.points)

    @property
    def paintable_faces(self) -> NDArray[np.int32]:
        """(F, 3) the facets of which every corner can be painted."""
        return self._paintable_faces()

    @result()
    def _paintable_faces(self) -> NDArray[np.int32]:
        return self.surface.faces[self.paintable[self.surface.faces].all(axis=1)]

    @property
    def mesh(self) -> Mesh:
        """The file's triangles as they stand on the bench, mm; those of the surface where the file is not at hand."""
        return self.bends.joined if self._mesh is None else self._mesh()

    @result(most=8, depends=lambda self, notes=(), cuts=(): (tuple(notes), tuple(cuts)))
    def facets(self, notes: Notes = (), cuts: Cuts = ()) -> list[Facet]:
        """Its facets, the largest first, as they were found and as the painter corrected them."""
        return self._facets(self, notes, cuts)

    def found_facets(self, notes: Notes = (), cuts: Cuts = ()) -> list[Facet]:
        """The same, worked out; what is flat is found once for all corrections."""
        return facets(self.surface, self.bends, self.mesh, notes, cuts, self._flat_parts())

    @result(rests=True)
    def _flat_parts(self) -> Any:
        return flat_parts(self.surface, self.mesh)

    @property
    def lines(self) -> list[Line]:
        """Its crests and creases at the usual scale, the longest first."""
        return self._lines()

    @result()
    def _lines(self) -> list[Line]:
        return lines(self.surface, None, self.bends)

    @property
    def shown(self) -> NDArray[np.int32]:
        """(N,) which sample each is drawn as: itself where it can be seen, else its nearest neighbour that can be.
        What lies inside, where shells pass through each other, would draw dark dotted seams; it counts in no area."""
        return self._shown()

    @result()
    def _shown(self) -> NDArray[np.int32]:
        shown = np.arange(len(self), dtype=np.int32)
        seen = self.paintable
        if seen.all() or not seen.any():
            return shown
        inside = np.flatnonzero(~seen)
        near = tree_of(self.surface.points[seen]).query(self.surface.points[inside], workers=-1)[1]
        shown[inside] = np.flatnonzero(seen)[near]
        return shown

    @property
    def pieces(self) -> list[tuple[NDArray[np.int32], "Site"]]:
        """What is held in the hand on its own while it is painted: each part painted apart, and all others together;
        which samples (M,) each has, and a site where nothing else stands in the way. None where nothing is apart."""
        return self._pieces() if self.loose else []

    @result(most=2, depends=lambda self: self.loose)
    def _pieces(self) -> list[tuple[NDArray[np.int32], "Site"]]:
        every = set(np.unique((self.surface.blockers or self.surface).part).tolist())
        held = [{k} for k in sorted(self.loose & every)] + [every - self.loose]
        out = []
        for parts in held:
            if np.isin(self.parts, list(parts)).any():
                chosen, surface = alone(self.surface, parts, every - parts)
                out.append((chosen, Site(surface)))
        return out

    @property
    def glued(self) -> NDArray[np.bool_]:
        """(N,) what has to stay bare, since a part that is painted apart is glued there."""
        return self._glued()

    @result(most=2, depends=lambda self: self.loose)
    def _glued(self) -> NDArray[np.bool_]:
        return glue_faces(self.surface, self.loose, self.paintable)

    def marked(self, marking: Marking, loose: Iterable[int] | None = None) -> "Site":
        """The same site with another marking, and other parts painted apart; all that is known of it is shared."""
        other = copy(self)
        other._marking = marking
        if loose is not None:
            other.loose = frozenset(loose)
        return other

    def on(self, where: Where) -> NDArray[np.bool_] | None:
        """(N,) the samples a coat goes on; None for all of them.

        Raises:
            SettingError: no such region or part, or a mask that is garbled. One made for another surface is empty.
        """
        if where.kind == "whole":
            return None  # so that nobody multiplies by ones
        if where.kind == "mask":
            return where.samples(len(self))
        if where.kind == "part":
            if not 0 <= where.number <= int(self.parts.max(initial=0)):
                raise SettingError("the part of this coat is not there any more; choose another")
            return np.asarray(self.parts == where.number)
        if where.number not in self.marking.ids:
            raise SettingError("the region of this coat is not there any more; choose another")
        return np.asarray(self.labels == self.marking.number_of(where.number))

    def few(self, mask: NDArray[np.bool_]) -> "Site":
        """The same sculpt at the samples (N,) that something goes on. Many things go on the same ones, one after
        another: the last is kept."""
        kept = self._last_few
        if kept is None or not np.array_equal(kept[0], mask):
            rows = np.flatnonzero(mask).astype(np.int32)
            kept = self._last_few = mask, self.only(rows, np.zeros((0, 3), np.int32))
        return kept[1]

    def only(
        self, chosen: NDArray[np.int32], faces: NDArray[np.int32], areas: NDArray[np.float32] | None = None
    ) -> "Site":
        """The same sculpt at some of its samples only; see sculpt.surface.some_samples."""
        part = some_samples(self.surface, chosen, faces, areas)
        apart = [few for samples, alone in self.apart if (few := _few(samples, alone, chosen)) is not None]
        seen = None if self._visibility is None else _visibility_at(self._visibility, self.surface, part, chosen)

        def relief(rows: Rows) -> Relief:
            if rows is None:
                return Relief(self.relief.cavity[chosen], self.relief.exposed[chosen])
            return self.relief_at(chosen[rows])

        def marking() -> Marking:
            whole = self.marking
            return replace(whole, labels=whole.labels[chosen])

        out = Site(part, seen, apart, relief=relief, marking=marking, loose=self.loose)
        if self._glimpse is not None:
            out.glimpse = _visibility_at(self._glimpse, self.surface, part, chosen)
        return out


def seen_site(
    surface: Surface,
    shadowless: Sequence[tuple[int, tuple[int, ...]]] = (),
    *,
    marking: Marking | None = None,
    loose: Iterable[int] = (),
    mesh: Mesh | None = None,
) -> Site:
    """A site that knows what each sample sees of its surroundings. shadowless: numbers of the parts on which some
    others, by their numbers, do not cast."""
    apart, seen = [], visibility_of(surface)
    for part, uncast in shadowless:
        samples, by_itself = alone(surface, (part,), uncast)
        apart.append((samples, by_itself))
        seen = seen.with_part(samples, visibility_of(by_itself))
    return Site(surface, seen, apart, marking=marking, loose=loose, mesh=None if mesh is None else lambda: mesh)


def _visibility_at(whole: Visibility, surface: Surface, part: Surface, chosen: NDArray[np.int32]) -> Visibility:
    place = np.full(len(surface), -1, np.int32)
    place[chosen] = np.arange(len(chosen), dtype=np.int32)
    # the base's light is read at the chosen sample nearest to the one that was met
    looks = place[whole.base_row] >= 0
    met = np.zeros(len(surface), np.bool_)
    met[whole.base_sample[looks]] = True
    near = np.zeros(len(surface), np.int32)
    near[met] = tree_of(part.points).query(surface.points[met], workers=-1)[1]
    return Visibility(
        whole.directions,
        whole.bits[chosen],
        place[whole.base_row[looks]],
        near[whole.base_sample[looks]],
        whole.base_direction[looks],
    )


def _few(rows: NDArray[np.int32], alone: Surface, chosen: NDArray[np.int32]) -> Apart | None:
    """Those of a part's samples (its own numbers, and its surface) that are among the chosen ones."""
    _, here, places = np.intersect1d(rows, chosen, assume_unique=True, return_indices=True)
    if not len(here):
        return None
    part = some_samples(alone, here.astype(np.int32), np.zeros((0, 3), np.int32))
    return places.astype(np.int32), replace(part, blockers=alone.blockers)
