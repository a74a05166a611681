"""Edge highlights start from what lies there: so much lighter than the plane beside them, in the region's own
colours."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.colour import lab, xyz
from dusk_lamp.core.paint.mix import only, values_of
from dusk_lamp.core.plan.edges import edge_coats
from dusk_lamp.core.plan.ways.way import task_of
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.target.local import local_of, usual_local
from dusk_lamp.core.target.target import target

from ..shapes import RACK, surface_of

BOX = surface_of(trimesh.creation.box((10, 10, 10)).subdivide_to_size(0.5))


def task(material, colour, paint):
    site = Site(BOX, marking=Marking(np.ones(len(BOX), np.uint8), (Region("Plate", material, colour=colour),)))
    wanted = target(site, Rig(Lamp(0, 60)), [usual_local("stone"), local_of(site.marking.regions[0])])
    ground = only(RACK.find(paint)).pigment.masstone.astype(np.float32)
    return task_of(site, wanted, 1, np.tile(ground, (len(site), 1)), RACK, lamp=Lamp(0, 60))


@pytest.mark.parametrize("paint", ["Soot", "Rain Barrel", "Gull", "Heron"])
@pytest.mark.parametrize("material", ["cloth", "leather", "metal"])
def test_an_edge_is_lighter_than_the_plane_beside_it(material, paint):
    own = task(material, "#8f9499", paint)
    field = float(values_of(own.under[:1])[0])
    lines = [c for c in edge_coats(own, Lamp(0, 60)) if c.technique == "line"]
    values = [c.mix.colour.value for c in lines]
    assert all(v > field + 0.15 for v in values) and values == sorted(values) and max(values) < 9.8


def test_metal_gets_more_than_leather_and_leather_more_than_cloth():
    """CP-27, common practice: contrast by material, low to high."""
    lift = [
        edge_coats(task(m, "#8f9499", "Rain Barrel"), Lamp(0, 60))[0].mix.colour.value
        for m in ("cloth", "leather", "metal")
    ]
    assert lift[0] + 0.2 < lift[1] < lift[2] - 0.3


def test_on_a_white_field_no_line_is_darker_than_the_field():
    own = task("cloth", "#ecebe4", "Chalk")
    field = float(values_of(own.under[:1])[0])
    try:
        lines = [c for c in edge_coats(own, Lamp(0, 60)) if c.technique == "line"]
    except SettingError as e:
        assert "as light" in str(e)
    else:
        assert all(c.mix.colour.value > field for c in lines)


def test_edges_keep_the_hue_of_what_they_are_on():
    """Under a red sky, or on a red cloak, an edge is no grey: craft page, section 12, and CP-36."""
    red = task("cloth", "#a03028", "Cockle Red")
    for coat in edge_coats(red, Lamp(0, 60)):
        _, a, b = lab(xyz(coat.mix.pigment.masstone))
        assert a > 8 and a > 0.3 * abs(b)
    assert replace(red, name="x").material == "cloth"
