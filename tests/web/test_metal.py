"""The metal stage in the pages: schools, worlds, edges, their coats."""

import numpy as np
import pytest

from .test_glow import levels as _levels
from .test_glow import marked  # noqa: F401 - a fixture

URL = "/sculpts/1"


@pytest.fixture
def painter_of_metal(marked):  # noqa: F811 - the fixture itself
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
    assert own["school"] == "lamp" and not own["set"] and own["crests_mm"] >= own["lit_mm"] >= 0
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
    assert "same story" in told["words"] and next(c for off, c in told["told"] if off == 0) == pytest.approx(1)


def test_metal_and_edges_become_coats_before_the_glow(painter_of_metal):
    painter = painter_of_metal
    painter.json("POST", f"{URL}/glow", {"do": "add", "kind": "region", "region": 1})
    painter.json("POST", f"{URL}/glow", {"do": "paint", "number": 1})
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
