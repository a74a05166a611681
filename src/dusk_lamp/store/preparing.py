"""The stages of preparing a sculpt, each a pure function of its inputs, kept in the cache under their hash."""

import json
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.errors import DuskLampError
from ..core.plain import plain
from ..core.sculpt.decimate import clustered
from ..core.sculpt.facets import Facet, facet_fields, facets_from
from ..core.sculpt.marking import Marking
from ..core.sculpt.masks import read_mask
from ..core.sculpt.mend import Findings, Mended, holes_closed, mend, put_together
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.parts import Part, alone, gathered
from ..core.sculpt.pieces import Pieces, pieces_of
from ..core.sculpt.read import read_sculpt
from ..core.sculpt.relief import Relief, relief_of
from ..core.sculpt.site import Cuts, Notes, Rows, Site
from ..core.sculpt.stand import Placing, Standing, guess_up, placing, stand
from ..core.sculpt.surface import (
    RoughForm,
    Surface,
    quick_samples,
    rough_form,
    working_surface,
)
from ..core.sculpt.visibility import AT_FIRST, DIRECTIONS, Visibility, mark_of, unpacked, visibility_of
from .cache import Cache, code_mark, key_of

SCULPT = code_mark("core/sculpt")
SKETCH_VERTICES = 40_000  # for the first look, and the small pictures of how it could stand

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class MendedFacts:
    """What is known of a sculpt once its file is read and mended."""

    findings: dict[str, Any]
    notes: list[str]
    up_order: list[str]
    up_reasons: list[str]
    size: list[float]  # x, y, z in the file's units
    bounds: list[list[list[float]]]  # of each file: lowest and highest corner
    parts: list[dict]  # in the order of their numbers
    closed: int  # holes that were closed


def mended_key_of(files: list[dict[str, str]], close_holes: bool) -> str:
    """The cache key of a mended sculpt, without mending it."""
    shas = [[f["sha"], f["format"]] for f in files]
    return key_of("mended", SCULPT, shas, [f["name"] for f in files] if len(files) > 1 else [], close_holes)


def surface_key_of(mended_key: str, standing: Standing, most: int | None) -> str:
    """The cache key of a working surface, without laying it out."""
    return key_of("surface", SCULPT, mended_key, plain(standing), *([most] if most else []))


def mended(
    cache: Cache,
    files: list[dict[str, str]],
    paths: list[Path],
    close_holes: bool,
    say: Progress,
    read: Callable[[Mesh], None] = lambda _: None,
) -> tuple[str, MendedFacts]:
    """Read and mend the files of a sculpt. Returns the cache key and the facts.

    files: name, format and sha of each. paths: where they lie. read: is handed a sculpt of one file as soon as it is
    read; what it does is done while the mending goes on.

    Raises:
        DuskLampError: a file is bad; see core.sculpt.read.
    """
    key = mended_key_of(files, close_holes)
    if key in cache:
        return key, facts_of(cache, key)
    pieces, looks = [], []
    with ThreadPoolExecutor(1, thread_name_prefix="look") as beside:
        for file, path in zip(files, paths, strict=True):
            say("Reading the file" if len(files) == 1 else f"Reading “{file['name']}”", 0.02)
            raw = read_sculpt(path, file["format"])
            if len(files) == 1:
                looks.append(beside.submit(read, raw))
            say("Mending the surface", 0.1)
            pieces.append(mend(raw))
        result, file_of = put_together(pieces)
        closed = result.findings.holes
        if close_holes:
            result = holes_closed(result)
            file_of = _longer(file_of, result)
        part = gathered(result.shell, result.mesh.face_areas())
        say("Finding which way is up", 0.3)
        guesses = guess_up(result.mesh)
        facts = MendedFacts(
            plain(result.findings),
            result.findings.sentences(),
            [g.up for g in guesses],
            [g.reason for g in guesses],
            [float(s) for s in np.ptp(result.mesh.bounds, axis=0)],
            [piece.mesh.bounds.astype(float).tolist() for piece in pieces],
            plain(_parts(part, file_of, files)),
            closed - result.findings.holes if close_holes else 0,
        )
        sketch = sketch_of(result.mesh)
        cache.put(
            key,
            {
                "vertices": result.mesh.vertices,
                "faces": result.mesh.faces,
                "part": part,
                "turned": result.turned,
                "sketch_vertices": sketch.vertices,
                "sketch_faces": sketch.faces,
            },
            {"facts.json": json.dumps(asdict(facts)).encode()},
        )
    for look in looks:
        look.result()  # what went wrong there is said here
    return key, facts_of(cache, key)


def _longer(file_of: np.ndarray, result: Mended) -> np.ndarray:
    """The file of each face once skins were added: that of the other faces of their shell."""
    of_shell = np.zeros(int(result.shell.max()) + 1, np.int32)
    of_shell[result.shell[: len(file_of)]] = file_of
    return of_shell[result.shell]


def _parts(part: np.ndarray, file_of: np.ndarray, files: list[dict[str, str]]) -> list[Part]:
    """What the parts are called at first."""
    first = np.unique(part, return_index=True)[1]
    of_file = file_of[first]
    out = []
    for file, order in zip(
        of_file.tolist(), [int((of_file[:k] == of_file[k]).sum()) for k in range(len(first))], strict=True
    ):
        stem = Path(files[file]["name"]).stem.replace("_", " ").strip()[:50] or "Part"
        several = int((of_file == file).sum()) > 1
        name = (f"{stem} {order + 1}" if several else stem) if len(files) > 1 else f"Part {order + 1}"
        out.append(Part(name, file, order))
    return out


def load_mended(cache: Cache, mended_key: str) -> Mended:
    """A mended sculpt from the cache, its parts as shells.

    Raises:
        KeyError: it is not there.
    """
    arrays = [cache.array(mended_key, name) for name in ("vertices", "faces", "part", "turned")]
    found = Findings(**facts_of(cache, mended_key).findings)
    return Mended(Mesh(arrays[0], arrays[1]), arrays[2], arrays[3], found)


def facts_of(cache: Cache, mended_key: str) -> MendedFacts:
    """What is known of a mended sculpt; where it is not mended yet, what was kept of it beforehand.

    Raises:
        KeyError: nothing is.
    """
    try:
        return MendedFacts(**json.loads(cache.blob(mended_key, "facts.json")))
    except KeyError:
        return MendedFacts(**json.loads(cache.blob(_known_key(mended_key), "facts.json")))


def know(cache: Cache, mended_key: str, facts: bytes, ways: Mapping[tuple[str, str], bytes]) -> None:
    """Keep what is known of a sculpt before it is mended: facts as JSON, and PNGs of how it could stand, by up and
    front."""
    cache.put(_known_key(mended_key), blobs={"facts.json": facts})
    for (up, front), drawn in ways.items():
        cache.put(way_key(mended_key, up, front), blobs={"way.png": drawn})


def _known_key(mended_key: str) -> str:
    return key_of("known", SCULPT, mended_key)


def way_key(mended_key: str, up: str, front: str) -> str:
    """The cache key of a picture of the sculpt standing one way."""
    return key_of("way", code_mark(), mended_key, up, front)


def sketch_of(mesh: Mesh) -> Mesh:
    """Its rough form, for the first look and small pictures."""
    return mesh if len(mesh.vertices) <= SKETCH_VERTICES else clustered(mesh, SKETCH_VERTICES)[0]


def surface(cache: Cache, mended_key: str, standing: Standing, most: int | None, say: Progress) -> str:
    """Stand the sculpt up and lay out its working surface, in at most so many samples. Returns the cache key."""
    key = surface_key_of(mended_key, standing, most)
    if key not in cache:
        say("Standing it up", 0.34)
        raw = Mesh(cache.array(mended_key, "vertices"), cache.array(mended_key, "faces"))
        mesh = stand(raw, standing)
        say("Laying out the surface", 0.38)
        s = working_surface(mesh, cache.array(mended_key, "part"), most=most)
        chosen, between = quick_samples(s)
        cache.put(
            key,
            {
                "points": s.points,
                "normals": s.normals,
                "areas": s.areas,
                "faces": s.faces,
                "part": s.part,
                "inset": s.inset,
                "quick": chosen,
                "quick_faces": between,
                "placing": placing(raw, standing).as_array(),
            },
        )
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


def load_placing(cache: Cache, surface_key: str) -> Placing:
    """How a laid-out sculpt's file came to stand on the bench.

    Raises:
        KeyError: it is not there.
    """
    return Placing.from_array(cache.array(surface_key, "placing"))


Shadowless = list[tuple[int, tuple[int, ...]]]  # parts, and the parts that do not cast on each


def sky(
    cache: Cache,
    surface_key: str,
    laid: Surface,
    shadowless: Shadowless,
    say: Progress,
    stopped: Callable[[], bool],
) -> str:
    """Look at the sky from every sample; from those of a shadowless part also without what does not cast on it.
    Returns the cache key.

    Raises:
        Stopped: the painter stopped it.
    """
    key = key_of("sky", SCULPT, surface_key, DIRECTIONS)
    words = "Working out soft shadows"

    def glimpsed(view: Visibility) -> None:
        _keep_view(cache, glimpse_key_of(surface_key), view)
        say(f"{words}: the first are in", 0.6 + 0.38 * AT_FIRST / DIRECTIONS)

    if key not in cache:
        view = _known_sky(cache, surface_key, laid) or visibility_of(
            laid,
            DIRECTIONS,
            lambda share: say(words, 0.6 + 0.38 * share),
            stopped,
            None if shadowless else glimpsed,  # what a part sees without its neighbours would be wrong in it
        )
        _keep_view(cache, key, view)
    for part, uncast in shadowless:
        own_key = _part_key(surface_key, part, uncast)
        if own_key not in cache:
            say("Working out soft shadows from a part painted apart", 0.98)
            _keep_view(cache, own_key, visibility_of(alone(laid, (part,), uncast)[1], DIRECTIONS, None, stopped))
    return key


def know_sky(cache: Cache, surface_key: str, content: bytes) -> None:
    """Keep what a sculpt sees of the sky before it is laid out; see `visibility.packed`."""
    cache.put(_known_sky_key(surface_key), blobs={"sky.npz": content})


def _known_sky_key(surface_key: str) -> str:
    return key_of("known sky", SCULPT, surface_key, DIRECTIONS)


def _known_sky(cache: Cache, surface_key: str, laid: Surface) -> Visibility | None:
    key = _known_sky_key(surface_key)
    return unpacked(cache.blob(key, "sky.npz"), laid) if key in cache else None


def glimpse_key_of(surface_key: str) -> str:
    """The cache key of what is known of the sky before all of it is."""
    return key_of("glimpse", SCULPT, surface_key, DIRECTIONS, AT_FIRST)


def glimpsed(cache: Cache, surface_key: str | None) -> bool:
    """Whether the first of the sky is known."""
    return surface_key is not None and glimpse_key_of(surface_key) in cache


def load_glimpse(cache: Cache, surface_key: str) -> Visibility | None:
    """What each sample sees along the first directions, from the cache; None where that is not known either."""
    try:
        return _load_view(cache, glimpse_key_of(surface_key))
    except KeyError:
        return None


VIEW_ARRAYS = ("directions", "bits", "base_row", "base_sample", "base_direction")


def _keep_view(cache: Cache, key: str, view: Visibility) -> None:
    cache.put(key, {name: getattr(view, name) for name in VIEW_ARRAYS})


def _part_key(surface_key: str, part: int, uncast: tuple[int, ...]) -> str:
    return key_of("sky of a part", SCULPT, surface_key, DIRECTIONS, part, list(uncast))


def load_sky(cache: Cache, sky_key: str, surface_key: str, laid: Surface, shadowless: Shadowless) -> Visibility:
    """What each sample sees of the sky, from the cache.

    Raises:
        KeyError: it is not there.
    """
    view = _load_view(cache, sky_key)
    for part, uncast in shadowless:
        chosen = np.flatnonzero(laid.part == part).astype(np.int32)
        view = view.with_part(chosen, _load_view(cache, _part_key(surface_key, part, uncast)))
    return view


def _load_view(cache: Cache, key: str) -> Visibility:
    return Visibility(**{name: cache.array(key, name) for name in VIEW_ARRAYS})


def relief(cache: Cache, surface_key: str, laid: Surface, rows: Rows = None) -> Relief:
    """What a brush feels of a surface, worked out once; of some rows alone where that of all is not known yet."""
    key = key_of("relief", SCULPT, surface_key)
    if key not in cache:
        if rows is not None:
            return relief_of(laid, rows=rows)
        felt = relief_of(laid)
        cache.put(key, {"cavity": felt.cavity, "exposed": felt.exposed})
    span = slice(None) if rows is None else rows
    return Relief(cache.array(key, "cavity")[span], cache.array(key, "exposed")[span])


def rough(cache: Cache, surface_key: str, laid: Surface) -> RoughForm:
    """The rough form of a surface, worked out once."""
    key = key_of("rough", SCULPT, surface_key)
    if key not in cache:
        cache.put(key, rough_form(laid)._asdict())
    return RoughForm(*(cache.array(key, name) for name in RoughForm._fields))


FACET_ARRAYS = ("numbers", "own", "meets")


def kept_facets(cache: Cache, surface_key: str, site: Site, notes: Notes = (), cuts: Cuts = ()) -> list[Facet]:
    """The facets of a sculpt as a painter corrected them, worked out once."""
    key = key_of("facets", SCULPT, surface_key, plain(notes), plain(cuts))
    if key not in cache:
        known = None if notes or cuts else _known_facets(cache, surface_key, site.surface)
        cache.put(key, known or facet_fields(site.found_facets(notes, cuts)))
    return facets_from({name: cache.array(key, name) for name in FACET_ARRAYS}, len(site))


def know_facets(cache: Cache, surface_key: str, content: bytes) -> None:
    """Keep the facets of a sculpt before it is laid out; see `packed_facets`."""
    cache.put(key_of("known facets", SCULPT, surface_key), blobs={"facets.npz": content})


def packed_facets(site: Site) -> bytes:
    """The facets of a sculpt as a small NPZ."""
    out, found = BytesIO(), facet_fields(site.found_facets())
    mark, numbers, masks, meets = mark_of(site.surface), *(found[name] for name in FACET_ARRAYS)
    np.savez_compressed(out, of=mark, numbers=numbers, own=masks, meets=meets)
    return out.getvalue()


def _known_facets(cache: Cache, surface_key: str, laid: Surface) -> dict[str, NDArray] | None:
    key = key_of("known facets", SCULPT, surface_key)
    if key not in cache:
        return None
    with np.load(BytesIO(cache.blob(key, "facets.npz")), allow_pickle=False) as kept:
        return {name: kept[name] for name in FACET_ARRAYS} if str(kept["of"]) == mark_of(laid) else None


def mesh_on_bench(cache: Cache, mended_key: str, at: Placing) -> Mesh:
    """The file's triangles as they stand on the bench, mm.

    Raises:
        KeyError: they are not in the cache.
    """
    raw = load_mended(cache, mended_key).mesh
    return Mesh(at.to_bench(raw.vertices).astype(np.float32), raw.faces)


TREE_ARRAYS = ("facet", "children", "cost", "area", "place", "faces", "face_area", "beside", "border")


def pieces(cache: Cache, sky_key: str, site: Site, say: Progress) -> Pieces:
    """What a painter would mark as one thing, at every size, worked out once; sky_key: of what can be painted."""
    key = key_of("pieces", SCULPT, sky_key)
    if key not in cache:
        tree = pieces_of(
            site.surface, site.paintable, site.bends, lambda share: say("Putting its pieces together", share)
        )
        cache.put(
            key, {"base": np.array([tree.base], np.int32), **{name: getattr(tree, name) for name in TREE_ARRAYS}}
        )
    return Pieces(**{name: cache.array(key, name) for name in TREE_ARRAYS}, base=int(cache.array(key, "base")[0]))


def own_marking(path: Path, file_format: str, laid: Surface, at: Placing) -> Marking | None:
    """The regions that a sculpt's own file carries, if it does."""
    if file_format != "ply":
        return None
    try:
        mask = read_mask(path, "ply")
        return mask.on(laid, at) if mask else None
    except DuskLampError:  # the sculpt itself is sound; odd regions are no reason to refuse it
        return None
