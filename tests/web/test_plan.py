"""One plan, edited from every stage: one history, ids that stay, schemes that do not leak, and the same bytes from
page and file."""

import json
import random
import zipfile
from io import BytesIO
from itertools import product

import numpy as np
import pytest
import trimesh

from dusk_lamp.cli.main import main
from dusk_lamp.core.plain import plain
from dusk_lamp.core.plan.document import document_of
from dusk_lamp.store import plans
from dusk_lamp.store.models import Sculpt

from .conftest import packet

URL = "/sculpts/1"
DOWN = {"origin": [0, 0, 99], "direction": [0, 0, -1]}
SIDE = {"origin": [0, -99, 12], "direction": [0, 1, 0]}


def state(store):
    """The whole plan that holds: its document, coats and labels."""
    with store.session() as session:
        kept = plans.kept_of(session, session.get(Sculpt, 1))
    labels = None if kept.labels is None else kept.labels.tobytes()
    return json.dumps(document_of(kept.plan), sort_keys=True), labels


def edit(painter, page, what, code=200, **more):
    return painter.json("POST", f"{URL}/{page}", {"do": what, **more}, code=code)


def get(painter, page):
    return painter.client.get(f"{URL}/{page}.json").get_json()


def glow_number(painter):
    return get(painter, "glow")["glows"][-1]["number"]


EDITS = (
    lambda p, r: edit(p, "regions", "describe", number=1, name=f"Cloak {r.random():.3f}"),
    lambda p, r: edit(p, "regions", "rim", number=2, rounds=r.choice([-1, 1])),
    lambda p, r: edit(p, "colour", "way", region=1, name=r.choice(["one-coat", "glazes"])),
    lambda p, r: edit(p, "undercoat", "school", name=r.choice(["twotone", "drybrush"])),
    lambda p, r: edit(p, "metal", "set", region=2, settings={"roughness": round(r.random(), 2)}),
    lambda p, r: edit(p, "glow", "dusk", share=round(r.random(), 2)),
    lambda p, r: edit(p, "glow", "add", kind="under"),
    lambda p, r: edit(p, "wear", "set", amounts={"chips": round(r.random(), 2)}),
    lambda p, r: edit(p, "parts", "", number=1, name=f"Body {r.random():.3f}"),
    lambda p, r: edit(p, "display", "look", azimuth=r.randint(-90, 90), elevation=10),
    lambda p, r: p.json("PUT", f"{URL}/plan", _brighter(p.settings(1), 1.0 + round(r.random(), 2))),
)


def _brighter(settings, gain):
    return {**settings, "exposure": {**settings["exposure"], "gain": gain}}


@pytest.mark.parametrize("seed", [1, 2])
def test_edits_from_any_stages_are_undone_to_the_start_and_redone_to_the_end(whole, store, seed):
    chance = random.Random(seed)
    states = [state(store)]
    for change in chance.choices(EDITS, k=9):
        change(whole, chance)
        states.append(state(store))
    for before in states[-2::-1]:
        whole.undo()
        assert state(store)[0].replace(last_id(state(store)), "") == before[0].replace(last_id(before), "")
        assert state(store)[1] == before[1]
    for after in states[1:]:
        whole.undo(by="redo")
        assert state(store) == (after[0].replace(last_id(after), last_id(state(store))), after[1])


def last_id(kept):
    """The highest id ever given: what was undone takes none back."""
    return f'"last_id": {json.loads(kept[0])["last_id"]}'


def test_renaming_removing_and_marking_again_takes_nothing_from_other_regions(whole, store):
    """Wishes, coats and clean marks belong to a region, whatever it is called and wherever it stands in the list."""
    edit(whole, "regions", "describe", number=2, name="Bascinet")
    assert get(whole, "metal")["regions"][1]["school"] == "facet" and get(whole, "metal")["regions"][1]["painted"]
    assert [r["spared"] for r in get(whole, "wear")["regions"]] == [False, True]
    coats = len(get(whole, "colour")["coats"])
    edit(whole, "regions", "remove", number=1)  # the second becomes the first
    (own,) = get(whole, "metal")["regions"]
    assert (own["name"], own["school"], own["painted"], own["edged"]) == ("Bascinet", "facet", True, True)
    (own,) = get(whole, "wear")["regions"]
    assert (own["number"], own["name"], own["spared"]) == (1, "Bascinet", True)
    assert len(get(whole, "colour")["coats"]) == coats, "its coats stay on the spots they were on"
    (glow,) = get(whole, "glow")["glows"]
    assert "gone" in glow["trouble"] or "not there" in glow["trouble"], (
        "and what shone from it shines from nothing else"
    )
    edit(whole, "regions", "pick", tool="part", free=True, **SIDE)
    assert get(whole, "wear")["regions"][1]["spared"] is False and not get(whole, "metal")["regions"][1]["painted"]
    with store.session() as session:
        ids = [r.id for r in plans.plan_of(session, session.get(Sculpt, 1)).regions]
    assert len(set(ids)) == 2 and 1 not in ids, "the id of the one that is gone is not given again"


def test_an_id_is_not_given_again_after_undo(whole, store):
    edit(whole, "glow", "add", kind="under")
    first = glow_number(whole)
    whole.undo()
    edit(whole, "glow", "add", kind="left")
    assert glow_number(whole) > first
    edit(whole, "glow", "set", 400, number=first, settings={"name": "late"})


def test_schemes_do_not_leak(marked):
    """Settings of metal and wear, light and dusk belong to the scheme they were made in."""
    edit(marked, "regions", "describe", number=1, material="metal")
    edit(marked, "metal", "set", region=1, settings={"school": "layered"})
    edit(marked, "wear", "set", amounts={"dust": 0.1})
    edit(marked, "wear", "paint")
    edit(marked, "schemes", "copy", name="Other")
    edit(marked, "metal", "set", region=1, settings={"school": "facet"})
    edit(marked, "wear", "set", amounts={"dust": 0.9})
    edit(marked, "glow", "dusk", share=0.2)
    first = get(marked, "schemes")[0]["number"]
    edit(marked, "schemes", "take", number=first)
    assert get(marked, "metal")["regions"][0]["school"] == "layered" and get(marked, "glow")["dusk"] == 1
    wear = get(marked, "wear")
    assert next(r for r in wear["layers"] if r["name"] == "dust")["amount"] == 0.1 and not wear["stale"]


@pytest.mark.parametrize("number", ["abc", None, [1], 1e300, {"a": 1}, True, -1])
def test_schemes_refuse_what_is_no_number_in_words(marked, number):
    for body in ({"do": "take", "number": number}, {"do": "go", "number": number}):
        assert len(marked.json("POST", f"{URL}/schemes", body, 400).get_json()["error"].split()) > 3
    assert marked.json("POST", f"{URL}/schemes", {"do": "copy", "name": None}, 400).get_json()["error"]
    if not isinstance(number, int) or isinstance(number, bool):
        assert marked.json("POST", f"{URL}/schemes", {"do": "copy", "name": "x", "turn": number}, 400).get_json()[
            "error"
        ]
    assert get(marked, "schemes") == []


def test_names_that_would_break_a_file_or_a_page_are_refused_and_files_stay_whole(whole):
    number = glow_number(whole)
    for name, (page, what, more) in product(
        ("bell\a", "nul\0", "lone \ud800", "turned \u202e back", "two\nlines", "", "x" * 200),
        (
            ("regions", "describe", lambda name: {"number": 1, "name": name}),
            ("glow", "set", lambda name: {"number": number, "settings": {"name": name}}),
            ("schemes", "copy", lambda name: {"name": name}),
            ("parts", "", lambda name: {"number": 0, "name": name}),
        ),
    ):
        answer = whole.client.post(
            f"{URL}/{page}",
            data=json.dumps({"do": what, "turn": whole.turn(), **more(name)}),
            content_type="application/json",
            headers={"X-CSRFToken": whole.token(), "X-Requested-With": "fetch"},
        )
        assert answer.status_code in (200, 400), (page, name)
        if answer.status_code == 400:
            assert len(answer.get_json()["error"].split()) > 3
    for url in ("regions.json", "plan.json", "whole-plan.json", "colour.json", "glow.json", "wear.json"):
        assert whole.client.get(f"{URL}/{url}").status_code == 200


def test_every_stage_of_a_plan_comes_out_of_a_file_as_it_is_on_the_bench(app, whole, figure, tmp_path):
    """Metal, edges, glow, lens and wear, too: the same coats, steps and colours, to the byte; and a change of the
    file is run."""
    kept = whole.client.get(f"{URL}/whole-plan.json").data
    plan = json.loads(kept)
    (tmp_path / plan["sculpt"]["file"]).write_bytes(figure)
    (tmp_path / "plan.json").write_bytes(kept)
    assert main(["plan", str(tmp_path / "plan.json"), "-o", str(tmp_path / "out"), "--no-pictures"]) == 0
    out = json.loads((tmp_path / "out/steps.json").read_text())
    assert [s["stage"] for s in out["steps"]] == [c["stage"] for c in plan["coats"]]
    assert {s["stage"] for s in out["steps"]} == {"undercoat", "colour", "metal", "edges", "glow", "wear"}
    assert {s["name"] for s in out["stages"]} >= {"undercoat", "colour", "face", "metal", "edges", "glow", "wear"}
    assert len(whole.page(f"{URL}/sheet").select("article.step")) == len(out["steps"])
    last = tmp_path / f"out/after-{len(out['steps']):02d}.ply"
    data = trimesh.load(last, process=False).metadata["_ply_raw"]["vertex"]["data"]
    assert {"value", "L", "a", "b", "region"} <= set(data.dtype.names)
    number = get(whole, "schemes") or edit(whole, "schemes", "copy", name="Again").get_json()
    _, levels = packet(whole.client.get(f"{URL}/schemes/{number[-1]['number']}.bin"))
    shown = app.extensions["workshop"].sculpts.of(_sculpt(app)).site.paintable
    seen = np.column_stack([data[n] for n in ("red", "green", "blue")]).reshape(-1, 3)
    assert np.array_equal(seen[shown], levels.reshape(-1, 4)[shown, :3])
    # without its coats, the same wishes come to the same coats
    (tmp_path / "wishes.json").write_text(json.dumps({**plan, "coats": [], "settled": []}))
    assert main(["plan", str(tmp_path / "wishes.json"), "-o", str(tmp_path / "again"), "--no-pictures"]) == 0
    again = json.loads((tmp_path / "again/steps.json").read_text())
    assert {s["stage"] for s in again["steps"]} == {"undercoat", "metal", "edges", "glow", "wear"}

    def laid(steps):  # the cloak's colour was chosen by hand; without its pots on the palette others are mixed
        return [(s["stage"], s["label"], s["technique"]) for s in steps if s["stage"] != "colour"]

    assert laid(again["steps"]) == laid(out["steps"])


def _sculpt(app):
    with app.extensions["workshop"].store.session() as session:
        return session.get(Sculpt, 1)


def test_another_height_carries_coats_on_regions_along(whole):
    """Coats on regions and spots go where they were in the file's own axes: none is left without paint."""
    before = whole.client.get(f"{URL}/plan.json").get_json()["steps"]
    whole.post(f"{URL}/stand", {"up": "z", "front": "-y", "height": "50"})
    after = whole.client.get(f"{URL}/plan.json").get_json()["steps"]
    assert [s["label"] for s in after] == [s["label"] for s in before]
    for was, now in zip(before, after, strict=True):
        if (
            was["ml"] > 1e-3 and was["technique"] == "brush"
        ):  # twice as tall: four times the surface under the same film
            assert now["ml"] == pytest.approx(4 * was["ml"], rel=0.35), was["label"]
        assert (now["ml"] > 0) == (was["ml"] > 0) or was["ml"] < 2e-3


def test_two_tabs_on_different_stages_of_one_plan_are_told(whole):
    turn = whole.turn()
    edit(whole, "wear", "set", amounts={"dust": 0.3})
    for page, what, more in (
        ("colour", "clear", {"region": 1}),
        ("glow", "dusk", {"share": 0.5}),
        ("metal", "usual", {"region": 2}),
    ):
        told = whole.json("POST", f"{URL}/{page}", {"do": what, "turn": turn, **more}, 409).get_json()
        assert told["stale"] and "another tab" in told["error"]
    assert next(r for r in get(whole, "wear")["layers"] if r["name"] == "dust")["amount"] == 0.3


def test_what_is_laid_is_drawn_though_black_and_white_are_off_the_rack(whole):
    page = whole.page("/rack")
    for a in page.select(".bottle"):
        if a.h3.get_text() in (
            "Soot",
            "Chalk",
            "Pitch Primer",
            "Fog Primer",
            "Chalk Primer",
            "Gull",
            "Heron",
            "Slate",
        ):
            whole.post(f"/rack/{a['id'].split('-')[1]}/delete")
    for name in ("colour", "metal", "glow", "wear"):
        told = get(whole, name)
        assert "trouble" not in told or told.get("coats"), name
        assert told["coats"]


def test_a_backup_is_the_same_plan_to_the_byte(whole, store, tmp_path):
    from dusk_lamp.store.backup import backup, restore
    from dusk_lamp.store.store import Store

    now = state(store)
    backup(store.root, tmp_path / "b.zip")
    assert zipfile.is_zipfile(BytesIO((tmp_path / "b.zip").read_bytes()))
    restore(tmp_path / "b.zip", tmp_path / "new")
    again = Store(tmp_path / "new")
    assert state(again) == now and plain(now)
    again.close()
