"""The undercoat stage in the pages."""

import threading
import time

import numpy as np
import pytest

from dusk_lamp.demo.load import load_rack
from dusk_lamp.web import background
from dusk_lamp.web.stages.undercoat import common, page

from .conftest import packet

URL = "/sculpts/1/undercoat"


LEFT = {"waitress.client_disconnected": lambda: True}  # as waitress says that nobody listens any more


@pytest.fixture
def spraying(app, painter, sculpt_id):
    load_rack(app.extensions["workshop"].store)
    return painter


def now(painter):
    return painter.client.get(f"{URL}.json").get_json()


def change(painter, what, code=200, **more):
    return painter.json("POST", URL, {"do": what, **more}, code=code).get_json()


def test_the_grey_ladder_is_laid_first_and_says_what_each_coat_adds(spraying):
    plan = now(spraying)
    assert plan["school"] == "ladder" and plan["coats"][0]["technique"] == "prime"
    assert [c["number"] for c in plan["coats"]] == list(range(1, len(plan["coats"]) + 1))
    adds = sum(c["adds"] for c in plan["coats"])
    assert 0 < plan["figures"]["within"] <= 1 and adds == pytest.approx(
        plan["figures"]["within"] - (plan["coats"][0]["within"] - plan["coats"][0]["adds"]), abs=0.002
    )
    assert plan["total"]["ml"] == pytest.approx(sum(c["ml"] for c in plan["coats"]), abs=0.01)
    sprayed = plan["coats"][1]
    assert sprayed["kpa"] == pytest.approx(sprayed["psi"] * 6.895, abs=1) and len(sprayed["nozzle"]) == 3


def test_nothing_is_drawn_for_a_browser_that_has_left(spraying, monkeypatch):
    """Seven pictures of schools wait for each other; who turns the page meanwhile is not kept waiting by them."""
    school = next(s for s in now(spraying)["schools"] if s["name"] == "twotone")
    own, fitted = type(page.FEATURE).fitted, []
    monkeypatch.setattr(type(page.FEATURE), "fitted", lambda *of: fitted.append(of[-1]) or own(*of))
    for url in (school["picture"], school["near"]):
        answer = spraying.client.get(url, environ_overrides=LEFT)
        assert answer.status_code == 204 and not answer.data
    assert "twotone" not in fitted
    assert spraying.client.get(school["picture"]).data.startswith(b"\x89PNG") and "twotone" in fitted


def test_the_model_is_seen_after_every_coat_in_its_colours(spraying):
    n = len(now(spraying)["coats"])
    values = []
    for k in range(n + 1):
        heading, raw = packet(spraying.client.get(f"{URL}/{k}.bin"))
        looks = raw.reshape(-1, 4)
        assert heading["number"] == k and set(np.unique(looks[:, 3])) <= {0, 1, 2}
        values.append(looks[:, :3].mean())
    assert values[1] < values[0], "the primer is darker than bare resin"
    assert values[-1] > values[1], "and the greys lighten it again"
    assert spraying.client.get(f"{URL}/99.bin").status_code == 404
    assert spraying.client.get(f"{URL}/{n}.png").data.startswith(b"\x89PNG")
    for school in now(spraying)["schools"]:
        assert spraying.client.get(school["picture"]).data.startswith(b"\x89PNG")
        told = spraying.client.get(school["near"]).get_json()
        assert 0 < told["within_half"] <= 1 and told["minutes"] > 0 and told["ml"] > 0
        if school["name"] == "ladder":
            figures = now(spraying)["figures"]
            assert told["within_half"] == pytest.approx(figures["within"], abs=0.1), (
                "the picture's figure is the school's"
            )
            assert told["rank_agreement"] == pytest.approx(figures["order"], abs=0.1) and told["cups"] == 4  # CP-34
    assert spraying.client.get(f"{URL}/mud.school.png").status_code == 404


def test_coats_are_muted_moved_changed_removed_added_and_all_of_it_undone(spraying):
    first = now(spraying)
    assert change(spraying, "mute", number=2)["coats"][1]["muted"]
    moved = change(spraying, "down", number=2)["coats"]
    assert moved[2]["label"] == first["coats"][1]["label"] and moved[2]["muted"]
    longer = change(spraying, "set", number=2, settings={"seconds": 20, "azimuth": -45, "needle": 0.2})["coats"][1]
    assert longer["amount"] == 20 and longer["azimuth"] == -45 and longer["film_um"] > first["coats"][2]["film_um"]
    assert change(spraying, "set", number=1, settings={"film_um": 30})["coats"][0]["amount"] == 30
    assert change(spraying, "paint", number=2, name="Ember")["coats"][1]["paint"] == "Ember"
    assert len(change(spraying, "add", technique="wash", paint="Bilge Wash")["coats"]) == len(first["coats"]) + 1
    assert len(change(spraying, "dark")["coats"]) == len(first["coats"]) + 2
    assert len(change(spraying, "remove", number=1)["coats"]) == len(first["coats"]) + 1
    for _ in range(8):
        left = spraying.undo()["undo"]
    assert [c["label"] for c in now(spraying)["coats"]] == [c["label"] for c in first["coats"]] and not left


def test_a_picture_asked_for_before_another_school_was_taken_is_not_kept_for_it(spraying):
    first = now(spraying)["coats"]
    change(spraying, "school", name="bright-first")
    change(spraying, "remove", number=5)
    assert len(now(spraying)["coats"]) < len(first)
    late = spraying.client.get(first[-1]["picture"])
    assert late.status_code == 204 and not late.data, "no trouble: nobody will look at it"
    other, own = spraying.client.get(first[2]["picture"]), now(spraying)["coats"][2]["picture"]
    assert other.status_code == 200 and other.cache_control.max_age is None and other.cache_control.no_cache
    assert spraying.client.get(own).cache_control.max_age == 86_400 and spraying.client.get(own).data == other.data


@pytest.mark.parametrize("school", ["twotone", "drybrush", "bright-first", "shadow-first"])
def test_every_school_is_a_click_away(spraying, school):
    plan = change(spraying, "school", name=school)
    assert plan["school"] == school and now(spraying)["school"] == school, "kept over a reload"


@pytest.mark.parametrize(
    "bad",
    [
        {"do": "mute", "number": 99},
        {"do": "mute"},
        {"do": "set", "number": 2, "settings": {"distance": 0}},
        {"do": "set", "number": 2, "settings": {"psi": 300}},
        {"do": "set", "number": 2, "settings": {"seconds": "long"}},
        {"do": "set", "number": 1, "settings": {"seconds": 3}},
        {"do": "paint", "number": 2, "name": "Nothing"},
        {"do": "school", "name": "mud"},
        {"do": "add", "technique": "prayer", "paint": "Soot"},
        {"do": "dance"},
    ],
)
def test_changes_that_cannot_be_are_refused_and_change_nothing(spraying, bad):
    before = now(spraying)
    error = spraying.json("POST", URL, bad, code=400).get_json()["error"]
    assert len(error.split()) > 3 and now(spraying)["coats"] == before["coats"]


def test_a_pass_is_set_as_an_airbrush_is(spraying):
    first = change(spraying, "set", number=3, settings={"seconds": 60, "trigger": 1, "water": 1})["coats"][2]
    plan = change(spraying, "set", number=3, settings={"trigger": 0.5, "water": 3})["coats"][2]
    assert (plan["trigger"], plan["water"]) == (0.5, 3)
    assert plan["ml"] == pytest.approx(first["ml"] / 4, rel=0.02), "half the flow, and half as much paint in it"
    thin = change(spraying, "set", number=4, settings={"water": 4})["coats"][3]
    assert any("spider" in w for w in thin["warnings"]), "CP-8"


def test_coats_by_hand_are_set_by_what_hands_do(spraying):
    change(spraying, "add", technique="drybrush", paint="Chalk")
    n = len(now(spraying)["coats"])
    change(spraying, "set", number=n, settings={"softness": 0})
    hard = packet(spraying.client.get(f"{URL}/{n}.bin"))[1].copy()
    change(spraying, "set", number=n, settings={"softness": 1})
    assert (packet(spraying.client.get(f"{URL}/{n}.bin"))[1] != hard).any(), "a soft brush touches more"
    change(spraying, "add", technique="wash", paint="Bilge Wash")
    n += 1
    plan = change(spraying, "set", number=n, settings={"pose": "on its face", "pooling": 9})
    assert plan["coats"][-1]["settings"] == {"film_um": 2.5, "pose": "on its face", "pooling": 9}
    before = now(spraying)
    change(spraying, "set", number=n, settings={"pose": "on its head"}, code=400)
    change(spraying, "set", number=n, settings={"pooling": 900}, code=400)
    change(spraying, "set", number=2, settings={"pooling": 3}, code=400)
    assert now(spraying)["coats"] == before["coats"], "what is refused changes nothing"


def test_a_primer_is_chosen_with_its_reasons(spraying):
    """CP-3."""
    weighed = spraying.client.get(f"{URL}/primers").get_json()
    assert {p["name"] for p in weighed["primers"]} == {"Pitch Primer", "Fog Primer", "Chalk Primer"}
    plan = change(spraying, "primer", name="Fog Primer")
    assert plan["primer"]["name"] == "Fog Primer" and plan["coats"][0]["paint"] == "Fog Primer"
    assert all(c["value"] > plan["coats"][0]["value"] for c in plan["coats"][1:])
    refused = change(spraying, "primer", name="Chalk Primer", code=400)
    assert "too light" in refused["error"] and now(spraying)["primer"]["name"] == "Fog Primer"
    spraying.undo()
    assert now(spraying)["primer"]["name"] == "Pitch Primer"


def test_one_colour_can_stand_in_for_the_greys(spraying):
    plan = change(spraying, "colour", name="Heather")
    assert plan["school"] == "coloured" and plan["through"] == "Heather"
    assert any("Heather" in c["paint"] for c in plan["coats"])
    change(spraying, "fit")
    plan = now(spraying)
    assert plan["school"] == "fit"
    assert any("Heather" in c["paint"] for c in plan["coats"][1:]), "and the fit is in it, too"


def test_passes_are_fitted_by_the_worker_and_the_brush_does_what_they_cannot_reach(spraying):
    ladder = now(spraying)["figures"]["key"]
    change(spraying, "fit")  # the queue runs at once in tests
    plan = now(spraying)
    assert plan["fit"]["state"] == "done", plan["fit"]
    assert plan["school"] == "fit" and plan["figures"]["within"] > 0.75 and 1 < len(plan["coats"]) <= 9
    assert plan["figures"]["key"] != ladder, "a school has its own key, and the fit that of the paints"
    found = spraying.client.get(f"{URL}/touch-ups").get_json()
    assert found["touch_ups"] and found["within"] == pytest.approx(plan["figures"]["within"], abs=0.001)
    assert all(p["mm2"] > 0 and p["spots"] > 0 and p["region"] in p["words"] for p in found["touch_ups"])
    one = change(spraying, "touch", place=0)
    gained = one["figures"]["within"] - plan["figures"]["within"]
    assert (
        gained == pytest.approx(found["touch_ups"][0]["gains"], abs=0.005)
        and one["coats"][-1]["goes_on"] == "the marked spots"
    )
    every = change(spraying, "touch", all=True)
    assert every["figures"]["within"] >= 0.94
    assert change(spraying, "remove", number=len(every["coats"]))["figures"]["within"] < every["figures"]["within"]
    change(spraying, "touch", 400, place=77)
    for _ in range(4):
        spraying.undo()
    last = now(spraying)
    assert last["school"] == "ladder" and last["figures"]["key"] == ladder


def test_a_rack_without_white_says_so(app, painter, sculpt_id):
    painter.post(
        "/rack", {"name": "Only Black", "kind": "base", "by": "swatch", "colour": "#1b1b1b", "hiding": "0.99"}
    )
    answer = painter.client.get(f"{URL}.json", headers={"X-Requested-With": "fetch"})
    assert answer.status_code == 200 and "white" in answer.get_json()["trouble"]


def test_the_same_coats_go_on_a_squad(spraying):
    spraying.post("/sculpts/1/duplicate")
    light = spraying.settings(2)
    light["rig"]["lamp"] = {"azimuth": 180, "elevation": 20, "size": 8}
    spraying.json("PUT", "/sculpts/2/plan", light)
    plan = spraying.json("POST", f"{URL}/squad", {"sculpts": [2]}).get_json()
    one, two = plan["sculpts"]
    assert one["within"] > two["within"], "passes for one light are not passes for another"
    assert all(p["ml"] > 0 and p["drops"] >= 0 for p in plan["paint"])
    assert "2 models" in now(spraying)["total"]["times"] or now(spraying)["total"]["models"] == 2


def test_two_tabs_cannot_overwrite_each_others_coats_nor_the_light(spraying):
    old, light = now(spraying)["turn"], spraying.settings(1)
    change(spraying, "mute", number=2, turn=old)
    assert "another tab" in change(spraying, "remove", 409, number=2, turn=old)["error"]
    assert "another tab" in spraying.json("PUT", "/sculpts/1/plan", light, 409).get_json()["error"]
    assert len(now(spraying)["coats"]) == 5 and now(spraying)["coats"][1]["muted"]


def test_a_page_that_was_seen_is_not_worked_out_again_until_something_it_rests_on_changes(spraying, monkeypatch):
    """The plan, the tools, or the rack: each makes another page."""
    first, made = now(spraying), []
    monkeypatch.setattr(page, "light_match", lambda *given, own=page.light_match: made.append(given) or own(*given))
    assert now(spraying) == first and not made
    kit = {"airbrush": "on", "can": "on", "brush": "1, 2, 4", "highest_psi": "40", "drops_per_ml": "30"}
    spraying.post("/tools", kit)
    others = now(spraying)
    assert others["coats"][1]["drops"] != first["coats"][1]["drops"] and len(made) == 1
    change(spraying, "mute", number=2, turn=others["turn"])
    assert now(spraying)["coats"][1]["muted"]


def test_a_long_wait_says_how_far_it_is_and_ends(spraying, app, monkeypatch):
    app.config["PATIENT"] = True
    monkeypatch.setattr(background, "BLINK_S", 0.0)
    said = []
    while (answer := spraying.client.get(f"{URL}.json")).status_code == 202:
        said.append(answer.get_json()["step"])
        time.sleep(0.02)
    assert said and answer.get_json()["coats"]
    begun, go_on = threading.Event(), threading.Event()

    def slowly(simulation, coats, wanted, say=None):
        begun.set()
        go_on.wait(5)
        say("Laying coat 2 of 5", 0.4)

    monkeypatch.setattr(common, "looks_after", slowly)
    spraying.json("POST", URL, {"do": "school", "name": "twotone", "turn": answer.get_json()["turn"]}, 202)
    number = spraying.client.get(f"{URL}.json").get_json()["number"]
    assert begun.wait(5) and spraying.json("POST", f"/working/{number}/stop", {}, 204)
    go_on.set()
    while (answer := spraying.client.get(f"{URL}.json")).status_code == 202:
        time.sleep(0.02)
    assert answer.status_code == 409 and "as it was" in answer.text
    spraying.json("POST", f"/working/{number}/stop", {}, 404)


def test_a_change_whose_picture_takes_long_is_kept_once(spraying, app, monkeypatch):
    """Its answer says where to wait, so that the page does not send the change again and meet its own revision."""
    app.config["PATIENT"] = True
    monkeypatch.setattr(background, "BLINK_S", 0.0)
    while (answer := spraying.client.get(f"{URL}.json")).status_code == 202:
        time.sleep(0.02)
    before = answer.get_json()
    wish = {"do": "school", "name": "twotone", "turn": before["turn"]}
    waiting = spraying.json("POST", URL, wish, 202).get_json()
    assert waiting["then"] == f"{URL}.json"
    while (answer := spraying.client.get(waiting["then"])).status_code == 202:
        time.sleep(0.02)
    after = answer.get_json()
    assert after["school"] == "twotone" and after["undo"].startswith("school chosen") and not after["redo"]
