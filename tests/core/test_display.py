"""The display view and what is seen from it."""

import numpy as np
import pytest

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.plain import built, plain
from dusk_lamp.core.sculpt.display import Display, seen_from, seen_shares
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.surface import working_surface

from ..shapes import ball, mesh_of, together


def test_half_of_a_ball_is_seen_from_anywhere():
    s = working_surface(mesh_of(ball(10, 5)), samples=8_000)
    for azimuth, elevation in ((0, 0), (40, 30), (-120, 90)):
        assert s.areas[seen_from(s, azimuth, elevation)].sum() / s.areas.sum() == pytest.approx(0.5, abs=0.01)


def test_what_stands_in_front_hides_what_is_behind_it():
    """A smaller ball in line with a larger one: the far one is not seen at all, the near one by half."""
    s = working_surface(mesh_of(together(ball(5, 4, (0, -10, 0)), ball(4, 4, (0, 10, 0)))), samples=6_000)
    far = s.points[:, 1] > 0
    marking = Marking(far.astype(np.uint8), (Region("Far"),))
    everything = np.ones(len(s), bool)
    near_share, far_share = seen_shares(s, marking, seen_from(s, 0, 0), everything)
    assert near_share == pytest.approx(0.5, abs=0.02) and far_share < 0.01
    aside = seen_shares(s, marking, seen_from(s, 90, 0), everything)
    assert aside == pytest.approx([0.5, 0.5], abs=0.02)


@pytest.mark.parametrize(
    "bad",
    [
        {"azimuth": 200, "elevation": 0},
        {"azimuth": 0, "elevation": 91},
        {"azimuth": 0, "elevation": 0, "spots": [[0, 0, 0]] * 4},
        {"azimuth": 0, "elevation": 0, "spots": [[0, 0]]},
        {"azimuth": 0, "elevation": 0, "spots": [[0, 0, float("nan")]]},
        {"azimuth": "x", "elevation": 0},
        {"elevation": 0},
    ],
)
def test_views_that_cannot_be_are_refused(bad):
    with pytest.raises(SettingError):
        built(Display, bad, whole=True)


def test_a_display_comes_back_from_plain_values():
    display = Display(-15, 10, ((1, 2, 3),))
    assert built(Display, plain(display)) == display
