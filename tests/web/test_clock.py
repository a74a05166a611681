"""The clock, the log and squads, as a painter meets them on the pages."""

import io
import json
import time
from datetime import UTC, datetime

import icalendar
import pytest
from PIL import Image

from dusk_lamp.store import log
from dusk_lamp.store.models import LogEntry, now
from dusk_lamp.web import background

URL = "/sculpts/1"


@pytest.fixture
def planned(marked):
    """The painter of a sculpt with an undercoat."""
    return marked


def steps_of(painter):
    page = painter.page(f"{URL}/paint")
    return json.loads(page.find(id="easel")["data-keys"])


# --- the clock
def test_the_clock_says_when_each_step_is_done_and_ends_with_the_last(planned, with_a_plan):
    page = planned.page(f"{URL}/clock?from=2026-12-05T10:00&hours=10-13,14-18&zone=Europe/Lisbon")
    assert page.find(id="clock").find("svg") and "of work" in page.text
    rows = page.select(".clock-rows li")
    keys = steps_of(planned)
    numbers = [r.find("span").text.split(".")[0].strip() for r in rows]
    assert {n for n in numbers if n.isdecimal()} == {str(k + 1) for k in range(len(keys))}
    assert rows[0].time["datetime"].startswith("2026-12-05T10:00")
    assert page.find("input", {"name": "hours"})["value"] == "10-13,14-18"


def test_more_models_take_longer_and_what_if_is_a_touch_away(planned, with_a_plan):
    url = f"{URL}/clock?from=2026-12-05T10:00&hours=&zone=Europe/Lisbon"
    one = planned.page(url)
    more = next(a for a in one.select(".what-ifs a") if a.text == "One more model")
    two = planned.page(more["href"])
    ends = [p.select_one(".finish b").text for p in (one, two)]
    assert ends[0] != ends[1] and two.find("input", {"name": "models"})["value"] == "2"
    partial = planned.client.get(url, headers={"HX-Request": "true"})
    assert b"<html" not in partial.data and b"<svg" in partial.data


def test_without_an_airbrush_the_plan_is_laid_by_brush_and_stays_what_it_is(planned, with_a_plan):
    url = f"{URL}/clock?from=2026-12-05T10:00&hours=&zone=Europe/Lisbon"
    usual = planned.page(url)
    link = next((a["href"] for a in usual.select(".what-ifs a") if a.text == "Without an airbrush"), None)
    assert link is not None
    other = planned.page(link)
    before, after = ([r.find("span").text for r in p.select(".clock-rows li")] for p in (usual, other))
    assert "Lighter, from the lamp" in " ".join(before), "the grey ladder is sprayed"
    assert "Lighter, from the lamp" not in " ".join(after)
    assert other.find("input", {"name": "by_brush"}) and after != before
    assert "With the airbrush" in other.text and "Without an airbrush" not in other.text
    again = planned.page(url)
    assert [r.find("span").text for r in again.select(".clock-rows li")] == before, "the plan itself is as it was"


def test_a_plan_that_is_laid_by_brush_says_how_far_it_is(planned, with_a_plan, app, monkeypatch):
    app.config["PATIENT"] = True
    monkeypatch.setattr(background, "BLINK_S", 0.0)
    url = f"{URL}/clock?from=2026-12-05T10:00&hours=&by_brush=1"
    for _ in range(400):
        page = planned.page(url)
        waiting = page.select_one("#clock [role=status]")
        if page.select_one(".finish"):
            break
        if waiting:
            assert "by_brush=1" in waiting["hx-get"] and waiting.find("progress")
        time.sleep(0.05)
    assert page.select_one(".finish") and waiting is None


@pytest.mark.parametrize(
    ("query", "says"),
    [
        ("hours=22-19", "hours are such as"),
        ("hours=10-13,12-14", "overlap"),
        ("hours=evening", "hours are such as"),
        ("zone=Atlantis", "time zone"),
        ("from=yesterday", "day and a time"),
        ("from=2026-12-05T10:00&until=2026-12-05T09:00", "before the beginning"),
        ("from=2026-12-05T10:00&until=2026-12-05T10:01", "too late"),
        ("from=2026-12-05T10:00&hours=10-10:01", "longer"),
        ("models=0", "number of models"),
        ("models=many", "number of models"),
        ("pin=x", "pin"),
    ],
)
def test_what_cannot_be_is_said_on_the_page_and_nothing_breaks(planned, with_a_plan, query, says):
    page = planned.page(f"{URL}/clock?{query}")
    assert says in page.find(id="clock").text.casefold().replace("\n", " ")


def test_the_calendar_has_every_batch_and_rings_when_something_is_dry(planned, with_a_plan):
    """RFC 5545, read back by the icalendar package."""
    answer = planned.client.get(f"{URL}/clock.ics?from=2026-12-05T10:00&hours=10-18&zone=Europe/Lisbon")
    calendar = icalendar.Calendar.from_ical(answer.data)
    events = list(calendar.walk("VEVENT"))
    work = [e for e in events if not str(e["SUMMARY"]).startswith("Dry")]
    assert len(work) >= len(steps_of(planned)) and calendar["VERSION"] == "2.0"
    assert all(e.decoded("DTEND") >= e.decoded("DTSTART") for e in events)
    assert work[0].decoded("DTSTART") == datetime(2026, 12, 5, 10, tzinfo=UTC)
    ringing = [e for e in events if e.walk("VALARM")]
    assert ringing and all(str(e["SUMMARY"]).startswith("Dry") for e in ringing)
    assert len({str(e["UID"]) for e in events}) == len(events)


def test_hours_are_kept_for_the_next_time(planned, with_a_plan):
    planned.post("/clock/hours", {"hours": "7-8"}, code=204)
    assert planned.page(f"{URL}/clock").find("input", {"name": "hours"})["value"] == "7-8"
    planned.post("/clock/hours", {"hours": "8-7"}, code=400)


def test_what_is_done_is_not_scheduled_again_and_the_bench_says_what_to_skip(planned, with_a_plan):
    keys = steps_of(planned)
    planned.json("POST", f"{URL}/paint", {"do": "done", "key": keys[0]})
    page = planned.page(f"{URL}/clock?from=2099-12-05T10:00&hours=&zone=Europe/Lisbon")
    numbers = {r.find("span").text.split(".")[0].strip() for r in page.select(".clock-rows li")}
    assert "1" not in numbers and str(len(keys)) in numbers
    said = planned.client.get(f"{URL}/paint/clock.json").get_json()
    assert "brush is down at" in said["words"] and said["skip"] == []
    for key in keys[1:]:
        planned.json("POST", f"{URL}/paint", {"do": "done", "key": key})
    assert "ended" in planned.client.get(f"{URL}/paint/clock.json").get_json()["words"]
    assert "nothing left" in planned.page(f"{URL}/clock").text


# --- breaks and the log
def test_a_break_is_not_painting(planned, with_a_plan, app, monkeypatch):
    """Somebody rang after ten minutes, for an hour: the step took fifteen when it is done five minutes later."""
    from datetime import timedelta

    from dusk_lamp.store import progress

    clock = {"at": now()}
    monkeypatch.setattr(progress, "now", lambda: clock["at"])
    key = steps_of(planned)[0]

    def tell(what, minutes):
        clock["at"] += timedelta(minutes=minutes)
        return planned.json("POST", f"{URL}/paint", {"do": what, "key": key}).get_json()

    tell("take", 0)
    assert tell("pause", 10)["paused"] is True
    assert tell("go on", 60)["paused"] is False
    ended = tell("done", 5)["ends"][key]
    assert ended["seconds"] == pytest.approx(900, abs=1)
    with app.extensions["workshop"].store.session() as session:
        (entry,) = log.entries(session)
    assert entry.seconds == pytest.approx(900, abs=1) and entry.how == "done" and entry.expected_s > 0


def test_ended_steps_are_written_down_and_found_again(planned, with_a_plan):
    keys = steps_of(planned)
    planned.json("POST", f"{URL}/paint", {"do": "done", "key": keys[0]})
    planned.json("POST", f"{URL}/paint", {"do": "skipped", "key": keys[1]})
    rows = planned.page("/log").select(".log-row")
    assert len(rows) == 2 and "skipped" in rows[0].text and "Lamp keeper" in rows[1].text
    assert len(planned.page("/log?words=primer").select(".log-row")) == 1
    assert not planned.page("/log?words=zinnober").select(".log-row")
    planned.json("POST", f"{URL}/paint", {"do": "open", "key": keys[0]})
    assert len(planned.page("/log").select(".log-row")) == 1, "what was opened again was not done"


def test_what_was_really_done_is_written_into_an_entry(planned, with_a_plan):
    planned.json("POST", f"{URL}/paint", {"do": "done", "key": steps_of(planned)[0]})
    form = {"seconds": "12", "drops": "4 Pitch Primer, 1.5 Thinner", "rating": "4", "mistake": "A run on the hem"}
    page = planned.post("/log/1", {**form, "mended": "Lifted it", "note": "", "water": "", "coats_done": "2"})
    assert "A run on the hem" in page.text
    csv = planned.client.get("/log.csv").data.decode()
    assert "Pitch Primer 4; Thinner 1.5" in csv and "720" in csv
    for bad in ({"rating": "9"}, {"drops": "many"}, {"seconds": "-1"}, {"water": "nan"}):
        planned.post("/log/1", bad, code=400)
    planned.post("/log/99", {"note": "x"}, code=400)
    page = planned.page("/log?words=hem")
    assert len(page.select(".log-row")) == 1


def test_a_log_leaves_and_comes_back(planned, with_a_plan, app):
    planned.json("POST", f"{URL}/paint", {"do": "done", "key": steps_of(planned)[0]})
    planned.post("/log", {"note": "The lamp is too warm", "sculpt": "1"})
    content = planned.client.get("/log.csv").data
    again = {"file": (io.BytesIO(content), "log.csv")}
    answer = planned.client.post(
        "/log/bring", data=again, headers={"X-CSRFToken": planned.token(), "X-Requested-With": "fetch"}
    )
    assert answer.get_json() == {"taken": 0, "of": 2}
    with app.extensions["workshop"].store.saving() as session:
        for row in session.query(LogEntry):
            session.delete(row)
    half = content.rsplit(b",", 3)[0]
    for name, bad in (("log.csv", half), ("log.json", b"{"), ("log.csv", b"\xff\xfe\x00"), ("log.csv", b"")):
        answer = planned.client.post(
            "/log/bring",
            data={"file": (io.BytesIO(bad), name)},
            headers={"X-CSRFToken": planned.token(), "X-Requested-With": "fetch"},
        )
        assert answer.status_code == 400
    assert not planned.page("/log").select(".log-row"), "half a log is none"
    planned.client.post(
        "/log/bring",
        data={"file": (io.BytesIO(content), "log.csv")},
        headers={"X-CSRFToken": planned.token(), "X-Requested-With": "fetch"},
    )
    assert len(planned.page("/log").select(".log-row")) == 2


def test_own_pace_is_used_only_when_the_painter_says_so(planned, with_a_plan, app):
    from dusk_lamp.core.log.entry import Entry

    with app.extensions["workshop"].store.saving() as session:
        for k in range(12):
            log.add(session, Entry(technique="spray", mm2=300.0, expected_s=100, seconds=50, title=f"s{k}"))
    before = planned.page(f"{URL}/sheet").find(class_="sheet-head").text
    page = planned.page("/log")
    assert "times as quick" in page.text and "Plans count with your own pace" not in page.text
    assert planned.page(f"{URL}/sheet").find(class_="sheet-head").text == before
    assert "Plans count with your own pace" in planned.post("/log/learn", {"what": "pace"}).text
    assert planned.page(f"{URL}/sheet").find(class_="sheet-head").text != before
    planned.post("/log/learn", {"what": "forget-pace"})
    assert planned.page(f"{URL}/sheet").find(class_="sheet-head").text == before
    planned.post("/log/learn", {"what": "everything"}, code=400)


def test_a_photo_is_put_to_an_entry_and_shown_on_the_finished_page(planned, with_a_plan):
    """Smaller, and without the place it was taken at."""
    planned.post("/log", {"note": "the cloak is done", "sculpt": "1"})
    entry = planned.page("/log?sculpt=1").select_one(".log-row")["id"].removeprefix("entry-")
    out, exif = io.BytesIO(), Image.Exif()
    exif.get_ifd(0x8825)[1] = "N"
    Image.new("RGB", (2400, 1800), "#345").save(out, "JPEG", exif=exif)
    sent = {"photo": (io.BytesIO(out.getvalue()), "cloak.jpg")}
    headers = {"X-CSRFToken": planned.token(), "HX-Request": "true"}
    answer = planned.client.post(f"/log/{entry}/photo", data=sent, headers=headers)
    assert answer.status_code == 200 and "log-photo" in answer.text
    shown = planned.page(f"{URL}/finished").select(".finished-photos img")
    kept = Image.open(io.BytesIO(planned.client.get(shown[0]["src"]).data))
    assert len(shown) == 1 and max(kept.size) == 1400 and not kept.getexif().get_ifd(0x8825)
    refused = planned.client.post(f"/log/{entry}/photo", data={}, headers=headers | {"X-Requested-With": "fetch"})
    assert refused.status_code == 400 and "no photo came along" in refused.text


def test_ten_thousand_entries_are_searched_by_the_database(app):
    """What is found is counted and only a page of it read; how quickly, bin/bench tells."""
    from dusk_lamp.core.log.entry import Entry

    store = app.extensions["workshop"].store
    with store.saving() as session:
        session.add_all(
            LogEntry(at=now(), entry={"title": f"step {k}"}, words=Entry(title=f"step {k}").words, coat_key="")
            for k in range(10_000)
        )
    with store.session() as session:
        rows, count = log.search(session, "step 77", most=20)
    assert count == 280 and len(rows) == 20


def test_a_finished_model_has_a_page_to_print(planned, with_a_plan):
    assert "no step of it is written in the log" in " ".join(planned.page(f"{URL}/finished").text.split())
    planned.json("POST", f"{URL}/paint", {"do": "done", "key": steps_of(planned)[0]})
    page = planned.page(f"{URL}/finished")
    assert "1 step" in page.text and len(page.select(".finished-views img")) == 5
    for image in page.select(".finished-views img"):
        assert planned.client.get(image["src"]).status_code == 200
    # a picture whose address stays the same is asked for again, and sent again only after the plan has changed
    first = planned.client.get(image["src"])
    assert first.cache_control.no_cache and first.cache_control.max_age is None
    seen = {"If-None-Match": first.headers["ETag"]}
    assert planned.client.get(image["src"], headers=seen).status_code == 304
    planned.json("POST", f"{URL}/undercoat", {"do": "mute", "number": 2})
    again = planned.client.get(image["src"], headers=seen)
    assert again.status_code == 200 and again.data != first.data


def test_the_shelf_says_how_far_one_gets_tonight(planned, with_a_plan):
    assert planned.client.get("/tonight").get_json()["words"] == "", "nothing was begun"
    keys = steps_of(planned)
    planned.json("POST", f"{URL}/paint", {"do": "done", "key": keys[0]})
    much = planned.client.get("/tonight?minutes=600").get_json()
    assert "enough to finish Lamp keeper" in much["words"] and much["minutes"] == 600
    assert planned.client.get("/tonight").get_json()["minutes"] == 600, "it is kept"
    little = planned.client.get("/tonight?minutes=20").get_json()
    assert "You have 20 min" in little["words"] and little["words"] != much["words"]
    assert planned.client.get("/tonight?minutes=0").status_code == 400
    for key in keys[1:]:
        planned.json("POST", f"{URL}/paint", {"do": "done", "key": key})
    assert "is painted" in planned.client.get("/tonight").get_json()["words"]


# --- squads
@pytest.fixture
def two(planned, with_a_plan):
    """A second copy of the sculpt, without the plan of the first."""
    planned.post(f"{URL}/duplicate", {})
    planned.change(2, "regions", do="describe", number=1, name="Cape", colour="Soot")
    return planned


def test_a_squad_takes_one_scheme_its_paint_is_counted_for_all_and_an_exception_stays(two):
    page = two.post("/squads", {"name": "Keepers", "scheme": "1", "sculpt": ["1", "2"]})
    assert "2 models in the scheme of" in page.text
    match = page.select_one('[data-sculpt="2"] .matching li')
    assert match.b.text == "Cape" and match.select_one("option[selected]").text == "Cloak", "both are cloth"
    two.post("/squads/1", {"do": "count", "sculpt": "2", "count": "3"})
    two.post("/squads/1/carry", {})
    listed = two.client.get("/sculpts/2/whole-plan.json").get_json()
    first = two.client.get("/sculpts/1/whole-plan.json").get_json()
    assert listed["regions"][0]["colour"] == first["regions"][0]["colour"] == "Tide Blue"
    assert listed["light"] == first["light"] and [c["mix"] for c in listed["coats"]] == [
        c["mix"] for c in first["coats"]
    ]
    told = two.client.get("/squads/1/paint.json").get_json()
    one = two.client.get("/squads/1/paint.json").get_json()["rows"][0]["ml"]
    assert one > 0 and told["shared"] == 1.0 and len(told["pictures"]) == 2
    two.post("/squads/1", {"do": "except", "sculpt": "2", "region": "Cape", "colour": "Cockle Red"})
    two.post("/squads/1/carry", {})
    assert two.client.get("/sculpts/2/whole-plan.json").get_json()["regions"][0]["colour"] == "Cockle Red"
    clock = two.page("/squads/1/clock?from=2026-12-05T10:00&hours=&zone=Europe/Lisbon")
    assert "4 models" in clock.select_one(".timeline svg")["aria-label"]
    assert icalendar.Calendar.from_ical(two.client.get("/squads/1/clock.ics").data).walk("VEVENT")


def test_carrying_over_is_one_step_back_in_the_history(two):
    before = two.client.get("/sculpts/2/whole-plan.json").get_json()
    two.post("/squads", {"name": "", "scheme": "1", "sculpt": ["1", "2"]})
    two.post("/squads/1/carry", {})
    assert two.client.get("/sculpts/2/whole-plan.json").get_json() != before
    assert two.undo(2)["turn"] and two.client.get("/sculpts/2/whole-plan.json").get_json() == before


def test_squads_refuse_what_makes_no_sense(two):
    two.post("/squads", {"name": "x", "scheme": "1"}, code=400)
    two.post("/squads", {"name": "x", "scheme": "", "sculpt": ["1"]}, code=400)
    two.post("/squads", {"name": "x", "scheme": "77", "sculpt": ["1"]}, code=404)
    two.post("/squads", {"name": "x", "scheme": "1", "sculpt": ["2"]})
    for bad in (
        {"do": "count", "sculpt": "2", "count": "0"},
        {"do": "count", "sculpt": "2", "count": "100000"},
        {"do": "eat", "sculpt": "2"},
        {"do": "count", "sculpt": "9", "count": "1"},
    ):
        two.post("/squads/1", bad, code=400)
    page = two.post("/squads/1", {"do": "match", "sculpt": "2", "region": "Cape", "scheme": ""})
    assert page.select_one('[data-sculpt="2"] .matching option[selected]').text == "none"
    two.post("/squads/1", {"do": "rename", "sculpt": "0", "name": "Others"})
    assert "Others" in two.page("/squads").text
    two.post("/squads/1", {"do": "delete", "sculpt": "0"})
    two.page("/squads/1", code=400)
