"""A photo checked and drills done, as a painter meets them on the pages."""

import io
import re

import numpy as np
import pytest
from bs4 import BeautifulSoup
from PIL import Image

from dusk_lamp.core.card import card_called
from dusk_lamp.core.card.simulated import card_photo
from dusk_lamp.demo.load import load_rack
from dusk_lamp.store import paints

URL = "/sculpts/1"


@pytest.fixture
def planned(marked):
    return marked


def fetched(painter, url, **body):
    return painter.json("POST", url, body).get_json()


def bring(painter, content, name="photo.jpg", code=200):
    answer = painter.client.post(
        f"{URL}/check/photo",
        data={"photo": (io.BytesIO(content), name)},
        headers={"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"},
    )
    assert answer.status_code == code, answer.data[:300]
    return answer.get_json()


def jpeg(width=900, height=700, place=True):
    exif = Image.Exif()
    if place:
        exif.get_ifd(0x8825)[2] = (52.0, 30.0, 0.0)  # where it was taken
        exif[0x010F] = "A camera"
    out = io.BytesIO()
    Image.new("RGB", (width, height), (120, 110, 100)).save(out, "JPEG", exif=exif)
    return out.getvalue()


def test_a_photo_is_kept_without_place_and_camera_and_is_written_down(planned, with_a_plan, app):
    found = bring(planned, jpeg())
    kept = Image.open(io.BytesIO(planned.client.get(found["url"]).data))
    assert kept.size == (900, 700) and not kept.getexif().get_ifd(0x8825) and 0x010F not in kept.getexif()
    assert "Photo" in planned.page("/log?sculpt=1").text
    assert planned.page(f"{URL}/check").select(".earlier")
    for name in ("../dusk-lamp.db", "0" * 64, "x"):
        assert planned.client.get(f"/photos/{name}.jpg").status_code == 404
    assert "no photo" in bring(planned, b"not a picture", code=400)["error"]
    assert "moves" not in bring(planned, jpeg(300, 300))


@pytest.mark.long
def test_from_a_simulated_photo_to_a_verdict_and_its_mend_in_the_plan(planned, with_a_plan):
    """Every press of the page, in order: take a photo, match spots on both pictures, check, take the mend."""
    page = planned.page(f"{URL}/check")
    assert page.find(id="simulated") and page.find(id="go").has_attr("disabled")
    photo = fetched(planned, f"{URL}/check/simulated")
    assert max(photo["width"], photo["height"]) >= 900
    picture = planned.client.get(f"{URL}/check/sculpt/front.png")
    shown = np.asarray(Image.open(io.BytesIO(picture.data)))
    assert shown.shape[:2] == (640, 520)
    spots = {}
    for y in range(60, 620, 40):
        for x in range(60, 500, 40):
            answer = planned.client.post(
                f"{URL}/check/spot",
                json={"view": "front", "x": x, "y": y},
                headers={"X-CSRFToken": planned.token(), "X-Requested-With": "fetch"},
            )
            if answer.status_code == 200:
                spots[x, y] = answer.get_json()["sculpt"]
            else:
                assert "nothing there" in answer.get_json()["error"]
    assert 20 < len(spots) < 140
    from dusk_lamp.core.check.pinhole import Pinhole

    places = np.array(list(spots.values()))
    camera = the_camera(planned, photo, Pinhole)
    pixels = camera.project(places)[0]
    chosen = np.linspace(0, len(places) - 1, 8).astype(int)
    points = [{"photo": pixels[k].tolist(), "sculpt": places[k].tolist()} for k in chosen]
    body = {"photo": photo["photo"], "points": points, "step": None, "grey": None}
    found = fetched(planned, f"{URL}/check", **body)
    assert found["words"] and found["reprojection"] < 3 and found["regions"]
    for name in ("map", "over"):
        assert Image.open(io.BytesIO(planned.client.get(found[name]).data)).size == (photo["width"], photo["height"])
    assert fetched(planned, f"{URL}/check", **body)["key"] == found["key"], "the same is not worked out twice"
    for n, fault in enumerate(found["faults"]):
        if fault["takes"]:
            before = planned.client.get(f"{URL}/whole-plan.json").get_json()["coats"]
            planned.change(1, "check/take", key=found["key"], number=n)
            after = planned.client.get(f"{URL}/whole-plan.json").get_json()["coats"]
            assert len(after) == len(before) + 1 and any("after the photo" in c["label"] for c in after)
            planned.undo()
            assert planned.client.get(f"{URL}/whole-plan.json").get_json()["coats"] == before
            break
    planned.change(1, "check/take", key=found["key"], number=99, code=400)


def the_camera(painter, photo, Pinhole):
    """The simulated camera, as the page sets it up."""
    app = painter.client.application
    with app.test_request_context():
        from dusk_lamp.web.sheets import sheet_of
        from dusk_lamp.web.workshop import the_sculpt, workshop

        with workshop().store.session() as session:
            _, plan = sheet_of(session, the_sculpt(session, 1))
    points = plan.site.surface.points
    azimuth, elevation = plan.context.view
    middle = (points.max(axis=0) + points.min(axis=0)) / 2
    size = plan.site.surface.size
    return Pinhole.looking_at(middle, azimuth + 8, elevation + 3, 3.3 * size, 70, (photo["width"], photo["height"]))


@pytest.mark.long
def test_the_outline_proposes_the_pose_and_the_lamp_of_a_photo_can_be_taken(planned, with_a_plan):
    photo = fetched(planned, f"{URL}/check/simulated")
    proposed = fetched(planned, f"{URL}/check/pose", photo=photo["photo"], step=None)
    assert Image.open(io.BytesIO(planned.client.get(proposed["over"]).data)).size == (photo["width"], photo["height"])
    body = {"photo": photo["photo"], "points": proposed["points"], "step": None}
    assert fetched(planned, f"{URL}/check", **body, grey=None)["reprojection"] < 3
    lamp = fetched(planned, f"{URL}/check/lamp", **body)
    assert "The lamp shines from" in lamp["words"] and "give or take" in lamp["words"]
    before = planned.settings(1)["rig"]
    planned.change(1, "check/take", do="lamp", key=lamp["key"])
    after = planned.settings(1)["rig"]
    assert after["lamp"] != before["lamp"] and after["bounce"] == before["bounce"]
    planned.undo()
    assert planned.settings(1)["rig"] == before
    gone = planned.client.post(
        f"{URL}/check/pose",
        json={"photo": "0" * 64},
        headers={"X-CSRFToken": planned.token(), "X-Requested-With": "fetch"},
    )
    assert gone.status_code == 400 and "bring it again" in gone.text


@pytest.mark.long
def test_photos_are_judged_together_their_progress_shows_and_shine_becomes_coats(planned, with_a_plan):
    checks = []
    for _ in range(2):
        photo = fetched(planned, f"{URL}/check/simulated")
        points = fetched(planned, f"{URL}/check/pose", photo=photo["photo"], step=None)["points"]
        body = {"photo": photo["photo"], "points": points, "step": None}
        checks.append(fetched(planned, f"{URL}/check", **body, grey=None))
    together = fetched(planned, f"{URL}/check/together", keys=[c["key"] for c in checks], step=None)
    assert together["words"] and 0 <= together["near"] <= 1
    assert len(planned.page(f"{URL}/check").select(".check-progress tr")) >= 1
    noted = planned.client.get("/log.json").get_json()
    assert {e["near"] for e in noted if e["photo"] == photo["photo"]} == {checks[1]["near"]}
    one = planned.json("POST", f"{URL}/check/together", {"keys": [checks[0]["key"]]}, code=400)
    assert "two to 8" in one.get_json()["error"]
    gone = planned.json("POST", f"{URL}/check/together", {"keys": ["a" * 20, "b" * 20]}, code=400)
    assert "not at hand" in gone.get_json()["error"]
    region = planned.page(f"{URL}/check").select_one("#shine-region option")["value"]
    shone = fetched(planned, f"{URL}/check/shine", **body, region=region)
    assert "shone on" in shone["words"]
    before = planned.client.get(f"{URL}/whole-plan.json").get_json()["coats"]
    planned.change(1, "check/take", do="shine", key=shone["key"])
    after = planned.client.get(f"{URL}/whole-plan.json").get_json()["coats"]
    assert 1 <= len(after) - len(before) <= 2 and any("where it shone" in c["label"] for c in after)
    planned.undo()
    assert planned.client.get(f"{URL}/whole-plan.json").get_json()["coats"] == before
    missing = planned.json("POST", f"{URL}/check/shine", {**body, "region": 999}, code=400)
    assert "not there any more" in missing.get_json()["error"]


# --- cards
def card_sent(painter, name, content, code=200):
    answer = painter.client.post(
        f"/cards/{name}/photo",
        data={"photo": (io.BytesIO(content), "card.jpg")},
        headers={"X-CSRFToken": painter.token()},
    )
    assert answer.status_code == code, answer.data[:300]
    return BeautifulSoup(answer.data, "html.parser")


def test_an_exercise_is_printed_graded_logged_and_counted(painter):
    page = painter.page("/drills")
    assert [a["href"] for a in page.select(".drill-list")[1].select("a")] == [
        "/cards/value-string",
        "/cards/glaze-ramp",
        "/cards/brush-strip",
    ]
    page = painter.page("/cards/value-string")
    assert painter.client.get("/cards/value-string.pdf").data.startswith(b"%PDF")
    assert Image.open(io.BytesIO(painter.client.get(page.select_one(".card-sheet img")["src"]).data)).size[0] > 900
    graded = card_sent(painter, "value-string", card_photo(card_called("value-string"), 5)[0])
    assert "steps off" in graded.text
    assert Image.open(io.BytesIO(painter.client.get(graded.img["src"]).data)).size == (1080, 720)
    assert "Done 1 time" in painter.page("/cards/value-string").text and "1 painted" in painter.page("/drills").text
    assert "Nine greys" in painter.page("/log").text
    assert "four square marks" in card_sent(painter, "value-string", jpeg(), code=400).text
    painter.page("/cards/juggling", code=404)
    tried = painter.client.post("/cards/brush-strip/simulated", headers={"X-CSRFToken": painter.token()})
    assert tried.status_code == 200 and "not done" not in tried.text
    assert "Done" not in painter.page("/cards/brush-strip").text, "the simulated camera's are not the painter's"


def test_a_measured_paint_goes_onto_the_rack_and_keeps_what_else_is_known_of_it(app, painter):
    load_rack(app.extensions["workshop"].store)
    assert painter.page("/rack").select_one("a[href='/cards/drawdowns']")
    graded = card_sent(painter, "drawdowns", card_photo(card_called("drawdowns"), 2)[0])
    forms = graded.select("form.card-take")
    assert len(forms) == 5
    values = {i["name"]: i.get("value", "") for i in forms[0].select("input")}

    def taken(name, **other):
        body = {**values, "name": name, **other}
        return painter.client.post("/cards/drawdowns/rack", data=body, headers={"X-CSRFToken": painter.token()})

    assert "On the rack: My Green" in taken("My Green").text
    assert "Changed on the rack: Lamp Yellow" in taken("lamp yellow").text.replace("lamp yellow", "Lamp Yellow")
    with app.extensions["workshop"].store.session() as session:
        rack = paints.rack_of(session)
        mine, changed = rack.find("My Green"), rack.find("Lamp Yellow")
    assert mine.over_black == changed.over_black != mine.over_white and changed.kind != "" and changed.stock_ml > 0
    assert mine.pigment.contrast_ratio(mine.drawdown_um) == pytest.approx(
        float(graded.select(".card-rows tbody tr")[0].select("td")[2].text.split()[0]) / 100, abs=0.02
    )
    assert taken("X", row="Q").status_code == 400 and taken("", row="A").status_code == 400
    assert taken("X", key="0" * 40).status_code == 400


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"points": []}, "at least 4"),
        ({"points": "many"}, "match some points"),
        ({"points": [{"photo": [1], "sculpt": [1, 2, 3]}]}, "two numbers"),
        ({"points": [{"photo": [1, 2], "sculpt": [0, 0, 0]}] * 5}, "in a line"),
        ({"points": [], "grey": "left"}, "grey card"),
        ({"points": [], "step": 99}, "step"),
        ({"points": [], "photo": "../../etc/passwd"}, "not there any more"),
    ],
)
def test_a_check_that_cannot_be_is_told_in_words(planned, with_a_plan, body, says):
    photo = bring(planned, jpeg())["photo"]
    answer = planned.json("POST", f"{URL}/check", {"photo": photo, "step": None, "grey": None, **body}, code=400)
    assert re.search(says, answer.get_json()["error"])


# --- drills
def test_a_drill_is_played_graded_explained_and_counted(planned, with_a_plan):
    page = planned.page("/drills")
    assert len(page.select_one(".drill-list").select("li")) == 10 and page.select_one(".is-next")
    page = planned.page("/drills/parts-of-black?sculpt=1&seed=5")
    assert "truth" not in page.find(id="drill")["data-task"], "the answer is not in the page"
    picture = page.find(id="picture")["src"]
    assert planned.client.get(picture).status_code == 200
    url = page.find(id="drill")["data-url"]
    poor = fetched(planned, url, answer=200)
    assert poor["good"] == 0 and "Off by" in poor["words"]
    right = fetched(planned, url, answer=poor["truth"])
    assert right["good"] == 1 and planned.client.get(right["solved"]).data != planned.client.get(picture).data
    listed = planned.page("/drills")
    assert "2 answered" in listed.text
    planned.json("POST", url, {"answer": "much"}, code=400)
    planned.page("/drills/juggling", code=404)
    planned.page("/drills/parts-of-black?sculpt=99", code=404)
    planned.page("/drills/parts-of-black?sculpt=1&seed=-4", code=400)


@pytest.mark.parametrize("name", ["lit-or-shadow", "which-lamp", "order-values", "wrong-highlight"])
def test_drills_are_made_from_the_sculpt_on_the_shelf(planned, with_a_plan, name):
    page = planned.page(f"/drills/{name}?sculpt=1&seed=2")
    assert planned.client.get(page.find(id="picture")["src"]).status_code == 200
    other = planned.page(f"/drills/{name}?sculpt=1&seed=3")
    assert page.find(id="picture")["src"] != other.find(id="picture")["src"]
