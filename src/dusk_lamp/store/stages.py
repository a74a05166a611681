"""The stages of preparing a sculpt, each a pure function of its inputs, kept in the cache under their hash."""

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from ..core.light.lamp import Lamp
from ..core.light.rig import Rig, Scene
from ..core.light.sky import DIRECTIONS, SkyView, sky_view
from ..core.paint.value import grey_srgb
from ..core.plan.target import Exposure, target_value
from ..core.sculpt.mend import mend
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.read import read_sculpt
from ..core.sculpt.stand import Standing, guess_up, stand
from ..core.sculpt.surface import Surface, as_is_surface, clustered, quick_samples, smoothed, working_surface
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.raster import grey_picture
from .cache import Cache, key_of

# Raise a stage's version when its code changes what comes out; old entries are then simply not found.
MENDED, SURFACE, SKY, THUMB = 2, 4, 1, 2
SKETCH_VERTICES = 40_000  # for the first look, and the small pictures of how it could stand
THUMB_SIZE = (320, 400)

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class MendedFacts:
    """What is known of a sculpt once its file is read and mended."""

    findings: dict[str, int | float]
    notes: list[str]
    up_order: list[str]
    up_reasons: list[str]
    size: list[float]  # x, y, z in the file's units


def mended(cache: Cache, path: Path, file_format: str, sha: str, say: Progress) -> tuple[str, MendedFacts]:
    """Read and mend a file. Returns the cache key and the facts.

    Raises:
        DuskLampError: the file is bad; see core.sculpt.read.
    """
    key = key_of("mended", MENDED, sha, file_format)
    if key not in cache:
        say("Reading the file", 0.02)
        raw = read_sculpt(path, file_format)
        say("Mending the surface", 0.1)
        result = mend(raw)
        say("Finding which way is up", 0.3)
        guesses = guess_up(result.mesh)
        facts = MendedFacts(
            result.findings.as_dict(),
            result.findings.sentences(),
            [g.up for g in guesses],
            [g.reason for g in guesses],
            [float(s) for s in np.ptp(result.mesh.bounds, axis=0)],
        )
        sketch = _sketch(result.mesh)
        cache.put(
            key,
            {
                "vertices": result.mesh.vertices,
                "faces": result.mesh.faces,
                "shell": result.shell,
                "sketch_vertices": sketch.vertices,
                "sketch_faces": sketch.faces,
            },
            {"facts.json": json.dumps(asdict(facts)).encode()},
        )
    return key, facts_of(cache, key)


def facts_of(cache: Cache, mended_key: str) -> MendedFacts:
    """The facts kept with a mended sculpt."""
    return MendedFacts(**json.loads(cache.blob(mended_key, "facts.json")))


def _sketch(mesh: Mesh) -> Mesh:
    return mesh if len(mesh.vertices) <= SKETCH_VERTICES else clustered(mesh, SKETCH_VERTICES)[0]


def sketch_picture(cache: Cache, mended_key: str, standing: Standing, width: int, height: int) -> bytes:
    """A small PNG of the sculpt standing one way, lit from above and in front."""
    mesh = stand(Mesh(cache.array(mended_key, "sketch_vertices"), cache.array(mended_key, "sketch_faces")), standing)
    surface = as_is_surface(mesh)
    light = Scene(surface).light(Rig(Lamp(25, 55))).total * 0.6 + 0.12 + 0.15 * np.clip(surface.normals[:, 2], 0, 1)
    value = target_value(smoothed(surface, light, 3), Exposure())
    return png_bytes(grey_picture(surface, grey_srgb(value), Camera(0, 8), width, height))


def first_look(cache: Cache, mended_key: str, standing: Standing, rig: Rig, exposure: Exposure) -> str:
    """A lit picture of the rough form, seconds before the working surface is laid out. Returns the cache key."""
    mesh = stand(Mesh(cache.array(mended_key, "sketch_vertices"), cache.array(mended_key, "sketch_faces")), standing)
    return thumb(cache, [mended_key, standing.as_dict()], Scene(as_is_surface(mesh)), rig, exposure)


def surface(cache: Cache, mended_key: str, standing: Standing, say: Progress) -> str:
    """Stand the sculpt up and lay out its working surface. Returns the cache key."""
    key = key_of("surface", SURFACE, mended_key, standing.as_dict())
    if key not in cache:
        say("Standing it up", 0.34)
        mesh = stand(Mesh(cache.array(mended_key, "vertices"), cache.array(mended_key, "faces")), standing)
        say("Laying out the surface", 0.38)
        s = working_surface(mesh, cache.array(mended_key, "shell"))
        chosen, between = quick_samples(s)
        cache.put(
            key,
            {
                "points": s.points, "normals": s.normals, "areas": s.areas,
                "faces": s.faces, "part": s.part, "inset": s.inset, "quick": chosen, "quick_faces": between,
            },
        )  # fmt: skip
    return key


def load_surface(cache: Cache, surface_key: str) -> Surface:
    """A working surface from the cache.

    Raises:
        KeyError: it is not there.
    """
    points, normals, areas, faces, part, inset = (
        cache.array(surface_key, name) for name in ("points", "normals", "areas", "faces", "part", "inset")
    )
    return Surface(points, normals, areas, faces, part, inset)


def sky(cache: Cache, surface_key: str, laid: Surface, say: Progress, stopped: Callable[[], bool]) -> str:
    """Look at the sky from every sample. Returns the cache key.

    Raises:
        Stopped: the painter stopped it.
    """
    key = key_of("sky", SKY, surface_key, DIRECTIONS)
    if key not in cache:
        view = sky_view(
            laid, DIRECTIONS, lambda share: say("Looking at the sky from every spot", 0.6 + 0.38 * share), stopped
        )
        cache.put(
            key,
            {
                "directions": view.directions, "bits": view.bits, "base_row": view.base_row,
                "base_sample": view.base_sample, "base_direction": view.base_direction,
            },
        )  # fmt: skip
    return key


def load_sky(cache: Cache, sky_key: str) -> SkyView:
    """What each sample sees of the sky, from the cache.

    Raises:
        KeyError: it is not there.
    """
    names = ("directions", "bits", "base_row", "base_sample", "base_direction")
    return SkyView(**{n: cache.array(sky_key, n) for n in names})


def thumb(cache: Cache, key_inputs: list, scene: Scene, rig: Rig, exposure: Exposure) -> str:
    """A lit picture for the shelf. Returns the cache key."""
    key = key_of("thumb", THUMB, *key_inputs, rig.as_dict(), exposure.as_dict())
    if key not in cache:
        value = target_value(scene.light(rig).total, exposure, rig.full)
        pixels = grey_picture(scene.surface, grey_srgb(value), Camera(18, 8), *THUMB_SIZE)
        cache.put(key, blobs={"thumb.png": png_bytes(pixels)})
    return key
