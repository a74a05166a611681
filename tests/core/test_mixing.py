"""Ladders, matches, coats, primers, glazes, thinning and amounts."""

import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.adding import grown
from dusk_lamp.core.paint.colour import (
    Colour,
    colour_of,
    colour_of_hex,
    cones,
    delta_e,
    encoded,
    from_cones,
    lab,
    xyz,
)
from dusk_lamp.core.paint.cost import amount, drops_for, shopping
from dusk_lamp.core.paint.film import card_reflectance, film, masstone
from dusk_lamp.core.paint.glaze import USUAL_SKETCH, glaze, thinning_for
from dusk_lamp.core.paint.hiding import WishedColour, choose_primer, coats_over, underpaint_for
from dusk_lamp.core.paint.ladder import customary, ladder, ladder_unevenness
from dusk_lamp.core.paint.mix import EARNS, MOST_PARTS, Mix, compositions, match, neat_pot, only
from dusk_lamp.core.paint.rack import Paint, paint_written
from dusk_lamp.core.paint.swatch import patch, swatch_of
from dusk_lamp.core.paint.thin import JOBS, Airbrush, warnings
from dusk_lamp.core.units import kpa, psi_words

from ..shapes import RACK

SOOT, GULL, CHALK, YELLOW = (RACK.find(n) for n in ("Soot", "Gull", "Chalk", "Lamp Yellow"))
SKETCH = [1.5, 3.5, 5.5, 7.5, 9.5]


# --- ladders


@pytest.mark.parametrize("steps", [3, 5, 7, 9])
@pytest.mark.parametrize("middle", [None, GULL])
def test_a_ladder_climbs_evenly_in_small_whole_parts(steps, middle):
    rungs = ladder(SOOT, CHALK, middle, steps)
    values = [r.mix.colour.value for r in rungs]
    assert (
        (np.diff(values) > 0).all()
        and rungs[0].mix.counted() == {"Soot": 1}
        and rungs[-1].mix.counted() == {"Chalk": 1}
    )
    assert all(sum(r.mix.counted().values()) <= MOST_PARTS for r in rungs)
    # with at most eight parts, and no middle, the darkest steps cannot be told apart more finely
    assert ladder_unevenness(rungs) < (0.35 if middle or steps < 7 else 1.3)
    assert [r.error for r in rungs] == pytest.approx(values - np.linspace(values[0], values[-1], steps), abs=1e-6)


def test_equal_parts_are_not_equal_steps():
    """Common practice: black plus white by volume is not linear."""
    half = Mix((SOOT, CHALK), (1, 1)).colour.value
    middle = (SOOT.looks.value + CHALK.looks.value) / 2
    assert half < middle - 0.3
    assert ladder_unevenness(ladder(SOOT, CHALK, GULL, 5)) < ladder_unevenness(
        customary(SOOT, GULL, CHALK, "three paints, five steps")
    )


def test_the_customary_ladders_are_mixed_as_painters_mix_them():
    """Common practice, CP-21 and CP-22."""
    told = [s.mix.counted() for s in customary(SOOT, GULL, CHALK, "three paints, five steps")]
    assert told == [{"Soot": 1}, {"Soot": 1, "Gull": 1}, {"Gull": 1}, {"Gull": 1, "Chalk": 1}, {"Chalk": 1}]
    steel = [s.mix.counted() for s in customary(SOOT, GULL, CHALK, "painted steel")]
    assert steel[1] == {"Soot": 1, "Gull": 2} and steel[-1] == {"Gull": 1, "Chalk": 2}


def test_more_steps_make_a_finer_gradient():
    """Common practice, CP-23."""
    widest = [np.diff([r.mix.colour.value for r in ladder(SOOT, CHALK, GULL, n)]).max() for n in (3, 5, 8)]
    assert widest[0] > widest[1] > widest[2]


def test_wanted_values_are_met_and_impossible_ladders_refused():
    rungs = ladder(SOOT, CHALK, GULL, wanted=[2.0, 5.0, 8.0])
    assert [r.mix.colour.value for r in rungs] == pytest.approx([2, 5, 8], abs=0.25)
    with pytest.raises(SettingError, match="swap them"):
        ladder(CHALK, SOOT)
    for n in (1, 13):
        with pytest.raises(SettingError):
            ladder(SOOT, CHALK, None, n)


# --- matching


def test_all_small_mixes_and_only_those_are_tried():
    two = compositions(2)
    assert [1, 1] in two.tolist() and [2, 2] not in two.tolist() and [1, 7] in two.tolist()
    assert compositions(3).sum(axis=1).max() == MOST_PARTS and len(compositions(1)) == 1


def test_a_mix_of_owned_paints_is_found_again():
    hidden = Mix((RACK.find("Reed"), RACK.find("Plum Quay")), (5, 2))
    best = match(hidden.colour, RACK.mixable())[0]
    assert best.delta_e < 0.3
    exact = delta_e(best.mix.colour.lab, hidden.colour.lab)
    assert best.delta_e == pytest.approx(float(exact), abs=0.02)


def test_a_paint_on_the_rack_matches_itself_alone():
    best = match(RACK.find("Heron").looks, RACK.mixable())[0]
    assert best.mix.counted() == {"Heron": 1} and best.delta_e < 0.05


def test_nothing_nearer_is_overlooked():
    """Every pair in up to five parts, one by one."""
    paints = [RACK.find(n) for n in ("Soot", "Chalk", "Harbour Red", "Marigold", "Tide Blue", "Reed")]
    wanted = colour_of_hex("#6f7a62")
    best = match(wanted, paints, most=2, parts=5)[0]
    by_hand = min(
        float(delta_e(Mix((a, b), (int(m), int(n))).colour.lab, wanted.lab))
        for i, a in enumerate(paints)
        for b in paints[i + 1 :]
        for m, n in compositions(2, 5)
    )
    assert best.delta_e == pytest.approx(by_hand, abs=0.11)


def test_a_further_pot_earns_its_place():
    """Common practice, CP-21: nobody opens a third pot for what is not seen side by side (about ΔE00 1)."""
    rng = np.random.default_rng(3)
    fewer = 0
    for L, a, b in np.column_stack([rng.uniform(25, 80, 5), rng.uniform(-20, 30, (5, 2))]):
        wanted = Colour("#000000", L, a, b, 0.0)
        best = [match(wanted, RACK.mixable(), most)[0] for most in (1, 2, 3)]
        plain, simple = best[2], match(wanted, RACK.mixable(), earns=EARNS)[0]
        pots = len(simple.mix.counted())
        fewer += pots < len(plain.mix.counted())
        assert simple.delta_e <= max(1.0, plain.delta_e) + EARNS * (len(plain.mix.counted()) - pots) + 0.11
        if pots == 3:
            assert best[1].delta_e > simple.delta_e + EARNS - 0.11
        if pots == 2:
            assert best[0].delta_e > max(1.0, simple.delta_e) + EARNS - 0.11
    assert fewer >= 2  # the rule does something


def test_what_cannot_be_mixed_is_said_honestly():
    best = match(colour_of_hex("#00ff00"), RACK.mixable())[0]
    assert best.delta_e > 10
    with pytest.raises(SettingError):
        match(colour_of_hex("#808080"), [])
    with pytest.raises(SettingError):
        match(colour_of_hex("#808080"), RACK.mixable(), 4)


# --- coats


def test_yellow_wants_two_or_three_coats_on_white_and_many_on_black():
    """Common practice, CP-18: yellow needs 2–3 thin coats; CP-3: a bright colour over black needs an undercoat."""
    over = {p: coats_over(only(YELLOW), RACK.find(p).pigment.masstone) for p in ("Chalk Primer", "Pitch Primer")}
    assert 2 <= over["Chalk Primer"].coats <= 3
    assert over["Pitch Primer"].coats > 4
    under = underpaint_for(over["Pitch Primer"], RACK.find("Pitch Primer").pigment.masstone, RACK.mixable())
    assert under.all < over["Pitch Primer"].coats and under.paint.looks.value > 6
    assert underpaint_for(over["Chalk Primer"], RACK.find("Chalk Primer").pigment.masstone, RACK.mixable()) is None


def test_dark_colours_take_fast():
    """Common practice: dark colours take fast; yellow, white and light red struggle."""
    for name in ("Soot", "Deep Channel", "Mud Bank", "Plum Quay"):
        assert coats_over(only(RACK.find(name)), card_reflectance("white")).coats == 1


def test_the_last_coat_is_the_first_that_is_near_enough():
    found = coats_over(only(YELLOW), card_reflectance("black"))
    near, before = (
        delta_e(colour_of(YELLOW.pigment.film(n * 20, card_reflectance("black"))).lab, YELLOW.looks.lab)
        for n in (found.coats, found.coats - 1)
    )
    assert near <= 2 < before
    assert (
        YELLOW.pigment.contrast_ratio(found.hiding_coats * 20)
        >= 0.98
        > YELLOW.pigment.contrast_ratio((found.hiding_coats - 1) * 20)
    )


def test_the_primer_follows_the_colours_that_cover_most():
    """CP-3, common practice: dark schemes over black, bright ones over white."""
    primers = [p for p in RACK if p.kind == "primer"]

    def best(*wishes):
        return choose_primer([WishedColour(n, a, only(RACK.find(n))) for n, a in wishes], primers)[0]

    assert best(("Lamp Yellow", 900), ("Soot", 100)).primer.name == "Chalk Primer"
    assert best(("Ice Rim", 700), ("Harbour Red", 100), ("Marigold", 500)).primer.name != "Pitch Primer"
    dark = best(("Dusk Veil", 800), ("Lamp Yellow", 20))
    assert dark.primer.name == "Pitch Primer"
    assert dark.rows[0]["area_mm2"] == 800 and dark.coats == pytest.approx(
        np.average([r["coats"] for r in dark.rows], weights=[800, 20])
    )
    for wrong in (
        ([], primers),
        ([WishedColour("a", 0, only(SOOT))], primers),
        ([WishedColour("a", 1, only(SOOT))], []),
    ):
        with pytest.raises(SettingError):
            choose_primer(*wrong)


# --- glazes


def test_every_pass_adds_colour_and_takes_range():
    """Common practice, CP-17: every pass adds saturation and opacity; stop before the sketch's values are lost."""
    g = glaze(only(RACK.find("Moss Veil")), SKETCH, 12)
    assert (np.diff(g.left) < 0).all() and (np.diff(g.chroma.mean(axis=1)) > 0).all()
    assert g.left[0] == pytest.approx(1) and g.value[0] == pytest.approx(SKETCH, abs=0.01)
    assert 1 <= g.advised < 12
    assert g.left[g.advised] >= 0.7 > g.left[g.advised + 1]


def test_thinner_glazes_leave_more_passes_and_opaque_paint_is_no_glaze():
    veil = only(RACK.find("Dusk Veil"))
    assert glaze(veil, SKETCH, 12, thinning=8).advised > glaze(veil, SKETCH, 12, thinning=3).advised
    assert glaze(only(RACK.find("Wet Slate")), SKETCH, 6, thinning=1).advised == 0
    assert glaze(veil, SKETCH, 12, keep=0.5).advised > glaze(veil, SKETCH, 12, keep=0.9).advised


def test_ordinary_paints_glaze_when_they_are_thinned_far_and_some_never_do():
    """CP-17, common practice: an ordinary layer or base paint glazes in 2–3 passes from ten parts to one on."""
    told = {p.name: thinning_for(only(p)) for p in RACK if p.kind in ("layer", "base")}
    glazing = [a for a in told.values() if a.water_to_one is not None]
    assert len(glazing) == len(told) and all(10 <= a.water_to_one <= 30 and 3 <= a.passes <= 5 for a in glazing)
    for name in ("Gull", "Moss Veil", "Lamp Yellow"):
        advice = thinning_for(only(RACK.find(name)), 0.7)
        after = glaze(only(RACK.find(name)), USUAL_SKETCH, advice.passes + 1, advice.water_to_one, 0.7)
        assert (
            after.left[advice.passes] == pytest.approx(advice.keeps, abs=0.001)
            and advice.keeps >= 0.7 > after.left[-1]
        )
        assert f"{advice.passes} passes" in advice.reason and "drop" in advice.reason
    assert (
        thinning_for(only(RACK.find("Straw")), 0.8).water_to_one > thinning_for(only(RACK.find("Straw"))).water_to_one
    )
    assert thinning_for(only(RACK.find("Dusk Veil"))).water_to_one < 10, "what is transparent needs less"
    for paint in (p for p in RACK if p.kind in ("glaze", "ink", "wash", "layer")):
        least = thinning_for(only(paint)).water_to_one
        step = 1.0 if paint.kind == "layer" else 0.5  # as it is counted out in drops
        assert least is None or least % step == 0
        if least and least > (10 if paint.kind == "layer" else 0):
            assert glaze(only(paint), USUAL_SKETCH, 5, least - step).advised < 3, "less water would not do"
    white = thinning_for(only(RACK.find("Chalk")))  # covers too much at once: no refusal, but what each pass leaves
    assert white.water_to_one == 30 and white.keeps < 0.7 and "one 8" in white.reason and "Stop when" in white.reason
    for name in ("Tin", "Mud Paste", "Fog Primer"):
        never = thinning_for(only(RACK.find(name)))
        assert never.water_to_one is None and never.passes == 0 and "never glazes" in never.reason


def test_two_thinned_coats_of_a_one_coat_paint_keep_more_of_the_sketch_than_one_from_the_bottle():
    """CP-19, common practice: thinned about 1:1 and put on in two coats over a high-contrast sketch they are smooth;
    the film is the same, so nothing of the sketch is lost by it."""
    flesh = only(RACK.find("Lantern Flesh"))
    thinned, neat = glaze(flesh, SKETCH, 2, thinning=1), glaze(flesh, SKETCH, 1, thinning=0)
    assert thinned.value[2] == pytest.approx(neat.value[1], abs=0.01)
    assert thinned.left[1] > neat.left[1]


@pytest.mark.parametrize(
    "bad",
    [
        {"passes": 0},
        {"passes": 99},
        {"thinning": -1},
        {"keep": 0},
        {"sketch": [5]},
        {"sketch": [5, 5]},
        {"sketch": [0, 12]},
    ],
)
def test_impossible_glazes_are_refused(bad):
    with pytest.raises(SettingError):
        glaze(only(SOOT), **{"sketch": SKETCH, **bad})


# --- thinning, airbrush, amounts


def test_thinning_by_job():
    """Common practice, CP-19 and CP-20."""
    ratio = {job: (t.paint, t.water) for job, t in JOBS.items()}
    assert ratio["base coat"] == (4, 1) and ratio["layer"] == (3, 1) and ratio["fine highlight"] == (1, 1)
    assert ratio["glow tint"] == (1, 1) and ratio["verdigris wash"] == (1, 5) and ratio["metallic"][1] == 0
    assert ratio["one-coat over panels"] == (1, 1)


@pytest.mark.parametrize(
    ("set_to", "kind", "value", "words"),
    [
        (Airbrush(0.4, 30, 150, 0.5), "primer", 1.5, None),  # CP-5
        (Airbrush(0.2, 20, 150, 0.5), "primer", 1.5, "0.4 mm"),
        (Airbrush(0.3, 25, 80, 4), "layer", 9, "spider"),  # CP-8
        (Airbrush(0.3, 30, 45, 2.4), "layer", 4, "spider legs"),  # CP-8: nearer than 5 cm
        (Airbrush(0.3, 25, 60, 2.4), "layer", 4, None),
        (Airbrush(0.2, 10, 150, 1), "layer", 5, "speckle"),  # CP-7
        (Airbrush(0.2, 20, 200, 1), "layer", 5, "speckle"),  # CP-7: the fine nozzle goes further off
        (Airbrush(0.3, 18, 60, 1), "layer", 9, "25 psi"),  # CP-7: white
        (Airbrush(0.2, 15, 60, 1), "ink", 3, "high pressure"),  # CP-8
        (Airbrush(0.3, 30, 80, 1), "layer", 4, "flow improver"),  # CP-7
        (Airbrush(0.2, 22, 40, 1.5), "layer", 4, None),  # CP-7: detail
        (Airbrush(0.5, 20, 15, 1), "layer", 4, "flood"),
    ],
)
def test_the_airbrush_warns_as_real_ones_misbehave(set_to, kind, value, words):
    said = warnings(set_to, kind, value)
    assert not said if words is None else any(words in s for s in said), said


def test_further_coats_hide_more_as_one_film_of_all_of_them():
    """Coats on coats are one film of their thickness (Kubelka 1948): contrast ratio of n coats of a poor hider."""
    yellow = only(RACK.find("Lamp Yellow"))
    found = coats_over(yellow, card_reflectance("black"))
    assert found.coats is None or found.coats > 1
    n = found.coats or 12
    K, S = yellow.pigment.K, yellow.pigment.S
    black, white = (xyz(film(K, S, n * yellow.coat_um, card_reflectance(c)))[1] for c in ("black", "white"))
    assert found.contrast_ratio == pytest.approx(black / white, abs=1e-6)


@pytest.mark.parametrize(
    ("there", "own", "wants"),
    [
        ({"Soot": 1, "Gull": 1}, {"Soot": 1, "Gull": 2}, 4),
        ({"Soot": 2, "Gull": 1}, {"Soot": 1, "Gull": 2}, 9),
        ({"Soot": 3}, {"Soot": 3, "Chalk": 2}, 10),
        ({"Soot": 1, "Gull": 2}, {"Soot": 1, "Gull": 3}, 7),
    ],
)
def test_a_mix_grows_by_whole_drops_into_exactly_what_is_wanted(there, own, wants):
    """CP-21, common practice: counted in drops."""
    taken, added = grown(there, own, wants)
    share = taken / sum(there.values())
    after = {n: there.get(n, 0) * share + added.get(n, 0) for n in own}
    assert all(n >= 1 and n == int(n) for n in added.values()) and sum(after.values()) >= wants
    whole = sum(after.values()) / sum(own.values())
    assert {n: c / whole for n, c in after.items()} == pytest.approx(own)


def test_what_cannot_grow_is_mixed_anew():
    assert grown({"Soot": 1, "Gull": 1}, {"Soot": 1, "Chalk": 1}, 4) is None
    assert grown({"Soot": 1, "Gull": 1}, {"Soot": 1, "Gull": 1}, 4) is None


def test_the_nearest_pot_for_a_colour_is_told_with_how_far_it_is():
    """CIEDE2000; of bases and layers only."""
    pot, off = neat_pot("#1c1b1d", RACK)
    every = [p for p in RACK if p.kind in ("base", "layer")]
    offs = [float(delta_e(p.looks.lab, colour_of_hex("#1c1b1d").lab)) for p in every]
    assert pot is every[int(np.argmin(offs))] and off == pytest.approx(min(offs), abs=1e-6)
    assert neat_pot("#1c1b1d", [p for p in RACK if p.kind == "wash"]) is None


def test_pressure_is_told_in_both_units_and_nonsense_refused():
    """1 psi = 6.894757 kPa (NIST SP 811)."""
    assert kpa(30) == pytest.approx(206.84, abs=0.01) and psi_words(20, 25) == "20–25 psi (138–172 kPa)"
    for bad in ({"needle": 0}, {"psi": 200}, {"distance": 0}, {"water": -1}):
        with pytest.raises(SettingError):
            Airbrush(**bad)


def test_amounts_by_hand():
    """1000 mm² at 20 µm are 20 mm³ dry; at 40 % solids 50 mm³ wet; brushed at 90 % 55.6 mm³ = 0.0556 ml."""
    a = amount(1000, 20, 0.4, 1, "brush", 20)
    assert a.ml == pytest.approx(0.05556, abs=1e-5) and a.drops == pytest.approx(1.11, abs=0.01)
    assert amount(1000, 20, 0.4, 3, "airbrush").ml == pytest.approx(3 * 0.05 / 0.4)
    assert amount(1000, 20, 0.4, tool="can", efficiency=1).ml == pytest.approx(0.05)
    for bad in ({"tool": "sponge"}, {"efficiency": 0}, {"solids": 0}, {"area": -1}):
        with pytest.raises(SettingError):
            amount(**{"area": 1, "film_um": 1, "solids": 0.4, **bad})


def test_drops_keep_the_proportions_and_are_enough():
    assert drops_for({"Soot": 1, "Gull": 2}, 0.01) == {"Soot": 1, "Gull": 2}
    assert drops_for({"Soot": 1, "Gull": 2}, 0.5, 20) == {"Soot": 4, "Gull": 8}
    with pytest.raises(SettingError):
        drops_for({}, 1)


def test_the_shopping_list_holds_what_is_low():
    paints = [Paint("A", stock_ml=1), Paint("B", stock_ml=9), Paint("C", "ink", stock_ml=3)]
    assert [row["name"] for row in shopping(paints)] == ["C", "A"]


def test_paints_are_written_as_masstone_at_hiding():
    p = paint_written("#8A4B2D@0,95")
    assert p.colour == "#8a4b2d" and p.hides == 0.95 and paint_written("#8a4b2d").hides == 0.98


# --- a swatch photographed beside a grey card


def photo(swatch, card, light=(1.0, 1.0, 1.0)):
    """A photo 200 × 100: a grey card on the left half, a swatch on the right, both as linear light (3,) under a
    light."""
    pixels = np.empty((100, 200, 3))
    pixels[:, :100], pixels[:, 100:] = encoded(np.multiply(card, light)), encoded(np.multiply(swatch, light))
    return pixels


def test_a_grey_card_takes_the_lights_own_colour_out_of_a_photo():
    """An 18 % card, as photographers use: under any light the swatch comes out as in daylight."""
    own = np.array([0.30, 0.12, 0.05])
    plain = swatch_of(photo(own, (0.18,) * 3), (0.75, 0.5))
    for light in ((1, 1, 1), (1.4, 1.0, 0.5), (0.5, 0.6, 0.9)):
        seen, card = (from_cones(cones(np.array(c)) * light) for c in (own, (0.18,) * 3))  # as the eye's receptors
        found = swatch_of(photo(seen, card), (0.75, 0.5), (0.25, 0.5))
        assert found.hex == plain.hex and not found.clipped
    assert plain.hex == "#{:02x}{:02x}{:02x}".format(*np.round(encoded(own) * 255).astype(int))
    assert swatch_of(photo((0.9,) * 3, (0.1,) * 3), (0.75, 0.5), (0.25, 0.5)).clipped


def test_a_card_in_the_dark_or_burnt_out_and_spots_beside_the_photo_are_refused():
    for bad in ((0.001,) * 3, (0.999,) * 3, (0.5, 0.001, 0.5)):
        with pytest.raises(SettingError, match="grey card"):
            swatch_of(photo((0.3,) * 3, bad), (0.75, 0.5), (0.25, 0.5))
    for at in ((1.2, 0.5), (0.5, -0.1)):
        with pytest.raises(SettingError, match="beside"):
            swatch_of(photo((0.3,) * 3, (0.2,) * 3), at)


def test_a_patch_is_read_evenly_round_its_spot():
    """Over a slope of light the mean of a patch is that of its middle, also beside the rim of the photo."""
    slope = np.repeat(np.linspace(0.1, 0.9, 401)[None, :, None], 101, axis=0).repeat(3, axis=2)
    for x in (0.25, 0.5, 0.8):
        assert patch(encoded(slope), (x, 0.5))[0] == pytest.approx(0.1 + 0.8 * x, abs=0.004)
    tall = np.swapaxes(slope, 0, 1)
    for y in (0.25, 0.8):
        assert patch(encoded(tall), (0.5, y))[0] == pytest.approx(0.1 + 0.8 * y, abs=0.004)


def test_ladders_have_five_steps_unless_asked_otherwise_and_glazes_twenty_passes_at_most():
    dark, light = (RACK.find(n) for n in ("Soot", "Chalk"))
    assert len(ladder(dark, light)) == 5 and len(ladder(dark, light, steps=7)) == 7
    assert len(glaze(only(RACK.find("Moss Veil")), (2, 8), passes=20).left) == 21
    with pytest.raises(SettingError):
        glaze(only(RACK.find("Moss Veil")), (2, 8), passes=21)


def test_of_a_rack_too_large_to_search_the_likeliest_paints_find_what_a_full_search_finds():
    """Against every pair of 150 invented paints in every ratio, reckoned here one by one in float64."""
    rng = np.random.default_rng(5)
    many = [
        Paint(
            f"P{k}", colour="#" + bytes(rng.integers(20, 235, 3).tolist()).hex(), hiding=float(rng.uniform(0.5, 0.95))
        )
        for k in range(150)
    ]
    K, S = (np.stack([getattr(p.pigment, name) for p in many]) for name in "KS")
    first, second = np.triu_indices(len(many), 1)
    for wanted in ("#7a5c8f", "#3f6f52", "#c9a06a"):
        full = min(
            float(np.min(delta_e(lab(xyz(masstone(of(K), of(S)))), colour_of_hex(wanted).lab)))
            for m, n in compositions(2)
            for of in [lambda x, m=m, n=n: (m * x[first] + n * x[second]) / (m + n)]
        )
        assert match(colour_of_hex(wanted), many, most=2)[0].delta_e < full + 0.5, wanted
