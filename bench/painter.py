"""A simulated painter who marks regions by pieces: how far do twelve clicks bring them?

The painter starts from the first guess, every piece in the region that most of it belongs to, and then clicks on the
largest patch that is wrong, each time taking the piece above that spot which mends most. Measured by overlap over
union with the regions that the sculpt was built from, each weighted by its area; on the sculpts as they are, and on
copies that are smoothed, noisy or bumpy. The tree knows nothing of the regions.
"""

import lzma
import time
from importlib.resources import files
from io import BytesIO

import numpy as np
import trimesh
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.pieces import Pieces, guess, pieces_of
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.stand import Standing, stand
from dusk_lamp.core.sculpt.surface import Surface, working_surface

TALL, CLICKS, FIRST = 40.0, 12, 10
SCULPTS = ("wick-warden", "sluice-knight", "kiln-keeper", "reed-runner-1", "reed-runner-2", "reed-runner-4")


def _smooth(shape: trimesh.Trimesh, _mm: float) -> np.ndarray:
    return trimesh.smoothing.filter_taubin(shape.copy(), iterations=10).vertices


def _noisy(shape: trimesh.Trimesh, mm: float) -> np.ndarray:
    """0.03 mm on a figure of 40 mm: a fair scan."""
    return shape.vertices + np.random.default_rng(1).normal(0, 0.03 * mm, shape.vertices.shape)


def _bumpy(shape: trimesh.Trimesh, mm: float) -> np.ndarray:
    """Bumps 0.15 mm high, 3 mm apart."""
    p = shape.vertices / mm
    bumps = np.sin(2.1 * p[:, 0] + 1) * np.sin(1.9 * p[:, 1] + 2) * np.sin(2.3 * p[:, 2])
    return shape.vertices + shape.vertex_normals * (0.15 * mm * bumps)[:, None]


COPIES = {"as it is": lambda shape, _: shape.vertices, "smoothed": _smooth, "noisy": _noisy, "bumpy": _bumpy}


def laid_out(name: str, copy: str, samples: int) -> tuple[Surface, np.ndarray]:
    """A demo sculpt, or a spoilt copy of it, and the region (N,) that every sample was built as."""
    packed = (files("dusk_lamp.demo") / f"{name}.ply.xz").read_bytes()
    shape = trimesh.load(BytesIO(lzma.decompress(packed)), file_type="ply", process=False)
    built_as = shape.metadata["_ply_raw"]["vertex"]["data"]["region"].astype(int)
    places = COPIES[copy](shape, np.ptp(shape.vertices[:, 2]) / TALL)
    mended = mend(Mesh(np.asarray(places, np.float32), np.asarray(shape.faces, np.int32)))
    surface = working_surface(stand(mended.mesh, Standing(height_mm=TALL)), mended.shell, samples=samples)
    middle = [(a.min(axis=0) + a.max(axis=0)) / 2 for a in (places, surface.points)]
    scale = TALL / np.ptp(places[:, 2])
    nearest = cKDTree((places - middle[0]) * scale).query(surface.points - middle[1])[1]
    return surface, built_as[nearest]


def near(areas: np.ndarray, truth: np.ndarray, labels: np.ndarray) -> float:
    """Overlap over union of each region with what bears its number, weighted by area."""
    rows = [(areas[truth == k].sum(), _iou(areas, truth == k, labels == k)) for k in np.unique(truth)]
    weights, found = np.array(rows).T
    return float(np.average(found, weights=weights))


def nearest_pieces(areas: np.ndarray, truth: np.ndarray, labels: np.ndarray) -> float:
    """The same, of each region with whichever piece matches it best."""
    rows = []
    for k in np.unique(truth):
        own = truth == k
        rows.append((areas[own].sum(), max(_iou(areas, own, labels == j) for j in np.unique(labels[own]))))
    weights, found = np.array(rows).T
    return float(np.average(found, weights=weights))


def _iou(areas: np.ndarray, a: np.ndarray, b: np.ndarray) -> float:
    return float(areas[a & b].sum() / max(areas[a | b].sum(), 1e-9))


def painted(surface: Surface, areas: np.ndarray, truth: np.ndarray, tree: Pieces, clicks: int) -> np.ndarray:
    """(N,) the regions after the first guess and so many clicks."""
    labels, pieces = np.zeros(len(truth), int), guess(tree, FIRST).labels
    for k in np.unique(pieces):
        labels[pieces == k] = np.bincount(truth[pieces == k], areas[pieces == k]).argmax()
    facet, n = tree.facet_of_sample, tree.leaves
    a, b = surface.edges
    for _ in range(clicks):
        wrong = labels != truth
        same = wrong[a] & wrong[b] & (truth[a] == truth[b])
        graph = coo_matrix((np.ones(same.sum()), (a[same], b[same])), (len(truth), len(truth)))
        patch = connected_components(graph, directed=False)[1]
        size = np.bincount(patch, areas * wrong)
        if size.max() <= 0:
            break
        own = patch == size.argmax()
        region = int(truth[np.flatnonzero(own)[0]])
        node = best = int(np.bincount(facet[own], areas[own], minlength=n).argmax())
        mends = areas * ((truth == region) & wrong) - areas * ((truth != region) & ~wrong)
        gain = np.zeros(2 * n - 1)
        gain[:n] = np.bincount(facet, mends, minlength=n)
        for k, (left, right) in enumerate(tree.children):
            gain[n + k] = gain[left] + gain[right]
        while node >= 0:
            best = node if gain[node] > gain[best] else best
            node = int(tree.parent[node])
        labels[tree.of(best)[facet]] = region
    return labels


def measured(samples: int) -> list[tuple[str, str, float, float, float, float]]:
    """Of each sculpt and copy: its first guess in eight pieces, that guess named, after twelve clicks, seconds."""
    rows = []
    for name in SCULPTS:
        for copy in COPIES:
            surface, truth = laid_out(name, copy, samples)
            site = Site(surface)
            areas = surface.areas.astype(float)
            start = time.perf_counter()
            tree = pieces_of(surface, site.paintable, site.bends)
            took = time.perf_counter() - start
            first = nearest_pieces(areas, truth, guess(tree, 8).labels)
            named, done = (near(areas, truth, painted(surface, areas, truth, tree, k)) for k in (0, CLICKS))
            rows.append((name, copy, first, named, done, took))
    return rows
