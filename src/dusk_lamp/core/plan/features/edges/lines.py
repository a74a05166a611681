"""Edge highlights: crests that the lamp sees, as lines with widths and values, and the strokes that lay them (craft
page, section 12, CP-13)."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....coat.technique import technique
from ....datasets.materials import material_called
from ....directions import level_frame
from ....errors import SettingError
from ....light.lamp import Lamp
from ....paint.mix import nearest_mix, only, values_of
from ....places import tree_of
from ....plain import rounded
from ....results import digest, result
from ....sculpt.relief import Line, caught, closely, corners_seeing, covered_by, lines
from ....sculpt.site import Site
from ...brief import BRUSHED, Brief, brushed
from .wishes import EDGE_MM, EDGE_MOST

WIDEST_MM, FINEST_MM = 0.4, 0.15  # low and high: thinner upward; common practice, from memory
DARKEST, LIGHTEST = 5.5, 9.5  # values, low and high: brighter upward
LEAST_MM = 0.4  # a shorter stroke is a dot
# of a steady hand, and to lift and set down again. Common practice, from memory
MM_A_MINUTE, LIFT_MINUTES = 60.0, 0.05
MEET = 3  # crests that make a corner
# width of a lining; share of a crease that touches a region and is its own. From memory
LINING_MM, TOUCHES = 0.3, 0.3
WHITE = 7.0  # values: no dark line between two regions lighter than this (craft page, section 9)

EDGES = "edges"
EDGE_STEPS, LEAST_LIFT = (1.0, 1.8), 0.3  # of a material's lift; a line that stands out less is not laid
PLANE_MM = 1.2  # beside an edge, that counts as the plane it stands out from
EDGE_CHROMA, EDGE_HIGHER = (0.75, 0.5), 20.0  # of the region's own chroma; degrees that the second lamp is higher
LINE_BESIDE_MM = 1.5  # of an edge, that a dark line counts as beside it
LINE_VALUE, LINE_CHROMA = 1.6, 0.5  # of a lining, and the share of the region's own colour in it


@dataclass(frozen=True)
class Crest:
    """One crest. places: (P, 3) mm. length_mm, lit_mm, seen_mm: of it, what the lamp sees, and what the view sees.
    width_mm,
    value: of the line. region: its number."""

    places: NDArray[np.float64]
    region: int
    length_mm: float = rounded(3)
    lit_mm: float = rounded(3)
    seen_mm: float = rounded(3)
    width_mm: float = rounded(3)
    value: float = rounded(2)


@dataclass(frozen=True)
class Stroke:
    """One pull of the brush. places: (P, 3) mm in the order of the hand. crest: its number."""

    places: NDArray[np.float64]
    crest: int
    mm: float = rounded(3)


@dataclass(frozen=True)
class EdgeLines:
    """crests: the longest first. strokes: in an order for the hand. total_mm, lit_mm, minutes: all together."""

    crests: list[Crest]
    strokes: list[Stroke]
    total_mm: float = rounded(2)
    lit_mm: float = rounded(2)
    minutes: float = rounded(1)


def crests_of(
    site: Site,
    lamp: Lamp | None,
    view: tuple[float, float] | None = None,
    scale: float | None = None,
    least: float = 0.0,
) -> EdgeLines:
    """The crests of a site with what the lamp and the view see of them.

    Args:
        lamp: None for every crest lit. view: azimuth, elevation; None for every crest seen. scale: mm, of what counts
        as a crest. least: mm of the shortest.
    """
    known = site.lines if scale is None else lines(site.surface, scale, site.bends)
    found = [o for o in known if o.convex and o.length >= least]
    lit = _seen(site, lamp)
    seen = _seen(site, None if view is None else Lamp(*view))
    points = site.surface.points[:, 2]
    low, tall = float(points.min(initial=0.0)), max(float(np.ptp(points)) if len(points) else 0.0, 1e-9)
    label = np.zeros(len(lit), np.uint8)
    np.maximum.at(label, site.bends.place, site.labels)
    crests, strokes = [], []
    for k, line in enumerate(found):
        pieces = np.linalg.norm(np.diff(line.places.astype(float), axis=0), axis=1)
        pieces *= line.length / max(pieces.sum(), 1e-12)
        shone = lit[line.corners[:-1]] & lit[line.corners[1:]] & caught(line, site.surface.size)
        shown = seen[line.corners[:-1]] & seen[line.corners[1:]]
        height = float((line.places[:, 2].mean() - low) / tall)
        crests.append(
            Crest(
                line.places.astype(float),
                int(np.bincount(label[line.corners]).argmax()),
                float(pieces.sum()),
                float(pieces[shone].sum()),
                float(pieces[shown].sum()),
                WIDEST_MM + (FINEST_MM - WIDEST_MM) * height,
                DARKEST + (LIGHTEST - DARKEST) * height,
            )
        )
        strokes += _strokes(line, pieces, shone & shown, k)
    ordered = _in_order(strokes)
    lit_mm = float(sum(c.lit_mm for c in crests))
    minutes = sum(s.mm for s in ordered) / MM_A_MINUTE + LIFT_MINUTES * len(ordered)
    return EdgeLines(crests, ordered, float(sum(c.length_mm for c in crests)), lit_mm, minutes)


def _seen(site: Site, lamp: Lamp | None) -> NDArray[np.bool_]:
    """(V,) the places of the joined surface that a lamp, or an eye, sees; all, where there is none."""
    if lamp is None:
        return np.ones(len(site.bends.joined.vertices), np.bool_)
    return corners_seeing(site.surface, site.bends, lamp.direction)


def _strokes(line: Line, pieces: NDArray[np.float64], on: NDArray[np.bool_], crest: int) -> list[Stroke]:
    """The runs of a line that are to be painted."""
    out = []
    edges = np.flatnonzero(np.diff(np.concatenate([[0], on.astype(np.int8), [0]])))
    for begin, end in zip(edges[::2], edges[1::2], strict=True):
        length = float(pieces[begin:end].sum())
        if length >= LEAST_MM:
            out.append(Stroke(line.places[begin : end + 1].astype(float), crest, length))
    return out


def _in_order(strokes: Sequence[Stroke]) -> list[Stroke]:
    """From the top, always on to the nearest end, pulled from there."""
    left = list(strokes)
    if not left:
        return []
    left.sort(key=lambda s: -float(s.places[:, 2].max()))
    out = [left.pop(0)]
    ends = np.array([[s.places[0], s.places[-1]] for s in left]).reshape(-1, 2, 3)
    alive = np.ones(len(left), np.bool_)
    at = out[0].places[-1]
    for _ in range(len(left)):
        off = np.linalg.norm(ends - at, axis=2)
        off[~alive] = np.inf
        k, side = np.unravel_index(int(np.argmin(off)), off.shape)
        stroke = left[int(k)]
        places = stroke.places if side == 0 else stroke.places[::-1]
        out.append(Stroke(places, stroke.crest, stroke.mm))
        alive[k] = False
        at = places[-1]
    return out


@result(most=2, depends=lambda site, values: digest(np.asarray(values, float), site.labels))
def lining(site: Site, values: NDArray) -> list[Line]:
    """Creases between two regions or parts, to be lined dark; none between two regions that are both white. values:
    (R + 1,) of the rest and of each region."""
    label = np.zeros(len(site.bends.joined.vertices), np.int64)
    label[site.bends.place] = site.labels
    part = np.zeros(len(label), np.int64)
    part[site.bends.place] = site.parts
    a, b = site.bends.edges.ends.T
    crossed = (label[a] != label[b]) | (part[a] != part[b])
    on = np.zeros(len(label), np.bool_)
    on[np.concatenate([a[crossed], b[crossed]])] = True
    white = np.asarray(values) > WHITE
    both_white = np.zeros(len(label), np.bool_)
    pair = crossed & white[label[a]] & white[label[b]]
    both_white[np.concatenate([a[pair], b[pair]])] = True
    return [
        line
        for line in site.lines
        if not line.convex and on[line.corners].mean() > 0.5 and both_white[line.corners].mean() < 0.5
    ]


def near_places(site: Site, places: NDArray, half: float) -> NDArray[np.float32]:
    """(N,) how much of each sample lies within `half` mm of some places (P, 3), all of the nearest to each."""
    out = np.zeros(len(site), np.float32)
    if len(places):
        spacing = site.surface.spacing
        bound = half + spacing
        far = tree_of(places).query(site.surface.points, distance_upper_bound=bound, workers=-1)[0]
        out = covered_by(np.minimum(far, bound), half, spacing)
        tree = site.tree
        out[tree.query(places)[1]] = 1
    return np.where(site.paintable, out, np.float32(0))


def corner_dots(site: Site, lamp: Lamp, least: float = 0.0) -> NDArray[np.float32]:
    """(N,) how much of each sample a dot of the lightest covers: one sits where three or more crests meet that the
    lamp sees."""
    ends: list[int] = []
    for line in site.lines:
        if line.convex and line.length >= least and line.corners[0] != line.corners[-1]:
            ends += [int(line.corners[0]), int(line.corners[-1])]
    corner, times = np.unique(np.array(ends, np.int64), return_counts=True)
    seen = corners_seeing(site.surface, site.bends, lamp.direction)
    chosen = corner[(times >= MEET)]
    return near_places(site, site.bends.joined.vertices[chosen[seen[chosen]]], FINEST_MM)


def _round(site: Site, region: int, values: NDArray) -> list[Line]:
    label = np.zeros(len(site.bends.joined.vertices), np.bool_)
    label[site.bends.place[site.labels == region]] = True
    return [line for line in lining(site, values) if label[line.corners].mean() > TOUCHES]


def creases_round(site: Site, region: int, values: NDArray) -> list[NDArray[np.float32]]:
    """The creases round a region that are lined dark, (P, 3) mm each. values: see lining."""
    return [line.places for line in _round(site, region, values)]


def lining_mm(site: Site, region: int, values: NDArray) -> float:
    """mm: the length of the dark line along the creases round a region. values: see lining."""
    return float(sum(line.length for line in _round(site, region, values)))


def lined(site: Site, region: int, values: NDArray, width: float = LINING_MM) -> NDArray[np.float32]:
    """(N,) how much of each sample that line covers."""
    found = creases_round(site, region, values)
    return near_places(site, closely(found, site.surface.spacing / 4), width / 2)


def drawn_svg(edges: EdgeLines, view: tuple[float, float]) -> str:
    """The strokes as seen from a view, as SVG, a millimetre a unit, drawn three times as large."""
    right, up = level_frame(*view)
    flat = [(np.column_stack([s.places @ right, -(s.places @ up)]), edges.crests[s.crest]) for s in edges.strokes]
    every = np.concatenate([f for f, _ in flat]) if flat else np.zeros((1, 2))
    low, high = every.min(axis=0) - 1, every.max(axis=0) + 1
    wide, tall = high - low
    drawn = "".join(
        f'<polyline points="{" ".join(f"{x:.2f},{y:.2f}" for x, y in f)}" stroke-width="{c.width_mm:.2f}"/>'
        for f, c in flat
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{3 * wide:.1f}mm" height="{3 * tall:.1f}mm" '
        f'viewBox="{low[0]:.2f} {low[1]:.2f} {wide:.2f} {tall:.2f}"><title>Edge highlights</title>'
        f'<g fill="none" stroke="#1d1a18" stroke-linecap="round">{drawn}</g></svg>'
    )


def edge_coats(brief: Brief, lamp: Lamp, least: float = 0.0, width: float = EDGE_MM[0]) -> list[Coat]:
    """Two lines along the crests of a region that the lamp sees: a wide one, then a fine one on those that are seen
    from higher up; and a dot where three of them meet (craft page, section 12). Each is so much lighter than what
    lies beside it, by material (CP-27), along the region's own colours.

    Args:
        least: mm of the shortest crest that gets one. width: mm of the wide one.
    Raises:
        SettingError: what lies there is as light as an edge can be.
    """
    paints = brief.paints(*BRUSHED)
    out = []
    for k, (share, most) in enumerate(zip(EDGE_MM, EDGE_MOST, strict=True)):
        high = min(lamp.elevation + EDGE_HIGHER * k, 90.0)
        wide = round(width * share / EDGE_MM[0], 3)
        line = technique("line")
        settings = replace(line.usual(only(paints[0])), width=wide, azimuth=lamp.azimuth, elevation=high, least=least)
        beside = _beside(brief, (line.film(brief.site, settings) > 0) & brief.mask)
        value = min(beside + material_called(brief.material).lift * EDGE_STEPS[k], most)
        if value - beside < LEAST_LIFT:
            continue
        mix = nearest_mix(_along(brief, value, EDGE_CHROMA[k]), paints)
        label = f"{brief.name}: edge highlight, {'fine, the brightest' if k else 'the wide one'}"
        coat = usual_coat("line", mix, label, EDGES)
        out.append(replace(coat, settings=settings, where=brief.where, way="edges"))
    if not out:
        raise SettingError(
            f"{brief.name} is already as light at its edges as paint gets; darken it, or leave its edges out"
        )
    dots = corner_dots(brief.site, lamp, least) * brief.mask
    if dots.any():
        dot = brushed(brief, out[-1].mix, "a dot where edges meet, the lightest of all", dots, water=1.0)
        out.append(replace(dot, stage=EDGES, way="edges"))
    return out


def _beside(brief: Brief, line: NDArray[np.bool_]) -> float:
    """The value of what lies beside a line; of the lighter half of the region where there is no line."""
    value = values_of(brief.under_here)
    if not line.any():
        return float(np.quantile(value, 0.75))
    far = tree_of(brief.site.surface.points[line]).query(brief.site.surface.points[brief.mask], workers=-1)[0]
    near = far <= PLANE_MM
    return float(np.average(value[near], weights=brief.weight()[near] + 1e-9))


def _along(brief: Brief, value: float, keep: float) -> NDArray[np.float64]:
    """L*a*b* (3,) of a value on the region's own way from dark to light; beyond its lightest less and less of
    that."""
    colour, weight = brief.lab[brief.mask], brief.weight()
    lightest = float(np.quantile(colour[:, 0], 0.97))
    off = np.abs(colour[:, 0] - min(10 * value, lightest))
    near = np.exp(-(((off - off.min()) / 4) ** 2))
    a, b = np.average(colour[:, 1:], axis=0, weights=near * (weight + 1e-9))
    left = keep if 10 * value > lightest + 4 else 1.0
    return np.array([10 * value, left * a, left * b])


def lining_coat(brief: Brief, values: NDArray) -> Coat | None:
    """The dark line along the creases round a region; None where there is none to draw. values: (R + 1,) of the rest
    and of each region, for no dark line lies between two whites (craft page, section 9)."""
    on = lined(brief.site, brief.number, values)
    if not on.any():
        return None
    dark = np.average(brief.lab[brief.mask], axis=0, weights=brief.weight()) * LINE_CHROMA
    dark[0] = 10 * LINE_VALUE
    mix = nearest_mix(dark, brief.paints(*BRUSHED))
    return replace(brushed(brief, mix, "lining along its creases", on, water=1.0), stage=EDGES, way="lining")


def beside_words(site: Site, edges: Sequence[Coat], line: Coat | None) -> str:
    """Whether the darkest line lies right beside the brightest edge, which is what makes metal read; "" where there
    is no edge yet (craft page, section 11)."""
    lit = np.zeros(len(site), np.bool_)
    for coat in edges:
        lit |= coat.film(site) > 0
    if not lit.any():
        return ""
    if line is None:
        return "The darkest line belongs right beside the brightest edge: line the creases too."
    dark = site.surface.points[line.film(site) > 0]
    far = tree_of(dark).query(site.surface.points[lit], workers=-1)[0]
    share = float(site.areas[lit][far <= LINE_BESIDE_MM].sum() / max(float(site.areas[lit].sum()), 1e-9))
    return f"A dark line lies beside {100 * share:.0f} % of the brightest edges."
