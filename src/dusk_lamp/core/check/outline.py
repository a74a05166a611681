"""The first pose: from the outline of the model in the photo, without any click."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from ..directions import far_apart
from ..errors import SettingError
from ..light.sky import sky_light
from ..paint.colour import RGB_TO_XYZ, XYZ_TO_RGB, xyz
from ..sculpt.decimate import thinned
from ..sculpt.mesh import Mesh
from ..sculpt.site import Site
from .perspective import pixels_covered, seen_by
from .photo import Photo
from .pinhole import Pinhole

CUT_SIDE, SIDE = 320, 112  # pixels of the longer side: of cutting out, and of laying outlines over each other
BORDER = 0.03  # of the picture, that is taken to be background
LEAST_OFF = 9.0  # ΔE from the background, at least, of what is the model
FAINT_OFF, FAINT_NOISE = 4.5, 4.0  # the same where it is as grey as the ground: ΔE, and times the ground's own spread
SMALLEST, LARGEST = 0.01, 0.85  # shares of the picture that a model takes
USUAL_LENS = 1.4  # longer sides, where the camera wrote none down
AZIMUTHS, ELEVATIONS = 24, (-5.0, 15.0, 35.0)
NEAR_BONUS = 0.06  # of a direction that is the display view's own, against one from behind
LIKENESS = 0.35  # weight of how alike the pictures are, beside the outlines: front and back have the same outline
BEST_FEW = 5
ENOUGH = 0.72  # share of the two outlines that they have in common, or nothing is proposed
SURE = 0.93  # … and no other way of cutting out is tried
PIECES, LEAST_PIECE = (1, 6), 0.04  # that a model may be seen in, tried in turn; the least, as a share of the largest
CORNERS = 3000  # of the form whose outline is looked for: it is off by less than a pixel of SIDE
MATCHED = 8  # spots of the sculpt that stand for a pose


@dataclass(frozen=True)
class Proposal:
    """camera: in the photo's own pixels. common: share that the outlines have in common. photo, sculpt: pixels (P, 2)
    of the photo and the places (P, 3) mm that lie there, as a painter would have matched them."""

    camera: Pinhole
    common: float
    photo: NDArray[np.float64]
    sculpt: NDArray[np.float64]


def model_in_photo(photo: Photo, pieces: int = 1, faint: bool = False) -> NDArray[np.uint8]:
    """(h, w) 1 where the model is, in a photo shrunk to CUT_SIDE: what differs from the background, whose light may
    fall off, then GrabCut (Rother, Kolmogorov and Blake, 2004, by OpenCV). pieces: that it is in, at most; there
    may be a grey card beside it. faint: what hardly differs from the background is the model, too, as grey primer
    before a grey ground; but so are shadows on it.

    Raises:
        SettingError: nothing stands out from the background.
    """
    height, width = photo.levels.shape[:2]
    shrunk = CUT_SIDE / max(height, width)
    size = (max(8, round(width * shrunk)), max(8, round(height * shrunk)))
    small = cv2.resize(photo.levels, size, interpolation=cv2.INTER_AREA)
    lab = cv2.cvtColor((small / np.float32(255)).astype(np.float32), cv2.COLOR_RGB2LAB)
    h, w = lab.shape[:2]
    rim = max(2, round(BORDER * max(h, w)))
    border = np.ones((h, w), np.bool_)
    border[rim:-rim, rim:-rim] = False
    y, x = np.mgrid[:h, :w] / float(max(h, w))
    table = np.stack([np.ones_like(x), x, y, x * x, y * y, x * y], axis=-1)
    keep = border.copy()
    for _ in range(3):  # what stands in the border is left out
        fitted = np.linalg.lstsq(table[keep], lab[keep], rcond=None)[0]
        off = np.linalg.norm(lab - table @ fitted, axis=2)
        keep = border & (off <= max(LEAST_OFF, 2 * float(np.median(off[border]))))
        if keep.sum() < 20:
            break
    level = off.clip(0, 100).astype(np.uint8)
    threshold = max(LEAST_OFF, float(cv2.threshold(level, 0, 255, cv2.THRESH_OTSU)[0]) * 0.6)
    if faint:
        threshold = min(threshold, max(FAINT_OFF, FAINT_NOISE * float(np.median(off[border]))))
    first = _largest(off > threshold, pieces)
    if faint and first is not None:
        return first
    if first is None:
        raise SettingError("the model does not stand out from what is behind it; match some spots by hand")
    marks = np.full((h, w), cv2.GC_PR_BGD, np.uint8)
    marks[cv2.dilate(first, np.ones((5, 5), np.uint8)) > 0] = cv2.GC_PR_FGD
    marks[cv2.erode(first, np.ones((7, 7), np.uint8)) > 0] = cv2.GC_FGD
    marks[border & (first == 0)] = cv2.GC_BGD
    try:
        cv2.setRNGSeed(7)
        cv2.grabCut(small, marks, (0, 0, 0, 0), np.zeros((1, 65)), np.zeros((1, 65)), 3, cv2.GC_INIT_WITH_MASK)
    except cv2.error:
        return first
    second = _largest((marks == cv2.GC_FGD) | (marks == cv2.GC_PR_FGD), pieces)
    return first if second is None or not 0.5 < second.sum() / first.sum() < 1.6 else second


def _largest(mask: NDArray[np.bool_], pieces: int) -> NDArray[np.uint8] | None:
    """The largest pieces of a mask, their holes filled; None where they cannot be a model."""
    closed = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    count, names, facts, _ = cv2.connectedComponentsWithStats(closed)
    if count < 2:
        return None
    areas = facts[1:, cv2.CC_STAT_AREA]
    kept = [k for k in np.argsort(-areas)[:pieces] if areas[k] >= LEAST_PIECE * areas.max()]
    largest = np.isin(names, [1 + k for k in kept]).astype(np.uint8)
    outer, _ = cv2.findContours(largest, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    cv2.drawContours(largest, outer, -1, 1, cv2.FILLED)
    return largest if SMALLEST < largest.mean() < LARGEST else None


class _Outlines:
    """The outline in the photo, and those of the sculpt, of its rough form, from wherever it is looked at."""

    def __init__(
        self,
        site: Site,
        form: Mesh,
        bright: NDArray[np.float32],
        photo: Photo,
        view: tuple[float, float],
        mask: NDArray[np.uint8],
    ) -> None:
        self.site, self.form, self.bright, self.view = site, form, bright, view
        shrunk = SIDE / max(photo.size)
        self.size = max(8, round(photo.size[0] * shrunk)), max(8, round(photo.size[1] * shrunk))
        self.mask = cv2.resize(mask.astype(np.float32), self.size, interpolation=cv2.INTER_AREA)
        full = photo.light @ RGB_TO_XYZ.T[:, 1].astype(np.float32)
        self.grey = np.sqrt(cv2.resize(full, self.size, interpolation=cv2.INTER_AREA))
        self.focal = (photo.lens or USUAL_LENS) * max(self.size)
        points = site.surface.points
        self.middle = ((points.max(axis=0) + points.min(axis=0)) / 2).astype(float)
        rows, columns = np.nonzero(self.mask > 0.5)
        self.centre = np.array([columns.mean() + 0.5, rows.mean() + 0.5])
        self.area = float(self.mask.sum())

    def camera(self, x: NDArray) -> Pinhole:
        """x: azimuth, elevation, roll (degrees), the pixel that the middle of the sculpt lies at, log of mm."""
        azimuth, elevation, roll, u, v, far = x
        distance = float(np.exp(far))
        plain = Pinhole.looking_at(
            self.middle, azimuth, float(np.clip(elevation, -89, 89)), distance, 36.0, self.size
        )
        ray = np.array([(u - self.size[0] / 2) / self.focal, (v - self.size[1] / 2) / self.focal, 1.0])
        ray /= np.linalg.norm(ray)
        axis = np.array([-ray[1], ray[0], 0.0])  # at right angles to the view and to the ray
        sine = np.linalg.norm(axis)
        tilt = cv2.Rodrigues(axis / sine * np.arctan2(sine, ray[2]))[0] if sine > 1e-9 else np.eye(3)
        rows = cv2.Rodrigues(ray * np.radians(roll))[0] @ tilt @ plain.rows
        forward, up = rows[2], -rows[1]
        return Pinhole(plain.position, tuple(forward), tuple(up), self.focal, *self.size)

    def common(self, x: NDArray) -> float:
        """The share of both outlines that they have in common."""
        seen = pixels_covered(self.form, self.camera(x))
        both = float(np.minimum(self.mask, seen).sum())
        return both / max(self.area + float(seen.sum()) - both, 1e-9)

    def placed(self, azimuth: float, elevation: float) -> NDArray[np.float64]:
        """A look from a direction, as large and in the same place as the model in the photo."""
        x = np.array([azimuth, elevation, 0.0, *self.centre, np.log(3.3 * self.site.surface.size)])
        for _ in range(2):
            seen = pixels_covered(self.form, self.camera(x))
            rows, columns = np.nonzero(seen)
            if len(rows) < 10:
                break
            x[5] += 0.5 * np.log(len(rows) / self.area)
            x[3:5] += self.centre - [columns.mean() + 0.5, rows.mean() + 0.5]
        return x

    def alike(self, x: NDArray) -> float:
        """−1..1 how alike the pictures are where both have the model: the sculpt under an open sky against the
        photo."""
        shot = seen_by(self.site.surface, self.camera(x), *self.size)
        where = shot.seen & (self.mask > 0.9)
        if where.sum() < 30:
            return -1.0
        drawn = np.sqrt(np.maximum(shot.field(self.bright), 0))[where]
        grey = self.grey[where]
        if drawn.std() < 1e-6 or grey.std() < 1e-6:
            return 0.0
        return float(np.corrcoef(drawn, grey)[0, 1])

    def near_view(self, azimuth: float, elevation: float) -> float:
        """0..1 how near a direction is to the display view: that is where photos are taken from."""
        turn = np.radians(azimuth - self.view[0])
        return 0.5 + 0.5 * float(np.cos(turn)) * float(np.cos(np.radians(elevation - self.view[1]) / 2))


def proposed_pose(
    site: Site, reflectance: NDArray[np.float32], photo: Photo, view: tuple[float, float] = (0.0, 10.0)
) -> Proposal:
    """The pose that lays the sculpt's outline over the model's in a photo, looked for all round; of those whose
    outlines fit, the one whose picture is most like the photo. reflectance: (N, 36) as it is painted. view: azimuth
    and elevation of the display view, which is tried first and preferred where others fit no better.

    Raises:
        SettingError: the model does not stand out, or no look fits its outline.
    """
    if site.visibility is None:
        raise SettingError("the sculpt is still being looked at; try again in a moment")
    albedo = np.maximum(xyz(reflectance) @ XYZ_TO_RGB.T, 1e-4) @ RGB_TO_XYZ.T[:, 1]
    bright = (albedo * (0.15 + sky_light(site.surface, site.visibility))).astype(np.float32)
    whole = Mesh(site.surface.points, site.surface.faces)
    form, _ = thinned(whole, np.zeros(len(whole.faces), np.int32), CORNERS)
    found: list[tuple[float, Pinhole]] = []
    for pieces in PIECES:
        for faint in (False, True):
            outlines = _Outlines(site, form, bright, photo, view, model_in_photo(photo, pieces, faint))
            best = _best(outlines)
            found.append((outlines.common(best), outlines.camera(best)))
            if found[-1][0] >= SURE:
                break
        if max(common for common, _ in found) >= ENOUGH:
            break
    common, camera = max(found, key=lambda one: one[0])
    if common < ENOUGH:
        raise SettingError(
            "no look at the sculpt fits the outline in the photo; is all of it in the picture, and nothing else in "
            "front of the background? Match some spots by hand"
        )
    camera = camera.sized(*photo.size)
    pixels, places = _spots(site, camera)
    return Proposal(camera, common, pixels * photo.times, places)


def _best(outlines: _Outlines) -> NDArray[np.float64]:
    """The look that fits best, of all round; near ones to the display view first."""

    def worth(x: NDArray) -> float:
        return outlines.common(x) + NEAR_BONUS * outlines.near_view(x[0], x[1])

    azimuth, height = outlines.view
    tried = [outlines.placed(azimuth + turn, height) for turn in (-30.0, -15.0, 0.0, 15.0, 30.0)]
    tried += [outlines.placed(azimuth + k * 360 / AZIMUTHS, other) for k in range(AZIMUTHS) for other in ELEVATIONS]
    tried.sort(key=worth, reverse=True)
    steps = np.array([6.0, 6.0, 4.0, 2.0, 2.0, 0.04])
    found = []
    for x in _apart(tried, BEST_FEW):
        simplex = np.vstack([x, x + np.diag(steps)])
        options = {"initial_simplex": simplex, "maxfev": 90, "xatol": 0.05, "fatol": 1e-4}
        found.append(minimize(lambda y: -outlines.common(y), x, method="Nelder-Mead", options=options).x)
    return max(found, key=lambda x: worth(x) + LIKENESS * outlines.alike(x))


def _apart(looks: list[NDArray], most: int) -> list[NDArray]:
    """The first few that are not nearly the same."""
    out: list[NDArray] = []
    for x in looks:
        if all(abs((x[0] - o[0] + 180) % 360 - 180) > 20 or abs(x[1] - o[1]) > 25 for o in out):
            out.append(x)
        if len(out) == most:
            break
    return out


def _spots(site: Site, camera: Pinhole) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Pixels and places of spots in plain sight, spread over the model."""
    shot = seen_by(
        site.surface,
        camera,
        *(max(8, round(n * SIDE / max(camera.width, camera.height))) for n in (camera.width, camera.height)),
    )
    spots = np.unique(shot.corners[shot.seen][:, 0])
    places = site.surface.points[spots].astype(float)
    chosen = far_apart(places, MATCHED, int(np.argmin(places[:, 2])))
    return camera.project(places[chosen])[0], places[chosen]
