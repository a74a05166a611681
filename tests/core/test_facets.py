"""Planes found on the triangles of a file, whatever the sampling: prisms, a blade with four bevels, one with a
fuller."""

import json

import numpy as np
import pytest
import trimesh

from dusk_lamp.cli.main import main
from dusk_lamp.core.sculpt.facets import facets
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.planes import planes_of
from dusk_lamp.core.sculpt.relief import Bends
from dusk_lamp.core.sculpt.surface import working_surface

NOISE_MM = 0.02  # of a good scan


def extruded(profile, length=24.0, each=0.3):
    """A closed profile (x, y) along z, in cells about so many mm wide: a prism of any cross-section, open at its
    ends."""
    ring = []
    for a, b in zip(profile, np.roll(profile, -1, axis=0), strict=True):
        count = max(1, round(float(np.linalg.norm(b - a)) / each))
        ring += [a + (b - a) * k / count for k in range(count)]
    ring, high = np.array(ring), round(length / each)
    n = len(ring)
    points = np.concatenate([np.column_stack([ring, np.full(n, z)]) for z in np.linspace(0, length, high + 1)])
    k, j = (x.ravel() for x in np.meshgrid(np.arange(high), np.arange(n), indexing="ij"))
    a, b = k * n + j, k * n + (j + 1) % n
    faces = np.concatenate([np.column_stack([a, b, b + n]), np.column_stack([a, b + n, a + n])])
    return points, faces


def scanned(points, faces, noise, seed=2):
    off = np.random.default_rng(seed).normal(0, noise, points.shape) if noise else 0
    return Mesh((points + off).astype(np.float32), faces.astype(np.int32))


def four_bevels(bend, flat=4.0, bevel=2.5, thick=2.0):
    """A blade's cross-section: two flats, and two bevels to each side that fall by `bend` degrees."""
    drop = bevel * np.tan(np.radians(bend))
    half, out = flat / 2, flat / 2 + bevel
    low, high = thick / 2 - drop, thick / 2
    return np.array(
        [
            (-out, -low),
            (-half, -high),
            (half, -high),
            (out, -low),
            (out, low),
            (half, high),
            (-half, high),
            (-out, low),
        ]
    )


@pytest.mark.parametrize("bend", [6.5, 10.0, 20.0])
@pytest.mark.parametrize("noise", [0.0, NOISE_MM])
def test_a_blade_with_four_bevels_has_two_flats_and_four_bevels(bend, noise):
    found = planes_of(scanned(*extruded(four_bevels(bend)), noise), 2.0)
    large = np.abs(found.normals[:, 1]) > 0.7  # the two narrow sides may or may not be worth a facet
    assert (found.mm2[large] > 30).sum() == 6 == large.sum()
    area = {0: 4.0 * 24, 1: 2.5 / np.cos(np.radians(bend)) * 24}
    for normal, mm2 in zip(found.normals[large], found.mm2[large], strict=True):
        tilt = np.degrees(np.arccos(abs(normal[1])))
        assert min(tilt, abs(tilt - bend)) < 1.5
        assert mm2 == pytest.approx(area[int(tilt > bend / 2)], rel=0.08)


@pytest.mark.parametrize("noise", [0.0, NOISE_MM])
def test_a_fuller_is_hollow_and_told_from_the_flats_beside_it(noise):
    """A groove 3 mm wide and 0.75 mm deep along the middle of one side."""
    turn = np.linspace(np.radians(-53), np.radians(53), 13)
    groove = [(1.875 * np.sin(t) / 1.0, 2.25 - 1.875 * np.cos(t)) for t in turn][::-1]
    profile = np.array([(-4.0, -1.0), (4.0, -1.0), (4.0, 1.122), *groove, (-4.0, 1.122)])
    mesh = scanned(*extruded(profile), noise)
    surface = working_surface(mesh, np.zeros(len(mesh.faces), np.int32), 6000)
    found = facets(surface, Bends(surface), mesh)
    hollow = [f for f in found if f.hollow and f.mm2 > 20]
    assert len(hollow) == 1 and hollow[0].kind == "cylinder" and abs(hollow[0].along[2]) > 0.98
    beside = [f for f in found if f.kind == "flat" and f.normal[1] > 0.95 and f.mm2 > 20]
    assert len(beside) == 2 and all(f.mm2 == pytest.approx(2.5 * 24, rel=0.1) for f in beside)


@pytest.mark.parametrize("sides", [3, 6, 8])
def test_a_prism_has_the_facets_that_trimesh_finds(sides):
    """Against trimesh's own facets (coplanar neighbours), which need a shape without noise; ours bears it."""
    shape = trimesh.creation.cylinder(radius=6, height=10, sections=sides).subdivide_to_size(0.5)
    shape = trimesh.Trimesh(shape.vertices, shape.faces, process=True)
    wanted = sorted(shape.facets_area, reverse=True)[: sides + 2]
    for noise in (0.0, NOISE_MM):
        found = planes_of(scanned(shape.vertices, shape.faces, noise), 1.0)
        assert np.allclose(found.mm2[: sides + 2], wanted, rtol=0.08) and (found.mm2[sides + 2 :] < 3).all()


def test_what_is_round_has_no_planes_however_the_file_cuts_it_up():
    for shape in (trimesh.creation.icosphere(4, 6), trimesh.creation.cylinder(4, 12, sections=48)):
        fine = trimesh.Trimesh(*trimesh.remesh.subdivide_to_size(shape.vertices, shape.faces, 0.6), process=True)
        found = planes_of(scanned(fine.vertices, fine.faces, 0.0), 1.0)
        assert (np.abs(found.normals[:, 2]) > 0.99).all()  # the two ends of the cylinder, none of the ball


def test_the_sampling_plays_no_part_and_the_command_line_says_what_each_facet_is(tmp_path, capsys):
    """Contract: normal, mm², values at both ends and which touch; the same from 2,000 samples and from 20,000."""
    points, faces = extruded(four_bevels(12.0))
    path = tmp_path / "blade.stl"
    trimesh.Trimesh(points, faces).export(path)
    said = []
    for samples in ("2000", "20000"):
        out = str(tmp_path / "out.ply")
        argv = ["metal", str(path), "--height", "24", "-o", out, "--school", "facet", "--samples", samples, "--json"]
        assert main(argv) == 0
        said.append(json.loads(capsys.readouterr().out))
    assert said[0]["facets"] == said[1]["facets"] and said[0]["kinds"]["flat"] >= 6
    for k, facet in enumerate(said[0]["facets"][:6], 1):
        assert facet["number"] == k and len(facet["normal"]) == 3 and facet["mm2"] > 30 and facet["touches"]
        assert abs(facet["values"][0] - facet["values"][1]) > 4
    sides = [f for f in said[0]["facets"] if abs(f["normal"][2]) < 0.3][:6]
    flat = next(f for f in sides if abs(f["normal"][1]) > 0.999)
    for n in flat["touches"]:  # common practice, craft page section 11: neighbours run against each other
        other = said[0]["facets"][n - 1]
        if other in sides:
            way = np.sign(np.dot(flat["along"], other["along"]))
            assert (flat["values"][1] - flat["values"][0]) * (other["values"][1] - other["values"][0]) * way < 0
