"""The sketch and the colour stages in the pages, and the whole plan as a file."""

import json
from pathlib import Path

import numpy as np
import pytest

from dusk_lamp.cli.main import main
from dusk_lamp.core.view.sheen import NUMBERS
from dusk_lamp.store.models import Sculpt

from .conftest import packet

URL = "/sculpts/1"


def describe(painter, code=200, **what):
    return painter.region(code, do="describe", number=1, **what)


def sketch(painter):
    return painter.client.get(f"{URL}/sketch.json").get_json()


def colour(painter):
    return painter.client.get(f"{URL}/colour.json").get_json()


def change(painter, what, code=200, **more):
    return painter.json("POST", f"{URL}/colour", {"do": what, **more}, code=code).get_json()


def field(painter, url):
    answer = painter.client.get(f"{URL}/{url}")
    heading, rest = packet(answer)
    return heading, np.frombuffer(rest, np.uint8).reshape(-1, 4)


def test_a_region_gets_a_colour_a_key_and_a_cast(marked):
    (own,) = sketch(marked)["regions"]
    low, middle, high = own["key"]
    assert own["hex"] == "#2d5c93" and low < middle < high and not own["is_set"]
    describe(marked, colour="cool white")
    (white,) = sketch(marked)["regions"]
    assert (
        white["key"][2] > 9
        and "lighter than value 9 on 6 %" in white["ration"]
        and white["hex"] != own["hex"]
        and not own["ration"]
    )
    describe(marked, colour="Tide Blue")
    describe(marked, low=3, middle=4, high=8, shadow="warm", material="metal")
    assert sketch(marked)["regions"][0]["key"] == [3, 4, 8]
    _, levels = field(marked, "sketch.bin")
    labels = np.frombuffer(marked.client.get(f"{URL}/regions.bin").data, np.uint8)[-len(levels) :]
    blue = levels[labels == 1].astype(int)
    assert (blue[:, 2] > blue[:, 0]).mean() > 0.95 and np.ptp(levels[labels == 0, :3].astype(int), axis=1).max() < 25
    _, grey = field(marked, "sketch.bin?grey=1")
    assert np.ptp(grey[:, :3], axis=1).max() == 0
    _, tried = field(marked, "sketch.bin?number=1&low=1&high=2&middle=1.5")
    assert tried[labels == 1, :3].max() < levels[labels == 1, :3].max() and np.array_equal(
        tried[labels == 0], levels[labels == 0]
    )
    for bad in ("number=9", "number=nan", "number=1&low=x", "number=1&hex=red"):
        assert marked.client.get(f"{URL}/sketch.bin?{bad}").status_code in (400, 404)
    assert "lighter" in describe(marked, 400, low=8, high=3).get_json()["error"]
    assert sketch(marked)["regions"][0]["key"] == [3, 4, 8], "and nothing is lost"
    describe(marked, low=None, middle=None, high=None)
    assert not sketch(marked)["regions"][0]["is_set"]


def test_light_is_coloured_and_black_light_refused(marked):
    _, white = field(marked, "sketch.bin")
    said = marked.json("POST", f"{URL}/sketch", {"lamp": "#ff9a7a", "sky": "#ffffff", "ground": "#203050"}).get_json()
    assert said["tints"]["lamp"] == "#ff9a7a"
    _, warm = field(marked, "sketch.bin")
    assert (warm[:, 0].astype(int) - warm[:, 2]).mean() > (white[:, 0].astype(int) - white[:, 2]).mean() + 5
    assert (
        "black lamp"
        in marked.json("POST", f"{URL}/sketch", {"lamp": "#000000", "sky": "#ffffff", "ground": "#ffffff"}, 400).text
    )
    marked.json("POST", f"{URL}/sketch", {"lamp": "red"}, 400)


def test_a_region_is_painted_one_way_changed_taken_off_and_undone(marked):
    before = marked.client.get(f"{URL}/undercoat.json").get_json()["figures"]
    figures = marked.client.get(f"{URL}/colour/1/layers.json").get_json()
    assert figures["near"]["within"] > 0.8 and figures["coats"] > 2 and figures["minutes"] > 1
    assert marked.client.get(f"{URL}/colour/1/layers.png").data[:4] == b"\x89PNG"
    change(marked, "way", region=1, name="layers")
    plan = colour(marked)
    (own,) = plan["regions"]
    assert own["way"] == "layers" and own["coats"] == len(plan["coats"]) and own["near"]["within"] == plan["near"]
    assert plan["near"] == pytest.approx(figures["near"]["within"], abs=0.01)
    _, bare = field(marked, "colour/0.bin")
    heading, full = field(marked, f"colour/{len(plan['coats'])}.bin")
    assert (bare[:, :3] != full[:, :3]).any(axis=1).mean() > 0.05 and heading["areas"]["fine"] > 0
    assert marked.client.get(f"{URL}/undercoat.json").get_json()["figures"] == before, (
        "the undercoat stays what it is"
    )
    marked.json("POST", f"{URL}/undercoat", {"do": "school", "name": "twotone"})
    assert len(colour(marked)["coats"]) == len(plan["coats"]), "another school keeps the colours"
    change(marked, "set", number=1, settings={"film_um": 4})
    change(marked, "mute", number=2)
    assert colour(marked)["coats"][0]["laid_um"] == 4 and colour(marked)["coats"][1]["muted"]
    change(marked, "add", region=1, technique="spray", paint="Heron")
    last = colour(marked)["coats"][-1]
    assert last["technique"] == "spray" and last["region"] == 1 and last["beside"].startswith("Overspray on the rest")
    count = len(colour(marked)["coats"])
    _, by_lamp = field(marked, f"colour/{count}.bin?light=lamp")
    assert (by_lamp[:, :3] != field(marked, f"colour/{count}.bin")[1][:, :3]).any()
    change(marked, "remove", number=count)
    change(marked, "clear", region=1)
    assert not colour(marked)["coats"]
    assert marked.undo()["redo"], "undone over all stages at once"
    assert len(colour(marked)["coats"]) == len(plan["coats"])
    assert "another tab" in change(marked, "clear", 409, region=1, turn=1)["error"]
    for bad in (
        {"do": "way", "region": 9, "name": "layers"},
        {"do": "way", "region": 1, "name": "x"},
        {"do": "mute", "number": 99},
        {"do": "way"},
        {"do": "spin", "number": 1},
    ):
        assert len(marked.json("POST", f"{URL}/colour", bad, code=400).get_json()["error"]) > 20
    told = {name: words for name, _, words in marked.client.get(f"{URL}/state").get_json()["stages"]}
    assert told["colour"] == "done"
    describe(marked, colour="Cockle Red")
    told = {name: words for name, _, words in marked.client.get(f"{URL}/state").get_json()["stages"]}
    assert told["colour"] == "look again" and told["sketch"] == "done"


def test_a_whole_plan_comes_out_of_a_file_as_it_is_on_the_bench(app, marked, figure, tmp_path, capsys):
    """Export, and work out again without a browser: the same bytes of every field."""
    import trimesh

    change(marked, "all", name="glazes")
    sheet = marked.page(f"{URL}/sheet")
    steps = len(sheet.select("article.step"))
    assert "When all is done" in sheet.text and "Cloak:" in sheet.text
    kept = marked.client.get(f"{URL}/whole-plan.json")
    plan = json.loads(kept.data)
    (tmp_path / plan["sculpt"]["file"]).write_bytes(figure)
    (tmp_path / "plan.json").write_bytes(kept.data)
    assert main(["plan", str(tmp_path / "plan.json"), "-o", str(tmp_path / "out"), "--no-pictures"]) == 0
    rows = json.loads((tmp_path / "out/steps.json").read_text())["steps"]
    assert (
        len(rows) == steps and {r["stage"] for r in rows} == {"undercoat", "colour"} and rows[-1]["region"] == "Cloak"
    )
    assert all(r["cautions"] and r["minutes"] > 0 and r["parts"] for r in rows)
    last = trimesh.load(tmp_path / f"out/after-{steps:02d}.ply", process=False).metadata["_ply_raw"]["vertex"]["data"]
    count = len(colour(marked)["coats"])
    _, levels = field(marked, f"colour/{count}.bin")
    seen = np.column_stack([last[n] for n in ("red", "green", "blue")]).reshape(-1, 3)
    workshop = app.extensions["workshop"]
    with workshop.store.session() as session:
        shown = workshop.sculpts.of(
            session.get(Sculpt, 1)
        ).site.paintable  # what lies inside is drawn as its neighbours
    assert shown.mean() > 0.9 and np.array_equal(seen[shown], levels[shown, :3])
    plan["sculpt"]["samples"] = 900
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    assert main(["plan", str(tmp_path / "plan.json"), "-o", str(tmp_path / "other")]) == 2
    assert "laid out in" in capsys.readouterr().err, "a mask of another length is not passed over"
    aim = trimesh.load(tmp_path / "out/target.ply", process=False).metadata["_ply_raw"]["vertex"]["data"]
    _, wanted = field(marked, "sketch.bin")
    assert np.array_equal(
        np.column_stack([aim[n] for n in ("red", "green", "blue")]).reshape(-1, 3)[shown], wanted[shown, :3]
    )


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ('{"plan": 9, "sculpt": {"file": "x.stl"}}', "newer"),
        ('{"plan": 1, "sculpt": {"file": "x.stl"}, "colours": 1}', "not known"),
        ('{"plan": 1, "sculpt": {"file": "x.stl"}, "light": {"sky": NaN}}', "no number"),
        ("[" * 100_000, "no JSON"),
        ('{"plan": 1, "sculpt": {"file": "x.stl"}, "light": {"sky": 1e999}}', "sky"),
        ('{"plan": 2}', "file"),
        ('{"plan": 1, "sculpt": {"file": "x.stl"}, "every": "magic"}', "a way is one of"),
        ('{"plan": 0}', "no plan"),
        ("7", "JSON object"),
    ],
)
def test_a_plan_that_is_none_is_refused_in_a_line(tmp_path, capsys, content, words):
    (tmp_path / "plan.json").write_text(content)
    assert main(["plan", str(tmp_path / "plan.json"), "-o", str(tmp_path / "out")]) == 2
    said = capsys.readouterr().err
    assert words in said and said.count("\n") == 1 and not (tmp_path / "out").exists()


def test_the_schema_is_printed_and_the_one_in_the_docs(capsys):
    assert main(["schema"]) == 0
    printed = json.loads(capsys.readouterr().out)
    assert printed == json.loads((Path(__file__).parents[2] / "docs/plan.schema.json").read_text())
    assert printed["required"] == ["plan"] and printed["additionalProperties"] is False


def scheme(painter, what, code=200, **more):
    return painter.json("POST", f"{URL}/schemes", {"do": what, **more}, code=code).get_json()


def test_several_schemes_are_copied_taken_up_and_compared(marked):
    """What is on the bench is kept when another is taken up; regions' colours and coats go with it."""
    change(marked, "way", region=1, name="one-coat")
    assert marked.client.get(f"{URL}/schemes.json").get_json() == []
    rows = scheme(marked, "copy", name="In red")
    assert [(r["name"], r["here"]) for r in rows] == [("First scheme", False), ("In red", True)]
    assert "already" in scheme(marked, "copy", 400, name="in RED")["error"]
    describe(marked, name="Cloak", colour="Harbour Red")
    change(marked, "way", region=1, name="layers")
    red = colour(marked)
    first = rows[0]["number"]
    _, beside = field(marked, f"schemes/{first}.bin")
    _, here = field(marked, f"colour/{len(red['coats'])}.bin")
    assert beside[:, 2].mean() > beside[:, 0].mean() and here[:, 0].mean() > here[:, 2].mean(), "blue beside red"
    scheme(marked, "take", number=first, turn=red["turn"])
    blue = colour(marked)
    assert {c["label"] for c in blue["coats"]} != {c["label"] for c in red["coats"]}
    assert sketch(marked)["regions"][0]["hex"] == "#2d5c93"
    scheme(marked, "take", number=rows[1]["number"], turn=blue["turn"])
    assert [c["label"] for c in colour(marked)["coats"]] == [c["label"] for c in red["coats"]]
    assert scheme(marked, "take", 409, number=first, turn=blue["turn"])["error"], "another tab was quicker"
    assert "on the bench" in scheme(marked, "go", 400, number=rows[1]["number"])["error"]
    assert len(scheme(marked, "go", number=first)) == 1
    while marked.undo()["undo"]:
        pass
    assert len(colour(marked)["coats"]) == rows[1]["coats"] and sketch(marked)["regions"][0]["hex"] == "#2d5c93", (
        "undo goes back to the copy as it was taken, and not into another scheme"
    )
    marked.post(f"{URL}/duplicate", headers={"HX-Request": "true"})
    assert [r["name"] for r in marked.client.get("/sculpts/2/schemes.json").get_json()] == ["In red"]


def test_the_last_varnish_comes_last_and_makes_the_finish_one(marked):
    for technique, paint in (("brush", "Tide Blue"), ("brush", "Glass Varnish"), ("oil wipe", "Burnt Foundation")):
        change(marked, "add", region=1, technique=technique, paint=paint)
    before = colour(marked)
    finish = packet(marked.client.get(f"{URL}/colour/{len(before['coats'])}/finish.bin"))
    shine = np.frombuffer(finish[1], np.uint8)[::4]
    assert finish[0]["sheen"] == list(NUMBERS), "the turntable draws by the core's own numbers"
    assert np.linalg.norm(finish[0]["lamp"]) == pytest.approx(1, abs=1e-3) and shine.max() > shine.min()
    assert marked.client.get(f"{URL}/colour/99/finish.bin").status_code == 404
    assert "uneven" in before["finish"] and not any("bare matt" in w for c in before["coats"] for w in c["warnings"])
    change(marked, "varnish", name="Dust Varnish")
    change(marked, "varnish", name="Dew Varnish")
    after = colour(marked)
    assert after["coats"][-1]["label"].startswith("last varnish, Dew") and after["finish"] == "It is satin all over."
    shine = np.frombuffer(packet(marked.client.get(f"{URL}/colour/{len(after['coats'])}/finish.bin"))[1], np.uint8)[
        ::4
    ]
    assert np.abs(shine.astype(int) - 128).max() < 40, "satin, half-way from matt to gloss"
    assert len(after["coats"]) == len(before["coats"]) + 1 and after["order"][-1]["region"] == "The whole model"
    refused = change(marked, "up", 400, number=len(after["coats"]))["error"]
    assert "whole model" in refused and colour(marked)["coats"][-1]["label"].startswith("last varnish")
    assert "under the oil" in change(marked, "down", 400, number=2)["error"], "the gloss stays below the oil"
    assert "not on the rack" in change(marked, "varnish", 400, name="Gloop")["error"]


def test_without_an_airbrush_or_a_varnish_such_ways_are_not_proposed(marked):
    marked.post("/tools", data={"can": "on", "brush": "1, 2, 4", "highest_psi": "40", "drops_per_ml": "20"})
    for name, says in (("sprayed", "airbrush"), ("oils", "varnish")):
        told = marked.client.get(f"{URL}/colour/1/{name}.json").get_json()
        assert told["coats"] == 0 and says in told["trouble"]


def test_a_face_is_marked_and_drawn(marked):
    heading, _ = packet(marked.client.get(f"{URL}/surface.bin"))
    (x0, _, _), (x1, _, tall) = heading["low"], heading["high"]
    middle = (x0 + x1) / 2

    def click(what, x, code=200):
        ray = {"origin": [x, -500, 0.6 * tall], "direction": [0, 1, 0]}
        return marked.json("POST", f"{URL}/face", {"do": what, **ray}, code=code).get_json()

    assert marked.client.get(f"{URL}/face.json").get_json()["drawing"] == ""
    click("right", middle - 1)
    told = click("left", middle + 1)
    assert len(told["words"]) >= 3 and marked.client.get(told["drawing"]).mimetype == "image/svg+xml"
    assert (
        told["looks"] == "ahead"
        and marked.json("POST", f"{URL}/face", {"do": "viewer"}).get_json()["looks"] == "viewer"
    )
    assert "nothing there" in click("left", 10_000, 400)["error"]
    painted = marked.json("POST", f"{URL}/face", {"do": "paint"}).get_json()
    assert painted["painted"] and painted["can"]
    own = [c["label"] for c in colour(marked)["coats"] if c["label"].startswith("Face:")]
    assert own, "the eyes are coats of the plan, after the colours"
    assert not marked.json("POST", f"{URL}/face", {"do": "unpaint"}).get_json()["painted"]
    assert not [c for c in colour(marked)["coats"] if c["label"].startswith("Face:")]
    assert marked.json("POST", f"{URL}/face", {"do": "clear"}).get_json()["words"] == []


def test_wear_goes_on_the_whole_model_with_settings_of_its_own(marked):
    """Shared grime comes when all parts are there (CP-34), so no region moves behind it."""
    change(marked, "way", region=1, name="one-coat")
    change(marked, "add", technique="chips", paint="Soot", on="whole")
    last = colour(marked)["coats"][-1]
    assert last["label"] == "Whole model: sponge chips" and last["settings"]["amount"] == 0.25
    change(marked, "set", number=last["number"], settings={"amount": 0.6, "seed": 4})
    assert colour(marked)["coats"][-1]["settings"]["amount"] == 0.6
    assert "chipped" in change(marked, "set", 400, number=last["number"], settings={"amount": 3})["error"]
    change(marked, "way", region=1, name="layers")
    assert colour(marked)["coats"][-1]["label"] == "Whole model: sponge chips"


def test_all_regions_are_planned_together_for_the_time_one_has(marked):
    """An evening, a game piece, display and a time of one's own, as pictures; the one taken lies in the plan, with
    its palette."""
    found = marked.client.get(f"{URL}/economy.json?minutes=45&pots=4").get_json()
    titles = [p["title"] for p in found["plans"]]
    assert titles == ["An evening", "A game piece", "Display", "Your own"] and not any(
        p["here"] for p in found["plans"]
    )
    for plan in found["plans"]:
        assert plan["minutes"] <= float(plan["asked"]["minutes"]) and 0 < plan["near"] <= 1
        assert marked.client.get(plan["picture"]).data[:4] == b"\x89PNG"
    change(marked, "plan", minutes=90)
    plan = colour(marked)
    assert plan["coats"] and plan["regions"][0]["words"].startswith("planned together") and plan["near"] > 0.5
    palette = plan["palette"]
    assert [p["letter"] for p in palette["puddles"]] == list("ABCDEFGH"[: len(palette["puddles"])])
    assert len(palette["pots"]) <= 12 and all("Cloak" in p["used"] for p in palette["puddles"])
    assert marked.client.get(f"{URL}/economy.json").get_json()["plans"][0]["here"]
    change(marked, "way", region=1, name="layers")
    assert colour(marked)["regions"][0]["way"] == "layers", "one region can still be painted its own way"
    marked.undo()
    assert colour(marked)["regions"][0]["words"].startswith("planned together")
    for bad in ({"minutes": 0}, {"minutes": "long"}, {"minutes": 60, "pots": -1}):
        assert marked.json("POST", f"{URL}/colour", {"do": "plan", **bad}, 400).get_json()["error"]
    pinned = marked.client.get(f"{URL}/economy.json?minutes=120&on-1=2&hard=1").get_json()["plans"][-1]
    steps = pinned["words"].split(" steps")[0].split()[-1]
    assert int(steps) - 2 in (1, 2) and marked.client.get(pinned["picture"]).status_code == 200
    assert "between 1 and 12" in marked.client.get(f"{URL}/economy.json?on-1=50").get_json()["trouble"]
    assert marked.client.get(f"{URL}/economy.json?on-9=2").get_json()["trouble"]
    front = marked.client.get(f"{URL}/economy/front.json").get_json()
    assert 5 <= len(front["plans"]) == front["svg"].count('class="touch"') and "script" not in front["svg"]
    assert marked.client.get(f"{URL}/economy.png?minutes=x").status_code == 400


def test_colours_laid_for_another_light_say_so(marked):
    change(marked, "way", region=1, name="layers")
    assert "has changed since" not in colour(marked)["words"]
    light = json.loads(marked.client.get(f"{URL}/light.json").data)
    light["rig"]["lamp"] = {"azimuth": -120.0, "elevation": 20.0, "size": 4.0}
    marked.json("PUT", f"{URL}/plan", {k: light[k] for k in ("rig", "greys", "exposure")})
    assert "has changed since these were laid" in colour(marked)["words"]
    change(marked, "way", region=1, name="layers")
    assert "has changed since" not in colour(marked)["words"]
