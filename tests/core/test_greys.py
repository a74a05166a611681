"""The ladder's bands: nested, rimmed, rationed."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.key import key_light
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.plain import built
from dusk_lamp.core.sculpt.surface import working_surface
from dusk_lamp.core.target.exposure import Exposure, value_of_light
from dusk_lamp.core.target.greys import Greys, lay_bands

from ..shapes import ball, mesh_of, surface_of

BALL = surface_of(ball(fine=5))
LIT = value_of_light(key_light(BALL, Lamp(30, 60)).light, Exposure())


def test_greys_run_evenly_in_value_from_primer_to_white():
    """Common practice, CP-6: even neighbours make the smoothest gradient."""
    assert Greys(5).values(Exposure(1, 9)) == pytest.approx([1, 3, 5, 7, 9])


@pytest.mark.parametrize("steps", range(2, 10))
def test_each_step_lies_inside_the_one_before_and_leaves_a_rim(steps):
    """Common practice, CP-16."""
    bands = lay_bands(BALL, LIT, Greys(steps, None), Exposure())
    assert (np.diff(bands.covered_mm2) <= 1e-6).all() and bands.covered_mm2[0] == pytest.approx(
        BALL.areas.sum(), rel=1e-5
    )
    a, b = BALL.edges
    assert np.abs(bands.step[a].astype(int) - bands.step[b]).max() <= 1


def test_a_hard_shadow_edge_still_climbs_one_step_at_a_time(warden):
    """Common practice, CP-16, where the light jumps from nothing to full."""
    value = value_of_light(key_light(warden, Lamp(60, 40)).light, Exposure())
    bands = lay_bands(warden, value, Greys(6, 0.03), Exposure())
    a, b = warden.edges
    assert np.abs(value[a] - value[b]).max() > 5, "the light itself does jump"
    assert np.abs(bands.step[a].astype(int) - bands.step[b]).max() == 1


@settings(max_examples=20, deadline=None)
@given(st.floats(0.005, 0.5), st.integers(2, 9), st.tuples(st.floats(-180, 180), st.floats(0, 90)))
def test_the_white_never_exceeds_its_budget(budget, steps, where):
    """Common practice, CP-14: the brightest step is rationed."""
    value = value_of_light(key_light(BALL, Lamp(*where)).light, Exposure())
    free = lay_bands(BALL, value, Greys(steps, None), Exposure())
    rationed = lay_bands(BALL, value, Greys(steps, budget), Exposure())
    whole = BALL.areas.sum()
    assert rationed.area_mm2[-1] <= budget * whole * (1 + 1e-6)
    assert rationed.cuts[-1] >= free.cuts[-1] - 1e-9, "the cut only ever moves up"
    if free.area_mm2[-1] > budget * whole:
        assert rationed.area_mm2[-1] > 0.8 * budget * whole, "and no further than it must"


def test_three_percent_of_white_on_a_ball_under_an_overhead_lamp_is_the_cap_of_that_area():
    """A cap of a sphere holds the share (1 − cos θ)/2 of its surface (Archimedes), so 3 % ends at cos θ = 0.94."""
    value = value_of_light(key_light(BALL, Lamp(0, 90)).light, Exposure())
    white = lay_bands(BALL, value, Greys(5, 0.03), Exposure()).step == 4
    assert BALL.normals[white, 2].min() == pytest.approx(0.94, abs=0.01)


def test_where_everything_is_equally_bright_no_spot_earns_the_white_and_it_is_said():
    import trimesh

    box = working_surface(mesh_of(trimesh.creation.box((10, 10, 10))), samples=3_000)
    value = value_of_light(key_light(box, Lamp(0, 90)).light, Exposure())
    bands = lay_bands(box, value, Greys(5, 0.03), Exposure())
    assert bands.area_mm2[-1] == 0 and "equally bright" in bands.notice


def test_slid_cuts_are_kept():
    cuts = (2.0, 4.0, 8.0)
    bands = lay_bands(BALL, LIT, Greys(4, None, cuts), Exposure())
    assert bands.cuts == pytest.approx(cuts)
    assert (LIT[bands.step == 3] >= 7.8).all(), "to within what a brush evens out"


def test_the_histogram_counts_all_the_surface_once():
    bands = lay_bands(BALL, LIT, Greys(), Exposure())
    assert (
        bands.histogram.sum()
        == pytest.approx(BALL.areas.sum(), rel=1e-5)
        == pytest.approx(bands.area_mm2.sum(), rel=1e-5)
    )


@pytest.mark.parametrize(
    "bad",
    [
        {"steps": 1},
        {"steps": 10},
        {"white_budget": 0},
        {"white_budget": 1.5},
        {"steps": 3, "cuts": (5.0,)},
        {"steps": 3, "cuts": (6.0, 5.0)},
        {"steps": 3, "cuts": (5.0, float("nan"))},
    ],
)
def test_ladders_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Greys(**bad)


@pytest.mark.parametrize(
    "given_", [{}, {"steps": "many", "white_budget": 0.1}, {"steps": 5}, {"steps": 5, "white_budget": "x"}]
)
def test_garbled_settings_are_refused_in_words(given_):
    with pytest.raises(SettingError):
        built(Greys, given_, whole=True)
