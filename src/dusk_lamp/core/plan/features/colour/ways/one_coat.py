"""One-coat transparent paint over the sketch, thinned 1:1 and put on twice on smooth panels, neat on texture (CP-19),
then a few lights."""

import numpy as np
from numpy.typing import NDArray

from .....coat.coat import Coat
from .....datasets.materials import material_called
from .....paint.mix import Mix, only
from .....paint.rack import Paint
from .....results import result
from .....sculpt.marking import TEXTURES
from .....sculpt.site import Site
from .....sculpt.texture import USUAL_HEIGHT, texture_mm
from ....brief import CLEAR, Brief, brushed
from .glazes import restated
from .groups import Film, best_everywhere, improved
from .way import Way

WATER = 1.0
# of relief that is felt by a brush; so much of it, and a region is textured. From memory
DEEP_MM, ROUGH_SHARE = 0.02, 0.4
COATS = (1, 2, 3)
MORE = 3


class OneCoat(Way):
    """The one-coat paint, ink, or pair of them that comes nearest, and up to MORE lights."""

    name, order, title = "one-coat", 30, "One-coat paint over the sketch"
    when = "Transparent paint thinned 1:1 over a bright sketch: fast, half of the shading comes by itself."
    weak = "Blotches on flat panels; only the colours that come in such bottles."

    def coats(self, brief: Brief) -> list[Coat]:
        """The paint over all of it, then lights."""
        paints = brief.paints(*CLEAR)
        water = 0.0 if textured(brief) else WATER
        films = [f for mix in _mixes(paints) for f in _films(mix, water)]
        first = best_everywhere(brief, brief.under_here, films)
        coat = brushed(brief, first.mix, first.words, None, first.um, first.water)
        return improved(brief, [coat], [*films, *restated(brief)], MORE)


def _mixes(paints: list[Paint]) -> list[Mix]:
    pairs = [Mix((a, b), (1, 1)) for k, a in enumerate(paints) for b in paints[k + 1 :]]
    return [*map(only, paints), *pairs]


def textured(brief: Brief) -> bool:
    """Whether a region is texture rather than panels: then paint straight from the bottle is fine (CP-19)."""
    region = brief.site.marking.regions[brief.number - 1] if brief.number else None
    if region is not None and region.texture != TEXTURES[0]:
        return region.texture == "textured"
    if region is not None and material_called(region.material).shaggy:
        return True
    site = brief.site
    depth = np.abs(_texture(site))[brief.mask]
    weight, deep = brief.weight(), DEEP_MM * site.surface.height / USUAL_HEIGHT
    return bool(weight[depth > deep].sum() > ROUGH_SHARE * weight.sum())


@result()
def _texture(site: Site) -> NDArray[np.float32]:
    return texture_mm(site.surface)


def _films(mix: Mix, water: float) -> list[Film]:
    one = mix.coat_um / (1 + water)
    how = "thinned 1:1, each dry before the next" if water else "neat: it is textured"
    words = {1: "one coat", 2: "two coats", 3: "three coats"}
    return [Film(mix, round(n * one, 1), water, f"{words[n]} {how}") for n in COATS]


WAY = OneCoat()
