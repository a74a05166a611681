"""Every sample belongs to exactly one region."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.sculpt.marking import MOST_REGIONS, Marking, Region
from dusk_lamp.core.sculpt.regions import by_part, labels_carried, widened
from dusk_lamp.core.sculpt.stand import Standing, placing, stand
from dusk_lamp.core.sculpt.surface import working_surface

from ..shapes import ball, mesh_of, together

BALL = working_surface(mesh_of(ball(10, 4)), samples=2_000)


def mask_of(seed):
    return np.random.default_rng(seed).random(len(BALL)) < 0.3


strokes = st.lists(
    st.tuples(st.integers(0, 99), st.sampled_from(["new", "add", "take", "remove"]), st.integers(1, 5)), max_size=12
)


@settings(max_examples=60, deadline=None)
@given(strokes)
def test_the_regions_and_the_rest_are_always_the_whole_surface_without_overlaps(done):
    marking = Marking(np.zeros(len(BALL), np.uint8))
    for seed, what, number in done:
        try:
            if what == "new":
                marking = marking.painted(mask_of(seed), None)
            elif what == "remove":
                marking = marking.without(number)
            else:
                marking = marking.painted(mask_of(seed), number, take=what == "take")
        except SettingError:
            assert number > len(marking.regions)
    assert len(marking.labels) == len(BALL) and marking.labels.max(initial=0) <= len(marking.regions)
    assert marking.areas(BALL).sum() == pytest.approx(BALL.areas.sum(), rel=1e-5)
    assert len(marking.areas(BALL)) == len(marking.regions) + 1


def test_a_new_region_takes_its_samples_from_whoever_had_them():
    first = Marking(np.zeros(len(BALL), np.uint8)).painted(mask_of(1), None)
    second = first.painted(mask_of(2), None)
    assert (second.labels[mask_of(2)] == 2).all() and (second.labels[mask_of(1) & ~mask_of(2)] == 1).all()
    back = second.painted(mask_of(2), 2, take=True)
    assert (back.labels == 2).sum() == 0


def test_removing_a_region_keeps_the_others_names_with_their_samples():
    marking = Marking(np.zeros(len(BALL), np.uint8))
    for seed in (1, 2, 3):
        marking = marking.painted(mask_of(seed), None)
    marking = marking.described(3, name="Cloak").without(2)
    assert [r.name for r in marking.regions] == ["Region 1", "Cloak"]
    assert (marking.labels[mask_of(3)] == 2).all()


def test_wider_and_narrower_move_the_rim_both_ways():
    cap = BALL.points[:, 2] > 5
    wider, narrower = widened(BALL, cap), widened(BALL, cap, -1)
    assert (wider >= cap).all() and (narrower <= cap).all()
    assert wider.sum() > cap.sum() > narrower.sum()
    assert (BALL.points[wider, 2] > 5 - 3 * BALL.spacing).all()


def test_a_part_is_taken_whole():
    two = working_surface(
        mesh_of(together(ball(5, 4), ball(3, 4, (20, 0, 0)))),
        np.r_[np.zeros(5120), np.ones(5120)].astype(np.int32),
        samples=3_000,
    )
    region = by_part(two, np.array([20, 0, 3.0]))
    assert (two.points[region, 0] > 15).all() and (two.points[~region, 0] < 15).all()


def test_labels_survive_another_density_another_height_and_another_way_of_standing():
    shape = mesh_of(together(ball(10, 5), ball(4, 5, (0, 0, 12))))
    was_standing, now_standing = Standing("z", "-y", 32), Standing("x", "z", 54)
    was, now = (
        working_surface(stand(shape, s), samples=n) for s, n in ((was_standing, 6_000), (now_standing, 15_000))
    )
    in_file = [placing(shape, s).to_file(on.points) for s, on in ((was_standing, was), (now_standing, now))]
    head = (was.points[:, 2] > 25).astype(np.uint8)
    moved = labels_carried(head, *in_file)
    share = now.areas[moved == 1].sum() / now.areas.sum()
    assert share == pytest.approx(was.areas[head == 1].sum() / was.areas.sum(), rel=0.05)
    along = now.points @ Standing("x", "z", 54).file_to_bench() @ [0, 0, 1]
    assert along[moved == 1].min() > along[moved == 0].mean(), "still the head, wherever it points"


@pytest.mark.parametrize(
    "bad", [{"name": ""}, {"name": "x" * 61}, {"name": "a", "material": "cheese"}, {"name": "a", "attention": "loud"}]
)
def test_descriptions_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        Region(**bad)


def test_there_is_an_end_to_regions():
    marking = Marking(np.zeros(3, np.uint8), tuple(Region(f"R{k}") for k in range(MOST_REGIONS)))
    with pytest.raises(SettingError, match="remove one"):
        marking.painted(np.ones(3, bool), None)
