"""Parts: taken apart, lit in place, matched at their seams."""

from dataclasses import replace

import numpy as np
import pytest

from dusk_lamp.core.coat.coat import Coat
from dusk_lamp.core.coat.spray import Spray
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig, light_on
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.plan.features.colour.overspray import overspray
from dusk_lamp.core.plan.steps.step import step_of
from dusk_lamp.core.sculpt.mend import holes_closed, mend, put_together
from dusk_lamp.core.sculpt.parts import (
    MOST_PARTS,
    Part,
    alone,
    areas,
    gathered,
    lifted_out,
    parts_matched,
    pull,
    seams,
    spot,
)
from dusk_lamp.core.sculpt.site import Site, Where
from dusk_lamp.core.sculpt.surface import working_surface
from dusk_lamp.core.sculpt.visibility import visibility_of

from ..shapes import RACK, ball, mesh_of, plate, together


def laid(*shapes, samples=6_000):
    mended = mend(mesh_of(together(*shapes)))
    return working_surface(mended.mesh, gathered(mended.shell, mended.mesh.face_areas()), samples=samples)


# a hat of radius 6 held 10 above a table of 20 × 20: from straight above it shades π·36 of it
TABLE_AND_HAT = laid(plate(-10, 10, -10, 10, 0, 40), ball(6, 4, (0, 0, 10)))
HAT, TABLE = (0, 1) if TABLE_AND_HAT.points[TABLE_AND_HAT.part == 0, 2].max() > 1 else (1, 0)
FROM_ABOVE = Rig(Lamp(0, 90), sky=0, bounce=0)


def test_a_part_painted_apart_is_lit_in_its_place_on_the_model():
    """CP-1, common practice: the part carries the shadow its neighbour will throw on it."""
    light = light_on(Site(TABLE_AND_HAT), FROM_ABOVE).total
    table = TABLE_AND_HAT.part == TABLE
    dark = TABLE_AND_HAT.areas[table & (light < 0.5)].sum()
    assert dark == pytest.approx(np.pi * 36, rel=0.05)


def test_a_neighbour_that_does_not_cast_leaves_no_shadow_and_still_has_its_own():
    site = Site(TABLE_AND_HAT, apart=[alone(TABLE_AND_HAT, (TABLE,), (HAT,))])
    light = light_on(site, FROM_ABOVE).total
    assert light[TABLE_AND_HAT.part == TABLE] == pytest.approx(1, abs=1e-5)
    under = (TABLE_AND_HAT.part == HAT) & (TABLE_AND_HAT.normals[:, 2] < -0.2)
    assert (light[under] == 0).all()
    few = site.only(np.flatnonzero(TABLE_AND_HAT.part == TABLE)[::5].astype(np.int32), np.zeros((0, 3), np.int32))
    assert light_on(few, FROM_ABOVE).total == pytest.approx(1, abs=1e-5), "also while the lamp is dragged"


def test_a_coat_bound_to_a_part_painted_apart_is_sprayed_on_it_alone():
    """CP-1, CP-30, common practice: in its own pose, with nothing in the way; a coat on the whole model is not."""
    above, grey = Spray(elevation=90, drift=0), only(RACK.find("Gull"))
    table, site = Where("part", TABLE), Site(TABLE_AND_HAT)
    own = TABLE_AND_HAT.part == TABLE
    shaded = own & (np.hypot(*TABLE_AND_HAT.points[:, :2].T) < 5)
    bound = Coat("spray", grey, above, table)
    lifted = site.marked(site.marking, {TABLE})
    assert bound.film(site)[shaded].max() < 0.1 * bound.film(site)[own & ~shaded].max()
    film = bound.film(lifted)
    assert film[own] == pytest.approx(film[own].max(), rel=1e-3) and film[~own].max() == 0
    assert film[own].max() == pytest.approx(bound.film(site)[own].max(), rel=0.01), "as thick as on the model"
    few = lifted.only(np.flatnonzero(own)[::7].astype(np.int32), np.zeros((0, 3), np.int32))
    assert bound.film(few) == pytest.approx(film[own][::7], rel=1e-3), "also at some of its spots"
    whole = replace(bound, where=Where())
    assert np.array_equal(whole.film(lifted), whole.film(site))
    assert overspray(site, bound, []).on and not overspray(lifted, bound, []).on, "none on what is not there"
    film = film.astype(np.float32)
    assert "by itself" in step_of(1, bound, film, lifted).how and "by itself" not in step_of(1, bound, film, site).how


def test_the_sky_too_is_open_over_a_part_whose_neighbour_does_not_cast():
    chosen, own = alone(TABLE_AND_HAT, (TABLE,), (HAT,))
    whole = visibility_of(TABLE_AND_HAT, 64)
    view = whole.with_part(chosen, visibility_of(own, 64))
    counts = [np.unpackbits(v.bits[chosen], axis=1).sum(axis=1) for v in (whole, view)]
    middle = np.argmin(np.linalg.norm(TABLE_AND_HAT.points[chosen], axis=1))
    # the hat spans sin θ = 6/10 round the zenith: 1 − cos θ = a fifth of the half sphere
    assert counts[0][middle] / counts[1][middle] == pytest.approx(0.8, abs=0.04)
    assert counts[1].min() == counts[1].max() == 32, "half of all directions: the whole sky over a table"
    others = np.setdiff1d(np.arange(len(TABLE_AND_HAT)), chosen)
    assert (view.bits[others] == whole.bits[others]).all()
    sky = Rig(None, sky=1, bounce=0.3)
    light_on(Site(TABLE_AND_HAT, view, [(chosen, own)]), sky)


def test_seams_lie_where_parts_meet_and_give_the_value_on_either_side():
    """A ball of radius 5 sunk half-way into a table meets it in a circle of 2π·5."""
    s = laid(plate(-10, 10, -10, 10, 0, 60), ball(5, 5, (0.013, 0.007, 0)), samples=20_000)
    paintable = s.points[:, 2] > -0.05
    paintable &= ~((np.abs(s.points[:, 2]) < 0.01) & (np.hypot(s.points[:, 0], s.points[:, 1]) < 4.99))
    named = [Part("Ball", apart=True), Part("Table")]
    (seam,) = seams(s, named, paintable)
    assert seam.length == pytest.approx(2 * np.pi * 5, rel=0.25)
    for own in (seam.on_a, seam.on_b):
        assert np.hypot(s.points[own, 0], s.points[own, 1]) == pytest.approx(5, abs=0.8)
    values = seam.either_side(s, np.where(s.part == seam.a, 7.0, 4.0))
    assert values == pytest.approx((7, 4))
    assert seams(s, [Part("Ball"), Part("Table")], paintable) == [], "parts glued before painting need no matching"


def test_a_click_meets_what_is_in_sight_wherever_it_was_pulled():
    down, over = np.array([0, 0, -1], np.float32), np.array([0, 0, 50], np.float32)
    _, place = spot(TABLE_AND_HAT, over, down)
    assert place == pytest.approx([0, 0, 16], abs=0.05)
    _, place = spot(TABLE_AND_HAT, over, down, frozenset({HAT}))
    assert place == pytest.approx([0, 0, 0], abs=0.01)
    moved = np.zeros((2, 3), np.float32)
    moved[HAT] = (30, 0, 0)
    face, place = spot(TABLE_AND_HAT, over + moved[HAT], down, frozenset(), moved)
    assert place == pytest.approx([0, 0, 16], abs=0.05), "told where it really is"
    assert TABLE_AND_HAT.part[TABLE_AND_HAT.faces[face, 0]] == HAT
    assert spot(TABLE_AND_HAT, over + [90, 0, 0], down) is None


def test_pulling_apart_moves_every_part_but_the_largest_away_from_it():
    moved = pull(TABLE_AND_HAT, 2)
    assert (moved == 0).all(axis=1).sum() == 1
    assert moved[HAT, 2] > 5 or moved[TABLE, 2] < -5


def test_a_part_lifted_out_is_that_part():
    own = lifted_out(TABLE_AND_HAT, HAT)
    assert own.areas.sum() == pytest.approx(4 * np.pi * 36, rel=0.01)
    assert areas(TABLE_AND_HAT, 2, np.ones(len(TABLE_AND_HAT), bool))[HAT] == pytest.approx(own.areas.sum(), rel=1e-4)


def test_five_hundred_rivets_are_kept_together_as_one_part():
    shapes = [ball(3, 3)] + [ball(0.2 + 0.0001 * k, 0, (k % 25, 10 + k // 25, 0)) for k in range(500)]
    mended = mend(mesh_of(together(*shapes)))
    part = gathered(mended.shell, mended.mesh.face_areas())
    assert mended.findings.shells == 501
    assert sorted(np.unique(part)) == list(range(MOST_PARTS))
    assert len(np.unique(mended.shell[part == MOST_PARTS - 1])) == 501 - (MOST_PARTS - 1)
    assert len(np.unique(mended.shell[part == 0])) == 1


def test_files_stay_in_their_places_and_in_their_order():
    small, large = mend(mesh_of(ball(2, 3, (9, 0, 0)))), mend(mesh_of(ball(5, 3)))
    whole, file_of = put_together([small, large])
    assert whole.findings.shells == 2 and whole.findings.holes == 0
    assert (file_of == whole.shell).all() and whole.mesh.vertices[:, 0].max() == pytest.approx(11, abs=0.05)


def test_names_and_wishes_outlive_a_file_that_is_replaced_by_one_with_more_parts():
    named = [Part("Cloak", 0, 0), Part("Blade", 1, 0, apart=True, uncast=(0,)), Part("Cap", 2, 0)]
    found = [Part("a", 0, 0), Part("b", 1, 0), Part("c", 1, 1), Part("d", 2, 0)]
    kept = parts_matched(named, found)
    assert [p.name for p in kept] == ["Cloak", "Blade", "c", "Cap"]
    assert kept[1].apart and kept[1].uncast == (0,)
    fewer = parts_matched(kept, [Part("b", 1, 0), Part("d", 2, 0)])
    assert [p.name for p in fewer] == ["Blade", "Cap"] and fewer[0].uncast == ()


def test_a_part_needs_a_name():
    with pytest.raises(SettingError):
        Part(" ")


@pytest.mark.parametrize("missing", [1, 6])
def test_a_closed_hole_leaves_a_watertight_body_of_nearly_the_same_volume(missing):
    """Volume by the divergence theorem; the ball without the hole is the reference."""
    shape = ball(10, 3)
    fan = np.flatnonzero((shape.faces == 0).any(axis=1))[:missing]
    shape.update_faces(~np.isin(np.arange(len(shape.faces)), fan))
    opened = mend(mesh_of(shape))
    closed = holes_closed(opened)
    assert opened.findings.holes == 1 and closed.findings.holes == 0
    assert closed.mesh.volume() == pytest.approx(ball(10, 3).volume, rel=0.003)
    assert (closed.shell == 0).all()
