"""Finishes the demo plans that ship: `python -m tools.finish_demo [NAME ...]` works each out as the bench would
and packs its coats, its regions and its picture, so that a fresh shelf shows real work at once."""

import base64
import json
import lzma
import sys
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from importlib.resources import files
from io import BytesIO
from pathlib import Path
from typing import Any

from dusk_lamp.core.coat.stack import looks
from dusk_lamp.core.log.entry import Entry, entry_of
from dusk_lamp.core.paint.rack import rack_from_csv
from dusk_lamp.core.plain import plain
from dusk_lamp.core.plan.context import Context
from dusk_lamp.core.plan.document import PARTS_OF_FILE, Plan, document_of
from dusk_lamp.core.plan.registry import features
from dusk_lamp.core.plan.run import run, settled
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.parts import alone
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.stand import fronts_for
from dusk_lamp.core.sculpt.surface import Surface
from dusk_lamp.core.sculpt.visibility import view_packed as packed_view
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.view.formats import png_bytes
from dusk_lamp.core.view.raster import cut_out
from dusk_lamp.core.workplace.tools import Tools
from dusk_lamp.demo.finished import HERE, Finished
from dusk_lamp.demo.load import sculpt_file
from dusk_lamp.demo.plans import DEMO, Demo
from dusk_lamp.jobs import small_pictures
from dusk_lamp.store import preparing
from dusk_lamp.store.cache import FolderCache

WITH_METAL = ("wick-warden", "sluice-knight")  # their facets ship
SKIES = ("wick-warden", "sluice-knight", "kiln-keeper", "reed-runner-1")  # behind the shelf's cards; a megabyte each


def _quiet(*_: object) -> None:
    """Nobody waits to hear how far it is."""


@dataclass(frozen=True)
class OnBench:
    """A demo sculpt as the bench lays it out, in a folder that is there for as long."""

    fields: FolderCache
    path: Path
    mended: str
    surface_key: str
    laid: Surface


@contextmanager
def on_bench(demo: Demo) -> Iterator[OnBench]:
    """A demo sculpt, laid out."""
    with tempfile.TemporaryDirectory() as folder:
        fields, path = FolderCache(Path(folder) / "cache"), Path(folder) / f"{demo.file}.ply"
        path.write_bytes(sculpt_file(demo))
        standing = demo.standing().sculpt.standing
        if standing is None:
            raise ValueError(f"{demo.name} does not stand")
        file = {"name": path.name, "format": "ply", "sha": "demo"}
        mended, _ = preparing.mended(fields, [file], [path], False, _quiet)
        surface_key = preparing.surface(fields, mended, standing, None, _quiet)
        yield OnBench(fields, path, mended, surface_key, preparing.load_surface(fields, surface_key))


def sky_packed(demo: Demo) -> bytes:
    """What a demo sculpt sees of the sky, packed."""
    with on_bench(demo) as bench:
        return packed_view(visibility_of(bench.laid), bench.laid)


def facets_packed(demo: Demo) -> bytes:
    """The facets of a demo sculpt, packed."""
    with on_bench(demo) as bench:
        mesh = preparing.mesh_on_bench(
            bench.fields, bench.mended, preparing.load_placing(bench.fields, bench.surface_key)
        )
        return preparing.packed_facets(Site(bench.laid, mesh=lambda: mesh))


def _under_its_sky(on: OnBench, plan: Plan, mesh: Callable[[], Mesh] | None = None) -> Site:
    sky = preparing.sky(on.fields, on.surface_key, on.laid, plan.shadowless, _quiet, lambda: False)
    view = preparing.load_sky(on.fields, sky, on.surface_key, on.laid, plan.shadowless)
    return Site(on.laid, view, [alone(on.laid, (part,), uncast) for part, uncast in plan.shadowless], mesh=mesh)


def planned(demo: Demo, on: OnBench, sky: bytes | None = None) -> Finished:
    """The plan of a demo sculpt that is laid out, with all its coats. sky: what it sees, packed, if it is known."""
    context = settled(_opened(demo, on, sky))
    seen = looks(context.simulation.reflectance([c for c in context.plan.coats if not c.muted]))[1]
    drawn = cut_out(on.laid, seen[context.site.shown], small_pictures.THUMB_CAMERA, *small_pictures.THUMB_SIZE)
    return Finished(context.plan, context.site.marking.labels, png_bytes(drawn))


def painted_steps(demo: Demo, on: OnBench, plan: Plan, sky: bytes | None = None) -> list[Entry]:
    """What the log says of those steps of a finished plan that are painted, but for when and how long."""
    ran = run(_opened(demo, on, sky).on(plan))
    return [entry_of(step, demo.name, "done", "", None) for step in ran.steps[: demo.painted]]


def _opened(demo: Demo, on: OnBench, sky: bytes | None) -> Context:
    """A demo sculpt on the bench, with its regions and wishes."""
    fields, surface_key, laid = on.fields, on.surface_key, on.laid
    placed = preparing.load_placing(fields, surface_key)
    marking = preparing.own_marking(on.path, "ply", laid, placed)
    if marking is None:
        raise ValueError(f"{demo.name} carries no regions")
    plan = demo.plan(marking)
    marking = replace(marking, regions=plan.regions)  # in their colours
    mesh = preparing.mesh_on_bench(fields, on.mended, placed)
    if sky is not None:
        preparing.know_sky(fields, surface_key, sky)
    site = _under_its_sky(on, plan, lambda: mesh)
    rack = rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())
    return Context(plan.marked(marking), site.marked(marking, plan.loose), rack, Tools(), placed, features=features())


def lit_picture(demo: Demo) -> bytes:
    """The picture for the shelf of a demo sculpt that nobody has planned: under its lamp and sky."""
    with on_bench(demo) as on:
        plan = demo.standing()
        site = _under_its_sky(on, plan)
        return on.fields.blob(
            small_pictures.thumb(on.fields, [demo.file], site, plan.light, plan.exposure), "thumb.png"
        )


def standing_ways(demo: Demo) -> bytes:
    """What is known of a demo sculpt before it is mended, as a ZIP: its facts, and how it could stand as pictures."""
    with tempfile.TemporaryDirectory() as folder:
        fields, path = FolderCache(Path(folder) / "cache"), Path(folder) / f"{demo.file}.ply"
        path.write_bytes(sculpt_file(demo))
        file = {"name": path.name, "format": "ply", "sha": "demo"}
        mended, facts = preparing.mended(fields, [file], [path], False, _quiet)
        stands_file = demo.standing().sculpt
        stands = stands_file.up or facts.up_order[0]
        ways = {(up, stands_file.front or "" if up == stands else fronts_for(up)[0]) for up in facts.up_order}
        ways |= {(stands, front) for front in fronts_for(stands)}
        out = BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as kept:
            kept.writestr(_at_noon("facts.json"), json.dumps(plain(facts)))
            for up, front in sorted(ways):
                drawn = small_pictures.way_picture(fields, mended, up, front)
                kept.writestr(_at_noon(f"{up} {front}.png"), drawn)
        return out.getvalue()


def _at_noon(name: str) -> zipfile.ZipInfo:
    """A file of a ZIP that is the same whenever it is packed."""
    return zipfile.ZipInfo(name, (2026, 1, 1, 12, 0, 0))


def plan_packed(done: Finished) -> bytes:
    """A finished plan as it ships."""
    document = {k: v for k, v in document_of(done.plan).items() if k not in PARTS_OF_FILE}
    content: dict[str, Any] = {
        "plan": document,
        "labels": base64.b64encode(lzma.compress(done.labels.tobytes())).decode(),
        "picture": base64.b64encode(done.picture).decode(),
    }
    return lzma.compress(json.dumps(content, ensure_ascii=False).encode(), preset=9)


def main() -> None:
    """Finish the named demo plans, or all that are to be."""
    HERE.mkdir(exist_ok=True)
    for demo in DEMO:
        if sys.argv[1:] and demo.file not in sys.argv[1:]:
            continue
        (HERE / f"{demo.file}.stand.zip").write_bytes(standing_ways(demo))
        if demo.file in SKIES:
            (HERE / f"{demo.file}.sky.npz").write_bytes(sky_packed(demo))
        if demo.file in WITH_METAL:
            (HERE / f"{demo.file}.facets.npz").write_bytes(facets_packed(demo))
        if not demo.finished:
            (HERE / f"{demo.file}.png").write_bytes(lit_picture(demo))
            continue
        with on_bench(demo) as on:
            done = planned(demo, on)
            content = plan_packed(done)
            (HERE / f"{demo.file}.json.xz").write_bytes(content)
            print(f"{demo.file}: {len(content) / 1e6:.2f} MB")
            if demo.painted:
                entries = [plain(e) for e in painted_steps(demo, on, done.plan)]
                (HERE / f"{demo.file}.log.json").write_text(json.dumps(entries, ensure_ascii=False, indent=1))


if __name__ == "__main__":
    main()
