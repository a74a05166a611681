"""Regions grown from a spot."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.sculpt.regions import grow
from dusk_lamp.core.sculpt.surface import working_surface

from ..shapes import ball, block_with_a_slot, mesh_of

CUBE = working_surface(mesh_of(trimesh.creation.box((10, 10, 10))), samples=4_000)
SLOT = working_surface(mesh_of(block_with_a_slot()), samples=15_000)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 5), st.floats(-4.9, 4.9), st.floats(-4.9, 4.9))
def test_picking_one_face_of_a_cube_takes_exactly_that_face(side, a, b):
    seed = np.insert([a, b], side % 3, 5 if side < 3 else -5)
    region = grow(CUBE, seed)
    assert CUBE.areas[region].sum() == pytest.approx(100, rel=1e-4)
    assert (CUBE.normals[region] @ (np.eye(3)[side % 3] * (1 if side < 3 else -1)) > 0.999).all()


@pytest.mark.parametrize("seed", [(0, 0, 7), (0.4, 6, 7), (-1, 2, 8), (1, -5, 8.5)])
def test_picking_a_letter_box_groove_takes_the_groove(seed):
    """Floor 2 × 20 and two walls 3 × 20."""
    region = grow(SLOT, seed)
    assert SLOT.areas[region].sum() == pytest.approx(160, rel=0.01)


def test_picking_beside_the_groove_stops_at_its_rim():
    assert SLOT.areas[grow(SLOT, (6, 0, 10))].sum() == pytest.approx(9 * 20, rel=0.01)


def test_a_round_form_is_taken_whole():
    s = working_surface(mesh_of(ball(10, 4)), samples=6_000)
    assert grow(s, (0, 0, 10)).all()


def test_a_higher_crease_grows_over_more():
    assert grow(CUBE, (0, 0, 5), 120).all()
    assert grow(CUBE, (0, 0, 5), 20).sum() == grow(CUBE, (0, 0, 5), 60).sum()


def test_the_wardens_cloak_is_taken_without_the_base_or_the_hood(warden):
    """The back of the cloak, at brush scale: a real form with soft joints."""
    seed = warden.points[np.argmin(np.linalg.norm(warden.points - [0, 6.5, 14], axis=1))]
    region = grow(warden, seed)
    share = warden.areas[region].sum() / warden.areas.sum()
    assert 0.04 < share < 0.3
    assert warden.points[region, 2].min() > 1.5 and warden.points[region, 2].max() < 31


def test_the_same_seed_gives_the_same_region():
    assert (grow(SLOT, (0, 0, 7)) == grow(SLOT, (0, 0, 7))).all()


@pytest.mark.parametrize(("seed", "crease"), [((0, 0), 40), ((0, 0, np.nan), 40), ((0, 0, 5), 0), ((0, 0, 5), 181)])
def test_impossible_picks_are_refused_in_words(seed, crease):
    with pytest.raises(SettingError):
        grow(CUBE, np.array(seed, float), crease)
