"""Schemes: colours for all regions at once, from three words or from a picture, with a few to choose from.

Which hues go together follows the colour circle as painters use it: near ones, opposite ones, three apart. Common
practice, craft page, sections 8 and 9; what a word calls up is in `words.csv`.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2

from ..datasets import by
from ..datasets.materials import SKIN, UNMARKED, material_called
from ..errors import SettingError
from ..paint.colour import colour_of_hex, linear, screen_hex
from ..paint.mix import neat_pot
from ..paint.rack import Rack
from ..sculpt.marking import Marking, Region
from ..sculpt.surface import Surface
from .hue import usual_path
from .local import lab_of, rgb_of_lab

WORDS = tuple(by("words", "word"))
MOST_WORDS = 3
USUAL_HUE = 265.0  # where no word has one: blue, which most schemes can bear
# what is added to the main hue for the second, the third and the accent, and how vivid they are beside the main
CIRCLE = {
    "Close hues": ((0, 1.0), (35, 0.8), (-35, 0.55), (180, 1.3)),
    "Opposite hues": ((0, 1.0), (180, 0.6), (20, 0.5), (165, 1.4)),
    "Three apart": ((0, 1.0), (120, 0.65), (240, 0.65), (60, 1.4)),
}
LIGHTS = (0.0, 10.0, -8.0, 18.0)  # L* beside the main: neighbours must stand apart in value, too
CREAM = "#e0d6bd"
BASE_TOP = 0.15  # of the height: what reaches no higher is the base
HEAD_SHARE = 0.12  # of the area: the highest region is a head where it is no larger
HEAD_ASIDE, HEAD_HIGH = 0.2, 0.6  # of the width from the middle, at most; and of the height, at least
CLUSTERS, PIXELS = 6, 20_000
SNAP = 9.0  # ΔE00: so near a pot serves as it is, and the base comes neat from it (CP-35)


@dataclass(frozen=True)
class Scheme:
    """name: of it. colours: `#rrggbb` by how much cloth they cover: main, second, third, accent."""

    name: str
    colours: tuple[str, str, str, str]


def _hex(L: float, chroma: float, hue: float) -> str:
    at = np.radians(hue)
    return screen_hex(rgb_of_lab(np.array([[np.clip(L, 12, 88), chroma * np.cos(at), chroma * np.sin(at)]]))[0])


def schemes_of_words(words: Sequence[str]) -> list[Scheme]:
    """Three schemes from one to three words.

    Raises:
        SettingError: none, too many, or one that is not known.
    """
    wanted = [w.strip().casefold() for w in words if w.strip()]
    table = by("words", "word")
    strange = [w for w in wanted if w not in table]
    if strange:
        raise SettingError(
            f"“{strange[0][:30]}” is no word this bench has colours for; take some of {', '.join(WORDS)}"
        )
    if not 1 <= len(wanted) <= MOST_WORDS:
        raise SettingError(f"take one to {MOST_WORDS} words")
    rows = [table[w] for w in wanted]
    chroma, light = (float(np.mean([float(r[k]) for r in rows])) for k in ("chroma", "light"))
    hued = [(float(r["hue"]), float(r["chroma"])) for r in rows if r["hue"]]
    turn = sum(c * np.exp(1j * np.radians(h)) for h, c in hued) if hued else np.exp(1j * np.radians(USUAL_HUE))
    hue = float(np.degrees(np.angle(turn)))
    return [
        Scheme(
            name,
            _four(
                [_hex(light + up, chroma * vivid, hue + by_) for (by_, vivid), up in zip(circle, LIGHTS, strict=True)]
            ),
        )
        for name, circle in CIRCLE.items()
    ]


def _four(colours: Sequence[str]) -> tuple[str, str, str, str]:
    a, b, c, d = colours
    return a, b, c, d


def palette_of_picture(pixels: NDArray) -> list[str]:
    """The colours that a picture is made of, `#rrggbb`, the one there is most of first; the same every time.

    pixels: (H, W, 3) sRGB, 0..1.
    """
    flat = np.asarray(pixels, np.float64).reshape(-1, 3)
    flat = flat[np.linspace(0, len(flat) - 1, min(PIXELS, len(flat))).astype(int)]
    Lab = lab_of(linear(flat))
    count = min(CLUSTERS, len(np.unique(np.round(Lab), axis=0)))
    middle, cluster = kmeans2(Lab, count, minit="++", seed=1, missing="warn")
    sizes = np.bincount(cluster, minlength=count)
    order = [int(k) for k in np.argsort(-sizes) if sizes[k]]
    return [
        _hex(
            float(middle[k][0]),
            float(np.hypot(*middle[k][1:])),
            float(np.degrees(np.arctan2(middle[k][2], middle[k][1]))),
        )
        for k in order
    ]


def schemes_of_picture(palette: Sequence[str]) -> list[Scheme]:
    """Three schemes from the colours of a picture: which of them covers most differs.

    Raises:
        SettingError: there is no colour.
    """
    if not palette:
        raise SettingError("this picture has no colours to take; bring another")
    vivid = sorted(palette, key=_chroma, reverse=True)
    full = [*palette, *vivid, *[CREAM] * 4]
    most = list(dict.fromkeys(full))[:8]
    while len(most) < 4:
        most.append(CREAM)
    first, second = most[0], vivid[0]
    others = [c for c in most if c not in (first, second)]
    spare = [*others, first, second, CREAM]
    return [
        Scheme("As in the picture", _four([first, spare[0], spare[1], second])),
        Scheme("Its most vivid", _four([second, first, spare[0], spare[1]])),
        Scheme("Turned round", _four([spare[0], second, first, spare[1]])),
    ]


def _chroma(colour: str) -> float:
    return colour_of_hex(colour).chroma


def in_scheme(regions: Sequence[Region], areas: Sequence[float], scheme: Scheme, rack: Rack) -> tuple[Region, ...]:
    """Regions in the colours of a scheme, by what they are made of and how large they are. A colour that lies near a
    pot is that pot's; shadows and lights follow the usual hue path.

    areas: mm² of each.
    """
    given = [material_called(r.material).in_scheme for r in regions]
    cloth = [k for k, role in enumerate(given) if role == "by area"]
    order = sorted(cloth, key=lambda k: -areas[k])
    chosen: dict[int, str] = {}
    for place, k in enumerate(order):
        chosen[k] = (*scheme.colours[:3], CREAM)[place % 4]
    for k, role in enumerate(given):
        if k not in chosen:
            chosen[k] = scheme.colours[3] if role == "accent" else role
    return tuple(_coloured(r, chosen[k], rack) for k, r in enumerate(regions))


def _coloured(region: Region, colour: str, rack: Rack) -> Region:
    pot = neat_pot(colour, rack)
    name, looks = (pot[0].name, pot[0].looks.hex) if pot and pot[1] <= SNAP else (colour, colour)
    path = usual_path(looks)
    return replace(region, colour=name, dark=path.dark, bright=path.bright)


def guessed_names(
    regions: Sequence[Region], places: Sequence[tuple[float, float, float]], shares: Sequence[float]
) -> tuple[Region, ...]:
    """Guessed regions with a name and a material where their place says it: what lies low is the base, the small
    highest one over the middle of the sculpt a head (a lantern on a pole hangs beside it).

    places: of each, its middle and its top as shares of the whole height, and how far aside of the sculpt's middle it
    is, as a share of the width. shares: of the area of each.
    """
    out = list(regions)
    low = [k for k, (_, top, _) in enumerate(places) if top <= BASE_TOP or out[k].name == "Base"]
    for n, k in enumerate(sorted(low, key=lambda k: out[k].name != "Base")):
        out[k] = replace(out[k], name="Base" if n == 0 else f"Base {n + 1}", material=UNMARKED, attention="quiet")
    left = [k for k in range(len(out)) if k not in low and shares[k] <= HEAD_SHARE and places[k][2] <= HEAD_ASIDE]
    if left and max(places[k][0] for k in left) >= HEAD_HIGH:
        k = max(left, key=lambda k: places[k][0])
        out[k] = replace(out[k], name="Head", material=SKIN, attention="focal point")
    return tuple(out)


def named_if_low(marking: Marking, surface: Surface) -> Marking:
    """The marking with its newest region named as the base, where it lies as low as a base does and none is called
    so."""
    newest, mask = marking.regions[-1], marking.labels == len(marking.regions)
    if not mask.any() or any(r.name == "Base" for r in marking.regions):
        return marking
    z = surface.points[:, 2]
    top = (float(np.percentile(z[mask], 95)) - float(z.min())) / max(float(np.ptp(z)), 1e-9)
    if top > BASE_TOP:
        return marking
    base = replace(newest, name="Base", material=UNMARKED, attention="quiet")
    return Marking(marking.labels, (*marking.regions[:-1], base), marking.last_id)


def named_by_place(found: Marking, surface: Surface, paintable: NDArray[np.bool_]) -> Marking:
    """A guess with its regions named by where each lies on the sculpt and how much of it they take: see
    `guessed_names`.

    paintable: (N,), what a brush can get at; the rest has no weight.

    Raises:
        SettingError: nothing was guessed.
    """
    if not found.regions:
        raise SettingError("no creases part this sculpt into regions; mark some first")
    z = surface.points[:, 2].astype(np.float64)
    share = (z - z.min()) / max(float(np.ptp(z)), 1e-9)
    weights = np.where(paintable, surface.areas, 0).astype(np.float64)
    places = []
    middle = np.average(surface.points[:, :2], axis=0, weights=weights + 1e-12)
    wide = max(float(np.ptp(surface.points[:, :2], axis=0).max()), 1e-9)
    for k in range(1, len(found.regions) + 1):
        mask = found.labels == k
        at = np.average(np.column_stack([share, surface.points[:, :2]])[mask], axis=0, weights=weights[mask] + 1e-12)
        aside = float(np.linalg.norm(at[1:] - middle)) / wide
        places.append((float(at[0]), float(np.percentile(share[mask], 95)), aside))
    shares = [float(a) for a in found.areas(surface, paintable)[1:] / weights.sum()]
    return Marking(found.labels, guessed_names(found.regions, places, shares), found.last_id)
