"""Painted metal, edges and wear against closed forms and facts of the trade."""

import json

import numpy as np
import pytest
import trimesh

from dusk_lamp.cli.main import main
from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.streak import run_down
from dusk_lamp.core.coat.technique import technique
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.reflect import WORLDS, World, mirrored, world_from
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.plan.edges import crests_of, lining
from dusk_lamp.core.plan.metal import metal_school, metal_schools
from dusk_lamp.core.plan.metal.school import Shine, value_of
from dusk_lamp.core.sculpt.facets import facets
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.outlook import look_out
from dusk_lamp.core.sculpt.relief import Bends, Relief
from dusk_lamp.core.sculpt.site import Site, Where
from dusk_lamp.core.view.formats import ply_bytes

from ..shapes import ball, mesh_of, plate, surface_of, together
from .test_glow import RACK, columns

BALL = surface_of(ball(radius=10, fine=5, at=(0, 0, 10)))
FRONT = (0.0, 0.0)
LEVEL = World(((0.0, 1.0), (90.0, 1.0)), 0.0, 0.0, None)  # white above, black below, a knife's edge


@pytest.mark.parametrize("roughness", [0.0, 0.2, 0.5, 1.0])
def test_a_white_furnace_reflects_one(roughness):
    """In a world of 1 in every direction a surface that loses nothing shows 1, at every roughness, also where it hides
    itself."""
    pit = surface_of(together(ball(radius=4, fine=3), ball(radius=4, fine=3, at=(5, 0, 0))))
    for surface, seen in ((BALL, None), (pit, look_out(pit))):
        shown = mirrored(surface, seen, FRONT, WORLDS["uniform"], roughness)
        assert np.abs(shown - 1).max() < 0.01


def test_the_horizon_appears_where_the_mirrored_view_is_level():
    """On a ball seen from the front, level, that is its equator; seen from 40 degrees above, where the normal is tilted by 20."""
    for height in (0.0, 40.0):
        shown = mirrored(BALL, None, (0.0, height), LEVEL, 0.0)
        n = BALL.normals
        eye = np.array([0, -np.cos(np.radians(height)), np.sin(np.radians(height))])
        up = 2 * (n @ eye) * n[:, 2] - eye[2]  # height of the mirrored view, by the law of reflection
        facing = (n @ eye > 0.1) & (np.abs(up) > 0.02)
        assert np.array_equal(shown[facing] > 0.5, up[facing] > 0)
    middle = np.argmin(np.abs(BALL.normals @ [0, -np.cos(np.radians(20)), np.sin(np.radians(20))] - 1))
    turned = mirrored(BALL, None, (0.0, 40.0), World(((0.0, 0.2), (90.0, 1.0)), 0.0, 0.0, None), 0.0)
    assert turned[middle] < 0.25, "the horizon itself"


def test_a_mirror_shows_the_lamp_half_way_and_roughness_spreads_it():
    """The highlight lies where the normal is half way between lamp and eye; rougher, it is wider and dimmer (GGX)."""
    from dusk_lamp.core.directions import direction_of
    from dusk_lamp.core.light.reflect import Disc

    world = World(((0.0, 0.05), (90.0, 0.05)), 0.05, 5.0, Disc(60, 40, 12, 5.0))
    half = direction_of(60, 40) + direction_of(*FRONT)
    half = half / np.linalg.norm(half)
    sharp, dull = (mirrored(BALL, None, FRONT, world, r) for r in (0.0, 0.5))
    assert BALL.normals[np.argmax(sharp)] @ half > np.cos(np.radians(4))
    facing = BALL.normals @ direction_of(*FRONT) > 0.2
    assert dull[facing].max() < sharp[facing].max() and (dull[facing] > 0.2).sum() > (sharp[facing] > 0.2).sum()


def test_bands_on_a_cylinder_run_along_its_axis():
    """What a cylinder mirrors does not change along its axis; a band of sky between two heights is as wide as half the angle
    times the radius."""
    sheet = plate(-np.pi * 4, np.pi * 4, -6, 6, cells=120)
    x, y = sheet.vertices[:, 0].copy(), sheet.vertices[:, 1].copy()
    sheet.vertices = np.column_stack([y, -4 * np.cos(x / 4), 4 * np.sin(x / 4)])
    sheet.merge_vertices(digits_vertex=5)
    surface = surface_of(sheet)
    if (surface.normals * surface.points)[:, 1:].sum() < 0:
        surface = surface_of(trimesh.Trimesh(sheet.vertices, sheet.faces[:, ::-1], process=False))
    shown = mirrored(
        surface,
        None,
        FRONT,
        World(((0, 0.0), (29.9, 0.0), (30, 1.0), (60, 1.0), (60.1, 0.0), (90, 0.0)), 0.0, 0.0, None),
        0.0,
    )
    angle = np.degrees(np.arcsin(np.clip(surface.points[:, 2] / 4, -1, 1)))
    front = (surface.points[:, 1] < -0.2) & (np.abs(surface.points[:, 0]) < 5)
    lit = front & (shown > 0.5) & (angle < 45)
    assert angle[lit].min() == pytest.approx(15, abs=1.7) and angle[lit].max() == pytest.approx(30, abs=1.7)
    rows = {round(float(a), 1): shown[front & (np.abs(angle - a) < 0.05)] for a in (10, 22.5, 40)}
    assert all(len(r) == 0 or np.ptp(r) < 1e-6 for r in rows.values())


@pytest.mark.parametrize(
    ("shape", "flat", "round_"),
    [
        (trimesh.creation.box((10, 6, 4)).subdivide().subdivide(), 6, 0), (trimesh.creation.cylinder(radius=4, height=10, sections=6), 8, 0),
        (ball(radius=5, fine=4), 0, 1), (trimesh.creation.cylinder(radius=4, height=20, sections=64).subdivide(), 2, 1),
    ],
)  # fmt: skip
def test_facets_are_counted(shape, flat, round_):
    """A box has six, a hexagonal prism eight, an icosphere none, a cylinder two and a round side."""
    surface = surface_of(shape)
    found = facets(surface, Bends(surface))
    assert sum(f.kind == "flat" for f in found) == flat and sum(f.kind != "flat" for f in found) == round_
    if flat == 6:
        assert all(len(f.neighbours) == 4 for f in found) and found[0].mm2 == pytest.approx(60)
        assert sorted({round(f.length) for f in found}) == [6, 10]


@pytest.fixture(scope="module")
def blade():
    """A blade 40 mm long with a ridge on both sides: four facets, two cutting edges."""
    steps = np.linspace(0, 40, 41)
    profile = np.array([(-3, 0), (0, -0.8), (3, 0), (0, 0.8)])
    points = np.array([(x, y, z) for z in steps for x, y in profile])
    faces = []
    for k in range(len(steps) - 1):
        for j in range(4):
            a, b = 4 * k + j, 4 * k + (j + 1) % 4
            faces += [(a, b, b + 4), (a, b + 4, a + 4)]
    shape = trimesh.Trimesh(points, faces, process=True).subdivide()
    shape.fix_normals()
    surface = surface_of(shape)
    return Site(surface, look_out(surface))


def test_facets_of_a_blade_run_opposed_and_its_edge_is_near_white(blade):
    """Craft page, section 11: neighbours in opposite directions, edges white; near-black beside near-white."""
    found = facets(blade.surface, blade.bends)
    assert [f.kind for f in found] == ["flat"] * 4 and all(abs(f.along[2]) > 0.99 for f in found)
    value = value_of(metal_school("facet").shares(blade, Shine(), WORLDS["noon"], Lamp(30, 60)), Shine())
    z = blade.surface.points[:, 2]
    ends = []
    for facet in found:
        inner = facet.own & (np.abs(blade.surface.points[:, 0] - 1.5 * np.sign(facet.normal[0])) < 0.9)
        ends.append(float(value[inner & (z > 36)].mean() - value[inner & (z < 4)].mean()))
    for k, facet in enumerate(found):
        beside = list(facet.neighbours)
        assert abs(ends[k]) > 4 and any(ends[k] * ends[m] < 0 for m in beside)
    assert value[np.abs(blade.surface.points[:, 0]) > 2.99].min() >= 9.0, "the cutting edge"
    assert np.ptp(value) > 7


def test_layered_metal_climbs_to_one_place_above_and_in_front():
    """Craft page, section 11: legs no lighter than the middle, what lies behind a weapon stays dark."""
    body = [ball(radius=4, fine=4, at=(0, 0, z)) for z in (4, 14, 24)]
    shield = plate(-3, 3, -3, 3, cells=8)
    shield.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 4, [1, 0, 0]))
    shield.apply_translation([0, -7, 31])
    surface = surface_of(together(*body, shield))
    site = Site(surface, look_out(surface))
    value = value_of(metal_school("layered").shares(site, Shine(), WORLDS["noon"], Lamp(0, 60)), Shine())
    best = [float(value[np.abs(surface.points[:, 2] - z) < 4.2].max()) for z in (4, 14)]
    assert best[0] < best[1]
    bare = Site(surface_of(together(*body)))
    open_ = value_of(metal_school("layered").shares(bare, Shine(), WORLDS["noon"], Lamp(0, 60)), Shine())
    head = slice(2 * len(ball(fine=4).vertices), 3 * len(ball(fine=4).vertices))
    assert value[head].mean() < open_[head].mean() - 0.3
    assert set(metal_schools()) == {"layered", "lamp", "facet"}
    with pytest.raises(SettingError, match="school of metal"):
        metal_school("chrome")


def test_a_cube_has_twelve_edges_of_which_nine_are_seen_from_a_corner():
    surface = surface_of(trimesh.creation.box((10, 10, 10)).subdivide().subdivide().subdivide())
    site = Site(surface)
    found = crests_of(site, None, (35.0, 30.0))
    assert len(found.crests) == 12 and [c.length_mm for c in found.crests] == pytest.approx([10.0] * 12, rel=0.02)
    assert sum(c.seen_mm > 9 for c in found.crests) == 9 and sum(c.seen_mm for c in found.crests) == pytest.approx(
        90, rel=0.03
    )
    lit = crests_of(site, Lamp(0, 90))
    assert sum(c.lit_mm > 9 for c in lit.crests) == 4 and lit.lit_mm == pytest.approx(40, rel=0.05)
    top = max(lit.crests, key=lambda c: c.places[:, 2].mean())
    low = min(lit.crests, key=lambda c: c.places[:, 2].mean())
    assert top.width_mm < low.width_mm and top.value > low.value, (
        "thinner and brighter upward (craft page, section 12)"
    )
    assert sum(s.mm for s in lit.strokes) == pytest.approx(lit.lit_mm, rel=0.05) and lit.minutes > 0
    hops = [np.linalg.norm(a.places[-1] - b.places[0]) for a, b in zip(lit.strokes, lit.strokes[1:], strict=False)]
    assert max(hops) < 11, "each begins near where the last ended"


def test_an_edge_highlight_is_a_coat_like_any_other():
    """Along lit crests only, and none under a lamp from below on top edges."""
    surface = surface_of(trimesh.creation.box((10, 10, 10)).subdivide_to_size(0.3))
    site = Site(surface)
    coat = usual_coat("line", only(RACK.find("Gull"))).with_settings({"elevation": 90.0, "width": 0.8})
    film = coat.film(site)
    top = surface.points[:, 2] > 4.99
    rim = np.abs(surface.points[:, :2]).max(axis=1)
    assert (film[top & (rim > 4.95)] > 0).all() and film[top & (rim < 4.0)].max() == 0
    assert film[surface.points[:, 2] < -4.5].max() == 0
    below = coat.with_settings({"elevation": -90.0}).film(site)
    assert below[top].max() == 0 and below[surface.points[:, 2] < -4.99].max() > 0


def test_no_dark_line_between_two_whites():
    """Craft page, section 9."""
    step = together(plate(-10, 0, -5, 5, z=0, cells=20), plate(0, 10, -5, 5, z=0, cells=20))
    step.vertices[:, 2] += np.where(step.vertices[:, 0] < 0, -0.8 * step.vertices[:, 0], 0.8 * step.vertices[:, 0])
    step.merge_vertices(digits_vertex=5)
    surface = surface_of(step)
    labels = np.where(surface.points[:, 0] < -1e-4, 1, 2).astype(np.uint8)
    site = Site(surface, marking=Marking(labels, (Region("A"), Region("B"))))
    assert len(lining(site, np.array([0.0, 8.0, 4.0]))) == 1 and lining(site, np.array([0.0, 8.0, 8.5])) == []


def test_streaks_run_the_steepest_way():
    """Down a tilted plane straight along its fall; down a cone along its side, toward the rim."""
    sheet = plate(-20, 20, -20, 20, cells=80)
    sheet.apply_transform(
        trimesh.transformations.rotation_matrix(np.radians(40), [0, 1, 0])
        @ trimesh.transformations.rotation_matrix(0.6, [0, 0, 1])
    )
    surface = surface_of(sheet)
    n = surface.normals[len(surface) // 2].astype(float)
    fall = np.array([0, 0, -1.0]) + n[2] * n
    path = np.array(run_down(Site(surface), int(np.argmin(np.linalg.norm(surface.points, axis=1))), 10, 0.4))
    ran = path[-1] - path[0]
    assert ran @ fall / np.linalg.norm(ran) / np.linalg.norm(fall) > 0.999 and np.linalg.norm(ran) == pytest.approx(
        10, rel=0.06
    )
    cone = trimesh.creation.cone(radius=10, height=15, sections=128).subdivide_to_size(0.6)
    surface = surface_of(cone)
    start = int(np.argmin(np.linalg.norm(surface.points - [3, 0, 10.5], axis=1)))
    path = np.array(run_down(Site(surface), start, 8, 0.4))
    turn = np.degrees(np.arctan2(path[:, 1], path[:, 0]))
    assert np.ptp(turn[: len(path) - 2]) < 6 and np.hypot(path[-1, 0], path[-1, 1]) > 7
    flat = Site(surface_of(plate(-5, 5, -5, 5)))
    assert len(run_down(flat, 40, 5, 0.4)) == 1, "on the level it stays"


def test_wear_gathers_where_it_does_in_life():
    """Craft page, section 12: chips on what stands out, more than five times as dense as on flats; inner chips inside the
    outer ones; dust low; verdigris in nooks; the same for a seed; nothing where a coat does not go."""
    surface = surface_of(plate(-16, 16, -16, 16, cells=150))
    edge = np.abs(surface.points[:, 0]) < 1.5
    pit = np.abs(surface.points[:, 1]) < 1.0
    felt = Relief(np.where(pit, 0.8, 0.0).astype(np.float32), np.where(edge & ~pit, 0.6, 0.0).astype(np.float32))
    site = Site(surface, relief=felt)
    chips = technique("chips")
    film = chips.film(site, chips.Settings(amount=0.3, seed=5))
    share = lambda own: float(surface.areas[own & (film > 0)].sum() / surface.areas[own].sum())  # noqa: E731
    assert share(edge & ~pit) > 5 * share(~edge) and share(edge & ~pit) > 0.1
    assert np.array_equal(film, chips.film(site, chips.Settings(amount=0.3, seed=5)))
    assert not np.array_equal(film, chips.film(site, chips.Settings(amount=0.3, seed=6)))
    inner = chips.film(site, chips.Settings(amount=0.3, seed=5, inner=0.5))
    assert 0 < (inner > 0).sum() < (film > 0).sum() and (film[inner > 0] > 0).mean() > 0.9
    green = technique("verdigris").film(site, technique("verdigris").Settings(amount=0.8))
    assert green[~pit].max() == 0 and green[pit].max() > 0
    half = surface.points[:, 0] > 0
    coat = usual_coat("chips", only(RACK.find("Soot")))
    masked = type(coat)("chips", coat.mix, coat.settings, Where.some(half)).film(site)
    assert masked[~half].max() == 0
    tall = Site(BALL, relief=Relief(np.zeros(len(BALL), np.float32), np.zeros(len(BALL), np.float32)))
    dust = technique("dust").film(tall, technique("dust").Settings(amount=0.4))
    z = BALL.points[:, 2]
    assert dust[z > 12].max() == 0 and dust[z < 4].max() > 0
    streaks = technique("streaks").film(tall, technique("streaks").Settings(amount=0.6, length=6))
    assert streaks.max() > 0 and (streaks > 0).mean() < 0.5
    for kind in ("chips", "streaks", "dust", "verdigris"):
        none = technique(kind).film(site, technique(kind).Settings(amount=0.0))
        assert none.max() == 0, kind


def test_worlds_are_read_and_refused_in_words():
    world = world_from(b'{"sky": [[0, 1], [90, 0.3]], "ground": 0.1, "horizon_sharpness": 2, "lamp": null}')
    assert (
        world.ground == 0.1
        and world.lamp is None
        and world.seen(np.array([[0, 0, 1.0], [0, 0, -1.0]])) == pytest.approx([0.3, 0.1])
    )
    for content, says in (
        (b'{"sky": [[0, NaN]]}', "no number"), (b"[1]", "object"), (b"{", "no JSON"), (b'{"sky": [[0, 0]], "ground": 0, "lamp": null}', "without light"),
        (b'{"sky": [[50, 1], [10, 1]]}', "horizon up"), (b'{"ground": -1}', "ground"),
    ):  # fmt: skip
        with pytest.raises(SettingError, match=says):
            world_from(content)
    with pytest.raises(SettingError, match="roughness"):
        mirrored(BALL, None, FRONT, LEVEL, 2.0)


def test_metal_edges_and_wear_on_the_command_line(tmp_path, capsys):
    cube = mesh_of(trimesh.creation.box((10, 10, 10)).subdivide().subdivide())
    file, out = tmp_path / "cube.ply", tmp_path / "out.ply"
    file.write_bytes(ply_bytes(cube.vertices, cube.faces))
    for school in metal_schools():
        assert (
            main(["metal", str(file), "-o", str(out), "--as-is", "--view", "-20,10", "--school", school, "--json"])
            == 0
        )
        told, got = json.loads(capsys.readouterr().out), columns(out)
        assert (
            told["facets"]["flat"] == 6 and {"reflect", "value"} <= set(got.dtype.names) and np.ptp(got["value"]) > 1
        )
    assert main(["metal", str(file), "-o", str(out), "--as-is", "--world", "uniform", "--roughness", "0.7"]) == 0
    assert columns(out)["reflect"] == pytest.approx(1, abs=0.01)
    told = tmp_path / "edges.json"
    assert main(["edges", str(file), "-o", str(told), "--as-is", "--lamp", "0,90", "--view", "35,30"]) == 0
    got = json.loads(told.read_text())
    assert (
        len(got["crests"]) == 12
        and got["total_mm"] == pytest.approx(120, rel=0.02)
        and got["lit_mm"] == pytest.approx(40, rel=0.05)
    )
    assert (
        main(["edges", str(file), "-o", str(tmp_path / "e.svg"), "--as-is"]) == 0
        and "<polyline" in (tmp_path / "e.svg").read_text()
    )
    for kind in ("chips", "streaks", "dust", "verdigris"):
        assert (
            main(["wear", str(file), "-o", str(out), "--as-is", "--kind", kind, "--amount", "0.5", "--seed", "3"])
            == 0
        )
        assert columns(out)["film_um"].min() >= 0
    capsys.readouterr()
    for argv, says in (
        (["metal", "--view", "1"], "2 numbers"), (["metal", "--roughness", "7"], "roughness"), (["metal", "--world", "mars"], "a world is"),
        (["metal", "--school", "x"], "school of metal"), (["edges", "--scale", "-1"], "scale"), (["wear", "--kind", "moss"], "--kind"),
        (["wear", "--kind", "dust", "--amount", "9"], "dust"),
    ):  # fmt: skip
        assert main([argv[0], str(file), "-o", str(out if argv[0] != "edges" else told), "--as-is", *argv[1:]]) == 2
        assert says in capsys.readouterr().err
