"""The plan in the hands: own tools, the sheet for a squad, step by step at the bench; as a painter meets them."""

import json
from dataclasses import replace
from datetime import timedelta
from urllib.parse import unquote

import pytest

from dusk_lamp.store.models import Done, Sculpt, Sitting, now

URL = "/sculpts/1/paint"


@pytest.fixture
def planned(undercoated):
    return undercoated


def easel(painter):
    return painter.page(URL).find(id="easel")


def kept(painter):
    return json.loads(easel(painter)["data-state"])


def hand(painter, what, key, code=200):
    return painter.json("POST", URL, {"do": what, "key": key}, code).get_json()


def own(painter, code=200, **form):
    every = {
        "airbrush": "on",
        "can": "on",
        "needle": ["0.2", "0.3"],
        "brushes": "1, 2.5",
        "varnish": ["matt"],
        "highest_psi": "30",
        "drops_per_ml": "20",
    }
    return painter.post("/tools", {k: v for k, v in {**every, **form}.items() if v is not None}, code)


# --- my tools


def test_plans_propose_only_what_is_owned(planned):
    own(planned, airbrush=None, needle=[])
    plan = planned.client.get("/sculpts/1/undercoat.json").get_json()
    lacking = {s["name"] for s in plan["schools"] if s["lack"]}
    assert lacking == {"ladder", "bright-first", "shadow-first", "coloured", "oils"} and not plan["fits"]
    refused = planned.json("POST", "/sculpts/1/undercoat", {"do": "school", "name": "ladder"}, 400).get_json()
    assert "My tools" in refused["error"]
    canned = planned.json("POST", "/sculpts/1/undercoat", {"do": "school", "name": "twotone"}).get_json()
    assert {c["settings"].get("tool") for c in canned["coats"]} == {"can"} and "warm water" in " ".join(
        canned["cautions"]
    )
    page = own(planned, dryer="on", highest_psi="22", needle=["0.3"])
    assert (
        page.find("input", {"name": "dryer"}).has_attr("checked")
        and page.find("input", {"name": "brushes"})["value"] == "1, 2.5"
    )
    laid = planned.json("POST", "/sculpts/1/undercoat", {"do": "school", "name": "ladder"}).get_json()["coats"]
    assert {(c["needle"], c["psi"]) for c in laid[1:]} == {(0.3, 22)}
    offered = planned.page("/sculpts/1/undercoat").select("#coat-form select[name=needle] option")
    assert [o["value"] for o in offered] == ["0.3"]


@pytest.mark.parametrize(
    "bad", [{"brushes": "thin"}, {"drops_per_ml": "0"}, {"highest_psi": "nan"}, {"brushes": "1 " * 40}]
)
def test_tools_that_cannot_be_are_refused_in_words(planned, bad):
    page = own(planned, 400, **bad)
    assert len(page.find(role="alert").text.split()) > 4
    assert planned.page("/tools").find("input", {"name": "brushes"})["value"] == "1, 2, 4, 10", (
        "and nothing is changed"
    )


def test_what_a_field_offers_is_what_the_server_takes(planned):
    """Its least and its most, and nothing beyond; steps are counted from a whole number of them."""
    for field in planned.page("/tools").select("input[type=number]"):
        least, most = float(field["min"]), float(field["max"])
        for value, code in ((least, 200), (most, 200), (least - 0.01, 400), (most + 0.01, 400)):
            own(planned, code, **{field["name"]: f"{value:g}"})
    clock = planned.page("/sculpts/1/clock").find("input", {"name": "models"})
    for value, code in ((clock["max"], 200), (str(int(clock["max"]) + 1), 400)):
        planned.post("/sculpts/1/models", data={"models": value}, code=code)
    minutes = planned.page("/sculpts/1/colour").select_one("#how-far-own input[name=minutes]")
    assert (minutes["min"], minutes["max"], minutes["step"]) == ("10", "3000", "10")


def test_the_rooms_sensor_is_read_into_the_form(planned, app, tmp_path):
    """A real one by the file that it writes, and the simulated one that ships."""
    workshop = app.extensions["workshop"]
    assert "no room sensor" in planned.json("GET", "/tools/room.json", None, 400).get_json()["error"]
    assert planned.page("/tools").find(id="read-room") is None
    reading = tmp_path / "room.json"
    for sensor, told in ((str(reading), ""), ("simulated", "simulated")):
        reading.write_text('{"celsius": 27.4, "humidity": 82}')
        workshop.settings = replace(workshop.settings, room_sensor=sensor)
        said = planned.client.get("/tools/room.json").get_json()
        assert 15 < said["temperature"] < 30 and said["words"].startswith("Paint dries")
        assert told in planned.page("/tools").find(id="read-room").text
    workshop.settings = replace(workshop.settings, room_sensor=str(reading))
    assert "Hot and damp" in planned.client.get("/tools/room.json").get_json()["words"]
    reading.write_text("out of order")
    assert "no JSON" in planned.json("GET", "/tools/room.json", None, 400).get_json()["error"]
    reading.unlink()
    assert "cannot be read" in planned.json("GET", "/tools/room.json", None, 400).get_json()["error"]


# --- the sheet for a squad


def test_a_sheet_for_ten_has_the_drops_of_ten_and_of_one(planned):
    one = planned.page("/sculpts/1/sheet")
    ten = planned.post("/sculpts/1/models", {"models": "10"})
    assert "for all 10" in ten.find(class_="step").text and "at the models" in ten.find(class_="models").text.lower()
    assert "for all" not in one.find(class_="step").text
    steps = planned.client.get("/sculpts/1/plan.json").get_json()["steps"]
    for step in steps:
        assert sum(step["drops_of"].values()) >= sum(step["drops_of_one"].values()) >= 1
        assert step["cautions"] and step["hand_minutes"] > 0 and "wait_minutes" in step
    assert sum(sum(s["drops_of"].values()) for s in steps) > 2 * sum(sum(s["drops_of_one"].values()) for s in steps)
    planned.post("/sculpts/1/models", {"models": "many"}, 400)


# --- at the bench


def test_a_step_is_done_or_skipped_and_all_of_it_outlives_a_reload(planned, store):
    page = easel(planned)
    keys = json.loads(page["data-keys"])
    assert kept(planned)["place"] == keys[0] and len(page.select("article[data-step]")) == len(keys)
    hand(planned, "take", keys[0])
    with store.session() as session:  # five minutes later
        sitting = session.query(Sitting).one()
        sitting.timer = {"in_hand": (now() - timedelta(minutes=5)).isoformat()}
    state = hand(planned, "done", keys[0])
    assert state["place"] == keys[1] and state["ends"][keys[0]]["seconds"] == pytest.approx(300, abs=5)
    assert 0 < state["wait"]["left"] <= state["wait"]["seconds"] and state["wait"]["after"] == keys[0], (
        "the primer dries"
    )
    assert hand(planned, "skipped", keys[1])["wait"]["after"] == keys[0], (
        "and goes on drying while another is skipped"
    )
    again = kept(planned)
    assert again["place"] == keys[2] and again["ends"][keys[1]]["how"] == "skipped" and again["wait"]["left"] > 0
    assert hand(planned, "dry", keys[2])["wait"] is None
    assert keys[0] not in hand(planned, "open", keys[0])["ends"], "a step can be opened again"
    for key in keys:
        hand(planned, "done", key)
    assert "paint" in _stages(store)
    hand(planned, "jump", keys[0], 400)
    assert "reload" in hand(planned, "done", "no such step", 400)["error"]


def _stages(store):
    with store.session() as session:
        return session.get(Sculpt, 1).stages_done


def test_what_is_done_stays_done_when_another_coat_of_the_plan_is_changed(planned, store):
    keys = json.loads(easel(planned)["data-keys"])
    hand(planned, "done", keys[0])
    hand(planned, "done", keys[2])
    planned.json("POST", "/sculpts/1/undercoat", {"do": "set", "number": 3, "settings": {"seconds": 9}})
    after = json.loads(easel(planned)["data-keys"])
    assert after[0] == keys[0] and after[2] != keys[2] and list(kept(planned)["ends"]) == [keys[0]]
    planned.undo()
    assert set(kept(planned)["ends"]) == {keys[0], keys[2]}, "and what was undone is as it was"
    planned.post("/sculpts/1/delete")
    with store.session() as session:
        session.delete(session.get(Sculpt, 1))
    with store.session() as session:
        assert session.query(Done).count() == 0


def test_cautions_are_read_once_a_day_and_never_hidden(planned):
    page = easel(planned)
    keys = json.loads(page["data-keys"])
    for article in page.select("article[data-step]"):
        assert "safety data sheet" in article.find(class_="caution").text
    assert keys[0] in kept(planned)["unread"]
    assert keys[0] not in hand(planned, "read", keys[0])["unread"]
    assert "safety data sheet" in easel(planned).find(class_="caution").text


def test_the_bench_has_a_picture_before_and_after_every_step_and_says_when_there_is_no_plan(planned, store):
    page = easel(planned)
    for article in page.select("article[data-step]")[:2]:
        for look in ("before", "after"):
            answer = planned.client.get(article[f"data-{look}"].replace("VIEW", "display"))
            assert answer.data.startswith(b"\x89PNG")
    for wrong in (
        "/sculpts/1/paint/99/before/front.png",
        "/sculpts/1/paint/1/during/front.png",
        "/sculpts/1/paint/1/after/moon.png",
    ):
        assert planned.client.get(wrong).status_code == 404
    planned.undo()
    empty = planned.page(URL)
    assert empty.find(id="easel") is None and "Lay the undercoat" in empty.text


def test_a_white_primed_plan_never_says_darkest_first(planned):
    planned.json("POST", "/sculpts/1/undercoat", {"do": "school", "name": "shadow-first"})
    for url in ("/sculpts/1/sheet", URL):
        text = planned.page(url).text.lower()
        assert "darkest first" not in text and "from darkest" not in text and "white everywhere" in text


def test_a_file_keeps_the_letters_of_its_sculpt(planned):
    """RFC 6266 and RFC 5987: a name in any script, beside one every browser can read."""
    planned.post("/sculpts/1/rename", {"name": "Страж 守/灯"})
    named = planned.client.get("/sculpts/1/plan.json").headers["Content-Disposition"]
    assert unquote(named.split("UTF-8''")[1]) == "Страж 守_灯 plan.json" and 'filename="plan.json"' in named


def test_the_glaze_bench_says_how_far_to_thin(planned):
    found = planned.json("POST", "/glaze/passes", {"name": "Gull", "thinning": 4}).get_json()
    assert found["advised"] < 3 and 10 <= found["advice"]["water_to_one"] <= 30
    thinned = planned.json(
        "POST", "/glaze/passes", {"name": "Gull", "thinning": found["advice"]["water_to_one"]}
    ).get_json()
    assert thinned["advised"] == found["advice"]["passes"] >= 3
