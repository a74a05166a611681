"""A choice as ordinary coats: in every region the base, shades down from it, lights up from it, blended where that
was chosen."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...coat.brush import job_water
from ...coat.coat import Coat, usual_coat
from ...paint.colour import delta_e, lab, xyz
from ...paint.film import film
from ...paint.mix import Mix
from ...results import digest, result
from ...sculpt.site import Site, Where
from ..context import Context
from ..features.colour.ways.layers import covering_um
from .candidates import Candidates, score
from .films import WAY, FilmOption, film_coats
from .groups import Group
from .options import Option, job_of

SHARES = np.array(
    [0, 0.02, 0.04, 0.07, 0.1, 0.15, 0.22, 0.32, 0.5, 0.75, 1.0]
)  # of a film, that a blend is looked for in
NARROWEST_MM = 0.3


def coats_of(context: Context, groups: Sequence[Group], found: Candidates, option: Option | FilmOption) -> list[Coat]:
    """The coats of one region, in order."""
    if isinstance(option, FilmOption):
        return film_coats(context, groups, found, option)
    group = groups[option.region]
    region = context.site.marking.regions[group.number - 1]
    mixes = [found.mix(p) for p in option.puddles]
    out: list[Coat] = []
    for k in _order(option):
        mix, role = mixes[k], "base" if k == option.base else "shade" if k < option.base else "light"
        toward = k - 1 if k > option.base else k + 1  # what it is blended over, or lies beside
        over = group.ground if k == option.base else mixes[toward].pigment.masstone
        um = covering_um(mix, over)
        label = f"{region.name}: {role}"
        if k == option.base:
            coat = usual_coat("brush", mix, label, "colour").with_settings(
                {"film_um": um, "water": job_water(job_of(k, option.base, len(mixes)))}
            )
            where: Where | None = Where("region", region.id)
        else:
            where, width = _where(context, group, option, k, mixes, um)
            given = {
                "film_um": um,
                "water": job_water(job_of(k, option.base, len(mixes))),
                **({"width": round(width, 1)} if width else {}),
            }
            coat = usual_coat("blend" if width else "brush", mix, label, "colour").with_settings(given)
        if where is not None:
            out.append(replace(coat, where=where, way=WAY, region=region.id))
    return out


def _order(option: Option) -> list[int]:
    """The base, then down, then up."""
    last = len(option.puddles)
    return [option.base, *range(option.base - 1, -1, -1), *range(option.base + 1, last)]


def _where(
    context: Context, group: Group, option: Option, k: int, mixes: Sequence[Mix], um: float
) -> tuple[Where | None, float]:
    """What a coat goes on, and over how many mm it is blended, 0 where its edge is hard."""
    up = k > option.base
    joint = k if up else k + 1  # the zone between it and what it is laid over
    fading = option.mixed == joint
    beyond = option.mixed == (k + 1 if up else k)  # what a later coat is blended over
    full = ((option.bands == k) & (option.mixed < 0)) | beyond
    count = len(context.site)
    share = np.zeros(count)
    levels = full.astype(float)
    if fading.any():
        levels = np.where(fading, _levels(group, mixes[k], mixes[k - 1 if up else k + 1], um, up), levels)
    share[group.samples] = levels[group.bin]
    on = share > 0
    if not on.any():
        return None, 0.0
    width = _width(context, group, fading) if fading.any() else 0.0
    return Where.some(on, share if fading.any() else None), width


def _levels(group: Group, mix: Mix, under: Mix, um: float, up: bool) -> NDArray[np.float64]:
    """(B,) the share of the film that brings each group nearest, never less on the strong side."""
    base = np.broadcast_to(under.pigment.masstone, (len(SHARES), 36))
    K, S = (np.broadcast_to(getattr(mix.pigment, name), (len(SHARES), 36)) for name in "KS")
    seen = lab(xyz(film(K, S, SHARES * um, base)))
    near = score(delta_e(seen[:, None], group.lab[None])) * group.mm2  # (levels, B)
    near = near if up else near[:, ::-1]
    total, came = near[:, 0], []  # the best run of levels that never falls
    for b in range(1, near.shape[1]):
        best = np.array([int(np.argmax(total[: k + 1])) for k in range(len(SHARES))])
        came.append(best)
        total = total[best] + near[:, b]
    at = [int(np.argmax(total))]
    for best in reversed(came):
        at.append(int(best[at[-1]]))
    run = SHARES[np.array(at[::-1])]
    return np.maximum(run if up else run[::-1], SHARES[1])


def _width(context: Context, group: Group, fading: NDArray[np.bool_]) -> float:
    """mm: the area of the zone over half of its border."""
    surface = context.site.surface
    zone = np.zeros(len(context.site), np.bool_)
    zone[group.samples] = fading[group.bin]
    a, b = _edges_within(context.site, group.number)
    crossing = zone[a] != zone[b]
    border = float(np.linalg.norm(surface.points[a[crossing]] - surface.points[b[crossing]], axis=1).sum()) / 1.6
    return max(NARROWEST_MM, float(context.site.areas[zone].sum()) / max(border / 2, 1.0))


@result(most=60, depends=lambda site, number: (number, digest(site.labels == number)))
def _edges_within(site: Site, number: int) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """The two ends (E,) of the edges between samples of one region."""
    a, b = site.surface.edges
    mask = site.labels == number
    mine = mask[a] & mask[b]
    return a[mine], b[mine]
