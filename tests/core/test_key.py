"""The key light against closed forms and against what a camera in the lamp sees."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.key import key_light
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import PRESETS, Light
from dusk_lamp.core.light.tint import LUMINANCE, Tints, tint_of
from dusk_lamp.core.paint.colour import linear, rgb_from_hex
from dusk_lamp.core.view.camera import Camera
from dusk_lamp.core.view.raster import snapshot

from ..shapes import ball, cosine, plate, surface_of, together

directions = st.tuples(st.floats(-180, 180), st.floats(-89, 89))


@pytest.mark.parametrize(
    ("azimuth", "elevation", "vector"),
    [
        (0, 0, (0, -1, 0)),
        (90, 0, (1, 0, 0)),
        (180, 0, (0, 1, 0)),
        (-90, 0, (-1, 0, 0)),
        (77, 90, (0, 0, 1)),
        (0, -90, (0, 0, -1)),
    ],
)
def test_directions_are_those_of_the_conventions(azimuth, elevation, vector):
    assert Lamp(azimuth, elevation).direction == pytest.approx(vector, abs=1e-6)


@settings(max_examples=15, deadline=None)
@given(directions)
def test_a_ball_under_a_hard_lamp_follows_lamberts_cosine_to_one_percent(where):
    """Lambert, Photometria (1760): max(0, cos θ)."""
    s = surface_of(ball(fine=4))
    lamp = Lamp(*where)
    radial = s.points / np.linalg.norm(s.points, axis=1, keepdims=True)
    assert key_light(s, lamp).light == pytest.approx(cosine(radial, lamp.direction), abs=0.01)


def test_a_plate_at_thirty_degrees_gets_half_the_light_and_a_lid_takes_it():
    lamp = Lamp(0, 30)
    open_plate = surface_of(plate(-5, 5, -5, 5))
    assert key_light(open_plate, lamp).light == pytest.approx(0.5, abs=1e-5)
    lid = trimesh.creation.box((60, 60, 1))
    lid.apply_translation((0, 0, 8))
    covered = key_light(surface_of(together(plate(-1, 1, -1, 1), lid)), lamp)
    assert (covered.light[:441] == 0).all() and (covered.visible[:441] == 0).all()


@pytest.mark.parametrize("size", [2, 8, 16])
def test_a_lamp_half_behind_an_edge_is_seen_by_the_exact_area_of_the_disc(size):
    """A straight edge cuts a circular segment: (arccos t − t√(1−t²))/π of the disc stays, t the edge's
    distance from the middle over the radius (elementary geometry)."""
    height = 20.0
    ground = plate(-6, 6, -0.5, 0.5, cells=60)
    roof = plate(0, 400, -400, 400, z=height, cells=2)  # hides all that lies at x > 0
    s = surface_of(together(ground, roof))
    seen = key_light(s, Lamp(0, 90, size)).visible[: len(ground.vertices)]
    t = np.clip(s.points[: len(seen), 0] / height / np.tan(np.radians(size / 2)), -1, 1)
    assert seen == pytest.approx((np.arccos(t) - t * np.sqrt(1 - t * t)) / np.pi, abs=0.03)


def test_an_unhidden_soft_lamp_gives_the_cosine_to_its_middle():
    """The vector irradiance of a uniform disc points to its middle, so a spot that sees all of it gets the cosine."""
    s = surface_of(ball(fine=4))
    lamp = Lamp(30, 50, 60)
    lit = key_light(s, lamp)
    whole = lit.visible == 1
    assert whole.mean() > 0.2
    assert lit.light[whole] == pytest.approx(cosine(s.normals[whole], lamp.direction), abs=0.01)
    assert lit.light.max() == pytest.approx(1, abs=0.01)


@settings(max_examples=8, deadline=None)
@given(directions)
def test_what_a_camera_in_the_lamp_sees_is_exactly_what_is_lit(warden, where):
    """Common practice, CP-9: looking from the lamp, all that shows is lit, all that does not is shadow."""
    lamp = Lamp(*where)
    lit = key_light(warden, lamp)
    camera = Camera(*where)
    shot = snapshot(warden, camera, 500, 500)
    shown = shot.seen
    assert shot.field(lit.visible)[shown].mean() > 0.93, "all but the pixels across an edge are lit"

    # the other way round, sample by sample: what the lamp lights lies on the first surface its picture shows
    x, y = warden.points @ camera.right, warden.points @ camera.up
    px = np.clip(((x - (x.max() + x.min()) / 2) * shot.scale + 250).astype(int), 0, 499)
    py = np.clip((250 - (y - (y.max() + y.min()) / 2) * shot.scale).astype(int), 0, 499)
    depth = np.where(shown, shot.field(warden.points @ camera.toward), -np.inf)[py, px]
    behind = depth - warden.points @ camera.toward
    facing = warden.normals @ lamp.direction > 0.3  # at a graze one pixel spans too much depth to tell
    pixel = 4 / shot.scale
    assert (behind[facing & (lit.visible == 1)] < pixel).mean() > 0.975
    assert (behind[facing & (lit.visible == 0)] > 0.02).mean() > 0.97


def test_turning_lamp_and_sculpt_together_changes_nothing():
    shape = together(ball(fine=3), ball(3, 3, (9, 0, 9)))
    lamp = Lamp(20, 40, 15)
    before = key_light(surface_of(shape), lamp).light
    shape.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 0, 1)))
    after = key_light(surface_of(shape), Lamp(110, 40, 15)).light
    # the pattern of rays does not turn with the lamp, so penumbrae may differ by a few of its places
    assert np.abs(before - after).mean() < 0.003


def test_a_recess_that_faces_up_stays_lit_and_only_the_side_turning_down_goes_dark():
    """Common practice, CP-11: in a fold only the side that turns down is dark, not the whole valley."""
    # a fold running from left to right: the lower bank faces up and out, the upper bank turns down
    profile = np.array([(-6, 0), (0, 4), (-4, 8)], float)  # y, z
    x = np.linspace(-20, 20, 41)
    points = np.array([(xi, y, z) for xi in x for y, z in profile])
    k = np.arange(40)[:, None] * 3
    quads = np.concatenate([k + [0, 3, 4, 1], k + [1, 4, 5, 2]])
    faces = np.concatenate([quads[:, :3], quads[:, [0, 2, 3]]])
    fold = trimesh.Trimesh(points, faces, process=False).subdivide().subdivide()
    if fold.face_normals[:, 1].mean() > 0:
        fold.invert()
    s = surface_of(fold)
    light = key_light(s, Lamp(0, 60)).light
    lower, upper = (s.points[:, 2] > 0.5) & (s.points[:, 2] < 3.2), s.points[:, 2] > 4.5
    assert (light[lower] > 0.5).mean() > 0.95
    assert (light[upper] < 0.35).all()


def test_light_from_below_turns_the_plan_upside_down():
    """Common practice, CP-15."""
    s = surface_of(ball(fine=4))
    above, below = key_light(s, Lamp(30, 50)).light, key_light(s, Lamp(30 + 180, -50)).light
    mirror = np.abs(s.points[:, None] + s.points[None]).sum(axis=2).argmin(axis=1)  # the opposite point
    assert below == pytest.approx(above[mirror], abs=0.01)


def test_the_dense_shortcut_agrees_with_looking_at_the_whole_lamp_everywhere(warden):
    from dusk_lamp.core.light.key import key_light_at

    lamp = Lamp(40, 55, 20)
    quick = key_light(warden, lamp, 64)
    whole = key_light_at(warden.origins, warden.normals, warden.caster, lamp, 64)
    difference = np.abs(quick.light - whole.light)
    assert difference.mean() < 0.004 and np.percentile(difference, 99) < 0.08


@pytest.mark.parametrize(
    "bad", [(0, 91), (0, -90.5), (0, 45, -1), (0, 45, 121), (float("nan"), 0), (0, float("inf"))]
)
def test_lamps_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Lamp(*bad)


def test_the_usual_lamps_come_in_their_usual_order():
    """CP-10, common practice: straight above; above and to the viewer's right; above and in front. CP-15: from below,
    last."""
    above, right, front, *_, below = (Lamp(*at).direction for at in PRESETS.values())
    assert (
        above[2] > 0.99 and right[2] > 0.5 and right[0] > 0.3 and front[2] > 0.5 and front[1] < -0.3 and below[2] < 0
    )


def test_light_from_the_ground_has_met_the_lamps_colour_and_then_the_grounds():
    """A red lamp over a green floor under a blue sky sends back red times green, channel by channel, and nothing of
    the sky; without a lamp it sends back the sky's. Source: reflection multiplies, worked out by hand."""
    none, some = np.zeros(1, np.float32), np.ones(1, np.float32)
    tints = Tints("#ff8080", "#8080ff", "#80ff80")
    for key, first in ((none, "#ff8080"), (None, "#8080ff")):
        light = Light(some, none, key, None, some)
        back = linear(rgb_from_hex(first)) * linear(rgb_from_hex("#80ff80"))
        assert tint_of(light, tints)[0] == pytest.approx(back / (back @ LUMINANCE), rel=1e-5)
