"""The plan as a document: read, written, brought along from version 1, refused in words; ids that stay."""

import json

import numpy as np
import pytest

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.plan import document
from dusk_lamp.core.plan.document import Plan, document_of, plan_from, read_plan, schema
from dusk_lamp.core.plan.features.metal.painted import usual_metal
from dusk_lamp.core.plan.wishes import kinds_of_wishes
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Where

from ..shapes import RACK

REGIONS = (Region("Hood", id=3), Region("Blade", "metal", id=7), Region("Face", "skin", id=4))
LABELS = np.array([0, 1, 1, 2, 2, 3], np.uint8)


def wished():
    """A plan with wishes of many stages."""
    plan = Plan(regions=REGIONS, last_id=9)
    kinds = kinds_of_wishes()
    metal = kinds["metal"]().with_one(7, usual_metal("metal"))
    plan = plan.with_wishes("metal", metal).with_wishes("wear", kinds["wear"]({"dust": 0.4}, (4, 7)))
    coat = usual_coat("brush", only(RACK.find("Soot")), "base", "metal")
    on_blade = type(coat)(
        coat.technique,
        coat.mix,
        coat.settings,
        Where("region", 7),
        label="base",
        stage="metal",
        way="metal",
        region=7,
    )
    return type(plan)(**{**plan.__dict__, "coats": (on_blade,), "settled": ("undercoat", "metal")})


def test_a_plan_comes_back_from_its_file_as_it_was():
    plan = wished()
    assert read_plan(json.dumps(document_of(plan)).encode()) == plan
    assert document_of(read_plan(json.dumps(document_of(plan)).encode())) == document_of(plan)


def test_every_feature_has_described_wishes_that_are_in_the_schema():
    printed = schema()["properties"]["wishes"]["properties"]
    assert (
        list(printed)
        == list(kinds_of_wishes())
        == [
            "prepare",
            "undercoat",
            "colour",
            "face",
            "metal",
            "edges",
            "glow",
            "decals",
            "wear",
            "finish",
        ]
    )
    for name, kind in kinds_of_wishes().items():
        assert plan_from({"plan": 2, "wishes": {name: {}}}).wishes_of(name) == kind()
    assert printed["undercoat"]["properties"]["darkest"]["anyOf"][0]["maximum"] == 10


def test_a_plan_of_version_1_is_brought_along():
    first = {
        "plan": 1,
        "sculpt": {"file": "x.stl"},
        "undercoat": {"school": "twotone", "primer": "Soot", "steps": 4},
        "every": "layers",
    }
    plan = plan_from(first)
    assert plan.plan == 2 and plan.wishes_of("undercoat").school == "twotone" and plan.greys.steps == 4
    assert plan.wishes_of("colour").every == "layers" and plan.settled == ()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"plan": 3}, "newer"),
        ({"plan": True}, "no plan"),
        ({"plan": "2"}, "no plan"),
        ({"colours": 1}, "not known"),
        ({"wishes": {"magic": {}}}, "a stage is one of"),
        ({"wishes": {"wear": {"moss": 1}}}, "not known"),
        ({"wishes": 3}, "garbled"),
        ({"settled": ["../x"]}, "a stage is one of"),
        ({"dusk": 4}, "between 0 and 1"),
        ({"regions": [{"name": "a\0b"}]}, "nobody can see"),
        ({"regions": [{"name": "\ud800"}]}, "nobody can see"),
        ({"sculpt": {"apart": "x"}}, ""),
        ({"last_id": -1}, ""),
        ({"coats": [{"technique": "spray"}]}, ""),
        ({"wishes": {"glow": {"glows": [{"id": 1, "kind": "moon"}]}}}, ""),
        ({"models": 1e9}, ""),
    ],
)
def test_what_is_no_plan_is_refused_in_words(change, words):
    with pytest.raises(SettingError) as said:
        plan_from({"plan": 2, **change})
    assert words in str(said.value) and len(str(said.value)) > 20


@pytest.mark.parametrize("name", ["regions", "rack", "coats", "parts"])
def test_what_is_far_too_much_is_counted_before_any_of_it_is_made(monkeypatch, name):
    monkeypatch.setattr(document, "built", lambda *_, **__: pytest.fail("something was made of it"))
    with pytest.raises(SettingError, match="at most"):
        plan_from({"plan": 2, name: [{}] * 100_000})


def test_a_region_that_goes_takes_its_own_wishes_and_leaves_its_coats_on_their_spots():
    plan = wished()
    marking = Marking(LABELS, REGIONS, 9)
    without = plan.bound_to_spots(marking, [7]).marked(marking.without(2))
    assert [r.id for r in without.regions] == [3, 4] and without.wishes_of("metal").of(7) is None
    assert without.wishes_of("wear").spared == (4,)
    (coat,) = without.coats
    assert coat.where.samples(6).tolist() == [False, False, False, True, True, False]
    new = marking.without(2).painted(LABELS == 2, None)  # a new one on the same spots is another region
    assert new.regions[-1].id == 10 and without.marked(new).wishes_of("metal").of(10) is None


def test_renaming_and_renumbering_change_nothing_that_is_wished():
    plan, marking = wished(), Marking(LABELS, REGIONS, 9)
    renamed = marking.described(2, name="Sword")
    assert plan.marked(renamed).wishes == plan.wishes and plan.marked(renamed).coats == plan.coats
    fewer = plan.bound_to_spots(marking, [3]).marked(marking.without(1))
    assert fewer.wishes_of("metal").of(7) and fewer.wishes_of("wear").spared == (4, 7) and fewer.coats == plan.coats


def test_a_plan_on_other_samples_carries_its_spots_along():
    spots = np.array([True, False, True])
    coat = usual_coat("brush", only(RACK.find("Soot")), "x")
    plan = Plan(coats=(type(coat)(coat.technique, coat.mix, coat.settings, Where.some(spots)),))
    assert plan.carried(np.array([0, 0, 1, 2])).coats[0].where.samples(4).tolist() == [True, True, False, True]
