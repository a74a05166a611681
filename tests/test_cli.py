"""The command line, as others call it."""

import json
import subprocess
import sys

import numpy as np
import pytest
import trimesh
from pypdf import PdfReader

from dusk_lamp.cli import main

from .shapes import ball, plate

pytestmark = pytest.mark.usefixtures("fitted_roughly")


def shaded(path):
    mesh = trimesh.load(path, process=False)
    data = mesh.metadata["_ply_raw"]["vertex"]["data"]
    return {name: data[name].ravel() for name in data.dtype.names}


@pytest.fixture
def ball_file(tmp_path):
    path = tmp_path / "ball.ply"
    ball(fine=3, at=(0, 0, 30)).export(path)
    return path


def test_shade_as_is_writes_the_contracts_columns_vertex_by_vertex(tmp_path, ball_file):
    out = tmp_path / "out.ply"
    assert main(["shade", str(ball_file), "-o", str(out), "--as-is", "--lamp", "-35,40"]) == 0
    assert out.read_bytes().startswith(b"ply\nformat binary_little_endian 1.0\n")
    got = shaded(out)
    assert list(got) == ["x", "y", "z", "nx", "ny", "nz", "light", "visible", "value", "red", "green", "blue"]
    want = trimesh.load(ball_file, process=False).vertices
    assert np.stack([got[k] for k in "xyz"], 1) == pytest.approx(want, abs=1e-5)
    a, e = np.radians([-35, 40])
    toward = np.array([np.cos(e) * np.sin(a), -np.cos(e) * np.cos(a), np.sin(e)])
    assert got["light"] == pytest.approx(np.maximum((want - [0, 0, 30]) @ toward / 10, 0), abs=0.01)
    assert set(np.unique(got["visible"])) == {0, 1} and got["value"].min() >= 0 and got["value"].max() <= 10
    assert (got["red"] == got["green"]).all()


def test_shade_defaults_to_a_hard_lamp_straight_above(tmp_path, ball_file):
    out = tmp_path / "out.ply"
    main(["shade", str(ball_file), "-o", str(out), "--as-is"])
    got = shaded(out)
    assert got["light"] == pytest.approx(np.maximum((got["z"] - 30) / 10, 0), abs=0.01)


def test_shade_by_sky_alone(tmp_path, ball_file):
    """W·(1 + cos β)/2 on a convex body."""
    out = tmp_path / "out.ply"
    assert main(["shade", str(ball_file), "-o", str(out), "--as-is", "--lamp", "off", "--sky", "0.6"]) == 0
    got = shaded(out)
    assert got["light"] == pytest.approx(0.6 * (1 + (got["z"] - 30) / 10) / 2, abs=0.006)
    assert (got["visible"] == 0).all()


def test_shade_without_as_is_stands_it_up_and_lays_it_out(tmp_path):
    path, out = tmp_path / "lying.stl", tmp_path / "out.ply"
    trimesh.creation.box((4, 8, 2)).export(path)
    assert (
        main(
            [
                "shade",
                str(path),
                "-o",
                str(out),
                "--up",
                "y",
                "--height",
                "32",
                "--samples",
                "3000",
                "--sky",
                "0.2",
                "--bounce",
                "0.3",
                "--lamp",
                "0,90,20",
            ]
        )
        == 0
    )
    got = shaded(out)
    assert np.ptp(got["z"]) == pytest.approx(32, rel=1e-4) and got["z"].min() == pytest.approx(0, abs=1e-4)
    assert np.ptp(got["x"]) == pytest.approx(16, rel=1e-4)
    assert 2_000 < len(got["x"]) < 6_000


def test_a_flat_sheet_is_lit(tmp_path):
    path, out = tmp_path / "sheet.ply", tmp_path / "out.ply"
    plate(-5, 5, -5, 5).export(path)
    assert main(["shade", str(path), "-o", str(out), "--as-is", "--lamp", "0,30"]) == 0
    assert shaded(out)["light"] == pytest.approx(0.5, abs=1e-4)


@pytest.mark.parametrize(
    "extra",
    [
        ["--lamp", "north"],
        ["--lamp", "1"],
        ["--lamp", "0,120"],
        ["--lamp", "0,90,500"],
        ["--sky", "-1"],
        ["--bounce", "2"],
        ["--height", "0"],
        ["--height", "nan"],
        ["--up", "q"],
        ["--samples", "3"],
        ["--sky", "lots"],
        ["--sky-kind", "stormy"],
    ],
)
def test_bad_settings_exit_with_2_one_line_and_no_file(tmp_path, ball_file, capsys, extra):
    _refused(tmp_path, [str(ball_file)], extra, capsys)


@pytest.mark.parametrize("content", [b"", b"no sculpt at all", b"\0" * 90, b"solid\nendsolid"])
def test_bad_files_exit_with_2_one_line_and_no_file(tmp_path, capsys, content):
    path = tmp_path / "bad.stl"
    path.write_bytes(content)
    _refused(tmp_path, [str(path)], [], capsys)
    _refused(tmp_path, [str(path)], ["--as-is"], capsys)
    _refused(tmp_path, [str(tmp_path / "missing.stl")], [], capsys)


def _refused(tmp_path, file, extra, capsys):
    out = tmp_path / "out.ply"
    try:
        code = main(["shade", *file, "-o", str(out), *extra])
    except SystemExit as left:
        code = left.code
    said = capsys.readouterr().err.strip()
    assert code == 2
    assert said.startswith("dusk-lamp: ") and "\n" not in said and "Traceback" not in said
    assert not out.exists() and not list(tmp_path.glob("*.part"))


def test_an_earlier_result_survives_a_failed_run(tmp_path, ball_file):
    out = tmp_path / "out.ply"
    main(["shade", str(ball_file), "-o", str(out), "--as-is"])
    before = out.read_bytes()
    assert main(["shade", str(tmp_path / "missing.stl"), "-o", str(out)]) == 2
    assert out.read_bytes() == before


@pytest.mark.parametrize("scale", [1e-6, 1e6])
def test_tiny_and_huge_units_are_lit_all_the_same_and_said(tmp_path, capsys, scale):
    shape = ball(fine=3)
    shape.apply_scale(scale)
    path, out = tmp_path / "odd.stl", tmp_path / "out.ply"
    shape.export(path)
    assert main(["shade", str(path), "-o", str(out), "--samples", "2000"]) == 0
    assert "set its height" in capsys.readouterr().err
    got = shaded(out)
    assert got["light"] == pytest.approx(np.maximum(got["nz"], 0), abs=0.02)


def test_inspect_tells_size_area_volume_parts_and_holes(tmp_path, capsys):
    path = tmp_path / "two.stl"
    two = trimesh.util.concatenate([trimesh.creation.box((2, 3, 4)), ball(radius=1, fine=3, at=(9, 0, 0))])
    two.export(path)
    assert main(["inspect", str(path), "--json"]) == 0
    facts = json.loads(capsys.readouterr().out)
    assert facts["triangles"] == len(two.faces) and [p["triangles"] for p in facts["parts"]] == [
        12,
        len(two.faces) - 12,
    ]
    assert facts["size"] == pytest.approx(np.ptp(two.vertices, axis=0), abs=1e-3)
    assert facts["area"] == pytest.approx(two.area, rel=1e-4) and facts["volume"] == pytest.approx(
        two.volume, rel=1e-4
    )
    assert facts["holes"] == 0
    open_box = trimesh.Trimesh(two.vertices[:8], two.faces[2:12], process=False)
    open_box.export(path)
    main(["inspect", str(path), "--json"])
    facts = json.loads(capsys.readouterr().out)
    assert facts["holes"] == 1 and facts["volume"] is None
    assert main(["inspect", str(path)]) == 0 and "One hole" in capsys.readouterr().out


def test_regions_marks_the_face_of_a_cube(tmp_path):
    path, out = tmp_path / "cube.stl", tmp_path / "out.ply"
    trimesh.creation.box((10, 10, 10)).export(path)
    assert main(["regions", str(path), "--seed", "-1,2,5", "-o", str(out)]) == 0
    got = shaded(out)
    assert set(np.unique(got["region"])) == {0, 1}
    assert (got["nz"][got["region"] == 1] > 0.99).all() and (got["region"][got["nz"] > 0.99] == 1).all()
    assert main(["regions", str(path), "--seed", "left", "-o", str(tmp_path / "no.ply")]) == 2
    assert not (tmp_path / "no.ply").exists()


def test_relief_writes_fields_and_tells_lengths(tmp_path, capsys):
    path, out = tmp_path / "cube.stl", tmp_path / "out.ply"
    trimesh.creation.box((10, 10, 10)).export(path)
    assert main(["relief", str(path), "-o", str(out), "--scale", "0.5"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["crests"]["length"] == pytest.approx(120, rel=1e-3) and told["creases"]["length"] == 0
    got = shaded(out)
    assert got["cavity"].max() < 0.02 and got["exposed"].max() > 0.3


# --- paint


def run(capsys, *argv):
    code = main(list(argv))
    said = capsys.readouterr()
    return code, said.out, said.err


def test_mix_tells_masstone_film_and_hiding(capsys):
    code, out, _ = run(capsys, "mix", "Soot:1", "Chalk:1", "--film", "20", "--over", "black", "--json")
    told = json.loads(out)
    assert code == 0 and told["parts"] == {"Soot": 1, "Chalk": 1}
    assert set(told["colour"]) == set(told["film"]) == {"hex", "L", "a", "b", "value"}
    assert told["film"]["L"] <= told["colour"]["L"] + 0.1 and 0.9 < told["contrast_ratio"] <= 1
    bare = json.loads(run(capsys, "mix", "#8a3f2a@0.6:1", "--film", "0", "--over", "#2d5c93", "--json")[1])
    assert bare["film"]["hex"] in ("#2d5c93", "#2c5c93"), "a film of nothing is what is under it"
    assert "film" not in json.loads(run(capsys, "mix", "Soot", "--json")[1])


def test_ladder_coats_and_match_have_the_keys_they_promise(capsys, tmp_path):
    steps = json.loads(
        run(capsys, "ladder", "--dark", "Soot", "--light", "Chalk", "--mid", "Gull", "--steps", "5", "--json")[1]
    )
    assert [set(s) >= {"parts", "wanted", "colour"} for s in steps["steps"]] == [True] * 5
    values = [s["colour"]["value"] for s in steps["steps"]]
    assert values == sorted(values)
    coats = json.loads(run(capsys, "coats", "Lamp Yellow", "--over", "Soot", "--json")[1])
    assert (
        coats["coats"] > 3
        and coats["delta_e"] <= 2
        and coats["undercoat"]["coats"] + coats["undercoat"]["then"] < coats["coats"]
    )
    once = json.loads(run(capsys, "coats", "Soot", "--over", "black", "--json")[1])  # CP-39: each coat has its time
    assert coats["wait_minutes"] == 15 * coats["coats"] and once["coats"] == 1 and once["wait_minutes"] == 20
    assert coats["minutes"] > 2 * once["minutes"] > 0
    assert json.loads(run(capsys, "coats", "Soot", "--over", "black", "--area", "1000", "--json")[1])["minutes"] > 2
    assert json.loads(run(capsys, "coats", "Soot", "--over", "white", "--json")[1])["undercoat"] is None
    rack = tmp_path / "rack.csv"
    rack.write_text("name;kind;colour;hiding\nInk;base;#101012;0,9999\nPaper;layer;#f0f0ea;0,88\n")
    found = json.loads(run(capsys, "match", "#808080", "--most", "2", "--rack", str(rack), "--json")[1])
    assert set(found) == {"parts", "colour", "delta_e"} and set(found["parts"]) == {"Ink", "Paper"}
    for command in (
        ("mix", "Soot"),
        ("ladder", "--dark", "Soot", "--light", "Gull"),
        ("coats", "Gull", "--over", "Soot"),
        ("match", "#808080"),
    ):
        code, out, _ = run(capsys, *command)
        assert (code == 0 and "N " in out) or "coats" in out


@pytest.mark.parametrize(
    "argv",
    [
        ("mix", "Sooot:1"),
        ("mix", "Soot:0"),
        ("mix", "Soot:x"),
        ("mix", "#8a3f2a@1:1"),
        ("mix", "Soot:1", "Gull:1", "Chalk:1", "Reed:1", "Ember:1"),
        ("mix", "Soot:1", "--film", "-3"),
        ("mix", "Soot:1", "--film", "10", "--over", "mud"),
        ("ladder", "--dark", "Chalk", "--light", "Soot"),
        ("ladder", "--dark", "Soot", "--light", "Chalk", "--steps", "99"),
        ("coats", "Dust Varnish", "--over", "black"),
        ("match", "#80808"),
        ("match", "#808080", "--most", "7"),
        ("match", "#808080", "--rack", "nowhere.csv"),
    ],
)
def test_paint_that_cannot_be_is_refused_in_one_line(capsys, argv):
    code, out, err = run(capsys, *argv)
    assert code == 2 and out == "" and err.count("\n") == 1 and err.startswith("dusk-lamp: ")


# --- undercoat


@pytest.fixture(scope="module")
def keeper(tmp_path_factory):
    path = tmp_path_factory.mktemp("keeper") / "keeper.stl"
    trimesh.util.concatenate([ball(5, 3, (0, 0, 5)), ball(3, 3, (0, 0, 12))]).export(path)
    return path


@pytest.mark.parametrize(
    ("school", "more"),
    [
        ("ladder", ("--primer", "Fog Primer")),
        ("drybrush", ()),
        ("coloured", ("--through", "Heather")),
        ("fit", ("--most", "4")),
    ],
)
def test_an_undercoat_is_planned_and_written(capsys, keeper, tmp_path, school, more):
    out, plan = tmp_path / "u.ply", tmp_path / "plan.json"
    code, said, _ = run(
        capsys,
        "undercoat",
        str(keeper),
        "-o",
        str(out),
        "--school",
        school,
        "--lamp",
        "30,50",
        "--samples",
        "2500",
        "--height",
        "32",
        "--json",
        str(plan),
        *more,
    )
    assert code == 0 and "within half a value" in said
    rows = trimesh.load(out, process=False).metadata["_ply_raw"]["vertex"]["data"]
    assert {"target", "value", "red", "green", "blue"} <= set(rows.dtype.names)
    told = json.loads(plan.read_text())
    for coat in told["coats"]:
        assert {
            "technique",
            "paint",
            "azimuth",
            "elevation",
            "distance_mm",
            "amount",
            "ml",
            "drops",
            "minutes",
        } <= set(coat)
    assert {"mean", "p95", "within_half"} <= set(told["errors"])
    assert told["coats"][0]["paint"] == ("Fog Primer" if "Fog Primer" in more else "Pitch Primer")
    assert any("Heather" in c["paint"] for c in told["coats"]) == ("Heather" in more)
    assert school != "fit" or len(told["coats"]) <= 5
    assert {"cautions", "wait_minutes", "hand_minutes"} <= set(told["coats"][0])
    assert (
        0 < told["within_half"] <= 1
        and told["rank_agreement"] > 0.5
        and told["key"]["lightest"] - told["key"]["darkest"] >= 3
    )
    if school == "fit":
        assert told["within_half_with_touch_ups"] >= told["within_half"]
        for patch in told["touch_ups"]:
            assert {"region", "mm2", "direction", "paint", "technique"} <= set(patch) and patch["mm2"] > 0
    near = np.abs(np.asarray(rows["value"]).ravel() - np.asarray(rows["target"]).ravel()) <= 0.5
    assert near.mean() == pytest.approx(told["errors"]["within_half"], abs=0.1)


def test_a_whole_sheet_is_written_without_a_browser_with_the_tools_there_are(capsys, keeper, tmp_path):
    own, pdf, plan = tmp_path / "own.json", tmp_path / "plan.pdf", tmp_path / "plan.json"
    own.write_text('{"airbrush": false, "drops_per_ml": 30}')
    argv = [
        "sheet",
        str(keeper),
        "--height",
        "32",
        "--samples",
        "4000",
        "--school",
        "twotone",
        "--lamp",
        "30,50",
        "--models",
        "3",
    ]
    for out in (pdf, plan):
        assert run(capsys, *argv, "-o", str(out), "--own", str(own))[0] == 0
    steps = json.loads(plan.read_text())["steps"]
    text = " ".join(" ".join(page.extract_text() for page in PdfReader(pdf).pages).split())
    assert {s["settings"]["tool"] for s in steps} == {"can"}
    for s in steps:
        said = ", ".join(f"{n} {'drop' if n == 1 else 'drops'} of {name}" for name, n in s["drops_of"].items())
        assert said in text and s["how"][:40] in text and s["cautions"][0] in text and s["when_to_stop"][:30] in text
    assert "for all 3" in text and "Safety:" in text
    for bad in ("{", '{"needles": [0.9]}', '{"drops_per_ml": "many"}'):
        own.write_text(bad)
        code, said, err = run(capsys, *argv, "-o", str(tmp_path / "no.pdf"), "--own", str(own))
        assert code == 2 and said == "" and err.count("\n") == 1 and not (tmp_path / "no.pdf").exists()
    assert run(capsys, *argv, "-o", str(tmp_path / "no.txt"))[0] == 2


def test_a_glaze_is_thinned_until_three_passes_keep_the_sketch(capsys):
    told = json.loads(run(capsys, "glaze", "Gull", "--json")[1])
    assert set(told) == {"water_to_one", "passes", "keeps", "reason"}
    assert 10 <= told["water_to_one"] <= 30 and told["passes"] >= 3 and told["keeps"] >= 0.7
    assert json.loads(run(capsys, "glaze", "Tin", "--json")[1])["water_to_one"] is None
    assert run(capsys, "glaze", "Gull", "--keep", "2")[0] == 2


def test_one_burst_is_sprayed(capsys, keeper, tmp_path):
    out = tmp_path / "f.ply"
    argv = (
        "spray",
        str(keeper),
        "-o",
        str(out),
        "--from",
        "-30,45",
        "--distance",
        "100",
        "--paint",
        "Chalk",
        "--samples",
        "4000",
    )
    code, said, _ = run(capsys, *argv, "--amount", "2")
    told = json.loads(said)
    assert code == 0 and told["landed_mm3"] + told["waste_mm3"] == pytest.approx(told["sprayed_mm3"], rel=0.02)
    film = np.asarray(trimesh.load(out, process=False).metadata["_ply_raw"]["vertex"]["data"]["film_um"]).ravel()
    assert film.max() == pytest.approx(told["most_um"], rel=0.01)


@pytest.mark.parametrize(
    "argv",
    [
        ("spray", "--from", "0,90", "--distance", "0", "--amount", "1"),
        ("spray", "--from", "north", "--distance", "90", "--amount", "1"),
        ("spray", "--from", "0,90", "--distance", "90", "--amount", "1", "--psi", "300"),
        ("spray", "--from", "0,90", "--distance", "90", "--amount", "1", "--paint", "Mud Pie"),
        ("undercoat", "--school", "ladder", "--steps", "1"),
        ("undercoat", "--school", "mud"),
        ("undercoat", "--school", "fit", "--primer", "Chalk Primer"),
        ("spray", "--from", "0,90", "--distance", "90", "--amount", "1", "--trigger", "2"),
    ],
)
def test_undercoats_that_cannot_be_leave_no_file(capsys, keeper, tmp_path, argv):
    command, *rest = argv
    out = tmp_path / "no.ply"
    try:
        code, said, err = run(capsys, command, str(keeper), "-o", str(out), "--samples", "2000", *rest)
    except SystemExit as e:
        code, said, err = e.code, "", capsys.readouterr().err
    assert code == 2 and said == "" and err.count("\n") == 1 and not out.exists()


def test_a_plan_of_several_files_puts_them_together(tmp_path):
    """CP-1: what is painted apart is named by its number."""
    ball(at=(0, 0, 30)).export(tmp_path / "head.stl")
    plate(-20, 20, -20, 20).export(tmp_path / "base.stl")
    plan = {"plan": 1, "sculpt": {"file": "head.stl", "more": ["base.stl"], "apart": [0], "samples": 2000}}
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    assert main(["plan", str(tmp_path / "plan.json"), "-o", str(tmp_path / "out"), "--no-pictures"]) == 0
    got = shaded(tmp_path / "out/target.ply")
    assert got["z"].max() == pytest.approx(40, abs=0.1) and np.ptp(got["x"]) == pytest.approx(40, abs=0.1)
    plan["sculpt"]["more"] = ["hand.stl"]
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    assert main(["plan", str(tmp_path / "plan.json"), "-o", str(tmp_path / "out")]) == 2


def test_sketch_of_a_white_keeps_its_ration_and_says_its_key(tmp_path, ball_file, capsys):
    """CP-24: pure white for the last spots, though half of the ball is fully lit."""
    out, lit = tmp_path / "out.ply", ["--as-is", "--lamp", "0,90", "--sky", "0.6"]
    assert main(["sketch", str(ball_file), "-o", str(out), *lit, "--colour", "cool white", "--json"]) == 0
    told, got = json.loads(capsys.readouterr().out), shaded(out)
    assert told["key"]["high"] > 9 and (got["value"] > 9.0).mean() < 0.09 and got["b"].min() < -3, (
        "cool in the shadow"
    )
    assert main(["sketch", str(ball_file), "-o", str(out), *lit, "--colour", "#cbcac7", "--key", "5.6,9.3"]) == 0
    assert (shaded(out)["value"] > 9.0).mean() > 0.05
    assert main(["sketch", str(ball_file), "-o", str(out), *lit, "--colour", "mauve white"]) == 2


def test_the_best_plan_for_an_hour_is_written_and_runs(tmp_path, capsys):
    """Two regions of a box in two colours: few pots, whole drops, steps that name their puddle; and the plan written
    runs as it is."""
    (tmp_path / "box.stl").write_bytes(
        trimesh.creation.box((10, 10, 20)).subdivide().subdivide().export(file_type="stl")
    )
    plan = {
        "plan": 2,
        "sculpt": {"file": "box.stl", "height": 20, "samples": 900},
        "regions": [{"name": "Cloak", "colour": "Cockle Red", "id": 4}],
    }
    (tmp_path / "plan.json").write_text(json.dumps(plan))
    common = [str(tmp_path / "plan.json"), "-o", str(tmp_path / "two.json")]
    assert main(["economy", *common, "--minutes", "60", "--json"]) == 0
    out = json.loads(capsys.readouterr().out)
    assert out["minutes"] <= 60 and len(out["pots"]) <= 12 and out["near_8"] > 0.6 and out["gap"] <= 0.01
    assert {s["puddle"] for s in out["steps"]} == {p["letter"] for p in out["puddles"]}
    assert all(n == int(n) >= 1 for p in out["puddles"] for n in p["drops"].values())
    assert main(["economy", *common, "--front", "--only", "Soot,Cockle Red,Chalk", "--json"]) == 0
    front = json.loads(capsys.readouterr().out)
    near = [e["near_5_weighted"] for e in front]
    assert near == sorted(near) and all(set(e["pots"]) <= {"Soot", "Cockle Red", "Chalk"} for e in front)
    assert main(["plan", str(tmp_path / "two.json"), "-o", str(tmp_path / "out"), "--no-pictures"]) == 0
    steps = json.loads((tmp_path / "out/steps.json").read_text())["steps"]
    assert [s["way"] for s in steps if s["stage"] == "colour"] == ["economy"] * len(front[3]["steps"])
    capsys.readouterr()
    for more, says in (
        (["--minutes", "0"], "time"),
        (["--only-own"], "no rack"),
        (["--only", "Nothing"], "pinned"),
        (["--pots", "0"], "pots"),
    ):
        assert main(["economy", *common, *more]) == 2
        assert says in capsys.readouterr().err


def test_what_a_library_prints_by_itself_does_not_come_between_results():
    """A solver's own line, written past Python, would spoil JSON that another program reads."""
    run = (
        "import argparse, os; from unittest import mock; from dusk_lamp.cli import main as m\n"
        "job = lambda _: (os.write(1, b'a line of a library'), print('{}'))[0] and 0\n"
        "parser = mock.Mock(parse_args=lambda _: argparse.Namespace(run=job))\n"
        "with mock.patch('dusk_lamp.cli.main._parser', lambda: parser): m()\n"
    )
    done = subprocess.run([sys.executable, "-c", run], capture_output=True, text=True, check=True)
    assert json.loads(done.stdout) == {} and "a line of a library" in done.stderr
