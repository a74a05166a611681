"""A photo against what the model should look like: the light of the room fitted away, spot by spot and region by
region."""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from ..directions import fibonacci_sphere
from ..errors import SettingError
from ..paint.colour import RGB_TO_XYZ, XYZ_TO_RGB, cones, delta_e, from_cones, lab, xyz
from ..paint.value import munsell_from_luminance
from ..plain import rounded
from ..sculpt.mesh import evenly
from ..sculpt.site import Site
from ..view.raster import Snapshot
from .perspective import seen_by
from .photo import GREY_CARD, Photo
from .pinhole import Pinhole

DARKEST = 0.012  # light of a prediction: less says nothing in a photo
LEAST_SPOTS, LEAST_SHARE = 120, 0.008  # of a region that have to be in sight, and of all that is
ROUNDS = 10
GROUPS, SMOOTH = 36, 0.02  # of directions that a room's light is made of, and how alike neighbours are
MOST_FITTED = 6000  # spots that are enough to fit it for an alignment
COLOUR_TOLERANCE = 0.08  # of the logarithm of red and blue against green, the same of a region's colour
TOLERANCE = 0.10  # of the logarithm of light: regions that are further off count less and less for the room's light
GRAZING = 0.25  # cosine: spots seen more sideways than this are left out
NEAR = 0.5  # steps of value; less is not seen
RIM = 2  # pixels at the outline that are left out
SHADOW, LIGHT = 0.3, 0.7  # of a region's area by predicted value: its shadows, its lights


@dataclass(frozen=True)
class RegionOff:
    """How far a region is off. number: its number, 0 for the rest. value_off: photo minus prediction, in steps of
    value; shadows, lights: of its darker and its lighter part. spread: between its spots, one sigma. de00: of its
    mean colour; chroma_off, hue_off (degrees): of it. mm2: in sight. value, chroma: as predicted. edges: steps that
    its edge highlights are lighter, beside the rest of it, than they should be; None where there are none."""

    number: int
    name: str
    value_off: float = rounded(2)
    shadows: float = rounded(2)
    lights: float = rounded(2)
    spread: float = rounded(2)
    de00: float = rounded(2)
    chroma_off: float = rounded(1)
    hue_off: float = rounded(1)
    mm2: float = rounded(1)
    value: float = rounded(2)
    chroma: float = rounded(1)
    edges: float | None = rounded(2, None)


@dataclass(frozen=True)
class Comparison:
    """off: (N,) steps of value that each sample in sight is too light, not a number elsewhere. pixels: (H, W) sample
    of each pixel, −1 for none. regions: of all that is in sight enough. overall: steps that all of it is off, None
    where nothing in the photo says how light it was taken. ambient: the light that was fitted, its spread."""

    off: NDArray[np.float32]
    pixels: NDArray[np.int32]
    regions: tuple[RegionOff, ...]
    overall: float | None
    looked_at: NDArray[np.bool_]

    def near(self, site: Site) -> float:
        """The share of what is in sight that is within half a step of value."""
        seen = np.isfinite(self.off)
        within = seen & (np.abs(np.nan_to_num(self.off, nan=9.0)) <= NEAR)
        return float(site.areas[within].sum() / max(site.areas[seen].sum(), 1e-9))


def compared(
    site: Site,
    reflectance: NDArray[np.float32],
    photo: Photo,
    camera: Pinhole,
    grey: tuple[float, float] | None = None,
    edges: dict[int, NDArray[np.bool_]] | None = None,
) -> Comparison:
    """A photo beside what the model should look like, reflectances (N, 36).

    The room's light on each spot is fitted, from all the directions that the spot sees; see fitted_room. Regions that
    are off count less for it, so that a mistake is not taken for light. What is left is paint.

    Args:
        camera: as fitted, in the photo's own pixels as it was taken. grey: pixel of a grey card, for colour and
        exposure. edges: by number of region, the samples (N,) of its edge highlights.

    Raises:
        SettingError: the model is not in the photo.
    """
    width, height = photo.size
    shot = seen_by(site.surface, camera, width, height)
    pixels = np.where(shot.seen, shot.nearest(np.arange(len(site), dtype=np.int32)), -1)
    good = _inside(shot.seen) & ~photo.clipped
    rows, spots = np.flatnonzero(good.ravel()), pixels[good]
    if len(spots) < LEAST_SPOTS:
        raise SettingError("the model is not in the photo where the points say; match the points again")
    count = np.bincount(spots, minlength=len(site)).astype(float)
    light = (
        np.stack([np.bincount(spots, photo.light[..., k].ravel()[rows], len(site)) for k in range(3)], axis=1)
        / np.maximum(count, 1)[:, None]
    )
    away = np.asarray(camera.position) - site.surface.points
    facing = (site.surface.normals * away).sum(axis=1) / np.linalg.norm(away, axis=1)
    wanted = np.maximum(xyz(reflectance) @ XYZ_TO_RGB.T, 1e-4)
    bright = wanted @ RGB_TO_XYZ.T[:, 1]
    use = (count > 0) & (facing > GRAZING) & (bright > DARKEST) & site.paintable & (light.min(axis=1) > 1e-4)
    chosen = np.flatnonzero(use)
    if len(chosen) < LEAST_SPOTS:
        raise SettingError("too little of the model is in sight in this photo; take it nearer, and sharper")
    weight = site.areas[chosen].astype(np.float64) * facing[chosen]
    gains = _gains(cones(light[chosen]), cones(wanted[chosen]), weight, site.labels[chosen], photo, grey)
    balanced = from_cones(cones(light[chosen]) / gains)
    seen_Y = np.maximum(balanced @ RGB_TO_XYZ.T[:, 1], 1e-6)
    room, overall = _room(site, chosen, seen_Y, bright[chosen], weight, camera, photo, grey, gains)
    off = np.full(len(site), np.nan, np.float32)
    own_Y = seen_Y / room
    off[chosen] = munsell_from_luminance(100 * own_Y) - munsell_from_luminance(100 * bright[chosen])
    colour = balanced / room[:, None]
    regions = _regions(site, chosen, off[chosen], colour, wanted[chosen], bright[chosen], weight, edges or {})
    return Comparison(off, pixels, regions, overall, good)


def _inside(seen: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(H, W) what is seen, without its rim."""
    out = seen.copy()
    for _ in range(RIM):
        inner = out.copy()
        inner[1:] &= out[:-1]
        inner[:-1] &= out[1:]
        inner[:, 1:] &= out[:, :-1]
        inner[:, :-1] &= out[:, 1:]
        out = inner
    return out


def _gains(
    light: NDArray, wanted: NDArray, weight: NDArray, labels: NDArray, photo: Photo, grey: tuple[float, float] | None
) -> NDArray[np.float64]:
    """(3,) of the white balance, for the eye's receptors: by the grey card, else so that most regions have the colour
    they should. light, wanted: (M, 3) what the receptors get."""
    if grey is not None:
        card = cones(photo.patch(*grey))
        return card / card[1]
    ratio = np.log(np.maximum(light, 1e-5) / np.maximum(wanted, 1e-5))
    ratio -= ratio[:, 1:2]
    names, place = np.unique(labels, return_inverse=True)
    means = np.array(
        [[_median(ratio[place == k, c], weight[place == k]) for c in range(3)] for k in range(len(names))]
    )
    root = np.sqrt(np.bincount(place, weight))
    middle = np.array([_median(means[:, c], root) for c in range(3)])
    for _ in range(ROUNDS):  # a region that is off in colour counts less and less
        trust = root / (1 + (np.linalg.norm(means - middle, axis=1) / COLOUR_TOLERANCE) ** 2) ** 2
        middle = np.average(means, axis=0, weights=trust)
    return np.exp(middle)


def _room(
    site: Site,
    chosen: NDArray,
    seen_Y: NDArray,
    bright: NDArray,
    weight: NDArray,
    camera: Pinhole,
    photo: Photo,
    grey: tuple[float, float] | None,
    gains: NDArray,
) -> tuple[NDArray[np.float64], float | None]:
    """(M,) the light of the room on each spot, and how many steps the model as a whole is off by the grey card."""
    room, around = fitted_room(site, chosen, seen_Y, bright, weight)
    if grey is None:
        return room, None
    card = float(from_cones(cones(photo.patch(*grey)) / gains) @ RGB_TO_XYZ.T[:, 1]) / GREY_CARD
    back = -np.asarray(camera.toward, float)
    shade = float(around @ np.maximum(_directions(site) @ back, 0))
    Y = _median(bright, weight)
    scale = shade / max(card, 1e-6)
    return room, float(munsell_from_luminance(100 * Y * scale) - munsell_from_luminance(100 * Y))


def fitted_room(
    site: Site, chosen: NDArray, seen_Y: NDArray, bright: NDArray, weight: NDArray
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(M,) the light of a room on some spots (M,), and (D,) what comes from each direction that visibility knows.

    The light comes from all over, more from some groups of directions than from others, never less than none; what a
    spot sees of each group is known. The groups are fitted so that light times prediction is what was seen (M,), the
    smoother the better; regions that are off as a whole count less and less.
    """
    basis, groups = _light_basis(site, chosen)
    labels = site.labels[chosen]
    names, place = np.unique(labels, return_inverse=True)
    area = np.bincount(place, weight)
    # every region counts by the root of its area: a cloak does not decide alone
    each = weight * (1 / np.sqrt(np.maximum(area, 1e-9)))[place]
    trust = np.ones(len(names))
    seen = np.maximum(seen_Y, 1e-6)
    ratio = np.zeros(len(chosen))
    room, share = np.full(len(chosen), float(np.median(seen / bright))), np.zeros(basis.shape[1])
    for _ in range(ROUNDS):
        w = each * trust[place] / (1 + (ratio / 0.4) ** 2) ** 2
        w = w * (bright / seen) ** 2  # relative misses count
        left = (basis * w[:, None]).T @ basis
        right = (basis * w[:, None]).T @ (seen / bright)
        left += SMOOTH * float(np.trace(left)) / len(left) * _roughness(len(left))
        left += 1e-6 * float(np.trace(left)) / len(left) * np.eye(len(left))
        root = np.linalg.cholesky(left).T
        share, _ = nnls(root, np.linalg.solve(root.T, right))
        room = np.maximum(basis @ share, 0.02 * float(np.median(room)) + 1e-6)
        ratio = np.log(seen / (bright * room))
        means = np.array([_median(ratio[place == k], weight[place == k]) for k in range(len(names))])
        middle = _median(means, np.sqrt(area))
        trust = 1 / (1 + ((means - middle) / TOLERANCE) ** 2) ** 2
        room = room * np.exp(middle)
        share = share * np.exp(middle)
        ratio = ratio - middle
    return room, share[groups]


def _directions(site: Site) -> NDArray[np.float64]:
    view = site.visibility
    if view is None:
        raise SettingError("the sculpt is still being looked at; try again in a moment")
    return view.directions.astype(np.float64)


def _light_basis(site: Site, chosen: NDArray) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """(M, GROUPS) what each spot gets of each group of directions, and (D,) the group of each direction."""
    directions = _directions(site)
    groups = np.argmax(directions @ fibonacci_sphere(GROUPS).astype(float).T, axis=1)
    member = np.zeros((len(directions), GROUPS))
    member[np.arange(len(directions)), groups] = 1.0
    return _seen_light(site, chosen) @ member, groups


def _seen_light(site: Site, chosen: NDArray) -> NDArray[np.float64]:
    """(M, D) what each spot gets from each direction that it sees, by the cosine."""
    if site.visibility is None:
        raise SettingError("the sculpt is still being looked at; try again in a moment")
    view = site.visibility
    cos = np.maximum(site.surface.normals[chosen].astype(np.float64) @ view.directions.T.astype(np.float64), 0)
    return cos * np.unpackbits(view.bits[chosen], axis=1, bitorder="little")


@cache
def _roughness(count: int) -> NDArray[np.float64]:
    """(K, K) how much groups of directions differ from their neighbours."""
    at = fibonacci_sphere(count).astype(float)
    near = np.argsort(-(at @ at.T), axis=1)[:, 1:6]
    out = np.zeros((count, count))
    for k, others in enumerate(near):
        for j in others:
            out[k, k] += 1
            out[j, j] += 1
            out[k, j] -= 1
            out[j, k] -= 1
    return out / 5


def room_light(
    site: Site, bright: NDArray[np.float32], shot: Snapshot, grey: NDArray[np.float32]
) -> NDArray[np.float32] | None:
    """(N,) the light of the room that makes a prediction (N,) look like a grey picture (H, W); None where too little
    is seen."""
    pixels = np.where(shot.seen, shot.nearest(np.arange(len(site), dtype=np.int32)), -1)
    good = _inside(shot.seen) & (grey > 1e-3) & (grey < 0.95)
    spots = pixels[good]
    if len(spots) < LEAST_SPOTS or site.visibility is None:
        return None
    count = np.bincount(spots, minlength=len(site))
    light = np.bincount(spots, grey[good], len(site))
    chosen = np.flatnonzero((count > 0) & (bright > DARKEST))
    if len(chosen) < LEAST_SPOTS:
        return None
    chosen = evenly(chosen, MOST_FITTED)
    seen = light[chosen] / count[chosen]
    _, around = fitted_room(site, chosen, seen, bright[chosen], site.areas[chosen].astype(np.float64))
    every = np.unique(shot.corners[shot.seen])
    out = np.zeros(len(site), np.float32)
    out[every] = _seen_light(site, every) @ around
    return out


def _median(values: NDArray, weight: NDArray) -> float:
    return float(np.quantile(values, 0.5, weights=weight, method="inverted_cdf")) if len(values) else 0.0


def _regions(
    site: Site,
    chosen: NDArray,
    off: NDArray,
    colour: NDArray,
    wanted: NDArray,
    bright: NDArray,
    weight: NDArray,
    edges: dict[int, NDArray[np.bool_]],
) -> tuple[RegionOff, ...]:
    out = []
    labels = site.labels[chosen]
    names = ["the rest", *(r.name for r in site.marking.regions)]
    for number in np.unique(labels).tolist():
        mask = labels == number
        if mask.sum() < LEAST_SPOTS or weight[mask].sum() < LEAST_SHARE * weight.sum():
            continue
        w, d = weight[mask], off[mask]
        value = munsell_from_luminance(100 * bright[mask])
        low, high = np.quantile(value, [SHADOW, LIGHT], weights=w, method="inverted_cdf")
        inner = np.abs(d - _median(d, w)) < 2.5  # a spot of dust, a glint
        seen = lab(np.average(colour[mask][inner], axis=0, weights=w[inner]) @ RGB_TO_XYZ.T)
        aim = lab(np.average(wanted[mask][inner], axis=0, weights=w[inner]) @ RGB_TO_XYZ.T)
        chroma, aimed = float(np.hypot(*seen[1:])), float(np.hypot(*aim[1:]))
        turned = np.degrees(np.arctan2(seen[2], seen[1]) - np.arctan2(aim[2], aim[1]))
        hue = float((turned + 180) % 360 - 180) if min(chroma, aimed) > 8 else 0.0
        lined = edges.get(number)
        drawn = None
        if lined is not None and (lined[chosen] & mask).sum() >= LEAST_SPOTS / 4:
            on = lined[chosen] & mask
            drawn = _median(off[on], weight[on]) - _median(off[mask & ~on], weight[mask & ~on])
        out.append(
            RegionOff(
                number,
                names[number],
                _median(d, w),
                _median(d[value <= low], w[value <= low]),
                _median(d[value >= high], w[value >= high]),
                float(np.sqrt(np.average((d - np.average(d, weights=w)) ** 2, weights=w))),
                float(delta_e(seen, aim)),
                chroma - aimed,
                hue,
                float(site.areas[chosen][mask].sum()),
                float(np.average(value, weights=w)),
                aimed,
                drawn,
            )
        )
    return tuple(out)
