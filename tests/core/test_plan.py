"""The plan as it reaches the hands: fair schools, touch-ups, own tools, times; against closed forms and facts of the
trade."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import spearmanr

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.spray import Spray
from dusk_lamp.core.coat.stack import appearance
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.value import luminance_from_munsell
from dusk_lamp.core.plan.features.undercoat.pots import LEAST_SPAN, ValueSpan, pots_from
from dusk_lamp.core.plan.features.undercoat.school_fit import best_span, fit_school, light_match, rank_agreement
from dusk_lamp.core.plan.features.undercoat.schools import school_coats, schools
from dusk_lamp.core.plan.features.undercoat.schools.school import Kit, primed
from dusk_lamp.core.plan.features.undercoat.spray_fit import fit
from dusk_lamp.core.plan.features.undercoat.touch_up import touch_ups, with_all
from dusk_lamp.core.plan.outcome import outcome
from dusk_lamp.core.plan.steps.step import steps_of
from dusk_lamp.core.plan.steps.times import times_of
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Site, Where
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.target.exposure import Exposure, laid_between
from dusk_lamp.core.target.target import target
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import RACK

POTS = pots_from(RACK, 5)
LAMP = Lamp(40, 55, 12)


@pytest.fixture(scope="module")
def lit(warden):
    """The warden, and each spot's share of full light."""
    site = Site(warden, visibility_of(warden, 64))
    wanted = target(site, Rig(LAMP, 0.25, "overcast", 0.15))
    return site, laid_between(wanted.value, Exposure(), 0, 1).astype(float)


@pytest.fixture(scope="module")
def laddered(lit):
    site, share = lit
    coats, key = fit_school(site, school_coats("ladder", Kit(site.surface, LAMP, POTS)), share)
    return coats, key, outcome(site, coats, key.of(share))


# --- schools, each in its own key


def test_a_school_that_is_the_light_but_for_its_key_tells_it_wholly(lit):
    """Closed form: an affine change of the light loses nothing, whatever key it is in."""
    site, share = lit
    for dark, light in ((1.0, 9.0), (4.3, 8.1), (6.5, 9.6)):
        found = light_match(site, dark + share * (light - dark), share)
        assert found.within_half == 1 and found.rank_agreement == pytest.approx(1)
        assert (found.span.darkest, found.span.lightest) == pytest.approx((dark, light), abs=0.6)
    flat = light_match(site, np.full(len(site), 5.0), share)
    assert flat.within_half < 0.75 and abs(flat.rank_agreement) < 1e-9, "one flat grey tells no light"
    assert light_match(site, 9 - 8 * share, share).rank_agreement == pytest.approx(-1)


def test_the_order_of_values_is_spearmans_counted_by_area():
    """Against scipy.stats.spearmanr: a spot that counts twice is as good as two spots, and equal values share their
    rank."""
    rng = np.random.default_rng(4)
    a, b, times = rng.integers(0, 9, 80), rng.normal(size=80), rng.integers(1, 4, 80)
    reference = spearmanr(np.repeat(a, times), np.repeat(b, times)).statistic
    assert rank_agreement(a, b, times.astype(float)) == pytest.approx(reference, abs=1e-9)


def test_a_key_is_never_so_narrow_that_a_flat_model_would_do():
    share = np.linspace(0, 1, 400)
    key = best_span(5 + share, share, np.ones(400))
    assert key.lightest - key.darkest >= LEAST_SPAN


@pytest.mark.parametrize("name", list(schools()))
def test_fitted_to_the_light_every_school_tells_it_better_and_stays_itself(lit, name):
    site, share = lit
    usual = school_coats(name, Kit(site.surface, LAMP, POTS))
    coats, key = fit_school(site, usual, share)
    assert [(c.technique, c.mix, c.label) for c in coats] == [(c.technique, c.mix, c.label) for c in usual]
    before = light_match(site, outcome(site, usual, share, steps=False).value, share)
    after = light_match(site, outcome(site, coats, share, steps=False).value, share, key)
    assert after.within_half > before.within_half - 0.02
    assert after.rank_agreement > 0.55 or name == "primer", "the primer tells none"
    for coat in coats:
        if isinstance(coat.settings, Spray):
            assert (coat.settings.seconds * 2) % 1 == 0, "a finger counts half seconds"


def test_amounts_follow_the_size_of_the_sculpt(lit, laddered):
    """A model twice as tall is four times the outline: the nozzle goes further away and stays longer."""
    site, share = lit
    s = site.surface
    large = Site(replace(s, points=2 * s.points, inset=2 * s.inset, areas=4 * s.areas), site.visibility)
    coats, key = fit_school(large, school_coats("ladder", Kit(large.surface, LAMP, POTS)), share)
    spray = [(c.settings.seconds * c.settings.trigger, c.settings.distance) for c in coats[1:]]
    small = [(c.settings.seconds * c.settings.trigger, c.settings.distance) for c in laddered[0][1:]]
    assert sum(s for s, _ in spray) > 2 * sum(s for s, _ in small) and spray[0][1] > 1.5 * small[0][1]
    assert light_match(large, outcome(large, coats, share, steps=False).value, share, key).within_half > 0.75


# --- what the nozzle cannot reach


def test_touch_ups_find_a_planted_error_where_it_is(lit):
    site, share = lit
    wanted = POTS.span.of(share).astype(np.float32)
    back = site.surface.normals[:, 1] > 0.3
    site = site.marked(Marking(back.astype(np.uint8), (Region("Back"),)))
    seen = np.repeat(_greys(wanted)[:, None], 36, axis=1)
    assert touch_ups(site, seen, wanted, POTS) == [], "what is right wants nothing"
    spot = back & (wanted < 3.0) & site.paintable
    assert site.areas[spot].sum() > 0.06 * site.areas.sum()
    seen[spot] = _greys(np.float32([7.0]))
    found = touch_ups(site, seen, wanted, POTS)
    assert found and {(p.region, p.direction) for p in found} == {("Back", "darker")}
    assert sum(p.mm2 for p in found) <= float(site.areas[spot].sum()) * 1.001
    on = np.any([p.coat.where.samples(len(site)) for p in found], axis=0)
    assert not (on & ~spot).any()
    planted = float(site.areas[spot].sum() / site.areas.sum())
    assert planted > 0.07 and planted - sum(p.gains for p in found) < 0.051, "what is left is a twentieth"


def test_touch_ups_bring_a_fit_within_half_a_value_on_nearly_all_of_it(lit):
    site, share = lit
    wanted = POTS.span.of(share).astype(np.float32)
    coats = [
        primed(only(POTS.primer), "black"),
        *fit(site, wanted, LAMP, only(POTS.primer), POTS.greys, most=4).coats,
    ]
    before = outcome(site, coats, wanted, steps=False)
    seen = appearance(list(zip(coats, before.films, strict=True)), len(site))
    patches = touch_ups(site, seen, wanted, POTS, Tools(brushes=(0.8, 3.0)))
    after = outcome(site, with_all(coats, patches), wanted, steps=False)
    assert before.within < 0.93 and after.within >= 0.95
    assert after.within - before.within == pytest.approx(sum(p.gains for p in patches), abs=0.01)
    assert len(patches) <= 16 and {p.brush for p in patches} <= {0.8, 3.0}
    fewer = outcome(site, with_all(coats, patches[1:]), wanted, steps=False)
    assert before.within < fewer.within < after.within, "each can be taken or left"


def _greys(value):
    return (luminance_from_munsell(value) / 100).astype(np.float32)


# --- own tools


def test_only_what_is_owned_is_proposed(lit):
    """Who has no airbrush primes by can or brush, and takes the two-tone by can, the drybrush sketch or oils. Common
    practice, craft page 5."""
    surface = lit[0].surface
    can, brushes = Tools(airbrush=False), Tools(airbrush=False, can=False)
    assert [n for n, s in schools().items() if not can.lack(*s.needs)] == ["twotone", "drybrush", "oils", "primer"]
    assert [n for n, s in schools().items() if not brushes.lack(*s.needs)] == ["drybrush", "oils", "primer"]
    assert "airbrush" in brushes.lack("airbrush")
    sprayed = school_coats("twotone", Kit(surface, LAMP, POTS, can))
    assert [c.settings.tool for c in sprayed] == ["can", "can"] and sprayed[1].settings.distance == 370, "CP-4"
    assert {c.by.tool(c.settings) for c in school_coats("drybrush", Kit(surface, LAMP, POTS, brushes))} == {"brush"}
    with pytest.raises(SettingError, match="airbrush"):
        school_coats("ladder", Kit(surface, LAMP, POTS, can))
    one = Tools(needles=(0.3,), highest_psi=20)
    coats = school_coats("ladder", Kit(surface, LAMP, POTS, one))
    assert {(c.settings.needle, c.settings.psi) for c in coats[1:]} == {(0.3, 20.0)} and coats[
        0
    ].settings.tool == "can"
    fine = [c.settings.needle for c in school_coats("ladder", Kit(surface, LAMP, POTS))[1:]]
    assert fine == [0.3, 0.3, 0.3, 0.2], "the last white wants the 0.2 mm needle, CP-7"
    for bad in ({"needles": (0.7,)}, {"brushes": (0.0,)}, {"varnishes": ("shiny",)}, {"drops_per_ml": 0}):
        with pytest.raises(SettingError):
            Tools(**bad)


# --- times


def _steps(lit, laddered, models, tools=None):
    return steps_of(lit[0], laddered[0], laddered[2].films, tools or Tools(), models)


def test_a_box_of_ten_is_sprayed_in_an_hour_and_a_quarter(lit, laddered):
    """CP-29, common practice: the zenithal of about ten models takes 75 min; they were primed before."""
    ten = times_of(_steps(lit, laddered, 10)[1:], 10)
    assert ten.whole == pytest.approx(75, rel=0.15) and ten.wait == 0, "while one dries the others are sprayed"
    one = times_of(_steps(lit, laddered, 1)[1:], 1)
    assert (
        one.hand == pytest.approx(ten.hand / 10) and one.set_up == ten.set_up and one.cups == ten.cups == 3
    )  # CP-34: one grey grows from the rest of another
    assert one.wait > 0 and times_of(_steps(lit, laddered, 1, Tools(dryer=True))[1:], 1).wait < one.wait


def test_one_infantry_model_takes_about_two_hours(lit, laddered):
    """CP-28, common practice: with an airbrush start about 2 h in all, of which 20–30 min is the face; a dryer at
    hand. The model is the guild's hero at the size of one of its squad, 29 mm."""
    s, small = lit[0].surface, 29 / 40
    site = Site(
        replace(s, points=small * s.points, inset=small * s.inset, areas=small**2 * s.areas), lit[0].visibility
    )
    height = site.surface.points[:, 2]
    fifths = np.minimum(4, (5 * (height - height.min()) / np.ptp(height)).astype(int)) + 1
    site = site.marked(Marking(fifths.astype(np.uint8), tuple(Region(f"Fifth {k}") for k in range(1, 6))))
    base, light = only(RACK.find("Cockle Red")), only(RACK.find("Ember"))
    by_region = [
        replace(usual_coat("brush", mix), where=Where("region", k))
        for mix in (base, base, light)
        for k in range(1, 6)
    ]
    coats = [*laddered[0], *by_region[:10], usual_coat("wash", only(POTS.wash)), *by_region[10:]]
    steps = steps_of(site, coats, [c.film(site) for c in coats], Tools(dryer=True))
    face = 25
    assert times_of(steps).whole + face == pytest.approx(120, rel=0.15)


def test_what_comes_from_one_cup_is_set_up_and_cleaned_once(lit, laddered):
    site = lit[0]
    twice = [laddered[0][0], laddered[0][1], laddered[0][1], laddered[0][-1]]
    films = [c.film(site) for c in twice]
    steps = steps_of(site, twice, films)
    assert [s.set_up_minutes > 0 for s in steps] == [True, True, False, True]
    assert [s.clean_minutes > 0 for s in steps] == [True, False, True, True]
    assert [
        s.set_up_minutes > 0 for s in steps_of(site, [replace(c, muted=k == 1) for k, c in enumerate(twice)], films)
    ][2]


def test_a_key_goes_both_ways():
    key = ValueSpan(2, 8)
    assert key.of(np.array([0, 0.5, 1])).tolist() == [2, 5, 8] and key.share(key.of(np.array([0.25])))[0] == 0.25
