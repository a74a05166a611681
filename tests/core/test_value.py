"""Value against colour-science and the standards' own fixed points."""

import colour
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint import value as v
from dusk_lamp.core.target.exposure import Exposure, value_of_light

GREYS = np.linspace(0, 10, 41)


def test_munsell_value_to_luminance_is_astm_d1535_as_colour_science_has_it():
    assert v.luminance_from_munsell(GREYS) == pytest.approx(colour.colorimetry.luminance_ASTMD1535(GREYS), abs=1e-9)


def test_luminance_to_munsell_value_is_its_inverse_as_colour_science_has_it():
    Y = np.linspace(0.5, 100, 60)
    assert v.munsell_from_luminance(Y) == pytest.approx(colour.notation.munsell_value_ASTMD1535(Y), abs=2e-3)


def test_many_values_are_those_of_one_to_the_last_bit(rng):
    """What is seen of a whole model is looked up another way than one colour; by numpy's own interpolation."""
    V = np.linspace(0, 10, 20_001)
    Y = v.luminance_from_munsell(V)
    edges = np.concatenate([Y, np.nextafter(Y, -1), np.nextafter(Y, 200), [np.nan, -0.0, -3, 250, np.inf, -np.inf]])
    light = np.concatenate([rng.uniform(-1, 102, 50_000), rng.uniform(0, 0.1, 20_000), edges])[:, None]
    assert np.array_equal(v.munsell_from_luminance(light), np.interp(light, Y, V), equal_nan=True)


def test_lightness_is_cie_15_as_colour_science_has_it():
    Y = np.linspace(0, 100, 101)
    assert v.lightness_from_luminance(Y) == pytest.approx(colour.lightness(Y, method="CIE 1976"), abs=1e-9)


def test_middle_grey_is_eighteen_percent_and_looks_half_way():
    """ASTM D1535: Munsell N5 reflects 19.27 % of a perfect white (Y relative to a perfect diffuser); CIE 15: Y 18.42
    is L* 50."""
    assert float(v.luminance_from_munsell(5)) == pytest.approx(19.27, abs=0.05)
    assert float(v.lightness_from_luminance(18.4186)) == pytest.approx(50, abs=1e-3)


@given(st.floats(0, 100))
def test_lightness_is_that_of_cie_1976(Y):
    """CIE 15, through colour-science."""
    assert float(v.lightness_from_luminance(Y)) == pytest.approx(float(colour.lightness(Y, "CIE 1976")), abs=1e-9)


def test_printed_greys_follow_srgb():
    """IEC 61966-2-1, through colour-science."""
    Y = v.luminance_from_munsell(GREYS) / 100
    assert v.grey_srgb(GREYS) == pytest.approx(
        np.round(colour.cctf_encoding(np.clip(Y, 0, 1), function="sRGB") * 255), abs=1
    )
    assert v.grey_hex(0) == "#000000" and v.grey_hex(10) == "#ffffff"


def test_no_light_is_the_primer_and_full_light_the_white():
    light = np.array([0, 1, 7], np.float32)
    assert value_of_light(light, Exposure()) == pytest.approx([1.5, 9.5, 9.5], abs=1e-3)
    assert value_of_light(light, Exposure(gain=0.5), full=2)[1] < value_of_light(light, Exposure(), full=2)[1] < 9.5


@given(st.lists(st.floats(0, 3), min_size=2, max_size=20), st.floats(0.25, 4))
def test_more_light_is_never_darker(lights, gain):
    value = value_of_light(np.sort(np.array(lights, np.float32)), Exposure(gain=gain))
    assert (np.diff(value) >= 0).all() and value.min() >= 1.499 and value.max() <= 9.501


def test_half_the_light_looks_much_more_than_half_as_light():
    """Equal steps of light are not equal steps of value; that is why value is counted by Munsell's scale."""
    assert 6.5 < float(value_of_light(np.array([0.5], np.float32), Exposure(0, 10))[0]) < 7.7


@pytest.mark.parametrize("bad", [(9, 2), (-1, 9), (1, 11), (1.5, 9.5, 0.1), (1.5, 9.5, 5)])
def test_exposures_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Exposure(*bad)
