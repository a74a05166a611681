"""One palette for all stages (CP-35), what stands in for a missing pot, how long a puddle is needed, bases neat from
pots."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.paint.colour import delta_e
from dusk_lamp.core.paint.mix import Mix, neat_pot, only
from dusk_lamp.core.paint.rack import Rack
from dusk_lamp.core.plan.palette.puddles import palette_for, puts_of
from dusk_lamp.core.plan.palette.share import from_what_is_out, on_the_palette, stand_ins
from dusk_lamp.core.plan.steps.cards import wet_words
from dusk_lamp.core.plan.steps.step import steps_of
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.workplace.room import Room

from ..shapes import RACK, surface_of

SOOT, GULL, CHALK, HERON, TIDE = (RACK.find(n) for n in ("Soot", "Gull", "Chalk", "Heron", "Tide Blue"))
SITE = Site(surface_of(trimesh.creation.box((10, 10, 30)).subdivide_to_size(1.5)))


def brushed(mix, stage="colour"):
    return usual_coat("brush", mix, "", stage)


def test_edges_take_a_puddle_that_is_as_good_as_there():
    there = [brushed(Mix((HERON, CHALK), (1, 2))), brushed(only(SOOT))]
    wanted = Mix((HERON, CHALK, RACK.find("Ice Rim")), (2, 4, 1))
    (edge,) = from_what_is_out([brushed(wanted, "edges")], there)
    assert delta_e(wanted.colour.lab, there[0].mix.colour.lab) <= 1  # CIEDE2000: not seen on a model
    assert edge.mix == there[0].mix and edge.stage == "edges"


def test_lines_and_haze_take_a_puddle_further_off_than_a_patch_does():
    """CP-35, common practice: a thin line's colour is not compared with a patch's."""
    there = [brushed(Mix((HERON, CHALK), (1, 2))), brushed(only(SOOT))]
    wanted = Mix((HERON, CHALK), (1, 1))
    assert 3 < delta_e(wanted.colour.lab, there[0].mix.colour.lab) <= 5
    line, patch = (from_what_is_out([usual_coat(by, wanted, "", "edges")], there)[0].mix for by in ("line", "brush"))
    assert line == there[0].mix and patch == wanted


def test_steps_of_one_thing_never_fall_together():
    """A ladder whose steps lie near one puddle keeps them apart (CP-22)."""
    there = [brushed(Mix((SOOT, GULL), (1, 1))), brushed(only(CHALK))]
    ladder = [Mix((SOOT, GULL), parts) for parts in ((6, 5), (1, 1), (7, 8))]
    made = from_what_is_out([brushed(m, "metal") for m in ladder], there)
    assert len({c.mix for c in made}) == 3


def test_a_pot_that_has_to_be_opened_anyway_serves_what_comes_before_it_too():
    """A lens: its dot asks for white, which no puddle stands in for; then its crescent has it, too."""
    eel, sail = RACK.find("Bottle Glass"), RACK.find("Sailcloth")
    there = [brushed(only(eel)), brushed(only(sail))]
    crescent, dot = Mix((eel, CHALK), (5, 1)), only(CHALK)
    alone = from_what_is_out([brushed(crescent, "glow")], there)
    assert alone[0].mix.counted().keys() == {"Bottle Glass", "Sailcloth"}
    both = from_what_is_out([brushed(crescent, "glow"), brushed(dot, "glow")], there)
    assert [c.mix for c in both] == [crescent, dot]


def test_a_third_paint_is_spared_where_two_that_are_out_do():
    there = [brushed(Mix((SOOT, GULL), (1, 2))), brushed(only(CHALK)), brushed(only(HERON))]
    (made,) = from_what_is_out([brushed(Mix((GULL, CHALK, SOOT), (3, 3, 1)), "glow")], there)
    assert len(made.mix.paints) == 2


def test_a_pot_is_spared_where_it_is_hardly_seen_and_opened_where_it_matters():
    there = [brushed(only(m)) for m in (SOOT, CHALK, RACK.find("Harbour Grey"))]
    near, far = brushed(only(GULL), "edges"), brushed(only(RACK.find("Marigold")), "glow")
    grey, gold = from_what_is_out([near, far], there)
    assert delta_e(grey.mix.colour.lab, near.mix.colour.lab) <= 3 and {p.name for p in grey.mix.paints} <= {
        "Soot",
        "Chalk",
        "Harbour Grey",
    }
    assert gold.mix == far.mix
    assert from_what_is_out([brushed(only(RACK.find("Marigold")))] * 2, there)[1].mix == far.mix  # it is out by then


def test_primer_sprays_washes_and_varnish_are_left_alone():
    there = [brushed(only(SOOT)), brushed(only(CHALK))]
    coats = [
        usual_coat("spray", only(GULL)),
        usual_coat("wash", only(RACK.find("Bilge Wash"))),
        usual_coat("brush", only(RACK.find("Dew Varnish"))),
        usual_coat("prime", only(RACK.find("Fog Primer"))),
    ]
    assert from_what_is_out(coats, there) == coats and on_the_palette(coats) == []


def test_every_pot_has_a_stand_in_with_its_price():
    """The distance is that of the mixes, by CIEDE2000, with the stand-in counted in by parts."""
    coats = [brushed(only(SOOT)), brushed(Mix((SOOT, GULL), (1, 2))), brushed(only(CHALK)), brushed(only(GULL))]
    found = {s.pot: s for s in stand_ins(coats, RACK)}
    assert list(found) == ["Soot", "Gull", "Chalk"]
    gull = found["Gull"]
    assert "Gull" not in gull.mix.counted()
    off = float(delta_e(gull.mix.colour.lab, GULL.looks.lab))
    assert gull.delta_e >= off - 0.2 and gull.delta_e < 6
    # of a mix so many parts: of Soot and Gull 1:2 two thirds are the stand-in then
    two, there = [brushed(Mix((SOOT, GULL), (1, 2)))], Rack([SOOT, CHALK])
    (instead,) = [s for s in stand_ins(two, there) if s.pot == "Gull"]
    soot, chalk = (instead.mix.counted().get(n, 0) / sum(instead.mix.parts) for n in ("Soot", "Chalk"))
    shares = (1 + 2 * soot) / 3, 2 * chalk / 3
    whole = [round(s * 3 * sum(instead.mix.parts)) for s in shares]
    wanted = float(delta_e(two[0].mix.colour.lab, Mix((SOOT, CHALK), tuple(whole)).colour.lab))
    assert instead.delta_e == pytest.approx(wanted, abs=0.05)
    alone = stand_ins([brushed(only(SOOT))], Rack([SOOT]))
    assert alone[0].mix is None and "buy it" in alone[0].words


def test_a_puddle_says_from_when_to_when_it_is_needed_and_asks_to_be_covered():
    """A puddle under a lamp skins in three quarters of an hour, sooner in dry heat; section 13."""
    mixes = [only(SOOT), only(CHALK), only(SOOT), Mix((SOOT, GULL), (1, 1))]
    coats = [brushed(m) for m in mixes]
    films = [c.film(SITE) for c in coats]
    steps = [replace(s, hand_minutes=20.0, set_up_minutes=0.0) for s in steps_of(SITE, coats, films)]
    puddles, letters = palette_for(coats, [s.all_ml for s in steps], 22)
    words = [wet_words(p, letters, steps, Room()) for p in puddles]
    assert words[1] == "at step 2"
    fed = [p.letter for p in puddles if p.feeds]
    assert words[0] == ("from step 1 to 4; cover it, that is 60 min" if fed else "from step 1 to 3")
    assert "cover it" in wet_words(puddles[0], letters, steps[:], Room(32, 20))


@pytest.mark.parametrize("name", ["Heron", "Cockle Red"])
def test_a_colour_snaps_to_the_nearest_pot(name):
    paint, off = neat_pot(RACK.find(name).looks.hex, RACK)
    assert paint.name == name and off < 0.5
    assert neat_pot("#808080", [RACK.find("Bilge Wash")]) is None
    off = neat_pot("#00ff00", RACK)[1]
    assert off == pytest.approx(
        min(float(delta_e(p.looks.lab, np.array([87.7, -86.2, 83.2]))) for p in RACK if p.kind in ("base", "layer")),
        abs=0.3,
    )


def test_a_step_says_what_it_does_at_the_palette():
    """A puddle is put together where it is first needed, out of the one before it where it can (CP-21), and is there
    from then on; what is sprayed takes nothing from it."""
    mixes = [only(SOOT), Mix((SOOT, GULL), (1, 1)), only(SOOT)]
    coats = [*(brushed(m) for m in mixes), usual_coat("spray", only(CHALK))]
    puddles, letters = palette_for(coats, [0.1] * 4, 20)
    first, grown, again, sprayed = puts_of(puddles, letters, [5, 6, 7, 8])
    assert [name for _, name in first.rows] == ["Soot"] and sprayed is None
    assert grown.rows[0][1] == "of puddle A" and [name for _, name in grown.rows[1:]] == ["Gull"]
    assert again.rows == () and "A is there, from step 5" in again.words
