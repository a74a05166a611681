"""A squad: which region takes after which, and what a file of one may say. Common practice, CP-29."""

import json

import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.sculpt.marking import Region
from dusk_lamp.core.squad.document import MOST_MEMBERS, Member, Squad, read_squad, squad_of
from dusk_lamp.core.squad.matching import HAND, MATERIAL, NAME, NONE, WORD, regions_matched

SCHEME = (
    Region("Cloak", "cloth", id=1),
    Region("Left boot", "leather", id=2),
    Region("Lantern", "metal", id=3),
    Region("Face", "skin", id=4),
)


def took(region, by_hand=None):
    (found,) = regions_matched([region], SCHEME, by_hand)
    return found.scheme, found.how


@pytest.mark.parametrize(
    ("name", "material", "found"),
    [
        ("cloak", "leather", ("Cloak", NAME)),  # the name counts more than what it is made of
        ("Old boots", "metal", ("Left boot", WORD)),
        ("Buckle", "metal", ("Lantern", MATERIAL)),
        ("Cheeks", "skin", ("Face", MATERIAL)),
        ("Pouch", "leather", ("Left boot", MATERIAL)),
        ("Window", "glass or gem", ("", NONE)),
    ],
)
def test_a_region_takes_after_its_name_then_a_word_of_it_then_its_material(name, material, found):
    assert took(Region(name, material, id=9)) == found


def test_of_two_words_in_common_the_one_with_more_of_them_is_meant():
    scheme = [Region("Right boot", "leather", id=1), Region("Left boot strap", "leather", id=2)]
    (found,) = regions_matched([Region("Left boot", "leather", id=5)], scheme)
    assert (found.scheme, found.scheme_id) == ("Left boot strap", 2)


def test_what_is_matched_by_hand_stays_and_what_is_not_there_is_told():
    assert took(Region("Cloak", id=9), {"cloak": "Face"}) == ("Face", HAND)
    assert took(Region("Cloak", id=9), {"Cloak": ""}) == ("", HAND), "it takes after none"
    for by_hand, says in (({"Hat": "Face"}, "no region 'Hat'"), ({"Cloak": "Hat"}, "no region 'Hat'")):
        with pytest.raises(SettingError, match=says):
            took(Region("Cloak", id=9), by_hand)


def test_a_squad_comes_back_from_its_file():
    given = {"squad": 1, "name": "Runners", "scheme": "a.json", "models": [{"file": "b.json", "count": 4}]}
    squad = read_squad(json.dumps(given).encode())
    assert squad == Squad(1, "Runners", "a.json", (Member("b.json", count=4),)) and squad.count == 4


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ([], "this is no squad"),
        ({}, "this is no squad"),
        ({"squad": "1"}, "this is no squad"),
        ({"squad": True}, "this is no squad"),
        ({"squad": 0}, "this is no squad"),
        ({"squad": 2}, "newer Dusk Lamp"),
        ({"squad": 1, "lamp": 3}, "not “lamp”"),
        ({"squad": 1, "models": {}}, "are a list"),
        ({"squad": 1, "models": [3]}, "are a list"),
        ({"squad": 1, "models": [{"files": "a"}]}, "not “files”"),
        ({"squad": 1, "models": [{"changes": {"Cloak": {"size": 3}}}]}, "not 'size'"),
        ({"squad": 1, "models": [{"file": "a"}] * (MOST_MEMBERS + 1)}, "at most"),
    ],
)
def test_what_is_no_squad_is_told_in_words(given, says):
    with pytest.raises(SettingError, match=says):
        squad_of(given)


def test_of_two_regions_of_one_material_the_one_that_deserves_as_much_attention_is_taken():
    """A quiet piece of leather takes after the quiet one, wherever it stands in the list."""
    first = Region("Harness", "leather", "focal point", id=4)
    quiet = Region("Satchel", "leather", "quiet", id=5)
    for scheme in ((first, quiet), (quiet, first)):
        (match,) = regions_matched([Region("Mitt", "leather", "quiet", id=1)], scheme)
        assert (match.scheme_id, match.how) == (5, MATERIAL)
