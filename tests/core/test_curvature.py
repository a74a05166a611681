"""Mean curvature against closed forms and against libigl, a general geometry library."""

import igl
import numpy as np
import pytest
import trimesh

from dusk_lamp.core.sculpt.curvature import mean_curvature
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.read import read_sculpt
from dusk_lamp.core.sculpt.stand import Standing, stand
from dusk_lamp.core.sculpt.surface import as_is_surface, working_surface

from ..shapes import ball, mesh_of


@pytest.mark.parametrize("radius", [2.0, 10.0])
def test_a_ball_bends_by_one_over_its_radius(radius):
    s = working_surface(mesh_of(ball(radius, 5)), samples=8_000)
    bend = mean_curvature(s, radius / 10)
    assert np.average(bend, weights=s.areas) == pytest.approx(1 / radius, rel=0.03)
    assert (np.abs(bend * radius - 1) < 0.2).all(), "where triangles are odd, a fifth at most"


def test_a_torus_bends_as_its_closed_form_says():
    """H = (R + 2 r cos v) / (2 r (R + r cos v)): do Carmo, Differential Geometry of Curves and Surfaces, 3.3."""
    s = as_is_surface(mesh_of(trimesh.creation.torus(10, 3, major_sections=160, minor_sections=64)))
    cos = (np.hypot(s.points[:, 0], s.points[:, 1]) - 10) / 3
    expected = (10 + 6 * cos) / (6 * (10 + 3 * cos))
    found = mean_curvature(s, 0.5)
    assert found == pytest.approx(expected, abs=0.02)


def _theirs(s):
    """(N,) mean curvature by fitting quadrics: Panozzo, Puppo and Rocca (2010), as libigl has it."""
    principal = igl.principal_curvature(np.asarray(s.points, float), np.asarray(s.faces, np.int64), 3)
    return (principal[2] + principal[3]) / 2


def test_a_torus_bends_as_libigl_says():
    s = as_is_surface(mesh_of(trimesh.creation.torus(10, 3, major_sections=120, minor_sections=48)))
    theirs = _theirs(s)
    theirs *= np.sign(np.median(theirs))  # which way is out is a convention; a torus bulges on the whole
    assert mean_curvature(s, 0.6) == pytest.approx(theirs, abs=0.03)


def test_the_scanned_bunny_bends_as_libigl_says(bunny_file):
    """Stanford bunny, a noisy scan: both even out over a brush's breadth; signs agree where the bend is more than
    slight, and so do magnitudes as far as a different way of evening out allows."""
    mended = mend(read_sculpt(bunny_file))
    s = as_is_surface(stand(mended.mesh, Standing("y", "z", 32)))
    ours, theirs = mean_curvature(s, 1.5 * s.spacing), _theirs(s)
    if np.corrcoef(ours, theirs)[0, 1] < 0:
        theirs = -theirs
    assert np.corrcoef(ours, theirs)[0, 1] > 0.8
    bent = np.abs(theirs) > 0.15
    assert (np.sign(ours[bent]) == np.sign(theirs[bent])).mean() > 0.99
    assert np.median(np.abs(ours[bent] / theirs[bent])) == pytest.approx(1, abs=0.12)
