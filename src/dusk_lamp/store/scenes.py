"""Sculpts laid out in memory, ready to be lit: the few used last."""

import threading
from collections import OrderedDict
from functools import cached_property

from ..core.light.rig import Scene
from ..core.light.sky import SkyView
from ..core.sculpt.relief import Bends, Line, lines
from .cache import Cache
from .models import Sculpt
from .stages import load_sky, load_surface
from .store import Store

MOST_IN_MEMORY = 3  # about 150 MB each


class Laid:
    """One sculpt laid out: its scene, and the same at the few samples that are lit while a lamp is dragged."""

    def __init__(self, cache: Cache, surface_key: str) -> None:
        self.scene = Scene(load_surface(cache, surface_key))
        self.chosen = cache.array(surface_key, "quick")
        self.between = cache.array(surface_key, "quick_faces")
        self.quick = self.scene.only(self.chosen, self.between)
        self.scene.surface.caster  # noqa: B018 - built now, so that the first drag does not wait for it

    @cached_property
    def bends(self) -> Bends:
        """How its faces meet, for growing regions."""
        return Bends(self.scene.surface)

    @cached_property
    def lines(self) -> list[Line]:
        """Its crests and creases at the usual scale."""
        return lines(self.scene.surface, None, self.bends)

    def add_sky(self, view: SkyView) -> None:
        """Let the sky in."""
        self.scene.view = view
        self.quick = self.scene.only(self.chosen, self.between)


class Scenes:
    """Lays sculpts out from the cache once and keeps the last few. Safe to ask from many threads."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._kept: OrderedDict[str, Laid] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, sculpt: Sculpt) -> Laid:
        """The sculpt laid out; with its sky as soon as that is known.

        Raises:
            KeyError: its fields are not in the cache and must be prepared again.
        """
        key = sculpt.surface_key
        if key is None:
            raise KeyError("not laid out yet")
        with self._lock:
            if key not in self._kept:
                self._kept[key] = Laid(self._store.cache, key)
            laid = self._kept[key]
            if laid.scene.view is None and sculpt.sky_key:
                laid.add_sky(load_sky(self._store.cache, sculpt.sky_key))
            self._kept.move_to_end(key)
            while len(self._kept) > MOST_IN_MEMORY:
                self._kept.popitem(last=False)
        return laid
