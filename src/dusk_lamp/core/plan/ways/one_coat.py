"""One-coat transparent paint over the sketch, thinned 1:1 and put on twice on smooth panels (CP-19), then a few
lights."""

import numpy as np

from ...coat.coat import Coat
from ...paint.mix import Mix, only
from ...paint.rack import Paint
from .alike import Film, best_everywhere, improved
from .glazes import restated
from .way import CLEAR, Task, Way, brushed

WATER = 1.0
COATS = (1, 2, 3)
MORE = 3


class OneCoat(Way):
    """The one-coat paint, ink, or pair of them that comes nearest, and up to MORE lights."""

    name, order, title = "one-coat", 30, "One-coat paint over the sketch"
    when = "Transparent paint thinned 1:1 over a bright sketch: fast, half of the shading comes by itself."
    weak = "Blotches on flat panels; only the colours that come in such bottles."

    def coats(self, task: Task) -> list[Coat]:
        """The paint over all of it, then lights."""
        paints = task.paints(*CLEAR)
        films = [f for mix in _mixes(paints) for f in _films(mix)]
        first = best_everywhere(task, task.under, films)
        coat = brushed(task, first.mix, first.words, None, first.um, first.water)
        return improved(task, [coat], [*films, *restated(task)], MORE)


def _mixes(paints: list[Paint]) -> list[Mix]:
    pairs = [Mix((a, b), (1, 1)) for k, a in enumerate(paints) for b in paints[k + 1 :]]
    return [*map(only, paints), *pairs]


def _films(mix: Mix) -> list[Film]:
    one = mix.coat_um / (1 + WATER)
    words = {1: "one coat", 2: "two coats", 3: "three coats"}
    return [
        Film(mix, round(float(n * one), 1), WATER, f"{words[n]} thinned 1:1, each dry before the next")
        for n in np.array(COATS)
    ]


WAY = OneCoat()
