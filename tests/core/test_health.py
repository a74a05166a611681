"""The health of a sculpt: found, shown where, mended or explained."""

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.sculpt.health import THIN_SHARE, examined, rim_widths, thin
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.stand import Standing, placing, stand
from dusk_lamp.core.sculpt.surface import working_surface
from dusk_lamp.core.sculpt.visibility import visibility_of

from ..shapes import ball, mesh_of, together


def examine(shape, standing=None):
    mended = mend(mesh_of(shape))
    at = placing(mended.mesh, standing or Standing())
    s = working_surface(stand(mended.mesh, standing or Standing()), mended.shell, samples=4_000)
    return s, {find.kind: find for find in examined(mended, at, s, visibility_of(s, 64).paintable)}


def test_a_sound_ball_has_nothing():
    assert examine(ball(10, 4))[1] == {}


def test_a_hole_is_found_measured_and_shown_where_it_is():
    shape = ball(10, 4)
    shape.update_faces(shape.triangles_center[:, 2] < 9.5)
    s, finds = examine(shape)
    find = finds["holes"]
    assert find.mend == "close_holes" and "mm across" in find.title
    assert s.points[find.marks, 2].min() > 17, "the ball stands on the ground: its top is near 20"


def test_a_holes_width_is_that_of_its_rim():
    """A ring of 360 points on a circle of diameter 6: 6 to a thousandth."""
    turn = np.linspace(0, 2 * np.pi, 361)[:-1]
    places = np.stack([3 * np.cos(turn), 3 * np.sin(turn), 0 * turn], axis=1)
    rim = np.stack([np.arange(360), (np.arange(360) + 1) % 360], axis=1).astype(np.int32)
    assert rim_widths(places, rim) == pytest.approx([6], rel=1e-3)


def test_what_was_inside_out_is_said_to_be_mended():
    inside_out = ball(4, 3, (15, 0, 0))
    inside_out.invert()
    s, finds = examine(together(ball(8, 4), inside_out))
    assert finds["turned"].mend == "" and "inside out" in finds["turned"].title
    assert s.points[finds["turned"].marks, 0].min() > 0, "shown on the ball it was"


def test_shells_pushed_through_each_other_are_shown_where_they_meet_and_need_no_mending():
    s, finds = examine(together(ball(8, 4), ball(8, 4, (10, 0, 0))))
    assert finds["hidden"].mend == "" and "brush" in finds["hidden"].why
    # two balls of radius 8 whose middles are 10 apart meet in a ring half-way, of radius √(64 − 25)
    ring = s.points[finds["hidden"].marks] - (s.points.max(axis=0) + s.points.min(axis=0)) / 2
    assert np.abs(ring[:, 0]).max() < 1.2
    assert np.hypot(ring[:, 1], ring[:, 2]) == pytest.approx(np.sqrt(39), abs=1.2)


def test_an_edge_of_three_sheets_is_harmless_and_said_so():
    wall = np.array(
        [[0, 0, 0], [0, 10, 0], [10, 0, 0], [10, 10, 0], [-10, 0, 0], [-10, 10, 0], [0, 0, 10], [0, 10, 10]]
    )
    faces = [(0, 2, 1), (1, 2, 3), (0, 1, 4), (1, 5, 4), (0, 1, 6), (1, 7, 6)]
    _, finds = examine(trimesh.Trimesh(wall, faces, process=False))
    assert "more than two" in finds["crowded"].title and finds["crowded"].mend == ""


def test_blades_under_a_third_of_a_millimetre_are_thin_and_thick_ones_are_not():
    """Plates 32 mm tall: the limit there is 0.35 mm (THIN_SHARE of the height)."""
    assert pytest.approx(0.35) == THIN_SHARE * 32
    for thick, expected in ((0.2, True), (0.5, False)):
        s = working_surface(mesh_of(trimesh.creation.box((10, thick, 32))), samples=6_000)
        marks, thinnest = thin(s, np.ones(len(s), bool))
        assert (s.areas[marks].sum() / s.areas.sum() > 0.8) == expected
        if expected:
            assert thinnest == pytest.approx(thick, abs=0.03)
