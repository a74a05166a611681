"""Coats: sprays against closed forms and mass balance, brushes on ridges and grooves, facts of the trade."""

import json
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.brush import Even
from dusk_lamp.core.coat.coat import Coat, coat_from, usual_coat
from dusk_lamp.core.coat.drybrush import Strokes
from dusk_lamp.core.coat.oil import Wipe
from dusk_lamp.core.coat.sponge import Dabs
from dusk_lamp.core.coat.spray import STICKS, Spray, roughly, spray, spray_troubles
from dusk_lamp.core.coat.stack import appearance, looks
from dusk_lamp.core.coat.technique import technique, techniques
from dusk_lamp.core.coat.wash import POSES, WashSettings
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.film import card_reflectance
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.plain import plain
from dusk_lamp.core.plan.steps.step import step_of
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.relief import Relief, cavity, relief_of
from dusk_lamp.core.sculpt.site import Site, Where
from dusk_lamp.core.sculpt.surface import as_is_surface, working_surface
from dusk_lamp.core.sculpt.visibility import visibility_of

from ..shapes import RACK, ball, block_with_a_slot, mesh_of, plate, surface_of, together

CHALK, SOOT = (only(RACK.find(n)) for n in ("Chalk", "Soot"))
BARE = {"way": "burst", "drift": 0.0}
# a large level card, its middle at the origin; the nozzle is straight above
CARD = surface_of(plate(-60, 60, -60, 60, cells=120))
MIDDLE = int(np.argmin(np.linalg.norm(CARD.points, axis=1)))


# --- the spray


def test_a_flat_card_gets_the_gaussian_footprint():
    """At a place r off the axis and at height d: exp(−θ²/2σ²)·cos θ/(d² + r²), tan θ = r/d."""
    p = Spray(0, 90, 100, 2, **BARE)
    film = spray(Site(CARD), p).film
    r = np.hypot(CARD.points[:, 0], CARD.points[:, 1])
    theta = np.arctan(r / 100)
    shape = np.exp(-(theta**2) / (2 * p.cone**2)) * np.cos(theta) / (100**2 + r**2)
    near = r < 30
    assert film[near] / film[MIDDLE] == pytest.approx(shape[near] / shape[MIDDLE], abs=0.01)


def test_all_that_is_aimed_at_a_large_card_lands_but_what_bounces():
    """Flow × time × solids × what sticks."""
    p = Spray(0, 90, 100, 3, **BARE)
    landed = spray(Site(CARD), p, 0.2)
    assert landed.sprayed == pytest.approx(p.wet_ml * 1000 * 0.2)
    assert landed.landed == pytest.approx(landed.sprayed * STICKS["airbrush"], rel=0.01)


@pytest.mark.parametrize("way", ["burst", "stroke", "turn"])
@pytest.mark.parametrize("tool", ["airbrush", "can"])
def test_paint_landed_and_paint_wasted_are_the_paint_that_was_sprayed(warden, way, tool):
    """The waste is counted apart, by rays that miss and by what bounces off."""
    p = Spray(30, 40, 110 if tool == "airbrush" else 360, 2, way, tool, drift=0)
    landed = spray(Site(warden), p)
    assert landed.landed + landed.waste == pytest.approx(landed.sprayed, rel=0.01)
    assert 0 < landed.landed < landed.sprayed


def test_half_the_distance_is_four_times_the_film():
    far, near = (spray(Site(CARD), Spray(0, 90, d, 1, **BARE)).film[MIDDLE] for d in (120, 60))
    assert near / far == pytest.approx(4, rel=0.001)


@pytest.mark.parametrize("tilt", [30, 60])
def test_a_tilted_card_follows_the_cosine(tilt):
    turned = plate(-20, 20, -20, 20, cells=40)
    turned.apply_transform(trimesh.transformations.rotation_matrix(np.radians(tilt), (1, 0, 0)))
    s = surface_of(turned)
    k = int(np.argmin(np.linalg.norm(s.points, axis=1)))
    flat = spray(Site(CARD), Spray(0, 90, 150, 1, **BARE)).film[MIDDLE]
    assert spray(Site(s), Spray(0, 90, 150, 1, **BARE)).film[k] / flat == pytest.approx(
        np.cos(np.radians(tilt)), rel=0.01
    )


def test_a_card_behind_another_gets_only_drift():
    both = together(plate(-10, 10, -10, 10, 0, 20), plate(-20, 20, -20, 20, -12, 40))
    s = surface_of(both)
    behind = (s.points[:, 2] < -11) & (np.abs(s.points[:, 0]) < 4) & (np.abs(s.points[:, 1]) < 4)
    dry = spray(Site(s), Spray(0, 90, 100, 2, way="burst", drift=0)).film
    drifted = spray(Site(s), Spray(0, 90, 100, 2, way="burst", drift=0.1)).film
    assert dry[behind].max() == 0
    front = drifted[s.points[:, 2] > -1].max()
    assert 0 < drifted[behind].mean() < 0.1 * front


def test_far_and_wide_a_spray_falls_as_light_does():
    """A ball sprayed by wide strokes tends to Lambert's cosine: what the nozzle sees squarely gets most (CP-9)."""
    s = working_surface(mesh_of(ball(10, 5)), samples=8_000)
    film = spray(Site(s), Spray(0, 90, 100, 2, "stroke", needle=0.2, drift=0)).film
    lit = s.normals[:, 2] > 0.3
    assert film[lit] / film.max() == pytest.approx(s.normals[lit, 2], abs=0.03)
    assert film[s.normals[:, 2] < -0.2].max() == 0, "what the nozzle cannot see it cannot reach"


def test_two_half_bursts_are_one():
    one, half = (spray(Site(CARD), Spray(0, 90, 100, t, **BARE)).film for t in (4, 2))
    assert 2 * half == pytest.approx(one, rel=1e-5)


def test_half_the_trigger_is_half_the_paint_and_thinner_leaves_less_behind():
    whole = Coat("spray", CHALK, Spray(0, 90, 100, 2, water=1.0, **BARE))
    half = Coat("spray", CHALK, Spray(0, 90, 100, 2, trigger=0.5, water=1.0, **BARE))
    thin = Coat("spray", CHALK, Spray(0, 90, 100, 2, water=3.0, **BARE))
    card = Site(CARD)
    film = whole.film(card)[MIDDLE]
    assert half.film(card)[MIDDLE] == pytest.approx(film / 2)
    assert thin.film(card)[MIDDLE] == pytest.approx(film / 2), "one part in four is paint, not one in two"
    paid = [step_of(1, c, c.film(card), card).ml for c in (whole, half, thin)]
    assert paid[1] == pytest.approx(paid[0] / 2, abs=0.001) and paid[2] == pytest.approx(paid[0] / 2, abs=0.001)


def test_a_turn_goes_all_round_and_a_stroke_does_not():
    s = working_surface(mesh_of(ball(10, 4)), samples=4_000)
    sides = [s.normals @ d > 0.9 for d in ((0, -1, 0), (1, 0, 0), (0, 1, 0), (-1, 0, 0))]
    turned = spray(Site(s), Spray(0, 0, 100, 6, "turn", drift=0)).film
    means = [turned[k].mean() for k in sides]
    assert max(means) / min(means) < 1.1
    stroke = spray(Site(s), Spray(0, 0, 100, 6, "stroke", drift=0)).film
    assert stroke[sides[0]].mean() > 10 * max(stroke[sides[2]].mean(), 1e-6)


def test_coats_are_as_thick_as_data_sheets_say():
    """10–25 µm dry a coat by airbrush or can: data-sheet convention, from memory. A stroke of about ten seconds with
    a 0.3 needle over a 40 mm model, and a can's sweep of a second."""
    s = working_surface(mesh_of(ball(20, 5)), samples=6_000)
    film = spray(Site(s), Spray(0, 90, 100, 12, "stroke"), 0.175).film
    assert 5 < film.max() < 30
    film = spray(Site(s), Spray(0, 90, 370, 4, "stroke", "can"), 0.2).film
    assert 3 < film.max() < 40


def test_too_wet_too_far_and_a_can_too_close_are_told():
    """CP-4: a can wants 36–38 cm. CP-7: from far away it lands as speckle."""

    def said(p, solids=0.2):
        return " ".join(spray_troubles(p, spray(Site(CARD), p, solids).film, solids))

    assert "runs" in said(Spray(0, 90, 40, 30, **BARE))
    assert "speckle" in said(Spray(0, 90, 300, 1, **BARE))
    assert "36–38" in said(Spray(0, 90, 100, 0.1, "burst", "can"))
    assert said(Spray(0, 90, 370, 0.2, "burst", "can")) == "" and said(Spray(0, 90, 90, 1, **BARE)) == ""


@pytest.mark.parametrize(
    "bad",
    [
        {"distance": 0},
        {"psi": 0},
        {"psi": 300},
        {"seconds": -1},
        {"needle": 0},
        {"elevation": 100},
        {"way": "splash"},
        {"tool": "mop"},
        {"drift": 2},
        {"azimuth": float("nan")},
    ],
)
def test_sprays_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Spray(**bad)


def test_a_nozzle_inside_the_model_is_refused():
    s = working_surface(mesh_of(ball(50, 4)), samples=2_000)
    with pytest.raises(SettingError, match="inside"):
        spray(Site(s), Spray(0, 90, 20, 1, **BARE))
    with pytest.raises(SettingError):
        spray(Site(s), Spray(0, 90, 100, 1), 0)


# --- by hand

SLOT = working_surface(mesh_of(block_with_a_slot()), samples=12_000)
BLOCK = Site(SLOT, relief=relief_of(SLOT, 1.0))


def laid(name, site=BLOCK, **settings):
    """The film (N,) of a technique with these settings."""
    own = technique(name)
    return own.film(site, own.Settings(**settings))


FLOOR = (
    (np.abs(SLOT.points[:, 0]) < 0.6)
    & (SLOT.points[:, 2] < 7.2)
    & (SLOT.points[:, 2] > 6.5)
    & (np.abs(SLOT.points[:, 1]) < 7)
)
FLAT = (
    (np.abs(SLOT.points[:, 0]) > 4)
    & (np.abs(SLOT.points[:, 0]) < 7)
    & (SLOT.points[:, 2] > 9.9)
    & (np.abs(SLOT.points[:, 1]) < 6)
)
LIP = (np.abs(np.abs(SLOT.points[:, 0]) - 1) < 0.2) & (SLOT.points[:, 2] > 9.8) & (np.abs(SLOT.points[:, 1]) < 7)


def test_a_dry_brush_gives_ridges_more_than_flats_and_grooves_nothing():
    for softness in (0.3, 0.6):
        film = laid("drybrush", film_um=10, softness=softness)
        assert film[LIP].mean() > film[FLAT].mean() + 1
        assert film[FLOOR].max() < 0.2
    assert (
        laid("drybrush", film_um=10, softness=0.9)[FLAT].mean()
        > laid("drybrush", film_um=10, softness=0.3)[FLAT].mean()
    ), "a soft brush touches more"


def test_strokes_from_the_lamp_leave_more_on_what_faces_it():
    film = laid("drybrush", film_um=10, softness=1.0, azimuth=90, elevation=10)
    right, left = (SLOT.normals[:, 0] * k > 0.9 for k in (1, -1))
    outer = np.abs(SLOT.points[:, 0]) > 9
    assert film[right & outer].mean() > 3 * max(film[left & outer].mean(), 1e-3)


@pytest.mark.parametrize("half_angle", [20, 40])
def test_a_wash_is_thicker_in_a_v_groove_by_its_cavity(half_angle):
    """Low in a long V-groove of half angle α the walls take 1 − sin α of the view, by cosine and in two dimensions
    (Hottel's strings): as x → 0 in the form of tests/core/test_relief.py, (1 + sin(90° − 2α))/2 … of a wall's
    own half-plane."""
    a = np.radians(half_angle)
    walls = []
    for side in (-1, 1):
        wall = plate(0, 1, -30, 30, cells=30)
        t, y = wall.vertices[:, 0].copy(), wall.vertices[:, 1].copy()
        wall.vertices = np.stack([side * t * np.sin(a), y, t * np.cos(a)], axis=1)
        if wall.face_normals[0, 2] < 0:
            wall.invert()
        walls.append(wall)
    s = as_is_surface(mesh_of(together(*walls)))
    felt = Relief(cavity(s, 10), np.zeros(len(s), np.float32))
    film = laid("wash", Site(s, relief=felt), film_um=2.0, pooling=5.0)
    middle = np.abs(s.points[:, 1]) < 5
    up = s.points[:, 2] / np.cos(a)
    low, rim = middle & (up > 0.02) & (up < 0.1), middle & (up > 0.95)
    # at the bottom of a wall the other one fills all angles from along the wall to its own slope, 2α away
    blocked = (1 + np.cos(2 * a)) / 2
    level = 0.75 + 0.25 * np.sin(a)
    assert film[low].mean() == pytest.approx(2 * (1 + 5 * blocked * level), rel=0.06)
    assert film[rim].mean() < 0.75 * film[low].mean()


def test_a_wash_settles_by_the_pose_it_dries_in():
    felt = Relief(np.full(len(CARD), 0.3, np.float32), np.zeros(len(CARD), np.float32))
    card = Site(CARD, relief=felt)
    films = {pose: float(laid("wash", card, film_um=2.0, pooling=5.0, pose=pose).mean()) for pose in POSES}
    assert films["standing"] == max(films.values()) and films["upside down"] == min(films.values())
    assert films["on its back"] == pytest.approx(films["left side up"])
    with pytest.raises(SettingError, match="dries"):
        WashSettings(2.0, 5.0, "on its head")


def test_oil_stays_low_after_the_cloth_and_a_sponge_hits_what_stands_out():
    left = laid("oil wipe", film_um=10, pressure=0.9)
    assert left[FLOOR].mean() > 3 * left[FLAT].mean() and laid("oil wipe", film_um=10, pressure=0)[
        FLAT
    ].mean() == pytest.approx(10)
    hit = laid("sponge", film_um=10, cover=0.25)
    assert (hit == laid("sponge", film_um=10, cover=0.25)).all() and 0.1 < (hit[FLAT] > 0).mean() < 0.5
    assert laid("brush", film_um=12)[FLAT] == pytest.approx(12)


def test_settings_of_a_brush_outside_their_ranges_are_refused():
    for wrong in (
        lambda: Strokes(10, 2),
        lambda: WashSettings(-1),
        lambda: WashSettings(1, 99),
        lambda: Wipe(1, 3),
        lambda: Dabs(1, 3),
        lambda: Even(float("nan")),
    ):
        with pytest.raises(SettingError):
            wrong()


# --- coats


def test_two_half_coats_are_one_coat_and_enough_of_them_hide():
    """Hiding through the film, ASTM D2805: Soot in three thin coats is black whatever it is on."""
    full, half = np.full(5, 20, np.float32), np.full(5, 10, np.float32)
    coat = usual_coat("brush", CHALK)
    once = appearance([(coat, full)], 5, card_reflectance("black"))
    assert appearance([(coat, half), (coat, half)], 5, card_reflectance("black")) == pytest.approx(once, abs=2e-4)
    primed = usual_coat("prime", SOOT)
    black = [
        looks(appearance([(primed, np.full(3, 55, np.float32))], 3, card_reflectance(c)))[0]
        for c in ("black", "white")
    ]
    assert black[0] == pytest.approx(black[1], abs=0.05)


def test_a_muted_coat_is_left_out_and_a_coat_comes_back_from_plain_values():
    film = np.full(4, 20, np.float32)
    coat = Coat("spray", CHALK, Spray(10, 45, 90, 2), label="white")
    muted = coat_from({**plain(coat), "muted": True})
    assert (appearance([(muted, film)], 4) == appearance([], 4)).all()
    for own in (coat, *(usual_coat(name, CHALK) for name in techniques()), replace(coat, where=Where("part", 0))):
        assert coat_from(json.loads(json.dumps(plain(own)))) == own
    for bad in (
        {},
        {**plain(coat), "technique": "prayer"},
        {**plain(coat), "settings": {"psi": 900}},
        {**plain(coat), "mix": {"paints": [], "parts": []}},
        {**plain(coat), "settings": "wet"},
    ):
        with pytest.raises(SettingError):
            coat_from(bad)
    with pytest.raises(SettingError, match="not its own"):
        Coat("wash", CHALK, Spray())


def test_the_brush_is_thinned_by_kind_and_warns_of_pools_and_drowned_detail():
    """CP-19 and CP-20, common practice: base coats 4:1, layers 3:1, one-coat paints about 1:1, metallics neat."""
    film = np.ones(len(CARD), np.float32)
    rack = {name: usual_coat("brush", only(RACK.find(name))) for name in ("Soot", "Gull", "Moss Veil", "Tin")}
    assert [c.settings.water for c in rack.values()] == [0.25, 0.33, 1.0, 0.0]
    assert step_of(1, rack["Soot"], film, Site(CARD)).thinning_words == "4 parts of paint to 1 of water"

    def warned(name, **settings):
        coat = rack[name].with_settings(settings)
        return " ".join(coat.by.warnings(coat.settings, film, coat.mix))

    assert "blotches" in warned("Moss Veil", water=0) and "blotches" not in warned("Gull", water=0)
    assert "pools" in warned("Gull", water=3) and not warned("Gull")
    neat, thinned = (step_of(1, rack["Gull"].with_settings({"water": w}), film, Site(CARD)).ml for w in (0, 2))
    assert neat == pytest.approx(thinned), "the water is not out of the bottle"


def test_several_thin_coats_cost_several_times_and_dryings():
    """Common practice, CP-39 and CP-18: a yellow takes two or three coats; each has its time at the model and its
    drying."""
    film = np.ones(len(CARD), np.float32)
    one, three = (usual_coat("brush", only(RACK.find("Gull"))).with_settings({"film_um": um}) for um in (20, 60))
    first, third = (step_of(1, c, film, Site(CARD)) for c in (one, three))
    assert (first.coats, third.coats) == (1, 3) and third.how.startswith(
        "Three thin coats, each dry before the next."
    )
    assert third.wait_minutes == pytest.approx(3 * first.wait_minutes)
    assert 2 * first.hand_minutes < third.hand_minutes < 3 * first.hand_minutes
    thin = usual_coat("brush", only(RACK.find("Gull"))).with_settings({"film_um": 20, "water": 3})
    assert step_of(1, thin, film, Site(CARD)).coats > 1, "thinner paint leaves less of itself each time"


def test_the_airbrush_warns_where_the_coat_goes_wrong():
    """CP-7 and CP-8 on a real coat: white at low pressure; and a wash that is a flood."""
    film = np.ones(len(CARD), np.float32)

    def warned(coat):
        return " ".join(coat.by.warnings(coat.settings, film, coat.mix))

    assert "25 psi" in warned(Coat("spray", CHALK, Spray(0, 60, 90, 1, psi=15)))
    assert "rings" in warned(usual_coat("wash", SOOT).with_settings({"film_um": 30}))
    assert warned(usual_coat("wash", SOOT)) == ""


def test_a_coat_goes_where_it_is_bound_to_and_nowhere_else():
    both = surface_of(together(plate(-10, 10, -10, 10, 0, 10), plate(30, 50, -10, 10, 0, 10)))
    right = both.points[:, 0] > 20
    site = Site(both, marking=Marking(right.astype(np.uint8), (Region("Right"),)))
    coat = usual_coat("brush", CHALK)
    film = replace(coat, where=Where("region", 1)).film(site)
    assert (film[right] == coat.settings.film_um).all() and (film[~right] == 0).all()
    rest = replace(coat, where=Where("region", 0)).film(site)
    assert (rest[right] == 0).all() and (rest[~right] > 0).all()
    spots = np.isin(np.arange(len(site)), (3, 5, len(site) - 1))
    marked = replace(coat, where=Where.some(spots))
    assert ((marked.film(site) > 0) == spots).all() and coat_from(json.loads(json.dumps(plain(marked)))) == marked
    elsewhere = Site(surface_of(trimesh.creation.box((3, 3, 3))))
    assert not marked.film(elsewhere).any(), "made for another surface, it goes nowhere, and says so"
    assert "touch-ups again" in step_of(1, marked, marked.film(elsewhere), elsewhere).goes_on
    bound = step_of(1, replace(coat, where=Where("region", 1)), film, site)
    assert bound.ml == pytest.approx(step_of(1, coat, coat.film(site), site).ml / 2)
    assert bound.film_um == coat.settings.film_um and bound.goes_on == "Right", "as thick as it is where it goes"
    for gone in (Where("region", 2), Where("part", 9), Where("mask", len(site), "no mask")):
        with pytest.raises(SettingError):
            replace(coat, where=gone).film(site)


# --- the visibility: what is known of the directions round one saves rays


def test_sprays_from_the_outlook_are_those_that_were_cast(warden):
    """Against the same pass cast without an visibility: by rays in doubt only, and without any ray."""
    cast, known = Site(warden), Site(warden, visibility_of(warden))

    def rms(found, wanted):
        return float(
            np.sqrt(np.average((found - wanted) ** 2, weights=warden.areas))
            / np.average(wanted, weights=warden.areas)
        )

    for pass_, near, roughly_near in ((Spray(0, 20, way="turn"), 0.03, 0.1), (Spray(40, 50), 0.08, 0.4)):
        wanted = spray(cast, pass_).film
        assert rms(spray(known, pass_).film, wanted) < near
        rough = roughly(known, pass_).film
        assert rms(rough, wanted) < roughly_near and np.corrcoef(rough, wanted)[0, 1] > 0.94
    assert (roughly(cast, Spray(40, 50)).film == spray(cast, Spray(40, 50)).film).all(), (
        "where there is no visibility"
    )


# --- an airbrush's own laws


def test_flow_goes_with_the_root_of_the_pressure_and_the_cone_spreads_a_little():
    """Bernoulli: speed with the root of the pressure, so half as much again at 2.25 times. The cone: from memory."""
    assert Spray(psi=45).wet_ml == pytest.approx(1.5 * Spray(psi=20).wet_ml)
    assert 1.05 < Spray(psi=40).cone / Spray(psi=20).cone < 1.2
    assert [Spray(needle=n).wet_ml for n in (0.2, 0.3, 0.4)] == sorted(
        Spray(needle=n).wet_ml for n in (0.2, 0.3, 0.4)
    )


def test_a_rim_that_hides_half_the_nozzle_leaves_half_the_paint():
    """The cloud leaves 3 mm wide: behind an edge there is a half-shadow, not a line. From a nozzle over x = −5, 80 mm
    above the edge at x = 0, which is 20 mm above the card, it runs from x = (5 − 1.5)/4 to (5 + 1.5)/4."""
    both = together(plate(-30, 0, -20, 20, 20, 30), plate(-20, 20, -10, 10, 0, 200))
    s = surface_of(both)
    low = (s.points[:, 2] < 1) & (np.abs(s.points[:, 1]) < 2)
    film = spray(Site(s), Spray(0, 90, 90, 1, **BARE)).film
    x = s.points[low, 0]
    whole = film[low][(x > 1.7) & (x < 2.2)].mean()
    between = film[low][(x > 1) & (x < 1.5)].mean()
    assert 0.15 * whole < between < 0.85 * whole
    assert film[low][(x < 0.8) & (x > -9)].max() == 0


def test_drift_reaches_where_the_cone_does_not():
    """A little of the cloud settles beside the cone, too: from 40° round the nozzle, at three tenths of what is laid
    on the tenth that gets most."""
    far = np.hypot(CARD.points[:, 0], CARD.points[:, 1]) > 55
    bare, film = (spray(Site(CARD), Spray(0, 90, 100, 1, way="burst", drift=d)).film for d in (0, 0.1))
    assert film[far] == pytest.approx(0.1 * 0.3 * np.percentile(bare, 90) * np.cos(np.radians(40)), rel=0.01)


def test_a_turn_may_lay_more_before_it_runs_for_it_is_laid_bit_by_bit():
    wet = np.full(100, 25.0, np.float32)
    assert any("runs" in w for w in spray_troubles(Spray(way="stroke"), wet, 0.2))
    assert not any("runs" in w for w in spray_troubles(Spray(way="turn"), wet, 0.2))


# --- facts of the hand


def test_oil_stays_in_the_lee_of_a_downward_wipe_and_a_dry_brush_never_enters_a_recess():
    under = surface_of(plate(-5, 5, -5, 5, cells=4))
    down = replace(under, normals=-under.normals)
    open_ = Relief(np.zeros(len(down), np.float32), np.ones(len(down), np.float32))
    lee = laid("oil wipe", Site(down, relief=open_), film_um=10, pressure=1)
    assert (
        lee == pytest.approx(3.5) and laid("oil wipe", Site(under, relief=open_), film_um=10, pressure=1).max() == 0
    )
    assert laid("oil wipe", Site(down, relief=open_), film_um=10, pressure=1, pulled_down=False).max() == 0
    deep = Relief(np.full(len(under), 0.36, np.float32), np.full(len(under), 5.0, np.float32))
    assert laid("drybrush", Site(under, relief=deep), film_um=10, softness=1).max() == 0


def test_paint_and_time_of_a_step():
    """By hand 90 % of the paint ends on the model, by airbrush far less; thin films dry sooner (common practice)."""
    card = Site(CARD)
    brushed, sprayed = usual_coat("brush", CHALK), Coat("spray", CHALK, Spray())
    film = brushed.film(card)
    mm3 = float(film @ CARD.areas) / 1000
    step = step_of(1, brushed, film, card)
    assert step.ml == pytest.approx(mm3 / 1000 / CHALK.solids / 0.9, rel=1e-4)
    assert step.wait_minutes == CHALK.minutes
    quick = step_of(1, sprayed, sprayed.film(card), card)
    assert quick.wait_minutes == CHALK.minutes / 2 and quick.ml == pytest.approx(Spray().wet_ml / 2)
    assert sum(step.drops_of.values()) >= step.ml * 22, "whole drops, never too few"


def test_every_technique_describes_itself():
    """What forms, the command line, steps and cautions are made from is there for each."""
    for name, own in techniques().items():
        usual = own.usual(CHALK)
        assert own.name == name and own.title and own.how(usual) and own.when_to_stop and all(own.mishap)
        assert own.quantity(usual)[0] > 0
        for field, allowed in own.described().items():
            assert allowed.words and (allowed.options or allowed.low < allowed.high), (name, field)
        film = own.film(BLOCK, usual, 0.2)
        assert film.shape == (len(SLOT),) and film.dtype == np.float32 and film.min() >= 0 and film.max() > 0


def test_techniques_are_listed_in_the_order_of_the_work():
    """Common practice, craft page, sections 1 and 12: primer, spray, brush, fade, dry-brush, wash, oil, wear from
    chips to dust, edges last."""
    listed = [name for name in techniques() if name not in ("blend", "oil light", "sponge")]
    worn = ["chips", "streaks", "verdigris", "dust"]
    assert listed == ["prime", "spray", "brush", "fade", "drybrush", "wash", "oil wipe", *worn, "line"]


def test_a_dry_brush_by_its_own_rule():
    """Between a flat (0.02 exposed) and a sure crest (0.22): half-way out, and 1.2 of the cavity less; softness moves
    the bar."""
    s = surface_of(plate(-5, 5, -5, 5, cells=2))
    felt = Relief(np.full(len(s), 0.1, np.float32), np.full(len(s), 0.20, np.float32))
    reach, bar = (0.20 - 0.02) / 0.20 - 1.2 * 0.1, 0.35 - 0.85 * 0.4
    wanted = 10 * (reach - bar) / (1 - bar) * (1 - 0.1 / 0.35)
    assert laid("drybrush", Site(s, relief=felt), film_um=10, softness=0.4) == pytest.approx(wanted, rel=1e-4)
    for elevation, share in ((90, 1.0), (30, 0.15 + 0.85 / 2), (0, 0.15)):  # pulled from above, aslant, and past it
        pulled = laid("drybrush", Site(s, relief=felt), film_um=10, softness=0.4, azimuth=0, elevation=elevation)
        assert pulled == pytest.approx(share * wanted, rel=1e-4)


def test_poses_are_those_a_model_can_be_laid_in():
    """z up and the figure facing −y: on its face its back is up, on its right side its left is."""
    up = {name: np.round(v, 6).tolist() for name, v in POSES.items()}
    assert up["standing"] == [0, 0, 1] and up["upside down"] == [0, 0, -1]
    assert up["on its face"] == [0, 1, 0] and up["on its back"] == [0, -1, 0]
    assert up["right side up"] == [1, 0, 0] and up["left side up"] == [-1, 0, 0]


def test_a_flood_of_wash_is_told_from_twelve_micrometres_on():
    film = np.ones(4, np.float32)
    flooded = [bool(technique("wash").warnings(WashSettings(um), film, SOOT)) for um in (11.5, 12.5)]
    assert flooded == [False, True]


def test_how_a_step_is_done_follows_its_settings():
    how = {p: technique("oil wipe").how(Wipe(pressure=p)) for p in (0.2, 0.6, 0.9)}
    assert "lightly" in how[0.2] and "evenly" in how[0.6] and "firmly" in how[0.9]
    assert "pulling downwards" in how[0.6] and "pulling" not in technique("oil wipe").how(Wipe(pulled_down=False))
    brushes = [technique("drybrush").how(Strokes(softness=s)) for s in (0.1, 0.5, 0.9)]
    assert "a small brush" in brushes[0] and "Load a brush" in brushes[1] and "large soft" in brushes[2]
    assert "from the right, 30° above level" in technique("drybrush").how(Strokes(azimuth=90, elevation=30))
    assert "laid on its face" in technique("wash").how(WashSettings(pose="on its face"))
    can, airbrush = (
        technique("spray").how(Spray(0, 50, 370, 2.5, tool=t, trigger=0.25)) for t in ("can", "airbrush")
    )
    assert (
        "37 cm" in can
        and "2.5 s in all" in can
        and "a quarter of the trigger" in airbrush
        and "mm needle" in airbrush
    )
    assert "turned once round" in technique("spray").how(Spray(way="turn")) and "held still" in technique(
        "spray"
    ).how(Spray(way="burst"))


def test_the_dabs_of_a_sponge_are_about_half_a_millimetre_on_a_figure_of_32():
    """Where the pattern changes along a line: two dabs' edges for every period of its waves."""
    s = surface_of(plate(0, 32, 0, 32, cells=320))
    turned = replace(s, points=np.ascontiguousarray(s.points[:, [0, 2, 1]]))  # upright: 32 mm tall
    flat = Relief(np.zeros(len(s), np.float32), np.ones(len(s), np.float32))
    hit = laid("sponge", Site(turned, relief=flat), film_um=1, cover=0.5).reshape(321, 321) > 0
    run = 32 / max(1, np.mean(np.abs(np.diff(hit.astype(int), axis=0)).sum(axis=0)))
    assert 0.8 < run < 2.2, "half a period and half a gap"


def test_a_spray_bound_to_a_region_is_what_it_is_of_the_whole():
    """It is worked out at those samples only, with neighbours and parts painted apart or not."""
    site = Site(surface_of(ball(radius=8, fine=5)), visibility_of(surface_of(ball(radius=8, fine=5))))
    own = site.surface.points[:, 2] > 4
    for way in ("stroke", "turn", "burst"):
        settings = replace(
            usual_coat("spray", only(RACK.find("Gull"))).settings, way=way, azimuth=30.0, elevation=35.0
        )
        whole = Coat("spray", only(RACK.find("Gull")), settings)
        bound = replace(whole, where=Where.some(own))
        assert np.allclose(bound.film(site), np.where(own, whole.film(site), 0), atol=1e-5)
