"""Texture is judged at the scale of a brush against the form: planted reliefs on arms, one of them smooth and
thin."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.features.colour.ways.one_coat import textured
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.texture import texture_mm
from dusk_lamp.core.target.local import local_of, usual_local
from dusk_lamp.core.target.target import target

from ..shapes import RACK, surface_of

EACH = 0.16


def arm(radius, deep, wave):
    """A limb 32 mm long whose skin goes up and down by `deep` mm every `wave` mm, both ways."""
    z, turn = (
        np.linspace(0, 32, int(32 / EACH)),
        np.linspace(0, 2 * np.pi, int(2 * np.pi * radius / EACH), endpoint=False),
    )
    high, round_ = np.meshgrid(z, turn, indexing="ij")
    waves = max(1, round(2 * np.pi * radius / wave))
    out = radius + deep * np.sin(2 * np.pi * high / wave) * np.sin(waves * round_)
    points = np.column_stack([(out * np.cos(round_)).ravel(), (out * np.sin(round_)).ravel(), high.ravel()])
    n = len(turn)
    k, j = (x.ravel() for x in np.meshgrid(np.arange(len(z) - 1), np.arange(n), indexing="ij"))
    a, b = k * n + j, k * n + (j + 1) % n
    faces = np.concatenate([np.column_stack([a, b, b + n]), np.column_stack([a, b + n, a + n])])
    return surface_of(trimesh.Trimesh(points, faces, process=False))


@pytest.mark.parametrize("radius", [1.2, 2.0, 5.0])
@pytest.mark.parametrize(("deep", "wave", "rough"), [(0.0, 0.5, False), (0.1, 0.6, True), (0.25, 4.0, False)])
def test_a_smooth_arm_and_its_folds_are_no_texture_and_scales_are(radius, deep, wave, rough):
    """Common practice: texture is what a brush feels, 0.2 to 0.6 mm; what is 2 to 4 mm is form."""
    surface = arm(radius, deep, wave)
    site = Site(surface, marking=Marking(np.ones(len(surface), np.uint8), (Region("Arm", "cloth"),)))
    wanted = target(site, Rig(Lamp(0, 60)), [usual_local("stone"), local_of(site.marking.regions[0])])
    task = brief_of(site, wanted, 1, np.full((len(site), 36), 0.3, np.float32), RACK)
    assert textured(task) is rough
    for said in ("smooth", "textured"):  # a painter knows better
        marked = site.marked(Marking(site.labels, (Region("Arm", "cloth", texture=said),)))
        assert textured(replace(task, site=marked)) is (said == "textured")
    middle = (surface.points[:, 2] > 4) & (surface.points[:, 2] < 28)
    root = float(np.sqrt(np.average(texture_mm(surface)[middle] ** 2, weights=surface.areas[middle])))
    assert root == pytest.approx(deep / 2, rel=0.25) if rough else root < 0.02
