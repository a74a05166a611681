"""The outcome: what coats come to on a sculpt, and how near that is to the target."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..coat.finish import films_of
from ..coat.stack import appearance, looks
from ..results import digest, result
from ..sculpt.site import Site
from .features.undercoat.pots import HALF_VALUE
from .simulation import Simulation

NEAR, TOO_LIGHT, TOO_DARK = 0, 1, 2
_MOSTLY = 0.7  # of all samples; where more than that changed, all are looked at again


@dataclass(frozen=True)
class Outcome:
    """What a list of coats comes to.

    value: (N,) Munsell. levels: (N, 3) sRGB. mean, p95: of the difference from the target in value, by area. within:
    share of the area within half a value. bare, after: the same before any coat and after each. films: (C, N) µm.
    """

    value: NDArray[np.float32]
    levels: NDArray[np.uint8]
    mean: float
    p95: float
    within: float
    bare: float
    after: list[float]
    films: list[NDArray[np.float32]]

    def figures(self) -> dict[str, Any]:
        """The errors as plain values."""
        return {
            "mean": round(self.mean, 3),
            "p95": round(self.p95, 3),
            "within_half": round(self.within, 4),
            "within_half_after_each": [round(a, 4) for a in self.after],
        }


@dataclass(frozen=True)
class Look:
    """The model of a site after some coats: value (N,), levels (N, 3) sRGB; and how near it is to a target (N,) of
    values, of which a step asks for the share that is near alone."""

    value: NDArray[np.float32]
    levels: NDArray[np.uint8]
    site: Site
    target: NDArray[np.float32]

    @cached_property
    def within(self) -> float:
        """The share of the area within half a value."""
        off, area = _off(self.site, self.value, self.target)
        return _near(off, area)

    @cached_property
    def _apart(self) -> tuple[float, float, float]:
        return differences(self.site, self.value, self.target)

    @property
    def mean(self) -> float:
        """Of the difference in value, by area."""
        return self._apart[0]

    @property
    def p95(self) -> float:
        """Its 95th percentile."""
        return self._apart[1]


def look_of(
    site: Site,
    reflectance: NDArray[np.float32],
    target: NDArray[np.float32],
    before: tuple[Look, NDArray[np.float32]] | None = None,
) -> Look:
    """What reflectances (N, 36) look like beside a target (N,) of values. before: the look and the reflectances that
    one coat changed; only what it changed is worked out again."""
    changed = None if before is None else np.flatnonzero(_other(reflectance, before[1]))
    if before is None or changed is None or len(changed) > _MOSTLY * len(reflectance):
        value, levels = looks(reflectance)
    else:
        value, levels = before[0].value.copy(), before[0].levels.copy()
        if len(changed):
            value[changed], levels[changed] = looks(reflectance.take(changed, axis=0))
    return Look(value, levels, site, target)


@numba.njit(cache=True, nogil=True)
def _other(a, b):
    """(N,) where rows (N, 36) are not the same."""
    out = np.zeros(len(a), np.bool_)
    for n in range(len(a)):
        for j in range(a.shape[1]):
            if a[n, j] != b[n, j]:
                out[n] = True
                break
    return out


@result(most=30, depends=lambda simulation, wanted, key, look: (wanted, key), rests=True)  # 1.3 MB each
def _look(_simulation: Simulation, _wanted: str, _key: str, look: Callable[[], Look]) -> Look:
    """The model after coats of a key, beside values of a digest."""
    return look()


def looks_after(
    simulation: Simulation,
    coats: Sequence[Coat],
    target: NDArray[np.float32],
    say: Callable[[str, float], None] = lambda *_: None,
) -> list[Look]:
    """The model bare and after every coat, beside a target (N,) of values, each worked out once; a muted one changes
    nothing. say: is given which one is being laid, and the share that is."""
    wanted, keys = digest(target), simulation.chain(coats)

    def look(k: int) -> Look:
        seen = simulation.reflectance(coats[:k])
        before = (out[-1], simulation.reflectance(coats[: k - 1])) if k else None
        return look_of(simulation.site, seen, target, before)

    out: list[Look] = []
    for k, key in enumerate(keys):
        if k:
            say(f"Laying coat {k} of {len(coats)}", (k - 1) / len(coats))
        out.append(_look(simulation, wanted, key, partial(look, k)))
    return out


def differences(site: Site, value: NDArray, target: NDArray) -> tuple[float, float, float]:
    """Mean and 95th percentile of the difference in value by area, and the share of the area within half a value."""
    off, area = _off(site, value, target)
    order = np.argsort(off)
    run = np.cumsum(area[order])
    p95 = float(off[order][np.searchsorted(run, 0.95 * run[-1])])
    return float(np.average(off, weights=area)), p95, _near(off, area)


def _off(site: Site, value: NDArray, target: NDArray) -> tuple[NDArray, NDArray[np.float64]]:
    """(M,) by how much what can be painted is off, and its areas."""
    painted = site.paintable
    return np.abs(value - target)[painted], site.surface.areas[painted].astype(np.float64)


def _near(off: NDArray, area: NDArray[np.float64]) -> float:
    return float(area[off <= HALF_VALUE].sum() / area.sum())


def off_target(value: NDArray, target: NDArray) -> NDArray[np.uint8]:
    """(N,) NEAR, TOO_LIGHT or TOO_DARK: by more than half a value."""
    off = value - target
    return np.where(off > HALF_VALUE, TOO_LIGHT, np.where(off < -HALF_VALUE, TOO_DARK, NEAR)).astype(np.uint8)


def outcome(site: Site, coats: Sequence[Coat], target: NDArray[np.float32], steps: bool = True) -> Outcome:
    """What coats come to against a target (N,) of values. steps: also after every single coat."""
    films = films_of(site, coats)
    stack = list(zip(coats, films, strict=True))
    after: list[float] = []
    seen = appearance([], len(site))
    bare = differences(site, looks(seen)[0], target)[2] if steps else 0.0
    if steps:
        for pair in stack:
            seen = appearance([pair], len(site), seen)
            after.append(differences(site, looks(seen)[0], target)[2])
    else:
        seen = appearance(stack, len(site))
    value, levels = looks(seen)
    mean, p95, within = differences(site, value, target)
    return Outcome(value, levels, mean, p95, within, bare, after, films)
