"""Emitters: what a glowing region, a ball in the air or a glowing plane throws on every spot.

All is worked out for a source of radiosity 1; strength is a factor, so that reach, colour and dusk can be changed
without a ray. Light that is not hidden comes from closed forms (ball, plane) or from many small pieces of the source
(region); how much of it is hidden, from rays to places spread evenly over the source.
"""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from ..directions import GOLDEN_TURN, fibonacci_sphere
from ..errors import SettingError
from ..plain import checked, choice, number
from ..rays import in_threads
from ..sculpt.site import Site
from ..sculpt.surface import Surface

PLACES, FEW_PLACES = 64, 12  # of the source that a spot looks at; few for a first look
PIECES, GROUPS = 4096, 1024  # that a region is cut into, and that are asked as one from afar
NEAR_TIMES = 4.0  # a spot nearer than so many times a group's breadth asks its pieces, not the group
LEAST = 2e-5  # of the source's radiosity: less is not looked for
SHARES = 16  # pieces of the work, summed in a fixed order


@dataclass(frozen=True)
class Source:
    """What glows.

    kind: a region of the sculpt, a ball in the air, or a plane. region: its number. middle: (3,) mm, of a ball or a
    plane. radius: of a ball. normal, width, height: of a plane, which shines along its normal; its width lies level.
    """

    kind: str = choice("ball", ("region", "ball", "plane"), "what glows")
    region: int = 0
    middle: tuple[float, float, float] = (0.0, 0.0, 0.0)
    radius: float = number(1.0, 0.01, 500, "the radius of a glowing ball", "mm")
    normal: tuple[float, float, float] = (0.0, 0.0, 1.0)
    width: float = number(10.0, 0.01, 5000, "the width of a glowing plane", "mm")
    height: float = number(10.0, 0.01, 5000, "the height of a glowing plane", "mm")

    def __post_init__(self) -> None:
        checked(self)
        if not np.isfinite([*self.middle, *self.normal]).all() or not np.any(self.normal):
            raise SettingError("a glow is at a place of three numbers, and shines in a direction")


@dataclass(frozen=True)
class Glow:
    """What a source of radiosity 1 throws.

    factor: (N,) irradiance, 1 where it fills all that a spot looks at. visible: (N,) 0..1 of it that each spot sees,
    of what faces the spot. area: mm² of the source as it is seen from where it shows most; middle: (3,) mm; mask:
    (N,) samples that are the source."""

    factor: NDArray[np.float32]
    visible: NDArray[np.float32]
    area: float
    middle: NDArray[np.float64]
    mask: NDArray[np.bool_]


@dataclass(frozen=True)
class _Pieces:
    """points, normals: (P, 3). areas: (P,)."""

    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    areas: NDArray[np.float64]


def glow_of(site: Site, source: Source, places: int = PLACES, shadow: bool = True) -> Glow:
    """The light of a source on every sample of a site.

    Args:
        places: of the source that each spot looks at. shadow: whether the sculpt hides it from itself.
    Raises:
        SettingError: the source has no surface, or lies inside the sculpt.
    Source: Lambert's law between two small surfaces; the ball and the polygon in closed form (Howell, A Catalog of
    Radiation Heat Transfer Configuration Factors; Lambert 1760 for the polygon).
    """
    surface = site.surface
    mask = np.zeros(len(surface), np.bool_)
    if source.kind == "ball":
        middle = np.asarray(source.middle, float)
        _refuse_inside(surface, middle)
        factor = ball_factor(surface.points, surface.normals, middle, source.radius)
        sphere = fibonacci_sphere(places * 2).astype(float)  # half of it faces any spot
        area = np.pi * source.radius**2
        looked = _Pieces(middle + source.radius * sphere, sphere, np.full(len(sphere), 4 * area / len(sphere)))
    elif source.kind == "plane":
        middle = np.asarray(source.middle, float)
        corners, normal = corners_of(source)
        area = source.width * source.height
        factor = polygon_factor(surface.points, surface.normals, corners)
        looked = _on_plane(source, corners, normal, places)
    else:
        faces = faces_of(site, source.region)
        mask = site.labels == source.region
        pieces = _cut(surface, faces, PIECES)
        middle = np.average(pieces.points, axis=0, weights=pieces.areas)
        area = _shown(pieces)
        groups = _grouped(pieces, places)
        factor = _gathered(surface, pieces, _grouped(pieces, GROUPS))
        middles = np.array([_middle_of(pieces, groups, k) for k in range(int(groups.max()) + 1)])
        looked = _Pieces(
            pieces.points[middles], pieces.normals[middles], np.bincount(groups, pieces.areas).astype(np.float64)
        )
    open_ = np.where(np.abs(surface.normals).any(axis=1), factor, 0).astype(np.float32)
    visible = _seen(surface, looked, open_, shadow)
    return Glow((open_ * visible).astype(np.float32), visible, float(area), middle, mask)


def faces_of(site: Site, region: int) -> NDArray[np.int32]:
    """(F, 3) the faces of a region that can be seen.

    Raises:
        SettingError: no such region, or nothing of it.
    """
    if not 0 <= region <= len(site.marking.regions):
        raise SettingError("the region that glows is not there any more; choose another source")
    faces = site.surface.faces
    inside = (site.labels[faces] == region).all(axis=1) & site.paintable[faces].any(axis=1)
    if not inside.any():
        name = site.marking.regions[region - 1].name if region else "the rest"
        raise SettingError(f"nothing of “{name}” can glow: mark more of it")
    return faces[inside]


def _refuse_inside(surface: Surface, middle: NDArray[np.float64]) -> None:
    body = surface.blockers or surface
    ways = np.array([[0.137, 0.261, 0.955], [-0.71, 0.32, 0.63], [0.31, -0.87, -0.38]], np.float32)
    odd = sum(body.caster.crossings(middle.astype(np.float32), w / np.linalg.norm(w)) % 2 for w in ways)
    if odd == len(ways):
        raise SettingError("the glowing ball would be inside the sculpt; move it out, or let a region glow")


# --- closed forms
def ball_factor(points: NDArray, normals: NDArray, middle: NDArray[np.float64], radius: float) -> NDArray[np.float64]:
    """(N,) from a small surface to a ball in open space, also where its horizon cuts the ball.

    Source: Howell's catalogue of configuration factors, section B, a plane element and a tilted sphere; H is the
    distance over the radius.
    """
    way = middle - points.astype(np.float64)
    far = np.linalg.norm(way, axis=1)
    H = np.maximum(far / radius, 1.0 + 1e-9)
    cosine = np.einsum("ij,ij->i", way, normals.astype(np.float64)) / np.maximum(far, 1e-12)
    whole = cosine / H**2
    theta = np.arccos(np.clip(cosine, -1, 1))
    edge = np.arcsin(1 / H)  # of the ball, as it is seen
    x = np.sqrt(np.maximum(H**2 - 1, 1e-12))
    sine = np.maximum(np.sin(theta), 1e-9)
    y = np.clip(-x * np.cos(theta) / sine, -1, 1)
    off = sine * np.sqrt(1 - y**2)
    cut = ((np.cos(theta) * np.arccos(y) - x * off) / H**2 + np.arctan(off / x)) / np.pi
    out = np.where(theta <= np.pi / 2 - edge, whole, np.where(theta >= np.pi / 2 + edge, 0.0, cut))
    return np.clip(out, 0.0, 1.0)


def corners_of(source: Source) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(4, 3) the corners of a plane, and the direction (3,) it shines in."""
    n = np.asarray(source.normal, float)
    n = n / np.linalg.norm(n)
    along = np.cross([0.0, 0.0, 1.0], n)
    along = np.array([1.0, 0.0, 0.0]) if np.linalg.norm(along) < 1e-9 else along / np.linalg.norm(along)
    up = np.cross(n, along)
    m, a, b = np.asarray(source.middle, float), along * source.width / 2, up * source.height / 2
    return np.stack([m - a - b, m + a - b, m + a + b, m - a + b]), n


def polygon_factor(points: NDArray, normals: NDArray, corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N,) from small surfaces to a flat polygon (C, 3) in open space that shines to the side its corners run round
    against the clock, cut off at each spot's horizon. Source: Lambert's polygon formula (Photometria, 1760)."""
    return _polygon(
        np.ascontiguousarray(points, np.float64),
        np.ascontiguousarray(normals, np.float64),
        np.ascontiguousarray(corners, np.float64),
    )


@numba.njit(cache=True, parallel=True)
def _polygon(points, normals, corners):
    n, c = len(points), len(corners)
    out = np.zeros(n)
    face = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    for i in numba.prange(n):
        p, normal = points[i], normals[i]
        if (p - corners[0]) @ face <= 0:
            continue
        ring = np.empty((2 * c, 3))
        count = 0
        for k in range(c):
            a, b = corners[k] - p, corners[(k + 1) % c] - p
            ha, hb = a @ normal, b @ normal
            if ha >= 0:
                ring[count] = a
                count += 1
            if (ha > 0 and hb < 0) or (ha < 0 and hb > 0):
                ring[count] = a + (b - a) * (ha / (ha - hb))
                count += 1
        if count < 3:
            continue
        total = 0.0
        for k in range(count):
            a, b = ring[k], ring[(k + 1) % count]
            la, lb = np.sqrt(a @ a), np.sqrt(b @ b)
            if la < 1e-12 or lb < 1e-12:
                continue
            x = np.cross(a, b)
            lx = np.sqrt(x @ x)
            if lx < 1e-18:
                continue
            total += np.arctan2(lx, a @ b) * (x @ normal) / lx
        out[i] = min(max(-total / (2 * np.pi), 0.0), 1.0)
    return out


# --- a region in pieces
def _cut(surface: Surface, faces: NDArray[np.int32], count: int) -> _Pieces:
    """Faces cut into about so many pieces of like area, each with its own place; large faces into many."""
    corners = surface.points[faces].astype(np.float64)
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(across, axis=1) / 2
    keep = area > 0
    corners, across, area = corners[keep], across[keep], area[keep]
    if not len(area):
        raise SettingError("what glows has no surface; mark more of it")
    normal = across / (2 * area)[:, None]
    if len(area) > count:  # many small faces: every so many mm² one speaks for its neighbours
        run = np.cumsum(area)
        at = (np.arange(count) + 0.5) / count * run[-1]
        chosen = np.minimum(np.searchsorted(run, at), len(area) - 1)
        return _Pieces(corners[chosen].mean(axis=1), normal[chosen], np.full(count, run[-1] / count))
    split = np.maximum(1, np.ceil(np.sqrt(area / area.sum() * count))).astype(np.int64)  # k² equal triangles each
    points, normals, areas = [], [], []
    for k in np.unique(split):
        mask = split == k
        weights = _triangle_middles(int(k))
        points.append(np.einsum("wc,fcd->fwd", weights, corners[mask]).reshape(-1, 3))
        normals.append(np.repeat(normal[mask], len(weights), axis=0))
        areas.append(np.repeat(area[mask] / len(weights), len(weights)))
    return _Pieces(np.concatenate(points), np.concatenate(normals), np.concatenate(areas))


def _shown(pieces: _Pieces) -> float:
    """mm²: the most that is seen of pieces from anywhere, were nothing in the way: all of a flat one, a quarter of a
    ball's skin."""
    ways = fibonacci_sphere(96).astype(float)
    return float((np.maximum(ways @ pieces.normals.T, 0) @ pieces.areas).max())


def _triangle_middles(k: int) -> NDArray[np.float64]:
    """(k², 3) barycentric middles of the equal triangles that a triangle is cut into."""
    out = []
    for i in range(k):
        for j in range(k - i):
            out.append(((i + 1 / 3) / k, (j + 1 / 3) / k))
            if i + j < k - 1:
                out.append(((i + 2 / 3) / k, (j + 2 / 3) / k))
    uv = np.array(out)
    return np.column_stack([1 - uv.sum(axis=1), uv])


def _grouped(pieces: _Pieces, count: int) -> NDArray[np.int64]:
    """(P,) which of `count` groups of like area each piece belongs to: halved across its longest side, again and
    again, so that a group is compact."""
    groups = np.zeros(len(pieces.areas), np.int64)
    parts = [(np.arange(len(pieces.areas)), count)]
    done: list[NDArray[np.int64]] = []
    while parts:
        rows, n = parts.pop()
        if n == 1 or len(rows) == 1:
            done.append(rows)
            continue
        box = np.column_stack(
            [pieces.points[rows], pieces.normals[rows] * 0.5 * np.ptp(pieces.points[rows], axis=0).max()]
        )
        order = rows[np.argsort(box[:, int(np.argmax(np.ptp(box, axis=0)))], kind="stable")]
        run = np.cumsum(pieces.areas[order])
        left = n // 2
        cut = int(np.clip(np.searchsorted(run, run[-1] * left / n), 1, len(order) - 1))
        parts += [(order[:cut], left), (order[cut:], n - left)]
    for k, rows in enumerate(done):
        groups[rows] = k
    return groups


def _middle_of(pieces: _Pieces, groups: NDArray[np.int64], k: int) -> int:
    rows = np.flatnonzero(groups == k)
    middle = np.average(pieces.points[rows], axis=0, weights=pieces.areas[rows])
    return int(rows[np.argmin(((pieces.points[rows] - middle) ** 2).sum(axis=1))])


def _gathered(surface: Surface, pieces: _Pieces, groups: NDArray[np.int64]) -> NDArray[np.float64]:
    """(N,) the light of all pieces in open space: groups that are far away as one, near ones piece by piece."""
    order = np.argsort(groups, kind="stable")
    count = int(groups.max()) + 1
    start = np.searchsorted(groups[order], np.arange(count + 1))
    p, n, a = pieces.points[order], pieces.normals[order], pieces.areas[order]
    weight = np.maximum(np.add.reduceat(a, start[:-1]), 1e-30)
    middle = np.add.reduceat(p * a[:, None], start[:-1]) / weight[:, None]
    normal = np.add.reduceat(n * a[:, None], start[:-1])  # (G, 3), its length an area: what bends counts less
    wide = np.sqrt(np.maximum.reduceat(((p - middle[groups[order]]) ** 2).sum(axis=1), start[:-1]))
    return _gather(
        surface.points.astype(np.float64),
        surface.normals.astype(np.float64),
        p,
        n,
        a,
        start,
        middle,
        normal,
        weight,
        wide,
    )


@numba.njit(cache=True, parallel=True, fastmath=True)
def _gather(points, normals, p, n, a, start, middle, normal, weight, wide):
    out = np.zeros(len(points))
    groups = len(middle)
    for i in numba.prange(len(points)):
        x, y, z = points[i]
        u, v, w = normals[i]
        total = 0.0
        for g in range(groups):
            dx, dy, dz = middle[g, 0] - x, middle[g, 1] - y, middle[g, 2] - z
            r2 = dx * dx + dy * dy + dz * dz
            limit = NEAR_TIMES * wide[g]
            if r2 > limit * limit and r2 > 0:
                facing = dx * u + dy * v + dz * w
                if facing > 0:
                    shines = -(dx * normal[g, 0] + dy * normal[g, 1] + dz * normal[g, 2])
                    if shines > 0:
                        total += facing * shines / (r2 * (np.pi * r2 + weight[g]))
                continue
            for k in range(start[g], start[g + 1]):
                ex, ey, ez = p[k, 0] - x, p[k, 1] - y, p[k, 2] - z
                s2 = ex * ex + ey * ey + ez * ez
                if s2 <= 1e-18:
                    continue
                facing = ex * u + ey * v + ez * w
                shines = -(ex * n[k, 0] + ey * n[k, 1] + ez * n[k, 2])
                if facing > 0 and shines > 0:
                    total += facing * shines / s2 * a[k] / (np.pi * s2 + a[k])
        out[i] = min(total, 1.0)
    return out


def _on_plane(source: Source, corners: NDArray, normal: NDArray, places: int) -> _Pieces:
    """Places spread evenly over a plane (a lattice of rank one), each for an equal area."""
    k = np.arange(places) + 0.5
    u, v = k / places, (k / GOLDEN_TURN * 2 * np.pi) % 1.0
    points = corners[0] + u[:, None] * (corners[1] - corners[0]) + v[:, None] * (corners[3] - corners[0])
    return _Pieces(points, np.tile(normal, (places, 1)), np.full(places, source.width * source.height / places))


# --- what is hidden
def _seen(surface: Surface, looked: _Pieces, factor: NDArray[np.float32], shadow: bool) -> NDArray[np.float32]:
    """(N,) the share of the light in open space that is not hidden: each place weighs what it would give."""
    lit = np.flatnonzero(factor > LEAST)
    out = np.zeros(len(surface), np.float32)
    if not shadow:
        out[lit] = 1
        return out
    body = surface.blockers or surface
    caster, lift = body.caster, np.float32(2 * surface.lift_share * body.size)
    origins, normals, points = surface.origins[lit], surface.normals[lit], surface.points[lit]
    whole, free = np.zeros((2, SHARES, len(lit)), np.float32)

    def one(k: int) -> None:
        for j in range(k, len(looked.areas), SHARES):
            way = looked.points[j].astype(np.float32) - points
            far2 = np.einsum("ij,ij->i", way, way)
            far = np.sqrt(far2)
            facing = np.einsum("ij,ij->i", way, normals)
            shines = -(way @ looked.normals[j].astype(np.float32))
            gives = np.flatnonzero((facing > 0) & (shines > 0) & (far > 0))
            if not len(gives):
                continue
            area = np.float32(looked.areas[j])
            much = facing[gives] * shines[gives] / far2[gives] / (np.float32(np.pi) * far2[gives] + area)
            whole[k, gives] += much
            target = (looked.points[j] + lift * looked.normals[j]).astype(np.float32)
            open_ = ~caster.hidden_from(origins[gives], target, float(lift))
            free[k, gives[open_]] += much[open_]

    in_threads(one, range(SHARES))
    total = whole.sum(axis=0)
    out[lit] = np.where(total > 0, free.sum(axis=0) / np.maximum(total, 1e-30), 0)
    return out
