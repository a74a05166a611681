"""How a value is put down as few figures, and the small sculpts that the figures of all rooms are of."""

import hashlib
from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from functools import cache

import numpy as np
import trimesh

from dusk_lamp.core.coat.finish import films_of
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import Rig
from dusk_lamp.core.plan.brief import brief_of
from dusk_lamp.core.plan.context import Context
from dusk_lamp.core.plan.document import Plan
from dusk_lamp.core.plan.features.edges.feature import EdgeWishes
from dusk_lamp.core.plan.features.edges.wishes import RegionEdges
from dusk_lamp.core.plan.features.face.feature import FaceWishes
from dusk_lamp.core.plan.features.finish.feature import FinishWishes
from dusk_lamp.core.plan.features.glow.feature import GlowWish, GlowWishes
from dusk_lamp.core.plan.features.metal.feature import MetalWishes
from dusk_lamp.core.plan.features.metal.wishes import Metal
from dusk_lamp.core.plan.features.prepare.feature import PrepareWishes
from dusk_lamp.core.plan.features.wear.feature import WearWishes
from dusk_lamp.core.plan.registry import features
from dusk_lamp.core.plan.run import run
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.stand import Standing, placing
from dusk_lamp.core.sculpt.surface import working_surface
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.target import local
from dusk_lamp.core.target.target import target
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import RACK, ball, mesh_of, together

FAR = 1e6  # what is further off, or nowhere
WORDS, LISTED = 120, 40  # letters of a sentence that are kept, and entries of a list


# --- how a value is put down
def figure(value):
    """A value as few numbers and words, that say whether it is still the same."""
    if value is None or isinstance(value, bool | np.bool_):
        return None if value is None else bool(value)
    if isinstance(value, int | float | np.number):
        return rounded(float(value))
    if isinstance(value, str):
        return value if len(value) <= WORDS else hashlib.sha256(value.encode()).hexdigest()[:16]
    if isinstance(value, bytes):
        return hashlib.sha256(value).hexdigest()[:16]
    if isinstance(value, np.ndarray):
        return of_array(value)
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name: figure(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, Mapping):
        return {str(k): figure(v) for k, v in list(value.items())[:LISTED]}
    if isinstance(value, list | tuple | set | frozenset):
        listed = sorted(value) if isinstance(value, set | frozenset) else list(value)
        return [len(listed), *(figure(v) for v in listed[:LISTED])]
    return str(type(value).__name__)


def rounded(x):
    return x if not np.isfinite(x) else float(f"{x:.5g}")


def of_array(a):
    numbers = np.asarray(a, float)
    rows = np.clip(np.nan_to_num(numbers, posinf=FAR, neginf=-FAR), -FAR, FAR).reshape(len(a) if a.ndim else 1, -1)
    if not rows.size:
        return [0]
    wave = np.cos(np.arange(len(rows)) * 0.7) @ rows  # tells places apart
    return [len(rows), *(rounded(float(v)) for v in (rows.mean(), rows.std(), rows.min(), rows.max(), wave.sum()))]


def of_coats(coats, site):
    """Coats with where they go, and what they leave."""
    films = films_of(site, coats)
    return [
        [c.technique, c.mix.words(), c.label, figure(c.settings), figure(f), int((f > 0).sum())]
        for c, f in zip(coats, films, strict=True)
    ]


# --- what all of them are tried on
@cache
def figure_site():
    """A plinth, a cloak, a head with two eyes, a blade of four bevels: one sculpt, lit from all sides."""
    at = trimesh.transformations.translation_matrix
    blade = trimesh.creation.box((1.2, 3.0, 16.0), at((7.5, -3, 14)))
    blade.vertices[blade.vertices[:, 1] < -3] *= [1.0, 1.0, 1.0]
    shape = together(
        trimesh.creation.cylinder(9, 3, sections=40, transform=at((0, 0, 1.5))),
        trimesh.creation.cone(6.5, 17, sections=28, transform=at((0, 0, 3))),
        ball(3.4, 3, (0, 0, 19)),
        blade,
        ball(0.7, 2, (1.2, -3.1, 19.4)),
        ball(0.6, 2, (-1.2, -3.1, 19.4)),
    )
    surface = working_surface(mesh_of(shape), mend(mesh_of(shape)).shell, samples=5_000)
    z, x, y = surface.points[:, 2], surface.points[:, 0], surface.points[:, 1]
    label = np.where(z < 3.01, 1, np.where(x > 6.5, 4, np.where(z > 15.8, 3, 2)))
    label = np.where((z > 18.5) & (y < -2.9) & (np.abs(x) < 2.2), 5, label).astype(np.uint8)
    regions = (
        Region("Base", "stone", "quiet"),
        Region("Cloak", "cloth", colour="#2d5c93"),
        Region("Face", "skin", "focal point"),
        Region("Blade", "metal", "important"),
        Region("Lens", "glass or gem", colour="#3f9f6a"),
    )
    return Site(surface, visibility_of(surface), marking=Marking(label, regions))


@cache
def ball_site():
    shape = ball(5, 3)
    surface = working_surface(mesh_of(shape), np.zeros(len(shape.faces), np.int32), samples=2_000)
    return Site(surface, visibility_of(surface))


LAMP = Lamp(25, 50, 12)
RIG = Rig(LAMP, 0.3, "overcast", 0.15)


@cache
def aim():
    site = figure_site()
    return target(site, RIG, [local.usual_local("stone"), *(local.local_of(r) for r in site.marking.regions)])


def task(number, under=0.25, tools=None):
    site = figure_site()
    ground = np.full((len(site), 36), under, np.float32)
    return brief_of(site, aim(), number, ground, RACK, tools or Tools(), LAMP)


@cache
def context():
    site = figure_site()
    _, cloak, face, blade, lens = site.marking.ids[1:]
    plan = Plan(light=RIG, small_forms=0.5).marked(site.marking)
    eyes = {"left": (1.2, -3.75, 19.4), "right": (-1.2, -3.7, 19.4)}
    for name, own in {
        "prepare": PrepareWishes(),
        "metal": MetalWishes({str(blade): Metal("layered", "dusk")}),
        "edges": EdgeWishes({str(cloak): RegionEdges(highlight=True), str(blade): RegionEdges(lining=True)}),
        "face": FaceWishes(**eyes, eyes=True, mouth="open", warm=(face,)),
        "glow": GlowWishes((GlowWish(1, "region", "Lens", lens, colour="#ffd080"),)),
        "wear": WearWishes(amounts={"grime": 0.4, "chips": 0.4, "dust": 0.3, "streaks": 0.3}),
        "finish": FinishWishes(),
    }.items():
        plan = plan.with_wishes(name, own)
    standing = placing(Mesh(site.surface.points, site.surface.faces), Standing(height_mm=22.4))
    return Context(plan, site, RACK, Tools(), standing, features=features())


@cache
def whole_run():
    return run(context())


def replace_budget(budget):
    own = context()
    colour = own.wishes("colour")
    return own.on(own.plan.with_wishes("colour", replace(colour, budget=budget)))
