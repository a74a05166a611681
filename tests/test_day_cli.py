"""The day, the squad, the log, photos and drills without a browser."""

import json
import shutil

import icalendar
import pytest
import trimesh

from dusk_lamp.cli import main

pytestmark = pytest.mark.usefixtures("fitted_roughly")


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A plan with a region on a small figure, another figure, and a squad of both."""
    out = tmp_path_factory.mktemp("day")
    ball = trimesh.creation.icosphere(4, 8.0)
    ball.apply_translation((0, 0, 12))
    foot = trimesh.creation.cylinder(radius=9, height=4, sections=64)
    foot.apply_translation((0, 0, 2))
    trimesh.util.concatenate([foot, ball]).export(out / "keeper.stl")
    tall = ball.copy()
    tall.apply_scale((0.8, 0.8, 1.2))
    trimesh.util.concatenate([foot, tall]).export(out / "guard.stl")
    region = {"name": "Cloak", "material": "cloth", "colour": "#3d5a80"}
    sculpt = {"file": "keeper.stl", "up": "z", "front": "-y", "samples": 1500}
    wishes = {"undercoat": {"school": "twotone"}, "colour": {"budget": {"minutes": 60.0}}}
    plan = {"plan": 2, "sculpt": sculpt, "regions": [region], "wishes": wishes}
    (out / "keeper.json").write_text(json.dumps(plan))
    other = {**plan, "sculpt": {**sculpt, "file": "guard.stl"}, "regions": [{**region, "name": "Cape"}], "wishes": {}}
    (out / "guard.json").write_text(json.dumps(other))
    squad = {
        "squad": 1,
        "name": "Keepers",
        "scheme": "keeper.json",
        "models": [{"file": "keeper.json", "count": 2}, {"file": "guard.json"}],
    }
    (out / "squad.json").write_text(json.dumps(squad))
    return out


@pytest.fixture(scope="module")
def listed(folder):
    """The keeper's plan with its coats, as a squad of one writes it: they need not be found at each command."""
    one = {"squad": 1, "name": "Keeper", "scheme": "keeper.json", "models": [{"file": "keeper.json"}]}
    (folder / "one.json").write_text(json.dumps(one))
    assert main(["squad", str(folder / "one.json"), "-o", str(folder / "one")]) == 0
    return next(path for path in (folder / "one").glob("*keeper*.json"))


def said(capsys, *words, code=0):
    assert main([str(w) for w in words]) == code
    return capsys.readouterr()


def test_a_plan_is_put_on_the_clock(folder, capsys):
    words = ("clock", folder / "keeper.json", "--models", 3, "--from", "2026-12-05T10:00", "--zone", "Europe/Lisbon")
    found = json.loads(said(capsys, *words, "--hours", "10-13,14-18", "--json").out)
    rows = found["steps"]
    assert {r["model"] for r in rows} == {1, 2, 3} and found["lower_bound_minutes"] <= found["makespan_minutes"]
    spans = sorted((r["start"], r["end"]) for r in rows)
    assert all(b[0] >= a[1] - 0.051 for a, b in zip(spans, spans[1:], strict=False))
    assert all(r["dry_at"] >= r["end"] - 3 and r["at"].startswith("2026-12-0") for r in rows)
    assert not any(r["end"] > 180 and r["start"] < 239.9 for r in rows), "nobody paints at lunch"
    numbers = [r["number"] for r in rows if r["model"] == 1 and r["number"]]
    late = json.loads(said(capsys, *words, "--done", 2, "--json").out)
    assert {r["number"] for r in late["steps"] if r["number"]} == set(numbers) - {1, 2}
    calendar = icalendar.Calendar.from_ical(said(capsys, *words, "--ics").out)
    assert len(calendar.walk("VEVENT")) >= len(numbers)
    assert said(capsys, *words, "--svg").out.startswith("<svg")


def test_a_deadline_leaves_out_what_is_worth_least(folder, capsys):
    words = ("clock", folder / "keeper.json", "--from", "2026-12-05T10:00", "--zone", "Europe/Lisbon", "--json")
    whole = json.loads(said(capsys, *words).out)
    assert whole["dropped"] == []
    hours, minutes = divmod(int(whole["makespan_minutes"]) - 1, 60)
    until = f"2026-12-05T{10 + hours:02d}:{minutes:02d}"
    try:
        code = main([str(w) for w in (*words, "--until", until)])
    finally:
        answer = capsys.readouterr()
    if code == 0:
        found = json.loads(answer.out)
        assert found["dropped"] and found["makespan_minutes"] <= whole["makespan_minutes"] - 1
        assert all(d["worth"] is not None for d in found["dropped"])
    else:
        assert "too late" in answer.err


def test_other_tools_change_the_day(folder, capsys):
    """The grey ladder is sprayed: without an airbrush another undercoat is laid, from a can or by brush. A hair dryer
    leaves a third of the waits (common practice, from memory)."""
    plan = json.loads((folder / "keeper.json").read_text())
    plan["wishes"]["undercoat"]["school"] = "ladder"
    (folder / "sprayed.json").write_text(json.dumps(plan))
    words = ("clock", folder / "sprayed.json", "--from", "2026-12-05T10:00", "--zone", "Europe/Lisbon", "--json")
    usual, brush, dried = (
        json.loads(said(capsys, *words, *more).out) for more in ((), ("--no-airbrush",), ("--dryer",))
    )
    titles = [{r["title"] for r in found["steps"] if r["number"]} for found in (usual, brush)]
    assert titles[0] != titles[1] and dried["makespan_minutes"] < 0.8 * usual["makespan_minutes"]
    # what was washed dries by itself
    wait = lambda found: sum(r["dry_at"] - r["end"] for r in found["steps"] if r["number"])  # noqa: E731
    assert wait(dried) == pytest.approx(wait(usual) / 3, rel=0.25)


@pytest.mark.parametrize(
    ("more", "says"),
    [
        (("--models", "0"), "1 to 200"),
        (("--hours", "9-8"), "hours are such as"),
        (("--from", "soon"), "day and a time"),
        (("--zone", "Nowhere/Now"), "time zone"),
        (("--from", "2026-12-05T10:00", "--until", "2026-12-05T10:00"), "before --from"),
    ],
)
def test_a_clock_that_cannot_be_is_told(folder, capsys, more, says):
    assert says in said(capsys, "clock", folder / "keeper.json", *more, code=2).err


def test_a_squad_is_carried_over_and_put_on_the_clock(folder, capsys, tmp_path):
    found = json.loads(said(capsys, "squad", folder / "squad.json", "-o", tmp_path / "out", "--json").out)
    keeper, guard = found["models"]
    assert guard["matches"][0] == {**guard["matches"][0], "scheme": "Cloak", "how": "by material"}
    mixes = [{s["paint"] for s in m["steps"] if s["stage"] == "colour"} for m in (keeper, guard)]
    assert mixes[1] <= mixes[0] and found["shared"] > 0.7, "from the scheme's own puddles"
    assert found["count"] == 3 and all(p["ml"] > 0 for p in found["paint"])
    for name in (keeper["file"], guard["file"]):
        again = json.loads(said(capsys, "clock", tmp_path / "out" / name, "--json").out)
        assert again["steps"]
    clock = json.loads(said(capsys, "clock", folder / "squad.json", "--json").out)
    assert {r["name"] for r in clock["steps"]} == {"keeper 1", "keeper 2", "guard"}
    assert any(len({r["model"] for r in clock["steps"] if r["batch"] == b}) == 3 for b in range(1, 30))


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"squad": 9}, "newer"),
        ({"squad": None}, "no squad"),
        ({"models": []}, "at least one model"),
        ({"models": [{"file": "keeper.json", "count": 0}]}, "how many"),
        ({"models": [{"file": "guard.json", "matches": {"Hat": "Cloak"}}]}, "no region 'Hat'"),
        ({"models": [{"file": "guard.json", "matches": {"Cape": "Hat"}}]}, "no region 'Hat'"),
        ({"models": [{"file": "guard.json", "matches": {"Cape": ""}}]}, "match them by hand"),
        ({"models": [{"file": "guard.json", "changes": {"Cape": {"size": 3}}}]}, "not 'size'"),
        ({"models": [{"file": "guard.json", "changes": {"Hat": {"colour": "Soot"}}}]}, "no region 'Hat'"),
        ({"models": [{"file": "../guard.json"}]}, "not in the plan's folder"),
        ({"extra": 1}, "not “extra”"),
    ],
)
def test_a_squad_that_cannot_be_is_told(folder, capsys, tmp_path, change, says):
    given = json.loads((folder / "squad.json").read_text())
    for name in ("keeper.stl", "keeper.json", "guard.stl", "guard.json"):
        shutil.copy(folder / name, tmp_path / name)
    (tmp_path / "squad.json").write_text(json.dumps({**given, **change}))
    assert says in said(capsys, "squad", tmp_path / "squad.json", "-o", tmp_path / "out", code=2).err


@pytest.mark.parametrize("name", ["../outside/keeper.stl", "/keeper.stl", "link.stl", "nul\0.stl", "half \ud800.stl"])
def test_a_plan_reads_no_file_outside_its_folder(folder, capsys, tmp_path, name):
    """Neither by a way out of it, nor by a link; and a name that is none is refused in words."""
    own, outside = tmp_path / "plans", tmp_path / "outside"
    for path in (own, outside):
        path.mkdir()
    shutil.copy(folder / "keeper.stl", outside)
    (own / "link.stl").symlink_to(outside / "keeper.stl")
    plan = json.loads((folder / "keeper.json").read_text())
    plan["sculpt"]["file"] = f"{outside}/keeper.stl" if name[0] == "/" else name
    (own / "plan.json").write_text(json.dumps(plan))
    told = said(capsys, "plan", own / "plan.json", "-o", tmp_path / "out", code=2).err
    assert told.startswith("dusk-lamp: ") and told.count("\n") == 1 and not (tmp_path / "out").exists()


def test_what_a_brush_reaches_is_told_and_drawn(folder, capsys, tmp_path):
    picture = tmp_path / "reach.png"
    found = json.loads(said(capsys, "reach", folder / "keeper.json", "--json", "-o", picture).out)
    assert picture.read_bytes().startswith(b"\x89PNG") and found["words"]
    assert {r["name"] for r in found["regions"]} == {"Cloak"} and found["parts"]
    far = json.loads(said(capsys, "reach", folder / "keeper.stl", "--samples", 1500, "--hand", 60, "--json").out)
    assert far["out_of_reach_mm2"] >= found["out_of_reach_mm2"]
    assert "brush" in said(capsys, "reach", folder / "keeper.stl", "--angle", 80, code=2).err


def test_the_log_goes_out_and_in(capsys, tmp_path):
    log = tmp_path / "log.json"
    log.write_text(
        json.dumps([{"at": "2026-11-27T20:00:00Z", "model": "Warden", "title": "Cloak: base", "seconds": 60}])
    )
    data = tmp_path / "data"
    assert "1 of 1" in said(capsys, "log", "import", log, "--data", data).out
    assert "0 of 1" in said(capsys, "log", "import", log, "--data", data).out
    assert "Cloak: base" in said(capsys, "log", "export", "--data", data).out
    out = tmp_path / "out.json"
    said(capsys, "log", "export", "--format", "json", "--data", data, "-o", out)
    assert json.loads(out.read_text())[0]["model"] == "Warden"
    assert json.loads(said(capsys, "log", "teaches", "--file", out, "--json").out)["entries"] == 1
    log.write_text("[{]")
    assert "no JSON" in said(capsys, "log", "import", log, "--data", data, code=2).err


@pytest.mark.long
def test_a_photo_is_taken_checked_and_its_lamp_found(listed, capsys, tmp_path):
    photo = tmp_path / "photo.jpg"
    words = ("camera", listed, "-o", photo, "--size", "900,700", "--pose", "-20,14,90", "--card")
    said(capsys, *words, "--mistake", "light:Cloak:1", "--hand", 1, "--seed", 3, "--points", 8)
    truth = json.loads(photo.with_suffix(".json").read_text())
    grey = ",".join(str(n) for n in truth["grey"])
    points = photo.with_suffix(".json")
    out = tmp_path / "checked"
    found = json.loads(said(capsys, "check", listed, photo, "--points", points, "--grey", grey, "-o", out).out)
    assert (out / "map.png").exists() and found["reprojection_px"] < 4
    assert found["pose"]["focal_px"] == pytest.approx(truth["pose"]["focal_px"], rel=0.06)
    # the one region is the whole model: only the card can say that it is too light
    assert found["overall_off"] == pytest.approx(1.0, abs=0.4)
    primed = tmp_path / "primed.png"
    said(capsys, *words[:2], "-o", primed, "--step", 1, "--ambient", 0.2, "--lamp", "50,40", "--size", "700,700")
    lamp = said(capsys, "lamp-of", primed, listed, "--points", primed.with_suffix(".json"), "--json")
    assert abs(json.loads(lamp.out)["azimuth"] - 50) < 15
    assert "The lamp shines from" in said(capsys, "lamp-of", primed, listed).out  # by its outline
    by_outline = json.loads(said(capsys, "check", listed, photo, "--grey", grey, "-o", out).out)
    assert by_outline["pose"]["focal_px"] == pytest.approx(truth["pose"]["focal_px"], rel=0.06)
    other = tmp_path / "other.jpg"
    side = ("--pose", "35,14,90", "--mistake", "light:Cloak:1", "--points", 8, "--seed", 5)
    said(capsys, *words[:2], "-o", other, "--size", "700,700", *side)
    both = ("--points", points, "--also", f"{other}:{other.with_suffix('.json')}", "-o", out)
    together = json.loads(said(capsys, "check", listed, photo, *both).out)
    assert together["regions"][0]["mm2"] > 0 and 0 <= together["near"] <= 1
    shone = ("shine-of", photo, listed, "--points", points, "-o", tmp_path / "shone.ply")
    assert "Cloak shone on" in said(capsys, *shone, "--region", "cloak").out
    assert b"property uchar shone" in (tmp_path / "shone.ply").read_bytes()[:2000]
    assert "no region" in said(capsys, *shone, "--region", "Hat", code=2).err
    assert "no region" in said(capsys, *words, "--mistake", "light:Hat:1", code=2).err
    assert "KIND:REGION" in said(capsys, *words, "--mistake", "light", code=2).err
    points.write_text("[]")
    assert "at least 4" in said(capsys, "check", listed, photo, "--points", points, "-o", out, code=2).err


def test_a_card_is_printed_photographed_and_read(capsys, tmp_path):
    assert "drawdowns" in said(capsys, "card", "list").out
    photo, flat = tmp_path / "card.jpg", tmp_path / "flat.png"
    said(capsys, "card", "drawdowns", "-o", tmp_path / "card.pdf", "--simulate", photo, "--seed", 4)
    assert (tmp_path / "card.pdf").read_bytes().startswith(b"%PDF")
    truth = json.loads(photo.with_suffix(".json").read_text())["rows"]
    found = json.loads(said(capsys, "card", "drawdowns", "--photo", photo, "--flat", flat, "--json").out)
    assert {r["place"]: r["hiding"] for r in found["rows"]} == pytest.approx(
        {row: own["hiding"] for row, own in truth.items()}, abs=0.03
    )
    assert flat.read_bytes().startswith(b"\x89PNG") and found["unit"]
    assert "Row A" in said(capsys, "card", "drawdowns", "--photo", photo).out
    assert "another card" in said(capsys, "card", "value-string", "--photo", photo, code=2).err
    assert "say what to do" in said(capsys, "card", "value-string", code=2).err
    assert "a card is one of" in said(capsys, "card", "juggling", "-o", flat, code=2).err


@pytest.mark.long
def test_a_drill_is_asked_and_graded(folder, capsys, tmp_path):
    assert "white-dot" in said(capsys, "drill", "list").out
    words = ("drill", "which-lamp", folder / "keeper.stl", "--seed", 4)
    asked = json.loads(said(capsys, *words, "--json", "--picture", tmp_path / "q.png").out)
    assert asked["answers"] == "dial" and "truth" not in asked and (tmp_path / "q.png").exists()
    graded = json.loads(said(capsys, *words, "--answer", "[0, 45]", "--json").out)
    right = json.loads(said(capsys, *words, "--answer", json.dumps(graded["truth"]), "--json").out)
    assert right["error"] == 0 and right["good"] == 1 and graded["unit"] == "°"
    assert "a drill is one of" in said(capsys, "drill", "juggling", folder / "keeper.stl", code=2).err
    assert "--answer" in said(capsys, *words, "--answer", "[", code=2).err
