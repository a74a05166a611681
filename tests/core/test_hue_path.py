"""Hue paths: shadow, middle and light of a thing have their own hues (CP-36, common practice); Munsell hues by
colour-science."""

import warnings
from dataclasses import replace

import colour
import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.tint import LUMINANCE
from dusk_lamp.core.paint.colour import RGB_TO_XYZ, lab
from dusk_lamp.core.paint.value import luminance_from_munsell
from dusk_lamp.core.sculpt.marking import Region
from dusk_lamp.core.target.hue import usual_path
from dusk_lamp.core.target.local import VALUES, colour_ladder, colours_in_light, local_of


def on_path(own, material="cloth"):
    """A local colour with its usual hue path, and what its ladder is at its darkest, its own value and its
    lightest."""
    path = usual_path(own)
    local = local_of(Region("Cloak", material, colour=own, dark=path.dark, bright=path.bright))
    low, _, high = local.key
    rgb = colour_ladder(local)
    at = [int(np.abs(VALUES - v).argmin()) for v in (low, local.own_value, high)]
    return local, rgb, lab(rgb[at] @ RGB_TO_XYZ.T)


def munsell_hue(Lab):
    """The hue of L*a*b* in Munsell's notation, such as “YR”."""
    XYZ = colour.Lab_to_XYZ(Lab, colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"])
    xyY = colour.XYZ_to_xyY(colour.chromatic_adaptation(XYZ, [0.95047, 1, 1.08883], [0.98074, 1, 1.18232]))
    with warnings.catch_warnings():  # the most vivid reds lie at the very limit of what a surface can be
        warnings.simplefilter("ignore")
        return "".join(c for c in colour.xyY_to_munsell_colour(xyY).split(" ")[0] if c.isalpha())


def test_a_red_climbs_through_orange_and_never_to_pink():
    _, _, (dark, middle, light) = on_path("#9a1d22")
    assert munsell_hue(dark) in ("R", "RP") and munsell_hue(middle) == "R" and munsell_hue(light) in ("YR", "R")
    angle = np.degrees(np.arctan2(light[2], light[1]))
    assert angle > np.degrees(np.arctan2(middle[2], middle[1])) + 12 and np.hypot(light[1], light[2]) > 30
    plain = colour_ladder(local_of(Region("Cloak", "cloth", colour="#9a1d22")))
    pink = lab(plain[int(np.abs(VALUES - 6.5).argmin())] @ RGB_TO_XYZ.T)
    assert np.hypot(*pink[1:]) < np.hypot(light[1], light[2]) or light[2] > pink[2] + 10


def test_a_yellow_goes_down_through_warm_pink_red_and_never_through_olive():
    _, _, (dark, middle, _) = on_path("#e2b62a")
    assert munsell_hue(middle) == "Y" and munsell_hue(dark) in ("R", "YR") and dark[1] > 8


@pytest.mark.parametrize("own", ["#2f5f8f", "#4f7a3a", "#7a4a8f", "#7a5236", "#8a8782"])
def test_every_value_keeps_its_luminance_and_the_last_hue_comes_late(own):
    local, rgb, (dark, middle, light) = on_path(own)
    Y = luminance_from_munsell(VALUES) / 100
    assert rgb @ LUMINANCE == pytest.approx(Y, abs=2e-3) and rgb.min() > -1e-6 and rgb.max() < 1 + 1e-6
    half = lab(rgb[int(np.abs(VALUES - (local.own_value + local.key[2]) / 2).argmin())] @ RGB_TO_XYZ.T)
    gone, whole = np.hypot(*(half - middle)[1:]), np.hypot(*(light - middle)[1:])
    assert gone < 0.62 * whole + 1, "half-way up less than its share of the last hue"
    assert not np.allclose(dark[1:], middle[1:], atol=1.5)


def test_casts_act_on_what_is_left_and_colours_that_are_none_are_refused():
    path = usual_path("#2f5f8f")
    region = Region("Cloak", "cloth", colour="#2f5f8f", dark=path.dark)
    cool, warm = (colour_ladder(local_of(replace(region, light=cast))) for cast in ("cool", "warm"))
    high, low = int(np.abs(VALUES - 7).argmin()), int(np.abs(VALUES - 2.5).argmin())
    assert not np.allclose(cool[high], warm[high], atol=1e-3) and np.allclose(cool[low], warm[low], atol=1e-6)
    for bad in ("red", "#12", "#12345g"):
        with pytest.raises(SettingError):
            Region("Cloak", dark=bad)


def test_a_ladder_ends_at_its_lightest_and_its_darkest():
    """Values beyond either end, as a hot light gives them, are the colour of that end; between two of its steps a
    colour lies between theirs."""
    local, rgb, _ = on_path("#9a1d22")
    seen = colours_in_light(np.array([-1.0, 0.0, 10.0, 14.0], np.float32), np.zeros(4, int), [local])
    assert seen[:2] == pytest.approx(rgb[[0, 0]], abs=1e-6) and seen[2:] == pytest.approx(rgb[[-1, -1]], abs=1e-6)
    between = colours_in_light(np.array([(VALUES[30] + VALUES[31]) / 2], np.float32), np.zeros(1, int), [local])
    assert between[0] == pytest.approx((rgb[30] + rgb[31]) / 2, abs=1e-5)
