"""Sculpts laid out in memory, ready to be lit: the few used last."""

import threading
from collections import OrderedDict
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.sculpt.brush import likeness
from ..core.sculpt.outlook import Outlook
from ..core.sculpt.parts import alone, pull
from ..core.sculpt.relief import Bends, Line, lines
from ..core.sculpt.site import Site
from .cache import Cache
from .models import Sculpt
from .stages import Shadowless, load_placing, load_sky, load_surface
from .store import Store

MOST_IN_MEMORY = 3  # about 150 MB each


class Laid:
    """One sculpt laid out: its site, and the same at the few samples that are lit while a lamp is dragged."""

    def __init__(self, cache: Cache, surface_key: str, shadowless: Shadowless) -> None:
        surface = load_surface(cache, surface_key)
        self.placing = load_placing(cache, surface_key)
        self.site = Site(surface, apart=[alone(surface, part, uncast) for part, uncast in shadowless])
        self.chosen = cache.array(surface_key, "quick")
        self.between = cache.array(surface_key, "quick_faces")
        self.quick = self.site.only(self.chosen, self.between)
        self.memory: dict[str, Any] = {}  # what pages have worked out on it and may want again
        self.site.surface.caster  # noqa: B018 - built now, so that the first drag does not wait for it

    @cached_property
    def bends(self) -> Bends:
        """How its faces meet, for growing regions."""
        return Bends(self.site.surface)

    @cached_property
    def lines(self) -> list[Line]:
        """Its crests and creases at the usual scale."""
        return lines(self.site.surface, None, self.bends)

    @cached_property
    def looks(self) -> NDArray[np.float64]:
        """Its curvature at two scales, for finding spots alike."""
        return likeness(self.site.surface, self.bends)

    @cached_property
    def pulled(self) -> NDArray[np.float32]:
        """(P, 3) how far each part moves when it is pulled apart."""
        surface = self.site.surface
        return pull(surface, int(surface.part.max()) + 1)

    def add_sky(self, view: Outlook) -> None:
        """Let the sky in."""
        self.site.outlook = view
        self.quick = self.site.only(self.chosen, self.between)


class Scenes:
    """Lays sculpts out from the cache once and keeps the last few. Safe to ask from many threads."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._kept: OrderedDict[tuple[str, Any], Laid] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, sculpt: Sculpt) -> Laid:
        """The sculpt laid out; with its sky as soon as that is known.

        Raises:
            KeyError: its fields are not in the cache and must be prepared again.
        """
        surface_key, shadowless = sculpt.surface_key, sculpt.shadowless
        if surface_key is None:
            raise KeyError("not laid out yet")
        key = (surface_key, tuple(shadowless))
        with self._lock:
            if key not in self._kept:
                self._kept[key] = Laid(self._store.cache, surface_key, shadowless)
            laid = self._kept[key]
            if laid.site.outlook is None and sculpt.sky_key:
                surface = laid.site.surface
                laid.add_sky(load_sky(self._store.cache, sculpt.sky_key, surface_key, surface, shadowless))
            self._kept.move_to_end(key)
            while len(self._kept) > MOST_IN_MEMORY:
                self._kept.popitem(last=False)
        return laid
