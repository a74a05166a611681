"""The health of a sculpt: what is wrong with its surface, where, whether it matters for paint, and what mends it."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..places import Tree, tree_of
from .edges import connected, edges_of
from .mend import Mended
from .stand import Placing
from .surface import Surface, quick_samples

THIN_SHARE = 0.35 / 32  # a blade thinner than 0.35 mm on a 32 mm figure bends in the hand and is thin in the print
FACING_EACH_OTHER = -0.7  # the two sides of a blade look opposite ways
MARK_SHARE = 0.02  # a find is shown as a patch at least this share of the size, or nobody would see it
LEAST_HIDDEN_MM2 = 0.5


@dataclass(frozen=True)
class Find:
    """One thing found.

    kind: holes, turned, crowded, hidden or thin. title, why: in a painter's words. mend: the name of the mending that
    can be asked for, or "". marks: (N,) bool, the samples that show where it is.
    """

    kind: str
    title: str
    why: str
    mend: str
    marks: NDArray[np.bool_]


def examined(
    mended: Mended, placing: Placing, surface: Surface, paintable: NDArray[np.bool_], *, closed: int = 0
) -> list[Find]:
    """Everything found on a sculpt, in the order of what should be looked at first.

    Args:
        mended: the mended file. placing: how it stands. surface: its samples. paintable: (N,) what can be seen at
        all. closed: how many holes have been closed already.
    """
    mesh = mended.mesh
    tree = tree_of(surface.points)
    finds = []

    edges = edges_of(mesh.faces, len(mesh.vertices))
    rim = edges.ends[edges.faces == 1]
    if len(rim):
        at = placing.to_bench(mesh.vertices)
        widths = sorted(rim_widths(at, rim), reverse=True)
        size = f"the widest {widths[0]:.2g} mm across" if len(widths) > 1 else f"{widths[0]:.2g} mm across"
        finds.append(
            Find(
                "holes",
                f"{_count(len(widths), 'hole')} in the surface, {size}",
                "Light falls into a hole and the inside shows. Closing puts a flat skin over each; paint is planned "
                "on it. Pinholes under a brush mark need not be closed.",
                "close_holes",
                _near(tree, surface, at[np.unique(rim)]),
            )
        )
    elif closed:
        finds.append(
            Find(
                "holes",
                f"{_count(closed, 'hole')} closed with a flat skin",
                "As you asked. Open them again if a skin covers something that should stay open.",
                "open_holes",
                np.zeros(len(surface), np.bool_),
            )
        )
    if mended.turned.any():
        spots = placing.to_bench(mesh.vertices[mesh.faces[mended.turned]].mean(axis=1))
        found = mended.findings
        what = []
        if found.flipped_shells:
            what.append(_count(found.flipped_shells, "shell") + " inside out")
        if found.turned_faces:
            what.append(_count(found.turned_faces, "triangle") + " facing inward")
        finds.append(
            Find(
                "turned",
                " and ".join(what).capitalize(),
                "Turned the right way out when the file was read: nothing is left to do. Your slicer may need it "
                "mended in the file itself.",
                "",
                _near(tree, surface, spots),
            )
        )
    hidden = float(surface.areas[~paintable].sum())
    if hidden >= LEAST_HIDDEN_MM2:
        finds.append(
            Find(
                "hidden",
                f"{hidden:,.0f} mm² inside, where parts are pushed through each other or hollow",
                "No eye and no brush reaches it: it is left out of every area, and no paint is counted for it. It "
                "need not be mended.",
                "",
                _beside(surface, ~paintable),
            )
        )
    crowded = np.unique(edges.ends[edges.faces > 2])
    if len(crowded):
        finds.append(
            Find(
                "crowded",
                f"{_count(int((edges.faces > 2).sum()), 'edge')} shared by more than two triangles",
                "Harmless for light and paint: rays do not mind. Mend it in your sculpting program only if the "
                "slicer complains.",
                "",
                _near(tree, surface, placing.to_bench(mesh.vertices[crowded])),
            )
        )
    marks, thinnest = thin(surface, paintable)
    if marks.any():
        area = float(surface.areas[marks].sum())
        finds.append(
            Find(
                "thin",
                f"{area:,.0f} mm² thinner than {THIN_SHARE * (surface.height or surface.size):.2g} mm, the thinnest "
                f"{thinnest:.2g} mm",
                "Nothing to mend for paint: light does not shine through. Handle it last, hold it by the thick end, "
                "and brush along the edge, not across it.",
                "",
                marks,
            )
        )
    return finds


def rim_widths(places: NDArray, rim: NDArray) -> list[float]:
    """How wide each hole is, in the unit of places (V, 3): the length of its rim over π. rim: (E, 2) its edges."""
    a, b = rim.T
    piece = connected(len(places), a, b)[a]
    length = np.bincount(piece, np.linalg.norm(places[a] - places[b], axis=1))
    return [float(x) / np.pi for x in length[length > 0]]


def thin(surface: Surface, paintable: NDArray[np.bool_]) -> tuple[NDArray[np.bool_], float]:
    """Where the body is thinner than THIN_SHARE of its height, (N,) bool, and how thin it is at its thinnest, mm.

    Thickness is how far a ray into the body goes before it meets a side that looks the other way.
    """
    limit = THIN_SHARE * (surface.height or surface.size)
    chosen, _ = quick_samples(surface)
    chosen = chosen[paintable[chosen]]
    normals = surface.normals[chosen]
    lift = surface.origins[chosen] - surface.points[chosen] - surface.inset[chosen]
    start = surface.points[chosen] + surface.inset[chosen] - lift
    far = surface.caster.first_distance(start, -normals)
    slim = far < limit
    marks = np.zeros(len(surface), np.bool_)
    if not slim.any():
        return marks, float("inf")
    reached = start[slim] - far[slim, None] * normals[slim]
    tree = tree_of(surface.points)
    _, other = tree.query(reached, workers=-1)
    opposite = np.einsum("ij,ij->i", surface.normals[other], normals[slim]) < FACING_EACH_OTHER
    spots = chosen[np.flatnonzero(slim)[opposite]]
    if not len(spots):
        return marks, float("inf")
    near, _ = tree_of(surface.points[spots]).query(
        surface.points, distance_upper_bound=2.5 * surface.spacing, workers=-1
    )
    marks = np.isfinite(near) & paintable
    return marks, float(far[slim][opposite].min() + np.linalg.norm(lift, axis=1).max())


def _count(n: int, what: str) -> str:
    return f"{n:,} {what}" if n == 1 else f"{n:,} {what}s"


def _near(tree: Tree, surface: Surface, places: NDArray) -> NDArray[np.bool_]:
    """(N,) the samples so near to any of the places (K, 3) that the patch can be seen in a picture."""
    few = places[:: max(1, len(places) // 400)]
    marks = np.zeros(len(surface), np.bool_)
    found: Iterable[list[int]] = tree.query_ball_point(few, MARK_SHARE * surface.size, workers=-1)
    for found_here in found:
        marks[found_here] = True
    return marks


def _beside(surface: Surface, inside: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(N,) the samples in plain sight beside hidden ones: where one part goes into another."""
    near, _ = tree_of(surface.points[inside]).query(
        surface.points, distance_upper_bound=MARK_SHARE * surface.size / 2, workers=-1
    )
    return np.isfinite(near) & ~inside
