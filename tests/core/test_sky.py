"""Sky and bounce against tabulated configuration factors."""

import numpy as np
import pytest

from dusk_lamp.core.directions import fibonacci_sphere
from dusk_lamp.core.errors import SettingError, Stopped
from dusk_lamp.core.light import rig as rigs
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig, light_on
from dusk_lamp.core.light.sky import luminance, open_dome, sky_light
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.surface import working_surface
from dusk_lamp.core.sculpt.visibility import unpacked, view_packed, visibility_of

from ..shapes import ball, mesh_of, plate, surface_of, together

FINE = 2048  # directions, where a closed form is met closely; the bench uses 256


def _wall(height, half_width, x):
    """An upright sheet at x, facing −x."""
    wall = plate(0, height, -half_width, half_width, cells=2)
    wall.vertices = np.stack([np.full(len(wall.vertices), x), wall.vertices[:, 1], wall.vertices[:, 0]], axis=1)
    return wall


@pytest.mark.parametrize("kind", ["uniform", "overcast"])
def test_an_open_upward_plane_gets_exactly_one(kind):
    s = surface_of(plate(-1, 1, -1, 1, cells=3))
    assert sky_light(s, visibility_of(s, 256), kind) == pytest.approx(1, abs=2e-3)


def test_a_convex_body_under_a_uniform_dome_gets_the_share_its_tilt_opens():
    """(1 + cos β)/2: Howell, Catalog of Radiation Heat Transfer Configuration Factors, tilted element to a
    hemisphere."""
    s = surface_of(ball(fine=4, at=(0, 0, 20)))
    assert sky_light(s, visibility_of(s)) == pytest.approx((1 + s.points[:, 2] / 10 - 2) / 2, abs=0.01)


def test_overcast_light_on_an_upright_wall_is_the_textbook_share():
    """CIE overcast: a vertical plane gets 0.396 of the horizontal, (3/14 + 4/(7π)): Moon and Spencer (1942)."""
    s = surface_of(_wall(5, 5, 0))
    assert sky_light(s, visibility_of(s), "overcast") == pytest.approx(3 / 14 + 4 / (7 * np.pi), abs=0.01)


@pytest.mark.parametrize("kind", ["uniform", "overcast"])
def test_an_open_dome_is_the_sum_of_its_directions_at_every_tilt(kind):
    """Directions spread evenly over the sphere, each with the sky's brightness there and the cosine to the plane."""
    sphere = fibonacci_sphere(20_000).astype(float)
    bright = luminance(kind, sphere[:, 2]) * 4 * np.pi / len(sphere)
    tilt = np.radians(np.arange(0, 181, 15))
    cosine = np.maximum(np.outer(np.sin(tilt), sphere[:, 0]) + np.outer(np.cos(tilt), sphere[:, 2]), 0)
    assert open_dome(kind, np.cos(tilt).astype(np.float32)) == pytest.approx(cosine @ bright, abs=1e-4)


@pytest.mark.parametrize("distance", [1.0, 3.0, 8.0])
def test_a_plane_beside_a_wall_loses_the_tabulated_configuration_factor(distance):
    """Howell's catalog, B-4: element to a perpendicular rectangle, its foot at the element's normal plane:
    F = [arctan(b/c) − c/√(a²+c²)·arctan(b/√(a²+c²))]/2π, height a, half width b, distance c; twice for both
    halves."""
    a, b, c = 6.0, 25.0, distance
    F = 2 * (np.arctan(b / c) - c / np.hypot(a, c) * np.arctan(b / np.hypot(a, c))) / (2 * np.pi)
    spot = plate(-0.05, 0.05, -0.05, 0.05, cells=1)
    s = surface_of(together(spot, _wall(a, b, distance)))
    assert sky_light(s, visibility_of(s, FINE))[:4] == pytest.approx(1 - F, abs=0.012)
    assert sky_light(s, visibility_of(s))[:4] == pytest.approx(1 - F, abs=0.03), "with the bench's 256 directions"


@pytest.mark.parametrize("opening", [60, 90, 120])
def test_a_plane_in_a_wedge_sees_what_the_wedge_leaves_open(opening):
    """Howell's catalog: element on one side of a wedge of long planes sees (1 + cos α)/2 taken by the other side."""
    far = 400.0
    floor = plate(-0.05, 0.05, -0.05, 0.05, cells=1)
    floor.apply_translation((-3, 0, 0))
    slope = plate(0, far, -far, far, cells=2)
    x, z = -np.cos(np.radians(opening)), np.sin(np.radians(opening))
    slope.vertices = np.stack([slope.vertices[:, 0] * x, slope.vertices[:, 1], slope.vertices[:, 0] * z], axis=1)
    s = surface_of(together(floor, slope))
    # α is the angle between the planes; the other plane fills all elevations up to α on its side
    assert sky_light(s, visibility_of(s, FINE))[:4] == pytest.approx((1 - np.cos(np.radians(opening))) / 2, abs=0.015)


@pytest.mark.parametrize(("azimuth", "elevation"), [(0, 90), (40, 35)])
def test_open_ground_sends_its_albedo_back_to_what_turns_down(azimuth, elevation):
    """Lambert ground under an open lamp: A·sin el·(1 − cos β)/2 at tilt β, away from its own shadow."""
    s = surface_of(ball(radius=1, fine=3, at=(0, 0, 60)))
    lamp = Lamp(azimuth, elevation)
    site = Site(s, visibility_of(s))
    without, with_ = (light_on(site, Rig(lamp, 0, "uniform", b)).total for b in (0, 0.4))
    down = (1 - (s.points[:, 2] - 60)) / 2
    assert with_ - without == pytest.approx(0.4 * np.sin(np.radians(elevation)) * down, abs=0.012)


def test_the_ground_under_a_sculpt_is_in_its_shadow_and_sends_nothing_back():
    s = surface_of(ball(fine=4, at=(0, 0, 10)))
    site = Site(s, visibility_of(s))
    bounced = (
        light_on(site, Rig(Lamp(0, 90), 0, "uniform", 0.5)).total
        - light_on(site, Rig(Lamp(0, 90), 0, "uniform", 0)).total
    )
    foot = s.points[:, 2] < 1
    assert bounced[foot].max() < 0.12 < bounced[np.abs(s.points[:, 2] - 8) < 1].mean()


def test_the_ground_never_stands_in_the_way_of_a_lamp_from_below():
    s = surface_of(ball(fine=3, at=(0, 0, 10)))
    lit = light_on(Site(s, visibility_of(s)), Rig(Lamp(0, -90), 0, "uniform", 0.5))
    assert lit.total.max() == pytest.approx(1, abs=0.01)
    assert lit.total[s.points[:, 2] > 12].max() < 0.01, "and a lamp from below gives the ground nothing to send back"


def test_the_sculpts_own_base_sends_light_up():
    base = plate(-20, 20, -20, 20, z=1.0, cells=40)
    arm = ball(radius=4, fine=3, at=(0, 0, 30))
    alone, based = surface_of(arm), surface_of(together(arm, base))
    rig = Rig(Lamp(0, 45), 0, "uniform", 0.5)
    n = len(arm.vertices)
    on_base = light_on(Site(based, visibility_of(based)), rig).total[:n]
    on_ground = light_on(Site(alone, visibility_of(alone)), rig).total[:n]
    down = alone.normals[:, 2] < -0.5
    assert on_base[down].mean() == pytest.approx(on_ground[down].mean(), rel=0.15)


def test_shadow_is_not_black_where_sky_or_ground_reach_it():
    """Common practice, CP-12: bounced light keeps the shadow readable, at a lower intensity."""
    s = surface_of(ball(fine=4, at=(0, 0, 12)))
    site = Site(s, visibility_of(s))
    shadow = light_on(site, Rig(Lamp(60, 50), 0, "uniform", 0)).total == 0
    filled = light_on(site, Rig(Lamp(60, 50), 0.25, "overcast", 0.15)).total
    assert (filled[shadow] > 0.01).mean() > 0.95
    assert filled[shadow].mean() < 0.3 * filled.max()


def test_the_overcast_sky_is_three_times_brighter_overhead_than_at_the_horizon():
    """CIE standard overcast sky."""
    bright, dim = luminance("overcast", np.array([1.0, 1e-9]))
    assert bright / dim == pytest.approx(3, rel=1e-6)


def test_results_do_not_depend_on_which_thread_was_first():
    s = surface_of(together(ball(fine=3, at=(0, 0, 12)), plate(-9, 9, -9, 9, z=1)))
    a, b = visibility_of(s), visibility_of(s)
    assert a.bits.tobytes() == b.bits.tobytes() and a.base_row.tobytes() == b.base_row.tobytes()


def test_looking_at_the_sky_can_be_stopped():
    s = surface_of(ball(fine=3))
    with pytest.raises(Stopped):
        visibility_of(s, stopped=lambda: True)


@pytest.mark.parametrize(
    "bad", [{"sky": -0.1}, {"sky": 3}, {"bounce": 1.1}, {"sky_kind": "stormy"}, {"sky": float("nan")}]
)
def test_rigs_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Rig(**bad)


def test_what_lies_inside_two_balls_pushed_through_each_other_is_left_out():
    """Two spheres of radius R, d apart, hide a cap of height R − d/2 of each: 2πR(R − d/2) (Archimedes)."""
    radius, apart = 10.0, 12.0
    two = together(ball(radius, 6), ball(radius, 6, (apart, 0, 0)))
    s = working_surface(mesh_of(two), samples=25_000)
    hidden = s.areas[~visibility_of(s).paintable].sum()
    assert hidden == pytest.approx(2 * 2 * np.pi * radius * (radius - apart / 2), rel=0.01)


def test_the_inner_wall_of_a_hollow_cast_is_left_out_and_an_open_bowl_is_not():
    inner = ball(radius=6, fine=4)
    inner.invert()
    s = surface_of(together(ball(radius=8, fine=4), inner))
    assert (~visibility_of(s).paintable == (np.linalg.norm(s.points, axis=1) < 7)).all()


def test_the_first_light_of_the_sky_is_near_the_last(warden):
    """A quarter of the directions, before the rest: all light is within a twentieth of what it becomes at 99 of 100
    spots, and what it becomes does not depend on having looked twice."""
    first = []
    whole = visibility_of(warden, glimpsed=first.append)
    (glimpse,) = first
    assert len(glimpse.directions) == 64 and len(whole.directions) == 256
    plainly = visibility_of(warden)
    for name in ("bits", "base_row", "base_sample", "base_direction"):
        assert np.array_equal(getattr(whole, name), getattr(plainly, name)), name
    site = Site(warden)
    lamp_alone = light_on(site, Rig()).total
    site.glimpse = glimpse
    rough = light_on(site, Rig()).total
    site.visibility = whole
    fine = light_on(site, Rig()).total
    assert np.quantile(np.abs(rough - fine), 0.99) < 0.05
    assert np.abs(rough - fine).mean() < 0.1 * np.abs(lamp_alone - fine).mean(), "and nearly all of the way to it"
    assert site.glimpse is None and site.looked == 256


def test_a_view_that_was_packed_comes_back_to_the_last_bit_and_only_on_its_own_surface():
    base, body = plate(-6, 6, -6, 6, cells=12), ball(3, 3, (0, 0, 4))
    surface = surface_of(together(base, body))
    view = visibility_of(surface, 64)
    assert len(view.base_row), "something looks down at the base"
    again = unpacked(view_packed(view, surface), surface)
    for name in ("directions", "bits", "base_row", "base_sample", "base_direction"):
        old, new = getattr(view, name), getattr(again, name)
        assert old.dtype == new.dtype and np.array_equal(old, new), name
    assert unpacked(view_packed(view, surface), surface_of(together(base, ball(3, 3, (0, 1, 4))))) is None


def test_what_the_ground_hands_on_is_the_same_kept_as_worked_out_each_time(monkeypatch):
    site = Site(surface_of(together(ball(at=(0, 0, 14)), plate(-20, 20, -20, 20))))
    site.visibility = visibility_of(site.surface, 64)
    for lamp in (Lamp(30, 50, 14), Lamp(-60, -20), None):
        rig = Rig(lamp, 0.3, "overcast", 0.4)
        kept = light_on(site, rig).bounce
        with monkeypatch.context() as patch:
            patch.setattr(rigs, "KEPT_SAMPLES", 0)
            assert light_on(site, rig).bounce == pytest.approx(kept, abs=2e-5) and kept.max() > 0.05
