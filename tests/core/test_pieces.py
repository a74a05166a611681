"""The tree of pieces: shapes whose pieces are known, planted figures in one shell, and that a tree is a tree."""

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.piece_cut import cut_by_stroke, facets_cut_out, least_cut
from dusk_lamp.core.sculpt.pieces import guess, pieces_of
from dusk_lamp.core.sculpt.surface import working_surface

from ..shapes import ball, mesh_of, together


def laid(shape, samples=12_000):
    mesh = mesh_of(shape)
    return working_surface(mesh, np.zeros(len(mesh.faces), np.int32), samples=samples)


def iou(surface, truth, labels):
    """Mean over the truth's regions of the best overlap over union with any piece, by area; by hand."""
    areas, out = surface.areas.astype(float), []
    for k in np.unique(truth):
        own = truth == k
        out.append(
            (
                areas[own].sum(),
                max(areas[own & (labels == j)].sum() / areas[own | (labels == j)].sum() for j in np.unique(labels)),
            )
        )
    weights, best = np.array(out).T
    return float(np.average(best, weights=weights))


def dumbbell(noise=0.0):
    """Two balls of 5 mm pushed into each other, one shell: they meet in a crease round their middle."""
    sphere = trimesh.creation.icosphere(5, 1.0)
    z = sphere.vertices[:, 2]
    points = sphere.vertices.copy()
    side = np.sign(z) * (np.abs(z) > 1e-9)
    t = np.abs(z)  # from the crease (0) to the tip (1)
    reach = 4.4  # from the middle to a ball's middle
    height = t * (reach + 5)
    radius = np.sqrt(np.maximum(25 - (height - reach) ** 2, 0))
    off = np.maximum(np.hypot(points[:, 0], points[:, 1]), 1e-9)
    points[:, :2] *= (radius / off)[:, None]
    points[:, 2] = side * height
    shape = trimesh.Trimesh(points, sphere.faces, process=False).subdivide_to_size(0.6)
    shape.vertices += noise * np.random.default_rng(3).normal(size=shape.vertices.shape)
    return shape


def figure(noise=0.0, seed=5):
    """A plinth, a body and a head, pushed into each other as shells of one file, and what each spot belongs to."""
    plinth = trimesh.creation.cylinder(
        9, 3, sections=72, transform=trimesh.transformations.translation_matrix((0, 0, 1.5))
    )
    body = trimesh.creation.capsule(
        height=10, radius=4, transform=trimesh.transformations.translation_matrix((0, 0, 11))
    )
    shapes = [plinth.subdivide_to_size(0.7), body.subdivide_to_size(0.7), ball(3.2, 4, (0, 0, 22.5))]
    whole = together(*shapes)
    truth = np.concatenate([np.full(len(s.vertices), k) for k, s in enumerate(shapes)])
    centres = whole.vertices.copy()
    whole.vertices = whole.vertices + noise * np.random.default_rng(seed).normal(size=whole.vertices.shape)
    return whole, centres, truth


def test_a_dumbbell_is_its_two_balls_also_under_noise():
    for noise in (0.0, 0.03):
        surface = laid(dumbbell(noise))
        labels = guess(pieces_of(surface), 2).labels
        assert iou(surface, (surface.points[:, 2] > 0).astype(int), labels) > 0.9


def test_a_box_is_its_six_sides_and_a_ball_is_whole():
    box = laid(trimesh.creation.box((10, 12, 14)), 6_000)
    sides = np.argmax(np.abs(box.normals), axis=1) * 2 + (
        np.take_along_axis(box.normals, np.argmax(np.abs(box.normals), axis=1)[:, None], 1)[:, 0] > 0
    )
    assert iou(box, sides, guess(pieces_of(box), 6).labels) > 0.8
    tree = pieces_of(laid(ball(5, 4), 6_000))
    assert tree.cost.max() < 0.2  # no border on it is worth a cut


@pytest.mark.parametrize("noise", [0.0, 0.02])
def test_a_figure_comes_apart_and_its_base_is_named(noise):
    shape, centres, truth = figure(noise)
    surface = laid(shape, 16_000)
    found = guess(pieces_of(surface), 3)
    nearest = truth[cKDTree(centres).query(surface.points)[1]]
    assert iou(surface, nearest, found.labels) > 0.6
    base = found.regions[int(np.bincount(found.labels[nearest == 0]).argmax()) - 1]
    assert base.name == "Base" and base.material == "stone"


def test_a_tree_is_a_tree_and_the_same_every_time():
    surface = laid(figure(0.02)[0], 8_000)
    tree, again = pieces_of(surface), pieces_of(surface)
    assert np.array_equal(tree.facet, again.facet) and np.array_equal(tree.children, again.children)
    assert np.array_equal(guess(tree, 8).labels, guess(again, 8).labels)
    n = tree.leaves
    seen = np.bincount(tree.children.ravel(), minlength=2 * n - 1)
    assert (seen[:-1] == 1).all() and seen[-1] == 0  # every node but the whole is merged once
    for node in (n, n + 7, 2 * n - 2):
        a, b = tree.children[node - n]
        assert np.array_equal(tree.of(node), tree.of(a) | tree.of(b)) and not (tree.of(a) & tree.of(b)).any()
    assert tree.of(2 * n - 2).all()
    assert tree.area[-1] == pytest.approx(tree.area[:n].sum())
    counts = [len(guess(tree, k).regions) for k in (1, 2, 5, 12)]
    assert counts == [1, 2, 5, 12]
    assert all((guess(tree, k).labels > 0).all() for k in (1, 5, 12))


def test_loose_pieces_holes_and_noise_break_nothing():
    crumbs = together(*[ball(0.4, 1, (3 * (k % 12), 3 * (k // 12), 0)) for k in range(144)])
    assert len(guess(pieces_of(laid(crumbs, 4_000)), 8).regions) <= 8
    rng = np.random.default_rng(2)
    rough = ball(5, 4)
    rough.vertices += 0.6 * rng.normal(size=rough.vertices.shape)
    torn = mesh_of(rough)
    torn = Mesh(torn.vertices, torn.faces[rng.random(len(torn.faces)) > 0.2])
    surface = working_surface(torn, np.zeros(len(torn.faces), np.int32), samples=4_000)
    found = guess(pieces_of(surface), 10)
    assert 1 <= len(found.regions) <= 10 and found.labels.max() == len(found.regions)


def test_the_least_cut_is_what_trying_every_cut_finds():
    """Against all 2ⁿ ways to part a small graph, by hand."""
    rng = np.random.default_rng(7)
    for _ in range(25):
        n = 9
        a, b = np.triu_indices(n, 1)
        on = rng.random(len(a)) < 0.45
        a, b, cost = a[on], b[on], rng.random(on.sum())
        taken, kept = np.zeros(n, bool), np.zeros(n, bool)
        taken[:2], kept[-2:] = True, True
        found = least_cut(a, b, cost, taken, kept)
        assert found[taken].all() and not found[kept].any()
        every = ((np.arange(2 ** (n - 4))[:, None] >> np.arange(n - 4)) & 1).astype(bool)
        sets = np.concatenate([np.ones((len(every), 2), bool), every, np.zeros((len(every), 2), bool)], axis=1)
        least = ((sets[:, a] != sets[:, b]) * cost).sum(axis=1).min()
        assert cost[found[a] != found[b]].sum() == pytest.approx(least, abs=1e-4)


def test_a_stroke_cuts_a_ball_off_a_dumbbell():
    surface = laid(dumbbell(0.02), 60_000)
    tree = pieces_of(surface)
    upper = surface.points[:, 2] > 0
    stroke = np.zeros(tree.leaves, bool)
    line = np.abs(surface.points[:, 0]) < 0.4
    stroke[tree.facet_of_sample[line & (surface.points[:, 2] > 2)]] = True  # over the top, from front to back
    everything = np.ones(tree.leaves, bool)
    cut = facets_cut_out(tree, everything, stroke)[tree.facet_of_sample]
    areas = surface.areas.astype(float)
    assert areas[cut & upper].sum() / areas[cut | upper].sum() > 0.9
    assert not facets_cut_out(tree, ~stroke, stroke).any(), "a stroke beside the region takes nothing"
    assert np.array_equal(facets_cut_out(tree, stroke, everything), stroke), "a stroke over all of it takes all of it"


def test_a_torus_has_no_border_worth_a_cut():
    tree = pieces_of(laid(trimesh.creation.torus(8, 2.5, 96, 48), 8_000))
    assert tree.cost.max() < 0.2


def test_a_stroke_takes_from_its_own_region_the_piece_it_lies_on():
    """On a dumbbell that is one region a stroke on one ball takes that ball; where the other ball is another region,
    it stays as it is, though half of a facet at the crease belongs to either."""
    surface = laid(dumbbell())
    tree, areas = pieces_of(surface), surface.areas
    z = surface.points[:, 2] - surface.points[:, 2].mean()
    touched = z > 0.8 * z.max()
    everything = np.ones(len(surface), np.bool_)
    taken = cut_by_stroke(tree, areas, everything, touched)
    upper = z > 0
    assert areas[taken & upper].sum() > 0.9 * areas[upper].sum() and areas[taken & ~upper].sum() < 0.1 * areas.sum()
    only = z > -1.0
    assert not (cut_by_stroke(tree, areas, only, touched) & ~only).any()
    assert not cut_by_stroke(tree, areas, ~upper, touched).any(), "a stroke beside the region takes nothing"
