"""Oils as a school, ink, a wash under a metal's layers, a pair of eyes, a facet cut, the room's sensor. Common
practice: craft section 7 (oils), CP-8 and CP-32 (ink), CP-22, CP-33, CP-38."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.finish import films_of
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.mix import Mix, only
from dusk_lamp.core.paint.rack import Rack
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.features.colour.ways import way_called
from dusk_lamp.core.plan.features.face.eyes import eye_coats, eye_pair_words, eyes_seen, face_of
from dusk_lamp.core.plan.features.glow.lens import lens_pair_words as lens_words
from dusk_lamp.core.plan.features.glow.lens import lenses
from dusk_lamp.core.plan.features.metal.painted import layers_of, metal_values
from dusk_lamp.core.plan.features.metal.wishes import CUSTOMARY, DARK_WASH, Metal
from dusk_lamp.core.plan.features.undercoat.pots import pots_from
from dusk_lamp.core.plan.features.undercoat.schools import school_coats, schools
from dusk_lamp.core.plan.features.undercoat.schools.oils import light_for
from dusk_lamp.core.plan.features.undercoat.schools.school import Kit
from dusk_lamp.core.plan.steps.step import step_of, steps_of
from dusk_lamp.core.plan.steps.times import times_of
from dusk_lamp.core.sculpt.facets import FacetCut, facets
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.relief import Bends
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.target.local import usual_local
from dusk_lamp.core.target.target import target
from dusk_lamp.core.workplace.room import Room
from dusk_lamp.core.workplace.room_sensor import reading_from, simulated
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import RACK, ball, surface_of, together

BOX = surface_of(trimesh.creation.box((10, 10, 30)).subdivide_to_size(1.0))
PAWN = surface_of(together(ball(8, 4), ball(4, 4, (0, 0, 10))))
BROWN, BLUE = RACK.find("Burnt Foundation"), RACK.find("Tide Foundation")


def without(*names):
    return Rack([p for p in RACK if p.name not in names])


def kit(rack=RACK, tools=None, surface=BOX):
    return Kit(surface, Lamp(0, 60), pots_from(rack), tools or Tools(airbrush=False, can=False))


# --- the oil school


def test_oils_are_stained_over_varnish_wiped_and_lit_with_nothing_but_oil_after():
    """White, a varnish it wipes clean on, foundation over all, then lights: the last of them the lightest, on
    less."""
    coats = schools()["oils"].coats(kit())
    assert [c.technique for c in coats] == ["prime", "brush", "oil wipe", "oil light", "oil light"]
    assert coats[1].mix.clear and coats[0].mix.colour.value > 8 and coats[2].mix.colour.value < 3
    half, light = coats[3:]
    assert half.mix.colour.value < light.mix.colour.value and half.settings.spread > light.settings.spread
    site = Site(PAWN)
    films = films_of(site, coats)
    assert (films[4] > 0.5).sum() < (films[3] > 0.5).sum() < (films[2] > 0.5).sum()
    assert site.surface.normals[films[4] > 5].min(axis=0)[2] > 0, "none of it looks down"
    wait = times_of(steps_of(site, coats, films)).wait
    assert wait < 200, "oil goes on oil as soon as its thinner has gone (CP-38)"


def test_two_foundations_make_a_coloured_black_and_lights_take_its_temperature():
    both = schools()["oils"].coats(kit())[2].mix
    assert both.counted() == {"Burnt Foundation": 1, "Tide Foundation": 1}
    assert float(np.hypot(both.colour.a, both.colour.b)) < min(BROWN.looks.chroma, BLUE.looks.chroma), "a black"
    cream, frost = RACK.find("Bone Oil"), RACK.find("Frost Oil")
    assert light_for(only(BROWN), [frost, cream]) == cream and light_for(only(BLUE), [cream, frost]) == frost
    assert light_for(only(BROWN), []) is None
    alone = schools()["oils"].coats(kit(without("Tide Foundation", "Frost Oil")))
    assert alone[2].mix == only(BROWN) and "Bone Oil" in alone[4].mix.counted()


def test_what_the_oil_school_lacks_is_said():
    bare = without(*[p.name for p in RACK if p.kind == "oil"])
    with pytest.raises(SettingError, match="dark oil"):
        school_coats("oils", kit(bare))
    dull = Rack([p for p in RACK if p.kind not in ("satin varnish", "gloss varnish")])
    with pytest.raises(SettingError, match="satin or gloss varnish"):
        school_coats("oils", kit(dull))
    dark_only = schools()["oils"].coats(kit(without("Bone Oil", "Frost Oil")))
    assert [c.technique for c in dark_only] == ["prime", "brush", "oil wipe"], "without a light oil it is only wiped"


def test_oil_comes_from_a_tube_thinned_with_spirit_and_a_pin_wash_is_tapped_away():
    site, film = Site(BOX), np.full(len(BOX), 4, np.float32)
    wipe = step_of(1, usual_coat("oil wipe", Mix((BLUE, BROWN), (1, 1))), film, site)
    assert "drop" not in wipe.drops_words and "from the tube" in wipe.drops_words and "1:1" in wipe.drops_words
    assert "white spirit" in wipe.thinning_words
    pin = step_of(1, usual_coat("wash", only(BROWN)), film, site)
    acrylic = step_of(1, usual_coat("wash", only(RACK.find("Bilge Wash"))), film, site)
    assert "until the thinner has gone" in pin.how and "tap" in pin.how and "tap" not in acrylic.how


# --- ink


def test_the_last_white_is_sprayed_with_ink_where_there_is_some():
    """CP-8: inks want high pressure so that they dry as they land; CP-7: the fine needle. CP-32: ink dries satin."""
    sprayed = Tools()
    last = schools()["ladder"].coats(kit(tools=sprayed))[-1]
    assert last.mix == only(RACK.find("White Ink")) and last.settings.psi >= 30 and last.settings.needle == 0.2
    plain = schools()["ladder"].coats(kit(without("White Ink"), sprayed))[-1]
    assert plain.mix.kind != "ink" and plain.mix.colour.value > 8
    step = step_of(1, last, np.full(len(BOX), 3, np.float32), Site(BOX))
    assert "dries satin" in step.how and not [w for w in step.warnings if "Ink wants" in w]


def test_hair_may_be_shaded_with_ink_and_cloth_is_not():
    """CP-32: ink keeps its pigment when it is thinned; on a rack without a wash for it, hair takes the ink."""
    rack = Rack([p for p in RACK if p.kind != "wash"] + [replace(RACK.find("Bilge Wash"), colour="#e8e2d8")])

    def washes(material):
        region = Region("Hair", material, colour="#5a3a22")
        site = Site(PAWN, marking=Marking(np.ones(len(PAWN), np.uint8), (region,)))
        wanted = target(site, Rig(Lamp(0, 60)), [usual_local("stone"), usual_local(material)])
        task = brief_of(site, wanted, 1, np.full((len(site), 36), 0.3, np.float32), rack)
        return {c.mix.kind for c in way_called("wash").coats(task) if c.technique == "wash"}

    assert washes("hair") == {"ink"} and "ink" not in washes("cloth")


# --- a wash between a metal's base and its layers


@pytest.mark.parametrize("mixes", [CUSTOMARY, "nearest mixes"])
def test_a_dark_wash_goes_between_a_metals_base_and_its_layers(mixes):
    site = Site(PAWN, marking=Marking(np.ones(len(PAWN), np.uint8), (Region("Helm", "metal"),)))
    lamp, metal = Lamp(0, 60), Metal("layered", mixes=mixes, wash=DARK_WASH)
    wanted = target(site, Rig(lamp), [usual_local("stone"), usual_local("metal")])
    task = brief_of(site, wanted, 1, np.full((len(site), 36), 0.1, np.float32), RACK)
    with_wash = layers_of(task, metal, metal_values(site, metal, lamp))
    plain = layers_of(task, replace(metal, wash="nothing"), metal_values(site, metal, lamp))
    assert [c.technique for c in with_wash[:3]] == ["brush", "wash", "brush"]
    assert [c for c in with_wash if c.technique != "wash"] == plain and with_wash[1].way == "metal"
    assert with_wash[1].mix.colour.value == min(p.looks.value for p in RACK if p.kind == "wash")


# --- which of a pair came out worse


def test_the_eye_with_less_white_in_sight_came_out_worse():
    """CP-33: two eyes, and one is looked at with the other. An eye whose outer part is cut off shows less white."""
    head = surface_of(trimesh.creation.icosphere(5, 4))
    middles = [np.array([x, -np.sqrt(16 - x * x - 0.25), 0.5]) for x in (1.4, -1.4)]
    face = face_of(head, *middles)
    alike = eyes_seen(Site(head), eye_coats(Site(head), face, *middles, RACK), face, *middles)
    assert alike is not None and eye_pair_words(alike) == "" and [s.side for s in alike] == ["right", "left"]
    site = Site(head)
    coats = eye_coats(site, face, *middles, RACK)
    white = site.on(coats[1].where) & ~((head.points[:, 0] > 1.3) & (head.points[:, 2] < 2))  # half of the left one
    short = [coats[0], replace(coats[1], where=type(coats[1].where).some(white)), *coats[2:]]
    found = eyes_seen(site, short, face, *middles)
    assert "Its left eye came out worse" in eye_pair_words(found)
    assert found[1].white < 0.8 * found[0].white and found[0].white == pytest.approx(alike[0].white)
    small = [np.array([x, -4.0, 0.5]) for x in (0.2, -0.2)]
    tiny = face_of(head, *small)
    assert eyes_seen(site, eye_coats(site, tiny, *small, RACK), tiny, *small) is None


def test_the_narrower_lens_of_a_pair_is_named():
    shape = together(ball(2, 4, (-4, 0, 0)), ball(1.2, 4, (4, 0, 0)))
    site = Site(surface_of(shape), marking=Marking(np.ones(len(shape.vertices), np.uint8), (Region("Lens"),)))
    found = lenses(site, 1, Lamp(0, 60), brush=0.8)
    assert len(found) == 2 and "The right one comes out worse" in lens_words(found)
    assert lens_words(found[:1]) == "" and lens_words([found[0], found[0]]) == ""


# --- a facet cut in two


def test_a_stroke_cuts_a_facet_in_two_that_run_against_each_other():
    """A box's side, 10 by 30 mm, cut at a third of its height: 100 and 200 mm², by hand."""
    cut = FacetCut((-5.0, -5.0, -5.0), (5.0, -5.0, -5.0))
    before = facets(BOX, Bends(BOX))
    after = facets(BOX, Bends(BOX), cuts=(cut,))
    assert len(after) == len(before) + 1
    front = sorted(f.mm2 for f in after if f.normal[1] < -0.9)
    assert front == pytest.approx([100, 200], rel=0.08)
    parts = [k for k, f in enumerate(after) if f.normal[1] < -0.9]
    assert parts[1] in after[parts[0]].neighbours and all(after[k].kind == "flat" for k in parts)
    again = facets(BOX, Bends(BOX), cuts=(cut, FacetCut((0.0, -5.0, 0.0), (0.0, -5.0, 14.0))))
    assert len(again) == len(after) + 1, "and what is left can be cut again"
    aside = FacetCut((80.0, 80.0, 80.0), (90.0, 80.0, 80.0))
    assert len(facets(BOX, Bends(BOX), cuts=(aside,))) >= len(before)
    with pytest.raises(SettingError, match="right across"):
        FacetCut((1.0, 0.0, 0.0), (1.0, 0.0, 0.0))


# --- the room's sensor


def test_a_sensors_reading_is_a_room_and_odd_ones_are_refused():
    assert reading_from('{"temperature": 21.34, "humidity": 48}') == Room(21.3, 48.0)
    assert reading_from('{"celsius": 18, "RH": 61, "battery": 90}') == Room(18.0, 61.0)
    for odd in ("", "[]", '{"temperature": 20}', '{"temperature": "warm", "humidity": 40}', '{"t": true, "rh": 40}'):
        with pytest.raises(SettingError, match="sensor"):
            reading_from(odd)
    with pytest.raises(SettingError, match="temperature"):
        reading_from('{"temperature": 900, "humidity": 40}')


def test_the_simulated_sensor_is_warmest_in_the_afternoon_and_the_same_every_time():
    day = [simulated(60 * h) for h in range(24)]
    warm = [r.temperature for r in day]
    assert 13 <= int(np.argmax(warm)) <= 19 and 2 < max(warm) - min(warm) < 6
    assert np.corrcoef(warm, [r.humidity for r in day])[0, 1] < -0.9, "warmer air is drier"
    assert simulated(600) == simulated(600) and simulated(600) != simulated(600, seed=2)
