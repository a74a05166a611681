"""Needed: which coats of a list are worth their minutes, as the whole list comes out. One that looked worth them when
was chosen may have been painted over since."""

from collections.abc import Callable, Collection, Sequence

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat
from ....coat.stack import appearance
from ....paint.colour import delta_e, lab, xyz
from ...brief import lost_of


def needed(
    coats: Sequence[Coat],
    films: Sequence[NDArray[np.float32]],
    under: NDArray[np.float32],
    wanted: NDArray[np.float64],
    weight: NDArray[np.float64],
    may_go: Collection[int],
    costs: Callable[[int, list[int]], float],
) -> list[int]:
    """The places of the coats that are left, once all are gone that bring less than they cost, the least first.

    films: (n,) µm of each coat; under: (n, 36) what lies below all of them; wanted: (n, 3) L*a*b*; weight: (n,) of
    each spot in the look of the whole model. may_go: places of coats that may be left out. costs: what leaving one
    out saves, given its place and those of the rest, in the unit of the weight.
    """
    left = list(range(len(coats)))

    def lost(places: list[int], samples: NDArray[np.int64]) -> float:
        stack = [(coats[k], films[k][samples]) for k in places]
        return float(
            lost_of(delta_e(lab(xyz(appearance(stack, len(samples), under[samples]))), wanted[samples]))
            @ weight[samples]
        )

    known: dict[int, tuple[NDArray[np.int64], float]] = {}
    while True:
        for k in set(left) & set(may_go) - known.keys():
            samples = np.flatnonzero(films[k] > 0)
            rest = [n for n in left if n != k]
            known[k] = samples, (lost(rest, samples) - lost(left, samples) if len(samples) else 0.0)
        brings = {k: loss - costs(k, [n for n in left if n != k]) for k, (_, loss) in known.items()}
        least = min(brings, key=lambda k: brings[k], default=None)
        if least is None or brings[least] >= 0:
            return left
        left.remove(least)
        gone, _ = known.pop(least)
        known = {k: found for k, found in known.items() if not np.intersect1d(found[0], gone, True).size}
