"""The reading test: the model at arm's length, in grey: does the eye go where it should, and do neighbours stand
apart?

The eye resolves one minute of arc (normal acuity, 6/6 on the chart of Snellen 1862; ISO 8596): what is finer than
that at the model's distance and true size is blurred away.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from ..paint.value import luminance_from_munsell
from ..plain import rounded
from ..sculpt.site import Site
from ..target.local import Local
from ..units import counted
from .camera import Camera
from .raster import snapshot

ARM_MM = 600.0  # arm's length
ACUITY_RAD = np.radians(1 / 60)
FWHM_PER_SIGMA = 2.3548  # of a Gaussian: its full width at half maximum is what the eye just resolves
PICTURE = (300, 400)
APART = 1.0  # values that neighbours must differ by along their border
LEAST_BORDER_MM = 2.0
SAME_HUE = 40.0  # degrees of L*a*b* hue: one accent, in however many places; from memory
BLUE_HUES = (220.0, 310.0)  # L*a*b* hue, degrees
ACCENT_CHROMA = 45.0  # C*: as vivid as painters call an accent; from memory
SEEN_AS_WHITE = 7.0  # a local colour of such a value is seen as white, CP-24
PURE_RATION = (9.0, 0.06)  # pure white, and the share of a white that may be; CP-14, the number from memory
LEAST_SEEN = 60  # pixels of a region that its contrast is read on


@dataclass(frozen=True)
class Border:
    """Where two regions meet. a, b: numbers, 0 for the rest. mm: its length. close_mm: of it, where they are less
    than APART values apart. step: their mean difference in value along it."""

    a: int
    b: int
    mm: float = rounded(1)
    close_mm: float = rounded(1)
    step: float = rounded(2)


@dataclass(frozen=True)
class Reading:
    """What is read. contrast: Michelson's of each region as it is seen, NaN where it is not. focal: region that
    ought to hold the strongest, strongest: that does. borders: of neighbours that do not stand apart, the longest
    first. vivid_mm2: area of each region that is an accent. findings: sentences, each with what would raise it."""

    contrast: NDArray[np.float64]
    focal: int | None
    strongest: int | None
    borders: list[Border]
    vivid_mm2: NDArray[np.float64]
    findings: list[str]


def michelson(Y: NDArray) -> float:
    """(lightest − darkest) / (lightest + darkest) of luminances. Source: Michelson (1927)."""
    low, high = float(np.min(Y)), float(np.max(Y))
    return (high - low) / (high + low) if high + low > 0 else 0.0


def blur_mm(distance: float = ARM_MM) -> float:
    """mm: sigma of the blur of an eye that resolves a minute of arc, at a distance in mm."""
    return float(distance * np.tan(ACUITY_RAD) / FWHM_PER_SIGMA)


def borders_of(site: Site, value: NDArray) -> list[Border]:
    """Every border of two regions on the surface, with how far their values (N,) are apart along it, the longest
    first.

    A facet with corners in two regions is crossed by their border: from the middle of one mixed edge to that of the
    other.
    """
    surface, labels = site.surface, site.labels
    faces = surface.faces[site.paintable[surface.faces].all(axis=1)]
    corner_labels = labels[faces]
    mixed = (
        (corner_labels[:, 0] != corner_labels[:, 1]).astype(int)
        + (corner_labels[:, 1] != corner_labels[:, 2])
        + (corner_labels[:, 2] != corner_labels[:, 0])
    )
    faces, corner_labels = (
        faces[mixed == 2],
        corner_labels[mixed == 2],
    )  # three regions in one facet are a corner, no border
    if not len(faces):
        return []
    # the corner that is alone in its region, and the other two
    lone = np.where(
        corner_labels[:, 0] == corner_labels[:, 1], 2, np.where(corner_labels[:, 1] == corner_labels[:, 2], 0, 1)
    )
    rows = np.arange(len(faces))
    single, one, two = faces[rows, lone], faces[rows, (lone + 1) % 3], faces[rows, (lone + 2) % 3]
    length = np.linalg.norm(surface.points[one] - surface.points[two], axis=1) / 2
    step = np.abs(value[single] - (value[one] + value[two]) / 2)
    pair = np.sort(np.stack([labels[single], labels[one]], axis=1), axis=1)
    out = []
    for a, b in np.unique(pair, axis=0):
        here = (pair == (a, b)).all(axis=1)
        mm = float(length[here].sum())
        close = float(length[here & (step < APART)].sum())
        out.append(Border(int(a), int(b), mm, close, float(np.average(step[here], weights=length[here] + 1e-12))))
    return sorted(out, key=lambda border: -border.close_mm)


def reading(
    site: Site,
    value: NDArray[np.float32],
    lab: NDArray,
    camera: Camera,
    distance: float = ARM_MM,
    locals_: Sequence[Local] = (),
) -> Reading:
    """How a model of values (N,) and L*a*b* (N, 3) reads from a view.

    Args:
        camera: the display view. distance: mm from the eye. locals_: of the rest and of each region, where whites and
        blacks should keep their rations.
    """
    names = ["the rest", *(r.name for r in site.marking.regions)]
    attention = ["quiet", *(r.attention for r in site.marking.regions)]
    shot = snapshot(site.surface, camera, *PICTURE)
    Y = shot.field(luminance_from_munsell(value[site.shown]).astype(np.float32))
    seen = shot.seen.astype(np.float32)
    sigma = blur_mm(distance) * shot.scale
    soft = gaussian_filter(Y, sigma) / np.maximum(gaussian_filter(seen, sigma), 1e-3)
    label = shot.nearest(site.labels[site.shown].astype(np.int32))
    contrast = np.full(len(names), np.nan)
    for k in range(len(names)):
        greys = soft[shot.seen & (label == k)]
        if len(greys) >= LEAST_SEEN:
            contrast[k] = michelson(np.percentile(greys, (2, 98)))
    focal = next((k for k, a in enumerate(attention) if a == "focal point"), None)
    known = np.where(np.isnan(contrast), -1, contrast)
    strongest = int(np.argmax(known)) if (known > 0).any() else None
    borders = borders_of(site, value)
    close = [b for b in borders if b.close_mm >= LEAST_BORDER_MM]
    vivid: NDArray = np.bincount(
        site.labels, weights=site.areas * (np.hypot(lab[:, 1], lab[:, 2]) >= ACCENT_CHROMA), minlength=len(names)
    )
    hue = hues_of(site, lab, len(names))
    said = _findings(names, contrast, focal, strongest, close, vivid, hue) + _of_whites(
        site, value, names, locals_, borders
    )
    said += _beside_whites(names, locals_, borders, vivid, hue)
    return Reading(contrast, focal, strongest, close, vivid, said)


def hues_of(site: Site, lab: NDArray, count: int) -> NDArray[np.float64]:
    """(count,) degrees: the mean hue of the rest and of each region, by L*a*b* (N, 3) and area."""
    a, b = (np.bincount(site.labels, weights=site.areas * lab[:, k], minlength=count) for k in (1, 2))
    return np.degrees(np.arctan2(b, a)) % 360


def _beside_whites(
    names: list[str], locals_: Sequence[Local], borders: Sequence[Border], vivid: NDArray, hue: NDArray
) -> list[str]:
    """What makes a white read whiter: a saturated blue beside it (craft page, section 9)."""
    whites = [k for k, local in enumerate(locals_) if k and local.own_value > SEEN_AS_WHITE]
    blue = [k for k in range(len(names)) if vivid[k] > 1 and BLUE_HUES[0] <= hue[k] <= BLUE_HUES[1]]
    said = []
    for k in whites[:1]:
        beside = {b.a + b.b - k for b in borders if k in (b.a, b.b)}
        if not beside & set(blue):
            said.append(f"A saturated blue accent beside {names[k]}, however small, would make it read whiter.")
    return said


def _of_whites(
    site: Site, value: NDArray[np.float32], names: list[str], locals_: Sequence[Local], borders: Sequence[Border]
) -> list[str]:
    """Where a white or a black goes past its ration (CP-14, CP-24), and a white field that is lighter than its
    trim."""
    said = []
    whites: dict[int, tuple[float, float]] = {}  # the mean value and the area of each white
    for k, local in enumerate(locals_[1:], 1):
        mask = (site.labels == k) & (site.areas > 0)
        area = float(site.areas[mask].sum(dtype=np.float64))
        ration = local.ration or (PURE_RATION if local.own_value > SEEN_AS_WHITE else None)
        if area <= 0:
            continue
        if ration is not None:
            limit, most = ration
            share = float(site.areas[mask & (value > limit)].sum(dtype=np.float64)) / area
            if share > most + 0.01:
                said.append(
                    f"{100 * share:.0f} % of {names[k]} is lighter than value {limit:g}; {100 * most:.0f} % is its "
                    "ration, for edges and last spots: lower its middle or its lightest."
                )
        if local.own_value > SEEN_AS_WHITE:
            whites[k] = float(np.average(value[mask], weights=site.areas[mask])), area
    for border in borders:
        if border.a in whites and border.b in whites and border.mm >= LEAST_BORDER_MM:
            field, trim = sorted((border.a, border.b), key=lambda k: -whites[k][1])
            if whites[field][0] > whites[trim][0]:
                said.append(
                    f"{names[field]} is lighter (value {whites[field][0]:.1f}) than {names[trim]}, its trim "
                    f"({whites[trim][0]:.1f}): the field of a white is never the lighter; bring it down, or take a "
                    "lighter white for the trim."
                )
    return said


def _findings(
    names: list[str],
    contrast: NDArray,
    focal: int | None,
    strongest: int | None,
    close: list[Border],
    vivid: NDArray,
    hue: NDArray,
) -> list[str]:
    said = []
    if focal is None and len(names) > 1:
        said.append("No region is the focal point: choose the one the eye should go to first, often the face.")
    elif focal is not None and np.isnan(contrast[focal]):
        said.append(
            f"{names[focal]} is the focal point but hardly shows from the display view: turn the view, or choose "
            "another."
        )
    elif focal is not None and strongest is not None and strongest != focal:
        said.append(
            f"{names[strongest]} holds more contrast ({contrast[strongest]:.2f}) than {names[focal]} "
            f"({contrast[focal]:.2f}): lighten the lights of {names[focal]}, or bring those of {names[strongest]} "
            "down."
        )
    for border in close[:1]:
        said.append(
            f"{counted(len(close), 'border runs', 'borders run')} together, most of all {names[border.a]} and "
            f"{names[border.b]}, along {border.close_mm:.0f} of {border.mm:.0f} mm: make one of them lighter by a "
            "value, or line the border dark."
        )
    accents = [k for k in np.argsort(-vivid) if vivid[k] >= 0.05 * max(vivid.sum(), 1e-9) and vivid[k] > 1]
    apart = [k for k in accents if abs((hue[k] - hue[accents[0]] + 180) % 360 - 180) > SAME_HUE]
    if apart:  # two regions of one hue are one accent
        said.append(
            f"Vivid colour lies on {', '.join(names[k] for k in accents[:4])}: one saturated accent reads, several "
            "compete."
        )
    return said
