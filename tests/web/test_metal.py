"""The metal stage in the pages: schools, worlds, edges, their coats."""

import numpy as np
import pytest

from .conftest import packet
from .test_glow import levels as _levels
from .test_glow import marked  # noqa: F401 - a fixture

URL = "/sculpts/1"


@pytest.fixture
def painter_of_metal(marked):  # noqa: F811 - the fixture itself
    marked.region(do="describe", number=1, material="metal")
    return marked


def metal(painter):
    return painter.client.get(f"{URL}/metal.json").get_json()


def change(painter, what, code=200, **more):
    return painter.json("POST", f"{URL}/metal", {"do": what, "region": 1, **more}, code=code).get_json()


def look(painter, query):
    return _levels(painter, query, "metal")


def test_schools_and_worlds_show_at_once_and_are_kept_when_set(painter_of_metal):
    painter = painter_of_metal
    (own,) = metal(painter)["regions"]
    assert own["school"] == "lamp" and not own["set"] and "of which the lamp sees" in own["edge_words"]
    pictures = [
        look(painter, f"region=1&school={s}&world={w}")
        for s, w in (("layered", "noon"), ("lamp", "noon"), ("lamp", "red sky"))
    ]
    assert all(np.abs(a - b).max() > 10 for a, b in zip(pictures, pictures[1:], strict=False))
    assert not metal(painter)["regions"][0]["set"], "nothing is kept"
    change(painter, "set", settings={"school": "facet", "roughness": 0.5})
    (own,) = metal(painter)["regions"]
    assert (own["school"], own["shine"]["roughness"], own["set"]) == ("facet", 0.5, True)
    for settings, says in (
        ({"school": "chrome"}, "school of metal"),
        ({"world": "mars"}, "a world is"),
        ({"roughness": 5}, "roughness"),
    ):
        assert says in change(painter, "set", 400, settings=settings)["error"]
    assert "region" in change(painter, "set", 400, region=9, settings={})["error"]
    change(painter, "usual")
    assert not metal(painter)["regions"][0]["set"]
    told = painter.client.get(f"{URL}/metal/1/holds.json").get_json()
    assert "still reads as metal" in told["words"] and next(
        c for off, c in told["looks"] if off == 0
    ) == pytest.approx(1)


def test_metal_and_edges_become_coats_before_the_glow(painter_of_metal):
    painter = painter_of_metal
    painter.json("POST", f"{URL}/glow", {"do": "add", "kind": "region", "region": 1})
    glow = painter.client.get(f"{URL}/glow.json").get_json()["glows"][0]["number"]
    painter.json("POST", f"{URL}/glow", {"do": "paint", "number": glow})
    change(painter, "edges")
    change(painter, "paint", turn=metal(painter)["turn"])
    told = metal(painter)
    labels = [c["label"] for c in told["coats"]]
    assert told["regions"][0]["painted"] and told["regions"][0]["edged"]
    assert "edge highlight" in labels[-1] and "base coat" in labels[0] and len(labels) >= 5
    sheet = painter.client.get(f"{URL}/sheet").get_data(as_text=True)
    assert sheet.index("edge highlight, the wide one") < sheet.index("the source solid white")
    painted, bare = look(painter, "painted=1"), None
    change(painter, "unpaint")
    change(painter, "unedge")
    bare = look(painter, "painted=1")
    assert metal(painter)["coats"] == [] and np.abs(painted - bare).max() > 20
    assert painter.client.get(f"{URL}/glow.json").get_json()["coats"], "the glow stays"
    assert "in another tab" in change(painter, "paint", 409, turn=told["turn"])["error"]


def test_a_world_is_changed_on_its_mirror_ball(painter_of_metal):
    painter = painter_of_metal
    before = painter.client.get(f"{URL}/metal/1/ball.png")
    assert before.mimetype == "image/png" and before.data.startswith(b"\x89PNG")
    tried = painter.client.get(f"{URL}/metal/1/ball.png?drag=lamp,-0.5,0.3").data
    assert tried != before.data and not metal(painter)["regions"][0]["set"], "nothing is kept while it is dragged"
    change(painter, "set", settings={"drag": "lamp,-0.5,0.3"})
    change(painter, "set", settings={"ground": 0.9, "glow_light": 2.0, "least": 1.5})
    (own,) = metal(painter)["regions"]
    assert (
        own["own"]["lamp"]["azimuth"] < 0
        and own["mirrors"]["ground"] == 0.9
        and own["own"]["glow"]["brightness"] == 2
    )
    assert own["least"] == 1.5 and painter.client.get(f"{URL}/metal/1/ball.png").data != before.data
    change(painter, "set", settings={"world": "dusk"})
    assert metal(painter)["regions"][0]["own"] is None, "another world takes the place of a changed one"
    for settings, says in (
        ({"drag": "lamp,2,2"}, "dragged"),
        ({"drag": "moon"}, "dragged"),
        ({"ground": -1}, "ground"),
    ):
        assert says in change(painter, "set", 400, settings=settings)["error"]
    looks = {off: painter.client.get(f"{URL}/metal/1/look/{off}.png").data for off in (-60, 0, 60)}
    assert len(set(looks.values())) == 3 and painter.client.get(f"{URL}/metal/1/look/90.png").status_code == 400


def test_a_facet_is_touched_corrected_and_unrolled_and_creases_are_lined(painter_of_metal):
    """The plinth's rim is a cylinder; what the painter says of it counts, and comes back as it was."""
    painter = painter_of_metal
    change(painter, "set", settings={"school": "facet"})
    heading, _ = packet(painter.client.get(f"{URL}/surface.bin"))
    tall = heading["high"][2] - heading["low"][2]
    touch = {"origin": [0, -500, 0.06 * tall], "direction": [0, 1, 0]}
    ask = lambda: painter.client.get(  # noqa: E731
        f"{URL}/metal/1/facet.json?" + "&".join(f"{k}={','.join(map(str, v))}" for k, v in touch.items())
    ).get_json()
    found = ask()
    assert found["kind"] == "cylinder" and len(found["words"]) > 1
    svg = painter.client.get(f"{URL}/metal/1/facet/{found['number']}.svg").get_data(as_text=True)
    assert "linearGradient" in svg and svg.count("<text") >= 2
    assert painter.client.get(f"{URL}/metal/1/facet/99.svg").status_code == 404
    change(painter, "facet", kind="none", **touch)
    assert ask()["number"] is None
    change(painter, "facet", kind="cylinder", **touch)
    assert ask()["kind"] == "cylinder"
    assert "what a facet is" in change(painter, "facet", 400, kind="cone", **touch)["error"]
    assert painter.client.get(f"{URL}/metal/1/facet.json?origin=a&direction=0,1,0").status_code == 400
    assert len(np.unique(look(painter, "region=1&facets=1"), axis=0)) > 2
    left, right = ({**touch, "origin": [x, -500, 0.06 * tall]} for x in (-1.5, 1.5))
    number = lambda at: painter.client.get(  # noqa: E731
        f"{URL}/metal/1/facet.json?" + "&".join(f"{k}={','.join(map(str, v))}" for k, v in at.items())
    ).get_json()["number"]
    low, high = ({**touch, "origin": [0.1, -500, share * tall]} for share in (0.02, 0.11))
    assert number(left) == number(right)
    change(painter, "cut", start=low, end=high)
    assert number(left) != number(right), "a stroke down the rim parts its left from its right"
    assert "across" in change(painter, "cut", 400, start=low, end=low)["error"]
    beside = {"origin": [0, 0, 900], "direction": [0, 0, 1]}
    assert "nothing there" in change(painter, "cut", 400, start=beside, end=high)["error"]
    painter.undo(1)
    assert number(left) == number(right)
    heading, rest = packet(painter.client.get(f"{URL}/metal/1/edges.bin?least=2"))
    assert len(rest) == 24 * (heading["strokes"] + heading["creases"])
    (own,) = metal(painter)["regions"]
    if own["lining_mm"]:
        change(painter, "lining")
        assert metal(painter)["regions"][0]["lined"]
        change(painter, "unline")
    else:
        assert "no crease" in change(painter, "lining", 400)["error"]
    assert not metal(painter)["regions"][0]["lined"]
