"""Schemes from words and pictures: hues on the colour circle, colours of a picture, what gets which. Common practice,
sections 8, 9."""

import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.colour import colour_of_hex, delta_e
from dusk_lamp.core.paint.rack import Rack
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.target.scheme import (
    WORDS,
    guessed_names,
    in_scheme,
    named_by_place,
    named_if_low,
    palette_of_picture,
    schemes_of_picture,
    schemes_of_words,
)

from ..shapes import RACK, ball, plate, surface_of, together


def hue(colour):
    looks = colour_of_hex(colour)
    return float(np.degrees(np.arctan2(looks.b, looks.a)) % 360)


def apart(one, other):
    return abs((hue(one) - hue(other) + 180) % 360 - 180)


def test_words_give_three_schemes_on_the_colour_circle():
    close, opposite, three = schemes_of_words(["sea"])
    assert 230 < hue(close.colours[0]) < 300  # blue, CIELAB
    assert apart(*close.colours[:2]) < 60 < 140 < apart(*opposite.colours[:2])
    assert 90 < apart(*three.colours[:2]) < 150
    assert (
        colour_of_hex(schemes_of_words(["dark"])[0].colours[0]).L
        < 35
        < colour_of_hex(schemes_of_words(["holy"])[0].colours[0]).L
    )
    mixed = schemes_of_words(["fire", "sea"])[0].colours[0]
    assert mixed not in (schemes_of_words(["fire"])[0].colours[0], schemes_of_words(["sea"])[0].colours[0])
    for word in WORDS:
        assert len({c for s in schemes_of_words([word]) for c in s.colours}) > 4


@pytest.mark.parametrize(
    ("words", "says"), [([], "one to 3"), (["sea"] * 4, "one to 3"), (["hockey"], "no word"), (["", " "], "one to 3")]
)
def test_what_is_no_word_is_refused(words, says):
    with pytest.raises(SettingError, match=says):
        schemes_of_words(words)


def test_a_picture_gives_its_own_colours_the_most_first():
    """Three flat fields of known colours and sizes; by CIEDE2000 each comes back."""
    wanted = {"#2d5c93": 600, "#8e1f28": 300, "#e6dcc4": 100}
    rows = [np.tile([int(c[k : k + 2], 16) / 255 for k in (1, 3, 5)], (n, 1)) for c, n in wanted.items()]
    found = palette_of_picture(np.concatenate(rows).reshape(50, 20, 3))
    for colour, nearest in zip(wanted, found, strict=False):
        assert float(delta_e(colour_of_hex(colour).lab, colour_of_hex(nearest).lab)) < 2
    assert palette_of_picture(np.full((1, 1, 3), 0.5)) and palette_of_picture(np.zeros((4, 4, 3)))
    assert found == palette_of_picture(np.concatenate(rows).reshape(50, 20, 3))
    names = [s.name for s in schemes_of_picture(found)]
    assert len(set(names)) == 3 and schemes_of_picture(found)[0].colours[0] == found[0]
    assert all(len(s.colours) == 4 for s in schemes_of_picture(["#808080"]))
    with pytest.raises(SettingError, match="no colours"):
        schemes_of_picture([])


def test_the_largest_cloth_gets_the_main_colour_and_each_material_its_own():
    regions = [
        Region("Cape", "cloth"),
        Region("Coat", "cloth"),
        Region("Boots", "leather"),
        Region("Gem", "glass or gem"),
        Region("Face", "skin"),
    ]
    (scheme, *_) = schemes_of_words(["royal"])
    cape, coat, boots, gem, face = in_scheme(regions, [90, 200, 20, 2, 10], scheme, Rack([]))
    assert (coat.colour, cape.colour, gem.colour) == (scheme.colours[0], scheme.colours[1], scheme.colours[3])
    assert 40 < hue(boots.colour) < 90 and 40 < hue(face.colour) < 80  # brown, skin
    assert all(r.dark and r.bright for r in (cape, coat))
    snapped = in_scheme(
        [Region("Coat", "cloth")],
        [1.0],
        type(scheme)("", (RACK.find("Tide Blue").looks.hex, *scheme.colours[1:])),
        RACK,
    )
    assert snapped[0].colour == "Tide Blue"  # neat from the pot, CP-35


def test_guesses_are_named_by_their_place():
    named = guessed_names(
        [Region(f"Guess {k}") for k in (1, 2, 3, 4)],
        [(0.4, 0.8, 0.1), (0.03, 0.08, 0.0), (0.9, 0.95, 0.05), (0.93, 1.0, 0.4)],
        [0.65, 0.25, 0.05, 0.05],
    )
    assert [r.name for r in named] == ["Guess 1", "Base", "Head", "Guess 4"], "a lantern on its pole is no head"
    assert named[1].material == "stone" and named[2].attention == "focal point"


def test_what_is_marked_low_is_named_as_the_base_once():
    """A figure of 20 mm: its plate and 2 mm of it are a base, 5 mm of it are not; beside another base neither."""
    surface = surface_of(together(plate(-10, 10, -10, 10), ball(10, 4, at=(0, 0, 10))))
    z, named = surface.points[:, 2], {}
    for high in (2.0, 5.0):
        cloak = Marking((z < high).astype(np.uint8), (Region("Region 1"),))
        named[high] = named_if_low(cloak, surface).regions[0]
        other = Marking(np.where(z < high, 2, 1).astype(np.uint8), (Region("Base"), Region("Region 2")))
        assert named_if_low(other, surface) is other
    assert (named[2.0].name, named[2.0].material, named[2.0].attention) == ("Base", "stone", "quiet")
    assert named[5.0].name == "Region 1" and named[5.0].material == Region("Region 1").material
    nothing = Marking(np.zeros(len(z), np.uint8), (Region("Region 1"),))
    assert named_if_low(nothing, surface) is nothing


def test_a_guess_is_named_by_where_it_lies_on_the_sculpt():
    surface = surface_of(together(plate(-10, 10, -10, 10), ball(8, at=(0, 0, 9)), ball(2, at=(0, 0, 19))))
    labels = (np.digitize(surface.points[:, 2], (0.5, 17)) + 1).astype(np.uint8)
    everywhere = np.ones(len(surface), bool)
    found = Marking(labels, tuple(Region(f"Guess {k}") for k in (1, 2, 3)))
    named = named_by_place(found, surface, everywhere)
    assert [r.name for r in named.regions] == ["Base", "Guess 2", "Head"]  # the body is left for the painter to name
    assert (named.labels == labels).all()
    with pytest.raises(SettingError, match="no creases"):
        named_by_place(Marking(np.zeros_like(labels), ()), surface, everywhere)
