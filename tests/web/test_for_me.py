"""Plan it for me: words or a picture, three schemes, one press; and what is done around the paint, chosen on the
sheet."""

import io
import json

import numpy as np
import pytest
from PIL import Image

URL = "/sculpts/1"


def schemes(painter, code=200, **wish):
    return painter.json("POST", f"{URL}/for-me/schemes", wish, code=code).get_json()


def upload(painter, picture, name="p.png", kind="PNG", **more):
    out = io.BytesIO()
    picture.save(out, kind, **more)
    return painter.client.post(
        f"{URL}/for-me/palette",
        data={"file": (io.BytesIO(out.getvalue()), name)},
        headers={"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"},
    )


def test_three_words_become_a_whole_plan(marked, store):
    page = marked.page(f"{URL}/for-me")
    assert page.select("select[name=word]") and "Plan it for me" in page.text
    before = marked.client.get(f"{URL}/regions.json").get_json()
    found = schemes(marked, words=["sea", "warm"])
    assert len(found["schemes"]) == 3
    for scheme in found["schemes"]:
        picture = Image.open(io.BytesIO(marked.client.get(scheme["picture"]).data))
        assert (
            picture.size == (264, 336)
            and len(np.unique(np.asarray(picture.convert("RGB")).reshape(-1, 3), axis=0)) > 50
        )
    chosen = found["schemes"][1]
    marked.json("POST", f"{URL}/for-me", {"turn": found["turn"], "colours": chosen["colours"]}, code=202)
    state = marked.client.get(f"{URL}/for-me/state").get_json()
    assert not state["open"] and state["state"] == "done", state
    plan = json.loads(marked.client.get(f"{URL}/whole-plan.json").data)
    stages = {c["stage"] for c in plan["coats"]}
    assert {"undercoat", "colour"} <= stages and plan["wishes"]["colour"]["budget"]["minutes"] == 120
    assert len(plan["regions"]) == len(before["regions"])
    assert marked.page(state["sheet"]).select("article.step")
    history = marked.client.get(f"{URL}/history").get_json()
    assert history["undo"] == "planned for you"


def test_regions_are_guessed_where_there_are_none_and_can_be_taken_back(painter, sculpt_id):
    found = schemes(painter, words=["moss"])
    regions = painter.client.get(f"{URL}/regions.json").get_json()["regions"]
    assert regions and found["turn"] == painter.turn(1)
    assert painter.client.get(f"{URL}/history").get_json()["undo"] == "regions guessed for you"
    painter.json("POST", f"{URL}/history", {"do": "undo"})
    assert not painter.client.get(f"{URL}/regions.json").get_json()["regions"]


def test_a_picture_gives_its_colours_and_odd_ones_are_told(marked):
    blue = Image.fromarray(np.full((40, 40, 3), (45, 92, 147), np.uint8))
    palette = upload(marked, blue).get_json()["palette"]
    assert palette[0] in ("#2d5c93", "#2c5c93", "#2d5c92", "#2d5b93", "#2e5c93")
    assert len(schemes(marked, palette=palette)["schemes"]) == 3
    assert upload(marked, Image.new("RGB", (1, 1), "red")).get_json()["palette"]
    moving = [Image.new("RGB", (8, 8), c) for c in ("red", "blue")]
    out = io.BytesIO()
    moving[0].save(out, "GIF", save_all=True, append_images=moving[1:])
    answer = marked.client.post(
        f"{URL}/for-me/palette",
        data={"file": (io.BytesIO(out.getvalue()), "a.gif")},
        headers={"X-CSRFToken": marked.token(), "X-Requested-With": "fetch"},
    )
    assert answer.status_code == 200
    huge = Image.new("L", (10_000, 10_000))
    assert "40 megapixels" in upload(marked, huge).get_json()["error"]
    nothing = marked.client.post(
        f"{URL}/for-me/palette",
        data={"file": (io.BytesIO(b"no picture"), "a.png")},
        headers={"X-CSRFToken": marked.token(), "X-Requested-With": "fetch"},
    )
    assert nothing.status_code == 400 and "no picture" in nothing.get_json()["error"]


@pytest.mark.parametrize(
    ("wish", "says"),
    [
        ({"words": ["hockey"]}, "no word"),
        ({"words": []}, "one to 3"),
        ({"words": "sea"}, "incomplete"),
        ({"palette": ["blue"]}, "colour"),
    ],
)
def test_odd_wishes_are_refused_in_a_line(marked, wish, says):
    assert says in schemes(marked, code=400, **wish)["error"]


def test_colours_that_are_none_and_another_tab_are_refused(marked):
    for colours in (["#123456"] * 3, ["red"] * 4):
        assert marked.json("POST", f"{URL}/for-me", {"colours": colours}, code=400).get_json()["error"]
    stale = marked.json("POST", f"{URL}/for-me", {"turn": marked.turn(1) - 1, "colours": ["#123456"] * 4}, code=409)
    assert stale.get_json()["stale"]


def test_work_around_the_paint_is_chosen_on_the_sheet_and_shows_in_the_steps(marked):
    form = {
        "turn": marked.turn(1),
        "base": "paste and stones",
        "rim": "Soot",
        "varnish": "matt",
        "gaps": "on",
        "decal": "1",
    }
    # a paint that nobody has: said in a line, and nothing is lost
    assert "Nobody" in marked.post(f"{URL}/around", {**form, "rim": "Nobody's Brown"}, code=400).text
    page = marked.post(f"{URL}/around", form)
    said = page.text
    for words in ("Spread the paste on the base".lower(), "lay the decal", "fill the gaps", "last varnish"):
        assert words in said.lower()
    assert page.select_one("select[name=varnish] option[selected]").text == "matt"
    assert "another tab" in marked.post(f"{URL}/around", {**form, "turn": 1}, code=400).text
    assert marked.client.get(f"{URL}/plan.pdf").data[:4] == b"%PDF"


def test_the_room_changes_how_long_paint_dries(marked):
    form = {
        "brushes": "1, 2",
        "highest_psi": "30",
        "drops_per_ml": "22",
        "airbrush": "on",
        "needle": ["0.3", "0.4"],
        "varnish": ["matt"],
    }
    damp = marked.post("/tools", {**form, "temperature": "14", "humidity": "80"})
    assert "Damp or cold air" in damp.text
    assert "3.0 times" in marked.post("/tools", {**form, "temperature": "20", "humidity": "90"}).text
    marked.post("/tools", {**form, "temperature": "hot", "humidity": "80"}, code=400)
    assert "as usual" in marked.post("/tools", {**form, "temperature": "20", "humidity": "50"}).text


def test_the_guide_is_read_at_the_bench_with_its_pictures(painter):
    page = painter.page("/guide")
    assert "One evening" in page.h1.text
    for picture in page.select("article img"):
        assert painter.client.get(picture["src"]).data[:4] == b"\x89PNG"
    assert painter.client.get("/guide/pictures/../guide.md").status_code == 404
    assert painter.client.get("/guide/pictures/make.py").status_code == 404
    assert page.select_one("a[href='/guide']") or "/guide" in str(painter.page("/"))
