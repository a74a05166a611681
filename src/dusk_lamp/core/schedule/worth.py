"""Worth: what the model would lose without a step, and which steps are never left out. Texture lines, extra blends
and second highlights can be dropped, never the face (craft page, section 13)."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..coat.stack import appearance
from ..paint.colour import delta_e, lab, xyz
from ..plan.context import Context
from ..plan.economy.candidates import score
from ..sculpt.mesh import evenly
from ..target.attention import attention_of

MOST_SPOTS = 5_000  # of the model that are looked at: a share is known to a thousandth
KEPT_STAGES = ("undercoat", "face")
FOCAL = "focal point"


def must_be_done(context: Context, coats: Sequence[Coat]) -> list[bool]:
    """Which coats are never left out: the undercoat, the face and all else that is looked at first, varnish, and the
    first colour on every region."""
    focal = {r.id for r in context.site.marking.regions if r.attention == FOCAL}
    begun: set[int] = set()
    out = []
    for coat in coats:
        first = coat.region not in begun and coat.stage == "colour"
        if coat.stage == "colour":
            begun.add(coat.region)
        out.append(coat.stage in KEPT_STAGES or coat.by.primes or coat.mix.clear or coat.region in focal or first)
    return out


def worths_of(context: Context, coats: Sequence[Coat]) -> list[float | None]:
    """For each coat 0..1 of the model's look, weighed by attention, that is lost without it; None where it is never
    left out. Nearness as in plan.economy: within ΔE00 5 and 8 of the target."""
    kept = must_be_done(context, coats)
    films = context.simulation.films(coats)
    weight = context.site.areas * attention_of(context.site)[context.site.labels]
    spots = evenly(np.flatnonzero(weight > 0), MOST_SPOTS)
    if not len(spots):
        return [None if k else 0.0 for k in kept]
    wanted, weights = context.target().lab[spots], weight[spots].astype(np.float64)
    stack = [(c, f[spots]) for c, f in zip(coats, films, strict=True)]
    whole = float(weights.sum())
    near = _near(appearance(stack, len(spots)), wanted)
    out: list[float | None] = []
    for k, must in enumerate(kept):
        if must:
            out.append(None)
            continue
        samples = np.flatnonzero(stack[k][1] > 0)
        if not len(samples):
            out.append(0.0)
            continue
        rest = [(c, f[samples]) for n, (c, f) in enumerate(stack) if n != k]
        without = _near(appearance(rest, len(samples)), wanted[samples])
        out.append(max(0.0, float((weights[samples] * (near[samples] - without)).sum()) / whole))
    return out


def _near(seen: NDArray[np.float32], wanted: NDArray) -> NDArray:
    return score(delta_e(lab(xyz(seen)), wanted))
