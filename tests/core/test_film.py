"""Films and mixes: the limits of Kubelka and Munk, hiding by the standards, and facts of the trade."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.colour import colour_of, delta_e, reflectance_from_hex
from dusk_lamp.core.paint.film import (
    above_the_skin,
    absorption_over_scattering,
    below_the_skin,
    card_reflectance,
    coats,
    contrast_ratio,
    film,
    masstone,
)
from dusk_lamp.core.paint.mix import Mix
from dusk_lamp.core.paint.pigment import Pigment, from_drawdown, from_swatch, mixed
from dusk_lamp.core.paint.rack import Paint

from ..shapes import RACK

SOOT, CHALK, RED, YELLOW = (RACK.find(n) for n in ("Soot", "Chalk", "Harbour Red", "Lamp Yellow"))

hexes = st.tuples(*[st.integers(15, 240)] * 3).map(lambda t: "#{:02x}{:02x}{:02x}".format(*t))
hidings = st.sampled_from([0.1, 0.4, 0.75, 0.92, 0.98])


def paint(colour, hiding=0.9):
    return Paint(f"{colour}@{hiding}", "layer", colour, hiding)


def test_a_film_without_end_is_the_masstone_and_a_film_of_nothing_is_the_ground():
    p = from_swatch("#8a4b2d", 0.9)
    assert p.film(1e6, card_reflectance("white")) == pytest.approx(reflectance_from_hex("#8a4b2d"), abs=1e-9)
    assert p.film(0, card_reflectance("#2d5c93")) == pytest.approx(card_reflectance("#2d5c93"), abs=1e-12)


def test_the_skin_is_that_of_saunderson_with_his_constants():
    """Saunderson (1942), k1 = 0.04 for a film of index 1.5 at the normal, k2 = 0.6 for diffuse light from inside:
    0.5 measured is 0.46 / 0.66 = 0.69697 inside, and back."""
    assert below_the_skin(np.array([0.5])) == pytest.approx([0.46 / 0.66], abs=1e-9)
    assert above_the_skin(np.array([0.46 / 0.66])) == pytest.approx([0.5], abs=1e-9)


def test_nothing_painted_is_whiter_than_titanium_white():
    """The whitest matt titanium white sends back about 96 % (common practice, from memory)."""
    assert reflectance_from_hex("#ffffff").max() == pytest.approx(0.96) and card_reflectance("white").max() <= 0.96


def test_the_closed_forms_of_kubelka_and_munk():
    """K/S = ½ gives R∞ = 1 + ½ − √(¼ + 1) = 0.381966; without absorption a film over ideal black has R =
    Sd/(1 + Sd) (Kubelka 1948)."""
    assert masstone(np.array([0.5]), np.array([1.0])) == pytest.approx([0.381966], abs=1e-6)
    assert absorption_over_scattering(np.array([0.381966])) == pytest.approx([0.5], abs=1e-5)
    for d in (0.5, 2.0, 8.0):
        bare = film(np.zeros(1), np.ones(1), d, np.zeros(1))
        assert bare == pytest.approx([d / (1 + d)], rel=1e-3)


@settings(max_examples=60, deadline=None)
@given(hexes, hidings, hexes, st.floats(0.5, 60), st.integers(2, 6))
def test_half_films_stacked_are_the_whole_film_and_energy_is_never_made(colour, hiding, ground, thickness, pieces):
    p = from_swatch(colour, hiding)
    whole = p.film(thickness, card_reflectance(ground))
    stack = card_reflectance(ground)
    for _ in range(pieces):
        stack = p.film(thickness / pieces, stack)
    assert stack == pytest.approx(whole, abs=1e-9)
    assert (whole > 0).all() and (whole < 1).all()
    between = (
        np.minimum(card_reflectance(ground), p.masstone) - 1e-9,
        np.maximum(card_reflectance(ground), p.masstone) + 1e-9,
    )
    assert (whole >= between[0]).all() and (whole <= between[1]).all(), (
        "a film lies between its ground and its masstone"
    )


def test_many_spots_at_once_are_each_as_one_alone(rng):
    ps = [RACK.find(n).pigment for n in ("Wet Slate", "Lamp Yellow", "Dusk Veil")]
    thickness = rng.uniform(0, 25, (3, 50))
    thickness[1, :5] = 0
    out = coats(np.stack([p.K for p in ps]), np.stack([p.S for p in ps]), thickness, card_reflectance("white"))
    for n in range(50):
        alone = card_reflectance("white")
        for p, d in zip(ps, thickness[:, n], strict=True):
            alone = p.film(d, alone)
        assert out[n] == pytest.approx(alone, abs=2e-4)
    with pytest.raises(SettingError):
        coats(np.ones((2, 36)), np.ones((2, 36)), np.ones((3, 5)), card_reflectance("white"))


@pytest.mark.parametrize("hiding", [0.15, 0.6, 0.9, 0.98])
@pytest.mark.parametrize("colour", ["#f3f3ee", "#8a4b2d", "#223a8f", "#19191b"])
def test_a_paint_hides_as_its_bottle_says(colour, hiding):
    """Contrast ratio of one normal coat as ASTM D2805 and ISO 6504-3 define it: luminance over black by that over
    white."""
    p = from_swatch(colour, hiding, 23)
    assert p.contrast_ratio(23) == pytest.approx(hiding, abs=1e-6)
    over = [colour_of(p.film(23, card_reflectance(c))).L for c in ("black", "white")]
    assert over[0] < over[1]


@settings(max_examples=40, deadline=None)
@given(hexes, hidings)
def test_more_coats_never_hide_less(colour, hiding):
    p = from_swatch(colour, hiding)
    ratios = [contrast_ratio(p.K, p.S, 20.0 * n) for n in range(1, 9)]
    assert (np.diff(ratios) >= -1e-9).all() and ratios[-1] <= 1 + 1e-9


def test_a_drawdown_gives_back_the_paint_it_was_made_of():
    """The two colours of one coat of a known paint, over both cards; then other films of it are predicted. What is
    lost is the rounding of screen colours and the 36 bands' own shape."""
    for colour, hiding in (("#8a4b2d", 0.6), ("#6f93ab", 0.75), ("#d8c79c", 0.5)):
        p = from_swatch(colour, hiding)
        over = [colour_of(p.film(20, card_reflectance(c))).hex for c in ("black", "white")]
        again = from_drawdown(*over, 20)
        for um in (10, 20, 60):
            for ground in ("black", "white", "#7f7f7f"):
                off = delta_e(
                    colour_of(again.film(um, card_reflectance(ground))).lab,
                    colour_of(p.film(um, card_reflectance(ground))).lab,
                )
                assert off < 3.0, (colour, um, ground)


def test_a_drawdown_the_wrong_way_round_is_noticed():
    with pytest.raises(SettingError, match="swapped"):
        from_drawdown("#c08060", "#603020", 20)
    with pytest.raises(SettingError, match="µm"):
        from_drawdown("#603020", "#c08060", 0)


@pytest.mark.parametrize("hiding", [0, 1, 1.2, -0.5, float("nan")])
def test_hiding_nothing_or_everything_is_refused(hiding):
    with pytest.raises(SettingError, match="contrast ratio"):
        from_swatch("#8a4b2d", hiding)


def test_a_little_black_drags_white_down_a_long_way():
    """Titanium-type white and carbon-type black. From memory, bench experience of a dense black: 1 % is seen at once,
    and half and half lands between L* 35 and 55."""
    white, one, half = (Mix((CHALK, SOOT), parts).colour.L for parts in ((1, 0), (99, 1), (1, 1)))
    by_volume = 0.01 * (white - SOOT.looks.L)
    assert white - one > 4 * by_volume
    assert 35 < half < 55


def test_one_constant_would_have_made_that_mix_far_too_dark():
    """Why every paint has K and S: with K/S alone, 75 % white in black comes out near L* 20 (measured in the
    design)."""
    ratio = 0.75 * absorption_over_scattering(reflectance_from_hex("#f3f3ee")) + 0.25 * absorption_over_scattering(
        reflectance_from_hex("#19191b")
    )
    assert colour_of(masstone(ratio, np.ones(36))).L < 30
    assert Mix((CHALK, SOOT), (3, 1)).colour.L > 50


def test_yellow_and_blue_make_green_not_grey():
    """Common practice."""
    green = Mix((YELLOW, RACK.find("Tide Blue")), (3, 1)).colour
    assert green.a < -15 and green.chroma > 25


def test_red_over_black_is_two_values_darker_than_over_white_at_one_coat():
    """Common practice, CP-3: red straight over black ends very dark."""
    dark, light = (
        colour_of(RED.pigment.film(RED.of("coat_um"), card_reflectance(c))).value for c in ("black", "white")
    )
    assert light - dark > 2


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(hexes, hidings, st.integers(1, 6)), min_size=2, max_size=4), st.randoms())
def test_the_order_of_mixing_does_not_matter(told, shuffle):
    ps = [(from_swatch(c, h), n) for c, h, n in told]
    first = mixed(*zip(*ps, strict=True)).masstone
    shuffle.shuffle(ps)
    assert mixed(*zip(*ps, strict=True)).masstone == pytest.approx(first, abs=1e-9)
    pair = mixed([ps[0][0], ps[1][0]], [ps[0][1], ps[1][1]])
    by_two = mixed([pair, *[p for p, _ in ps[2:]]], [ps[0][1] + ps[1][1], *[n for _, n in ps[2:]]])
    assert by_two.masstone == pytest.approx(first, abs=1e-9)


@settings(max_examples=60, deadline=None)
@given(hexes, hidings, st.integers(1, 7))
def test_adding_white_never_darkens(colour, hiding, parts):
    p = paint(colour, hiding)
    if p.looks.value < CHALK.looks.value:
        lighter = [Mix((p, CHALK), (8 - k, k)).colour.value for k in range(parts + 1)]
        assert (np.diff(lighter) >= -1e-6).all()


def test_a_mix_of_nothing_and_of_varnish_is_refused():
    for parts in ((0, 0), (-1, 2)):
        with pytest.raises(SettingError, match="part"):
            Mix((SOOT, CHALK), parts)
    with pytest.raises(SettingError, match="varnish"):
        Mix((SOOT, RACK.find("Dust Varnish")), (1, 1))
    with pytest.raises(SettingError):
        mixed([], [])


def test_the_skin_of_a_film_is_taken_off_and_put_on_again():
    """Saunderson (1942), with his usual constants 0.04 and 0.6: a perfect inside gives a perfect outside, and black
    shows the 4 % of its surface."""
    inside = np.array([0.0, 0.2, 0.7, 1.0])
    outside = above_the_skin(inside)
    assert below_the_skin(outside) == pytest.approx(inside, abs=1e-12)
    assert outside[0] == pytest.approx(0.04) and outside[-1] == pytest.approx(1.0)
    p = from_swatch("#8a4b2d", 0.9, skin=True)
    assert isinstance(p, Pigment)
    assert above_the_skin(p.masstone) == pytest.approx(reflectance_from_hex("#8a4b2d"), abs=0.015)
