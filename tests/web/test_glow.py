"""The glow stage in the pages: sources, reach, bands, coats, lenses, heat."""

import numpy as np
import pytest

from dusk_lamp.store.models import Sculpt

from .conftest import packet

URL = "/sculpts/1"


@pytest.fixture
def marked(marked):
    """The region that faces up is a lamp."""
    marked.region(do="describe", number=1, name="Lamp", colour="#ffb347")
    return marked


def glow(painter):
    return painter.client.get(f"{URL}/glow.json").get_json()


def change(painter, what, code=200, place=None, **more):
    """place: of a glow in the list, from 1; its number is its own and never comes again."""
    if place is not None:
        more["number"] = glow(painter)["glows"][place - 1]["number"]
    return painter.json("POST", f"{URL}/glow", {"do": what, **more}, code=code).get_json()


def levels(painter, query, stage="glow"):
    _, rest = packet(painter.client.get(f"{URL}/{stage}.bin?{query}"))
    return np.frombuffer(rest, np.uint8).reshape(-1, 4)[:, :3].astype(float)


def click(painter, share=0.5):
    heading, _ = packet(painter.client.get(f"{URL}/surface.bin"))
    (x0, _, _), (x1, _, tall) = heading["low"], heading["high"]
    return {"origin": [(x0 + x1) / 2, -500, share * tall], "direction": [0, 1, 0]}


def test_a_region_glows_further_the_stronger_it_is(marked):
    change(marked, "add", kind="region", region=1)
    change(marked, "dusk", share=0.3)
    (own,) = glow(marked)["glows"]
    assert own["name"] == "Lamp" and own["reach"] > 0 and not own["trouble"]
    mm2 = {b["name"]: b["mm2"] for b in own["bands"]}
    assert mm2["white core"] > 0 and mm2["tinted rim"] > 0
    both, lamp, alone = (levels(marked, f"show={s}") for s in ("both", "lamp", "glow"))
    assert both.mean() > lamp.mean() and alone.min() < both.min() + 1
    further = levels(marked, f"show=both&number={own['number']}&reach={2 * own['reach']}")
    assert further.mean() > both.mean() and glow(marked)["glows"][0]["reach"] == own["reach"], "nothing is kept"
    change(marked, "set", place=1, settings={"reach": 2 * own["reach"]})
    wider = glow(marked)["glows"][0]
    assert wider["reach"] == pytest.approx(2 * own["reach"], rel=0.01) and wider["strength"] > 2 * own["strength"]
    change(marked, "set", place=1, settings={"on": False})
    assert levels(marked, "show=both").mean() == pytest.approx(lamp.mean(), abs=0.5)
    assert len(np.unique(levels(marked, "show=bands"), axis=0)) > 1
    assert marked.client.get(f"{URL}/glow.bin?show=bands&band=lava").status_code == 404
    change(marked, "set", place=1, settings={"on": True})
    every, core = levels(marked, "show=bands"), levels(marked, "show=bands&band=white%20core")
    assert 0 < (core == 255).all(axis=1).mean() < 1 and (every != core).any()
    change(marked, "set", place=1, settings={"on": False})
    assert "between" in change(marked, "set", 400, place=1, settings={"reach": 4000})["error"]
    assert change(marked, "set", 400, number=9, settings={})["error"]
    change(marked, "away", place=1)
    assert glow(marked)["glows"] == []


def test_balls_and_planes_hang_where_they_are_put_and_stay(app, marked):
    """Places are kept in the file's own axes."""
    change(marked, "add", kind="ball", **click(marked))
    change(marked, "add", kind="under")
    ball, plane = glow(marked)["glows"]
    heading, _ = packet(marked.client.get(f"{URL}/surface.bin"))
    assert ball["middle"][1] < heading["low"][1] + ball["off"] + ball["radius"] and plane["middle"][2] < 0
    change(marked, "add", kind="ball", off=9.5, **click(marked))
    assert glow(marked)["glows"][2]["off"] == 9.5, "as far as it was dragged off the surface"
    change(marked, "away", place=3)
    change(marked, "set", place=1, settings={"off": 0.2, "radius": 0.1})
    assert glow(marked)["glows"][0]["middle"][1] > ball["middle"][1]
    change(marked, "add", kind="left")
    assert glow(marked)["glows"][2]["middle"][0] < heading["low"][0]
    change(marked, "away", place=3)
    lit = levels(marked, "show=glow")
    change(marked, "set", place=2, settings={"on": False})
    assert levels(marked, "show=glow")[:, 0].mean() < lit[:, 0].mean()
    assert (
        "nothing there" in change(marked, "add", 400, kind="ball", origin=[9999, -5, 0], direction=[0, 1, 0])["error"]
    )
    assert (
        change(marked, "add", 400, kind="moon")["error"]
        and change(marked, "add", 400, kind="region", region=7)["error"]
    )


def test_a_glow_becomes_coats_on_the_sheet_and_can_be_taken_off(app, marked):
    """CP-26, and the coats before it stay; the colour stage hands them on."""
    change(marked, "add", kind="region", region=1)
    marked.json("POST", f"{URL}/colour", {"do": "way", "region": 1, "name": "one-coat"})
    before = glow(marked)
    change(marked, "paint", place=1, turn=before["turn"])
    own = glow(marked)
    assert own["glows"][0]["painted"] and [c["label"].split(":")[0] for c in own["coats"]] == ["Lamp"] * len(
        own["coats"]
    )
    assert "solid white" in own["coats"][0]["label"] and "source only" in own["coats"][-1]["label"]
    assert "in another tab" in change(marked, "paint", 409, place=1, turn=before["turn"])["error"]
    sheet = marked.client.get(f"{URL}/sheet").get_data(as_text=True)
    assert "the source solid white" in sheet and "too little rather than too much" in sheet
    marked.json("POST", f"{URL}/colour", {"do": "way", "region": 1, "name": "layers"})
    assert len(glow(marked)["coats"]) == len(own["coats"]), "colour leaves them alone"
    colour = marked.client.get(f"{URL}/colour.json").get_json()
    assert not any("solid white" in c["label"] for c in colour["coats"])
    change(marked, "unpaint", place=1)
    assert glow(marked)["coats"] == [] and marked.client.get(f"{URL}/colour.json").get_json()["coats"]
    with app.extensions["workshop"].store.session() as session:
        assert "glow" in session.get(Sculpt, 1).stages_done


def test_heat_flame_and_a_lens(marked):
    for kind in ("hot metal", "flame"):
        change(marked, "add", kind=kind, **click(marked))
    hot, flame = glow(marked)["glows"]
    assert {"yellow", "dark red"} <= {b["name"] for b in hot["bands"]} and len(flame["bands"]) >= 4
    change(marked, "spot", place=1, **click(marked, 0.8))
    change(marked, "set", place=1, settings={"length": 3})
    assert len(glow(marked)["glows"][0]["spots"]) == 2
    change(marked, "paint", place=2)
    assert any("hue" in c["label"] for c in glow(marked)["coats"])
    marked.client.get(f"{URL}/glow.bin?show=both")
    told = marked.client.get(f"{URL}/glow/lens/1.json").get_json()
    change(marked, "lens", region=1)
    assert [c["label"] for c in glow(marked)["coats"] if c["way"] == "lens"][-1].endswith("dot of white, high")
    assert marked.client.get(f"{URL}/glow/lens/1.json").get_json()["planned"] and not told["planned"]
    change(marked, "unlens", region=1)
    assert all(c["way"] != "lens" for c in glow(marked)["coats"])
    assert "dot" in told["words"][0] and marked.client.get(f"{URL}/glow/lens/1.svg").mimetype == "image/svg+xml"
    assert marked.client.get(f"{URL}/glow/lens/9.json").status_code == 404
