"""Marking with a brush, by facing, by likeness; gaps and rims; masks as files."""

import json

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.errors import SculptFileError, SettingError
from dusk_lamp.core.sculpt.brush import alike, by_facing, dab, evened, filled, likeness
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.masks import mask_json, read_mask
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.relief import Bends
from dusk_lamp.core.sculpt.stand import Standing, placing, stand
from dusk_lamp.core.sculpt.surface import working_surface
from dusk_lamp.core.view.formats import lit_ply

from ..shapes import ball, mesh_of, together

BALL = working_surface(mesh_of(ball(10, 5)), samples=12_000)
BENDS = Bends(BALL)
UP = np.array([0, 0, 1.0])


def test_a_dab_covers_the_cap_of_its_radius():
    """A sphere of radius r about a point of a sphere cuts off a cap of area πr² exactly (Archimedes)."""
    for radius in (1.5, 4.0):
        area = BALL.areas[dab(BALL, 10 * UP, UP, radius)].sum()
        assert area == pytest.approx(np.pi * radius**2, rel=0.06)


def test_right_through_takes_both_sides_and_front_only_one():
    """A cylinder of radius r through the middle of a ball of radius R leaves two caps,
    4πR²(1 − √(1 − r²/R²))."""
    through = dab(BALL, 10 * UP, UP, 4.0, through=True)
    expected = 4 * np.pi * 100 * (1 - np.sqrt(1 - 0.16))
    assert BALL.areas[through].sum() == pytest.approx(expected, rel=0.04)
    assert (BALL.points[dab(BALL, 10 * UP, UP, 4.0), 2] > 0).all()


def test_a_thin_cloak_keeps_its_lining_under_a_front_brush():
    sheet = working_surface(mesh_of(trimesh.creation.box((20, 0.3, 20))), samples=8_000)
    touched = dab(sheet, (0, -0.15, 0), (0, -1, 0), 2.0)
    assert (sheet.points[touched, 1] < 0).all() and len(touched) > 50


@pytest.mark.parametrize("radius", [0, -1, float("nan")])
def test_a_brush_has_a_size(radius):
    with pytest.raises(SettingError, match="mm"):
        dab(BALL, 10 * UP, UP, radius)


def test_facing_takes_the_caps_and_the_belt_of_a_ball():
    """Within 45° of a way lies (1 − cos 45°)/2 of a sphere; outward, a belt of sin 45°."""
    whole = BALL.areas.sum()
    for way, share in (("up", 0.1464), ("down", 0.1464), ("outward", 0.7071)):
        assert BALL.areas[by_facing(BALL, way)].sum() / whole == pytest.approx(share, abs=0.01)
    with pytest.raises(SettingError):
        by_facing(BALL, "sideways")


def test_likeness_finds_the_other_small_ball_and_not_the_large_one():
    shape = mesh_of(together(ball(2, 5), ball(2, 5, (12, 0, 0)), ball(9, 6, (0, 24, 0))))
    s = working_surface(shape, mend(shape).shell, samples=40_000)
    looks = likeness(s)
    same = alike(looks, int(np.argmin(np.linalg.norm(s.points + [2, 0, 0], axis=1))), 0.03)
    small = s.points[:, 1] < 10
    assert same[small & (s.points[:, 0] > 8)].mean() > 0.9 and same[~small].mean() < 0.05


def test_gaps_are_filled_and_what_lies_outside_is_not():
    cap = BALL.points[:, 2] > 0
    holed = cap & (np.linalg.norm(BALL.points - 10 * UP, axis=1) > 2)
    everything = np.ones(len(BALL), bool)
    assert (filled(BENDS, holed, everything, BALL.areas) == cap).all()
    other = np.linalg.norm(BALL.points - 10 * UP, axis=1) < 1
    assert (filled(BENDS, holed, ~other, BALL.areas) == holed).all(), "another region's patch is no gap"


def test_an_even_rim_loses_its_teeth_and_keeps_its_place(rng):
    ragged = BALL.points[:, 2] > rng.normal(0, 0.5, len(BALL))
    even = evened(BENDS, ragged)

    def rim(mask):
        a, b = BALL.edges
        return (mask[a] != mask[b]).sum()

    assert rim(even) < 0.5 * rim(ragged)
    assert BALL.areas[even].sum() == pytest.approx(BALL.areas.sum() / 2, rel=0.03)


CLOAK = Marking(
    (BALL.points[:, 2] > 3).astype(np.uint8) + (BALL.points[:, 2] > 8),
    (Region("Cloak <b>", "cloth", "quiet"), Region("Näse | 2", "skin", "focal point")),
)


def test_masks_come_back_from_json_exactly_and_from_ply_with_their_names(tmp_path):
    """On the ball itself, and on another laying-out of it at another height."""
    raw = mesh_of(ball(10, 5))
    at = placing(raw, Standing(height_mm=20))
    own = working_surface(stand(raw, Standing(height_mm=20)), samples=12_000)
    marking = Marking(CLOAK.labels[: len(own)] * 0 + (own.points[:, 2] > 13).astype(np.uint8), CLOAK.regions[:1])
    (tmp_path / "m.json").write_bytes(mask_json(own, marking))
    back = read_mask(tmp_path / "m.json", "json").on(own, at)
    assert (back.labels == marking.labels).all() and back.regions == marking.regions
    (tmp_path / "m.ply").write_bytes(lit_ply(own, {"region": marking.labels}, marking.regions))
    there = read_mask(tmp_path / "m.ply", "ply")
    assert there.on(own, at).regions == marking.regions
    other = working_surface(stand(raw, Standing(height_mm=20)), samples=5_000)
    share = other.areas[there.on(other, at).labels == 1].sum() / other.areas.sum()
    assert share == pytest.approx((20 - 13) / 20, abs=0.01), "a cap's share of a sphere is its height's (Archimedes)"


def test_a_mask_in_the_files_own_axes_fits_a_sculpt_that_was_stood_up(tmp_path):
    raw = mesh_of(trimesh.creation.box((10, 20, 40)))
    file_axes = working_surface(raw, samples=3_000)
    top = (file_axes.points[:, 1] > 0).astype(np.uint8)
    (tmp_path / "m.ply").write_bytes(lit_ply(file_axes, {"region": top}))
    standing = Standing("y", "z", 32)
    now = working_surface(stand(raw, standing), samples=4_000)
    marking = read_mask(tmp_path / "m.ply", "ply").on(now, placing(raw, standing))
    assert [r.name for r in marking.regions] == ["Region 1"]
    assert marking.areas(now)[1] / now.areas.sum() == pytest.approx(0.5, abs=0.02)
    assert now.points[marking.labels == 1, 2].min() > 15


def test_masks_of_another_sculpt_and_garbled_ones_are_refused_in_words(tmp_path):
    raw = mesh_of(ball(10, 4))
    path = tmp_path / "m.json"
    path.write_bytes(mask_json(BALL, CLOAK))
    mask = read_mask(path, "json")
    assert (mask.on(BALL, placing(raw, Standing())).labels == CLOAK.labels).all()
    with pytest.raises(SettingError, match="another sculpt"):
        mask.on(working_surface(mesh_of(trimesh.creation.box((3, 3, 9))), samples=500), placing(raw, Standing()))
    good = json.loads(path.read_text())
    for spoiled in (
        {**good, "runs": [[0, 5]]},
        {**good, "runs": [[9, len(BALL)]]},
        {**good, "places_um": ["x"] * 3},
        {"regions": []},
        [],
    ):
        path.write_text(json.dumps(spoiled))
        with pytest.raises(SculptFileError):
            read_mask(path, "json")
    (tmp_path / "m.ply").write_bytes(b"ply\nformat ascii 1.0\nend_header\n")
    with pytest.raises(SculptFileError):
        read_mask(tmp_path / "m.ply", "ply")
    with pytest.raises(SculptFileError, match="PLY"):
        read_mask(path, "png")
