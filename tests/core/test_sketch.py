"""The value sketch in colour: keys, ladders of a local colour, coloured light."""

from dataclasses import replace

import colour
import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.light.tint import LUMINANCE, Tints, of_temperature
from dusk_lamp.core.paint.colour import linear, rgb_from_hex
from dusk_lamp.core.paint.value import luminance_from_munsell
from dusk_lamp.core.sculpt.marking import MATERIALS, Marking, Region
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.target.local import DARKEST, LIGHTEST, VALUES, Local, colour_ladder, usual_local
from dusk_lamp.core.target.target import target

from ..shapes import ball, surface_of

RED, WHITE = "#b02020", "#e6e4de"


@pytest.fixture(scope="module")
def high_ball():
    """A ball far above the ground: its own shadow there is small, and the ground below it evenly lit."""
    surface = surface_of(ball(radius=10, at=(0, 0, 400), fine=4))
    return Site(surface, visibility_of(surface, 1024))


def test_a_ground_colours_what_faces_it_by_one_bounce(high_ball):
    """Closed form: an overhead lamp gives cos β above; an endless level ground of albedo a gives a (1 − cos β) / 2
    everywhere."""
    albedo = 0.3
    rig = Rig(Lamp(0, 90, 0), 0.0, "uniform", albedo)
    seen = target(high_ball, rig, [Local(WHITE, low=1, high=9)], Tints(ground=RED))
    up = high_ball.surface.normals[:, 2].astype(float)
    key, back = np.maximum(up, 0), albedo * (1 - up) / 2
    ground = linear(rgb_from_hex(RED))
    ground /= ground @ LUMINANCE
    share = back / (key + back)
    wanted = share[:, None] * ground + (1 - share[:, None])
    own = linear(rgb_from_hex(WHITE))
    got = seen.rgb / own
    got /= (got @ LUMINANCE)[:, None]
    dim = (share < 0.2) | (up < -0.3)  # between, the screen cannot show so light a red
    assert np.abs(got / wanted - 1)[dim & (seen.rgb.max(axis=1) < 0.95)].max() < 0.08
    red = seen.lab[:, 1]
    assert red[up < -0.9].mean() > red[np.abs(up) < 0.1].mean() > red[up > 0.9].mean() + 5
    grey = target(high_ball, rig, [Local(WHITE, low=1, high=9)])
    assert np.array_equal(grey.value, seen.value), "how light it is the colour of the light leaves alone"


@pytest.mark.parametrize("kelvin", [1900, 2700, 4000, 6500, 9000])
def test_lamps_by_their_temperature_against_a_reference(kelvin):
    """colour-science: Planck's law and the CIE 1931 observer; a screen's eight bits leave about 0.003 in x, y."""
    spectrum = colour.sd_blackbody(kelvin, colour.SPECTRAL_SHAPE_DEFAULT)
    wanted = colour.XYZ_to_xy(colour.sd_to_XYZ(spectrum))
    rgb = linear(rgb_from_hex(of_temperature(kelvin)))
    assert colour.XYZ_to_xy(colour.sRGB_to_XYZ(rgb, apply_cctf_decoding=False)) == pytest.approx(wanted, abs=0.004)


def test_light_that_is_none_is_refused():
    with pytest.raises(SettingError, match="black lamp"):
        Tints(lamp="#000000")
    with pytest.raises(SettingError, match="lighter"):
        Local(low=5, high=4)
    with pytest.raises(SettingError):
        of_temperature(float("nan"))


@pytest.mark.parametrize("cast", ["neutral", "cool", "warm", "complement"])
@pytest.mark.parametrize("own", ["#8f2330", "#e8d24a", "#2b4f8a", "#f2f1ee", "#17161a"])
def test_a_ladder_has_the_luminance_of_its_values(own, cast):
    """ASTM D1535, whatever the hue and the cast; and at its own value it is the colour itself."""
    local = Local(own, shadow=cast, light=cast)
    table = colour_ladder(local)
    assert table @ LUMINANCE == pytest.approx(luminance_from_munsell(VALUES) / 100, abs=2e-3)
    assert table.min() >= -1e-9 and table.max() <= 1 + 1e-9
    at = int(np.argmin(np.abs(VALUES - local.own_value)))
    assert table[at] == pytest.approx(linear(rgb_from_hex(own)), abs=0.02)


def test_casts_lean_where_they_say():
    """Common practice, section 9: the cast is in the shadows, cool is blue, warm brown; lights of bone are warm."""
    from dusk_lamp.core.target.local import lab_of

    def b_at(value, **casts):
        return lab_of(colour_ladder(Local("#b9b5ad", **casts)))[int(value / 0.05)]

    assert b_at(5, shadow="cool")[2] < b_at(5)[2] - 5 and b_at(5, shadow="warm")[1] > b_at(5)[1] + 3
    assert b_at(9, light="warm")[2] > b_at(9)[2] + 4 and b_at(9, shadow="cool") == pytest.approx(b_at(9))
    pale, red = b_at(9), lab_of(colour_ladder(Local("#8f2330")))
    assert np.hypot(*red[160, 1:]) < np.hypot(*red[80, 1:]), "lightened with white a red turns pink"
    assert pale[0] > 85


def test_materials_differ_in_contrast_and_white_keeps_room():
    """CP-27: cloth, leather, fur, metal; CP-24: white is based below white, and its sides differ widely."""
    spans = [usual_local(m).key[2] - usual_local(m).key[0] for m in ("cloth", "leather", "fur", "metal")]
    assert spans == sorted(spans) and len(set(spans)) == 4
    faces = [usual_local("skin", a).key for a in ("quiet", "important", "focal point")]
    assert np.diff([high - low for low, _, high in faces]).min() > 0.3, "the face gets the most contrast"
    for material in MATERIALS:
        low, middle, high = usual_local(material).key
        assert 1 <= low < middle < high <= 9.3
    white = Local("#fbfbf9")
    assert white.key[2] < 9.5 and white.key[2] - white.key[0] >= 3 and any("off-white" in t for t in white.troubles)
    assert Local("#101012").key[0] == 1.0 and not Local("#d9d6cf").troubles


def test_a_folded_white_card_has_three_values(tmp_path):
    """Common practice, section 9: fold a sheet of paper; level, upright and hanging over, under an overhead lamp."""
    light = np.array([1.0, 0.28, 0.05])  # shares of the way from no light to full light
    values = Local("#eeece6").value(light)
    assert values[0] - values[2] > 3 and np.diff(values).max() < -0.7 and values.max() < 9.5


def test_every_region_keeps_its_own_key_and_colour(high_ball):
    labels = (high_ball.surface.points[:, 0] > 0).astype(np.uint8)
    site = high_ball.marked(Marking(labels, (Region("Cloak"),)))
    rig = Rig(Lamp(0, 90, 0), 0.25)
    seen = target(site, rig, [Local("#2b4f8a", low=2, high=5), Local("#8f2330", low=4, high=8)])
    assert seen.value[labels == 0].min() >= 2 and seen.value[labels == 0].max() <= 5
    assert seen.value[labels == 1].min() >= 4 and seen.value[labels == 1].max() <= 8
    assert seen.lab[labels == 0, 2].max() < 0 < seen.lab[labels == 1, 1].min()
    assert seen.colour.shape == (len(site), 3) and seen.gloss.max() < 0.1
    with pytest.raises(SettingError, match="local colour each"):
        target(site, rig, [Local()])


def test_a_region_keeps_its_ration_of_white():
    """CP-14: of white cloth a tenth of the area at most is lighter than value 7; what would be too much is brought
    down, the very brightest goes past it, and darks and middles stay as they are."""
    share, areas = np.linspace(0, 1, 4001), np.linspace(3, 1, 4001)
    free = Local("#d8d4c8", low=3.0, middle=6.0, high=9.5)
    kept = replace(free, ration=(7.0, 0.1))
    over = [float(areas[local.value(share, areas) > 7.0 + 1e-4].sum() / areas.sum()) for local in (free, kept)]
    assert over[0] > 0.2 and over[1] == pytest.approx(0.1, abs=0.002)
    value = kept.value(share, areas)
    assert (np.diff(value) >= 0).all() and (value[0], value[2000], value[-1]) == (3.0, 6.0, 9.5)
    assert np.array_equal(value[:2001], free.value(share)[:2001])
    assert np.array_equal(kept.value(share), free.value(share)), "of what is no area there is no tenth"


@pytest.mark.parametrize("attention", ["quiet", "focal point"])
def test_no_key_is_blacker_or_whiter_than_paint(attention):
    """What white lacks above it is taken below, and the other way round; nothing is lost of the span."""
    for material in ("cloth", "skin", "metal"):
        low, _, high = usual_local(material, attention).key
        for own in ("#050505", "#fdfdfd"):
            key = Local(own, material, attention).key
            assert key[2] - key[0] == pytest.approx(high - low, abs=1e-6) and key[0] >= 0 and key[2] <= 10
        assert high - low <= LIGHTEST - DARKEST
