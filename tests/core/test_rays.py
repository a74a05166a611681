"""Rays in packets of sixteen against the same library's single rays, and what must hold of them."""

import multiprocessing
import os

import numpy as np
import pytest
import trimesh
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from dusk_lamp.core.embree import Scene
from dusk_lamp.core.rays import stretches

from ..shapes import plate


@pytest.fixture(scope="module")
def both(warden):
    """Our scene, and that of the wrapper that casts ray by ray."""
    one = EmbreeScene(robust=True)
    TriangleMesh(one, warden.points, warden.faces)
    return Scene(warden.points, warden.faces), one


@pytest.mark.parametrize("count", [1, 15, 16, 17, 5_000])
def test_packets_meet_what_single_rays_meet(both, warden, rng, count):
    ours, single = both
    chosen = rng.choice(len(warden), count)
    origins = warden.origins[chosen]
    for toward in (
        rng.normal(size=(1, 3)).astype(np.float32),
        (warden.normals[chosen] + rng.normal(size=(count, 3)) / 2).astype(np.float32),
    ):
        theirs = single.run(origins, toward, output=1)
        face, distance, u, v = ours.met(origins, toward)
        assert ((face < 0) == (theirs["primID"] < 0)).all()
        other = face != theirs["primID"]
        assert distance[other] == pytest.approx(theirs["tfar"][other], abs=1e-5), "of two that meet it may be either"
        same = (face == theirs["primID"]) & (face >= 0)
        assert distance[same] == pytest.approx(theirs["tfar"][same], abs=1e-4)
        assert np.column_stack([u, v])[same] == pytest.approx(
            np.column_stack([theirs["u"], theirs["v"]])[same], abs=2e-2
        )
        assert (ours.occluded(origins, toward) == (theirs["primID"] >= 0)).all()
        reach = rng.uniform(0, 6, count).astype(np.float32)
        met = theirs["primID"] >= 0
        clear = np.abs(theirs["tfar"] - reach) > 1e-3
        assert (ours.occluded(origins, toward, reach) == (met & (theirs["tfar"] < reach)))[clear].all()


def test_no_ray_slips_through_where_faces_meet():
    """Straight onto every edge and corner of a grid."""
    sheet = plate(-4, 4, -4, 4, cells=16)
    scene = Scene(sheet.vertices.astype(np.float32), sheet.faces.astype(np.int32))
    ends = sheet.vertices[sheet.edges_unique]
    on = np.concatenate([sheet.vertices, ends.mean(axis=1), 0.3 * ends[:, 0] + 0.7 * ends[:, 1]])
    inside = (np.abs(on[:, :2]) < 4).all(axis=1)
    above = (on[inside] + [0, 0, 3]).astype(np.float32)
    assert scene.occluded(above, np.array([[0, 0, -1]], np.float32)).all()


def test_stretches_are_all_of_it_once():
    for count in (0, 1, 8192, 20_000):
        parts = stretches(count)
        assert [k for s in parts for k in range(s.start, s.stop)] == list(range(count))


def _cast(_):
    ball = trimesh.creation.icosphere(subdivisions=5)
    scene = Scene(ball.vertices.astype(np.float32), ball.faces.astype(np.int32))
    return os.getpid(), bool(scene.occluded(np.zeros((1, 3), np.float32), np.array([[0, 0, 1]], np.float32))[0])


def test_a_process_that_was_forked_casts_too():
    """The library's threads are not there after a fork; it must not wait for them."""
    _cast(0)
    with multiprocessing.get_context("fork").Pool(1) as pool:
        pid, met = pool.map_async(_cast, [0]).get(timeout=60)[0]
    assert met and pid != os.getpid()
