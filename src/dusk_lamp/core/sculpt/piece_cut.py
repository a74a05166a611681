"""A stroke on what should not belong: what it takes out of a region, along the nearest creases.

What is cut out holds every facet under the stroke and none that are too far from it over the surface. Of all such
cuts the one whose border costs least is taken: a border in a crease costs next to nothing, one over even skin its
length. Rewards for area, and the pieces' own tree, came out no better (docs/measurements.md).

Source: graph cuts between strokes (Boykov and Jolly, 2001, from memory), on facets.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, csr_matrix
from scipy.sparse.csgraph import breadth_first_order, dijkstra, maximum_flow

from .pieces import Pieces

HALF = 0.5  # of a facet's area belongs to a region, and the facet does
FAR_SHARE = 0.6  # of the region's area, by the way from the stroke: what lies beyond stays in the region
DETOUR = 20.0  # how many times longer the way across a border is
IN_A_CREASE, SHARP = 0.1, 2  # what a mm of border costs in a crease; and the power its openness is taken to
WHOLE = 1_000_000  # flow is in whole numbers: the largest capacity of an edge
MOST = 2**31 - 1  # of flow


def cut_by_stroke(
    tree: Pieces, areas: NDArray[np.floating], mask: NDArray[np.bool_], touched: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """(N,) what a stroke takes out of a region. areas: (N,) mm²; mask: (N,) the region's samples; touched: (N,) those
    under the stroke."""
    facet, mm2 = tree.facet_of_sample, areas.astype(np.float64)
    whole = np.maximum(np.bincount(facet, mm2, minlength=tree.leaves), 1e-12)
    inside = np.bincount(facet, mm2 * mask, minlength=tree.leaves) > HALF * whole
    stroke = np.bincount(facet, mask & touched, minlength=tree.leaves) > 0
    return (facets_cut_out(tree, inside, stroke) | stroke)[facet] & mask


def facets_cut_out(tree: Pieces, inside: NDArray[np.bool_], stroke: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(K,) the facets that a stroke takes out of a region. inside: (K,) the region's facets; stroke: (K,) those under
    the stroke. Nothing where the stroke lies outside it; the whole region where it lies on all of it."""
    stroke = stroke & inside
    if not stroke.any() or not (inside & ~stroke).any():
        return stroke
    rows = np.flatnonzero(inside)
    row = np.full(tree.leaves, -1)
    row[rows] = np.arange(len(rows))
    both = inside[tree.beside].all(axis=1)
    a, b = row[tree.beside[both]].T
    mm, wall = tree.border[both].T
    cost = mm * (IN_A_CREASE + (1 - IN_A_CREASE) * (1 - wall) ** SHARP)
    far = _too_far(a, b, wall, np.maximum(tree.area[rows], 1e-9), stroke[rows])
    out = np.zeros(tree.leaves, np.bool_)
    out[rows[least_cut(a, b, cost, stroke[rows], far)]] = True
    return out


def _too_far(a: NDArray, b: NDArray, wall: NDArray, area: NDArray, stroke: NDArray) -> NDArray[np.bool_]:
    """(C,) the facets of a region that a stroke is too far from to take them."""
    count = len(area)
    way = 0.5 * (np.sqrt(area[a]) + np.sqrt(area[b])) * (1 + DETOUR * wall)
    graph = csr_matrix((np.tile(way, 2), (np.concatenate([a, b]), np.concatenate([b, a]))), (count, count))
    distance = dijkstra(graph, indices=np.flatnonzero(stroke), min_only=True)
    order = np.argsort(distance, kind="stable")
    run = np.cumsum(area[order])
    far = np.zeros(count, np.bool_)
    far[order[run > FAR_SHARE * run[-1]]] = True
    far &= ~stroke
    return far if far.any() else ~stroke  # the stroke is on nearly all of it: the rest stays


def least_cut(
    a: NDArray, b: NDArray, cost: NDArray, taken: NDArray[np.bool_], kept: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """(C,) the nodes, with all of `taken` and none of `kept`, whose border costs least; the fewest of them where two
    cost the same. a, b: (E,) nodes that meet, at a cost (E,) where only one of them is in. Costs are compared to a
    millionth of the largest."""
    count = len(taken)
    source, sink = count, count + 1
    capacity = np.round(cost * (WHOLE / max(float(cost.max(initial=0)), 1e-12))).astype(np.int64)
    held = np.full(int(taken.sum()), MOST, np.int64), np.full(int(kept.sum()), MOST, np.int64)
    at = np.concatenate([a, b, np.full(len(held[0]), source), np.flatnonzero(kept)])
    to = np.concatenate([b, a, np.flatnonzero(taken), np.full(len(held[1]), sink)])
    flow = np.concatenate([capacity, capacity, *held])
    graph = coo_matrix((flow, (at, to)), (count + 2, count + 2)).tocsr()
    graph.data = np.minimum(graph.data, MOST)
    graph = graph.astype(np.int32)
    rest = graph - maximum_flow(graph, source, sink).flow
    rest.data[rest.data < 0] = 0
    rest.eliminate_zeros()
    out = np.zeros(count + 2, np.bool_)
    out[breadth_first_order(rest, source, return_predecessors=False)] = True
    return out[:count]
