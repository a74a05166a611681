"""Drills: the perfect answer is right, a known wrong one has its known error, and the same seed asks the same."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from dusk_lamp.core.directions import direction_of
from dusk_lamp.core.drill import drill, drills
from dusk_lamp.core.drill.flat import ball as lit_ball
from dusk_lamp.core.drill.glow_reach import added, reach_of_glow
from dusk_lamp.core.drill.parts_of_black import grey_with
from dusk_lamp.core.drill.practice import after_answer, next_drill
from dusk_lamp.core.drill.white_dot import dot_of
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.key import key_light
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.visibility import visibility_of

from ..shapes import ball, surface_of

NAMES = tuple(drills())


@pytest.fixture(scope="module")
def site(bunny):
    return Site(bunny, visibility_of(bunny))


def test_there_are_ten_and_each_says_what_it_teaches():
    assert len(NAMES) == 10 and all(len(d.teaches.split()) > 4 and d.title for d in drills().values())
    with pytest.raises(SettingError, match="a drill is one of"):
        drill("juggling")


@pytest.mark.parametrize("name", NAMES)
def test_the_perfect_answer_is_right_and_the_same_seed_asks_the_same(site, name):
    own = drill(name)
    for seed in range(3):
        task, again = own.make(site, seed), own.make(site, seed)
        assert task == again and task.question and task.why
        grade = own.grade(task, task.truth)
        assert grade.error == 0 and grade.good == 1 and grade.words.startswith("Right")
        shown, solved = own.picture(site, task), own.picture(site, task, True)
        assert shown.dtype == np.uint8 and shown.shape[2] == 3 and shown.std() > 3
        assert name == "which-lamp" or shown.shape == solved.shape
        assert (shown.shape != solved.shape) or (shown != solved).any(), "the answer is in it"
    assert len({str(own.make(site, s).data) + str(own.make(site, s).truth) for s in range(8)}) > 3


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("answer", ["x", None, [], [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11], float("nan"), {"a": 1}])
def test_what_is_no_answer_is_told(site, name, answer):
    task = drill(name).make(site, 1)
    with pytest.raises(SettingError):
        drill(name).grade(task, answer)


def test_known_wrong_answers_have_their_known_errors(site):
    task = drill("lit-or-shadow").make(site, 2)
    assert drill("lit-or-shadow").error(task, [not t for t in task.truth]) == len(task.truth)
    assert drill("lit-or-shadow").error(task, [not task.truth[0], *task.truth[1:]]) == 1
    task = drill("order-values").make(site, 2)
    assert drill("order-values").error(task, task.truth[::-1]) == 15, "all pairs of six"
    swapped = [task.truth[1], task.truth[0], *task.truth[2:]]
    assert drill("order-values").error(task, swapped) == 1
    with pytest.raises(SettingError, match="once"):
        drill("order-values").error(task, [1, 1, 2, 3, 4, 5])
    task = drill("which-lamp").make(site, 2)
    assert drill("which-lamp").error(task, [task.truth[0] + 180, -task.truth[1]]) == pytest.approx(180, abs=0.1)
    task = drill("wrong-highlight").make(site, 2)
    assert drill("wrong-highlight").error(task, task.truth % 5 + 1) == 1
    task = drill("thin-glaze").make(site, 2)
    assert drill("thin-glaze").error(task, 4 * task.truth) == pytest.approx(2)
    task = drill("white-dot").make(site, 2)
    assert drill("white-dot").error(task, [task.truth[0] + 0.3, task.truth[1] + 0.4]) == pytest.approx(0.5)
    task = drill("dark-facet").make(site, 2)
    values = task.data["values"]
    worst = int(np.argmax(values)) + 1
    assert drill("dark-facet").error(task, worst) == pytest.approx(max(values) - min(values))


def test_lit_spots_are_those_that_the_lamp_sees(site):
    """CP-9, against the light itself: rays of the key light, sample by sample."""
    for seed in range(4):
        task = drill("lit-or-shadow").make(site, seed)
        light = key_light(site.surface, Lamp(*task.data["lamp"])).light[task.data["spots"]]
        assert [bool(v > 0.2) for v in light] == task.truth and sum(task.truth) == 4


def test_the_white_dot_is_where_a_ray_would_be_thrown_back_to_the_eye():
    """Law of reflection: from the dot the lamp's ray goes straight to the eye."""
    for azimuth, elevation in ((0, 60), (45, 30), (-70, 20)):
        across, up = dot_of(Lamp(azimuth, elevation))
        normal = np.array([across, up, np.sqrt(1 - across**2 - up**2)])
        x, y, z = direction_of(azimuth, elevation).astype(float)
        lamp = np.array([x, z, -y])
        assert 2 * (normal @ lamp) * normal - lamp == pytest.approx([0, 0, 1], abs=1e-6)


def test_black_drags_white_down_a_long_way_and_a_glow_falls_with_the_square():
    """Craft page, section 8; and the inverse square law."""
    first, second = grey_with(0) - grey_with(1), grey_with(1) - grey_with(2)
    assert first > 1.5 * second and grey_with(12) < 7.2, "half and half is far from the middle of the two"
    mm = reach_of_glow(4, 1.5)
    assert added(4, 1.5, mm) == pytest.approx(0.5, abs=1e-6) and added(4, 1.5, 2 * mm) < 0.15
    assert reach_of_glow(4, 1.5) == pytest.approx(2 * reach_of_glow(1, 1.5))


def test_a_ball_lit_from_the_other_side_is_its_mirror_image_and_a_hundredth_of_a_mm_is_off(site):
    lamp = np.array([0.6, 0.3, 0.74])
    shown = lit_ball(lamp, (0.2, 0.1), 96)
    assert (shown == lit_ball(lamp * [-1, 1, 1], (-0.2, 0.1), 96)[:, ::-1]).all()
    assert (shown == lit_ball(lamp * [1, -1, 1], (0.2, -0.1), 96)[::-1]).all() and shown.std() > 20
    own = drill("glow-reach")
    task = own.make(site, 1)
    assert own.error(task, task.truth + 0.004) == 0 < own.error(task, task.truth + 0.006)


def test_a_sculpt_with_nothing_to_ask_about_says_so():
    flat = Site(surface_of(ball(1, 5)))
    for name in ("lit-or-shadow", "dark-facet"):
        try:
            drill(name).make(flat, 0)
        except SettingError as e:
            assert "take another" in str(e)


def test_what_one_is_weak_at_comes_again_sooner():
    """FSRS as its package has it: a failed card is due before one that was known, a known one later each time."""
    at = datetime(2026, 11, 27, 20, tzinfo=UTC)
    weak, strong = after_answer(None, 0.2, at), after_answer(None, 1.0, at)
    assert weak["due"] < strong["due"]
    later = datetime.fromisoformat(strong["due"])
    again = after_answer(strong, 1.0, later)
    assert datetime.fromisoformat(again["due"]) - later > later - at
    names = ("a", "b", "c")
    assert next_drill({}, names, at) == "a"
    assert next_drill({"a": strong}, names, at) == "b"
    cards = {"a": strong, "b": weak, "c": strong}
    assert next_drill(cards, names, at + timedelta(days=400)) == "b"
    assert next_drill({"a": weak}, names, at + timedelta(days=1)) == "a", "what is overdue comes before what is new"
