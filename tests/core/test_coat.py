"""Coats: sprays against closed forms and mass balance, brushes on ridges and grooves, facts of the trade."""

from importlib.resources import files

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.coat import Coat, appearance, looks, with_amount
from dusk_lamp.core.coat.hand import POSES, drybrush, even, oil_wipe, sponge, wash
from dusk_lamp.core.coat.spray import STICKS, Spray, spray, troubles
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.film import card
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.rack import rack_from_csv
from dusk_lamp.core.sculpt.relief import Relief, cavity, exposed
from dusk_lamp.core.sculpt.surface import as_is_surface, working_surface

from ..shapes import ball, block_with_a_slot, mesh_of, plate, surface_of, together

RACK = rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())
CHALK, SOOT = (only(RACK.find(n)) for n in ("Chalk", "Soot"))
BARE = {"way": "burst", "drift": 0.0}
# a large level card, its middle at the origin; the nozzle is straight above
CARD = surface_of(plate(-60, 60, -60, 60, cells=120))
MIDDLE = int(np.argmin(np.linalg.norm(CARD.points, axis=1)))


# --- the spray


def test_a_flat_card_gets_the_gaussian_footprint():
    """At a place r off the axis and at height d: exp(−θ²/2σ²)·cos θ/(d² + r²), tan θ = r/d."""
    p = Spray(0, 90, 100, 2, **BARE)
    film = spray(CARD, p).film
    r = np.hypot(CARD.points[:, 0], CARD.points[:, 1])
    theta = np.arctan(r / 100)
    shape = np.exp(-(theta**2) / (2 * p.cone**2)) * np.cos(theta) / (100**2 + r**2)
    near = r < 30
    assert film[near] / film[MIDDLE] == pytest.approx(shape[near] / shape[MIDDLE], abs=0.01)


def test_all_that_is_aimed_at_a_large_card_lands_but_what_bounces():
    """Flow × time × solids × what sticks."""
    p = Spray(0, 90, 100, 3, **BARE)
    landed = spray(CARD, p, 0.2)
    assert landed.sprayed == pytest.approx(p.wet_ml * 1000 * 0.2)
    assert landed.landed == pytest.approx(landed.sprayed * STICKS["airbrush"], rel=0.01)


@pytest.mark.parametrize("way", ["burst", "stroke", "turn"])
@pytest.mark.parametrize("tool", ["airbrush", "can"])
def test_paint_landed_and_paint_wasted_are_the_paint_that_was_sprayed(warden, way, tool):
    """The waste is counted apart, by rays that miss and by what bounces off."""
    p = Spray(30, 40, 110 if tool == "airbrush" else 360, 2, way, tool, drift=0)
    landed = spray(warden, p)
    assert landed.landed + landed.waste == pytest.approx(landed.sprayed, rel=0.01)
    assert 0 < landed.landed < landed.sprayed


def test_half_the_distance_is_four_times_the_film():
    far, near = (spray(CARD, Spray(0, 90, d, 1, **BARE)).film[MIDDLE] for d in (120, 60))
    assert near / far == pytest.approx(4, rel=0.001)


@pytest.mark.parametrize("tilt", [30, 60])
def test_a_tilted_card_follows_the_cosine(tilt):
    turned = plate(-20, 20, -20, 20, cells=40)
    turned.apply_transform(trimesh.transformations.rotation_matrix(np.radians(tilt), (1, 0, 0)))
    s = surface_of(turned)
    k = int(np.argmin(np.linalg.norm(s.points, axis=1)))
    flat = spray(CARD, Spray(0, 90, 150, 1, **BARE)).film[MIDDLE]
    assert spray(s, Spray(0, 90, 150, 1, **BARE)).film[k] / flat == pytest.approx(np.cos(np.radians(tilt)), rel=0.01)


def test_a_card_behind_another_gets_only_drift():
    both = together(plate(-10, 10, -10, 10, 0, 20), plate(-20, 20, -20, 20, -12, 40))
    s = surface_of(both)
    behind = (s.points[:, 2] < -11) & (np.abs(s.points[:, 0]) < 4) & (np.abs(s.points[:, 1]) < 4)
    dry = spray(s, Spray(0, 90, 100, 2, way="burst", drift=0)).film
    drifted = spray(s, Spray(0, 90, 100, 2, way="burst", drift=0.1)).film
    assert dry[behind].max() == 0
    front = drifted[s.points[:, 2] > -1].max()
    assert 0 < drifted[behind].mean() < 0.1 * front


def test_far_and_wide_a_spray_falls_as_light_does():
    """A ball sprayed by wide strokes tends to Lambert's cosine: what the nozzle sees squarely gets most (CP-9)."""
    s = working_surface(mesh_of(ball(10, 5)), samples=8_000)
    film = spray(s, Spray(0, 90, 100, 2, "stroke", needle=0.2, drift=0)).film
    lit = s.normals[:, 2] > 0.3
    assert film[lit] / film.max() == pytest.approx(s.normals[lit, 2], abs=0.03)
    assert film[s.normals[:, 2] < -0.2].max() == 0, "what the nozzle cannot see it cannot reach"


def test_two_half_bursts_are_one():
    one, half = (spray(CARD, Spray(0, 90, 100, t, **BARE)).film for t in (4, 2))
    assert 2 * half == pytest.approx(one, rel=1e-5)


def test_half_the_trigger_is_half_the_paint_and_thinner_leaves_less_behind():
    whole = Coat("spray", CHALK, Spray(0, 90, 100, 2, water=1.0, **BARE))
    half = Coat("spray", CHALK, Spray(0, 90, 100, 2, trigger=0.5, water=1.0, **BARE))
    thin = Coat("spray", CHALK, Spray(0, 90, 100, 2, water=3.0, **BARE))
    film = whole.film(CARD, None)[MIDDLE]
    assert half.film(CARD, None)[MIDDLE] == pytest.approx(film / 2)
    assert thin.film(CARD, None)[MIDDLE] == pytest.approx(film / 2), "one part in four is paint, not one in two"
    paid = [c.cost(CARD, c.film(CARD, None), np.ones(len(CARD), bool), 20)["ml"] for c in (whole, half, thin)]
    assert paid[1] == pytest.approx(paid[0] / 2, abs=0.001) and paid[2] == pytest.approx(paid[0] / 2, abs=0.001)


def test_a_turn_goes_all_round_and_a_stroke_does_not():
    s = working_surface(mesh_of(ball(10, 4)), samples=4_000)
    sides = [s.normals @ d > 0.9 for d in ((0, -1, 0), (1, 0, 0), (0, 1, 0), (-1, 0, 0))]
    turned = spray(s, Spray(0, 0, 100, 6, "turn", drift=0)).film
    means = [turned[k].mean() for k in sides]
    assert max(means) / min(means) < 1.1
    stroke = spray(s, Spray(0, 0, 100, 6, "stroke", drift=0)).film
    assert stroke[sides[0]].mean() > 10 * max(stroke[sides[2]].mean(), 1e-6)


def test_coats_are_as_thick_as_data_sheets_say():
    """10–25 µm dry a coat by airbrush or can: data-sheet convention, from memory. A stroke of about ten seconds with a 0.3 needle
    over a 40 mm model, and a can's sweep of a second."""
    s = working_surface(mesh_of(ball(20, 5)), samples=6_000)
    film = spray(s, Spray(0, 90, 100, 12, "stroke"), 0.175).film
    assert 5 < film.max() < 30
    film = spray(s, Spray(0, 90, 370, 4, "stroke", "can"), 0.2).film
    assert 3 < film.max() < 40


def test_too_wet_too_far_and_a_can_too_close_are_told():
    """CP-4: a can wants 36–38 cm. CP-7: from far away it lands as speckle."""

    def said(p, solids=0.2):
        return " ".join(troubles(p, spray(CARD, p, solids), solids))

    assert "runs" in said(Spray(0, 90, 40, 30, **BARE))
    assert "speckle" in said(Spray(0, 90, 300, 1, **BARE))
    assert "36–38" in said(Spray(0, 90, 100, 0.1, "burst", "can"))
    assert said(Spray(0, 90, 370, 0.2, "burst", "can")) == "" and said(Spray(0, 90, 90, 1, **BARE)) == ""


@pytest.mark.parametrize(
    "bad",
    [
        {"distance": 0}, {"psi": 0}, {"psi": 300}, {"seconds": -1}, {"needle": 0}, {"elevation": 100}, {"way": "splash"},
        {"tool": "mop"}, {"drift": 2}, {"azimuth": float("nan")},
    ],
)  # fmt: skip
def test_sprays_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Spray(**bad)


def test_a_nozzle_inside_the_model_is_refused():
    s = working_surface(mesh_of(ball(50, 4)), samples=2_000)
    with pytest.raises(SettingError, match="inside"):
        spray(s, Spray(0, 90, 20, 1, **BARE))
    with pytest.raises(SettingError):
        spray(s, Spray(0, 90, 100, 1), 0)


# --- by hand

SLOT = working_surface(mesh_of(block_with_a_slot()), samples=12_000)
FELT = Relief(cavity(SLOT, 1.0), exposed(SLOT, 1.0))
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
        film = drybrush(SLOT, FELT, 10, softness)
        assert film[LIP].mean() > film[FLAT].mean() + 1
        assert film[FLOOR].max() < 0.2
    assert drybrush(SLOT, FELT, 10, 0.9)[FLAT].mean() > drybrush(SLOT, FELT, 10, 0.3)[FLAT].mean(), (
        "a soft brush touches more"
    )


def test_strokes_from_the_lamp_leave_more_on_what_faces_it():
    film = drybrush(SLOT, FELT, 10, 1.0, azimuth=90, elevation=10)
    right, left = (SLOT.normals[:, 0] * k > 0.9 for k in (1, -1))
    outer = np.abs(SLOT.points[:, 0]) > 9
    assert film[right & outer].mean() > 3 * max(film[left & outer].mean(), 1e-3)


@pytest.mark.parametrize("half_angle", [20, 40])
def test_a_wash_is_thicker_in_a_v_groove_by_its_cavity(half_angle):
    """Low in a long V-groove of half angle α the walls take 1 − sin α of the view, by cosine and in two dimensions (Hottel's
    strings): as x → 0 in the form of tests/core/test_relief.py, (1 + sin(90° − 2α))/2 … of a wall's own half-plane."""
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
    film = wash(s, felt, 2.0, 5.0)
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
    films = {pose: float(wash(CARD, felt, 2.0, 5.0, pose).mean()) for pose in POSES}
    assert films["standing"] == max(films.values()) and films["upside down"] == min(films.values())
    assert films["on its back"] == pytest.approx(films["left side up"])
    with pytest.raises(SettingError, match="dries"):
        wash(CARD, felt, 2.0, 5.0, "on its head")


def test_oil_stays_low_after_the_cloth_and_a_sponge_hits_what_stands_out():
    left = oil_wipe(SLOT, FELT, 10, 0.9)
    assert left[FLOOR].mean() > 3 * left[FLAT].mean() and oil_wipe(SLOT, FELT, 10, 0)[FLAT].mean() == pytest.approx(
        10
    )
    hit = sponge(SLOT, FELT, 10, 0.25)
    assert (hit == sponge(SLOT, FELT, 10, 0.25)).all() and 0.1 < (hit[FLAT] > 0).mean() < 0.5
    assert even(SLOT, 12)[FLAT] == pytest.approx(12)


def test_settings_of_a_brush_outside_their_ranges_are_refused():
    for wrong in (
        lambda: drybrush(SLOT, FELT, 10, 2),
        lambda: wash(SLOT, FELT, -1),
        lambda: wash(SLOT, FELT, 1, 99),
        lambda: oil_wipe(SLOT, FELT, 1, 3),
        lambda: sponge(SLOT, FELT, 1, 3),
        lambda: even(SLOT, float("nan")),
    ):
        with pytest.raises(SettingError):
            wrong()


# --- coats


def test_two_half_coats_are_one_coat_and_enough_of_them_hide():
    """Hiding through the film, ASTM D2805: Soot in three thin coats is black whatever it is on."""
    full, half = np.full(5, 20, np.float32), np.full(5, 10, np.float32)
    coat = Coat("brush", CHALK)
    once = appearance([(coat, full)], 5, card("black"))
    assert appearance([(coat, half), (coat, half)], 5, card("black")) == pytest.approx(once, abs=2e-4)
    primed = Coat("prime", SOOT, amount=55)
    black = [looks(appearance([(primed, np.full(3, 55, np.float32))], 3, card(c)))[0] for c in ("black", "white")]
    assert black[0] == pytest.approx(black[1], abs=0.05)


def test_a_muted_coat_is_left_out_and_a_coat_comes_back_from_plain_values():
    film = np.full(4, 20, np.float32)
    coat = Coat("spray", CHALK, Spray(10, 45, 90, 2), label="white")
    muted = Coat.from_dict({**coat.as_dict(), "muted": True})
    assert (appearance([(muted, film)], 4) == appearance([], 4)).all()
    assert Coat.from_dict(coat.as_dict()) == coat
    assert with_amount(coat, 5).pass_.seconds == 5 and with_amount(Coat("wash", CHALK), 3).amount == 3
    for bad in (
        {},
        {**coat.as_dict(), "technique": "prayer"},
        {**coat.as_dict(), "pass": {"azimuth": 1}},
        {**coat.as_dict(), "paints": []},
    ):
        with pytest.raises(SettingError):
            Coat.from_dict(bad)


def test_the_airbrush_warns_where_the_coat_goes_wrong():
    """CP-7 and CP-8 on a real coat: white at low pressure."""
    coat = Coat("spray", CHALK, Spray(0, 60, 90, 1, psi=15))
    assert any("25 psi" in w for w in coat.warnings(CARD, np.ones(len(CARD), np.float32)))
