"""Sculpts laid out in memory, ready to be lit and painted: the few used last."""

import json
import threading
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.light.emitter import Glow
from ..core.light.key import Stop
from ..core.light.rig import Rig
from ..core.plain import plain
from ..core.plan.outcome import Look
from ..core.plan.touch_up import TouchUp
from ..core.sculpt.brush import likeness
from ..core.sculpt.display import seen_from
from ..core.sculpt.marking import Marking
from ..core.sculpt.outlook import Outlook
from ..core.sculpt.parts import alone, pull
from ..core.sculpt.site import Site
from ..core.target.exposure import Exposure
from ..core.target.target import Target, target
from ..core.view.raster import Snapshot
from .memory import Bounded
from .models import Sculpt
from .stages import Shadowless, load_placing, load_sky, load_surface, relief
from .store import Store

MOST_IN_MEMORY = 3  # about 150 MB each
MOST_FILMS, MOST_AFTER, MOST_TARGETS = 40, 30, 4  # about 0.7 MB, 1.3 MB and 0.7 MB each
MOST_LIT = 2  # about 6 MB each: the light that is kept, and the one being tried
MOST_SEEN = 8  # 0.2 MB each
MOST_SHOTS = 6  # 14 MB each: one for every view of the sheet
MOST_TOUCHED = 4  # a few kB each
MOST_SKETCHES = 2  # 3 MB each
MOST_WAYS = 80  # a region painted one way: masks, some 20 kB each
MOST_GLOWS = 26  # 1.5 MB each: as many as can be kept apart, as they are and with their glints
MOST_METALS = 4  # 0.7 MB each
MOST_REFLECTANCES = 2  # 26 MB each: only to go on from


class Laid:
    """One sculpt laid out: its site, and the same at the few samples that are lit while a lamp is dragged.

    films, after, targets, touched, reflectances, shots, large, guesses, plans, glows, metals, sketches, ways: what pages have
    worked out on it and may want again, by what it was made from.
    """

    def __init__(self, store: Store, surface_key: str, shadowless: Shadowless) -> None:
        cache = store.cache
        surface = load_surface(cache, surface_key)
        self.surface_key = surface_key
        self.placing = load_placing(cache, surface_key)
        apart = [alone(surface, (part,), uncast) for part, uncast in shadowless]
        self.site = Site(surface, None, apart, relief=lambda: relief(cache, surface_key, surface))
        self.chosen = cache.array(surface_key, "quick")
        self.between = cache.array(surface_key, "quick_faces")
        self.quick = self.site.only(self.chosen, self.between)
        self._lit: Bounded[str, Target] = Bounded(MOST_LIT)
        self._seen: Bounded[tuple[float, float], NDArray[np.bool_]] = Bounded(MOST_SEEN)
        self.films: Bounded[str, NDArray[np.float32]] = Bounded(MOST_FILMS)
        self.after: Bounded[str, Look] = Bounded(MOST_AFTER)
        self.targets: Bounded[str, NDArray[np.float32]] = Bounded(MOST_TARGETS)
        self.shots: Bounded[str, Snapshot] = Bounded(MOST_SHOTS)
        self.large: Bounded[str, Snapshot] = Bounded(1)  # 28 MB
        self.plans: Bounded[str, Any] = Bounded(1)  # of store.plans, which stands on this
        self.guesses: Bounded[str, Marking] = Bounded(1)
        self.touched: Bounded[str, list[TouchUp]] = Bounded(MOST_TOUCHED)
        self.reflectances: Bounded[str, NDArray[np.float32]] = Bounded(MOST_REFLECTANCES)
        self.glows: Bounded[str, Glow] = Bounded(MOST_GLOWS)
        self.metals: Bounded[str, Any] = Bounded(MOST_METALS)
        self.sketches: Bounded[str, Target] = Bounded(MOST_SKETCHES)
        self.ways: Bounded[str, Any] = Bounded(MOST_WAYS)  # of store.colours
        self.motion = 0  # counts lamps moved: a light that was asked for before the latest is not wanted any more
        surface.caster  # noqa: B018 - built now, so that the first drag does not wait for it

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
        return cKDTree(self.quick.surface.points).query(self.site.surface.points, workers=-1)[1]

    def lit(self, rig: Rig, exposure: Exposure, stopped: Stop = None) -> Target:
        """What each spot ought to look like under a rig, worked out once while it is asked for by many pages.

        Raises:
            Stopped: `stopped` said so.
        """
        key = json.dumps([plain(rig), plain(exposure), self.site.outlook is not None], sort_keys=True)
        return self._lit.of(key, lambda: target(self.site, rig, exposure=exposure, stopped=stopped))

    def seen_from(self, azimuth: float, elevation: float) -> NDArray[np.bool_]:
        """(N,) what is seen from a direction far away, degrees; remembered for the views used last."""
        return self._seen.of((azimuth, elevation), lambda: seen_from(self.site.surface, azimuth, elevation))

    def add_sky(self, view: Outlook) -> None:
        """Let the sky in."""
        self.site.outlook = view
        self.quick = self.site.only(self.chosen, self.between)


class Shelf:
    """Lays sculpts out from the cache once and keeps the last few. Safe to ask from many threads."""

    def __init__(self, store: Store, most: int = MOST_IN_MEMORY) -> None:
        self._store = store
        self._kept: Bounded[tuple, Laid] = Bounded(most)
        self._sky = threading.Lock()

    def of(self, sculpt: Sculpt) -> Laid:
        """The sculpt laid out; with its sky as soon as that is known.

        Raises:
            KeyError: its fields are not in the cache and must be prepared again.
        """
        surface_key, shadowless, sky_key = sculpt.surface_key, sculpt.shadowless, sculpt.sky_key
        if surface_key is None:
            raise KeyError("not laid out yet")
        laid = self._kept.of((surface_key, tuple(shadowless)), lambda: Laid(self._store, surface_key, shadowless))
        if sky_key and laid.site.outlook is None:
            with self._sky:
                if laid.site.outlook is None:
                    surface = laid.site.surface
                    laid.add_sky(load_sky(self._store.cache, sky_key, surface_key, surface, shadowless))
        return laid
