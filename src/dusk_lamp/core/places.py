"""Many places: the nearest of them, and which hang together. SciPy is loaded when it is first needed: that takes half
a second of every command."""

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

if TYPE_CHECKING:
    from scipy.spatial import cKDTree as Tree
else:
    Tree = Any


def tree_of(points: ArrayLike) -> Tree:
    """A tree of places (N, D), any unit."""
    from scipy.spatial import cKDTree

    return cKDTree(points)


def pieces_joined(a: ArrayLike, b: ArrayLike, count: int) -> NDArray[np.int32]:
    """(count,) which piece each of some places is of, where places a (E,) and b (E,) hang together."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(np.shape(a)), (a, b)), shape=(count, count))
    return connected_components(graph, directed=False)[1]
