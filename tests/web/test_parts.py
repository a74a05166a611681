"""Parts, files and health in the pages."""

import io
import json

import numpy as np
import pytest
import trimesh

from dusk_lamp.demo.load import load_rack
from dusk_lamp.store.models import Sculpt

from ..shapes import ball, together
from .conftest import packet

URL = "/sculpts/1/parts"


def stl(*shapes) -> bytes:
    return together(*shapes).export(file_type="stl")


def listed(painter, sculpt_id=1):
    return painter.client.get(f"/sculpts/{sculpt_id}/parts.json").get_json()


def upload(painter, url, code=200, file=None, **form):
    data = {**form, **({"file": (io.BytesIO(file[0]), file[1])} if file else {})}
    return painter.post(url, data, code=code, content_type="multipart/form-data")


@pytest.fixture
def two_files(painter):
    """A sculpt brought as two files: a body, and a cap that sits on it."""
    answer = painter.client.post(
        "/sculpts",
        data={
            "file": [
                (io.BytesIO(stl(ball(8, 3, (0, 0, 8)))), "body.stl"),
                (io.BytesIO(stl(ball(4, 3, (0, 0, 18)))), "cap_one.stl"),
            ]
        },
        headers={"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"},
    )
    assert answer.status_code == 201
    return answer.get_json()["id"]


def test_the_shells_of_one_file_are_its_parts_with_area_and_picture(painter, sculpt_id):
    told = listed(painter)
    assert [p["name"] for p in told["parts"]] == ["Part 1", "Part 2", "Part 3"]
    assert sum(p["area"] for p in told["parts"]) == pytest.approx(
        packet(painter.client.get("/sculpts/1/regions.bin"))[0]["whole"], rel=0.01
    )
    for part in told["parts"]:
        assert painter.client.get(part["picture"]).data.startswith(b"\x89PNG")
    assert painter.client.get("/sculpts/1/parts/77.png").status_code == 404
    assert told["seams"] == [] and told["files"][0]["former"] is None


def test_a_part_is_named_and_set_apart_and_its_seams_are_listed_with_both_values(app, painter, two_files):
    answer = painter.json(
        "POST", f"/sculpts/{two_files}/parts", {"number": 1, "name": "  The <b>body</b> ", "apart": True}
    ).get_json()
    assert answer["parts"][1]["name"] == "The <b>body</b>" and answer["parts"][1]["apart"]
    seams = answer["seams"]
    assert seams and all(0 <= s["value_a"] <= 10 and 0 <= s["value_b"] <= 10 and s["length"] > 1 for s in seams)
    assert all("The <b>body</b>" in (s["a"], s["b"]) for s in seams)
    plan = painter.client.get(f"/sculpts/{two_files}/plan.json").get_json()
    assert [s["a"] for s in plan["seams"]] == [s["a"] for s in seams]
    load_rack(app.extensions["workshop"].store)
    told = painter.client.get(f"/sculpts/{two_files}/colour.json").get_json()["seams"]
    assert len(told) == len(seams) and all("ΔE" in words and "match" in words for words in told)


def test_what_a_brush_gets_at_is_told_and_the_parts_it_needs_off_are_taken_apart(painter, two_files):
    heading, marks = packet(painter.client.get(f"/sculpts/{two_files}/reach.bin"))
    assert (
        heading["words"]
        and set(np.unique(marks)) <= {0, 1, 2, 3}
        and all(r["brush"] >= 1 for r in heading["regions"])
    )
    kept = painter.json("POST", f"/sculpts/{two_files}/parts", {"numbers": [0]}).get_json()
    assert [p["apart"] for p in kept["parts"]] == [True, False]
    heading, marks = packet(painter.client.get(f"/sculpts/{two_files}/reach.bin"))
    assert 0 not in heading["apart"] and (marks == 4).any(), "its glue faces are marked"
    painter.json("POST", f"/sculpts/{two_files}/parts", {"numbers": ["shield"]}, 400)


def test_a_neighbour_that_does_not_cast_lets_more_light_onto_the_part(painter, sculpt_id):
    body = 1

    def lit():
        settings = painter.settings(1)
        settings["rig"].update(lamp={"azimuth": 0, "elevation": 90, "size": 0}, sky=0.3, bounce=0)
        answer = painter.json("POST", "/sculpts/1/relight", settings)
        heading, rest = packet(answer)
        surface, raw = packet(painter.client.get("/sculpts/1/surface.bin"))
        n, part = surface["samples"], raw[-surface["samples"] :]
        assert heading["sky"]
        return rest[:n][part == body].astype(float).mean()

    painter.json("POST", URL, {"number": body, "apart": True})
    before = lit()
    painter.json("POST", URL, {"number": body, "uncast": [0, 2]})
    after = lit()
    assert after > before * 1.05
    painter.json("POST", URL, {"number": body, "uncast": []})
    assert lit() == pytest.approx(before)


@pytest.mark.parametrize(
    "bad", [{"number": 9}, {"number": -1}, {}, {"number": 0, "name": "x" * 61}, {"number": 0, "uncast": "x"}]
)
def test_impossible_parts_are_refused_in_words(painter, sculpt_id, bad):
    error = painter.json("POST", URL, {"name": "Hat", **bad}, code=400).get_json()["error"]
    assert len(error.split()) > 4
    assert [p["name"] for p in listed(painter)["parts"]] == ["Part 1", "Part 2", "Part 3"]


def test_several_files_become_one_sculpt_in_the_places_they_were_exported_in(painter, two_files):
    told = listed(painter, two_files)
    assert [p["name"] for p in told["parts"]] == ["body", "cap one"]
    surface, _ = packet(painter.client.get(f"/sculpts/{two_files}/surface.bin"))
    assert surface["parts"] == 2


def test_replacing_a_file_keeps_names_regions_and_scale_and_can_be_undone(painter, two_files, store):
    n = two_files
    painter.json("POST", f"/sculpts/{n}/parts", {"number": 0, "name": "Belly", "apart": True})
    painter.json(
        "POST",
        f"/sculpts/{n}/regions",
        {"do": "pick", "origin": [0, 0, 99], "direction": [0, 0, -1], "tool": "part"},
    )
    with store.session() as session:
        before = session.get(Sculpt, n).height_mm
    taller = stl(ball(4, 3, (0, 0, 18)), ball(1, 2, (0, 0, 24)))
    upload(painter, f"/sculpts/{n}/files", number=1, file=(taller, "cap two.stl"))
    told = listed(painter, n)
    assert [p["name"] for p in told["parts"]] == ["Belly", "cap one", "cap two 2"] and told["parts"][0]["apart"]
    assert told["files"][1] == {"name": "cap two.stl", "former": "cap_one.stl"}
    regions, _ = packet(painter.client.get(f"/sculpts/{n}/regions.bin"))
    assert len(regions["regions"]) == 1 and regions["regions"][0]["area"] > 10
    with store.session() as session:
        assert session.get(Sculpt, n).height_mm == pytest.approx(before * 25 / 22, rel=0.01), (
            "the body keeps its size"
        )
    upload(painter, f"/sculpts/{n}/files", number=1, back=1)
    told = listed(painter, n)
    assert told["files"][1] == {"name": "cap_one.stl", "former": "cap two.stl"} and len(told["parts"]) == 2
    with store.session() as session:
        assert session.get(Sculpt, n).height_mm == pytest.approx(before, rel=0.001)


@pytest.mark.parametrize(
    ("shape", "words"), [(ball(40, 2, (0, 0, 18)), "times as large"), (ball(4, 2, (300, 0, 0)), "units away")]
)
def test_a_part_that_does_not_match_is_refused_unless_it_is_wanted_anyway(painter, two_files, shape, words):
    url = f"/sculpts/{two_files}/files"
    page = upload(painter, url, 400, number=1, file=(stl(shape), "odd.stl"))
    assert words in page.text and "does not match" in page.text
    assert listed(painter, two_files)["files"][1]["name"] == "cap_one.stl", "nothing was changed"
    upload(painter, url, number=1, file=(stl(shape), "odd.stl"), anyway=1)
    assert listed(painter, two_files)["files"][1]["name"] == "odd.stl"


@pytest.mark.parametrize(
    ("content", "name"), [(b"hello", "x.stl"), (b"", "x.stl"), (b"solid", "x.exe"), (None, None)]
)
def test_files_that_are_no_parts_are_refused_in_words(painter, sculpt_id, content, name):
    upload(painter, "/sculpts/1/files", 400, number=0, **({"file": (content, name)} if name else {}))
    upload(painter, "/sculpts/1/files", 400, number=5, file=(stl(ball(5, 2)), "x.stl"))
    assert listed(painter)["files"][0]["former"] is None


def test_holes_are_shown_closed_and_opened_again(painter):
    shape = ball(8, 3, (0, 0, 8))
    shape.update_faces(shape.triangles_center[:, 2] < 14.5)
    n = painter.bring(shape.export(file_type="stl"), "Bowl.stl")["id"]
    page = painter.page(f"/sculpts/{n}/health")
    assert "1 hole" in page.text and page.find("button", string="Close the holes")
    picture = page.find("img")["src"]
    assert painter.client.get(picture).data.startswith(b"\x89PNG")
    page = painter.post(f"/sculpts/{n}/mend", {"what": "close_holes"})
    assert "1 hole closed" in page.text
    page = painter.post(f"/sculpts/{n}/mend", {"what": "open_holes"})
    assert "1 hole in the surface" in page.text
    painter.post(f"/sculpts/{n}/mend", {"what": "melt"}, code=400)


def test_a_sound_sculpt_is_said_to_be_sound(painter):
    n = painter.bring(stl(ball(8, 3, (0, 0, 8))), "Ball.stl")["id"]
    assert "Nothing is wrong with it" in painter.page(f"/sculpts/{n}/health").text


def test_a_copy_keeps_parts_and_view_and_a_deleted_file_is_not_cleared_away_under_it(painter, two_files):
    painter.json("POST", f"/sculpts/{two_files}/parts", {"number": 1, "name": "Cap", "apart": True})
    painter.post(f"/sculpts/{two_files}/duplicate")
    told = listed(painter, two_files + 1)
    assert [p["name"] for p in told["parts"]] == ["body", "Cap"] and told["parts"][1]["apart"]


# --- display view


def test_the_display_view_and_focal_spots_are_kept_with_the_plan(painter, sculpt_id):
    url = "/sculpts/1/display"
    painter.json("POST", url, {"do": "look", "azimuth": -30, "elevation": 15})
    told = painter.json("POST", url, {"do": "spot", "origin": [0, 0, 99], "direction": [0, 0, -1]}).get_json()
    assert told["spots"][0] == pytest.approx([0, 0, 25], abs=0.2)
    assert told["seen"][-1]["name"] == "The whole model" and 0.2 < told["seen"][-1]["share"] < 0.6
    for _ in range(2):
        painter.json("POST", url, {"do": "spot", "origin": [0, -99, 12], "direction": [0, 1, 0]})
    error = painter.json(
        "POST", url, {"do": "spot", "origin": [0, 0, 99], "direction": [0, 0, -1]}, code=400
    ).get_json()
    assert "take one away" in error["error"]
    told = painter.json("POST", url, {"do": "away", "number": 1}).get_json()
    assert len(told["spots"]) == 2
    plan = painter.client.get("/sculpts/1/plan.json").get_json()
    assert plan["display"]["azimuth"] == -30 and len(plan["display"]["spots_mm"]) == 2
    painter.json("POST", url, {"do": "spot", "origin": [500, 0, 99], "direction": [0, 0, -1]}, code=400)
    painter.json("POST", url, {"do": "look", "azimuth": "x"}, code=400)


# --- more ways to mark


def change(painter, what, code=200, **more):
    if what == "undo":
        painter.undo()
        return packet(painter.client.get("/sculpts/1/regions.bin"))
    answer = painter.json("POST", "/sculpts/1/regions", {"do": what, **more}, code=code)
    return packet(answer) if code == 200 else answer.get_json()


RAY = {"origin": [0, -99, 12], "direction": [0, 1, 0]}


def test_a_brush_stroke_is_shown_as_it_will_be_kept(painter, sculpt_id):
    body = {"rays": [RAY, {**RAY, "origin": [1, -99, 12]}], "radius": 1.5}
    heading, raw = packet(painter.json("POST", "/sculpts/1/dab", body))
    touched = raw.view(np.int32)
    assert heading["touched"] == len(touched) > 3
    told, labels = change(painter, "brush", **body)
    assert (np.flatnonzero(labels == 1) == touched).all() and told["regions"][0]["area"] > 5
    through, labels = change(painter, "brush", number=1, through=True, **body)
    assert through["regions"][0]["area"] > 1.5 * told["regions"][0]["area"]
    less, _ = change(painter, "brush", number=1, take=True, **body)
    assert less["regions"][0]["area"] < through["regions"][0]["area"]
    assert "free to take" in change(painter, "brush", 400, rays=[], radius=1)["error"]
    assert "mm" in change(painter, "brush", 400, rays=[RAY], radius=0)["error"]


def test_other_regions_are_left_alone_where_that_is_wished(painter, sculpt_id):
    change(painter, "facing", way="up")
    before = change(painter, "pick", **RAY, tool="part", free=True)[0]["regions"]
    after = change(painter, "pick", **RAY, tool="part", number=2)[0]["regions"]
    assert after[0]["area"] < before[0]["area"] and after[1]["area"] > before[1]["area"]


def test_picks_go_by_part_by_likeness_and_past_hidden_parts(painter, sculpt_id):
    down = {"origin": [0, 0, 99], "direction": [0, 0, -1]}
    head = change(painter, "pick", **down, tool="part")[0]["regions"][0]["area"]
    hidden = next(p["number"] for p in listed(painter)["parts"] if abs(p["area"] - head) < 0.1 * head)
    body = change(painter, "pick", **down, tool="part", hidden=[hidden])[0]["regions"][1]["area"]
    assert body > 1.5 * head
    change(painter, "pick", **down, tool="alike", near=0.05)
    assert "nothing there" in change(painter, "pick", 400, **down, hidden=[0, 1, 2])["error"]


def test_a_guess_can_be_taken_and_thrown_away(painter, sculpt_id):
    guess, labels = change(painter, "guess")
    assert len(guess["regions"]) >= 2 and (labels > 0).mean() > 0.5
    nothing, _ = change(painter, "clear")
    assert nothing["regions"] == [] and len(change(painter, "undo")[0]["regions"]) == len(guess["regions"])


def test_gaps_and_rims_are_tidied_on_request(painter, sculpt_id):
    change(painter, "pick", **RAY, tool="part")
    change(painter, "brush", number=1, take=True, rays=[RAY], radius=1)
    holed = change(painter, "describe", number=1, name="Belly")[0]["regions"][0]["area"]
    assert change(painter, "fill", number=1)[0]["regions"][0]["area"] > holed
    change(painter, "even", number=1)


def test_regions_travel_as_files(painter, sculpt_id):
    change(painter, "pick", **RAY, tool="part")
    change(painter, "describe", number=1, name="Bäuchlein | rund", material="skin")
    kept = painter.client.get("/sculpts/1/regions.json").data
    ply = painter.client.get("/sculpts/1/sculpt.ply").data
    change(painter, "clear")

    def bring(content, name, code):
        answer = painter.client.post(
            "/sculpts/1/regions/file",
            data={"file": (io.BytesIO(content), name)},
            headers={"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"},
        )
        assert answer.status_code == code, answer.text[:300]
        return packet(answer)[0] if code == 200 else answer.get_json()["error"]

    assert bring(kept, "r.json", 200)["regions"][0]["name"] == "Bäuchlein | rund"
    change(painter, "clear")
    assert bring(ply, "r.ply", 200)["regions"][0]["material"] == "skin"
    other = json.loads(kept)
    other["places_um"] = [3 * v + 90_000 for v in other["places_um"]]
    assert "another sculpt" in bring(json.dumps(other).encode(), "r.json", 400)
    assert bring(b"{", "r.json", 400) and bring(b"x", "r.ply", 400) and bring(b"x", "r.png", 400)
    bare = trimesh.creation.box((2, 2, 2)).export(file_type="ply")
    assert "no regions" in bring(bare, "r.ply", 400)


def test_a_sculpt_whose_own_file_carries_regions_has_them_from_the_start(painter, sculpt_id):
    change(painter, "pick", **RAY, tool="part")
    change(painter, "describe", number=1, name="Belly")
    ply = painter.client.get("/sculpts/1/sculpt.ply").data
    n = painter.bring(ply, "Marked.ply")["id"]
    heading, labels = packet(painter.client.get(f"/sculpts/{n}/regions.bin"))
    assert [r["name"] for r in heading["regions"]] == ["Belly"] and 0.1 < (labels == 1).mean() < 0.9


def test_a_stroke_made_before_the_sculpt_was_stood_up_again_is_refused_and_nothing_is_lost(painter, sculpt_id):
    change(painter, "pick", **RAY, tool="part")
    told, _ = packet(painter.client.get("/sculpts/1/regions.bin"))
    painter.post("/sculpts/1/stand", {"up": "z", "front": "-y", "height": "54"})
    answer = painter.json(
        "POST",
        "/sculpts/1/regions",
        {"do": "brush", "rays": [RAY], "radius": 1, "number": 1, "turn": told["turn"]},
        code=409,
    ).get_json()
    assert answer["stale"] and "nothing of yours" in answer["error"]
    assert [r["name"] for r in packet(painter.client.get("/sculpts/1/regions.bin"))[0]["regions"]] == ["Region 1"]
