"""Colour against the published pairs and tables, and against colour-science, a general colour library."""

import warnings

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.datasets import make_bands
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.colour import (
    DARKEST,
    ILLUMINANTS,
    LIGHTEST,
    bands,
    colour_of,
    colour_of_hex,
    delta_e,
    encoded,
    lab,
    reflectance_from_hex,
    reflectance_from_rgb,
    screen_hex,
    screen_levels,
    xyz,
)
from dusk_lamp.core.paint.value import luminance_from_munsell

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

# Sharma, Wu and Dalal (2005), The CIEDE2000 Color-Difference Formula, table 1
PAIRS = """
50 2.6772 -79.7751 50 0 -82.7485 2.0425
50 3.1571 -77.2803 50 0 -82.7485 2.8615
50 2.8361 -74.0200 50 0 -82.7485 3.4412
50 -1.3802 -84.2814 50 0 -82.7485 1.0000
50 -1.1848 -84.8006 50 0 -82.7485 1.0000
50 -0.9009 -85.5211 50 0 -82.7485 1.0000
50 0 0 50 -1 2 2.3669
50 -1 2 50 0 0 2.3669
50 2.49 -0.001 50 -2.49 0.0009 7.1792
50 2.49 -0.001 50 -2.49 0.0010 7.1792
50 2.49 -0.001 50 -2.49 0.0011 7.2195
50 2.49 -0.001 50 -2.49 0.0012 7.2195
50 -0.001 2.49 50 0.0009 -2.49 4.8045
50 -0.001 2.49 50 0.0010 -2.49 4.8045
50 -0.001 2.49 50 0.0011 -2.49 4.7461
50 2.5 0 50 0 -2.5 4.3065
50 2.5 0 73 25 -18 27.1492
50 2.5 0 61 -5 29 22.8977
50 2.5 0 56 -27 -3 31.9030
50 2.5 0 58 24 15 19.4535
50 2.5 0 50 3.1736 0.5854 1.0000
50 2.5 0 50 3.2972 0 1.0000
50 2.5 0 50 1.8634 0.5757 1.0000
50 2.5 0 50 3.2592 0.3350 1.0000
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
61.2901 3.7196 -5.3901 61.4292 2.2480 -4.9620 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.6940 23.0331 14.9730 -42.5619 2.0373
36.4612 47.8580 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.4410 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.1350 0.9033 -0.0636 -0.5514 0.9082
"""


def test_differences_are_those_of_the_published_pairs_both_ways():
    rows = np.array([line.split() for line in PAIRS.strip().splitlines()], float)
    assert len(rows) == 34
    assert delta_e(rows[:, :3], rows[:, 3:6]) == pytest.approx(rows[:, 6], abs=5.1e-5)
    assert delta_e(rows[:, 3:6], rows[:, :3]) == pytest.approx(rows[:, 6], abs=5.1e-5)


def test_differences_are_those_of_colour_science(rng):
    first, second = (rng.uniform((0, -90, -90), (100, 90, 90), (500, 3)) for _ in range(2))
    assert delta_e(first, second) == pytest.approx(colour.delta_E(first, second, method="CIE 2000"), abs=1e-6)


def test_the_shipped_table_is_the_one_of_the_library():
    shipped, fresh = bands(), make_bands.table()
    assert list(shipped) == list(fresh) and len(shipped["nm"]) == 36
    for name in shipped:
        assert shipped[name] == pytest.approx(fresh[name], rel=1e-6), name


@settings(max_examples=80, deadline=None)
@given(st.tuples(*[st.integers(20, 235)] * 3))
def test_a_swatch_comes_back_from_its_reflectance(levels):
    """Mallett and Yuksel's basis, integrated again by colour-science: ΔE00 under 0.5 for what paint can be."""
    hex_ = "#{:02x}{:02x}{:02x}".format(*levels)
    reflectance = reflectance_from_hex(hex_)
    assert (reflectance > 0).all() and (reflectance < 1).all()
    clipped = (reflectance <= DARKEST).any() or (reflectance >= LIGHTEST).any()
    assert delta_e(colour_of(reflectance).lab, colour_of_hex(hex_).lab) < (1.2 if clipped else 0.5)


def test_a_reflectance_is_counted_as_colour_science_counts_it():
    """At 5 nm over the whole visible range; ours has 36 bands."""
    for hex_ in ("#8a4b2d", "#3c4247", "#d8c79c", "#2d5c93"):
        sd = colour.SpectralDistribution(reflectance_from_hex(hex_), bands()["nm"])
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            theirs = colour.sd_to_XYZ(sd, illuminant=colour.SDS_ILLUMINANTS["D65"]) / 100
        assert delta_e(lab(xyz(reflectance_from_hex(hex_))), lab(theirs)) < 0.7


def test_white_is_white_under_every_lamp_and_grey_stays_grey():
    """CIE 15: L* 100 for a perfect white; the eye takes the lamp for white."""
    for lamp in ILLUMINANTS:
        assert lab(xyz(np.ones(36), lamp)) == pytest.approx([100, 0, 0], abs=0.01)
        grey = colour_of(np.full(36, 0.18418), lamp)
        assert pytest.approx(50, abs=0.01) == grey.L and grey.chroma < 0.02


def test_a_blue_goes_dull_under_a_warm_lamp():
    """Common practice: blues lose most under a warm bench lamp."""
    blue = reflectance_from_hex("#2d5c93")
    assert colour_of(blue, "lamp").L < colour_of(blue).L - 0.5
    assert colour_of(reflectance_from_hex("#b3402a"), "lamp").L > colour_of(reflectance_from_hex("#b3402a")).L + 1


@pytest.mark.parametrize(("value", "level"), [(1, 0.01210), (5, 0.1977), (8, 0.5910), (9, 0.7866)])
def test_values_are_those_of_the_standard(value, level):
    """Luminance factors of ASTM D1535, table of Munsell values (Y relative to a perfect diffuser × 1.0257⁻¹ ≈
    D1535)."""
    grey = np.full(36, float(luminance_from_munsell(value)) / 100)
    assert colour_of(grey).value == pytest.approx(value, abs=0.002)
    assert float(luminance_from_munsell(value)) / 100 == pytest.approx(level, rel=0.03)


def test_pure_screen_colours_become_the_nearest_that_paint_can_be():
    for hex_ in ("#000000", "#ffffff", "#ff0000", "#00ff00", "#0000ff"):
        r = reflectance_from_hex(hex_)
        assert r.min() >= DARKEST and r.max() <= LIGHTEST
    assert colour_of(reflectance_from_hex("#ff0000")).a > 70
    assert (reflectance_from_rgb(np.array([[0.5, 0.5, 0.5], [1, 0, 0]])).shape) == (2, 36)


@pytest.mark.parametrize("bad", ["", "#fff", "red", "#12345g", "1234567", "#8a4b2d; drop"])
def test_what_is_no_colour_is_refused(bad):
    with pytest.raises(SettingError, match="#rrggbb"):
        colour_of_hex(bad)
    with pytest.raises(SettingError):
        xyz(np.ones(36), "candle")


def test_levels_of_a_screen_are_those_of_the_standard_to_the_last_bit_of_light(rng):
    """IEC 61966-2-1, as colour-science has it; and by our own formula where one level ends and the next begins."""
    light = rng.uniform(-0.1, 1.1, (20_000, 3))
    wanted = np.round(255 * colour.cctf_encoding(np.clip(light, 0, 1), function="sRGB"))
    assert np.array_equal(screen_levels(light), wanted)
    assert np.array_equal(
        screen_levels(light.astype(np.float32)), screen_levels(light.astype(np.float32).astype(float))
    )
    low, high = np.zeros(255), np.ones(255)
    for _ in range(70):
        middle = (low + high) / 2
        below = np.round(255 * encoded(middle)) < np.arange(1, 256)
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    ends = np.concatenate([np.nextafter(high, 0), high, np.nextafter(high, 1), [0, 1, -0.0]])
    assert np.array_equal(screen_levels(ends), np.round(255 * encoded(ends)))
    assert screen_hex(np.array([0.0, 0.5, 2.0])) == "#00bcff"
