"""How the hand makes the gradient (CP-31): between neighbouring mixes, how long the border is, how far they are
apart, and what makes it smooth."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...coat.coat import Coat
from ...paint.mix import Mix
from ...plain import rounded
from ...sculpt.site import Site
from ...units import counted

SMOOTH = 0.5  # values: steps no larger read as smooth, CP-31
BORDER = 1.5  # and larger ones than this show as a border, whatever is glazed over them (craft page, section 11)
GLAZE_STEP = 0.25  # values that one pass of a glaze of the matching middle moves; common practice, from memory
SHORT_MM, LONG_MM = 12.0, 60.0  # a stroke or two; more than one keeps wet on one brush


@dataclass(frozen=True)
class Gradient:
    """One border. lower, upper: the mixes in words. mm: its length. step: values between them. layers: more of them,
    with mixes in between, that make it smooth; passes: of a glaze of the middle instead. way: which suits. words:
    what to do."""

    lower: str
    upper: str
    mm: float = rounded(0)
    step: float = rounded(2)
    layers: int = 0
    passes: int = 0
    way: str = ""
    words: str = ""


def gradients(site: Site, coats: Sequence[Coat]) -> list[Gradient]:
    """The borders between the coats of one region that climb one on another, the darkest first: layers, or what they
    were changed to."""
    opaque = [c for c in coats if c.by.even and not c.by.primes and not c.muted and c.by.water(c.settings) < 1]
    out = []
    for below, above in pairwise(opaque):
        mask, under = site.on(above.where), site.on(below.where)
        if mask is None or above.mix == below.mix:
            continue
        on = mask if under is None else mask & under
        out.append(between(below.mix, above.mix, edge_mm(site, on)))
    return out


def edge_mm(site: Site, mask: NDArray[np.bool_]) -> float:
    """mm: the length of the rim of some samples (N,), from facet to facet."""
    surface = site.surface
    faces = site.paintable_faces
    inside = mask[faces]
    count = inside.sum(axis=1)
    crossed = (count == 1) | (count == 2)
    faces, inside = faces[crossed], inside[crossed]
    lone = np.where(count[crossed] == 1, inside.argmax(axis=1), (~inside).argmax(axis=1))
    rows = np.arange(len(faces))
    one, two = faces[rows, (lone + 1) % 3], faces[rows, (lone + 2) % 3]
    return float((np.linalg.norm(surface.points[one] - surface.points[two], axis=1) / 2).sum())


def between(lower: Mix, upper: Mix, mm: float) -> Gradient:
    """What makes the border of two mixes smooth, that is so many mm long."""
    step = upper.colour.value - lower.colour.value
    layers = max(0, math.ceil(round(step / SMOOTH, 6)) - 1)
    passes = math.ceil(step / 2 / GLAZE_STEP) if step > SMOOTH else 0
    if step <= SMOOTH:
        way, words = "none", "smooth as it is"
    elif step > BORDER:
        way, words = "layers", f"shows as a border: {counted(layers, 'mix', 'mixes')} in between"
    elif mm <= SHORT_MM:
        way, words = "loaded brush", "both paints on one wicked brush, in a stroke or two; flow aid in the dark only"
    elif mm <= LONG_MM:
        way, words = "glaze", f"{counted(passes, 'pass', 'passes')} of a glaze of the two mixed 1:1 over the border"
    else:
        way, words = "oil", "long: oils blended wet over a varnish, or a glaze of the two mixed 1:1 piece by piece"
    return Gradient(lower.words(), upper.words(), mm, float(step), layers, passes, way, words)
