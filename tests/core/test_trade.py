"""Facts of the trade that a plan keeps: bright first, passes of a spray, the three times of oil. Common practice,
CP-37 to CP-40."""

from dataclasses import replace

import numpy as np
import trimesh

from dusk_lamp.core.coat.coat import Coat, usual_coat
from dusk_lamp.core.coat.spray import Spray
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.colour import delta_e
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.rack import Rack
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.features.face.eyes import eye_coats, face_of
from dusk_lamp.core.plan.features.metal.painted import layers_of, metal_values
from dusk_lamp.core.plan.features.metal.wishes import CUSTOMARY, Metal
from dusk_lamp.core.plan.features.undercoat.pots import ValueSpan, pots_from
from dusk_lamp.core.plan.features.undercoat.school_fit import fewest_of_the_nearest, fit_school
from dusk_lamp.core.plan.features.undercoat.schools import schools
from dusk_lamp.core.plan.features.undercoat.schools.school import Kit
from dusk_lamp.core.plan.features.undercoat.twins import twins_of
from dusk_lamp.core.plan.steps.step import step_of, steps_of
from dusk_lamp.core.plan.steps.times import times_of
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Site, Where
from dusk_lamp.core.target.local import usual_local
from dusk_lamp.core.target.target import target
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import RACK, surface_of

BOX = surface_of(trimesh.creation.box((10, 10, 30)).subdivide_to_size(1.0))
FILM = np.full(len(BOX), 5, np.float32)


def test_bright_first_primes_tinted_then_greys_whitens_and_varnishes_and_leaves_wash_and_oil_for_last():
    """CP-37: tinted primer, grey, wide white, satin varnish, all sprayed where one can; washes and oils only over the
    colours."""
    coats = schools()["bright-first"].coats(Kit(BOX, Lamp(0, 60), pots_from(RACK), Tools()))
    assert coats[0].by.primes and coats[0].mix.kind == "primer" and len(coats[0].mix.counted()) == 2
    assert [c.technique for c in coats[1:]] == ["spray"] * 4 and coats[-1].mix.clear
    values = [c.mix.colour.value for c in coats[:-1]]
    assert values[0] < values[1] < values[2] == values[3]
    assert not {"wash", "oil wipe"} & {c.technique for c in coats}


def test_a_spray_is_said_in_passes_with_the_seconds_as_a_guide():
    """CP-40: the rule is passes until it looks like the picture."""
    how = [
        Coat("spray", only(RACK.find("Chalk")), Spray(0, 60, 90, s)).by.how(Spray(0, 60, 90, s)) for s in (1.0, 4.0)
    ]
    assert how[0].startswith("One light pass, until it looks like the picture") and how[1].startswith(
        "Three light passes"
    )
    assert all("as a guide" in words for words in how)


def test_oil_over_oil_waits_for_its_thinner_and_acrylic_over_oil_for_a_day():
    """CP-38: thinner gone in minutes, workable for hours, varnish after a day; another part can be painted
    meanwhile."""
    labels = (1 + (BOX.points[:, 2] > 0)).astype(np.uint8)
    site = Site(BOX, marking=Marking(labels, (Region("Low"), Region("High"))))
    oil = next(p for p in RACK if p.kind == "oil")
    wipe = replace(usual_coat("oil wipe", only(oil)), where=Where("region", 1), region=1)
    paint = replace(usual_coat("brush", only(RACK.find("Gull"))), where=Where("region", 1), region=1)
    beside = replace(paint, where=Where("region", 2), region=2)

    def waited(*coats):
        return times_of(steps_of(site, list(coats), [FILM] * len(coats))).wait

    assert waited(wipe, wipe) < 20 and waited(wipe, paint) > 12 * 60 and waited(wipe, beside) == 0
    assert "varnish after a day" in step_of(1, wipe, FILM, site).how


def test_a_base_coat_of_a_region_says_which_region_it_goes_on():
    site = Site(BOX, marking=Marking(np.ones(len(BOX), np.uint8), (Region("Cloak"),)))
    own = replace(usual_coat("brush", only(RACK.find("Gull"))), where=Where.some(np.ones(len(BOX), bool)), region=1)
    assert step_of(1, own, FILM, site).goes_on == "Cloak"


def test_the_fit_is_never_worse_than_a_school_and_takes_fewer_passes_where_they_do_as_well():
    """Offers with a known answer: the nearest wins; of equals the one with fewer coats; a flat range does not
    count."""
    site, pots = Site(BOX), pots_from(RACK)
    share = np.clip((BOX.points[:, 2] + 15) / 30, 0, 1).astype(np.float32)
    kit = Kit(BOX, Lamp(0, 60), pots, Tools())
    twotone, span = fit_school(site, schools()["twotone"].coats(kit), share)
    primer = [kit.primed()]
    doubled = [*twotone, replace(twotone[-1], muted=False, settings=replace(twotone[-1].settings, seconds=0.0))]
    assert fewest_of_the_nearest(site, share, [(primer, span), (twotone, span)]) == 1
    assert fewest_of_the_nearest(site, share, [(doubled, span), (twotone, span)]) == 1
    flat = ValueSpan(span.darkest, span.darkest + 0.6)
    assert fewest_of_the_nearest(site, share, [(primer, flat), (twotone, span)]) == 1


def test_a_step_says_what_the_hand_does_at_its_edge():
    """CP-31, CP-43: a loaded brush where a border is short, a glaze where it is longer, stippling on stone, none on a
    base."""
    labels = np.ones(len(BOX), np.uint8)
    top = np.asarray(BOX.points[:, 2] > 5)

    def how(material, light, own=top):
        site = Site(BOX, marking=Marking(labels, (Region("Cloak", material),)))
        base = replace(usual_coat("brush", only(RACK.find("Rain Barrel"))), where=Where("region", 1), region=1)
        upper = replace(usual_coat("brush", only(RACK.find(light))), where=Where.some(own), region=1)
        steps = steps_of(site, [base, upper], [FILM, FILM])
        assert "edge" not in steps[0].how
        return steps[1].how

    values = {p.name: p.looks.value for p in RACK if p.kind in ("base", "layer")}
    dark = values["Rain Barrel"]
    near = min((n for n, v in values.items() if 0.05 < v - dark <= 0.5), key=lambda n: values[n])
    far = max(values, key=lambda n: values[n])
    middle = min((n for n, v in values.items() if 0.7 < v - dark < 1.4), key=lambda n: values[n])
    assert "reads as smooth as it is" in how("cloth", near) and "leave it crisp" in how("cloth", far)
    assert "may stay crisp; smooth, it takes" in how("cloth", middle)
    corner = np.asarray((BOX.points > (4, 4, 14)).all(axis=1))
    assert "both paints on one wicked brush" in how("cloth", middle, corner)
    assert "Stipple" in how("stone", middle) and "the way the hair lies" in how("hair", middle)


def test_eyes_are_coats_dark_first_and_never_white():
    """CP-33: socket dark, off-white, line, both dots; too small for a dot: a wash only; each inside the one before
    it."""
    head = surface_of(trimesh.creation.icosphere(5, 4))
    site = Site(head)
    middles = [np.array([x, -np.sqrt(16 - x * x - 0.25), 0.5]) for x in (1.4, -1.4)]  # its left, its right, facing −y
    face = face_of(head, *middles)
    coats = eye_coats(site, face, *middles, RACK)
    values = [c.mix.colour.value for c in coats]
    assert len(coats) == 4 and values[1] > 7 and values[1] < 9.4 and max(values[0], values[2], values[3]) < 3.2
    socket, white, line, dot = (site.on(c.where) for c in coats)
    assert (white <= socket).all() and (dot <= white | line).all() and not (white & line).any() and dot.any()
    assert all(head.points[w][:, 1].max() < 0 for w in (socket, white, dot))
    small = [np.array([x, -4.0, 0.5]) for x in (0.2, -0.2)]
    only_one = eye_coats(site, face_of(head, *small), *small, RACK)
    assert [c.technique for c in only_one] == ["wash"] and "too small" in only_one[0].label


def test_every_primed_or_sprayed_colour_has_a_twin_for_the_brush_or_says_how_to_mend_it():
    """Common practice: named before work starts; ΔE00 at most 1, by CIEDE2000 as in test_colour, and the same
    finish."""
    kit = Kit(BOX, Lamp(0, 60), pots_from(RACK), Tools())
    coats = [
        kit.primed(),
        kit.spray(only(RACK.find("Gull")), (0, 60), 6, "turn", "grey"),
        usual_coat("brush", only(RACK.find("Soot"))),
    ]
    primer, grey = twins_of(coats, RACK)
    assert grey.mix.counted() == {"Gull": 1} and "the same by brush" in grey.words
    assert (primer.mix is None) == (primer.delta_e > 1) and primer.of == coats[0].mix
    if primer.mix:
        assert float(delta_e(primer.mix.colour.lab, primer.of.colour.lab)) <= 1
    lonely = twins_of(coats[:1], Rack([RACK.find("Cockle Red"), coats[0].mix.paints[0]]))[0]
    assert lonely.mix is None and "no twin" in lonely.words


def test_painted_steel_can_take_the_customary_ladder_of_three_pots():
    """CP-22, common practice: D+M 1:1, D+M 1:2, M, M+W 1:1, M+W 1:2, each inside the one before (CP-16)."""
    head = surface_of(trimesh.creation.icosphere(4, 5))
    site = Site(head, marking=Marking(np.ones(len(head), np.uint8), (Region("Helm", "metal"),)))
    lamp, metal = Lamp(0, 60), Metal("layered", mixes=CUSTOMARY)
    value = metal_values(site, metal, lamp)
    wanted = target(site, Rig(lamp), [usual_local("stone"), usual_local("metal")])
    task = brief_of(site, wanted, 1, np.full((len(site), 36), 0.1, np.float32), RACK)
    coats = layers_of(task, metal, value)
    parts = [tuple(c.mix.parts) for c in coats]
    assert parts == [(1, 1, 0), (1, 2, 0), (0, 1, 0), (0, 1, 1), (0, 1, 2)][: len(coats)] and len(coats) >= 4
    assert len({name for c in coats for name in c.mix.counted()}) == 3
    areas = [float(site.areas[on].sum()) if (on := site.on(c.where)) is not None else 0.0 for c in coats[1:]]
    assert areas == sorted(areas, reverse=True) and all(c.way == "metal" for c in coats)
