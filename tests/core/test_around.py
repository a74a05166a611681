"""What is done around the paint: tasks between coats, the room, the cup, the mouth, small forms. Common practice,
CP-2, CP-13, CP-33, CP-34, CP-44."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.mix import Mix, only
from dusk_lamp.core.plan.context import Context
from dusk_lamp.core.plan.document import Plan
from dusk_lamp.core.plan.features.decals.feature import DecalWishes
from dusk_lamp.core.plan.features.face.mouth import mouth_coats
from dusk_lamp.core.plan.features.finish.feature import FinishWishes, rim_spots
from dusk_lamp.core.plan.features.prepare.feature import PrepareWishes
from dusk_lamp.core.plan.registry import features
from dusk_lamp.core.plan.run import relaid
from dusk_lamp.core.plan.steps.around import tasks_around, with_tasks
from dusk_lamp.core.plan.steps.cup import cups_of
from dusk_lamp.core.plan.steps.step import steps_of
from dusk_lamp.core.plan.steps.times import times_of
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.stand import Standing, placing
from dusk_lamp.core.target.local import usual_local
from dusk_lamp.core.target.target import target
from dusk_lamp.core.view.camera import Camera
from dusk_lamp.core.view.reading import reading
from dusk_lamp.core.workplace.room import Room
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import RACK, mesh_of, surface_of, together

BASE = trimesh.creation.cylinder(
    radius=12.5, height=3.0, sections=96, transform=trimesh.transformations.translation_matrix((0, 0, 1.5))
)
POST = trimesh.creation.box((8, 8, 28), trimesh.transformations.translation_matrix((0, 0, 17)))
FIGURE = together(BASE, POST).subdivide_to_size(0.9)
CHALK, SOOT, GULL = RACK.find("Chalk"), RACK.find("Soot"), RACK.find("Gull")


def context(rack=RACK, tools=None, loose=frozenset(), **wishes):
    surface = surface_of(FIGURE)
    marking = Marking(
        np.where(surface.points[:, 2] > 3.01, 1, 2).astype(np.uint8),
        (Region("Plate", "painted armour"), Region("Base", "stone")),
    )
    plan = Plan(light=Rig(Lamp(0, 60))).marked(marking)
    for name, own in wishes.items():
        plan = plan.with_wishes(name, own)
    coats = (
        usual_coat("prime", only(RACK.find("Pitch Primer")), "primer"),
        usual_coat("brush", only(GULL), "grey", "colour"),
        usual_coat("wash", only(RACK.find("Bilge Wash")), "grime", "wear"),
    )
    site = Site(surface, marking=marking, loose=loose)
    mesh = mesh_of(FIGURE)
    return Context(
        replace(plan, coats=coats),
        site,
        rack,
        tools or Tools(),
        placing(mesh, Standing("z", "-y", None)),
        features=features(),
    )


def placed(own):
    return [(k, task.title) for k, task in tasks_around(own, own.plan.coats)]


def test_a_base_of_paste_dries_overnight_before_the_primer():
    """CP-2: 6 to 10 hours; stones first, then the paste round them."""
    own = context(prepare=PrepareWishes("paste and stones", gaps=True))
    titles = [title for k, title in placed(own) if k == 0]
    assert (
        titles.index("Fill the gaps")
        < titles.index("Glue the stones on")
        < titles.index("Spread the paste on the base")
    )
    paste = next(t for _, t in tasks_around(own, own.plan.coats) if t.title.startswith("Spread"))
    assert 6 * 60 <= paste.wait_minutes <= 10 * 60
    assert not any("paste" in title for _, title in placed(context()))


def test_parts_are_put_together_before_the_grime_they_share():
    """CP-34: whoever forgets the weapon does the shared grime twice; CP-44: glue faces stay bare from the primer
    on."""
    own = context(loose=frozenset({1}))
    found = placed(own)
    assert (0, "Keep the glue faces bare") in found and (2, "Put the parts together") in found
    joined = next(t for _, t in tasks_around(own, own.plan.coats) if t.title == "Put the parts together")
    assert any("glue" in c.casefold() for c in joined.cautions) and any("Cut away" in c for c in joined.cautions)
    assert "Put the parts together" not in [title for _, title in placed(context())]


def test_one_looks_again_when_the_light_is_down_and_when_all_colour_is_on():
    own = context()
    assert [k for k, title in placed(own) if title == "Look again"] == [1, 2]


def test_a_decal_lies_between_two_gloss_coats_and_is_slit_where_the_plate_is_curved():
    """CP-44."""
    own = relaid(context(decals=DecalWishes((1,))), "decals")
    coats = own.plan.coats
    at = [k for k, c in enumerate(coats) if c.stage == "decals"]
    assert len(at) == 2 and all(coats[k].mix.clear and coats[k].mix.finish == 1 for k in at)
    assert coats[at[0] - 1].stage == "colour" and coats[at[1] + 1].stage == "wear"  # over colour, under grime
    ((where, task),) = [(k, t) for k, t in tasks_around(own, coats) if t.title == "Lay the decal"]
    assert where == at[1] and "curved" in task.how  # all round a post
    with pytest.raises(SettingError, match="gloss"):
        relaid(context(tools=Tools(varnishes=("satin",)), decals=DecalWishes((1,))), "decals")


def test_the_rim_is_the_upright_side_of_the_base_in_two_coats_and_comes_last():
    """CP-44. The cylinder's own side is known: 2π·12.5 mm × 3 mm."""
    site = context().site
    area = float(site.areas[rim_spots(site)].sum())
    assert area == pytest.approx(2 * np.pi * 12.5 * 3, rel=0.25)
    own = relaid(context(finish=FinishWishes("Soot", "matt")), "finish")
    varnish, rim = own.plan.coats[-2:]
    assert varnish.mix.clear and varnish.mix.finish == 0 and varnish.technique == "spray"
    assert rim.mix == only(SOOT) and rim.by.coats(rim.settings, rim.mix) == 2
    films = own.simulation.films(own.plan.coats)
    assert films[-1][site.surface.points[:, 2] > 4].max() == 0
    brushed = relaid(context(tools=Tools(airbrush=False, can=False), finish=FinishWishes("", "matt")), "finish")
    assert brushed.plan.coats[-1].technique == "brush"


def test_a_rim_is_no_higher_than_an_eighth_of_the_model_nor_than_six_millimetres():
    """Common practice, CP-44: a wall that goes on up is the model itself. The shares are from memory."""
    for tall, most in ((30.0, 3.6), (80.0, 6.0)):
        trunk = trimesh.creation.cylinder(3, tall, sections=48).subdivide_to_size(0.7)
        surface = surface_of(trunk)
        height = surface.points[:, 2] - surface.points[:, 2].min()
        rim = rim_spots(Site(surface))
        assert most - 1.2 < height[rim].max() <= most


def test_tasks_count_in_the_time_and_airbrushed_paint_rests_two_hours_before_a_wash():
    """Section 13: two hours between airbrush and washes."""
    own = context()
    films = own.simulation.films(own.plan.coats)
    bare = steps_of(own.site, own.plan.coats, films, own.tools)
    steps = with_tasks(own, own.plan.coats, bare)
    tasks = [t for s in steps for t in (*s.before, *s.after)]
    more = times_of(steps).hand - times_of(bare).hand
    assert more == pytest.approx(sum(t.hand_minutes for t in tasks)) and more > 0
    night = context(prepare=PrepareWishes("paste"))
    slept = times_of(with_tasks(night, night.plan.coats, bare))
    assert slept.nights == 1 and slept.wait < 300 and slept.words.endswith("and 1 night to dry")
    sprayed = [usual_coat("spray", only(GULL)), usual_coat("wash", only(RACK.find("Bilge Wash")))]
    steps = steps_of(own.site, sprayed, own.simulation.films(sprayed), own.tools)
    assert times_of(steps).wait == pytest.approx(120 - steps[0].clean_minutes - steps[1].set_up_minutes, abs=1)
    layered = [sprayed[0], usual_coat("brush", only(CHALK))]
    assert times_of(steps_of(own.site, layered, own.simulation.films(layered), own.tools)).wait < 30


def test_a_cup_grows_from_the_rest_of_the_last_and_is_rinsed_before_yellow():
    """CP-34: dark to light from a cup that is never quite emptied, cleaned before yellow. What lies in the cup,
    counted drop by drop, is the mix that was asked for."""
    mixes = [only(SOOT), Mix((SOOT, GULL), (2, 1)), Mix((SOOT, GULL), (1, 1)), only(RACK.find("Lamp Yellow"))]
    ml = [0.3, 0.2, 0.2, 0.2]
    cups = cups_of([usual_coat("spray", m) for m in mixes], ml, 22)
    inside: dict[str, float] = {}
    for cup, mix, much in zip(cups, mixes, ml, strict=True):
        share = cup.rest / sum(inside.values()) if cup.rest else 0.0
        inside = {name: n * share for name, n in inside.items() if share}
        for name, n in cup.drops.items():
            inside[name] = inside.get(name, 0.0) + n
        whole = sum(inside.values())
        wanted = mix.counted()
        assert {k: v / whole for k, v in inside.items()} == pytest.approx(
            {k: v / sum(wanted.values()) for k, v in wanted.items()}
        )
        assert whole >= much * 22 + cup.leaves - 1e-9
    assert [c.rest > 0 for c in cups] == [False, True, True, False] and cups[-1].rinsed and "yellow" in cups[-1].words
    assert not cups[2].kept and cups[0].kept
    # half of what lies in the cup is thinner: twice as many drops of it hold the paint that is counted on
    assert (
        cups[0].leaves_wet == cups[1].rest_wet == 2 * cups[1].rest
        and f"last {2 * cups[1].rest} drops" in cups[1].words
    )
    twice = cups_of([usual_coat("spray", m) for m in (mixes[0], mixes[0], mixes[1])], ml[:3], 22)
    assert (twice[0].leaves, twice[1].leaves) == (0, twice[2].rest) and twice[1].same  # said once, where it is left
    primed = cups_of([usual_coat("prime", only(SOOT)), usual_coat("spray", mixes[1])], [1.0, 0.2], 22)
    assert primed[1].rest == 0  # a rest of primer clogs the needle


def test_a_room_dries_paint_by_what_its_air_can_still_take():
    """FAO 56, table 2.3: saturation pressure 2.338 kPa at 20 °C, 4.243 at 30 °C; van 't Hoff's rule for oil."""
    assert Room(20, 0.5 * 100).deficit == pytest.approx(2.338 / 2, abs=0.003)
    assert Room(30, 50).deficit == pytest.approx(4.243 / 2, abs=0.003)
    assert Room().wait("layer") == pytest.approx(1) and Room().wait("oil") == pytest.approx(1)
    assert Room(30, 50).wait("layer") == pytest.approx(2.338 / 4.243, abs=0.01)
    assert Room(20, 90).wait("layer") == 3 and Room(30, 50).wait("oil") == pytest.approx(0.5)
    assert "rinse" in Room(30, 80).words and "Wet it" in Room(28, 30).words and "warm the room" in Room(8, 60).words
    assert Room().words == ""
    assert (
        Tools(room=Room(30, 50)).wait(20, "layer")
        < Tools().wait(20, "layer")
        < Tools(room=Room(12, 80)).wait(20, "layer")
    )


def test_a_mouth_has_a_lighter_lower_lip_and_teeth_with_dark_gaps():
    """CP-33: the lower lip lighter; teeth keep dark gaps; too small: a wash or one stroke."""
    head = surface_of(trimesh.creation.icosphere(6, 8))
    site = Site(head)
    eyes = [np.array([x, -np.sqrt(64 - x * x - 4), 2.0]) for x in (2.0, -2.0)]
    upper, lower, inside, teeth = mouth_coats(site, *eyes, RACK, teeth=True)
    assert lower.mix.colour.value > upper.mix.colour.value
    high = {
        name: head.points[site.on(c.where)][:, 2]
        for name, c in (("upper", upper), ("lower", lower), ("inside", inside))
    }
    assert high["upper"].mean() > high["inside"].mean() > high["lower"].mean() and high["upper"].max() < 2.0
    row, dark = site.on(teeth.where), site.on(inside.where)
    assert (row <= dark).all() and teeth.mix.colour.value < 9.3
    order = np.argsort(head.points[dark][:, 0])
    turns = np.abs(np.diff(row[dark][order].astype(int))).sum()
    assert turns >= 6  # teeth and gaps by turns
    small = [np.array([x, -8.0, 2.0]) for x in (0.5, -0.5)]
    assert "too small" in mouth_coats(site, *small, RACK, teeth=True)[0].label


def test_small_forms_go_bright_before_the_plane_they_sit_on():
    """CP-13, CP-42: studs under a lamp from above; a stud in the shadow stays dark, and nothing changes where it is
    off."""
    studs = [trimesh.creation.icosphere(3, 0.6) for _ in range(2)]
    studs[0].apply_translation((0, -5, 10)), studs[1].apply_translation((0, -5.0, -10))
    plate = trimesh.creation.box((16, 10, 30)).subdivide_to_size(0.7)
    surface = surface_of(together(plate, *studs))
    site = Site(surface, marking=Marking(np.ones(len(surface), np.uint8), (Region("Plate", "painted armour"),)))
    rig = Rig(Lamp(0, 50))
    locals_ = [usual_local("stone", "quiet"), usual_local("painted armour", "important")]
    own = target(site, rig, locals_)
    from dusk_lamp.core.target.exposure import Exposure
    from dusk_lamp.core.target.target import sketched

    grey = target(site, rig)
    up = sketched(site, grey, Exposure(), locals_, small=1.0).value
    assert np.array_equal(sketched(site, grey, Exposure(), locals_).value, own.value)
    stud = np.linalg.norm(surface.points - (0, -5, 10), axis=1) < 0.61
    flat = (
        (np.abs(surface.points[:, 1] + 5) < 1e-3)
        & (np.abs(surface.points[:, 2] - 10) > 2)
        & (np.abs(surface.points[:, 0]) < 5)
    )
    lit = stud & (own.value > 4)
    assert (up - own.value)[lit].mean() > 0.3 > (up - own.value)[flat].mean() + 0.15
    dark = grey.light.total <= 0
    assert np.allclose(up[dark], own.value[dark])


def test_one_hue_in_two_places_is_one_accent_and_a_white_asks_for_blue():
    """Section 9: a saturated blue accent beside it makes a white read whiter; one accent in two places does not
    compete."""
    surface = surface_of(FIGURE)
    labels = (1 + (surface.points[:, 2] > 8) + (surface.points[:, 2] > 20)).astype(np.uint8)
    site = Site(surface, marking=Marking(labels, tuple(Region(n) for n in ("Sash", "Shirt", "Plume"))))
    locals_ = [usual_local("stone", "quiet"), *[usual_local("cloth", "important")] * 3]
    white = replace(locals_[2], colour="#e8e6e2")
    locals_[2] = white
    lab = np.zeros((len(site), 3))
    lab[:, 0] = 50

    def said(*hues):
        for k, hue in zip((1, 3), hues, strict=True):
            lab[labels == k, 1:] = 60 * np.cos(np.radians(hue)), 60 * np.sin(np.radians(hue))
        return " ".join(
            reading(site, np.full(len(site), 5, np.float32), lab, Camera(0, 20), locals_=locals_).findings
        )

    assert "compete" not in said(40, 55) and "compete" in said(40, 140)
    assert "blue accent beside Shirt" in said(40, 55) and "blue accent" not in said(270, 40)
