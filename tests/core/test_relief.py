"""Crests, creases, cavity and exposedness against shapes whose answers are known."""

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.key import key_light
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.results import known
from dusk_lamp.core.sculpt.relief import Bends, cavity, exposed, lengths, lines
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.surface import working_surface

from ..shapes import ball, block_with_a_slot, mesh_of, plate, surface_of, together


def laid(shape, samples=8_000):
    return working_surface(mesh_of(shape), samples=samples)


def test_a_cube_has_twelve_crests_of_its_side_and_no_creases():
    found = lines(laid(trimesh.creation.box((10, 10, 10))), 0.5)
    assert len(found) == 12 and all(line.convex for line in found)
    assert [line.length for line in found] == pytest.approx([10] * 12, rel=1e-4)
    assert [line.angle for line in found] == pytest.approx([90] * 12, abs=0.01)


def test_a_cylinder_has_two_round_crests():
    """2·2πr within 1 %."""
    found = lines(laid(trimesh.creation.cylinder(radius=5, height=10, sections=128)), 0.5)
    assert len(found) == 2 and all(line.convex for line in found)
    assert sum(line.length for line in found) == pytest.approx(4 * np.pi * 5, rel=0.01)
    for line in found:
        assert (line.places[0] == line.places[-1]).all(), "a ring closes"


@pytest.mark.parametrize("fine", [3, 5])
def test_a_ball_has_neither_crests_nor_creases(fine):
    assert lines(laid(ball(10, fine)), 0.5) == []


@pytest.mark.parametrize(("radius", "crests"), [(2.0, 0), (0.1, 12)])
def test_a_rounded_cube_has_crests_only_where_the_rounding_is_under_the_threshold(radius, crests):
    """Thresholds are in mm of edge radius: half of a scale of 0.5 mm."""
    box = trimesh.creation.box((10, 10, 10)).subdivide_to_size(0.17 if radius < 1 else 0.5)
    inner = np.clip(box.vertices, -(5 - radius), 5 - radius)
    out = box.vertices - inner
    length = np.linalg.norm(out, axis=1, keepdims=True)
    box.vertices = np.where(length > 0, inner + out / np.maximum(length, 1e-9) * radius, box.vertices)
    found = lines(surface_of(box), 0.5)
    assert len([line for line in found if line.length > 5]) == crests


def test_creases_are_where_walls_meet_the_floor_of_a_slot():
    found = lines(laid(block_with_a_slot(), 20_000), 0.5)
    creases = [line for line in found if not line.convex]
    assert [line.length for line in creases] == pytest.approx([20, 20], rel=0.01)
    for line in creases:
        assert np.abs(np.abs(line.places[:, 0]) - 1).max() < 1e-4 and np.abs(line.places[:, 2] - 7).max() < 1e-4


def test_a_hemispherical_pit_blocks_half_the_view_anywhere_inside_it():
    """Inside a sphere every spot sees every equal area alike, so what the open half takes is its share, one half
    (integrating sphere; Howell's catalog, sphere to a cap of itself)."""
    pit = ball(1, 4)
    pit = trimesh.Trimesh(pit.vertices, pit.faces[pit.triangles_center[:, 2] < 0], process=True)
    pit.invert()
    s = surface_of(pit)
    inside = cavity(s, 1.0)[s.points[:, 2] < -0.15]
    assert inside.mean() == pytest.approx(0.5, abs=0.02) and inside.std() < 0.03


@pytest.mark.parametrize("half_angle", [20, 35, 60])
def test_a_v_groove_blocks_what_its_other_wall_takes_of_the_view(half_angle):
    """A long groove of wall length 1 and half angle α: at a place x up one wall the other wall fills all
    angles φ from −90° (down the wall) to its top edge, and takes (1 + sin φ)/2 of the view by cosine (Hottel's
    strings in two dimensions)."""
    a = np.radians(half_angle)
    ridge = np.array([np.sin(a), np.cos(a)])
    k, far = 24, 60.0
    walls = []
    for side in (-1, 1):
        wall = plate(0, 1, -far, far, cells=k)
        t, y = wall.vertices[:, 0].copy(), wall.vertices[:, 1].copy()
        wall.vertices = np.stack([side * t * ridge[0], y, t * ridge[1]], axis=1)
        if wall.face_normals[0, 2] < 0:
            wall.invert()
        walls.append(wall)
    s = surface_of(together(*walls))
    middle = np.flatnonzero(
        (np.abs(s.points[:, 1]) < 1) & (s.points[:, 0] < -0.2 * ridge[0]) & (s.points[:, 0] > -0.9 * ridge[0])
    )
    up_the_wall = np.array([-ridge[0], 0, ridge[1]])
    to_edge = np.array([ridge[0], 0, ridge[1]]) - s.points[middle] * [1, 0, 1]
    sine = to_edge @ up_the_wall / np.linalg.norm(to_edge, axis=1)
    assert len(middle) > 10 and np.ptp(sine) > 0.1
    assert cavity(s, 500.0)[middle] == pytest.approx((1 + sine) / 2, abs=0.04)


def test_flat_and_outward_forms_have_no_cavity():
    assert cavity(surface_of(ball(10, 4)), 0.5).max() == 0
    assert cavity(surface_of(plate(-5, 5, -5, 5)), 0.5).max() == 0


def test_crests_are_exposed_and_flats_and_thin_sheets_are_not():
    box = laid(trimesh.creation.box((10, 10, 10)), 20_000)
    e = exposed(box, 0.5)
    to_edge = np.sort(5 - np.abs(box.points), axis=1)[:, 1]
    assert e[to_edge > 2].max() < 0.01
    assert e[(to_edge > 0.01) & (to_edge < 0.25)].mean() > 0.25
    sheet = laid(trimesh.creation.box((20, 20, 0.3)), 20_000)
    inner = (np.abs(sheet.points[:, :2]) < 7).all(axis=1)
    assert exposed(sheet, 0.5)[inner].max() < 0.02


@pytest.mark.parametrize("bad", [0, -1, float("nan"), float("inf")])
def test_scales_that_are_no_length_are_refused(bad):
    with pytest.raises(SettingError):
        cavity(surface_of(ball(1, 1)), bad)


def test_lengths_are_told_by_region_and_by_what_the_lamp_sees():
    """A cube under a lamp straight above: of its twelve crests the lamp sees the four round the top."""
    box = laid(trimesh.creation.box((10, 10, 10)))
    bends = Bends(box)
    top = (box.normals[:, 2] > 0.9).astype(np.uint8)
    told = lengths(lines(box, 0.5, bends), bends, key_light(box, Lamp(0, 90)).light, top, 1)
    assert told["crests"]["length"] == pytest.approx([80, 40], rel=0.02)
    assert told["crests"]["lit"] == pytest.approx([0, 40], abs=1)
    assert told["creases"]["length"] == [0, 0]


def test_some_of_a_surface_is_felt_as_all_of_it_is(warden):
    """By themselves, before and after all of it was felt, and on a site of few of its samples."""
    rows = np.arange(0, len(warden), 7)
    alone = Site(warden).relief_at(rows)
    site = Site(warden)
    few = site.only(rows.astype(np.int32), np.zeros((0, 3), np.int32)).relief_at(np.arange(5))
    assert known(Site._felt, site) is None, "all of it was not asked for"
    whole = site.relief
    for name in ("cavity", "exposed"):
        mine = getattr(alone, name)
        assert getattr(whole, name)[rows] == pytest.approx(mine, abs=1e-5)
        assert getattr(few, name) == pytest.approx(mine[:5], abs=1e-5)
        assert getattr(site.relief_at(rows), name) == pytest.approx(mine, abs=1e-5)
