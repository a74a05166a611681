"""Dense meshes in fewer triangles."""

import numpy as np
import point_cloud_utils as pcu
import pytest
import trimesh
from scipy.spatial import cKDTree

from dusk_lamp.core.light.key import key_light
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.sculpt.decimate import clustered, thinned
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.read import read_sculpt
from dusk_lamp.core.sculpt.stand import Standing, stand
from dusk_lamp.core.sculpt.surface import as_is_surface, working_surface

from ..shapes import ball, mesh_of, together


def one_shell(mesh):
    return np.zeros(len(mesh.faces), np.int32)


def off(mesh, places):
    """How far places lie from a mesh, by a general library."""
    return np.abs(pcu.closest_points_on_mesh(np.asarray(places, float), mesh.vertices.astype(float), mesh.faces)[0])


def dense_box(size):
    """A box askew, so that no plane of it lies along the cubes, in 200,000 triangles."""
    shape = trimesh.creation.box(size).subdivide_to_size(max(size) / 90, max_iter=20)
    shape.apply_transform(trimesh.transformations.euler_matrix(0.4, 0.3, 0.2))
    return shape


def test_edges_stay_edges_where_plain_clusters_cut_them_off():
    shape = dense_box((10, 10, 10))
    mesh = mesh_of(shape)
    turn = trimesh.transformations.euler_matrix(0.4, 0.3, 0.2)[:3, :3]
    corners = trimesh.creation.box((10, 10, 10)).vertices @ turn.T
    thin, shell = thinned(mesh, one_shell(mesh), 3_000)
    plain, _ = clustered(mesh, 3_000)
    assert len(thin.faces) < 9_000 and len(shell) == len(thin.faces)
    cell = np.sqrt(2 / np.sqrt(3) * mesh.area() / 3_000)
    assert off(thin, corners).max() < 0.2 * cell and off(thin, corners).mean() < 0.3 * off(plain, corners).mean()
    assert off(thin, shape.sample(2_000, seed=1)).max() < 0.1 * cell


def test_the_two_sides_of_a_thin_cloak_are_not_drawn_together():
    mesh = mesh_of(dense_box((20, 20, 0.15)))
    thin, _ = thinned(mesh, one_shell(mesh), 1_500)
    plain, _ = clustered(mesh, 1_500)
    assert thin.volume() == pytest.approx(60, rel=0.1) and abs(plain.volume()) < 30


def test_shells_keep_their_own_faces():
    parts = mend(mesh_of(together(ball(9, 6), ball(3, 5, (12.1, 0, 0)))))
    thin, shell = thinned(parts.mesh, parts.shell, 4_000)
    x = thin.vertices[thin.faces].mean(axis=1)[:, 0]
    assert (shell[x > 9.2] == 1).all() and (shell[x < 8.8] == 0).all()
    assert [thin.face_areas()[shell == k].sum() for k in (0, 1)] == pytest.approx([1018, 113], rel=0.02)


def test_a_dense_scan_is_lit_as_it_was(bunny_file):
    """Light on what is laid out against light on every vertex of the file: at 95 of 100 spots within 0.1."""
    mesh = stand(mend(read_sculpt(bunny_file)).mesh, Standing("y", "z", 32))
    whole, few = as_is_surface(mesh), working_surface(mesh, samples=9_000)
    lamp = Lamp(40, 60)
    at = cKDTree(np.hstack([few.points, few.normals])).query(np.hstack([whole.points, whole.normals]))[1]
    differ = np.abs(key_light(few, lamp).light[at] - key_light(whole, lamp).light)
    assert np.quantile(differ, 0.95) < 0.1
    laid = mesh_of(trimesh.Trimesh(few.points, few.faces, process=False))
    assert np.quantile(off(laid, mesh.vertices[::5]), 0.95) < 0.15 / 4, "a quarter of a brush mark"
