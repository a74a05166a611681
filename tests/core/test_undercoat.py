"""Schools and the spray fit."""

from importlib.resources import files

import numpy as np
import pytest
from scipy.optimize import nnls

from dusk_lamp.cli_undercoat import SCHOOLS as NAMED
from dusk_lamp.core.coat.spray import Spray
from dusk_lamp.core.errors import SettingError, Stopped
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig, light_on
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.rack import Rack, rack_from_csv
from dusk_lamp.core.plan import spray_fit
from dusk_lamp.core.plan.spray_fit import HELD_DEGREES, MOST_PER_GREY, candidates, fit, linear_step
from dusk_lamp.core.plan.target import Exposure, target_value
from dusk_lamp.core.plan.undercoat import (
    SCHOOLS,
    TRIGGERS,
    counted,
    differences,
    more_dark,
    outcome,
    paint_target,
    primed,
    school,
    tins_from,
    told,
)
from dusk_lamp.core.sculpt.outlook import look_out
from dusk_lamp.core.sculpt.relief import Relief, cavity, exposed
from dusk_lamp.core.sculpt.site import Site

RACK = rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())
TINS = tins_from(RACK)
LAMP = Lamp(40, 58, 16)


@pytest.fixture(scope="module")
def stage(warden):
    """The warden lit, its target between the paints there are, and what a brush feels of it."""
    site = Site(warden, look_out(warden, 64))
    rig = Rig(LAMP, 0.22, "overcast", 0.15)
    value = target_value(light_on(site, rig).total, Exposure(), rig.full)
    target = paint_target(value, TINS, 1.5, 9.5)
    return warden, target, site.paintable, Relief(cavity(warden), exposed(warden))


@pytest.fixture(scope="module", autouse=True)
def few_samples():
    """A fit over fewer spots, so that a test of it is not a test of patience."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(spray_fit, "FIT_SAMPLES", 2_000)
        yield


@pytest.fixture(scope="module")
def fitted(stage):
    surface, target, paintable, relief = stage
    found = fit(surface, target, paintable, LAMP, only(TINS.primer), TINS.greys)
    coats = [primed(only(TINS.primer), "black"), *found.coats]
    return coats, outcome(surface, coats, target, paintable, relief)


def test_the_schools_are_named_alike_everywhere():
    assert tuple(SCHOOLS) == NAMED


@pytest.mark.parametrize("name", list(SCHOOLS))
def test_every_school_lights_the_model_from_the_lamp(stage, name):
    """What the lamp sees squarely ends lighter than what looks away from it, in every school."""
    surface, target, paintable, relief = stage
    coats = school(name, surface, LAMP, TINS)
    result = outcome(surface, coats, target, paintable, relief)
    facing = surface.normals @ LAMP.direction
    light, dark = (result.value[paintable & m].mean() for m in (facing > 0.8, facing < -0.5))
    assert light > dark + 0.7
    assert len(result.after) == len(coats) and 0 <= result.within <= 1
    rows = told(surface, coats, result.films, paintable)
    assert all(r["ml"] > 0 and r["drops"] > 0 and r["minutes"] > 0 for r in rows)


def test_the_ladder_covers_less_with_every_grey_and_rations_white(stage):
    """CP-16: each lighter step inside the one before; CP-14: the brightest is rationed; CP-12: shadow is not black."""
    surface, target, paintable, relief = stage
    coats = school("ladder", surface, LAMP, TINS)
    result = outcome(surface, coats, target, paintable, relief)
    covered = [surface.areas[paintable & (film > 0.35 * film.max())].sum() for film in result.films]
    assert (np.diff(covered) <= 0.02 * covered[0]).all() and covered[0] > covered[1] > covered[-1]
    bright = surface.areas[paintable & (result.value > 9)].sum() / surface.areas[paintable].sum()
    assert bright < 0.08
    shadow = paintable & (surface.normals @ LAMP.direction < 0) & (surface.normals[:, 2] > -0.3)
    assert result.value[shadow].mean() > TINS.primer.looks.value + 0.5


def test_primers_go_on_in_three_thin_coats():
    """CP-5, common practice: three thin coats, until nothing but primer shows."""
    coat = primed(only(TINS.primer), "black")
    assert 2 <= coat.amount / coat.mix.coat_um <= 3
    assert TINS.primer.pigment.contrast_ratio(coat.amount) > 0.98


def test_the_fit_beats_every_school_with_few_passes_from_angles_a_hand_can_hold(stage, fitted):
    surface, target, paintable, relief = stage
    coats, result = fitted
    sprays = coats[1:]
    assert 1 <= len(sprays) <= 8
    assert max(sum(c.mix == m for c in sprays) for m in TINS.greys) <= MOST_PER_GREY
    for c in sprays:
        assert c.pass_.elevation % HELD_DEGREES == 0 and c.pass_.azimuth % HELD_DEGREES == 0
        assert (c.pass_.seconds * 2) % 1 == 0
        assert c.pass_.seconds >= 3 or c.pass_.trigger == min(TRIGGERS), "long enough to be counted"
    values = [c.mix.colour.value for c in sprays]
    assert values == sorted(values), "dark greys first"
    for name in SCHOOLS:
        other = outcome(surface, school(name, surface, LAMP, TINS), target, paintable, relief, steps=False)
        assert result.within > other.within, name
    assert result.within > 0.83 and result.mean < 0.35


def test_the_fit_is_the_same_every_time_and_can_be_stopped(stage, fitted):
    surface, target, paintable, _ = stage
    again = fit(surface, target, paintable, LAMP, only(TINS.primer), TINS.greys)
    assert again.coats == fitted[0][1:]
    with pytest.raises(Stopped):
        fit(surface, target, paintable, LAMP, only(TINS.primer), TINS.greys, stopped=lambda: True)
    with pytest.raises(SettingError):
        fit(surface, target, paintable, LAMP, only(TINS.primer), [])


@pytest.mark.parametrize(("seconds", "trigger"), [(8.0, 1.0), (2.0, 0.5), (0.9, 0.25), (0.3, 0.1), (0.02, 0.1)])
def test_a_short_pass_is_counted_with_the_trigger_drawn_less_far(seconds, trigger):
    """Common practice, CP-7: limit the trigger."""
    asked = Spray(seconds=seconds)
    found = counted(asked)
    assert found.trigger == trigger and (2 * found.seconds) % 1 == 0
    assert abs(found.wet_ml - asked.wet_ml) <= 0.5 * trigger * Spray(seconds=0.5).wet_ml or found.seconds == 0.5


def test_the_linear_step_is_that_of_scipys_nnls(rng):
    """On the same weighted problem; ours goes through the small normal equations."""
    J = rng.random((12, 400)) * (rng.random((12, 1)) + 0.1)
    goal, weight = rng.normal(1, 1, 400), rng.random(400)
    ours = linear_step(J, goal, weight)
    theirs = nnls((J * np.sqrt(weight)).T, goal * np.sqrt(weight))[0]
    assert (ours >= 0).all() and ours == pytest.approx(theirs, abs=0.01 * theirs.max())


def test_candidates_are_about_sixty_and_hold_the_lamps_own_direction():
    found = candidates(LAMP, 90)
    assert 50 <= len(found) <= 75 and any(p.way == "turn" for p in found)
    assert any(p.way == "stroke" and abs(p.azimuth - 45) < 1 and abs(p.elevation - 60) < 1 for p in found)


def test_too_grey_all_over_is_mended_by_bringing_the_dark_back(stage):
    surface, target, paintable, relief = stage
    grey = school("ladder", surface, LAMP, TINS)
    mended = more_dark(grey, TINS, surface, LAMP)
    before, after = (outcome(surface, c, target, paintable, relief, steps=False).value for c in (grey, mended))
    under = paintable & (surface.normals[:, 2] < -0.5)
    top = paintable & (surface.normals[:, 2] > 0.9)
    assert after[under].mean() < before[under].mean() - 0.2
    assert abs(after[top].mean() - before[top].mean()) < 0.4


def test_a_coloured_zenithal_is_the_ladder_through_one_colour(stage):
    """Common practice, craft school A: the ladder of one colour instead of greys."""
    tins = tins_from(RACK, 5, through="Heather")
    values = [m.colour.value for m in tins.colour]
    assert values == sorted(values) and len(values) == 4
    assert any("Heather" in m.counted() for m in tins.colour)
    assert max(m.colour.chroma for m in tins.colour) > 3 * max(m.colour.chroma for m in tins.greys)
    grey, coloured = (school(n, stage[0], LAMP, tins) for n in ("ladder", "coloured"))
    assert [c.pass_ and c.pass_.azimuth for c in grey] == [c.pass_ and c.pass_.azimuth for c in coloured]
    with pytest.raises(SettingError, match="middle"):
        tins_from(RACK, through="Chalk")


def test_a_lighter_primer_starts_the_ladder_at_its_own_value():
    """CP-3: grey for a neutral, outdoor look; and nothing sprayed light over dark is darker than the primer."""
    fog = tins_from(RACK, 5, primer="Fog Primer")
    assert fog.darkest == pytest.approx(RACK.find("Fog Primer").looks.value)
    assert all(m.colour.value > fog.darkest for m in fog.greys)
    with pytest.raises(SettingError, match="too light"):
        tins_from(RACK, primer="Chalk Primer")


def test_racks_without_what_an_undercoat_needs_are_refused_in_words():
    def without(*names, keep=lambda p: True):
        return Rack([p for p in RACK if p.name not in names and keep(p)])

    with pytest.raises(SettingError, match="white"):
        tins_from(without(keep=lambda p: p.looks.value < 6))
    with pytest.raises(SettingError, match="black"):
        tins_from(without(keep=lambda p: p.looks.value > 5))
    with pytest.raises(SettingError, match="put a black"):
        tins_from(Rack([RACK.find("Signal Red")]))
    with pytest.raises(SettingError, match="two greys"):
        tins_from(RACK, 1)
    with pytest.raises(SettingError, match="school"):
        school("mud", None, LAMP, TINS)


def test_a_target_lies_between_the_paints_there_are():
    value = np.array([0.5, 1.5, 5.5, 9.5, 10], np.float32)
    dark, light = TINS.darkest, TINS.lightest
    assert paint_target(value, TINS, 1.5, 9.5) == pytest.approx([dark, dark, (dark + light) / 2, light, light])


def test_the_top_of_a_target_is_what_one_sprayed_coat_of_white_gives():
    """CP-14: the brightest step is rationed, so nobody sprays white until it hides wholly."""
    assert TINS.greys[-2].colour.value < TINS.lightest < TINS.white.looks.value
    assert TINS.lightest > tins_from(RACK, 2).lightest, "over a grey it gets lighter than over black"


def test_differences_are_counted_by_area_and_only_where_a_brush_reaches(warden):
    everything = np.ones(len(warden), bool)
    target = np.zeros(len(warden))
    assert differences(warden, target + 0.4, target, everything) == pytest.approx((0.4, 0.4, 1.0))
    half = warden.points[:, 2] > np.median(warden.points[:, 2])
    mean, _, within = differences(warden, np.where(half, 0, 2.0), target, everything)
    share = warden.areas[~half].sum() / warden.areas.sum()
    assert mean == pytest.approx(2 * share, rel=1e-3) and within == pytest.approx(1 - share, rel=1e-3)
    assert differences(warden, np.where(half, 0, 2.0), target, half)[2] == 1
