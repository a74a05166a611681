"""Marking regions: a ray in, labels out; undo, two tabs, hostile names."""

import json

import numpy as np
import pytest

from dusk_lamp.core.sculpt.marking import MATERIALS

from .conftest import packet

DOWN = {"origin": [0, 0, 100], "direction": [0, 0, -1]}
SIDE = {"origin": [100, 0, 2], "direction": [-1, 0, 0]}


class Marker:
    def __init__(self, painter, sculpt_id):
        self.painter, self.url = painter, f"/sculpts/{sculpt_id}/regions"

    def now(self):
        return packet(self.painter.client.get(f"{self.url}.bin"))

    def do(self, what, code=200, **more):
        if what in ("undo", "redo"):
            self.painter.undo(int(self.url.split("/")[2]), what)
            return self.now()
        answer = self.painter.json("POST", self.url, {"do": what, **more}, code=code)
        return packet(answer) if code == 200 else answer.get_json()


@pytest.fixture
def marker(painter, sculpt_id):
    return Marker(painter, sculpt_id)


def test_picking_from_above_marks_the_head_and_only_it(marker, painter, sculpt_id):
    heading, labels = marker.do("pick", **DOWN)
    assert [r["number"] for r in heading["regions"]] == [1]
    surface, rest = packet(painter.client.get(f"/sculpts/{sculpt_id}/surface.bin"))
    n = surface["samples"]
    points = rest[: n * 12].view(np.float32).reshape(n, 3)
    marked = points[labels == 1]
    assert len(labels) == n and marked[:, 2].max() == pytest.approx(25, abs=0.1) and marked[:, 2].min() > 15
    assert heading["rest"] + heading["regions"][0]["area"] == pytest.approx(heading["whole"], abs=0.3)


def test_a_new_crease_replaces_the_stroke_instead_of_adding_one(marker):
    first = marker.do("pick", **DOWN)[0]
    again = marker.do("pick", **DOWN, crease=90, again=True)[0]
    assert len(again["regions"]) == 1 and again["undo"] == first["undo"] == "region marked"
    assert not marker.do("undo")[0]["regions"], "it was one stroke"


def test_strokes_are_undone_and_redone_even_after_a_reload(marker):
    marker.do("pick", **DOWN)
    marker.do("describe", number=1, name="Head", material="skin", attention="focal point")
    marker.do("pick", **SIDE)
    assert [r["name"] for r in marker.now()[0]["regions"]] == ["Head", "Region 2"]
    marker.do("undo")
    assert [r["name"] for r in marker.do("undo")[0]["regions"]] == ["Region 1"]
    heading, labels = marker.do("undo")
    assert heading["regions"] == [] and not labels.any() and not heading["undo"] and heading["redo"]
    turn = marker.now()[0]["turn"]
    assert marker.do("undo")[0]["turn"] == turn, "there is nothing before the first stroke"
    for _ in range(4):
        heading, _ = marker.do("redo")
    assert [r["name"] for r in heading["regions"]] == ["Head", "Region 2"] and not heading["redo"]
    marker.do("undo")
    marker.do("rim", number=1, rounds=1)
    assert not marker.now()[0]["redo"], "a new stroke ends what was undone"


def test_taking_away_wider_narrower_and_removing(marker):
    area = marker.do("pick", **SIDE)[0]["regions"][0]["area"]
    wider = marker.do("rim", number=1, rounds=1)[0]["regions"][0]["area"]
    marker.do("undo")
    narrower = marker.do("rim", number=1, rounds=-1)[0]["regions"][0]["area"]
    assert narrower < area < wider
    assert marker.do("pick", **SIDE, number=1, take=True)[0]["regions"][0]["area"] == 0
    assert marker.do("remove", number=1)[0]["regions"] == []


def test_two_tabs_marking_the_same_sculpt_are_told(marker):
    then = marker.now()[0]["turn"]
    marker.do("pick", **DOWN)
    told = marker.do("pick", code=409, turn=then, **SIDE)
    assert told["stale"] and "another tab" in told["error"]
    assert len(marker.now()[0]["regions"]) == 1, "the first tab's stroke is kept"


def test_a_name_with_markup_is_only_text(marker, painter, sculpt_id):
    marker.do("pick", **DOWN)
    marker.do("describe", number=1, name="<img src=x onerror=alert(1)>")
    assert marker.now()[0]["regions"][0]["name"].startswith("<img")
    assert "<img src=x" not in painter.client.get(f"/sculpts/{sculpt_id}/regions").text


@pytest.mark.parametrize(
    "wish",
    [
        {"do": "pick", "origin": [0, 0, 100], "direction": [0, 0, 1]},
        {"do": "pick", "origin": [0, 0], "direction": [0, 0, 1]},
        {"do": "pick", **DOWN, "number": 7},
        {"do": "pick", **DOWN, "crease": 0},
        {"do": "pick"},
        {"do": "dance"},
        {"do": "remove", "number": 3},
        {"do": "describe", "number": 1, "name": ""},
        {"do": "rim", "number": "x", "rounds": 1},
        {"do": "pick", "origin": [0, 0, None], "direction": [0, 0, -1]},
    ],
)
def test_changes_that_make_no_sense_are_refused_in_words(marker, wish):
    told = marker.do(wish.pop("do"), code=400, **wish)
    assert len(told["error"]) > 15 and "Error" not in told["error"]
    assert marker.now()[0]["regions"] == []


def test_regions_are_carried_over_when_the_sculpt_is_stood_up_anew(marker, painter, sculpt_id):
    before = marker.do("pick", **DOWN)[0]
    painter.post(f"/sculpts/{sculpt_id}/stand", {"up": "x", "front": "-y", "height": "60"})
    after = marker.now()[0]
    assert after["regions"][0]["area"] / after["whole"] == pytest.approx(
        before["regions"][0]["area"] / before["whole"], rel=0.08
    )


def test_a_copy_carries_the_marking_and_the_plan_tells_the_regions(marker, painter, sculpt_id):
    marker.do("pick", **DOWN)
    marker.do("describe", number=1, name="Head", material="skin")
    copy_id = int(painter.post(f"/sculpts/{sculpt_id}/duplicate").find("article")["data-sculpt"])
    assert Marker(painter, copy_id).now()[0]["regions"][0]["name"] == "Head"
    plan = json.loads(painter.client.get(f"/sculpts/{sculpt_id}/plan.json").data)
    head, rest = plan["regions"]
    assert head["material"] == "skin" and rest["number"] == 0
    assert head["area_mm2"] + rest["area_mm2"] == pytest.approx(plan["area_mm2"], abs=0.5)
    assert sum(head["steps_mm2"]) == pytest.approx(head["area_mm2"], abs=0.5)


def test_every_material_is_offered(painter, sculpt_id):
    page = painter.page(f"/sculpts/{sculpt_id}/regions")
    assert [o.text for o in page.select("#region-material option")] == list(MATERIALS)


def test_edges_come_with_their_lengths_by_region(marker, painter, sculpt_id):
    """A plinth of radius 8: the lamp straight above sees its upper rim, 2π·8."""
    marker.do("pick", **SIDE)
    heading, rest = packet(painter.client.get(f"/sculpts/{sculpt_id}/edges.bin"))
    assert heading["names"] == ["the rest", "Region 1"]
    assert heading["crests"]["length"][1] == pytest.approx(2 * 2 * np.pi * 8, rel=0.02), "both its rims"
    assert heading["crests"]["lit"][1] == pytest.approx(2 * np.pi * 8, rel=0.05)
    assert len(rest) == 24 * (heading["crest_pieces"] + heading["crease_pieces"])


def test_a_piece_is_painted_over_what_is_there_and_can_be_taken_back(painter, sculpt_id):
    """What the browser shows under the pointer is what the click takes."""
    heading, rest = packet(painter.client.get("/sculpts/1/pieces.bin"))
    k, n = heading["leaves"], heading["samples"]
    numbers = np.frombuffer(rest, np.int32)
    facet, place = numbers[:n], numbers[n : n + k]
    parent, span = numbers[n + k : n + 3 * k - 1], numbers[n + 3 * k - 1 : n + 7 * k - 3].reshape(-1, 2)
    proposed, area = numbers[n + 7 * k - 3 : n + 8 * k - 3], np.frombuffer(rest, np.float32)[n + 8 * k - 3 :]
    assert set(proposed) == set(range(heading["pieces"])), "the first guess"
    assert len(area) == 2 * k - 1 and parent[-1] == -1 and (parent[:-1] >= k).all() and facet.max() == k - 1
    node = int(np.flatnonzero((area > 0.05 * area[-1]) & (area < 0.4 * area[-1]))[0])
    painter.region(do="piece", node=node, number=None)
    _, labels = packet(painter.client.get("/sculpts/1/regions.bin"))
    labels = np.frombuffer(labels, np.uint8)
    inside = (place[facet] >= span[node, 0]) & (place[facet] < span[node, 1])
    assert (labels[inside] == 1).mean() > 0.97 and (labels[~inside] == 0).all()  # what lies inside is not painted
    larger = int(parent[node])
    painter.region(do="piece", node=larger, number=1)
    painter.region(do="piece", node=node, number=1, take=True)
    _, labels = packet(painter.client.get("/sculpts/1/regions.bin"))
    assert not np.frombuffer(labels, np.uint8)[inside].any()
    for odd in (-1, 2 * k - 1, "x"):
        painter.region(400, do="piece", node=odd, number=None)


def test_a_stroke_cuts_the_head_off_along_the_crease(marker, painter, sculpt_id):
    """The whole figure is one region; a stroke over its head takes out the ball, and the next is told it missed."""
    top = packet(painter.client.get(f"/sculpts/{sculpt_id}/pieces.bin"))[0]["leaves"] * 2 - 2
    marker.do("piece", node=top, number=None)
    rays = [{"origin": [x, 0, 100], "direction": [0, 0, -1]} for x in (-2, -1, 0, 1, 2)]
    heading, labels = marker.do("cut", rays=rays, number=None)
    n = packet(painter.client.get(f"/sculpts/{sculpt_id}/surface.bin"))[0]["samples"]
    points = packet(painter.client.get(f"/sculpts/{sculpt_id}/surface.bin"))[1][: n * 12].view(np.float32)
    z = points.reshape(n, 3)[:, 2]
    assert (labels[z > 17] == 0).mean() > 0.95 and (labels[z < 13] == 1).mean() > 0.75
    assert heading["undo"] == "piece cut out"
    assert "there is no region there" in marker.do("cut", 400, rays=rays, number=None)["error"]
    assert "should not belong" in marker.do("cut", 400, rays=rays, number=1)["error"]
    assert len(marker.do("undo")[1]) == n and (marker.now()[1] == 1).mean() > 0.9


def test_the_rest_of_a_guess_leaves_what_is_marked_and_shift_takes_what_lies_there(marker, painter, sculpt_id):
    marker.do("pick", **DOWN)
    head = marker.now()[1] == 1
    heading, labels = marker.do("guess", pieces=6)
    assert (labels[head] == 1).all() and len(heading["regions"]) > 1 and heading["regions"][0]["name"] == "Region 1"
    assert (labels > 0).mean() > 0.9
    top = packet(painter.client.get(f"/sculpts/{sculpt_id}/pieces.bin"))[0]["leaves"] * 2 - 2
    _, labels = marker.do("piece", node=top, take=True, number=None)
    assert (labels == 0).mean() > 0.2, "the region that most of it lies on is taken away"


def test_a_first_name_suggests_what_it_is_made_of_and_a_later_one_does_not(marker):
    """Common practice, CP-28: a face is looked at first; from memory: boots are leather."""
    marker.do("pick", **DOWN)
    own = marker.do("describe", number=1, name="Boots")[0]["regions"][0]
    assert own["material"] == "leather" and own["attention"] == "important"
    own = marker.do("describe", number=1, name="Face")[0]["regions"][0]
    assert own["material"] == "leather", "whoever renames it has chosen already"
    marker.do("pick", **SIDE)
    other = marker.do("describe", number=2, name="Face")[0]["regions"][1]
    assert other["material"] == "skin" and other["attention"] == "focal point"
