"""The plan's words, numbers and cautions."""

import re

import numpy as np
import pytest

from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig, light_on
from dusk_lamp.core.plan.cautions import DEFER
from dusk_lamp.core.plan.ladder import Ladder, lay_bands
from dusk_lamp.core.plan.steps import bearing, ladder_steps, rig_words
from dusk_lamp.core.plan.target import Exposure, target_value
from dusk_lamp.core.sculpt.site import Site


@pytest.fixture(scope="module")
def steps(warden):
    rig = Rig(Lamp(40, 58), 0, "uniform", 0)
    value = target_value(light_on(Site(warden), rig).total, Exposure())
    return ladder_steps(warden, lay_bands(warden, value, Ladder(), Exposure()), rig)


def test_five_greys_darkest_first_each_covering_less(steps):
    """Common practice, CP-16 and school A."""
    assert [s.number for s in steps] == [1, 2, 3, 4, 5]
    assert all(a.value < b.value and a.covered_mm2 > b.covered_mm2 for a, b in zip(steps, steps[1:], strict=False))
    assert steps[0].covered == pytest.approx(1) and steps[-1].left <= 0.03 + 1e-6
    assert sum(s.left for s in steps) == pytest.approx(1)


def test_settings_are_those_painters_use(steps):
    """Common practice: CP-4 can at 36–38 cm, CP-5 primer 0.4 mm and 30 psi, CP-7 0.2 mm, 20–25 psi, white at least 25."""
    assert "36–38 cm" in steps[0].how and "0.4 mm needle, 30 psi (207 kPa)" in steps[0].how
    assert "20 psi (138 kPa)" in steps[2].how
    assert "at least 25 psi (172 kPa)" in steps[-1].how


def test_pressures_in_both_units_agree(steps):
    """1 psi = 6.895 kPa (NIST SP 811)."""
    for step in steps:
        for psi, kpa in re.findall(r"(\d+) psi \((\d+) kPa\)", step.how):
            assert float(kpa) == pytest.approx(float(psi) * 6.894757, abs=0.6)


def test_every_spraying_step_says_what_to_mind_and_defers_to_the_data_sheet(steps):
    for step in steps:
        assert any("respirator" in c for c in step.cautions)
        assert step.cautions[-1] == DEFER
    assert any("warm water" in c for c in steps[0].cautions)


def test_where_to_spray_from_follows_the_lamp(steps):
    assert "front right" in steps[3].where


@pytest.mark.parametrize(
    ("azimuth", "words"),
    [
        (0, "the front"),
        (44, "the front right"),
        (90, "the right"),
        (180, "the back"),
        (-180, "the back"),
        (-90, "the left"),
        (-20, "the front"),
    ],
)
def test_bearings(azimuth, words):
    assert bearing(azimuth) == words


def test_the_light_in_words():
    assert rig_words(Rig(Lamp(0, 90, 0), 0, "uniform", 0)) == "Lamp straight above, hard; no sky."
    assert "Lamp below" in rig_words(Rig(Lamp(0, -60, 0)))
    assert rig_words(Rig(None, 1, "overcast", 0)) == "No lamp; overcast sky 1.00."


def test_hexes_are_neutral(steps):
    assert all(len(set(re.findall("..", s.hex[1:]))) == 1 for s in steps)
    assert np.diff([int(s.hex[1:3], 16) for s in steps]).min() > 0
