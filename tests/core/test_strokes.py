"""Arrows along the strokes, and where a step's picture marks its film. Common practice, CP-17, CP-43."""

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.view.camera import Camera
from dusk_lamp.core.view.step_picture import coat_picture, sheet_shot, where_it_shows
from dusk_lamp.core.view.strokes import arrows, pull_of, with_arrows

from ..shapes import RACK, surface_of

BOX = surface_of(trimesh.creation.box((20, 4, 30)).subdivide_to_size(0.8))
SITE = Site(BOX)
FRONT = Camera(0, 0)
SHOT = sheet_shot(SITE, FRONT, FRONT)
UPWARD = BOX.points[:, 2].astype(np.float32) / 5


def coat(name):
    return usual_coat("brush", only(RACK.find(name)), "", "colour")


def test_a_lighter_coat_is_pulled_toward_the_light_and_a_darker_one_into_the_shadow():
    on = np.ones(len(BOX), np.bool_)
    up = arrows(SHOT, pull_of(coat("Chalk"), coat("Gull"), UPWARD), on)
    down = arrows(SHOT, pull_of(coat("Soot"), coat("Gull"), UPWARD), on)
    assert len(up) >= 4 and all(y1 < y0 - 8 and abs(x1 - x0) < 6 for x0, y0, x1, y1 in up)  # rows count downwards
    assert len(down) >= 4 and all(y1 > y0 + 8 for _, y0, _, y1 in down)


@pytest.mark.parametrize("turn", [0, 60, 135, 250])
def test_an_arrow_is_dark_on_a_light_rim_and_its_head_lies_where_it_points(turn):
    """Seen on any ground, and in grey; wider at its head than along its shaft, the same to both sides."""
    along = np.array([np.cos(np.radians(turn)), np.sin(np.radians(turn))])
    tail, tip = (60 - 30 * along), (60 + 30 * along)
    y, x = np.mgrid[0:120, 0:120]
    off = np.stack([x, y], axis=-1) - 60.0
    ahead, aside = off @ along, off @ np.array([-along[1], along[0]])
    drawn = with_arrows(np.full((120, 120, 3), 128, np.uint8), [(*tail, *tip)])
    ink, rim = drawn[..., 1] < 60, drawn[..., 1] > 200
    assert not (ink | rim)[(np.abs(aside) > 0.4 * 60) | (np.abs(ahead) > 36)].any()
    assert ahead[ink].min() > -33 and 26 < ahead[ink].max() < 33
    sides = [np.abs(aside[ink & (ahead > low) & (ahead < low + 8)]).max() for low in (-20, 8)]
    assert sides[1] > 2 * sides[0], "the head is at the tip"
    assert aside[ink].max() == pytest.approx(-aside[ink].min(), abs=1.6)
    assert np.abs(aside[rim]).max() > np.abs(aside[ink]).max() + 1.5, "the rim lies round the head, too"
    wide = np.abs(aside) > 0.8 * np.abs(aside[ink]).max()
    assert ahead[rim & wide].min() < ahead[ink & wide].min() - 2, "and behind it"
    assert with_arrows(drawn, []) is drawn


def test_arrows_stay_on_what_is_painted_and_an_even_ground_has_none():
    right = BOX.points[:, 0] > 2
    found = arrows(SHOT, UPWARD, right)
    assert found and all(min(x0, x1) > 330 / 2 for x0, _, x1, _ in found)
    assert arrows(SHOT, np.full(len(BOX), 5, np.float32), right) == []
    assert pull_of(coat("Gull"), None, UPWARD) is None  # the first coat of a region covers it, whichever way


def test_a_film_on_a_small_region_is_marked_too():
    """Less than a twentieth of the model: a strap, a face."""
    film = np.where((BOX.points[:, 2] > 14.5) & (BOX.points[:, 0] > 2), 10, 0).astype(np.float32)
    assert 0 < (film > 0).mean() < 0.05
    assert where_it_shows(film).sum() == (film > 0).sum()
    grey = np.full((len(BOX), 3), 128, np.uint8)
    drawn = coat_picture(SITE, SHOT, FRONT, film, grey, grey).astype(int)
    assert ((drawn[..., 0] - drawn[..., 2]) > 80).sum() > 40  # amber


def test_where_a_blend_fades_out_lines_show_that_paint_goes_there_too():
    """As on boots: most of what changes colour has less than a third of the thickest film."""
    up = BOX.points[:, 2] - BOX.points[:, 2].min()
    film = np.where(up > up.max() * 0.8, 10, np.where(up > up.max() * 0.4, 2, 0)).astype(np.float32)
    grey = np.full((len(BOX), 3), 128, np.uint8)

    def amber(**how):
        drawn = coat_picture(SITE, SHOT, FRONT, film, grey, grey, **how).astype(int)
        rows = np.flatnonzero((drawn != 255).any(axis=(1, 2)))
        parts = np.array_split(drawn[rows[0] : rows[-1] + 1], 10)
        return [
            float(((p[..., 0] - p[..., 2]) > 40).mean() / max((p != 255).any(axis=2).mean(), 1e-9)) for p in parts
        ]

    laid, both = amber(), amber(drawn_out=True)
    assert laid[0] > 0.8 and max(laid[3:]) < 0.05, "only where it lies thick"
    assert both[0] > 0.8 and all(0.1 < share < 0.6 for share in both[3:5]) and max(both[7:]) < 0.05
