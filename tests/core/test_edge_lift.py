"""Edge highlights start from what lies there: so much lighter than the plane beside them, in the region's own
colours."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.coat.line import THINNER
from dusk_lamp.core.coat.technique import technique
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.paint.colour import lab, xyz
from dusk_lamp.core.paint.mix import only, values_of
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.features.edges.lines import edge_coats
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
    return brief_of(site, wanted, 1, np.tile(ground, (len(site), 1)), RACK, lamp=Lamp(0, 60))


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


@pytest.mark.parametrize("width", [0.6, 0.9, 1.4])
def test_the_border_of_a_line_follows_the_edge_and_not_the_samples(width):
    """Where the film falls through half of itself along the sides of triangles: as far from the edge as the line is
    wide, to a quarter of the way from sample to sample at most. Geometry: the line's sides are straight."""
    mesh = trimesh.creation.box((10, 10, 10)).subdivide_to_size(0.5)
    rng = np.random.default_rng(3)
    inside = np.sort(np.abs(mesh.vertices), axis=1)[:, 1] < 4.99  # off the edges: shaken along its plane
    shift = rng.uniform(-0.1, 0.1, mesh.vertices.shape) * (np.abs(mesh.vertices) < 4.99)
    mesh.vertices[inside] += shift[inside]
    surface = surface_of(mesh)
    site = Site(surface)
    line = technique("line")
    settings = replace(line.usual(only(RACK.find("Gull"))), width=width, elevation=90.0, least=9.0)
    share = line.film(site, settings) / settings.film_um
    top = surface.points[:, 2] > 4.99
    a, b = surface.edges
    a, b = (x[top[a] & top[b] & ((share[a] > 0.5) != (share[b] > 0.5))] for x in (a, b))
    at = ((0.5 - share[a]) / (share[b] - share[a]))[:, None]
    places = surface.points[a] + at * (surface.points[b] - surface.points[a])
    from_edge = 5 - np.abs(places[:, :2]).max(axis=1)
    middle = np.sort(np.abs(places[:, :2]), axis=1)[:, 0] < 3.5  # corners are round
    wide = max(width / 2 * (1 - THINNER), surface.spacing / 2)
    off = np.abs(from_edge[middle] - wide)
    assert middle.sum() > 20 and off.max() < 0.25 * surface.spacing and off.mean() < 0.08 * surface.spacing
