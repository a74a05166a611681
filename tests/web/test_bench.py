"""The bench, the standing and the sheet."""

import io
import json
import shutil

import numpy as np
import pypdf
import pytest
import trimesh
from PIL import Image

from dusk_lamp.core.coat.spray import Spraying
from dusk_lamp.core.light.rig import Rig, light_on
from dusk_lamp.core.plain import built
from dusk_lamp.core.target import target
from dusk_lamp.core.target.exposure import Exposure, value_of_light
from dusk_lamp.core.target.greys import Greys, lay_bands
from dusk_lamp.demo.load import load_rack
from dusk_lamp.store import cache, open_sculpts
from dusk_lamp.store.backup import restore
from dusk_lamp.store.models import Sculpt
from dusk_lamp.store.open_sculpts import OpenSculpts
from dusk_lamp.web.stage_registry import ON_BENCH, STAGES

from ..shapes import ball, together
from .conftest import packet


def test_the_bench_relights_with_the_cores_own_numbers(painter, sculpt_id, app, store):
    wish = painter.settings(sculpt_id)
    wish["rig"]["lamp"] = {"azimuth": -50, "elevation": 35, "size": 10}
    heading, rest = packet(painter.json("POST", f"/sculpts/{sculpt_id}/relight", wish))
    with store.session() as session:
        site = app.extensions["workshop"].sculpts.of(session.get(Sculpt, sculpt_id)).site
    rig = built(Rig, wish["rig"])
    value = value_of_light(light_on(site, rig).total, Exposure(), rig.full)
    n = len(site.surface)
    assert rest[:n] == pytest.approx(np.round(value * 25), abs=1)
    bands = lay_bands(site.surface, value, Greys(), Exposure())
    assert (rest[n : 2 * n] == bands.step).all()
    assert heading["share"] == pytest.approx(bands.area_mm2 / bands.area_mm2.sum(), abs=1e-3)
    assert sum(heading["histogram"]) == pytest.approx(site.surface.areas.sum(), rel=1e-3)


def test_the_first_of_the_sky_lights_the_sculpt_until_all_of_it_is_in(painter, sculpt_id, app, store):
    """The job left what it saw along the first directions; the page is told, and what it shows is nearly the light
    that comes later, with the lamp in motion and at rest."""
    wish = painter.settings(sculpt_id)

    def lit(moving):
        _, rest = packet(painter.json("POST", f"/sculpts/{sculpt_id}/relight", {**wish, "moving": moving}))
        return rest.astype(float) / 25

    whole = {moving: lit(moving) for moving in (False, True)}
    with store.saving() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        kept, sculpt.sky_key = sculpt.sky_key, None
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    state = painter.client.get(f"/sculpts/{sculpt_id}/state").get_json()
    assert state["glimpse"] and not state["sky"]
    n = len(whole[False]) // 2
    first = {moving: lit(moving) for moving in (False, True)}
    assert np.abs(first[False][:n] - whole[False][:n]).mean() < 0.2
    assert np.abs(first[True] - whole[True]).mean() < 0.2
    with store.saving() as session:
        session.get(Sculpt, sculpt_id).sky_key = kept
    state = painter.client.get(f"/sculpts/{sculpt_id}/state").get_json()
    assert state["sky"] and not state["glimpse"]
    assert np.array_equal(lit(False), whole[False])


def test_a_moving_lamp_is_answered_with_the_rough_form_only(painter, sculpt_id):
    surface, _ = packet(painter.client.get(f"/sculpts/{sculpt_id}/surface.bin"))
    heading, levels = packet(
        painter.json("POST", f"/sculpts/{sculpt_id}/relight", {**painter.settings(sculpt_id), "moving": True})
    )
    assert heading["moving"] and len(levels) == surface["rough"]


def test_the_surface_arrives_as_it_lies_in_memory(painter, sculpt_id):
    heading, rest = packet(painter.client.get(f"/sculpts/{sculpt_id}/surface.bin"))
    n, f = heading["samples"], heading["faces"]
    points = rest[: n * 12].view(np.float32).reshape(n, 3)
    assert points[:, 2].min() == pytest.approx(0, abs=1e-4) and points[:, 2].max() == pytest.approx(25, rel=1e-3)
    assert rest[n * 16 : n * 16 + f * 12].view(np.uint32).max() == n - 1
    assert len(rest) == n * 16 + f * 12 + heading["rough"] * 4 + heading["rough_faces"] * 12 + n
    assert len(heading["greys"]) == 256 and set(heading["views"]) == {"front", "right", "back", "left", "top"}


def test_light_and_ladder_are_kept_over_a_reload(painter, sculpt_id):
    wish = painter.settings(sculpt_id)
    wish["rig"]["lamp"]["elevation"], wish["greys"] = 20.0, {"steps": 7, "white_budget": None, "cuts": None}
    assert painter.json("PUT", f"/sculpts/{sculpt_id}/plan", wish).get_json() == {"turn": painter.turn()}
    kept = painter.settings(sculpt_id)
    assert (
        kept["rig"]["lamp"]["elevation"] == 20
        and kept["greys"]["steps"] == 7
        and kept["greys"]["white_budget"] is None
    )


def test_two_tabs_cannot_overwrite_each_other_unseen(painter, sculpt_id):
    one, two = painter.settings(sculpt_id), painter.settings(sculpt_id)
    one["rig"]["sky"], two["rig"]["sky"] = 0.1, 0.9
    painter.json("PUT", f"/sculpts/{sculpt_id}/plan", one)
    told = painter.json("PUT", f"/sculpts/{sculpt_id}/plan", two, code=409).get_json()
    assert "another tab" in told["error"] and told["theirs"]["rig"]["sky"] == 0.1
    assert painter.settings(sculpt_id)["rig"]["sky"] == 0.1, "nothing was lost"
    painter.json("PUT", f"/sculpts/{sculpt_id}/plan", {**two, "turn": told["turn"]})
    assert painter.settings(sculpt_id)["rig"]["sky"] == 0.9


@pytest.mark.parametrize(
    "change",
    [
        {"rig": {}},
        {"rig": {"lamp": {"azimuth": 0, "elevation": 400, "size": 0}, "sky": 0, "sky_kind": "uniform", "bounce": 0}},
        {"greys": {"steps": 99, "white_budget": 0.1}},
        {"exposure": {"gain": "bright"}},
        {"exposure": None},
        {"greys": [1]},
    ],
)
def test_settings_that_make_no_sense_are_refused_in_words(painter, sculpt_id, change):
    wish = {**painter.settings(sculpt_id), **change}
    for method, url in (("POST", "relight"), ("PUT", "plan")):
        said = painter.json(method, f"/sculpts/{sculpt_id}/{url}", wish, code=400).get_json()["error"]
        assert len(said) > 20 and "Error" not in said


def test_stages_light_up_in_order_of_work(app, painter, sculpt_id):
    def lit():
        return [
            a["data-stage"]
            for a in painter.page(f"/sculpts/{sculpt_id}/light").select(".string a[data-stage]")
            if a.select(".lamp-lit")
        ]

    assert lit() == []
    load_rack(app.extensions["workshop"].store)
    painter.post(f"/sculpts/{sculpt_id}/stand", {"up": "z", "front": "-y", "height": "25"})
    for stage in ON_BENCH:
        page = painter.post(f"/sculpts/{sculpt_id}/done/{stage.name}")
    assert page.find(class_="sheet"), "the last stage leads to the sheet"
    needed = [s.name for s in STAGES if not s.optional]
    assert lit() == needed[:-1], (
        "the last is lit when every step is painted; what is optional is done when something was set in it"
    )
    keys = json.loads(painter.page(f"/sculpts/{sculpt_id}/paint").find(id="easel")["data-keys"])
    for key in keys:
        painter.json("POST", f"/sculpts/{sculpt_id}/paint", {"do": "skipped", "key": key})
    assert lit() == needed
    painter.json("POST", f"/sculpts/{sculpt_id}/parts", {"number": 0, "name": "Figure"})
    painter.json("POST", f"/sculpts/{sculpt_id}/display", {"do": "look", "azimuth": 20, "elevation": 10})
    assert lit() == [s.name for s in STAGES if not s.optional or s.name in ("parts", "view")]
    painter.post(f"/sculpts/{sculpt_id}/stand", {"turn": "front x", "up": "z", "front": "-y", "height": "25"})
    told = {name: words for name, _, words in painter.client.get(f"/sculpts/{sculpt_id}/state").get_json()["stages"]}
    assert told["stand"] == told["parts"] == told["paint"] == "done" and told["regions"] == "optional"
    assert {told[n] for n in ("view", "light", "greys", "undercoat", "sheet")} == {"look again"}


def test_six_ways_to_stand_and_four_to_face_are_shown_as_pictures(painter, sculpt_id):
    page = painter.page(f"/sculpts/{sculpt_id}/stand")
    pictures = [img["src"] for img in page.select(".way img")]
    assert len(pictures) == 10
    assert len({painter.client.get(src).data for src in pictures[:6]}) >= 3, "the ways differ"
    assert page.select_one(".way")["aria-pressed"] == "true", "the likeliest comes first and is chosen"


def test_standing_it_another_way_lays_it_out_anew(painter, sculpt_id):
    painter.post(f"/sculpts/{sculpt_id}/stand", {"up": "x", "front": "-y", "height": "54,5"})
    heading, _ = packet(painter.client.get(f"/sculpts/{sculpt_id}/surface.bin"))
    assert heading["high"][2] == pytest.approx(54.5, rel=1e-3), "a decimal comma is understood"


def test_odd_units_are_said(painter, figure):
    shape = trimesh.load(io.BytesIO(figure), file_type="stl")
    shape.apply_scale(1.8 / 25)
    metres = painter.bring(shape.export(file_type="stl"), "Giant.stl")["id"]
    page = painter.page(f"/sculpts/{metres}/stand")
    assert "in metres" in page.select_one(".units.unsure").text
    assert page.find(id="height")["value"] == "32.0"


@pytest.mark.parametrize(
    "form",
    [
        {"up": "z", "front": "z", "height": "32"},
        {"up": "z", "front": "-y", "height": "tall"},
        {"up": "z", "front": "-y", "height": "-1"},
        {},
    ],
)
def test_impossible_standings_are_refused_in_words(painter, sculpt_id, form):
    assert painter.post(f"/sculpts/{sculpt_id}/stand", form, code=400).find(class_="trouble")


@pytest.fixture
def planned(undercoated):
    return undercoated


def test_a_plan_without_coats_says_so_and_invents_no_step(painter, sculpt_id):
    page = painter.page(f"/sculpts/{sculpt_id}/sheet")
    assert not page.select("article.step") and "no coat" in page.text and page.find("a", string="Lay the undercoat")
    assert json.loads(painter.client.get(f"/sculpts/{sculpt_id}/plan.json").data)["steps"] == []
    assert "no coat" in painter.page(f"/sculpts/{sculpt_id}/plan.pdf", code=400).text


def test_the_sheet_shows_the_plans_own_coats_with_pictures_drops_and_cautions(planned, sculpt_id):
    coats = planned.client.get(f"/sculpts/{sculpt_id}/undercoat.json").get_json()["coats"]
    page = planned.page(f"/sculpts/{sculpt_id}/sheet")
    steps = page.select("article.step")
    assert len(steps) == len(coats)
    for step, coat in zip(steps, coats, strict=True):
        assert len(step.select("figure img")) == 5 and "drop" in step.text and "Safety:" in step.text
        assert coat["paint"] in step.text and coat["where_from"].lower() in step.text.lower()
        assert step.select_one(".swatch rect")["fill"] == coat["hex"]
        if coat["seconds"]:
            assert f"{coat['seconds']:g} s" in step.text and f"{coat['kpa']} kPa" in step.text
    picture = Image.open(io.BytesIO(planned.client.get(steps[2].select("img")[0]["src"]).data)).convert("RGB")
    pixels = np.asarray(picture).reshape(-1, 3).astype(int)
    assert ((pixels[:, 0] - pixels[:, 2]) > 60).mean() > 0.02, "the new film is marked in amber"
    planned.page(f"/sculpts/{sculpt_id}/steps/99/front.png", code=404)


def test_exports_open_elsewhere(planned, sculpt_id):
    painter, get = planned, planned.client.get
    pdf = pypdf.PdfReader(io.BytesIO(get(f"/sculpts/{sculpt_id}/plan.pdf").data))
    words = " ".join(" ".join(page.extract_text() for page in pdf.pages).split())
    plan = json.loads(get(f"/sculpts/{sculpt_id}/plan.json").data)
    assert [s["number"] for s in plan["steps"]] == [1, 2, 3, 4, 5] and plan["light"]["lamp"]["elevation"] == 90
    for step in plan["steps"]:
        assert step["paint"] in words and step["where_from"].lower() in words.lower()
        assert all(f"{n} of {name}" in words or f"{n} drop" in words for name, n in step["drops_of"].items())
        if step["seconds"]:
            assert f"as a guide {step['seconds']:g} s in all" in words  # CP-40
    ply = trimesh.load(io.BytesIO(get(f"/sculpts/{sculpt_id}/sculpt.ply").data), file_type="ply", process=False)
    assert {"light", "visible", "value", "step", "region"} <= set(
        ply.metadata["_ply_raw"]["vertex"]["data"].dtype.names
    )
    glb = trimesh.load(io.BytesIO(get(f"/sculpts/{sculpt_id}/sculpt.glb").data), file_type="glb", force="mesh")
    assert len(glb.faces) == len(ply.faces)
    for query in ("view=lamp", "view=back&steps=1", "azimuth=30&elevation=10&ground=3"):
        assert Image.open(io.BytesIO(get(f"/sculpts/{sculpt_id}/view.png?{query}").data)).size == (900, 1200)
    for bad in ("view.png?view=moon", "view.png?azimuth=east", "sculpt.exe"):
        painter.page(f"/sculpts/{sculpt_id}/{bad}", code=400)


def test_what_a_lost_cache_held_is_made_anew(painter, sculpt_id, store, app):
    shutil.rmtree(store.cache.root)
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    assert painter.client.get(f"/sculpts/{sculpt_id}/surface.bin").status_code == 409, "it is being prepared"
    assert painter.page(f"/sculpts/{sculpt_id}/light").find(id="bench"), (
        "jobs run at once in tests: it is there again"
    )
    assert painter.client.get(f"/sculpts/{sculpt_id}/surface.bin").status_code == 200


def test_a_sculpt_that_nobody_looks_at_holds_less_and_shows_the_same(whole, store, app, monkeypatch):
    """Once another is opened, and again once it was idle for long, it lets go of what takes most room, and its pages
    are as they were."""
    whole.bring(together(ball(5, 3), ball(3, 3, (0, 0, 7))).export(file_type="stl"), "Other.stl")
    seen = {
        url: whole.client.get(f"/sculpts/1/{url}").data for url in ("undercoat.json", "colour.json", "metal.json")
    }
    with store.session() as session:
        opened = app.extensions["workshop"].sculpts.of(session.get(Sculpt, 1))
    last = opened.site.bends
    assert opened.site.bends is last
    whole.page("/sculpts/2/light")
    again = opened.site.bends
    assert again is not last and np.array_equal(again.angle, last.angle)
    assert {url: whole.client.get(f"/sculpts/1/{url}").data for url in seen} == seen
    whole.page("/sculpts/2/light")
    assert opened.site.bends is again, "it was looked at a moment ago"
    monkeypatch.setattr(open_sculpts, "IDLE_S", 0.0)
    whole.page("/sculpts/2/light")
    assert opened.site.bends is not again
    assert {url: whole.client.get(f"/sculpts/1/{url}").data for url in seen} == seen


def test_light_sprays_and_metal_are_worked_out_once_for_all_openings(whole, store, app, monkeypatch):
    """Opened again, and by a server that has just begun, a sculpt shows the same without a ray; another light is
    worked out anew, and so is everything once the code is another."""
    pages = ("undercoat.json", "colour.json")
    seen = {url: whole.client.get(f"/sculpts/1/{url}").data for url in pages}
    lit, laid = [], []
    own_light, own_film = target.light_on, Spraying.film
    monkeypatch.setattr(target, "light_on", lambda *of: lit.append(1) or own_light(*of))
    monkeypatch.setattr(Spraying, "film", lambda *of: laid.append(1) or own_film(*of))
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    assert {url: whole.client.get(f"/sculpts/1/{url}").data for url in pages} == seen and not lit + laid
    kept = whole.settings(1)
    whole.json("PUT", "/sculpts/1/plan", {**kept, "rig": {**kept["rig"], "bounce": 0.5}})
    assert whole.client.get("/sculpts/1/undercoat.json").data and lit == [1]
    monkeypatch.setattr(cache, "code_mark", lambda *_: "other code")
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    assert whole.client.get("/sculpts/1/undercoat.json").data and lit == [1, 1] and laid


def test_regions_outlive_the_cache_even_when_the_height_changes_afterwards(painter, sculpt_id, store, app):
    painter.json(
        "POST",
        f"/sculpts/{sculpt_id}/regions",
        {"do": "pick", "origin": [0, 0, 100], "direction": [0, 0, -1]},
    )
    marked = np.mean(packet(painter.client.get(f"/sculpts/{sculpt_id}/regions.bin"))[1] == 1)
    shutil.rmtree(store.cache.root)
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    painter.post(f"/sculpts/{sculpt_id}/stand", {"up": "z", "front": "-y", "height": "40"})
    heading, labels = packet(painter.client.get(f"/sculpts/{sculpt_id}/regions.bin"))
    assert [r["name"] for r in heading["regions"]] == ["Region 1"]
    assert np.mean(labels == 1) == pytest.approx(marked, rel=0.1)


def test_a_backup_is_taken_from_the_shelf_and_is_whole(painter, sculpt_id, store, tmp_path):
    link = painter.page("/").find("a", string="Take a backup")
    (tmp_path / "kept.zip").write_bytes(painter.client.get(link["href"]).data)
    assert restore(tmp_path / "kept.zip", tmp_path / "elsewhere")["sculpts"] == 1
    assert not list(store.root.glob("tmp*")), "nothing is left behind"
