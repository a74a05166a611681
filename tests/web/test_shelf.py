"""The shelf: bringing, renaming, copying, deleting; and what happens to bad files."""

import json
import re
import shutil
import struct
import time
from importlib.resources import files

import pytest
import trimesh
from jinja2 import Environment
from sqlalchemy import select

from dusk_lamp.core.units import left_words
from dusk_lamp.jobs import small_pictures
from dusk_lamp.store import preparing
from dusk_lamp.store.models import JobRow, Sculpt
from dusk_lamp.store.open_sculpts import OpenSculpts
from dusk_lamp.web.app import create_app
from dusk_lamp.web.events import STREAMS

from ..shapes import ball
from .conftest import INLINE, SETTINGS


def test_a_dropped_file_becomes_a_lit_sculpt(painter, figure, store):
    brought = painter.bring(figure, "Lamp keeper.stl")
    card = painter.page("/").find(id=f"sculpt-{brought['id']}")
    assert card.find("input", {"name": "name"})["value"] == "Lamp keeper"
    assert "25 mm" in card.text
    picture = painter.client.get(card.find("img")["src"])
    assert picture.mimetype == "image/png" and len(picture.data) > 2_000
    with store.session() as session:
        job = session.get(Sculpt, brought["id"]).latest_job()
        assert (job.state, job.share) == ("done", 1.0)


def test_a_dense_sculpt_is_seen_before_it_is_mended(painter, store, monkeypatch):
    """Its picture is drawn while it is mended. A small one is mended in a moment; no picture of it is drawn."""
    mend, seen = preparing.mend, []

    def shown():
        with store.session() as session:
            return session.scalars(select(Sculpt).order_by(Sculpt.id.desc())).first().thumb_key

    def waits_for_the_picture(mesh):
        if small_pictures.MENDED_AT_ONCE == 2_000:
            end = time.monotonic() + 30
            while shown() is None and time.monotonic() < end:
                time.sleep(0.01)
        seen.append(shown())
        return mend(mesh)

    monkeypatch.setattr(preparing, "mend", waits_for_the_picture)
    painter.bring(ball(5, 3).export(file_type="stl"), "small.stl")
    assert seen == [None]
    monkeypatch.setattr(small_pictures, "MENDED_AT_ONCE", 2_000)
    brought = painter.bring(ball(5, 4).export(file_type="stl"), "dense.stl")
    _, whole = seen
    assert store.cache.blob(whole, "thumb.png").startswith(b"\x89PNG")
    with store.session() as session:
        assert session.get(Sculpt, brought["id"]).thumb_key not in (None, whole), "and in its own light afterwards"


BAD = {
    "empty.stl": (b"", "empty"),
    "letter.stl": (b"Dear painter,\n" * 30, "text with the ending"),
    "cut.stl": (ball(fine=2).export(file_type="stl")[:-99], "cut short"),
    "liar.stl": (b"\0" * 80 + struct.pack("<I", 10**9) + b"\0" * 50, "cut short"),
    "one.stl": (
        b"\0" * 80 + struct.pack("<I", 1) + struct.pack("<12f", *[0, 0, 1], *[0, 0, 0, 1, 0, 0, 0, 1, 0]) + b"\0\0",
        "scrap",
    ),
    "points.ply": (trimesh.PointCloud([[0, 0, 0], [1, 0, 0]]).export(file_type="ply"), "only points"),
    "nan.obj": (b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", ""),
}


@pytest.mark.parametrize("name", BAD)
def test_a_bad_file_says_why_and_harms_nothing_else(painter, figure, name):
    good = painter.bring(figure, "Good.stl")["id"]
    content, words = BAD[name]
    bad = painter.bring(content, name)["id"]
    card = painter.page("/").find(id=f"sculpt-{bad}")
    said = card.find(class_="trouble").text
    assert "Could not be prepared" in said and words in said
    assert "Traceback" not in card.text and "/data/" not in card.text
    assert painter.page("/").find(id=f"sculpt-{good}").find("img")
    assert card.find("button", string=lambda t: t and "Try again" in t) or "Try again" in card.text


@pytest.mark.parametrize("name", ["notes.txt", "figure", "../../etc/passwd", "run.stl.exe"])
def test_other_kinds_of_files_are_refused(painter, name):
    assert "bring STL" in painter.bring(b"x", name, code=400)["error"]


def test_a_file_over_the_limit_is_refused_with_the_limit(painter):
    assert "3 MB" in painter.bring(b"\0" * 3_200_000, "big.stl", code=413)["error"]


def test_names_with_paths_and_markup_are_only_ever_shown(painter, figure, store, tmp_path):
    wild = "..\\..\\<script>alert(1)<!--'&.stl"
    brought = painter.bring(figure, wild)
    html = painter.client.get("/").text
    assert "<script>alert" not in html and "&lt;script&gt;" in html
    with store.session() as session:
        sha = session.get(Sculpt, brought["id"]).file_sha
    assert [p.name for p in store.uploads.iterdir()] == [f"{sha}.stl"]
    painter.post(f"/sculpts/{brought['id']}/rename", {"name": "<img src=x onerror=alert(1)>"})
    card = painter.page("/").find(id=f"sculpt-{brought['id']}")
    assert card.find("input", {"name": "name"})["value"] == "<img src=x onerror=alert(1)>"
    assert len(card.find_all("img")) == 1
    for url in (f"/sculpts/{brought['id']}/light", f"/sculpts/{brought['id']}/sheet"):
        assert "<img src=x" not in painter.client.get(url).text
    disposition = painter.client.get(f"/sculpts/{brought['id']}/plan.json").headers["Content-Disposition"]
    assert "<" not in disposition and "/" not in disposition.split("filename=")[1]


def test_the_same_file_twice_is_said_and_shares_its_work(painter, figure, store):
    painter.bring(figure, "Keeper.stl")
    entries = {p.name for p in store.cache.root.glob("*/*")}
    again = painter.bring(figure, "Keeper.stl")
    assert "already have this file as 'Keeper'" in again["said"]
    assert painter.page("/").find(id=f"sculpt-{again['id']}").find("input", {"name": "name"})["value"] == "Keeper (2)"
    assert {p.name for p in store.cache.root.glob("*/*")} == entries
    assert len(list(store.uploads.iterdir())) == 1


def test_renaming_copying_deleting_and_putting_back(painter, sculpt_id):
    card = painter.post(f"/sculpts/{sculpt_id}/rename", {"name": "  Night   warden "})
    assert card.find("input", {"name": "name"})["value"] == "Night warden"
    assert (
        painter.post(f"/sculpts/{sculpt_id}/rename", {"name": "   "}).find("input", {"name": "name"})["value"]
        == "Night warden"
    )
    copies = painter.post(f"/sculpts/{sculpt_id}/duplicate")
    assert [i["value"] for i in copies.find_all("input", {"name": "name"})] == ["Night warden (2)", "Night warden"]
    gone = painter.post(f"/sculpts/{sculpt_id}/delete")
    assert "Put it back" in gone.text
    painter.page(f"/sculpts/{sculpt_id}/light", code=404)
    assert "Recently deleted (1)" in painter.page("/").text, "a reload does not lose the way back"
    painter.post(f"/sculpts/{sculpt_id}/restore")
    assert painter.page(f"/sculpts/{sculpt_id}/light").find(id="bench")


def test_a_copy_has_its_own_light(painter, sculpt_id):
    first = painter.settings(sculpt_id)
    copy_id = int(painter.post(f"/sculpts/{sculpt_id}/duplicate").find("article")["data-sculpt"])
    theirs = painter.settings(copy_id)
    theirs["rig"]["lamp"]["azimuth"] = 123
    painter.json("PUT", f"/sculpts/{copy_id}/plan", theirs)
    assert painter.settings(sculpt_id)["rig"] == first["rig"]
    assert painter.settings(copy_id)["rig"]["lamp"]["azimuth"] == 123


def test_progress_names_the_present_step_and_can_be_stopped(painter, sculpt_id, store, app):
    app.extensions["workshop"].queue.huey.immediate = False  # as when the worker is busy elsewhere
    with store.session() as session:
        session.get(Sculpt, sculpt_id).sky_key = None
    card = painter.post(f"/sculpts/{sculpt_id}/prepare")
    assert card.find("progress") and "Queued" in card.text
    asking = card.find(attrs={"data-working": str(sculpt_id)})
    assert asking.find("progress") and not asking.find("input", {"name": "name"}), "a name being typed is left alone"
    with store.session() as session:
        job = session.get(Sculpt, sculpt_id).latest_job()
        job.state, job.step, job.share = "working", "Working out soft shadows", 0.7
        job_id = job.id
    rest = painter.page(f"/sculpts/{sculpt_id}/card/rest?seen=")
    assert "Working out soft shadows" in rest.text and rest.find(id=f"picture-{sculpt_id}").find("img"), (
        "a new picture comes along"
    )
    seen = rest.find(id=f"rest-{sculpt_id}")["data-url"]
    assert painter.page(seen).find(id=f"picture-{sculpt_id}") is None
    painter.post(f"/jobs/{job_id}/stop")
    with store.session() as session:
        assert session.get(JobRow, job_id).stop_asked


def test_forms_without_a_token_are_refused(app, sculpt_id):
    answer = app.test_client().post(f"/sculpts/{sculpt_id}/delete")
    assert answer.status_code == 400 and "reload" in answer.text


def test_pages_carry_a_strict_policy_and_nothing_inline(painter, sculpt_id):
    for url in ("/", f"/sculpts/{sculpt_id}/stand", f"/sculpts/{sculpt_id}/light", f"/sculpts/{sculpt_id}/sheet"):
        answer = painter.client.get(url)
        policy = answer.headers["Content-Security-Policy"]
        assert "script-src 'self'" in policy and "unsafe" not in policy and "http" not in policy
        page = painter.page(url)
        assert all(script.get("src", "").startswith("/static/") for script in page.find_all("script"))
        assert not page.find_all("style")
        for tag in page.find_all(True):
            assert not INLINE.search(" ".join(f"{k}=" for k in tag.attrs)), tag
        for tag in page.find_all(["link", "img", "script"]):
            assert not (tag.get("href") or tag.get("src", "")).startswith(("http", "//")), (
                "nothing is fetched from elsewhere"
            )


def test_cookies_are_kept_from_scripts_and_other_sites(app):
    answer = app.test_client().get("/")
    cookie = answer.headers["Set-Cookie"]
    assert "HttpOnly" in cookie and "SameSite=Strict" in cookie


@pytest.mark.parametrize("url", ["/sculpts/999/light", "/nowhere", "/sculpts/1/ways/z/..%2f..%2fsecret.png"])
def test_missing_pages_say_so_in_words(painter, url):
    assert "Back to the shelf" in painter.page(url, code=404).text


def test_an_empty_shelf_says_what_to_do(painter):
    page = painter.page("/")
    assert "Drop a file here" in page.text and page.find("input", {"type": "file"})["accept"].startswith(".stl")


def test_errors_reach_scripts_as_json(painter, sculpt_id):
    answer = painter.json("PUT", f"/sculpts/{sculpt_id}/plan", {"rig": 3}, code=400)
    assert "incomplete" in json.loads(answer.data)["error"]


def test_the_stream_says_what_goes_on_and_no_more_than_half_of_the_threads_have_one(painter, sculpt_id, store, app):
    """Server-sent events as the standard has them (WHATWG HTML, 9.2): fields by line, an empty line after each."""
    said = painter.client.get("/events")
    assert said.mimetype == "text/event-stream" and said.get_data(as_text=True).startswith("retry: ")
    lines = said.get_data(as_text=True).split("\n\n")
    event = dict(line.split(": ", 1) for line in lines[1].splitlines())
    assert event["event"] == "now" and json.loads(event["data"]) == {"jobs": [], "working": []}
    with store.session() as session:
        session.add(JobRow(sculpt_id=sculpt_id, kind="fit", state="working", step="Fitting", share=0.25))
    (job,) = _now(painter)["jobs"]
    assert job["sculpt"] == sculpt_id and job["step"] == "Fitting" and job["share"] == 0.25 and job["left"] == ""
    streams = app.extensions["events"]
    streams.began[f"job {job['job']}"] = (time.monotonic() - 30, 0.0)  # a quarter in 30 s: 90 s are left
    assert _now(painter)["jobs"][0]["left"] in ("about 90 s left", "about 2 min left")
    taken = [painter.client.get("/events", buffered=False) for _ in range(STREAMS)]
    held = 0
    while streams.room.acquire(blocking=False):
        held += 1
    assert painter.client.get("/events").status_code == 204, "whoever gets none asks again"
    for _ in range(held):
        streams.room.release()
    for answer in taken:
        answer.close()
    assert _now(painter)["jobs"], "a stream that was left makes room for another"


def test_time_left_is_said_no_finer_than_it_is_known():
    assert [left_words(s) for s in (3, 12, 44, 70, 95, 600)] == [
        "a few seconds left",
        "about 10 s left",
        "about 40 s left",
        "about 70 s left",
        "about 2 min left",
        "about 10 min left",
    ]


def _now(painter):
    return json.loads(painter.client.get("/events").get_data(as_text=True).split("data: ")[1].split("\n")[0])


def test_a_page_before_its_sculpt_is_lit_is_asked_to_wait(painter, sculpt_id, store, app):
    with store.session() as session:
        session.get(Sculpt, sculpt_id).sky_key = None
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    url = f"/sculpts/{sculpt_id}/metal.json"
    assert "is being prepared" in painter.json("GET", url, None, 409).get_json()["error"]
    waiting = painter.client.get(url, headers={"X-Waits": "1"})
    assert waiting.status_code == 202 and waiting.get_json()["step"] == "Waiting for its light"


def test_a_plan_is_told_under_its_whole_light_and_waits_for_it(painter, marked, store, app):
    """In the first seconds of a demo a sheet said what its coats come to under the lamp alone."""
    with store.session() as session:
        sculpt = session.get(Sculpt, 1)
        sculpt.sky_key = None
        sculpt.latest_job().state, sculpt.latest_job().step = "working", "Working out soft shadows"
    app.extensions["workshop"].sculpts = OpenSculpts(store)
    waiting = painter.page("/sculpts/1/sheet")
    assert "Working out soft shadows" in waiting.select_one("#again").text and not waiting.select("article.step")
    assert painter.page("/sculpts/1/sheet").select("article.step"), "its job was hurried, and runs at once in tests"


def test_what_pages_name_of_the_style_sheet_is_in_what_ships_of_it():
    """Of Bulma only the rules that pages name are shipped: a name of its own that nothing styles was added since."""
    web = files("dusk_lamp.web")
    pages = [*(web / "templates").rglob("*.html"), *(web / "static" / "bench").rglob("*.js")]
    named = set(re.findall(r"\b(?:is|has)-[a-z0-9-]+", "\n".join(p.read_text() for p in pages)))
    sheets = [web / "static" / "dusk.css", web / "static" / "vendor" / "bulma" / "bulma.min.css"]
    styled = set(re.findall(r"\.((?:is|has)-[a-z0-9-]+)", "\n".join(s.read_text() for s in sheets)))
    assert len(named) > 5 and named - styled == set(), "run bin/vendor"
    assert sheets[1].stat().st_size < 100_000


def test_pages_are_compiled_once_for_all_starts_if_that_can_be_kept(tmp_path, empty_shelf, monkeypatch):
    data = shutil.copytree(empty_shelf, tmp_path / "data")
    first = create_app(data, SETTINGS, testing=True)
    seen = first.test_client().get("/").status_code
    again = create_app(data, SETTINGS, testing=True)
    with monkeypatch.context() as patch:
        patch.setattr(Environment, "compile", lambda *_: pytest.fail("compiled again"))
        assert again.test_client().get("/").status_code == seen == 200
    shutil.rmtree(data / "templates")
    assert again.test_client().get("/tools").status_code == 200
    for app in (first, again):
        app.extensions["workshop"].store.close()
