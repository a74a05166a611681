"""Standing a sculpt up."""

import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.read import read_sculpt
from dusk_lamp.core.sculpt.stand import AXES, Standing, fronts_for, guess_units, guess_up, stand

_VEC = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1)}


def axis(name):
    return np.array(_VEC[name[-1]], float) * (-1 if name[0] == "-" else 1)


@pytest.mark.parametrize("up", AXES)
def test_every_way_up_is_a_turn_never_a_mirror_image(up):
    for front in fronts_for(up):
        turn = Standing(up, front).file_to_bench()
        assert np.linalg.det(turn) == pytest.approx(1)
        assert turn @ axis(up) == pytest.approx([0, 0, 1])
        assert turn @ axis(front) == pytest.approx([0, -1, 0]), "the figure faces −y"


def test_a_stood_up_sculpt_stands_on_the_ground_at_its_true_height():
    points = np.random.default_rng(1).uniform(-3, 9, (50, 3)).astype(np.float32)
    mesh = stand(Mesh(points, np.arange(48, dtype=np.int32).reshape(-1, 3)), Standing("y", "z", 32))
    low, high = mesh.bounds
    assert low[2] == pytest.approx(0, abs=1e-5) and high[2] == pytest.approx(32, rel=1e-5)
    assert (low + high)[:2] == pytest.approx([0, 0], abs=1e-4)


@pytest.mark.parametrize("lying", AXES)
def test_the_warden_is_stood_up_again_however_it_lies(warden_file, lying):
    mesh = read_sculpt(warden_file)
    turned = Mesh(
        (mesh.vertices @ Standing(lying, fronts_for(lying)[0]).file_to_bench()).astype(np.float32), mesh.faces
    )
    assert guess_up(turned)[0].up == lying


@pytest.mark.parametrize(
    ("tall", "unit", "height"),
    [
        (32, "mm", 32),
        (1.26, "life-size metres", 32),
        (1.8, "life-size metres", 32),
        (1800, "life-size mm", 32),
        (0.032, "metres", 32),
        (3.2, "cm", 32),
        (1.1, "inches", 27.9),
        (75, "mm", 75),
        (1e-6, "unknown", 32),
        (1e6, "unknown", 32),
    ],
)
def test_units_are_guessed_and_said(tall, unit, height):
    """A figure 1.8 units tall is in metres, 1800 is wrong too; 25.4 mm to the inch."""
    guess = guess_units(tall)
    assert (guess.unit, guess.height_mm) == (unit, pytest.approx(height, abs=0.1))
    assert guess.sure == (unit == "mm")


@pytest.mark.parametrize(
    "bad", [("z", "z", 32), ("w", "-y", 32), ("z", "-y", 0), ("z", "-y", 1e9), ("z", "-y", float("nan"))]
)
def test_impossible_standings_are_refused(bad):
    with pytest.raises(SettingError):
        Standing(*bad)
