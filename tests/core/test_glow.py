"""Glows against closed forms: view factors, inverse square, heats along geodesics, lenses."""

import json
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.cli.main import main
from dusk_lamp.core.coat.stack import appearance
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.emitter import Source, ball_factor, glow_of, polygon_factor
from dusk_lamp.core.light.flame import HUES, flamed
from dusk_lamp.core.light.glint import glinting
from dusk_lamp.core.light.heat import HEATS, heated, widths
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.planes import plane_at
from dusk_lamp.core.light.rig import Rig, light_on
from dusk_lamp.core.light.tint import of_temperature
from dusk_lamp.core.paint.colour import RGB_TO_XYZ, linear, rgb_from_hex
from dusk_lamp.core.paint.glaze import grey
from dusk_lamp.core.paint.mix import only, values_of
from dusk_lamp.core.paint.rack import Rack
from dusk_lamp.core.plan.features.glow.glows import (
    CORE,
    FAR,
    NEAR,
    RIM,
    WishedGlow,
    glow_coats,
    glow_reach,
    glowing,
    radiosity,
    reached,
    readable,
    strength_of,
    strongest,
)
from dusk_lamp.core.plan.features.glow.lens import lens_coats, lenses
from dusk_lamp.core.sculpt.geodesic import along_the_skin
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.relief import Bends
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.target.exposure import Exposure
from dusk_lamp.core.target.local import lab_of, usual_local
from dusk_lamp.core.target.target import sketched, target
from dusk_lamp.core.view.flat import lens_svg
from dusk_lamp.core.view.formats import lit_ply, marked_ply

from ..shapes import RACK, ball, mesh_of, plate, surface_of, together

UP = np.array([[0.0, 0.0, 1.0]])
HERE = np.zeros((1, 3))
FLOOR = Site(surface_of(plate(-30, 30, -30, 30, cells=60)))


def at(site, x, y):
    return int(np.argmin(np.hypot(site.surface.points[:, 0] - x, site.surface.points[:, 1] - y)))


def test_a_rectangle_and_a_ball_give_their_tabulated_factors():
    """Howell, A Catalog of Radiation Heat Transfer Configuration Factors: B-4, an element to a parallel rectangle
    over its corner; B-5, to one that stands square to it; a ball over an element: the square of the sine."""
    X, Y = 1.3, 0.7
    corner = (
        X / np.hypot(1, X) * np.arctan(Y / np.hypot(1, X)) + Y / np.hypot(1, Y) * np.arctan(X / np.hypot(1, Y))
    ) / (2 * np.pi)
    above = np.array([[0, 0, 1], [0, Y, 1], [X, Y, 1], [X, 0, 1.0]])
    assert polygon_factor(HERE, UP, above)[0] == pytest.approx(corner, rel=1e-9)
    x, y = 0.8, 1.4  # x: distance over the width, y: height over the width
    wall = np.array([[0, x, 0], [1, x, 0], [1, x, y], [0, x, y]])[::-1]
    square = (np.arctan(1 / x) - x / np.hypot(x, y) * np.arctan(1 / np.hypot(x, y))) / (2 * np.pi)
    assert max(polygon_factor(HERE, UP, w)[0] for w in (wall, wall[::-1])) == pytest.approx(square, rel=1e-9)
    middle = np.array([0, 0, 3.0])
    assert ball_factor(HERE, UP, middle, 1.5)[0] == pytest.approx(0.25)
    assert ball_factor(HERE, np.array([[0, np.sin(1), np.cos(1)]]), middle, 1.0)[0] == pytest.approx(np.cos(1) / 9)
    # level with the horizon half of it is seen: the closed form of a half disc's shadow, by a fine count of
    # directions
    side, n = np.array([[1.0, 0.0, 0.0]]), 400_000
    k = np.arange(n) + 0.5
    r, turn = np.sqrt(k / n), k * 2.399963
    ways = np.column_stack([r * np.cos(turn), r * np.sin(turn), np.sqrt(1 - k / n)])[:, [2, 0, 1]]
    along = ways @ middle
    counted = np.mean((along > 0) & (9 - along**2 < 1.5**2))
    assert ball_factor(HERE, side, middle, 1.5)[0] == pytest.approx(counted, rel=0.01)


def test_a_far_source_is_a_point_and_a_long_tube_falls_off_with_its_distance():
    """Inverse square; five times its size away a source is a point within 1 to 2 % (photometry); and a long tube
    1/r."""
    small = Source("ball", middle=(0, 0, 10), radius=0.5)
    near, far = (glow_of(FLOOR, replace(small, middle=(0, 0, h))).factor[at(FLOOR, 0, 0)] for h in (8, 16))
    assert near / far == pytest.approx(4, rel=1e-3)
    plane = Source("plane", middle=(0, 0, 5), normal=(0, 0, -1), width=1, height=1)
    got = glow_of(FLOOR, plane).factor[at(FLOOR, 0, 0)]
    assert got == pytest.approx(1 / (np.pi * 25), rel=0.02)
    tube = [replace(plane, width=400, height=0.2, middle=(0, 0, h)) for h in (3, 6)]
    one, two = (glow_of(FLOOR, t).factor[at(FLOOR, 0, 0)] for t in tube)
    assert one / two == pytest.approx(2, rel=0.01)


@pytest.mark.parametrize(
    ("fine", "height", "near"), [(2, 5.0, 0.012), (4, 5.0, 0.012), (4, 3.0, 0.03), (4, 2.3, 0.25)]
)
def test_a_region_glows_as_the_shape_it_is(fine, height, near):
    """A ball that is a region against the ball in closed form, on and off its axis, near and far; few faces or
    many."""
    whole = together(plate(-20, 20, -20, 20, cells=40), ball(radius=2, fine=fine, at=(0, 0, height)))
    surface = surface_of(whole)
    lamp = np.linalg.norm(surface.points - [0, 0, height], axis=1) < 2.2
    lamp &= surface.points[:, 2] > 0.2
    site = Site(surface, marking=Marking(lamp.astype(np.uint8), (Region("Lamp"),)))
    got = glow_of(site, Source("region", 1))
    floor = ~lamp
    exact = ball_factor(surface.points[floor], surface.normals[floor], np.array([0, 0, height]), 2.0)
    flat = 1 - got.area / (np.pi * 4)  # what a faceted ball lacks
    assert np.abs(got.factor[floor] - exact).max() < (near + flat) * exact.max()
    assert got.factor[floor].mean() == pytest.approx(exact.mean(), rel=0.02 + flat)
    assert got.visible[floor].min() > 0.98


def test_strength_is_reach_and_no_reach_lights_what_is_hidden():
    """CP-25. Strength to reach to strength is the identity; twice the reach is four times the strength; what the
    source cannot see stays dark however strong it is."""
    wall = plate(-3, 3, 0, 6, cells=20)
    import trimesh

    wall.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0]))
    site = Site(surface_of(together(plate(-30, 30, -30, 30, cells=60), wall)))
    exposure, lit = Exposure(), light_on(site, Rig(Lamp(0, 60), 0, bounce=0)).total
    least = readable(0.4, exposure, 1.0)
    for source in (Source("ball", middle=(0, 6, 3), radius=1), Source("plane", middle=(0, 6, 3), normal=(0, -1, 0))):
        glow = glow_of(site, source)
        for reach in (5.0, 12.0):
            assert glow_reach(
                source, glow.area, strength_of(source, glow.area, reach, least), least
            ) == pytest.approx(reach)
    ball_ = Source("ball", middle=(0, 6, 3), radius=1)
    assert strength_of(ball_, 1, 20, least) == pytest.approx(4 * strength_of(ball_, 1, 10, least))
    glow = glow_of(site, ball_)
    assert radiosity(ball_, 2.0) * ball_factor(HERE, UP, np.array([0, 0, 2.0]), 1.0)[0] == pytest.approx(2.0), (
        "1 mm off it"
    )
    bands = [
        reached(site, WishedGlow(ball_, strength=strength_of(ball_, 1, r, least)), glow, lit, exposure, 1.0)
        for r in (10, 20)
    ]
    assert (bands[1].band[bands[0].band > 0] > 0).all() and (bands[1].band > 0).sum() > (bands[0].band > 0).sum()
    behind = at(site, 0, -4)
    assert glow.visible[behind] == 0 and bands[1].light[behind] == 0 and glow.visible[at(site, 0, 12)] == 1
    open_ = glow_of(site, ball_, shadow=False)
    assert open_.factor[behind] > 0
    for reach in (0, -3, 1000):
        with pytest.raises(SettingError, match="reach of a glow is between"):
            strength_of(ball_, 1, reach, least)


@pytest.fixture(scope="module")
def lantern():
    """A glowing ball on a floor with a post beside it."""
    import trimesh

    post = trimesh.creation.box((2, 2, 8))
    post.apply_translation([6, 0, 4])
    surface = surface_of(
        together(plate(-15, 15, -15, 15, cells=50), ball(radius=2, fine=4, at=(0, 0, 5)), post.subdivide_to_size(0.6))
    )
    own = np.linalg.norm(surface.points - [0, 0, 5], axis=1) < 2.2
    site = Site(
        surface, visibility_of(surface), marking=Marking(own.astype(np.uint8), (Region("Lamp", "glass or gem"),))
    )
    wish = WishedGlow(Source("region", 1), "#ffb347", 1.0)
    rig = Rig(Lamp(0, 70, 10), 0.2, "overcast", 0.1)
    return site, wish, glow_of(site, wish.source), target(site, rig), rig


def test_on_what_is_white_already_no_glow_shows(lantern):
    """A glow adds light; where the lamp has brought a spot to the white of the plan there is nothing lighter to paint
    (common practice)."""
    site, wish, glow, _, rig = lantern
    exposure = Exposure()
    bright = np.full(len(site), 1.2 * rig.full, np.float32)
    found = reached(site, wish, glow, bright, exposure, rig.full)
    assert not (found.band[~glow.mask] >= FAR).any()
    dark = reached(site, wish, glow, 0.1 * bright, exposure, rig.full)
    assert (dark.band[~glow.mask] >= FAR).mean() > 0.02


def test_an_edge_that_catches_the_glow_is_of_the_region_that_most_of_it_lies_in(lantern):
    """The post's upright edges stand in another region with their feet."""
    site, wish, _, _, rig = lantern
    labels, points = site.labels.copy(), site.surface.points
    post = (np.abs(points[:, 0] - 6) < 1.1) & (np.abs(points[:, 1]) < 1.1) & (points[:, 2] > 0.2)
    labels[post & (points[:, 2] > 2)] = 2
    regions = (Region("Lamp", "glass or gem"), Region("Post"))
    site = Site(site.surface, site.visibility, marking=Marking(labels, regions))
    dark = np.full(len(site), 0.05 * rig.full, np.float32)
    found = reached(site, wish, glow_of(site, wish.source), dark, Exposure(), rig.full)
    upright = [c for c in found.catches if c.length == pytest.approx(8, abs=0.5)]
    assert upright and all(c.region == 2 for c in upright)


def test_the_source_is_lightest_and_bands_nest(lantern):
    """The source must be the lightest thing there; near lies inside far; dimming the lamp widens what is read."""
    site, wish, glow, grey_, rig = lantern
    exposure, lamp = Exposure(), grey_.light.total
    limit = strongest(wish, glow, lamp, rig.full)
    assert 0 < limit < np.inf
    wish = replace(wish, strength=0.7 * limit)
    found = reached(site, wish, glow, lamp, exposure, rig.full)
    assert set(np.unique(found.band[glow.mask])) == {RIM, CORE}
    assert reached(site, replace(wish, strength=1.3 * limit), glow, lamp, exposure, rig.full).most > found.most
    dusk = reached(site, wish, glow, lamp * np.float32(0.3), exposure, rig.full)
    assert (dusk.band >= FAR).sum() > (found.band >= FAR).sum()
    assert (
        dusk.light[dusk.band == NEAR].min() > 0
        and (dusk.band[dusk.light == 0] == 0)[~glow.mask[dusk.light == 0]].all()
    )
    lit = glowing(grey_.light.dimmed(0.3), [(wish, glow)], rig.full)
    alone = glowing(grey_.light.dimmed(0.0), [(wish, glow)], rig.full)
    wanted = sketched(
        site,
        replace(grey_, light=lit, value=_value(lit, rig)),
        exposure,
        [usual_local("stone"), usual_local("glass or gem")],
    )
    assert (
        wanted.value[glow.mask].max() == wanted.value.max()
        and alone.total[(glow.factor == 0) & ~glow.mask].max() == 0
    )
    near = (dusk.band == NEAR) & ~glow.mask
    assert lab_of(wanted.rgb[near])[:, 2].mean() > 5, "the floor turns amber"
    assert lab_of(wanted.rgb[near])[:, 2].mean() > lab_of(wanted.rgb[dusk.band == 0])[:, 2].mean() + 5
    off = glowing(grey_.light, [(replace(wish, on=False), glow)], rig.full)
    assert np.array_equal(off.total, grey_.light.total)


def _value(light, rig):
    from dusk_lamp.core.target.exposure import value_of_light

    return value_of_light(light.total, Exposure(), rig.full)


def test_the_coats_of_a_glow_come_in_the_order_of_the_craft(lantern):
    """CP-26: white, tint over all, white again in the middle, one light tint over the source only; another colour
    means only another tint; receivers keep most of their own contrast; and blue over orange is painted, not
    tinted."""
    site, wish, glow, grey_, rig = lantern
    lamp = grey_.light.total * np.float32(0.4)
    wish = replace(wish, strength=0.7 * strongest(wish, glow, lamp, rig.full))
    found = reached(site, wish, glow, lamp, Exposure(), rig.full)
    under = grey(3.0 + grey_.value / 3).astype(np.float32)
    wanted = sketched(
        site,
        replace(grey_, light=glowing(grey_.light.dimmed(0.4), [(wish, glow)], rig.full)),
        Exposure(),
        [usual_local("stone")] * 2,
    ).lab
    painted = glow_coats(site, wish, found, under, wanted, RACK)
    kinds = ["white" if c.mix.colour.value > 8.8 else "tint" for c in painted.coats]
    assert kinds == ["white", "tint", "tint", "tint", "white", "tint"] and not painted.opaque
    tidy = painted.coats.pop(3)
    rim = tidy.where.samples(len(site))
    assert "tidy" in tidy.label and tidy.settings.water == 2 and (found.band[rim] == 0).all()
    drying = painted.coats[1].by.drying(painted.coats[1].settings, painted.coats[1].mix)
    assert drying == 2 and tidy.by.drying(tidy.settings, tidy.mix) == 1, "a heavy tint dries slower than a layer"
    masks = [c.where.samples(len(site)) for c in painted.coats]
    assert (masks[0] == glow.mask).all() and (masks[-1] == glow.mask).all() and (masks[3] <= glow.mask).all()
    assert (masks[1] & ~glow.mask).any() and not (masks[2] & glow.mask).any()
    seen = appearance([(c, c.film(site)) for c in painted.coats], len(site), under)
    assert np.median(values_of(seen[glow.mask])) > np.percentile(values_of(seen[~glow.mask]), 99)
    green = glow_coats(site, replace(wish, colour="#4fd06a"), found, under, wanted, RACK)
    assert green.coats.pop(3).mix == tidy.mix
    own = {int(site.labels[rim][0]): [only(RACK.find("Gull")), only(RACK.find("Rose Hip"))]}
    ready = glow_coats(site, wish, found, under, wanted, RACK, own).coats[3]
    assert "tidy" in ready.label and ready.mix == only(RACK.find("Gull")), "from what the region was painted with"
    same = [(a.mix == b.mix, a.where == b.where) for a, b in zip(painted.coats, green.coats, strict=True)]
    assert [m for m, _ in same] == [True, False, False, True, False] and all(w for _, w in same)
    orange = np.tile(RACK.find("Ember").pigment.masstone, (len(site), 1)).astype(np.float32)
    blue = glow_coats(site, replace(wish, colour="#3f7fff"), found, orange, wanted, RACK)
    assert (
        blue.opaque and "grey" in blue.mind[0] and "far" in next(c.label for c in blue.coats if "opaque" in c.label)
    )


@pytest.mark.parametrize("shape", ["sphere", "cylinder"])
def test_distance_along_the_skin(shape):
    """Great circles, and helices on a cylinder unrolled: within 2 %."""
    if shape == "sphere":
        surface = surface_of(ball(radius=10, fine=5))
        start = surface.points[0]
        exact = 10 * np.arccos(np.clip(surface.points @ start / np.linalg.norm(start) / 10, -1, 1))
    else:
        sheet = plate(-np.pi * 4, np.pi * 4, -12, 12, cells=90)
        x, y = sheet.vertices[:, 0].copy(), sheet.vertices[:, 1].copy()
        sheet.vertices = np.column_stack([4 * np.cos(x / 4), 4 * np.sin(x / 4), y])
        sheet.merge_vertices(digits_vertex=4)
        surface = surface_of(sheet)
        start = np.array([4.0, 0, 0])
        exact = np.hypot(4 * np.abs(np.arctan2(surface.points[:, 1], surface.points[:, 0])), surface.points[:, 2])
    got = along_the_skin(surface, Bends(surface), start)
    far = exact > 1
    assert np.abs(got[far] / exact[far] - 1).max() < 0.02
    with pytest.raises(SettingError, match="off the sculpt"):
        along_the_skin(surface, Bends(surface), [0, 0, 500])


def test_heats_come_in_the_order_of_the_black_body_and_leave_no_sliver():
    """Incandescent colours run along the Planckian locus: the hotter, the less red (Planck's law on the observer's
    bands); the names as metalworking handbooks have them, from memory. Dark red twice at the ends (craft page,
    section 10)."""
    xs = [xyz[0] / xyz.sum() for xyz in (linear(rgb_from_hex(c)) @ RGB_TO_XYZ.T for _, _, c in HEATS)]
    assert xs == sorted(xs) and [t for _, t, _ in HEATS] == sorted((t for _, t, _ in HEATS), reverse=True)
    locus = [linear(rgb_from_hex(of_temperature(1000 + 273 + d))) @ RGB_TO_XYZ.T for d in (600, 0)]
    assert locus[0][0] / locus[0].sum() < locus[1][0] / locus[1].sum()
    whole, none = widths(12, 1.0)
    assert not none and [n for n, _ in whole][-1] == "dark red" and whole[-1][1] == pytest.approx(2 * whole[0][1])
    for length in (5.0, 4.0, 3.0, 2.1, 1.0):
        kept, dropped = widths(length, 1.0)
        assert sum(w for _, w in kept) == pytest.approx(length) and min(w for _, w in kept) >= 1.0 - 1e-9 and dropped
    with pytest.raises(SettingError, match="shorter"):
        widths(0.5, 1.0)
    site = Site(surface_of(ball(radius=10, fine=5)))
    hot = heated(site, [[0, 0, 10]], 12.0)
    far = 10 * np.arccos(np.clip(site.surface.points[:, 2] / 10, -1, 1))
    assert np.abs(hot.heat - np.clip(1 - far / 12, 0, 1)).max() < 0.02
    edges = [b.begins for b in hot.bands] + [hot.bands[-1].ends]
    for k, band in enumerate(hot.bands):
        zone = 2 * np.pi * 100 * (np.cos(edges[k] / 10) - np.cos(edges[k + 1] / 10))
        assert band.mm2 == pytest.approx(zone, rel=0.06)


def test_flame_is_brightest_low_and_licks_upward():
    """Craft page, section 10: brightest at the bottom, dark toward the tips, no pure bright red, the same for a
    seed."""
    site = Site(surface_of(ball(radius=10, fine=5, at=(0, 0, 10))))
    foot = [[0, -10, 10]]
    one, again, other = (flamed(site, foot, 8, seed=s) for s in (3, 3, 4))
    assert np.array_equal(one.hue, again.hue) and not np.array_equal(one.hue, other.hue)
    z, burns = site.surface.points[:, 2], one.flame > 0
    assert z[burns].max() - 10 > 2 * (10 - z[burns].min()), "upward"
    assert np.corrcoef(one.flame[burns & (z > 10)], z[burns & (z > 10)])[0, 1] < -0.5
    for name, hues in HUES.items():
        rgb = np.array([rgb_from_hex(h) for h in hues])
        assert (np.diff(rgb @ [0.2, 0.7, 0.1]) > 0).all(), name
        if name == "fire":
            assert not any(r > 0.7 and g < 0.2 for r, g, _ in rgb)
    block = Site(surface_of(trimesh.creation.box(bounds=((-6, -6, 0), (6, 6, 30))).subdivide_to_size(1.0)))
    beside = flamed(block, [[0, -6, 6]], 8)
    away = np.linalg.norm(block.surface.points[beside.catches] - (0, -6, 6), axis=1)
    assert len(away) > 5 and (beside.flame[beside.catches] == 0).all() and away.max() < 1.5 * 8, "edges near it"
    dark = flamed(site, foot, 8, heart=True, seed=3)
    assert dark.hue[np.argmax(dark.flame)] == 1
    with pytest.raises(SettingError, match="a flame is one of"):
        flamed(site, foot, 8, "pink")


def eye_pair(turn=1.0, radius=1.5):
    whole = together(ball(radius=radius, fine=4, at=(-4, 0, 5)), ball(radius=radius, fine=4, at=(4, 0, 5)))
    surface = surface_of(whole)
    front = (surface.points[:, 1] < -0.45 * radius).astype(np.uint8)
    return Site(surface, marking=Marking(front, (Region("Eyes", "glass or gem"),)))


def test_a_lens_is_dark_low_crescents_and_a_dot_toward_the_lamp():
    """Craft page, section 10, CP-33: crescents in the half away from the lamp, ever smaller, a dot in the half toward
    it; mirrored lamps give mirrored drawings; narrow lenses fewer crescents."""
    site = eye_pair()
    left, right = lenses(site, 1, Lamp(0, 60))
    assert left.middle[0] < right.middle[0] and len(left.crescents) == 3
    assert left.dot[1] > 0 and all((c[:, 1].mean() < 0) for c in left.crescents)
    areas = [_area(c) for c in left.crescents]
    assert areas == sorted(areas, reverse=True) and areas[2] > 0
    a, b = (lenses(site, 1, Lamp(az, 40))[k] for az, k in ((50, 0), (-50, 1)))
    assert (
        a.dot[0] > 0 > b.dot[0]
        and a.dot[0] == pytest.approx(-b.dot[0], abs=0.03)
        and a.dot[1] == pytest.approx(b.dot[1], abs=0.03)
    )
    width = left.width
    for marks, count in ((4.5, 3), (3.5, 2), (2.5, 1), (1.5, 0)):
        assert len(lenses(site, 1, Lamp(0, 60), width / marks)[0].crescents) == count
    drawn = lens_svg([left, right])
    assert drawn.count("<g ") == 2 and drawn.count("<circle") == 2 and "mm" in drawn
    assert left.words.endswith("wide: three crescents, a line and a dot.")
    narrow = lenses(site, 1, Lamp(0, 60), width / 2.5)[0]
    assert narrow.words.endswith("less than four marks of your brush: one crescent and a dot.")
    few = Site(site.surface, marking=Marking((np.arange(len(site)) < 3).astype(np.uint8), (Region("Bead"),)))
    with pytest.raises(SettingError, match="Bead"):
        lenses(few, 1, Lamp(0, 60))


def test_a_lens_is_painted_as_it_is_drawn():
    """Dark to light, each coat inside the lens: crescents low, the dot high; what is finer than a sample keeps
    one."""
    site = eye_pair()
    own, z = site.labels == 1, site.surface.points[:, 2] - 5
    coats = lens_coats(site, 1, lenses(site, 1, Lamp(0, 60)), RACK)
    masks = [c.where.samples(len(site)) for c in coats]
    assert (masks[0] == own).all() and all((m <= own).all() and m.any() for m in masks)
    assert all(z[m].mean() < -0.2 for m in masks[1:5]) and z[masks[-1]].mean() > 0.2
    areas = [float(site.areas[m].sum()) for m in masks[:4]]
    assert areas == sorted(areas, reverse=True)
    first = sum(_area(lens.crescents[0]) for lens in lenses(site, 1, Lamp(0, 60)))
    assert areas[1] > 0.6 * first, "the crescent that is drawn, not a spot of it"
    values = [c.mix.colour.value for c in coats]
    assert values == sorted(values) and "dot" in coats[-1].label
    used = {p.name for c in coats for p in c.mix.paints}
    assert len(used) <= 3 and all(len(c.mix.paints) <= 2 for c in coats), "common practice, CP-21: few pots"
    assert coats[-1].mix.words() == "Chalk" and min(RACK, key=lambda p: p.looks.value).name in used
    with pytest.raises(SettingError, match="no base"):
        lens_coats(site, 1, lenses(site, 1, Lamp(0, 60)), Rack([]))


def test_shiny_spots_catch_a_glow_further_off_and_sharper():
    """Craft page, section 10; the law of the mirror: on a ball the glint is where the normal halves the angle between
    eye and source; a matt ball has none, and on a floor a mirrored source does not fade as the light of it does."""
    surface = surface_of(ball(radius=10, fine=5))
    source = Source("ball", middle=(60, -60, 0), radius=6)
    glow = glow_of(Site(surface), source)
    gained = {}
    for gloss in (0.0, 0.35, 0.95):
        caught = glinting(surface, glow, np.full(len(surface), gloss, np.float32), (0, 0)).factor - glow.factor
        gained[gloss] = caught
        assert (caught[glow.visible == 0] == 0).all(), "what cannot see it mirrors nothing of it"
    assert gained[0.0].max() == 0 and gained[0.95].max() > 4 * gained[0.35].max()
    spread = lambda x: float((x > 0.5 * x.max()).mean())  # noqa: E731
    assert spread(gained[0.95]) < 0.4 * spread(gained[0.35]), "and sharper"
    at_ = surface.points[np.argmax(gained[0.95])] / 10
    toward = np.array([60.0, -60, 0]) - 10 * at_
    half = np.array([0, -1.0, 0]) + toward / np.linalg.norm(toward)
    assert at_ @ half / np.linalg.norm(half) > 0.995
    near, far = (_caught_by_a_floor(d) for d in (20.0, 60.0))
    assert near[0] / far[0] > 20 and near[1] / far[1] < 4


def _caught_by_a_floor(away):
    """The light of a ball, and what a shiny spot mirrors of it, where a floor is looked at across."""
    source = Source("ball", middle=(0, away, 5), radius=2)
    glow = glow_of(FLOOR, source)
    shiny = glinting(FLOOR.surface, glow, np.full(len(FLOOR), 0.95, np.float32), (0, np.degrees(np.arctan2(5, away))))
    k = at(FLOOR, 0, 0)
    return glow.factor[k], shiny.factor[k] - glow.factor[k]


@pytest.mark.parametrize(
    ("side", "axis", "sign"), [("left", 0, -1), ("right", 0, 1), ("front", 1, -1), ("behind", 1, 1)]
)
def test_a_plane_stands_beside_it_and_shines_on_it(side, axis, sign):
    surface = surface_of(ball(radius=10, fine=4, at=(0, 0, 10)))
    plane = plane_at(surface, side)
    assert sign * plane.middle[axis] > 10 and plane.middle[2] == pytest.approx(plane.height / 2, abs=0.01)
    lit = glow_of(Site(surface), plane).factor
    facing = sign * surface.points[:, axis] > 9.5
    assert lit[facing].min() > 0 and lit[sign * surface.points[:, axis] < -9].max() < 0.01
    assert plane_at(surface, "under").middle[2] < 0
    with pytest.raises(SettingError, match="a plane stands"):
        plane_at(surface, "there")


def _area(ring):
    x, y = ring.T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2)


@pytest.mark.parametrize(
    ("kind", "more", "says"),
    [
        ("ball", {"middle": (0, 0, 0.0), "radius": 1}, "inside the sculpt"),
        ("region", {"region": 1}, "can glow"),
        ("region", {"region": 7}, "not there"),
        ("ball", {"radius": -1}, "radius"),
        ("plane", {"normal": (0, 0, 0)}, "direction"),
    ],
)
def test_a_source_that_cannot_be_is_refused_in_words(kind, more, says):
    site = Site(surface_of(ball(radius=5)), marking=Marking(np.zeros(2562, np.uint8), (Region("Gone"),)))
    with pytest.raises(SettingError, match=says):
        glow_of(site, Source(kind, **more))
    with pytest.raises(SettingError, match="black glow"):
        WishedGlow(Source(), "#000000")


def columns(path):
    """The columns of a PLY that this program wrote."""
    head, rest = path.read_bytes().split(b"end_header\n", 1)
    lines = [line.split() for line in head.decode().splitlines()]
    names = [(w[2], "u1" if w[1] == "uchar" else "<f4") for w in lines if w[0] == "property" and w[1] != "list"]
    return np.frombuffer(rest, names, int(next(w[2] for w in lines if w[:2] == ["element", "vertex"])))


def test_glow_lens_and_heat_on_the_command_line(tmp_path, capsys):
    """A ball of radius R gives S((R + 1)/d)²·cos at d mm from its middle, in open space; a region or plane that fills
    the view gives its radiosity."""
    floor = tmp_path / "floor.ply"
    floor.write_bytes(marked_ply(mesh_of(plate(-20, 20, -20, 20, cells=20)), np.zeros(441, np.uint8), ()))
    out = tmp_path / "out.ply"
    common = [str(floor), "-o", str(out), "--as-is", "--lamp", "off"]
    assert main(["glow", *common, "--source", "ball:0,0,4,1.5", "--strength", "3", "--json"]) == 0
    told, got = json.loads(capsys.readouterr().out), columns(out)
    way = np.array([0, 0, 4.0]) - np.column_stack([got[a] for a in "xyz"])
    far = np.linalg.norm(way, axis=1)
    assert got["glow"] == pytest.approx(3 * (2.5 / far) ** 2 * way[:, 2] / far, rel=1e-4)
    assert {"strength", "reach_mm", "bands", "crests"} <= set(told) and told["strength"] == 3
    assert [b["name"] for b in told["bands"]] == ["white core", "tinted rim", "near", "far", "edge catch"]
    assert main(["glow", *common, "--source", "ball:0,0,4,1.5", "--reach", str(told["reach_mm"]), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["strength"] == pytest.approx(3, rel=1e-3)
    assert main(["glow", *common, "--source", "plane:0,0,0.05,0,0,-1,500,500", "--strength", "2"]) == 0
    capsys.readouterr()
    assert columns(out)["glow"] == pytest.approx(2, rel=1e-2)
    for source, says in (("lamp:1", "--source is"), ("ball:1,2", "4 numbers"), ("region:Lamp", "no region")):
        assert main(["glow", *common, "--source", source, "--strength", "1"]) == 2
        assert says in capsys.readouterr().err
    site = eye_pair()
    pair = tmp_path / "pair.ply"
    pair.write_bytes(lit_ply(site.surface, {"region": site.labels}, site.marking.regions))
    svg = tmp_path / "lens.svg"
    assert main(["lens", str(pair), "-o", str(svg), "--as-is", "--region", "Eyes", "--lamp", "30,50", "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)["lenses"]) == 2 and svg.read_text().startswith("<svg")
    assert main(["glow", str(pair), "-o", str(out), "--as-is", "--source", "region:eyes", "--reach", "6"]) == 0
    assert main(["heat", str(floor), "-o", str(out), "--as-is", "--hot", "0,0,0;10,0,0", "--length", "8"]) == 0
    got = columns(out)
    near = np.minimum(np.hypot(got["x"], got["y"]), np.hypot(got["x"] - 10, got["y"]))
    assert got["heat"] == pytest.approx(np.clip(1 - near / 8, 0, 1), abs=0.02) and got["red"].max() > 240
    assert main(["heat", str(floor), "-o", str(out), "--as-is", "--hot", "0,0,0", "--length", "-1"]) == 2


def test_a_glow_that_is_looked_at_as_one_is_looked_at_in_its_middle():
    """A glowing plate, a small shield before its middle, a wall behind: what the shield hides from the wall's middle
    is the middle of the plate, and from its corner nothing."""
    boxes = []
    for y, side in ((-10, 10), (-5, 2), (0, 10)):
        boxes.append(trimesh.creation.box((side, 0.4, side), trimesh.transformations.translation_matrix((0, y, 10))))
    surface = surface_of(together(*(b.subdivide_to_size(0.8) for b in boxes)))
    y = surface.points[:, 1]
    label = ((y < -9.7) & (surface.normals[:, 1] > 0.9)).astype(np.uint8)
    site = Site(surface, visibility_of(surface, 32), marking=Marking(label, (Region("Plate"),)))
    glow = glow_of(site, Source("region", region=1), places=1)
    wall = np.flatnonzero((y > -0.25) & (surface.normals[:, 1] < -0.9))
    off = np.hypot(surface.points[wall, 0], surface.points[wall, 2] - 10)
    assert glow.visible[wall[off < 1.2]].max() < 0.05 and glow.visible[wall[off > 4]].min() > 0.95
