"""Small things of the newest rooms that a slip could turn round unnoticed; facts of the trade and closed forms, one
each."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.technique import technique
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.emitter import Source, glow_of
from dusk_lamp.core.light.flame import flamed
from dusk_lamp.core.light.heat import heated
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.reflect import WORLDS
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.rack import Paint, Rack
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.features.colour.ways import way_called
from dusk_lamp.core.plan.features.face.eyes import Eye, eye_words
from dusk_lamp.core.plan.features.face.feature import FaceWishes
from dusk_lamp.core.plan.features.glow.feature import GlowWish, GlowWishes
from dusk_lamp.core.plan.features.glow.glows import core_of
from dusk_lamp.core.plan.features.metal.schools import metal_school
from dusk_lamp.core.plan.features.metal.schools.facet import runs_of
from dusk_lamp.core.plan.features.metal.schools.school import Shine
from dusk_lamp.core.plan.features.undercoat.schools.school import Kit
from dusk_lamp.core.sculpt.facets import Facet, facets
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.relief import Relief
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.target.local import local_of, usual_local
from dusk_lamp.core.target.target import target
from dusk_lamp.core.view.camera import Camera
from dusk_lamp.core.view.reading import reading

from ..shapes import RACK, ball, plate, surface_of, together

BALL = surface_of(ball(radius=10, fine=5, at=(0, 0, 10)))


def test_neighbouring_facets_run_against_each_other_and_the_largest_toward_the_light():
    """Craft page, section 11: neighbours in opposite directions; with no counterchange all run one way."""
    own, up = np.zeros(4, bool), np.array([0.0, 0, 1])
    pair = [Facet("flat", own, up, up, (1,), 5, 2, 9.0), Facet("flat", own, up, up, (0,), 5, 2, 4.0)]
    assert runs_of(pair, np.array([0.0, 0, 1])) == [1, -1] and runs_of(pair, np.array([0.0, 0, -1])) == [-1, 1]
    turned = [pair[0], replace(pair[1], along=-up)]  # the same way, though its length is counted from the other end
    assert runs_of(turned, np.array([0.0, 0, 1])) == [1, 1]
    box = Site(surface_of(trimesh.creation.box((6, 6, 20)).subdivide_to_size(1.0)))
    sides = [f for f in facets(box.surface, box.bends) if abs(f.normal[2]) < 0.1]

    def ends(counterchange):
        school = metal_school("facet").shares(box, Shine(counterchange=counterchange), WORLDS["noon"], Lamp(0, 60))
        z = box.surface.points[:, 2]
        inner = np.abs(box.surface.points[:, :2]).min(axis=1) < 2
        return [
            float(school[f.mask & inner & (z > 6)].mean() - school[f.mask & inner & (z < -6)].mean()) for f in sides
        ]

    assert (
        len(set(np.sign(ends(1.0)))) == 2
        and len(set(np.sign(np.multiply(ends(0.0), [f.along[2] for f in sides])))) == 1
    )


@pytest.mark.parametrize(("x", "y"), [(-1, 1), (1, 1), (1, -1), (-1, -1)])
def test_a_glowing_plane_is_looked_at_all_over(x, y):
    """What hides one quarter of a plane from a spot below its middle hides a quarter of it, whichever quarter."""
    hides = (
        plate(0, 2.6 * x, 0, 2.6 * y, z=2.5, cells=6) if x * y > 0 else plate(2.6 * x, 0, 2.6 * y, 0, z=2.5, cells=6)
    )
    low, high = sorted((0, 2.6 * x)), sorted((0, 2.6 * y))
    hides = plate(*low, *high, z=2.5, cells=6)
    floor = plate(-4, 4, -4, 4, cells=40)
    site = Site(surface_of(together(floor, hides)))
    glow = glow_of(site, Source("plane", middle=(0, 0, 5), normal=(0, 0, -1), width=10, height=10))
    at = int(np.argmin(np.linalg.norm(site.surface.points, axis=1)))
    assert glow.visible[at] == pytest.approx(0.75, abs=0.08)


def test_edges_catch_a_flame_beside_it_and_never_inside_it():
    box = Site(surface_of(trimesh.creation.box((12, 12, 12)).subdivide_to_size(0.5)))
    found = flamed(box, [[0, -6, -2]], 5.0, seed=2)
    assert found.catches.any() and not (found.catches & (found.flame > 0)).any()


def test_scale_breaks_the_crests_of_the_cooler_half_of_hot_metal_only():
    """Craft page, section 10: broken black where the metal has cooled."""
    box = Site(surface_of(trimesh.creation.box((4, 4, 20)).subdivide_to_size(0.4)))
    hot = heated(box, [[0, 0, 10]], 18.0)
    z = box.surface.points[:, 2]
    assert hot.black.any() and hot.band[hot.black].min() >= len(hot.bands) // 2 and z[hot.black].max() < 6.1


def test_where_a_dot_goes_is_said_as_the_painter_sees_it():
    """toward_right: the viewer's right."""
    assert "0.10 mm to your right, 0.05 mm up" in eye_words(Eye("left", 0.1, 0.05, 1.0))
    assert "0.10 mm to your left, 0.05 mm down" in eye_words(Eye("left", -0.1, -0.05, 1.0))
    assert eye_words(Eye("right", 0.1, 0.05, 1.0)).startswith("Its right eye")


def test_a_streak_fades_on_its_way_down():
    wall = plate(-10, 10, -10, 10, cells=120)
    wall.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0]))
    surface = surface_of(wall)
    stands_out = np.hypot(surface.points[:, 0], surface.points[:, 2] - 6) < 0.6
    felt = Relief(np.zeros(len(surface), np.float32), np.where(stands_out, 1.0, 0.0).astype(np.float32))
    streaks = technique("streaks")
    film = streaks.film(Site(surface, relief=felt), streaks.Settings(amount=0.3, length=8, film_um=6))
    starts = [k for k in np.flatnonzero(film > 5.9) if surface.points[k, 2] > 0]
    fading = []
    for k in starts:
        x, z = surface.points[k, 0], surface.points[k, 2]
        below = (np.abs(surface.points[:, 0] - x) < 0.1) & (film > 0) & (surface.points[:, 2] <= z)
        fading.append(float(np.corrcoef(surface.points[below, 2], film[below])[0, 1]))
        assert film[below].min() < 0.3 * film[k]
    assert len(starts) > 5 and np.median(fading) > 0.8


def test_more_verdigris_covers_more():
    cavity = np.linspace(0, 1, len(BALL)).astype(np.float32)
    site = Site(BALL, relief=Relief(cavity, 1 - cavity))
    by = technique("verdigris")
    little, some, much = (by.film(site, by.Settings(amount=a)).sum() for a in (0.2, 0.5, 0.9))
    assert 0 < little < some < much


def _task(rack, material="metal", under=0.4):
    region = Region("Helm", material, colour="#8f9399")
    site = Site(BALL, marking=Marking(np.ones(len(BALL), np.uint8), (region,)))
    wanted = target(site, Rig(Lamp(0, 60)), [usual_local("stone"), local_of(region)])
    return brief_of(site, wanted, 1, np.full((len(site), 36), under, np.float32), rack)


def test_metal_is_washed_with_the_darkest_wash_there_is():
    """Craft page, section 11: a dark wash into the recesses."""
    others = [p for p in RACK if p.kind != "wash"]
    rack = Rack(
        [
            Paint("Pale Wash", "wash", "#c9b79a"),
            *others,
            Paint("Deep Wash", "wash", "#1d1712"),
            Paint("Mid Wash", "wash", "#6b4a35"),
        ]
    )
    (wash,) = [c for c in way_called("metallic").coats(_task(rack)) if c.technique == "wash"]
    assert wash.mix.counted() == {"Deep Wash": 1}


def test_after_a_wash_the_base_is_laid_again_on_the_light_half(monkeypatch):
    """Craft page, section 7: re-stated on what stands out, so that the wash stays in the shade."""
    task = _task(RACK, "cloth")
    task = replace(task, value=(2 + 0.3 * task.site.surface.points[:, 2]).astype(np.float32))  # lighter upward
    flood = usual_coat("wash", only(RACK.find("Bilge Wash")), "wash", "colour")
    monkeypatch.setattr(
        type(way_called("wash")), "_wash", staticmethod(lambda task, coats: replace(flood, where=task.where))
    )
    (again,) = [c for c in way_called("wash").coats(task) if "the base again" in c.label]
    on = again.where.samples(len(task.site))
    assert task.value[on].min() >= task.value[task.mask & ~on].max()


def test_one_accent_reads_and_two_compete():
    """Craft page, section 9: one saturated accent."""
    half = (BALL.points[:, 0] > 0).astype(np.uint8) + 1
    site = Site(BALL, marking=Marking(half, (Region("Cloak"), Region("Boots"))))
    value, grey = np.full(len(site), 5.0, np.float32), np.tile([50.0, 0, 0], (len(site), 1))
    one, two = grey.copy(), np.tile([50.0, 60, 40], (len(site), 1))
    one[half == 1] = [50, 60, 40]
    two[half == 2] = [50, -50, 40]  # of one hue in two places they would be one
    said = lambda lab: any("compete" in f for f in reading(site, value, lab, Camera(0, 8)).findings)  # noqa: E731
    assert said(two) and not said(one) and not said(grey)


def test_a_glow_that_is_hottest_at_its_end_is_white_at_the_upper_one():
    rod = trimesh.creation.cylinder(radius=1, height=20, sections=24).subdivide_to_size(0.6)
    rod.apply_transform(trimesh.transformations.rotation_matrix(0.5, [1, 0, 0]))
    rod.apply_translation([0, 0, 12])
    surface = surface_of(together(plate(-15, 15, -15, 15, cells=30), rod))
    own = surface.points[:, 2] > 1
    site = Site(surface, marking=Marking(own.astype(np.uint8), (Region("Rod"),)))
    glow = glow_of(site, Source("region", 1))
    z = surface.points[:, 2]
    end, middle = (core_of(site, glow, how) for how in ("end", "middle"))
    assert z[end].min() > np.median(z[own]) and 0.25 < site.areas[end].sum() / site.areas[own].sum() < 0.45
    assert not np.array_equal(end, middle) and core_of(site, glow, "even")[own].all()


@pytest.mark.parametrize(("of", "own", "looks"), [("viewer", "ahead", "viewer"), ("at", "ahead", "ahead")])
def test_where_the_eyes_look_goes_along_unless_it_is_at_a_spot_of_the_other_sculpt(of, own, looks):
    """A squad looks where its scheme looks; a spot on the scheme's sculpt is none on this one. Warmth goes to the
    regions that take after the warmed ones, and this sculpt's other regions keep theirs."""
    scheme = FaceWishes(looks=of, warm=(3,), eyes=True, mouth="open")
    mine = FaceWishes(left=(0, 0, 1), right=(1, 0, 1), looks=own, warm=(8, 9))
    found = scheme.carried(mine, {3: (7, 9)}, 20)
    assert (found.looks, found.mouth, found.eyes) == (looks, "open", True)
    assert found.left == mine.left and found.warm == (7, 9, 8)


def test_a_hue_on_both_sides_of_the_turn_is_one_accent():
    """Hues go round: 178° and −178° are four degrees apart, no two accents (craft page, section 9)."""
    site = Site(surface_of(ball(fine=3)))
    half = np.where(site.surface.points[:, 0] > 0, 1, 2).astype(np.uint8)
    site = Site(site.surface, marking=Marking(half, (Region("Left"), Region("Right"))))
    value = np.full(len(site), 5.0, np.float32)

    def compete(first, second):
        turn = np.radians(np.where(half == 1, first, second))
        lab = np.column_stack([np.full(len(site), 50.0), 60 * np.cos(turn), 60 * np.sin(turn)])
        return any("compete" in f for f in reading(site, value, lab, Camera(0, 8)).findings)

    assert not compete(178, -178) and compete(178, 60) and compete(0, 180)


def test_a_glow_is_found_by_its_id():
    wishes = GlowWishes((GlowWish(3, "ball", "Lamp"), GlowWish(7, "ball", "Fire")))
    assert wishes.one(7).name == "Fire" and wishes.one(3).name == "Lamp"
    with pytest.raises(SettingError, match="not there any more"):
        wishes.one(4)


def test_the_last_of_the_light_is_never_sprayed_from_beyond_the_zenith():
    above = lambda elevation: Kit(BALL, Lamp(30, elevation), None).above  # noqa: E731
    assert above(80) == (30, 90.0) and above(40) == (30, 60)
