"""Compiles the numeric kernels once, on a small ball on a plate, so that nobody waits for that at their first sculpt:
`python -m dusk_lamp.demo.warm`. `bin/setup` runs it. What is compiled is kept beside the code, by numba."""

import tempfile
from importlib.resources import files
from pathlib import Path

import numpy as np

from ..core.check.perspective import pixels_covered
from ..core.check.pinhole import Pinhole
from ..core.coat.coat import usual_coat
from ..core.light.bounce import Ground, base_transfer, bounce_light
from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..core.paint.colour import colour_of_hex
from ..core.paint.mix import match, only
from ..core.paint.rack import Rack, rack_from_csv
from ..core.plan.context import Context
from ..core.plan.document import Plan
from ..core.plan.economy.budget import Budget
from ..core.plan.features.colour.feature import ColourWishes
from ..core.plan.features.glow.feature import GlowWish, GlowWishes
from ..core.plan.features.metal.feature import MetalWishes
from ..core.plan.features.metal.painted import usual_metal
from ..core.plan.features.undercoat.feature import UndercoatWishes
from ..core.plan.features.undercoat.school_fit import light_match
from ..core.plan.outcome import looks_after
from ..core.plan.registry import features
from ..core.plan.run import laid
from ..core.plan.simulation import Simulation
from ..core.sculpt.decimate import thinned
from ..core.sculpt.marking import Marking, Region
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.pieces import pieces_of
from ..core.sculpt.planes import planes_of
from ..core.sculpt.regions import grow
from ..core.sculpt.site import Site
from ..core.sculpt.stand import Placing
from ..core.sculpt.surface import Surface
from ..core.sculpt.visibility import Visibility
from ..core.target.greys import lay_bands
from ..core.target.local import usual_local
from ..core.target.target import target
from ..core.view.camera import Camera
from ..core.view.formats import ply_bytes
from ..core.view.raster import cut_out, snapshot
from ..core.view.step_picture import coat_picture
from ..core.workplace.tools import Tools
from ..store import preparing
from ..store.cache import FolderCache


def _knob() -> Mesh:
    """A ball on a box, 600 triangles."""
    up, around = np.meshgrid(np.linspace(0, np.pi, 13), np.linspace(0, 2 * np.pi, 25)[:-1], indexing="ij")
    ball = np.stack([np.sin(up) * np.cos(around), np.sin(up) * np.sin(around), np.cos(up)], axis=-1).reshape(-1, 3)
    rows, columns = np.meshgrid(np.arange(12), np.arange(24), indexing="ij")
    a, b = (24 * rows + columns).ravel(), (24 * rows + (columns + 1) % 24).ravel()
    faces = np.concatenate([np.stack([a, a + 24, b], 1), np.stack([b, a + 24, b + 24], 1)])
    corners = np.array([[x, y, z] for x in (-6, 6) for y in (-6, 6) for z in (-2, 0)], float)
    sides = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    box = np.array([t for s in sides for t in ((s[0], s[1], s[2]), (s[0], s[2], s[3]))]) + len(ball)
    points = np.concatenate([5 * ball + [0, 0, 5], corners]).astype(np.float32)
    return Mesh(points, np.concatenate([faces, box]).astype(np.int32))


def warm() -> None:
    """Do once, on next to nothing, what is done with every sculpt."""
    with tempfile.TemporaryDirectory() as folder:
        cache, path = FolderCache(Path(folder) / "cache"), Path(folder) / "knob.ply"
        mesh = _knob()
        path.write_bytes(ply_bytes(mesh.vertices, mesh.faces, {}, []))
        quiet = lambda *_: None  # noqa: E731
        mended, _ = preparing.mended(
            cache, [{"name": path.name, "format": "ply", "sha": "knob"}], [path], False, quiet
        )
        standing = preparing.Standing("z", "-y", 12.0)
        surface_key = preparing.surface(cache, mended, standing, 4_000, quiet)
        surface = preparing.load_surface(cache, surface_key)
        sky = preparing.sky(cache, surface_key, surface, [], quiet, lambda: False)
        view = preparing.load_sky(cache, sky, surface_key, surface, [])
        preparing.relief(cache, surface_key, surface)
        preparing.rough(cache, surface_key, surface)
        marking = Marking(np.ones(len(surface), np.uint8), (Region("Knob"),))
        site = Site(surface, view, marking=marking)
        aim = target(
            site,
            Rig(Lamp(40, 55, 14), 0.25, "overcast", 0.15),
            [usual_local("stone", "quiet"), usual_local("cloth", "important")],
        )
        cut_out(surface, aim.colour[site.shown], Camera(18, 8), 64, 80)
        knob = preparing.load_mended(cache, mended).mesh
        pixels_covered(knob, Pinhole.looking_at(surface.points.mean(axis=0), 0, 10, 60, 50, (64, 48)))
        pieces_of(surface, site.paintable, site.bends)
        grow(surface, surface.points[0].astype(float), 40.0, site.bends)
        planes_of(knob, 0.5)
        # as small as this its corners are taken for the noise of a scan, which goes another way
        planes_of(Mesh(knob.vertices * np.float32(0.02), knob.faces), 0.001)
        thinned(knob, np.zeros(len(knob.faces), np.int32), 100)  # as a file of a million triangles is
        _light_large(surface, view)
        rack = rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())
        match(colour_of_hex("#7a5030"), rack.paints)
        coats = [usual_coat(name, only(rack.find("Gull"))) for name in ("prime", "spray", "brush", "wash")]
        looks_after(Simulation(site), coats, aim.value)
        site.lines  # noqa: B018 - crests and creases
        camera, bare = Camera(18, 8), np.zeros((len(surface), 3), np.uint8)
        shot = snapshot(surface, camera, 160, 80)  # with paper on both sides
        coat_picture(site, shot, camera, coats[1].film(site), bare, bare)
        _plan_all(site, rack, preparing.load_placing(cache, surface_key))


def _light_large(surface: Surface, view: Visibility) -> None:
    """The light of the ground as it is worked out for a sculpt of many samples."""
    lamp = Lamp(40, 55, 14)
    ground, base, dark = Ground(surface), base_transfer(surface, view), np.zeros(len(surface), np.float32)
    bounce_light(surface, view, ground, base, 0.15, lamp, 0.25, "overcast", dark)


def _plan_all(site: Site, rack: Rack, placing: Placing) -> None:
    """A plan with something in every stage: passes fitted, ten minutes of painting, metal that mirrors, a glow."""
    ball = site.surface.points[:, 2] > 0
    marking = Marking((1 + ball).astype(np.uint8), (Region("Plate", id=1), Region("Ball", "metal", id=2)))
    wishes = {
        "undercoat": UndercoatWishes("fit"),
        "colour": ColourWishes("", Budget(10)),
        "metal": MetalWishes({"2": usual_metal("metal")}),
        "glow": GlowWishes(
            (
                GlowWish(9, "region", "Glow", 2, colour="#ffb347"),
                GlowWish(10, "ball", "Ball"),
                GlowWish(11, "plane", "Plane", place=(0, 0, 20), out=(0, 0, -1)),
                GlowWish(12, "flame", "Flame", spots=((0, 0, 10),)),
            )
        ),
    }
    plan = Plan(light=Rig(Lamp(40, 55, 14)), regions=marking.regions, wishes=wishes)
    context, _ = laid(Context(plan, site.marked(marking, ()), rack, Tools(), placing, features=features()))
    lay_bands(site.surface, context.grey.value, plan.greys, plan.exposure)
    light_match(site, context.grey.value, context.share)  # of a school


if __name__ == "__main__":
    warm()
