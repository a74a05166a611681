"""The log: what it teaches, checked against simulated painters whose pace, drops and paints are known."""

import json
from dataclasses import replace

import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.log.entry import Entry, entry_of
from dusk_lamp.core.log.export import as_csv, as_json, from_csv, from_json
from dusk_lamp.core.log.pace import LATEST, LEAST, Pace, pace_of, pace_words
from dusk_lamp.core.log.paints import drops_seen, hiding_seen, used_of
from dusk_lamp.core.plain import plain

from .figure_site import whole_run

TECHNIQUES = ("brush", "spray", "wash", "line")


def painted(rng, count, pace, noise=0.25):
    """Steps of a painter of a known pace: log-normal times, one sigma of `noise`."""
    out = []
    for k in range(count):
        technique = TECHNIQUES[k % len(TECHNIQUES)]
        expected = float(rng.uniform(40, 400))
        took = expected * pace[technique] * float(np.exp(rng.normal(0, noise)))
        out.append(Entry(technique=technique, mm2=float(rng.uniform(5, 500)), expected_s=expected, seconds=took))
    return out


def error(pace: Pace, true):
    return float(np.mean([abs(pace.of(t, "middle") / true[t] - 1) for t in TECHNIQUES]))


@pytest.mark.parametrize("true", [0.6, 0.75, 1.4, 1.8])
def test_after_twelve_steps_the_pace_of_a_hand_is_known_to_a_tenth(true):
    """On average over many such painters. Source: the simulated painter is the truth."""
    rng = np.random.default_rng(5)
    pace = dict.fromkeys(TECHNIQUES, true)
    off = [error(pace_of(painted(rng, 12, pace)), pace) for _ in range(60)]
    assert np.mean(off) <= 0.1


def test_it_is_never_much_worse_than_what_was_estimated_without_a_log():
    """For a painter who is as quick as estimated, and for one whose techniques differ: at most 5 % worse, on average
    over painters; and better wherever there is something to learn."""
    rng = np.random.default_rng(6)
    for pace in (
        dict.fromkeys(TECHNIQUES, 1.0),
        {"brush": 0.8, "spray": 1.2, "wash": 1.0, "line": 1.1},
        {"brush": 0.7, "spray": 0.7, "wash": 1.4, "line": 1.0},
    ):
        for count in (4, 8, 12, 40):
            with_ = np.mean([error(pace_of(painted(rng, count, pace)), pace) for _ in range(60)])
            without = error(Pace(), pace)
            assert with_ <= without + 0.05, (pace, count)
    many = [error(pace_of(painted(rng, 60, pace)), pace) for _ in range(20)]
    assert np.mean(many) < 0.6 * without


def test_an_entry_says_what_its_step_said_and_the_longest_name_fits():
    step = next(s for s in whole_run().steps if "psi" in getattr(s.settings, "__dict__", {}))
    entry = entry_of(step, "W" * 200, "done", "2026-11-29T10:00", 90.0)
    assert entry.model == "W" * 120 and entry.region == step.goes_on and entry.technique == step.technique
    assert entry.parts == step.parts and entry.coats == step.coats and entry.psi == step.settings.psi
    assert entry.expected_s == pytest.approx(60 * step.hand_minutes) and entry.seconds == 90
    assert entry_of(replace(step, coats=500), "Warden", "done", "", None).coats == 100, "as many as an entry holds"


def test_techniques_and_sizes_differ_as_far_as_there_are_enough_of_them():
    rng = np.random.default_rng(7)
    quick = [
        Entry(technique="brush", mm2=300.0, expected_s=100, seconds=50 * rng.uniform(0.9, 1.1)) for _ in range(20)
    ]
    slow = [Entry(technique="brush", mm2=5.0, expected_s=100, seconds=100 * rng.uniform(0.9, 1.1)) for _ in range(20)]
    pace = pace_of([*quick, *slow])
    assert pace.of("brush", "large") < pace.of("brush", "middle") < pace.of("brush", "small")
    one = pace_of([*quick, Entry(technique="line", expected_s=100, seconds=100, mm2=300.0)])
    assert one.of("line", "large") < 0.95, "one step says little: the painter is quick elsewhere"
    left_lying = [*quick, Entry(technique="brush", mm2=300.0, expected_s=100, seconds=9000)]
    assert pace_of(left_lying).of("brush", "large") < 0.65


def test_what_was_learnt_is_told_with_how_much_it_rests_on_and_nothing_is_told_too_early():
    quick = [Entry(technique="brush", mm2=50.0, expected_s=140, seconds=100) for _ in range(LEAST)]
    assert pace_words(pace_of(quick[:-1])) == []
    (said,) = pace_words(pace_of(quick), {"brush": "Brush on"})
    assert said.startswith("Brush on: after 6 steps you are 1.4 times as quick")
    assert pace_of([Entry(technique="brush", how="skipped", expected_s=100, seconds=5)] * 20) == Pace(steps=0)


def test_more_coats_than_planned_mean_that_a_paint_hides_less():
    """n coats of a ratio h show 1 − (1 − h)ⁿ: who takes four for two has a paint whose one coat does what half
    of one was thought to do."""
    own = [Entry(parts={"Marsh Yellow": 1}, coats=2, coats_done=4)] * 200
    (seen,) = hiding_seen(own, {"Marsh Yellow": 0.84})
    assert seen.hides == pytest.approx(1 - 0.16**0.5, abs=0.02) and seen.count == 200
    assert hiding_seen(own[:3], {"Marsh Yellow": 0.84}) == [] == hiding_seen(own, {"Soot": 0.98})
    few = hiding_seen(own[:6], {"Marsh Yellow": 0.84})[0]
    assert seen.hides < few.hides < 0.84, "six say less than two hundred"


def test_drops_that_were_counted_tell_the_size_of_a_drop():
    own = [Entry(drops={"Soot": 5.0, "Gull": 6.0}, ml=0.25)] * 100  # 11 drops where 22 in a ml make 5.5
    per_ml, count = drops_seen(own, 22.0)
    assert per_ml == pytest.approx(44, rel=0.08) and count == 100
    assert drops_seen(own[:2], 22.0) is None
    assert drops_seen([Entry(drops={"Soot": 5.5}, ml=0.25)] * 10, 22.0) is None, "as was planned"


def test_how_much_of_a_paint_was_used_and_how_long_it_lasts():
    own = [
        Entry(at=f"2026-11-{day:02d}T20:00:00Z", parts={"Soot": 3, "Gull": 1}, ml=0.4, title="x")
        for day in (1, 6, 11)
    ]
    soot, gull = used_of(own, {"Soot": 9.0})
    assert (soot.paint, soot.ml, soot.steps) == ("Soot", pytest.approx(0.9), 3) and gull.ml == pytest.approx(0.3)
    assert soot.days == pytest.approx(100) and gull.days is None
    assert used_of([replace(own[0], how="skipped")]) == []


def test_the_log_leaves_and_comes_back_whole():
    """CSV as in RFC 4180; every field of every entry, whatever letters are in it."""
    own = [
        Entry(
            at="2026-11-27T20:15:00Z",
            model="Wick, the “warden”",
            title='=SUM(A1)\nsecond line, "quoted"',
            parts={"Soot": 2, "Pale Cheek": 1},
            drops={"Soot": 4.5},
            seconds=81.5,
            rating=4,
            note="ünïcode; semicolon",
        ),
        Entry(how="note", note="-1 is no formula"),
    ]
    assert [plain(e) for e in from_csv(as_csv(own))] == [plain(e) for e in own]
    assert from_json(as_json(own)) == own
    assert "'=SUM" in as_csv(own), "a spreadsheet takes it for text"


@pytest.mark.parametrize(
    ("content", "says"),
    [
        ("", "no log"),
        ("a,b\r\n1,2\r\n", "no log"),
        ("at,how,colour\r\n", "no column 'colour'"),
        ("at,how,rating\r\n2026-01-01,done\r\n", "line 2 has 2 of 3"),
        ("at,how,rating\r\n2026-01-01,done,many\r\n", "no number"),
        ("at,how,rating\r\n2026-01-01,done,9\r\n", "rating"),
        ("at,how\r\n2026-01-01,eaten\r\n", "line 2"),
    ],
)
def test_half_a_row_is_told_and_nothing_is_taken_in(content, says):
    with pytest.raises(SettingError, match=says):
        from_csv(content)


def test_a_json_that_is_no_log_is_refused():
    for content in ("{", "{}", json.dumps([1]), json.dumps([{"colour": 1}]), json.dumps([{"rating": "x"}])):
        with pytest.raises(SettingError):
            from_json(content)


def test_a_long_log_teaches_by_its_latest_steps():
    """A hand that has become quicker over the years is taken as it is now; source: none, a property of the method."""
    slow = [Entry(technique="brush", mm2=300.0, expected_s=100, seconds=200)] * 3000
    quick = [Entry(technique="brush", mm2=300.0, expected_s=100, seconds=50)] * LATEST
    assert pace_of([*slow, *quick]) == pace_of(quick)
    assert pace_of([*quick, *slow]).of("brush", "medium") > 1.5


def test_a_techniques_pace_is_its_mean_drawn_toward_the_hands_by_the_squares_of_the_spreads():
    """Twelve steps that all took twice as long. Source: the posterior mean of a normal-normal model (any textbook on
    Bayesian data analysis), with the spreads 0.6, 0.17 and 0.35 written out here."""
    entries = [Entry(technique="brush", mm2=9.0, expected_s=60.0, seconds=120.0) for _ in range(12)]
    x, of_mean = np.log(2.0), 0.35**2 / 12
    hand = x / (of_mean + 0.17**2) / (1 / 0.6**2 + 1 / (of_mean + 0.17**2))
    brush = (x / of_mean + hand / 0.17**2) / (1 / of_mean + 1 / 0.17**2)
    pace = pace_of(entries)
    assert pace.all == pytest.approx(np.exp(hand), abs=1e-3)
    assert pace.times["brush"] == pytest.approx(np.exp(brush), abs=1e-3)
