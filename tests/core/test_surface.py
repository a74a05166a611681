"""The working surface."""

import numpy as np
import point_cloud_utils as pcu
import pytest
import trimesh

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.stand import Standing, stand
from dusk_lamp.core.sculpt.surface import as_is_surface, quick_samples, rough_form, working_surface

from ..shapes import ball, mesh_of, surface_of


def test_a_coarse_ball_is_subdivided_to_a_brush_mark():
    """0.15 mm between samples at 32 mm of height, 100–200 thousand samples."""
    mesh = stand(mesh_of(ball(fine=3)), Standing(height_mm=32))
    s = working_surface(mesh)
    assert 100_000 <= len(s) <= 200_000
    assert s.spacing <= 0.15 * 1.03
    assert s.areas.sum() == pytest.approx(mesh.area(), rel=1e-3)
    assert np.linalg.norm(s.normals, axis=1) == pytest.approx(1, abs=1e-4)


def test_subdividing_opens_no_cracks():
    s = working_surface(mesh_of(ball(fine=1)), samples=4_000)
    assert trimesh.Trimesh(s.points, s.faces, process=False).is_watertight


def test_a_dense_file_is_decimated_and_keeps_its_form():
    mesh = stand(mesh_of(ball(fine=7)), Standing(height_mm=32))
    s = working_surface(mesh, samples=20_000)
    assert 12_000 < len(s) < 30_000
    assert np.linalg.norm(s.points - [0, 0, 16], axis=1) == pytest.approx(16, abs=0.03)


def test_sharp_edges_have_a_normal_on_either_side():
    s = working_surface(mesh_of(trimesh.creation.box((10, 10, 10))), samples=5_000)
    assert np.abs(s.normals).max(axis=1) == pytest.approx(1, abs=1e-5), "no normal of a box is askew"
    assert s.areas.sum() == pytest.approx(600, rel=1e-4)


def test_shells_are_remembered_per_sample():
    parts = mend(mesh_of(trimesh.util.concatenate([ball(9, 5), ball(3, 5, (20, 0, 0))])))
    s = working_surface(parts.mesh, parts.shell, samples=3_000)
    assert (s.part[s.points[:, 0] > 15] == 1).all() and (s.part[s.points[:, 0] < 10] == 0).all()


def test_as_is_keeps_vertices_in_place_and_order():
    shape = ball(fine=3)
    s = surface_of(shape)
    assert (s.points == shape.vertices.astype(np.float32)).all() and (s.faces == shape.faces).all()
    radial = shape.vertices / 10
    assert np.degrees(np.arccos(np.clip((s.normals * radial).sum(axis=1), -1, 1))).max() < 0.6


def test_as_is_smooths_normals_across_unwelded_corners_but_not_across_edges():
    shape = ball(fine=3)
    soup = trimesh.Trimesh(
        shape.triangles.reshape(-1, 3), np.arange(len(shape.faces) * 3).reshape(-1, 3), process=False
    )
    s = as_is_surface(mesh_of(soup))
    assert (s.normals * soup.vertices / 10).sum(axis=1).min() > 0.9999
    box = trimesh.creation.box()
    loose = trimesh.Trimesh(box.triangles.reshape(-1, 3), np.arange(36).reshape(-1, 3), process=False)
    assert np.abs(as_is_surface(mesh_of(loose)).normals).max(axis=1) == pytest.approx(1)


def test_a_vertex_without_a_face_does_no_harm():
    shape = ball(fine=1)
    mesh = mesh_of(trimesh.Trimesh(np.concatenate([shape.vertices, [[99, 0, 0]]]), shape.faces, process=False))
    s = as_is_surface(mesh)
    assert len(s) == len(shape.vertices) + 1 and (s.normals[-1] == 0).all() and s.areas[-1] == 0


def test_quick_samples_are_real_samples_spread_over_the_whole(warden):
    chosen, faces = quick_samples(warden, 5_000)
    assert 2_000 < len(chosen) < 12_000
    assert faces.max() < len(chosen) and len(np.unique(chosen)) == len(chosen)
    assert np.ptp(warden.points[chosen], axis=0) == pytest.approx(np.ptp(warden.points, axis=0), rel=0.03)


def test_the_rough_form_is_made_of_samples_closed_and_keeps_thin_things(warden):
    rough = rough_form(warden, 3_000)
    assert 2_500 < len(rough.chosen) < 6_000 and len(np.unique(rough.chosen)) == len(rough.chosen)
    assert rough.areas.sum() == pytest.approx(warden.areas.sum(), rel=0.05)
    places, number = np.unique(warden.points[rough.chosen], axis=0, return_inverse=True)
    shape = trimesh.Trimesh(places, number.ravel()[rough.faces], process=False)
    gaps = trimesh.grouping.group_rows(shape.edges_sorted, require_count=1)
    assert len(gaps) < 0.002 * len(shape.edges_sorted), "no cracks along sharp edges"
    chosen, faces = quick_samples(warden, len(rough.chosen))
    clusters = trimesh.Trimesh(warden.points[chosen], faces, process=False)
    off = [
        pcu.closest_points_on_mesh(warden.points[::30].astype(float), one.vertices.astype(float), one.faces)[0].mean()
        for one in (shape, clusters)
    ]
    assert off[0] < 0.7 * off[1], "nearer to the form than one sample for each small cube"


def test_corners_of_the_rough_form_face_as_their_faces_do():
    box = working_surface(mesh_of(trimesh.creation.box((10, 10, 10))), samples=4_000)
    rough = rough_form(box, 400)
    shape = trimesh.Trimesh(box.points[rough.chosen], rough.faces, process=False)
    facing = np.einsum("fi,fki->fk", shape.face_normals, box.normals[rough.chosen][rough.faces])
    assert np.average(facing.min(axis=1) > 0.99, weights=shape.area_faces) > 0.995


def test_the_same_input_gives_the_same_bytes():
    mesh = stand(mesh_of(ball(fine=6)), Standing(height_mm=32))
    a, b = working_surface(mesh, samples=9_000), working_surface(mesh, samples=9_000)
    assert a.points.tobytes() == b.points.tobytes() and a.faces.tobytes() == b.faces.tobytes()


@pytest.mark.parametrize("samples", [0, 99, 10**9])
def test_absurd_numbers_of_samples_are_refused(samples):
    with pytest.raises(SettingError):
        working_surface(mesh_of(ball(fine=1)), samples=samples)
