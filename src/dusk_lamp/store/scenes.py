"""Sculpts laid out in memory, ready to be lit: the few used last."""

import threading
from collections import OrderedDict

from ..core.light.rig import Scene
from .models import Sculpt
from .stages import load_sky, load_surface
from .store import Store

MOST_IN_MEMORY = 3  # about 150 MB each


class Scenes:
    """Loads scenes from the cache once and keeps the last few. Safe to ask from many threads."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._kept: OrderedDict[str, Scene] = OrderedDict()
        self._lock = threading.Lock()

    def of(self, sculpt: Sculpt) -> Scene:
        """The scene of a sculpt that is ready; with its sky as soon as that is known.

        Raises:
            KeyError: its fields are not in the cache and must be prepared again.
        """
        key = sculpt.surface_key
        if key is None:
            raise KeyError("not laid out yet")
        with self._lock:
            scene = self._kept.get(key)
            if scene is None:
                scene = Scene(load_surface(self._store.cache, key))
                scene.surface.caster  # noqa: B018 - built now, under the lock, so that it is built once
                self._kept[key] = scene
            if scene.view is None and sculpt.sky_key:
                scene.view = load_sky(self._store.cache, sculpt.sky_key)
            self._kept.move_to_end(key)
            while len(self._kept) > MOST_IN_MEMORY:
                self._kept.popitem(last=False)
        return scene
