"""Rack, palette and glaze bench in the pages."""

import io
import re

import numpy as np
import pytest
from PIL import Image

from dusk_lamp.core.paint.colour import cones, from_cones
from dusk_lamp.demo.load import load_rack
from dusk_lamp.store import paints, plans
from dusk_lamp.store.models import Sculpt


@pytest.fixture
def racked(app, painter):
    load_rack(app.extensions["workshop"].store)
    return painter


def names(painter, query=""):
    return [h.get_text() for h in painter.page(f"/rack{query}").select(".bottle h3")]


def post(painter, url, code=200, **body):
    return painter.json("POST", url, body, code=code).get_json()


def test_an_empty_rack_offers_the_first_step(painter):
    page = painter.page("/rack")
    assert "The rack is empty" in page.text
    painter.post("/rack/demo")
    assert len(names(painter)) > 45


def test_cards_show_coats_over_both_cards_and_are_sorted_and_filtered(racked):
    page = racked.page("/rack?sort=value")
    values = [
        float(p.get_text().split("·")[0].split()[1]) for p in page.select(".bottle .numbers") if "N " in p.get_text()
    ]
    assert values == sorted(values) and len(values) > 40
    card = next(a for a in page.select(".bottle") if a.h3.get_text() == "Lamp Yellow")
    fills = [r["fill"] for r in card.select("rect")][2:]
    assert len(fills) == 6 and fills[0] != fills[1], "one coat over black is not one coat over white"
    assert names(racked, "?sort=name") == sorted(names(racked), key=str.casefold)
    assert set(names(racked, "?kind=ink")) == {"Ember Ink", "Night Ink", "White Ink"}
    assert racked.page("/rack?sort=nonsense&kind=nonsense")


def test_a_paint_is_added_changed_taken_off_and_put_back(racked):
    racked.post(
        "/rack", {"name": "Tide <i>Wrack</i>", "kind": "layer", "by": "swatch", "colour": "#31423a", "hiding": "0,93"}
    )
    page = racked.page("/rack")
    assert "Tide <i>Wrack</i>" in names(racked) and "<i>Wrack" not in str(page.find("main")), (
        "a name is only ever text"
    )
    number = next(a["id"].split("-")[1] for a in page.select(".bottle") if a.h3.get_text().startswith("Tide <"))
    form = racked.page(f"/rack/{number}")
    assert form.find("input", {"name": "hiding"})["value"] == "0.93"
    racked.post(
        f"/rack/{number}",
        {
            "name": "Wrack",
            "kind": "ink",
            "by": "drawdown",
            "over_black": "#203028",
            "over_white": "#88a090",
            "drawdown_um": "12",
        },
    )
    assert "Wrack" in names(racked, "?kind=ink")
    racked.post(f"/rack/{number}/delete")
    assert "Wrack" not in names(racked)
    racked.post(f"/rack/{number}/restore")
    assert "Wrack" in names(racked)


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"name": "", "colour": "#808080"}, "needs a name"),
        ({"name": "Soot", "colour": "#808080"}, "already"),
        ({"name": "A", "colour": "#808080", "hiding": "1"}, "hiding"),
        ({"name": "A", "colour": "#808080", "hiding": "much"}, "number"),
        ({"name": "A", "colour": "grey"}, "#rrggbb"),
        ({"name": "A", "kind": "soup", "colour": "#808080"}, "kind"),
        ({"name": "A", "by": "drawdown", "over_black": "#808080"}, "drawdown"),
        (
            {"name": "A", "by": "drawdown", "over_black": "#c0c0c0", "over_white": "#404040", "drawdown_um": "20"},
            "swapped",
        ),
    ],
)
def test_paints_that_cannot_be_are_refused_in_words(racked, form, words):
    before = names(racked)
    assert words in racked.post("/rack", {"kind": "layer", "by": "swatch", **form}, code=400).text
    assert names(racked) == before


def test_stock_and_the_shopping_list(racked):
    page = racked.page("/rack")
    number = next(a["id"].split("-")[1] for a in page.select(".bottle") if a.h3.get_text() == "Gull")
    card = racked.post(f"/rack/{number}/stock", {"stock_ml": "1,5"})
    assert "low" in card.text
    assert any("Gull" in li.get_text() for li in racked.page("/rack").select(".shopping li"))
    racked.post(f"/rack/{number}/stock", {"stock_ml": "lots"}, code=400)


def test_racks_travel_as_csv_and_palette_whole_or_not_at_all(racked):
    csv = racked.client.get("/rack.csv").data
    assert csv.startswith(b"name,kind,colour,hiding")
    assert racked.client.get("/rack.gpl").data.startswith(b"GIMP Palette")
    assert racked.client.get("/rack.xls").status_code == 404

    def bring(content, name, code=200):
        return racked.post(
            "/rack/file", {"file": (io.BytesIO(content), name)}, code, content_type="multipart/form-data"
        )

    before = names(racked)
    bring(csv, "rack.csv")
    assert names(racked) == before, "the same rack changes nothing"
    assert "Row 3" in bring(b"name,colour\nNew Mud,#443322\nBad,brown\n", "r.csv", 400).text
    assert names(racked) == before, "nothing of a bad file is kept"
    bring(b"name,colour\nNew Mud,#443322\n", "r.csv")
    bring(b"GIMP Palette\n12 34 56 Deep\n", "r.gpl")
    assert set(names(racked)) - set(before) == {"New Mud", "Deep"}


def test_a_colour_is_read_from_a_photo_with_the_light_taken_out(racked):
    """A swatch of light 0.3, 0.1, 0.05 photographed beside an 18 % grey card, in light of which the eye's receptors
    get 1.0, 0.8 and 0.6."""

    def level(light):
        return tuple(round(255 * (12.92 * v if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055)) for v in light)

    card, swatch = (from_cones(cones(np.array(c)) * (1.0, 0.8, 0.6)) for c in ((0.18,) * 3, (0.3, 0.1, 0.05)))
    picture = Image.new("RGB", (400, 200), level(card))
    picture.paste(level(swatch), (200, 0, 400, 200))
    out = io.BytesIO()
    picture.save(out, "PNG")

    def photo(content, code=200):
        answer = racked.client.post(
            "/rack/photo",
            data={"file": (io.BytesIO(content), "p.png")},
            headers={"X-CSRFToken": racked.token(), "X-Requested-With": "fetch"},
        )
        assert answer.status_code == code
        return answer.get_json()

    assert "bring it again" in post(racked, "/rack/photo/colour", 400, swatch=[0.5, 0.5])["error"]
    assert photo(out.getvalue())["width"] == 400
    assert racked.client.get("/rack/photo.png").mimetype == "image/png"
    told = post(racked, "/rack/photo/colour", grey=[0.25, 0.5], swatch=[0.75, 0.5])
    rgb = [int(told["colour"][k : k + 2], 16) for k in (1, 3, 5)]
    assert rgb == pytest.approx(level((0.3, 0.1, 0.05)), abs=2)
    for bad in ([5, 5], "x", [0.5]):
        post(racked, "/rack/photo/colour", 400, swatch=bad)
    for hostile in (b"", b"hello", b"GIF89a", out.getvalue()[:60]):
        assert "photo" in photo(hostile, 400)["error"]


# --- palette


def test_a_mix_is_looked_at_from_every_side(racked):
    told = post(
        racked,
        "/palette/look",
        wells=[{"paint": "Soot", "parts": 1}, {"paint": "Chalk", "parts": 1}],
        area=1000,
        models=10,
    )
    assert told["words"] == "Soot + Chalk 1:1" and 35 < told["colour"]["L"] < 55
    assert set(told["lamps"]) == {"daylight", "lamp", "dusk"}
    assert (
        len(told["drawdown"]) == 3 and len(told["drawdown"][0]) == 3 and told["contrast"] == sorted(told["contrast"])
    )
    assert told["squad"]["ml"] == pytest.approx(10 * told["one"]["ml"], rel=0.02)
    assert told["one"]["parts"]["Soot"] == told["one"]["parts"]["Chalk"] >= 1
    assert re.fullmatch(
        r"One coat: \d+\.\d\d ml, \d+ drops? of Soot, \d+ of Chalk; "
        r"for all 10: \d+\.\d\d ml, \d+ drops of Soot, \d+ of Chalk",
        told["amount_words"],
    )


@pytest.mark.parametrize(
    "bad",
    [
        {"wells": []},
        {"wells": [{"paint": "Soot", "parts": 0}]},
        {"wells": [{"paint": "Nothing", "parts": 1}]},
        {"wells": [{"paint": "Dust Varnish", "parts": 1}]},
        {"wells": "x"},
        {"name": "No such recipe"},
        {"wells": [{"paint": "Soot", "parts": 1}], "area": "big"},
        {"wells": [{"paint": "Soot", "parts": 1}], "models": 0},
    ],
)
def test_impossible_mixes_are_refused_in_words(racked, bad):
    assert len(post(racked, "/palette/look", 400, **bad)["error"].split()) > 4


def test_matches_and_ladders_come_with_their_errors(racked):
    found = post(racked, "/palette/match", colour="#7f5a6b")
    assert len(found["mixes"]) == 3 and found["mixes"][0]["delta_e"] < 2
    again = post(racked, "/palette/look", wells=found["mixes"][0]["wells"])
    assert again["colour"]["hex"] == found["mixes"][0]["colour"]["hex"]
    ladders = post(racked, "/palette/ladder", dark="Soot", mid="Gull", light="Chalk", steps=5)["ladders"]
    assert [len(x["steps"]) for x in ladders] == [5, 5, 5] and ladders[0]["unevenness"] < ladders[1]["unevenness"]
    assert "darker" in post(racked, "/palette/ladder", 400, dark="Chalk", light="Soot")["error"]
    assert post(racked, "/palette/match", 400, colour="mud")["error"]


def test_a_recipe_keeps_what_it_needs_when_its_paint_is_gone(racked):
    wells = [{"paint": "Heather", "parts": 2}, {"paint": "Chalk", "parts": 1}]
    before = post(racked, "/palette/look", wells=wells)["colour"]
    (recipe,) = post(racked, "/recipes", called="Evening", wells=wells)["recipes"]
    assert "paint on your rack" in post(racked, "/recipes", 400, called="soot", wells=wells)["error"]
    page = racked.page("/rack")
    number = next(a["id"].split("-")[1] for a in page.select(".bottle") if a.h3.get_text() == "Heather")
    racked.post(f"/rack/{number}/delete")
    assert post(racked, "/palette/look", name="Evening")["colour"] == before
    assert post(racked, "/palette/look", wells=wells)["colour"] == before
    assert post(racked, f"/recipes/{recipe['id']}/delete")["recipes"] == []
    assert "any more" in post(racked, "/palette/look", 400, name="Evening")["error"]
    assert len(post(racked, f"/recipes/{recipe['id']}/restore")["recipes"]) == 1


def test_recipes_can_be_chosen_for_regions_and_weigh_the_primers(racked, sculpt_id):
    def change(what, **more):
        return racked.json("POST", "/sculpts/1/regions", {"do": what, **more})

    change("pick", origin=[0, -99, 12], direction=[0, 1, 0], tool="part")
    change("pick", origin=[0, 0, 99], direction=[0, 0, -1], tool="part")
    assert "no region" in post(racked, "/palette/primer", 400, sculpt=1)["error"]
    post(racked, "/recipes", called="Sun", wells=[{"paint": "Lamp Yellow", "parts": 1}])
    assert "Sun" in [o.get_text() for o in racked.page("/sculpts/1/regions").select("#region-colour option")]
    change("describe", number=1, colour="Sun")
    told = post(racked, "/palette/primer", sculpt=1)
    assert told["missing"] == ["Region 2"] and len(told["primers"]) == 3
    assert told["primers"][0]["name"] != "Pitch Primer" and told["primers"][0]["rows"][0]["region"] == "Region 1"
    coats = [p["coats"] for p in told["primers"]]
    assert coats == sorted(coats)
    seen = racked.client.get("/sculpts/1/colour.json").get_json()["regions"][0]["hex"]
    post(racked, "/recipes", called="Sun", wells=[{"paint": "Tide Blue", "parts": 1}])
    assert racked.client.get("/sculpts/1/colour.json").get_json()["regions"][0]["hex"] != seen, "mixed another way"


def test_a_mix_says_which_models_wear_it_and_at_which_step(marked, store):
    """Order and scale of the parts do not matter; a coat left out is not worn."""
    marked.json("POST", "/sculpts/1/colour", {"do": "way", "region": 1, "name": "layers"})
    with store.session() as session:
        coats = [c for c in plans.plan_of(session, session.get(Sculpt, 1)).coats if not c.muted]
    number, coat = next((k, c) for k, c in enumerate(coats, 1) if len(c.mix.counted()) > 1)
    wells = [{"paint": name, "parts": 2 * n} for name, n in reversed(coat.mix.counted().items())]
    found = marked.json("POST", "/palette/worn", {"wells": wells}).get_json()["worn"]
    assert [w["sheet"] for w in found] == [f"/sculpts/1/sheet#step-{number}"]
    assert coat.label in found[0]["words"]
    wells[0]["parts"] += 1
    assert marked.json("POST", "/palette/worn", {"wells": wells}).get_json()["worn"] == []


def test_the_glaze_bench_marks_the_stop(racked):
    told = post(racked, "/glaze/passes", name="Moss Veil", passes=6)
    assert len(told["passes"]) == 7 and told["passes"][told["advised"]]["left"] >= 0.7
    assert post(racked, "/glaze/passes", 400, name="Moss Veil", passes=99)["error"]
    assert post(racked, "/glaze/passes", 400, name="Moss Veil", sketch=["x"])["error"]
    for url in ("/palette", "/glaze"):
        assert racked.page(url).find("main")


def test_a_paint_that_a_plan_uses_says_so_when_it_is_taken_off(marked, store):
    """And what would stand in for it; it can be put back."""
    marked.json("POST", "/sculpts/1/colour", {"do": "way", "region": 1, "name": "layers"})
    with store.session() as session:
        coats = plans.plan_of(session, session.get(Sculpt, 1)).coats
        used = next(p.name for c in reversed(coats) for p in c.mix.paints if p.kind == "layer")
        bottle = next(b.id for b in paints.bottles(session) if b.paint.name == used)
        spare = next(b.id for b in paints.bottles(session) if b.paint.name == "Hinge Wash")
    page = marked.post(f"/rack/{spare}/delete")
    assert "Used by" not in page.text
    page = marked.post(f"/rack/{bottle}/delete")
    row = next(li for li in page.select(".recently li") if used in li.text)
    assert "Used by Lamp keeper" in row.text and "step" in row.text and page.select_one("details.recently[open]")
    assert "Used by" not in marked.post(f"/rack/{bottle}/restore").text
