"""What a brush gets at, against geometry that can be worked out by hand."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from dusk_lamp.core.reach import assembly
from dusk_lamp.core.reach.assembly import marks_of, reach_words, spots_in_reach
from dusk_lamp.core.reach.spots import Obstacles, can_reach
from dusk_lamp.core.reach.tool import BRUSH, Tool
from dusk_lamp.core.sculpt.parts import Part, glue_faces
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.visibility import visibility_of

from ..shapes import surface_of

GAP = 6.0


def plates():
    """Two plates that face each other, 40 mm wide, GAP apart, open all round but below."""
    one = trimesh.creation.box((40, 1, 40)).subdivide_to_size(1.5)
    other = one.copy()
    one.apply_translation((0, -(GAP + 1) / 2, 0))
    other.apply_translation((0, (GAP + 1) / 2, 0))
    return trimesh.util.concatenate([one, other])


@pytest.mark.parametrize("angle", [5.0, 8.0, 12.0])
def test_between_two_plates_a_brush_reaches_as_far_as_its_cone_fits(angle):
    """A cone of half angle a, that lies on one plate with its lower side, leaves the gap with its upper side: after
    gap / tan(2 a) from the edge. Geometry; a direction every eleven degrees costs a little of it."""
    surface = surface_of(plates())
    tool = Tool(length=200.0, angle=angle, hand=0.0, graze=0.0)
    inner = np.flatnonzero(
        (np.abs(np.abs(surface.points[:, 1]) - GAP / 2) < 0.01) & (np.abs(surface.points[:, 0]) < 1)
    )
    got = can_reach(surface, inner, tool, Obstacles(surface))
    depth = 20 - np.abs(surface.points[inner, 2])
    wanted = GAP / np.tan(np.radians(2 * angle))
    if wanted < 20:
        assert not got[depth > 1.1 * wanted + 0.5].any(), "deeper than the cone goes"
    assert got[depth < 0.55 * min(wanted, 20)].all()


def test_the_hand_needs_room_too():
    """A short brush held near its tip: the fingers do not go between the plates."""
    surface = surface_of(plates())
    inner = np.flatnonzero(
        (np.abs(np.abs(surface.points[:, 1]) - GAP / 2) < 0.01) & (np.abs(surface.points[:, 0]) < 1)
    )
    depth = 20 - np.abs(surface.points[inner, 2])
    long, short = (can_reach(surface, inner, Tool(n, 4.0, 8.0, 0.0), Obstacles(surface)) for n in (40.0, 6.0))
    assert long[depth < 12].mean() > 0.9
    assert short[depth > 8].mean() < 0.1 < short[depth < 4].mean()


def test_what_stands_inside_a_ring_is_reached_from_above_and_not_from_the_side():
    """A cone inside a tall ring: its tip is free, its foot is not, once the ring is too narrow for the brush."""
    ring = trimesh.creation.annulus(r_min=4.5, r_max=5.5, height=24, sections=64).subdivide_to_size(1.5)
    ring.apply_translation((0, 0, 12))
    cone = trimesh.creation.cone(radius=3, height=24, sections=48).subdivide_to_size(1.0)
    surface = surface_of(trimesh.util.concatenate([ring, cone]))
    own = np.flatnonzero((np.hypot(*surface.points[:, :2].T) < 3.2) & (surface.normals[:, 2] > -0.5))
    height = surface.points[own, 2]
    got = can_reach(surface, own, Tool(30.0, 8.0, 0.0, 0.0), Obstacles(surface))
    # at 7 mm the cone is 2.1 mm thick: from above the brush leaves at 17 tan 8.9° = 2.7 mm, from below
    # at 7 tan 23.1° = 3.0 mm, and the gap is 2.4 mm
    assert got[height > 20].all() and not got[(height > 6.5) & (height < 7.5)].any()
    alone = can_reach(surface, own, Tool(30.0, 8.0, 0.0, 0.0), Obstacles(surface, []))
    assert alone.all(), "nothing is in the way where nothing is there"


def test_the_part_that_hides_the_rest_is_painted_apart():
    """A shield close before a body: all else stays on, the shield comes off, and its seam is told."""
    body = trimesh.creation.box((20, 12, 30)).subdivide_to_size(1.2)
    shield = trimesh.creation.box((22, 1, 28)).subdivide_to_size(1.2)
    shield.apply_translation((0, -8.2, 0))
    knob = trimesh.creation.icosphere(3, 3.0)
    knob.apply_translation((0, 0, 20))
    pieces = [body, shield, knob]
    surface = with_parts(surface_of(trimesh.util.concatenate(pieces)), pieces)
    named = [Part("Body"), Part("Shield", 0, 1), Part("Knob", 0, 2)]
    found = spots_in_reach(Site(surface), named, BRUSH, most=3000)
    assert found.apart == (1,) and found.mm2 > 100 and found.left < 0.05 * found.mm2
    words = reach_words(found, named)
    assert any("Paint apart: Shield" in w for w in words)
    whole = spots_in_reach(Site(surface_of(trimesh.creation.icosphere(4, 10.0))), [Part("Ball")], most=2000)
    assert whole.mm2 == 0 and "everywhere" in reach_words(whole, [Part("Ball")])[0]


def test_of_many_parts_one_after_another_is_tried(monkeypatch):
    """Of more parts than every choice can be tried of, what helps most comes off first, and what would bring nothing
    stays on: here the same as of all choices."""
    body = trimesh.creation.box((20, 12, 30)).subdivide_to_size(2.0)
    pieces = [body]
    for side in (-1, 1):
        pieces.append(trimesh.creation.box((22, 1, 28)).subdivide_to_size(2.0))
        pieces[-1].apply_translation((0, side * 8.2, 0))
    pieces.append(trimesh.creation.icosphere(2, 3.0))
    pieces[-1].apply_translation((0, 0, 20))
    site = Site(with_parts(surface_of(trimesh.util.concatenate(pieces)), pieces))
    named = [Part(n, 0, k) for k, n in enumerate(("Body", "Front", "Back", "Knob"))]
    every = spots_in_reach(site, named, BRUSH, most=900)
    monkeypatch.setattr(assembly, "MOST_TRIED", 0)
    greedy = spots_in_reach(site, named, BRUSH, most=900)
    assert every.apart == greedy.apart == (1, 2) and (every.with_apart == greedy.with_apart).all()


def test_what_no_part_helps_with_is_said_so():
    """Two plates close together: in one piece, or where the part that can come off is elsewhere, a long fine brush is
    all there is."""
    knob = trimesh.creation.icosphere(2, 3.0)
    knob.apply_translation((0, 0, 30))
    narrow = [trimesh.creation.box((40, 1, 40)).subdivide_to_size(2.0) for _ in range(2)]
    narrow[0].apply_translation((0, 1.2, 0))
    narrow[1].apply_translation((0, -1.2, 0))
    pieces = [trimesh.util.concatenate(narrow), knob]
    surface = surface_of(trimesh.util.concatenate(pieces))
    whole = spots_in_reach(Site(surface), [Part("Body")], BRUSH, most=900)
    assert "in one piece" in reach_words(whole, [Part("Body")])[-1]
    named = [Part("Body"), Part("Knob", 0, 1)]
    apart = spots_in_reach(Site(with_parts(surface, pieces)), named, BRUSH, most=900)
    assert apart.apart == () and "No part that could stay off would help" in reach_words(apart, named)[-1]


def test_of_two_parts_that_hide_each_other_the_one_with_the_shorter_seam_is_painted_apart():
    """Two upright plates close together on a plinth: either may come off, and the narrow one leaves less to mend."""
    plinth = trimesh.creation.box((34, 30, 8)).subdivide_to_size(1.2)
    plinth.apply_translation((0, 0, -4))
    wide, narrow = (trimesh.creation.box((x, 1, 14)).subdivide_to_size(1.0) for x in (22, 10))
    wide.apply_translation((0, -0.9, 6.9))
    narrow.apply_translation((0, 0.9, 6.9))
    for order in ((wide, narrow), (narrow, wide)):
        pieces = [plinth, *order]
        surface = with_parts(surface_of(trimesh.util.concatenate(pieces)), pieces)
        named = [Part("Plinth"), Part("One", 0, 1), Part("Other", 0, 2)]
        found = spots_in_reach(Site(surface, visibility_of(surface, 64)), named, BRUSH, most=3000)
        assert found.apart == (1 + order.index(narrow),)


def test_glue_faces_lie_where_a_part_touches_and_where_a_peg_goes_in():
    """A post of 8 by 8 mm on a plinth: 64 mm² on both of them; a ball sunk by half into the post: its lower half, by
    Archimedes 2 π r², and the disc that it covers there."""
    plinth = trimesh.creation.box((24, 24, 6)).subdivide_to_size(0.7)
    post = trimesh.creation.box((8, 8, 16)).subdivide_to_size(0.7)
    post.apply_translation((0, 0, 11))
    knob = trimesh.creation.icosphere(4, 3.0)
    knob.apply_translation((0, 0, 19))
    pieces = [plinth, post, knob]
    surface = with_parts(surface_of(trimesh.util.concatenate(pieces)), pieces)
    paintable = Site(surface, visibility_of(surface)).paintable
    areas, part = surface.areas, surface.part

    def bare(loose, k):
        return float(areas[glue_faces(surface, loose, paintable) & (part == k)].sum())

    assert not glue_faces(surface, (), paintable).any()
    assert bare({1}, 0) == pytest.approx(64, rel=0.2) and bare({1}, 1) == pytest.approx(64 + np.pi * 9, rel=0.2)
    assert bare({2}, 0) == 0, "plinth and post stay together"
    assert bare({2}, 2) == pytest.approx(2 * np.pi * 9, rel=0.2) and bare({2}, 1) == pytest.approx(np.pi * 9, rel=0.3)


def test_what_is_drawn_is_what_is_out_of_reach():
    body = trimesh.creation.box((20, 12, 30)).subdivide_to_size(1.2)
    shield = trimesh.creation.box((22, 1, 28)).subdivide_to_size(1.2)
    shield.apply_translation((0, -8.2, 0))
    pieces = [body, shield]
    site = Site(with_parts(surface_of(trimesh.util.concatenate(pieces)), pieces))
    found = spots_in_reach(site, [Part("Body"), Part("Shield", 0, 1)], BRUSH, most=3000)
    marks = marks_of(found, site)
    hidden = np.isin(marks, (2, 3))
    assert float(site.areas[hidden].sum()) == pytest.approx(found.mm2, rel=0.25)
    behind = (np.abs(site.surface.points[:, 1] + 6) < 0.1) & (np.abs(site.surface.points[:, [0, 2]]) < 4).all(axis=1)
    assert hidden[behind].all() and (marks[behind] == 2).mean() > 0.9, "the shield off, it is reached"
    assert not hidden[site.surface.points[:, 1] > 5.9].any()


def with_parts(surface, pieces):
    """A surface whose samples know which of some bodies they are of: the one that is nearest."""
    off = np.stack([cKDTree(p.vertices).query(surface.points)[0] for p in pieces])
    return replace(surface, part=np.argmin(off, axis=0).astype(np.int32))
