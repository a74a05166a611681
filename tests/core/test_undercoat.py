"""Schools and the spray fit."""

import numpy as np
import pytest
from scipy.optimize import nnls

from dusk_lamp.cli.undercoat import SCHOOLS as NAMED
from dusk_lamp.core.coat.coat import Coat, usual_coat
from dusk_lamp.core.coat.spray import TRIGGERS, Spray, in_half_seconds
from dusk_lamp.core.coat.technique import techniques
from dusk_lamp.core.errors import SettingError, Stopped
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.film import coats as film_coats
from dusk_lamp.core.paint.mix import only, values_of
from dusk_lamp.core.paint.rack import KINDS, Paint, Rack
from dusk_lamp.core.plan.features.undercoat import spray_fit
from dusk_lamp.core.plan.features.undercoat.pots import pots_from
from dusk_lamp.core.plan.features.undercoat.schools import school_coats, schools
from dusk_lamp.core.plan.features.undercoat.schools.school import Kit, more_dark, primed
from dusk_lamp.core.plan.features.undercoat.spray_fit import (
    HELD_DEGREES,
    MOST_PER_GREY,
    fit,
    linear_step,
    spray_candidates,
)
from dusk_lamp.core.plan.outcome import NEAR, TOO_DARK, TOO_LIGHT, differences, off_target, outcome
from dusk_lamp.core.plan.steps.cautions import DEFER, cautions_for, tags_of
from dusk_lamp.core.plan.steps.step import rig_words, steps_of
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.visibility import Visibility, visibility_of
from dusk_lamp.core.squad.paint import paint_for
from dusk_lamp.core.target.exposure import Exposure, laid_between
from dusk_lamp.core.target.target import target

from ..shapes import RACK

POTS = pots_from(RACK)
LAMP = Lamp(40, 58, 16)


@pytest.fixture(scope="session")
def stage(warden):
    """The warden's site, and its target between the paints there are."""
    site = Site(warden, visibility_of(warden, 64))
    wanted = target(site, Rig(LAMP, 0.22, "overcast", 0.15))
    return site, POTS.span.of(laid_between(wanted.value, Exposure(), 0, 1)).astype(np.float32)


@pytest.fixture(scope="session")
def fitted(stage):
    """The passes over fewer spots, so that a test of them is not a test of patience; found once for all tests."""
    site, wanted = stage
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(spray_fit, "FIT_SAMPLES", 2_000)
        found = fit(site, wanted, LAMP, only(POTS.primer), POTS.greys)
    coats = [primed(only(POTS.primer), "black"), *found.coats]
    return coats, outcome(site, coats, wanted), found


def test_the_schools_are_named_alike_everywhere():
    assert tuple(schools()) == NAMED


@pytest.mark.parametrize("name", [n for n in schools() if n != "primer"])
def test_every_school_lights_the_model_from_the_lamp(stage, name):
    """What the lamp sees squarely ends lighter than what looks away from it, in every school."""
    site, wanted = stage
    coats = school_coats(name, Kit(site.surface, LAMP, POTS))
    result = outcome(site, coats, wanted)
    facing = site.surface.normals @ LAMP.direction
    light, dark = (result.value[site.paintable & m].mean() for m in (facing > 0.8, facing < -0.5))
    assert light > dark + 0.7
    assert len(result.after) == len(coats) and 0 <= result.within <= 1
    steps = steps_of(site, coats, result.films, within=[result.bare, *result.after])
    assert all(s.ml > 0 and s.drops > 0 and s.hand_minutes > 0 and s.cautions for s in steps)
    assert result.bare + sum(s.adds for s in steps) == pytest.approx(result.within), "gains add up to the total"


def test_the_ladder_covers_less_with_every_grey_and_rations_white(stage):
    """CP-16: each lighter step inside the one before; CP-14: the brightest is rationed; CP-12: shadow is not
    black."""
    site, wanted = stage
    surface, paintable = site.surface, site.paintable
    coats = school_coats("ladder", Kit(surface, LAMP, POTS))
    result = outcome(site, coats, wanted)
    covered = [surface.areas[paintable & (film > 0.35 * film.max())].sum() for film in result.films]
    assert (np.diff(covered) <= 0.02 * covered[0]).all() and covered[0] > covered[1] > covered[-1]
    bright = surface.areas[paintable & (result.value > 9)].sum() / surface.areas[paintable].sum()
    assert bright < 0.08
    shadow = paintable & (surface.normals @ LAMP.direction < 0) & (surface.normals[:, 2] > -0.3)
    assert result.value[shadow].mean() > POTS.primer.looks.value + 0.5


def test_primers_go_on_in_three_thin_coats():
    """CP-5, common practice: three thin coats, until nothing but primer shows."""
    coat = primed(only(POTS.primer), "black")
    assert 2 <= coat.settings.film_um / coat.mix.coat_um <= 3
    assert POTS.primer.pigment.contrast_ratio(coat.settings.film_um) > 0.98


def test_the_fit_beats_every_school_with_few_passes_from_angles_a_hand_can_hold(stage, fitted):
    site, wanted = stage
    coats, result, _ = fitted
    sprays = coats[1:]
    assert 1 <= len(sprays) <= 8
    assert max(sum(c.mix == m for c in sprays) for m in POTS.greys) <= MOST_PER_GREY
    for c in sprays:
        assert c.settings.elevation % HELD_DEGREES == 0 and c.settings.azimuth % HELD_DEGREES == 0
        assert (c.settings.seconds * 2) % 1 == 0
        assert c.settings.seconds >= 3 or c.settings.trigger == min(TRIGGERS), "long enough to be counted"
    values = [c.mix.colour.value for c in sprays]
    assert values == sorted(values), "dark greys first"
    far = max(60.0, round(2.2 * site.surface.size / 5) * 5)
    assert {c.settings.distance for c in sprays} == {far} and spray_fit.MOST_PASSES == 8
    fine = {c.settings.needle for c in sprays if c.mix == POTS.greys[-1]}
    assert fine == {0.2} and {c.settings.needle for c in sprays if c.mix != POTS.greys[-1]} == {0.3}, "CP-7"
    for name in schools():
        other = outcome(site, school_coats(name, Kit(site.surface, LAMP, POTS)), wanted, steps=False)
        assert result.within > other.within, name
    assert result.within > 0.88 and result.mean < 0.3


def test_what_a_fit_promises_is_what_its_coats_come_to(fitted):
    """One band stands for all inside the fit, and few spots for all: the outcome has neither short cut."""
    _, result, found = fitted
    assert found.within == pytest.approx(result.within, abs=0.03)


def test_greys_are_never_mixed_from_primer():
    """It clogs a fine nozzle; common practice, CP-7."""
    for primer in (None, "Fog Primer"):
        greys = pots_from(RACK, 5, primer=primer).greys
        assert all(paint.kind != "primer" for mix in greys for paint in mix.paints)


def test_a_fit_knows_what_is_under_it(stage, monkeypatch):
    """Over a grey primer fewer greys are needed than over black, and the promise is kept there too."""
    site, _ = stage
    fog = pots_from(RACK, 5, primer="Fog Primer")
    wanted = laid_between(target(site, Rig(LAMP)).value, Exposure(), fog.darkest, fog.lightest)
    monkeypatch.setattr(spray_fit, "FIT_SAMPLES", 600)
    found = fit(site, wanted, LAMP, only(fog.primer), fog.greys, 3)
    result = outcome(site, [primed(only(fog.primer), "grey"), *found.coats], wanted, steps=False)
    assert result.within == pytest.approx(found.within, abs=0.06)


def test_the_fit_is_the_same_every_time_and_can_be_stopped(stage, monkeypatch):
    site, wanted = stage
    monkeypatch.setattr(spray_fit, "FIT_SAMPLES", 300)
    first, again = (fit(site, wanted, LAMP, only(POTS.primer), POTS.greys, 3).coats for _ in range(2))
    assert again == first
    with pytest.raises(Stopped):
        fit(site, wanted, LAMP, only(POTS.primer), POTS.greys, stopped=lambda: True)
    with pytest.raises(SettingError):
        fit(site, wanted, LAMP, only(POTS.primer), [])


@pytest.mark.parametrize(("seconds", "trigger"), [(8.0, 1.0), (2.0, 0.5), (0.9, 0.25), (0.3, 0.1), (0.02, 0.1)])
def test_a_short_pass_is_counted_with_the_trigger_drawn_less_far(seconds, trigger):
    """Common practice, CP-7: limit the trigger."""
    asked = Spray(seconds=seconds)
    found = in_half_seconds(asked)
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
    found = spray_candidates(LAMP, 90)
    assert all(-180 <= p.azimuth < 180 and -90 <= p.elevation <= 90 for p in found)
    round_lamp = {(p.azimuth, p.elevation) for p in found if p.way == "stroke"}
    assert {(45, 60), (60, 60), (30, 60), (45, 75), (45, 45), (75, 60), (15, 60)} <= round_lamp
    assert 50 <= len(found) <= 75 and any(p.way == "turn" for p in found)
    assert any(p.way == "stroke" and abs(p.azimuth - 45) < 1 and abs(p.elevation - 60) < 1 for p in found)


def test_too_grey_all_over_is_mended_by_bringing_the_dark_back(stage):
    site, wanted = stage
    surface, paintable = site.surface, site.paintable
    grey = school_coats("ladder", Kit(surface, LAMP, POTS))
    mended = more_dark(grey, Kit(surface, LAMP, POTS))
    before, after = (outcome(site, c, wanted, steps=False).value for c in (grey, mended))
    under = paintable & (surface.normals[:, 2] < -0.5)
    top = paintable & (surface.normals[:, 2] > 0.9)
    assert after[under].mean() < before[under].mean() - 0.2
    assert abs(after[top].mean() - before[top].mean()) < 0.4


def test_a_coloured_zenithal_is_the_ladder_through_one_colour(stage):
    """Common practice, craft school A: the ladder of one colour instead of greys."""
    pots = pots_from(RACK, 5, through="Heather")
    values = [m.colour.value for m in pots.colour]
    assert values == sorted(values) and len(values) == 4
    assert any("Heather" in m.counted() for m in pots.colour)
    assert max(m.colour.chroma for m in pots.colour) > 3 * max(m.colour.chroma for m in pots.greys)
    grey, coloured = (school_coats(n, Kit(stage[0].surface, LAMP, pots)) for n in ("ladder", "coloured"))
    assert [c.by.where_from(c.settings) for c in grey] == [c.by.where_from(c.settings) for c in coloured]
    with pytest.raises(SettingError, match="middle"):
        pots_from(RACK, through="Chalk")


def test_a_lighter_primer_starts_the_ladder_at_its_own_value():
    """CP-3: grey for a neutral, outdoor look; and nothing sprayed light over dark is darker than the primer."""
    fog = pots_from(RACK, 5, primer="Fog Primer")
    assert fog.darkest == pytest.approx(RACK.find("Fog Primer").looks.value)
    assert all(m.colour.value > fog.darkest for m in fog.greys)
    with pytest.raises(SettingError, match="too light"):
        pots_from(RACK, primer="Chalk Primer")


def test_racks_without_what_an_undercoat_needs_are_refused_in_words():
    def without(*names, keep=lambda p: True):
        return Rack([p for p in RACK if p.name not in names and keep(p)])

    with pytest.raises(SettingError, match="white"):
        pots_from(without(keep=lambda p: p.looks.value < 6))
    with pytest.raises(SettingError, match="black"):
        pots_from(without(keep=lambda p: p.looks.value > 5))
    with pytest.raises(SettingError, match="put a black"):
        pots_from(Rack([RACK.find("Harbour Red")]))
    with pytest.raises(SettingError, match="two greys"):
        pots_from(RACK, 1)
    with pytest.raises(SettingError, match="school"):
        school_coats("mud", Kit(None, LAMP, POTS))


def test_a_target_lies_between_the_paints_there_are():
    value = np.array([0.5, 1.5, 5.5, 9.5, 10], np.float32)
    dark, light = POTS.darkest, POTS.lightest
    assert laid_between(value, Exposure(), dark, light) == pytest.approx(
        [dark, dark, (dark + light) / 2, light, light]
    )


def test_the_top_of_a_target_is_what_one_sprayed_coat_of_white_gives():
    """CP-14: the brightest step is rationed, so nobody sprays white until it hides wholly."""
    assert POTS.greys[-2].colour.value < POTS.lightest < POTS.white.looks.value
    assert POTS.lightest > pots_from(RACK, 2).lightest, "over a grey it gets lighter than over black"


def test_differences_are_counted_by_area_and_only_where_a_brush_reaches(warden):
    site = Site(warden)
    wanted = np.zeros(len(warden))
    assert differences(site, wanted + 0.4, wanted) == pytest.approx((0.4, 0.4, 1.0))
    half = warden.points[:, 2] > np.median(warden.points[:, 2])
    mean, _, within = differences(site, np.where(half, 0, 2.0), wanted)
    share = warden.areas[~half].sum() / warden.areas.sum()
    assert mean == pytest.approx(2 * share, rel=1e-3) and within == pytest.approx(1 - share, rel=1e-3)
    seen = Visibility(np.zeros((8, 3), np.float32), half.astype(np.uint8)[:, None], *(np.zeros(0, np.int32),) * 3)
    assert differences(Site(warden, seen), np.where(half, 0, 2.0), wanted)[2] == 1


def test_the_95th_percentile_is_what_a_twentieth_of_the_area_exceeds(warden):
    off = np.linspace(0, 2, len(warden))
    _, p95, _ = differences(Site(warden), off, np.zeros(len(warden)))
    assert warden.areas[off > p95].sum() / warden.areas.sum() == pytest.approx(0.05, abs=0.002)


def test_too_light_is_not_too_dark():
    assert off_target(np.array([5.6, 5.4, 4.6, 4.4]), np.full(4, 5.0)).tolist() == [TOO_LIGHT, NEAR, NEAR, TOO_DARK]


def test_every_kind_of_paint_by_every_technique_has_its_cautions():
    """Craft page section 15: a rule for each; all of them defer to the data sheet."""
    for kind in KINDS:
        if not KINDS[kind].changes_colour:
            continue
        mix = only(Paint("Some", kind, "#804020"))
        for name in techniques():
            said = cautions_for(*tags_of(usual_coat(name, mix)))
            assert len(said) > 1 and said[-1] == DEFER, (kind, name)
    sprayed = " ".join(cautions_for(*tags_of(Coat("spray", only(POTS.white), Spray()))))
    assert "respirator" in sprayed and "lips" not in sprayed
    can = " ".join(cautions_for(*tags_of(Coat("spray", only(POTS.white), Spray(tool="can", distance=370)))))
    assert "warm water" in can and "compressor" not in can
    oil = " ".join(cautions_for(*tags_of(usual_coat("oil wipe", only(Paint("Umber", "oil", "#402010"))))))
    assert "rags" in oil and "gloves" in oil


def test_a_step_says_what_its_coat_is(stage):
    site, _ = stage
    coats = school_coats("shadow-first", Kit(site.surface, LAMP, POTS))
    steps = steps_of(site, coats, [c.film(site) for c in coats], models=5)
    assert [s.number for s in steps] == [1, 2, 3, 4, 5] and steps[1].where_from == "all round, 35° below level"
    assert steps[0].value > steps[1].value, "white first in this school"
    one = steps_of(site, coats, [c.film(site) for c in coats])
    for squad, step, coat in zip(steps, one, coats, strict=True):
        assert squad.all_ml == pytest.approx(5 * step.ml) and sum(squad.drops_of.values()) >= sum(
            step.drops_of.values()
        )
        assert coat.mix.words() in step.title and step.when_to_stop and step.mishap and step.way_out
        if isinstance(coat.settings, Spray):
            assert step.seconds == coat.settings.seconds and f"{step.seconds:g} s" in step.how and "kPa" in step.how
    needed = paint_for([one, one])
    assert sum(n.ml for n in needed) == pytest.approx(2 * sum(s.ml for s in one))


def test_the_light_is_told_in_a_line():
    assert rig_words(Rig(Lamp(0, 90, 0), 0, "uniform", 0)) == "Lamp straight above, hard; no sky."
    assert "60° below level, from the front" in rig_words(Rig(Lamp(0, -60, 0)))
    assert rig_words(Rig(None, 1, "overcast", 0)) == "No lamp; overcast sky 100 %."


def test_the_paints_of_an_undercoat_are_those_a_painter_would_take():
    """From the guild's rack: the darkest primer, a wash for the wash, transparent things for shadows, the lightest
    white."""
    kinds = {name: getattr(POTS, name).kind for name in ("primer", "bright_primer", "wash", "shadow")}
    assert kinds == {"primer": "primer", "bright_primer": "primer", "wash": "wash", "shadow": kinds["shadow"]}
    assert kinds["shadow"] in ("one-coat", "ink")
    primers = [p.looks.value for p in RACK if p.kind == "primer"]
    assert POTS.primer.looks.value == min(primers) and POTS.bright_primer.looks.value == max(primers)
    assert POTS.wash.looks.value == min(p.looks.value for p in RACK if p.kind == "wash")
    assert POTS.white.kind != "primer" and POTS.white.looks.value > 9 and POTS.tint.looks.chroma > 15
    assert POTS.tint.looks.value < 3.2 and 3.5 <= RACK.find(POTS.through).looks.value <= 6.5
    middle = [p for p in RACK if p.kind in ("base", "layer") and 3.5 <= p.looks.value <= 6.5]
    assert RACK.find(POTS.through).looks.chroma == max(p.looks.chroma for p in middle), "the strongest colour"
    bare = pots_from(Rack([p for p in RACK if p.kind in ("base", "layer")]))
    assert bare.wash == bare.shadow and bare.shadow.looks.value < 2 and bare.primer.looks.value < 2, (
        "what there is must do"
    )
    two = [Paint("Grey", "base", "#8f8f8f"), Paint("Tinted", "base", "#8f9088")]
    ends = [RACK.find("Soot"), RACK.find("Chalk")]
    chosen = {n for m in pots_from(Rack([*ends, *two[::-1]])).greys for n in m.counted()}
    assert "Grey" in chosen and "Tinted" not in chosen, "the one with less colour in it"
    assert len(POTS.greys) == 4 and POTS.greys[-1].colour.value == max(m.colour.value for m in POTS.greys)
    gaps = np.diff([POTS.primer.looks.value, *(m.colour.value for m in POTS.greys)])
    assert gaps.min() > 1.2 and gaps.max() < 2.8, "even steps, CP-6"


class TestTheFitsOwnNumbers:
    """Inside the fit: values against the film engine, slopes against differences, what a robust step does."""

    @pytest.fixture
    def problem(self, rng):
        films = rng.random((5, 60)) * 4
        wanted = 2 + 6 * rng.random(60)
        return spray_fit._Problem(films, wanted, np.full(60, 1 / 60), only(POTS.primer), POTS.greys)

    def test_its_values_are_those_of_the_film_engine_but_for_one_band(self, problem):
        seconds = np.zeros((4, 5))
        seconds[0, 1], seconds[3, 2] = 3.0, 1.5
        K, S = (np.stack([getattr(m.pigment, k) for m in POTS.greys]) for k in "KS")
        thick = (problem.solids[:, None] * seconds) @ problem.films
        seen = film_coats(K, S, thick, POTS.primer.pigment.masstone)
        assert problem.band.value(problem.laid(seconds)) == pytest.approx(values_of(seen), abs=0.06)

    def test_its_slopes_are_differences(self, problem, rng):
        seconds = rng.random((4, 5)) + 0.1
        slope = problem.slope(seconds)
        for k in ((0, 0), (1, 3), (3, 4)):
            more, less = seconds.copy(), seconds.copy()
            more[k] += 1e-4
            less[k] -= 1e-4
            assert slope[k] == pytest.approx((problem.loss(more) - problem.loss(less)) / 2e-4, rel=0.02, abs=1e-6)

    def test_moving_lowers_the_loss_and_keeps_to_its_passes(self, problem):
        mask = np.zeros((4, 5), bool)
        mask[1, :3] = True
        start = np.where(mask, 1.0, 0.0)
        moved = problem.moved(start, mask, 60)
        assert problem.loss(moved) < problem.loss(start) - 1e-4 and (moved[~mask] == 0).all() and (moved >= 0).all()

    def test_a_few_spots_that_cannot_be_reached_do_not_drag_the_rest_along(self, rng):
        """Robust squares: most spots want what one pass gives, a tenth wants white that no pass can lay there."""
        films = np.ones((1, 100)) * 3
        reach = spray_fit._Problem(films, np.zeros(100), np.full(100, 0.01), only(POTS.primer), POTS.greys[:1])
        middle = float(reach.band.value(reach.laid(np.array([[2.0]])))[0])
        wanted = np.full(100, middle)
        wanted[:10] = 9.5
        problem = spray_fit._Problem(films, wanted, np.full(100, 0.01), only(POTS.primer), POTS.greys[:1])
        found = problem.least_squares(np.ones((1, 1), bool))
        assert float(problem.band.value(problem.laid(found))[50]) == pytest.approx(middle, abs=0.35)

    def test_few_passes_are_those_that_are_missed_most(self):
        """Two passes that do all the work, six that do next to nothing: the two are kept."""
        films = np.full((8, 90), 1e-3)
        films[2, :45], films[5, 45:] = 3.0, 3.0
        probe = spray_fit._Problem(films, np.zeros(90), np.full(90, 1 / 90), only(POTS.primer), POTS.greys[2:3])
        seconds = np.zeros((1, 8))
        seconds[0, 2], seconds[0, 5] = 2.0, 1.0
        wanted = probe.band.value(probe.laid(seconds))
        problem = spray_fit._Problem(films, wanted, np.full(90, 1 / 90), only(POTS.primer), POTS.greys[2:3])
        kept = spray_fit._few(problem, 4, lambda *_: None)
        assert np.flatnonzero(kept[0]).tolist() == [2, 5] and problem.within(kept) == pytest.approx(1)
        assert kept[0, 2] == pytest.approx(2.0, rel=0.3)
