"""Small shapes the tests are built from, the way they become surfaces, and the demo rack."""

from importlib.resources import files

import numpy as np
import trimesh

from dusk_lamp.core.paint.rack import rack_from_csv
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.surface import Surface, as_is_surface

RACK = rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())


def mesh_of(shape: trimesh.Trimesh) -> Mesh:
    return Mesh(np.asarray(shape.vertices, np.float32), np.asarray(shape.faces, np.int32))


def surface_of(shape: trimesh.Trimesh) -> Surface:
    return as_is_surface(mesh_of(shape))


def ball(radius=10.0, fine=4, at=(0, 0, 0)) -> trimesh.Trimesh:
    shape = trimesh.creation.icosphere(subdivisions=fine, radius=radius)
    shape.apply_translation(at)
    return shape


def plate(x0, x1, y0, y1, z=0.0, cells=20) -> trimesh.Trimesh:
    """A level sheet facing up."""
    x, y = np.meshgrid(np.linspace(x0, x1, cells + 1), np.linspace(y0, y1, cells + 1), indexing="ij")
    points = np.stack([x.ravel(), y.ravel(), np.full(x.size, z)], axis=1)
    k = np.arange(cells * (cells + 1)).reshape(cells, cells + 1)[:, :-1].ravel()
    faces = np.concatenate(
        [np.stack([k, k + cells + 1, k + 1], 1), np.stack([k + 1, k + cells + 1, k + cells + 2], 1)]
    )
    return trimesh.Trimesh(points, faces, process=False)


def together(*shapes: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.util.concatenate(shapes)


def cosine(normals, direction) -> np.ndarray:
    return np.maximum(normals @ np.asarray(direction), 0)


def block_with_a_slot() -> trimesh.Trimesh:
    """A block 20 × 20 × 10 without its ends, with a slot 2 wide and 3 deep along the top."""
    profile = np.array([(-10, 0), (-10, 10), (-1, 10), (-1, 7), (1, 7), (1, 10), (10, 10), (10, 0)], float)
    n = len(profile)
    points = np.array([(x, y, z) for y in (-10, 10) for x, z in profile])
    faces = [f for i in range(n) for f in ((i, n + (i + 1) % n, (i + 1) % n), (i, n + i, n + (i + 1) % n))]
    shape = trimesh.Trimesh(points, faces, process=False)
    if shape.face_normals[0, 0] > 0:  # the side at x = −10 must face −x
        shape.invert()
    return shape
