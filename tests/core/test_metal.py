"""Painted metal, edges and wear against closed forms and facts of the trade."""

import json
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.cli.main import main
from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.finish import films_of, metal_of
from dusk_lamp.core.coat.stack import appearance
from dusk_lamp.core.coat.streak import run_down
from dusk_lamp.core.coat.technique import technique
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.reflect import WORLDS, World, mirrored, on_ball, with_disc_at, world_from
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.colour import lab, xyz
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.features.colour.ways import way_called
from dusk_lamp.core.plan.features.edges.lines import beside_words, corner_dots, crests_of, lining
from dusk_lamp.core.plan.features.metal import painted
from dusk_lamp.core.plan.features.metal.painted import (
    colours,
    holds,
    jumps,
    layers_of,
    metal_values,
    mirror_ball,
    usual_metal,
)
from dusk_lamp.core.plan.features.metal.schools import metal_school, metal_schools
from dusk_lamp.core.plan.features.metal.schools.school import Shine, value_of
from dusk_lamp.core.plan.features.metal.trainer import unrolled
from dusk_lamp.core.plan.features.metal.wishes import Metal
from dusk_lamp.core.plan.features.wear.feature import WearWishes
from dusk_lamp.core.plan.features.wear.layers import LAYERS, LAYERS_BY_NAME, wear_coats
from dusk_lamp.core.sculpt.facets import FacetCut, FacetNote, facet_fields, facets, facets_from
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.relief import Bends, Relief, caught
from dusk_lamp.core.sculpt.site import WHOLE, Site, Where
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.target.local import Local, lab_of, local_of, usual_local
from dusk_lamp.core.target.target import target
from dusk_lamp.core.view.flat import facet_svg
from dusk_lamp.core.view.formats import ply_bytes
from dusk_lamp.core.view.sheen import with_sheen
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import ball, mesh_of, plate, surface_of, together
from .test_glow import RACK, columns

BALL = surface_of(ball(radius=10, fine=5, at=(0, 0, 10)))
FRONT = (0.0, 0.0)
LEVEL = World(((0.0, 1.0), (90.0, 1.0)), 0.0, 0.0, None)  # white above, black below, a knife's edge


@pytest.mark.parametrize("roughness", [0.0, 0.2, 0.5, 1.0])
def test_a_white_furnace_reflects_one(roughness):
    """In a world of 1 in every direction a surface that loses nothing shows 1, at every roughness, also where it
    hides itself."""
    pit = surface_of(together(ball(radius=4, fine=3), ball(radius=4, fine=3, at=(5, 0, 0))))
    for surface, seen in ((BALL, None), (pit, visibility_of(pit))):
        shown = mirrored(surface, seen, FRONT, WORLDS["uniform"], roughness)
        assert np.abs(shown - 1).max() < 0.01


def test_the_horizon_appears_where_the_mirrored_view_is_level():
    """On a ball seen from the front, level, that is its equator; seen from 40 degrees above, where the normal is
    tilted by 20."""
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
    for view in ((35.0, 20.0), (-70.0, 50.0), (150.0, 0.0)):  # from wherever one looks
        lamp = (view[0] + 50, 30.0)
        dull = mirrored(BALL, None, view, replace(world, lamp=Disc(*lamp, 12, 5.0)), 0.4)
        bright = np.average(BALL.normals, axis=0, weights=np.maximum(dull - 0.5 * dull.max(), 0))
        half = direction_of(*lamp) + direction_of(*view)
        assert bright @ half > np.cos(np.radians(5)) * np.linalg.norm(half) * np.linalg.norm(bright)


def test_bands_on_a_cylinder_run_along_its_axis():
    """What a cylinder mirrors does not change along its axis; a band of sky between two heights is as wide as half
    the angle times the radius."""
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
        (trimesh.creation.box((10, 6, 4)).subdivide().subdivide(), 6, 0),
        (trimesh.creation.cylinder(radius=4, height=10, sections=6), 8, 0),
        (ball(radius=5, fine=4), 0, 1),
        (trimesh.creation.cylinder(radius=4, height=20, sections=64).subdivide(), 2, 1),
    ],
)
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
    return Site(surface, visibility_of(surface))


def test_facets_of_a_blade_run_opposed_and_its_edge_is_near_white(blade):
    """Craft page, section 11: neighbours in opposite directions, edges white; near-black beside near-white."""
    found = facets(blade.surface, blade.bends)
    assert [f.kind for f in found] == ["flat"] * 4 and all(abs(f.along[2]) > 0.99 for f in found)
    value = value_of(metal_school("facet").shares(blade, Shine(), WORLDS["noon"], Lamp(30, 60)), Shine())
    z = blade.surface.points[:, 2]
    ends = []
    for facet in found:
        inner = facet.mask & (np.abs(blade.surface.points[:, 0] - 1.5 * np.sign(facet.normal[0])) < 0.9)
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
    site = Site(surface, visibility_of(surface))
    value = value_of(metal_school("layered").shares(site, Shine(), WORLDS["noon"], Lamp(0, 60)), Shine())
    best = [float(value[np.abs(surface.points[:, 2] - z) < 4.2].max()) for z in (4, 14)]
    assert best[0] < best[1]
    bare = Site(surface_of(together(*body)))
    open_ = value_of(metal_school("layered").shares(bare, Shine(), WORLDS["noon"], Lamp(0, 60)), Shine())
    head = slice(2 * len(ball(fine=4).vertices), 3 * len(ball(fine=4).vertices))
    assert value[head].mean() < open_[head].mean() - 0.3
    assert set(metal_schools()) == {"layered", "lamp", "facet", "strands"}
    with pytest.raises(SettingError, match="school of metal"):
        metal_school("chrome")


def test_the_value_range_of_materials_from_cloth_to_metal():
    """CP-27, common practice: cloth, leather, fur, metal; a shiny leather has sharp, small highlights."""
    spans, lights = {}, {}
    site = Site(BALL, visibility_of(BALL, 64))
    for material in ("cloth", "leather", "fur", "metal"):
        value = metal_values(site, usual_metal(material), Lamp(20, 55), usual_local(material))
        spans[material] = float(np.subtract(*np.percentile(value, [99, 1])))
        lights[material] = float((value > np.percentile(value, 1) + 0.75 * np.ptp(value)).mean())
    assert list(spans.values()) == sorted(spans.values()) and spans["metal"] > spans["cloth"] + 2
    assert lights["leather"] < 0.12, "small"


def test_hair_shines_in_a_band_across_its_strands():
    """Kajiya and Kay (1989): a strand shines where it runs square to the half-way between eye and lamp. Hanging on a
    ball that is lit and seen from in front, level, that is where strands hang plumb: round its middle, whatever the
    side; and sleek hair has the narrower band."""
    site = Site(BALL)
    n = BALL.normals
    sleek, shaggy = (
        metal_school("strands").shares(site, Shine(roughness=r), WORLDS["noon"], Lamp(0, 8)) for r in (0.1, 0.9)
    )
    half = np.radians(8)
    front = n[:, 1] < -0.3
    height = np.degrees(np.arcsin(np.clip(n[:, 2], -1, 1)))
    best = [
        float(height[front & side][np.argmax(sleek[front & side])])
        for side in (n[:, 0] < -0.3, np.abs(n[:, 0]) < 0.2, n[:, 0] > 0.3)
    ]
    assert np.ptp(best) < 12 and np.abs(best).max() < np.degrees(half) + 8
    wide = lambda x: float((x[front] > 0.75 * x.max()).mean())  # noqa: E731
    assert wide(sleek) < 0.7 * wide(shaggy)


def test_a_black_metal_under_a_red_sky_climbs_brown_red_orange_bone():
    """Craft page, section 11; and steel is never grey only: cool in the shadow at noon."""
    black = Local("#2a2a2c", "metal")
    rgb = colours(np.array([2.0, 3.6, 6.0, 8.8], np.float32), Metal(world="red sky"), black)
    Lab = lab_of(rgb)
    hue = np.degrees(np.arctan2(Lab[:, 2], Lab[:, 1]))
    chroma = np.hypot(Lab[:, 1], Lab[:, 2])
    assert (np.diff(hue) > 5).all() and 10 < hue[0] < 45 and 45 < hue[2] < 75 and chroma[2] > 25 and chroma[3] < 25
    noon = lab_of(colours(np.array([2.5, 9.0], np.float32), Metal(), Local("#8b8f94", "metal")))
    assert noon[0, 2] < -3 and np.hypot(*noon[0, 1:]) > 3
    gold = lab_of(colours(np.array([6.0], np.float32), Metal(), Local("#b8902f", "metal")))
    assert np.hypot(*gold[0, 1:]) > 30, "gold stays gold"


def test_a_lamp_is_where_the_mirror_ball_shows_it():
    """The law of reflection: the middle of the ball shows the eye, half way out what lies 60 degrees beside it."""
    assert on_ball(0, 0, (0, 0)) == pytest.approx([0, -1, 0], abs=1e-9)
    assert on_ball(0.5, 0, (0, 0)) == pytest.approx([np.sin(np.pi / 3), -np.cos(np.pi / 3), 0], abs=1e-9)
    world = with_disc_at(World(((0, 0.1), (90, 0.1)), 0.1, 1.0, None), "lamp", -0.4, 0.5, (30.0, 10.0))
    pixels = mirror_ball(Metal(own=world, shine=Shine(view=(30.0, 10.0))), size=81)
    bright = pixels[..., :3].sum(axis=2) * (pixels[..., 3] > 0)
    y, x = np.argwhere(bright >= bright.max() - 1).mean(axis=0)
    assert (2 * x / 80 - 1, 1 - 2 * y / 80) == pytest.approx((-0.4, 0.5), abs=0.06)
    with pytest.raises(SettingError, match="dragged"):
        with_disc_at(world, "moon", 0, 0, (0, 0))


def test_what_the_painter_says_of_a_facet_counts_and_a_facet_is_unrolled():
    """A box: one side is said to be none, and is given back; a blade's side as a strip runs as the blade does."""
    surface = surface_of(trimesh.creation.box((8, 6, 30)).subdivide_to_size(1.0))
    site = Site(surface)
    front = FacetNote((0.0, -3.0, 0.0), "none")
    assert len(facets(surface, site.bends)) == 6 and len(facets(surface, site.bends, notes=(front,))) == 5
    both = (front, replace(front, kind="cylinder"))
    assert [f.kind for f in facets(surface, site.bends, notes=both) if f.normal[1] < -0.9] == ["cylinder"]
    metal = Metal("facet")
    value = metal_values(site, metal, Lamp(30, 60))
    own = next(f for f in facets(surface, site.bends) if f.normal[1] < -0.9)
    strip = unrolled(site, own, value, metal, [p for p in RACK if p.kind in ("base", "layer")])
    assert strip.length == pytest.approx(30, abs=0.1) and strip.width == pytest.approx(8, abs=0.1)
    run = [s.value for s in strip.stops]
    assert abs(run[-1] - run[0]) > 4 and (np.sign(np.diff(run[2:-2])) == np.sign(run[-1] - run[0])).mean() > 0.8
    assert 2 <= len(strip.mixes) <= 5 and strip.words[0].endswith("the cutting edge last.")
    drawn = facet_svg(strip)
    assert drawn.count("<stop") == len(strip.stops) and drawn.count("<text") == len(strip.mixes)


@pytest.mark.parametrize("shape", ["box", "ball", "pipe"])
def test_facets_that_were_kept_and_those_found_again_are_the_same(shape):
    """Through arrays and back; and with what is flat found before a painter said anything."""
    made = {
        "box": trimesh.creation.box((8, 6, 30)).subdivide_to_size(1.0),
        "ball": ball(radius=5, fine=4),
        "pipe": trimesh.creation.cylinder(radius=4, height=20, sections=64).subdivide(),
    }
    surface = surface_of(made[shape])
    site, notes = Site(surface), (FacetNote((0.0, -3.0, 0.0), "ball"),)
    cuts = (FacetCut((4.0, -3.0, 0.0), (4.0, 3.0, 1.0)),)
    for said in ((), (notes,), (notes, cuts)):
        plain = facets(surface, Bends(surface), None, *said)
        fields = {name: array.copy() for name, array in facet_fields(plain).items()}
        for found in (site.facets(*said), facets_from(fields, len(surface))):
            assert [(f.kind, f.neighbours, f.length, f.width, f.mm2, f.hollow) for f in found] == [
                (f.kind, f.neighbours, f.length, f.width, f.mm2, f.hollow) for f in plain
            ]
            for a, b in zip(found, plain, strict=True):
                assert all(np.array_equal(getattr(a, n), getattr(b, n)) for n in ("mask", "normal", "along"))


def test_a_transparent_green_over_silver_is_green_and_lighter_toward_the_mirror():
    """Craft page, section 11: coloured metal; a film over a metallic ground, whose sheen moves with the light."""
    site = Site(BALL, marking=Marking(np.ones(len(BALL), np.uint8), (Region("Helm", "metal", colour="#3f8a54"),)))
    local = local_of(site.marking.regions[0])
    wanted = target(site, Rig(Lamp(0, 60)), [usual_local("stone"), local])
    task = brief_of(site, wanted, 1, np.full((len(site), 36), 0.1, np.float32), RACK, lamp=Lamp(0, 60))
    coats = way_called("metallic").coats(task)
    assert (coats[0].technique, coats[0].mix.kind, coats[0].settings.water) == ("brush", "metallic", 0)
    assert any(c.mix.kind in ("ink", "one-coat") for c in coats) and {"wash", "line"} <= {c.technique for c in coats}
    films = films_of(site, coats)
    seen = appearance(list(zip(coats, films, strict=True)), len(site))
    Lab = lab(xyz(np.average(seen, axis=0, weights=site.areas)))
    assert Lab[1] < -8, "green"
    metal = metal_of(zip(coats, films, strict=True), len(site))
    assert np.median(metal) > 0.6, "the metal shows through"
    hidden = usual_coat("brush", only(RACK.find("Gull")))
    assert metal_of([(coats[0], films[0]), (hidden, np.full(len(site), 40, np.float32))], len(site)).max() < 0.3
    level = np.full((len(site), 3), 110, np.uint8)
    lamp, eye = np.array([0, -0.5, 0.866]), np.array([0, -1.0, 0.0])
    leaf = with_sheen(level, BALL, np.zeros(len(site), np.float32), np.ones(len(site), np.float32), lamp, eye)[
        :, 0
    ].astype(float)
    half = (lamp + eye) / np.linalg.norm(lamp + eye)
    assert BALL.normals[np.argmax(leaf)] @ half > 0.98 and leaf.max() > 1.5 * leaf.min()
    gold = Region("Cup", "metal", colour="#9a7b3d")
    golden = replace(task, lab=target(site, Rig(Lamp(0, 60)), [usual_local("stone"), local_of(gold)]).lab)
    steel = replace(
        task,
        lab=target(site, Rig(Lamp(0, 60)), [usual_local("stone"), local_of(replace(gold, colour="#a9adb0"))]).lab,
    )
    edge = [
        next(c for c in way_called("metallic").coats(t) if c.technique == "line").settings for t in (golden, steel)
    ]
    assert edge[0].width < edge[1].width and edge[0].elevation > edge[1].elevation, "silver on gold sparingly"


def test_a_metal_wants_near_black_beside_near_white(monkeypatch):
    """Common practice, craft page, section 9: the two touch, or nearly."""
    site = Site(surface_of(plate(-10, 10, -10, 10, cells=60)))
    x = site.surface.points[:, 0] / site.surface.spacing
    said = {}
    for gap in (0, 4, 8):
        values_ = np.where(x < 0, 1.5, np.where(x > gap, 9.5, 5)).astype(np.float32)
        monkeypatch.setattr(painted, "metal_values", lambda *_, own=values_: own)
        said[gap] = holds(site, np.ones(len(site), np.bool_), Metal(), Lamp(0, 60))
    assert [own.contrast for own in said.values()] == [True, True, False]
    assert "lies beside near-white" in said[4].words and "Nowhere" in said[8].words


def test_the_layers_of_a_metal_strictly_shrink():
    """CP-22: D+M 1:1, D+M 1:2, M, M+W 1:1, M+W 1:2 climb, each on less than the one before; no jump above a value and
    a half."""
    site = Site(
        BALL, visibility_of(BALL, 64), marking=Marking(np.ones(len(BALL), np.uint8), (Region("Helm", "metal"),))
    )
    wanted = target(site, Rig(Lamp(0, 60)), [usual_local("stone"), usual_local("metal")])
    task = brief_of(site, wanted, 1, np.full((len(site), 36), 0.1, np.float32), RACK, lamp=Lamp(0, 60))
    metal = usual_metal("metal")
    own = layers_of(task, metal, metal_values(site, metal, Lamp(0, 60)))
    areas = [float(site.areas[c.where.samples(len(site))].sum()) for c in own]
    lightness = [c.mix.colour.value for c in own]
    assert len(own) >= 5 and (np.diff(areas) < 0).all() and (np.diff(lightness) > 0).all() and jumps(own) == []
    few = [own[0], own[-1]]
    assert len(jumps(few)) == 1 and "mix the two" in jumps(few)[0]
    assert "first step is missing" in jumps(own[len(own) // 2 :])[0]


def test_studs_take_a_line_on_their_upper_half_and_corners_a_dot():
    """Craft page, section 12: a stud on a wall; on one that faces up all of its rim. A box under a lamp: four corners
    on top."""
    for tilt, share in ((90, 0.5), (0, 1.0)):
        wall = trimesh.creation.box((40, 40, 2)).subdivide_to_size(2.0)
        stud = trimesh.creation.cylinder(radius=1.2, height=3, sections=40).subdivide_to_size(0.5)
        stud.apply_translation([0, 0, 1.5])
        whole = together(wall, stud)
        whole.apply_transform(trimesh.transformations.rotation_matrix(np.radians(tilt), [1, 0, 0]))
        site = Site(surface_of(whole))
        rims = [
            line
            for line in site.lines
            if line.convex and np.ptp(line.places, axis=0).max() < 3 and line.corners[0] == line.corners[-1]
        ]
        assert rims
        for rim in rims:
            on = caught(rim, site.surface.size)
            assert on.mean() == pytest.approx(share, abs=0.1)
            if tilt:
                middle = (rim.places[:-1, 2] + rim.places[1:, 2]) / 2
                assert middle[on].min() >= middle[~on].max() - 1e-3
    box = surface_of(trimesh.creation.box((10, 10, 10)).subdivide_to_size(0.5))
    dots = corner_dots(Site(box), Lamp(0, 90)) > 0.5
    assert (box.points[dots][:, 2] > 4.5).all() and 4 <= len(np.unique(np.sign(box.points[dots][:, :2]), axis=0)) <= 4
    assert (np.abs(box.points[dots][:, :2]) > 4.4).all()
    assert crests_of(Site(box), None, least=11.0).crests == [], "the shortest that counts"


@pytest.mark.long
def test_wear_comes_in_the_order_of_the_craft_and_spares_what_is_to_stay_clean():
    """CP-32 and craft page, section 12: varnish under the grime, matt varnish locks it before chips; lighter inside
    the large chips, rust in the middle of those; verdigris on metal alone; dust last."""
    half = (BALL.points[:, 0] > 0).astype(np.uint8)
    regions = (Region("Helm", "metal"),)
    site = Site(BALL, visibility_of(BALL, 64), marking=Marking(half, regions))
    every = dict.fromkeys(LAYERS_BY_NAME, 0.6)
    own = wear_coats(site, every, (), 3, RACK, Tools())
    ways_ = [c.way for c in own]
    assert ways_ == ["seal", "grime", "lock", "chips", "inside", "rust", "streaks", "verdigris", "dust"], (
        "no leather or wood: no bare corners"
    )
    assert own[0].mix.finish > 0.4 and own[2].mix.finish == 0 and own[1].settings.pulled_down
    fine = Site(surface_of(ball(radius=10, fine=6, at=(0, 0, 10))))
    films = {c.way: replace(c, where=WHOLE).film(fine) for c in own if c.technique == "chips"}
    inside = [(films[a] > 0)[films[b] > 0].mean() for a, b in (("chips", "inside"), ("inside", "rust"))]
    assert min(inside) > 0.85 and (films["rust"] > 0).sum() < (films["inside"] > 0).sum() < (films["chips"] > 0).sum()
    assert next(c for c in own if c.way == "verdigris").film(site)[half == 0].max() == 0
    clean = wear_coats(site, every, site.marking.ids[1:], 3, RACK, Tools())
    assert all(c.film(site)[half == 1].max() == 0 for c in clean) and "verdigris" not in [c.way for c in clean]
    assert wear_coats(site, {}, (), 3, RACK, Tools()) == [] and set(WearWishes().shown) == {
        layer.name for layer in LAYERS if layer.usual
    }
    for bad, says in (({"moss": 0.2}, "wear is"), ({"dust": 3}, "between 0 and 1")):
        with pytest.raises(SettingError, match=says):
            WearWishes(bad)


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


def test_the_darkest_line_is_looked_for_beside_the_brightest_edge():
    """Craft page, section 11."""
    surface = surface_of(trimesh.creation.box((10, 10, 10)).subdivide_to_size(0.3))
    site = Site(surface)
    edge = usual_coat("line", only(RACK.find("Gull"))).with_settings({"elevation": 90.0})
    dark = usual_coat("brush", only(RACK.find("Soot")))
    side = np.abs(np.abs(surface.points[:, 0]) - 5) < 0.01
    near = replace(dark, where=Where.some(side & (surface.points[:, 2] > 4.0)))
    assert beside_words(site, [], None) == "" and "line the creases" in beside_words(site, [edge], None)
    share = float(beside_words(site, [edge], near).split("%")[0].split()[-1])
    assert 45 < share < 75, "two of its four edges, and a little round their corners"


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


def test_wear_knows_what_it_lies_on():
    """Common practice, CP-41: chips and rust on metal and painted plates, bare corners on leather and wood, dust low
    down and on everything but faces and glass; a painter's own share counts more."""
    surface = surface_of(together(*(ball(radius=3, fine=3, at=(8 * k, 0, 3)) for k in range(4))))
    labels = (1 + np.clip(np.round(surface.points[:, 0] / 8), 0, 3)).astype(np.uint8)
    regions = (Region("Cloak", "cloth"), Region("Face", "skin"), Region("Blade", "metal"), Region("Belt", "leather"))
    site = Site(surface, marking=Marking(labels, regions))
    amounts = {layer.name: 0.6 for layer in LAYERS}

    def reached(shares=None):
        out = {}
        for coat in wear_coats(site, amounts, (), 3, RACK, Tools(), shares or {}):
            film = coat.film(site)
            out.setdefault(coat.way, set()).update(np.unique(labels[film > 0]).tolist())
        return out

    on = reached()
    assert (
        on["chips"] == {3}
        and on["verdigris"] <= {3}
        and on["rust"] <= {3}
        and on["streaks"] <= {3}
        and on["scuffs"] == {4}
    )
    assert on["grime"] == {1, 3, 4} and on["dust"] == {1, 3, 4}, "never on the face"
    cloak = str(site.marking.ids[1])
    assert (
        reached({cloak: {"chips": 0.5, "dust": 0.0}})["chips"] == {1, 3}
        and 1 not in reached({cloak: {"dust": 0}})["dust"]
    )
    with pytest.raises(SettingError, match="between 0 and 1"):
        WearWishes(shares={cloak: {"dust": 2}})


def test_wear_gathers_where_it_does_in_life():
    """Craft page, section 12: chips on what stands out, more than five times as dense as on flats; inner chips inside
    the outer ones; dust low; verdigris in nooks; the same for a seed; nothing where a coat does not go."""
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
        (b'{"sky": [[0, NaN]]}', "no number"),
        (b"[1]", "object"),
        (b"{", "no JSON"),
        (b'{"sky": [[0, 0]], "ground": 0, "lamp": null}', "without light"),
        (b'{"sky": [[50, 1], [10, 1]]}', "horizon up"),
        (b'{"ground": -1}', "ground"),
    ):
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
            told["kinds"]["flat"] == 6 and {"reflect", "value"} <= set(got.dtype.names) and np.ptp(got["value"]) > 1
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
        (["metal", "--view", "1"], "2 numbers"),
        (["metal", "--roughness", "7"], "roughness"),
        (["metal", "--world", "mars"], "a world is"),
        (["metal", "--school", "x"], "school of metal"),
        (["edges", "--scale", "-1"], "scale"),
        (["wear", "--kind", "moss"], "--kind"),
        (["wear", "--kind", "dust", "--amount", "9"], "dust"),
        (["wear", "--kind", "dust", "--material", "Hat:cloth"], "no region 'Hat'"),
    ):
        assert main([argv[0], str(file), "-o", str(out if argv[0] != "edges" else told), "--as-is", *argv[1:]]) == 2
        assert says in capsys.readouterr().err
