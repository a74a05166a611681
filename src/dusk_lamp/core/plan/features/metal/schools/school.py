"""What a school of metal is given and gives."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from .....light.lamp import Lamp
from .....light.reflect import World
from .....plain import checked, number
from .....sculpt.facets import Facet, FacetCut, FacetNote
from .....sculpt.site import Site

DARKEST, LIGHTEST = 1.2, 9.5  # values of painted metal: near-black beside near-white (craft page, section 11)


@dataclass(frozen=True)
class Shine:
    """The painter's exaggerations. view: azimuth and elevation it is looked at from. roughness: 0 a mirror, 1 dull.
    bow: how far flat facets are taken as bent, so that they run from dark to light. counterchange: how strongly
    neighbours run opposite ways. gather: how far the light is drawn together. contrast: times what there is.
    corrections: what the painter says of single facets. cuts: strokes that cut one in two."""

    view: tuple[float, float] = (0.0, 8.0)
    roughness: float = number(0.25, 0, 1, "roughness", step=0.05, form="Roughness", slide=1)
    bow: float = number(0.35, 0, 1, "the bend of facets", step=0.05, form="Bend the facets", slide=1)
    counterchange: float = number(1.0, 0, 1, "counterchange", step=0.1, form="Counterchange", slide=1)
    gather: float = number(
        0.3, 0, 3, "how tight the highlights are", step=0.1, form="Tighten the highlights", slide=3
    )
    contrast: float = number(1.0, 0.2, 3, "contrast", step=0.1, form="Contrast", slide=3)
    corrections: tuple[FacetNote, ...] = ()
    cuts: tuple[FacetCut, ...] = ()

    def __post_init__(self) -> None:
        checked(self)


def facets_of(site: Site, shine: Shine) -> list[Facet]:
    """The facets of a sculpt, as they were found and as the painter corrected them."""
    return site.facets(shine.corrections, shine.cuts)


class MetalSchool:
    """One school."""

    name: ClassVar[str]
    order: ClassVar[int]
    title: ClassVar[str]
    when: ClassVar[str]
    weak: ClassVar[str]

    def shares(self, site: Site, shine: Shine, world: World, lamp: Lamp) -> NDArray[np.float32]:
        """(N,) 0..1 of the way from the darkest to the lightest."""
        raise NotImplementedError


def value_of(
    share: NDArray[np.float32], shine: Shine, darkest: float = DARKEST, lightest: float = LIGHTEST
) -> NDArray[np.float32]:
    """(N,) Munsell values of shares between two, with the contrast and the gathering asked for."""
    wider = np.clip(0.5 + shine.contrast * (share - 0.5), 0, 1)
    drawn = wider ** (1 + shine.gather)
    return (darkest + (lightest - darkest) * drawn).astype(np.float32)
