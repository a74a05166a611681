"""Welding, turning and telling what was found."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.errors import SculptShapeError
from dusk_lamp.core.sculpt.mend import mend, weld
from dusk_lamp.core.sculpt.mesh import Mesh

from ..shapes import ball, mesh_of, plate, together


def soup(shape: trimesh.Trimesh) -> Mesh:
    """The shape as an STL holds it: three corners of its own per triangle."""
    return Mesh(
        shape.triangles.reshape(-1, 3).astype(np.float32),
        np.arange(len(shape.faces) * 3, dtype=np.int32).reshape(-1, 3),
    )


def test_welding_finds_every_exactly_equal_corner_as_numpy_does():
    mesh = soup(ball(fine=3))
    assert len(weld(mesh).vertices) == len(np.unique(mesh.vertices, axis=0)) == 642


@settings(max_examples=30, deadline=None)
@given(st.lists(st.tuples(*[st.sampled_from([0.0, -0.0, 1.0, 1.0000001, 2.5])] * 3), min_size=9, max_size=60))
def test_welding_never_moves_a_corner(corners):
    corners = corners[: len(corners) // 3 * 3]
    points = np.array(corners, np.float32)
    mesh = Mesh(points, np.arange(len(points), dtype=np.int32).reshape(-1, 3))
    welded = weld(mesh)
    assert (welded.vertices[welded.faces] == points[mesh.faces]).all()
    assert len(np.unique(welded.vertices, axis=0)) == len(welded.vertices)


def test_area_and_volume_of_a_ball_and_a_box_agree_with_closed_forms_and_trimesh():
    """4πr² and 4/3πr³; the icosphere's shortfall is trimesh's own figure."""
    shape = ball(radius=7, fine=5)
    mesh = mend(soup(shape)).mesh
    assert mesh.area() == pytest.approx(4 * np.pi * 49, rel=2e-3)
    assert mesh.volume() == pytest.approx(4 / 3 * np.pi * 343, rel=2e-3)
    assert mesh.area() == pytest.approx(shape.area, rel=1e-5)
    assert mesh.volume() == pytest.approx(shape.volume, rel=1e-5)
    box = mend(soup(trimesh.creation.box((2, 3, 4)))).mesh
    assert (box.area(), box.volume()) == pytest.approx((52, 24))


def test_an_inside_out_shell_is_turned_and_said():
    shape = ball(fine=2)
    shape.invert()
    result = mend(soup(shape))
    assert result.findings.flipped_shells == 1
    assert result.mesh.volume() > 0
    assert any("inside out" in s for s in result.findings.sentences())


def test_the_inner_wall_of_a_hollow_print_is_left_facing_inward():
    inner = ball(radius=6, fine=2)
    inner.invert()
    result = mend(soup(together(ball(radius=8, fine=2), inner)))
    assert result.findings.flipped_shells == 0
    assert result.mesh.volume() == pytest.approx(ball(8, 2).volume - ball(6, 2).volume, rel=1e-4)


def test_two_separate_inside_out_shells_are_both_turned():
    shapes = [ball(fine=2), ball(fine=2, at=(30, 0, 0))]
    for shape in shapes:
        shape.invert()
    assert mend(soup(together(*shapes))).findings.flipped_shells == 2


def test_faces_wound_against_their_neighbours_are_turned(rng):
    shape = ball(fine=3)
    faces = shape.faces.copy()
    wrong = rng.choice(len(faces), 40, replace=False)
    faces[wrong] = faces[wrong][:, ::-1]
    result = mend(Mesh(shape.vertices.astype(np.float32), faces.astype(np.int32)))
    assert result.findings.turned_faces == 40
    assert result.mesh.volume() == pytest.approx(shape.volume, rel=1e-5)


def test_holes_doubles_degenerates_and_specks_are_counted():
    shape = ball(fine=3)
    faces = np.concatenate([shape.faces[:-1], shape.faces[:5], [[0, 0, 1]]])
    dusty = together(trimesh.Trimesh(shape.vertices, faces, process=False), ball(radius=0.004, fine=0, at=(12, 0, 0)))
    found = mend(mesh_of(dusty)).findings
    assert (found.holes, found.duplicate_faces, found.degenerate_faces, found.specks) == (1, 5, 1, 1)
    assert found.open_edge_length == pytest.approx(
        trimesh.Trimesh(shape.vertices, [shape.faces[-1]]).edges_unique_length.sum(), rel=1e-4
    )
    assert len(found.sentences()) == 4


def test_a_clean_file_has_nothing_to_say():
    assert mend(soup(ball(fine=2))).findings.sentences() == []


def test_shells_are_told_apart_largest_first():
    result = mend(soup(together(ball(3, 2, (20, 0, 0)), ball(9, 2))))
    assert result.findings.shells == 2
    area = np.bincount(result.shell, result.mesh.face_areas())
    assert area[0] > area[1]


def test_a_single_triangle_is_no_sculpt():
    with pytest.raises(SculptShapeError, match="scrap"):
        mend(Mesh(np.eye(3, dtype=np.float32), np.array([[0, 1, 2]], np.int32)))


def test_a_flat_sheet_is_kept_as_it_lies():
    result = mend(mesh_of(plate(0, 10, 0, 10)))
    assert result.findings.flipped_shells == 0
    assert result.findings.holes == 1
    assert (result.mesh.crosses()[:, 2] > 0).all()


def test_a_leftover_flap_is_dropped_and_a_real_sheet_is_kept():
    """Decimation leaves single triangles standing on an edge; a banner glued to a wall is no leftover."""
    shape = ball(10, 4)
    a, b = shape.edges_unique[0]
    out = shape.vertices[a] * 1.01
    flap = trimesh.Trimesh([*shape.vertices[[a, b]], out], [(0, 1, 2)], process=False)
    result = mend(mesh_of(together(shape, flap)))
    assert result.findings.fins == 1 and result.findings.holes == 0 and result.findings.nonmanifold_edges == 0
    banner = trimesh.Trimesh([*shape.vertices[[a, b]], shape.vertices[a] * 2], [(0, 1, 2)], process=False)
    assert mend(mesh_of(together(shape, banner))).findings.fins == 0


def test_quick_kernels_agree_with_numpy_to_the_last_bit(rng):
    """Normals, areas and bounds of triangles, some vertices of no face among them."""
    vertices = rng.normal(0, 100, (500, 3)).astype(np.float32)
    mesh = Mesh(vertices, rng.integers(0, 400, (2000, 3)).astype(np.int32))
    corners = vertices[mesh.faces].astype(np.float64)
    crosses = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    assert np.array_equal(mesh.crosses(), crosses)
    assert mesh.area() == pytest.approx(np.linalg.norm(crosses, axis=1).sum() / 2, rel=1e-12)
    used = vertices[np.unique(mesh.faces)]
    assert np.array_equal(mesh.bounds, [used.min(axis=0), used.max(axis=0)])
