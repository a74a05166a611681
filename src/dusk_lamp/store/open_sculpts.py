"""Sculpts opened: laid out in memory, ready to be lit and painted. The few used last are kept."""

import threading
import time
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..core.places import tree_of
from ..core.results import Bounded, Results, result
from ..core.sculpt.brush import likeness
from ..core.sculpt.display import seen_from
from ..core.sculpt.facets import Facet
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.parts import alone, pull
from ..core.sculpt.pieces import Pieces, pieces_of
from ..core.sculpt.relief import Relief
from ..core.sculpt.site import Cuts, Notes, Rows, Site
from ..core.sculpt.surface import RoughForm, Surface
from ..core.sculpt.visibility import Visibility
from ..heap import Tidying
from .cache import InCache
from .models import Sculpt
from .preparing import (
    Progress,
    Shadowless,
    kept_facets,
    load_glimpse,
    load_placing,
    load_sky,
    load_surface,
    mesh_on_bench,
    pieces,
    relief,
    rough,
)
from .store import Store

MOST_IN_MEMORY, USUAL_SAMPLES = 3, 150_000  # about 200 MB each, with all that was worked out on it
IDLE_S = 5.0  # after which a sculpt that nobody asks for lets go of half of that, once another is asked for


def _made_ready(surface: Surface) -> None:
    """What the first drag of a lamp and the first page would wait for, beside what the page does meanwhile."""
    surface.caster  # noqa: B018
    surface.outermost  # noqa: B018


class OpenSculpt:
    """One sculpt laid out: its site, the same at few samples, and its rough form, lit while a lamp is dragged.

    results: what has been worked out on it and may be wanted again, by the core and by pages.
    """

    def __init__(self, store: Store, surface_key: str, shadowless: Shadowless, mended_key: str | None) -> None:
        cache = self._cache = store.cache
        self._sky_key: str | None = None
        surface = load_surface(cache, surface_key)
        self.surface_key = surface_key
        self.placing = load_placing(cache, surface_key)

        def mesh() -> Mesh:
            try:
                return mesh_on_bench(cache, mended_key or "", self.placing)
            except KeyError:  # the cache let it go: what was laid out is nearly as good
                return self.site.bends.joined

        def faceted(site: Site, notes: Notes, cuts: Cuts) -> list[Facet]:
            if (mended_key or "") in cache:
                return kept_facets(cache, surface_key, site, notes, cuts)
            return site.found_facets(notes, cuts)

        apart = [alone(surface, (part,), uncast) for part, uncast in shadowless]

        def felt(rows: Rows) -> Relief:
            return relief(cache, surface_key, surface, rows)

        self.site = Site(surface, None, apart, relief=felt, mesh=mesh, facets=faceted)
        self.chosen = cache.array(surface_key, "quick")
        self.between = cache.array(surface_key, "quick_faces")
        self.results = Results(InCache(cache, surface_key, shadowless))
        self._asked = time.monotonic()
        self.motion = 0  # counts lamps moved: a light that was asked for before the latest is not wanted any more
        threading.Thread(target=_made_ready, args=(surface,), daemon=True).start()

    @property
    def quick(self) -> Site:
        """The site at the few samples that stand for all."""
        return self._quick()

    @result(depends=lambda self: self.site.looked)
    def _quick(self) -> Site:
        return self.site.only(self.chosen, self.between)

    @cached_property
    def rough(self) -> RoughForm:
        """The form in few samples."""
        return rough(self._cache, self.surface_key, self.site.surface)

    @property
    def moving(self) -> Site:
        """The site at the samples of its rough form."""
        return self._moving()

    @result(depends=lambda self: self.site.looked)
    def _moving(self) -> Site:
        return self.site.only(*self.rough)

    @cached_property
    def looks(self) -> NDArray[np.float64]:
        """Its curvature at two scales, for finding spots alike."""
        return likeness(self.site.surface, self.site.bends)

    @cached_property
    def pulled(self) -> NDArray[np.float32]:
        """(P, 3) how far each part moves when it is pulled apart."""
        surface = self.site.surface
        return pull(surface, int(surface.part.max()) + 1)

    @cached_property
    def nearest(self) -> NDArray[np.int64]:
        """(N,) the quick sample nearest to each sample."""
        return tree_of(self.quick.surface.points).query(self.site.surface.points, workers=-1)[1]

    @result(most=8, depends=lambda self, azimuth, elevation: (azimuth, elevation))  # 0.2 MB each
    def seen_from(self, azimuth: float, elevation: float) -> NDArray[np.bool_]:
        """(N,) what is seen from a direction far away, degrees; remembered for the views used last."""
        return seen_from(self.site.surface, azimuth, elevation)

    @result(depends=lambda self, say: self._sky_key)
    def pieces(self, say: Progress) -> Pieces:
        """The tree of its pieces; kept for good once it is known what of it can be painted."""
        if self._sky_key is None:
            return pieces_of(self.site.surface, None, self.site.bends)
        return pieces(self._cache, self._sky_key, self.site, say)

    def asked(self) -> None:
        """Somebody looks at it."""
        self._asked = time.monotonic()

    def rest(self, idle_s: float) -> bool:
        """Let go of what is large and had again in a second, where nobody has asked for this sculpt for so long;
        whether there was something to let go of."""
        if time.monotonic() - self._asked < idle_s:
            return False
        rested = [kept.rest() for kept in (self.site.results, self.results)]
        return any(rested)

    def add_sky(self, view: Visibility, sky_key: str) -> None:
        """Let the sky in."""
        self.site.visibility, self._sky_key = view, sky_key

    def add_glimpse(self, view: Visibility) -> None:
        """Let the first of the sky in."""
        self.site.glimpse = view


class OpenSculpts:
    """Lays sculpts out from the cache once and keeps the last few. Safe to ask from many threads."""

    def __init__(self, store: Store, most: int = MOST_IN_MEMORY) -> None:
        self._store = store
        self._tidy = Tidying().ask
        self._kept: Bounded[tuple, OpenSculpt] = Bounded(
            most, self._tidy, lambda opened: max(1.0, len(opened.site) / USUAL_SAMPLES)
        )
        self._sky = threading.Lock()

    def of(self, sculpt: Sculpt) -> OpenSculpt:
        """The sculpt laid out; with its sky as soon as that is known.

        Raises:
            KeyError: its fields are not in the cache and must be prepared again.
        """
        surface_key, shadowless, sky_key = sculpt.surface_key, sculpt.shadowless, sculpt.sky_key
        mended_key = sculpt.mended_key
        if surface_key is None:
            raise KeyError("not laid out yet")

        def lay_out() -> OpenSculpt:
            self._rest(0.0)  # room for it
            return OpenSculpt(self._store, surface_key, shadowless, mended_key)

        opened = self._kept.of((surface_key, tuple(shadowless)), lay_out)
        opened.asked()
        self._rest(IDLE_S, but=opened)
        if sky_key and opened.site.visibility is None:
            with self._sky:
                if opened.site.visibility is None:
                    surface = opened.site.surface
                    view = load_sky(self._store.cache, sky_key, surface_key, surface, shadowless)
                    opened.add_sky(view, sky_key)
        elif not sky_key and not shadowless and not opened.site.looked:
            with self._sky:
                first = None if opened.site.looked else load_glimpse(self._store.cache, surface_key)
                if first is not None:
                    opened.add_glimpse(first)
        return opened

    def _rest(self, idle_s: float, but: OpenSculpt | None = None) -> None:
        """Have sculpts rest that nobody has asked for so long, but for one."""
        rested = [one for one in self._kept.values() if one is not but and one.rest(idle_s)]
        if rested:
            self._tidy()
