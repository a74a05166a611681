"""Small pictures of a sculpt: for its card on the shelf, and standing each way. Each is drawn once and kept in the
cache."""

import numpy as np

from ..core.light.lamp import Lamp
from ..core.light.rig import Rig, light_on
from ..core.paint.value import grey_srgb
from ..core.plain import plain
from ..core.sculpt.mend import mend
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.site import Site
from ..core.sculpt.stand import Standing, guess_up, guessed_standing, stand
from ..core.sculpt.surface import as_is_surface, smoothed
from ..core.target.exposure import Exposure, value_of_light
from ..core.target.target import target
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.raster import cut_out
from ..store.cache import Cache, code_mark, key_of
from ..store.preparing import sketch_of, way_key

MENDED_AT_ONCE, FORM_FACES = 200_000, 100  # triangles: fewer are mended in a moment; fewer show no form
WAY_SIZE, THUMB_SIZE = (220, 260), (320, 400)
THUMB_CAMERA = Camera(18, 8)


def way_picture(cache: Cache, mended_key: str, up: str, front: str) -> bytes:
    """A small PNG of the sculpt standing one way, drawn once.

    Raises:
        KeyError: it is not mended yet.
    """
    key = way_key(mended_key, up, front)
    if key not in cache:
        cache.put(key, blobs={"way.png": sketch_picture(cache, mended_key, Standing(up, front, 30.0), *WAY_SIZE)})
    return cache.blob(key, "way.png")


def sketch_picture(cache: Cache, mended_key: str, standing: Standing, width: int, height: int) -> bytes:
    """A small PNG of the sculpt standing one way, lit from above and in front."""
    mesh = stand(Mesh(cache.array(mended_key, "sketch_vertices"), cache.array(mended_key, "sketch_faces")), standing)
    surface = as_is_surface(mesh)
    light = (
        light_on(Site(surface), Rig(Lamp(25, 55))).total * 0.6 + 0.12 + 0.15 * np.clip(surface.normals[:, 2], 0, 1)
    )
    value = value_of_light(smoothed(surface, light, 3), Exposure())
    return png_bytes(cut_out(surface, grey_srgb(value), Camera(0, 8), width, height))


def look_at_once(
    cache: Cache, mended_key: str, raw: Mesh, standing: Standing | None, rig: Rig, exposure: Exposure
) -> str | None:
    """A lit picture of a dense file that is only read, seconds before it is mended: its rough form, mended. Returns
    the cache key; None where the file is small enough to be mended at once, or has hardly any form."""
    if len(raw.faces) < MENDED_AT_ONCE:
        return None
    sketch = sketch_of(raw)
    if len(sketch.faces) < FORM_FACES:
        return None
    sketch = mend(sketch).mesh
    standing = standing or guessed_standing(guess_up(sketch)[0].up, np.ptp(sketch.bounds, axis=0))
    site = Site(as_is_surface(stand(sketch, standing)))
    return thumb(cache, [mended_key, plain(standing)], site, rig, exposure)


def first_look(cache: Cache, mended_key: str, standing: Standing, rig: Rig, exposure: Exposure) -> str:
    """A lit picture of the rough form, seconds before the working surface is laid out; that of `look_at_once` where
    it stands as was guessed. Returns the cache key."""
    key = _thumb_key([mended_key, plain(standing)], rig, exposure)
    if key in cache:
        return key
    mesh = stand(Mesh(cache.array(mended_key, "sketch_vertices"), cache.array(mended_key, "sketch_faces")), standing)
    return thumb(cache, [mended_key, plain(standing)], Site(as_is_surface(mesh)), rig, exposure)


def _thumb_key(key_inputs: list, rig: Rig, exposure: Exposure) -> str:
    return key_of("thumb", code_mark(), *key_inputs, plain(rig), plain(exposure))


def thumb(cache: Cache, key_inputs: list, site: Site, rig: Rig, exposure: Exposure) -> str:
    """A lit picture for the shelf. Returns the cache key."""
    key = _thumb_key(key_inputs, rig, exposure)
    if key not in cache:
        value = target(site, rig, exposure=exposure).value
        pixels = cut_out(site.surface, grey_srgb(value)[site.shown], THUMB_CAMERA, *THUMB_SIZE)
        cache.put(key, blobs={"thumb.png": png_bytes(pixels)})
    return key
