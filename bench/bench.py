"""Speed and memory of the work a painter waits for. `bin/bench` runs it; `bin/bench import light` some parts, which
`bin/bench --help` names."""

import argparse
import lzma
import os
import re
import statistics
import subprocess
import sys
import tempfile
import time
from importlib.resources import files
from pathlib import Path

import numpy as np

RUNS = 3


def median(job, runs=RUNS):
    """Median seconds of several runs, after one that warms up."""
    job()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        job()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


IN_SECONDS = {"ms": 1e-3, "s": 1.0}
judged: list[tuple[str, bool]] = []  # what had a target, and whether it was met


def met(figure, target):
    """Whether a figure such as "44 ms" is within a target such as "≤ 50 ms"; None where there is none to compare."""
    found = re.match(r"([≤≥]) ([\d.]+) ?(\w+|%)?", target)
    own = re.match(r"([\d.]+) ?(\w+|%)?", figure)
    if not found or not own:
        return None
    wanted = float(found[2]) * IN_SECONDS.get(found[3], 1)
    measured = float(own[1]) * IN_SECONDS.get(own[2], 1)
    return measured <= wanted if found[1] == "≤" else measured >= wanted


def row(what, figure, target="", ratio=""):
    good = met(figure, target)
    if good is not None:
        judged.append((what.strip(), good))
    verdict = "" if good is None else "met" if good else "MISSED"
    print(f"{what:<66} {figure:>14}  {target:<12} {verdict:<7} {ratio}", flush=True)


def head(title):
    print(f"\n{title:<66} {'measured':>14}  {'target':<12} {'':<7} ratio")


def pace():
    """Seconds that ten million steps of a plain loop take: the reference that figures of another hour go by."""
    start, total = time.perf_counter(), 0
    for k in range(10_000_000):
        total += k
    return time.perf_counter() - start


def warden_mesh():
    from dusk_lamp.core.sculpt.read import read_sculpt

    with tempfile.NamedTemporaryFile(suffix=".ply") as f:
        f.write(lzma.decompress((files("dusk_lamp.demo") / "wick-warden.ply.xz").read_bytes()))
        f.flush()
        return read_sculpt(f.name)


def stl_of(triangles: int, folder: Path) -> Path:
    """The wick-warden with this many triangles, as a binary STL of loose triangles, as printers' files are."""
    import fast_simplification

    mesh = warden_mesh()
    rounds = max(0, int(np.ceil(np.log(triangles / len(mesh.faces)) / np.log(4))))
    points, faces = fast_simplification.simplify(mesh.vertices, mesh.faces, target_count=triangles // 4**rounds)
    corners = points[faces]
    for _ in range(rounds):
        a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
        ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
        corners = np.concatenate([np.stack(t, axis=1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])
    out = np.zeros(len(corners), [("n", "<f4", 3), ("v", "<f4", (3, 3)), ("a", "<u2")])
    out["v"] = corners
    path = folder / f"{triangles}.stl"
    path.write_bytes(b"\0" * 80 + np.uint32(len(out)).tobytes() + out.tobytes())
    return path


def highest() -> float:
    """The most memory that this process has held, GB; what `getrusage` says counts that of its parent in."""
    line = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmHWM"))
    return int(line.split()[1]) / 1e6


def first_picture(path: str) -> None:
    """From a file to its first lit picture, and say how long and how large it was. Runs in a process of its own."""
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.rig import Rig
    from dusk_lamp.core.sculpt.site import Site
    from dusk_lamp.core.sculpt.stand import guessed_standing
    from dusk_lamp.core.target.exposure import Exposure
    from dusk_lamp.jobs import small_pictures
    from dusk_lamp.store import preparing as stages
    from dusk_lamp.store.cache import FolderCache

    with tempfile.TemporaryDirectory() as folder:
        cache = FolderCache(Path(folder))
        start = time.perf_counter()
        first = start

        def look(raw):
            nonlocal first
            small_pictures.look_at_once(cache, mended_key, raw, None, Rig(Lamp(40, 60)), Exposure())
            first = time.perf_counter()

        files = [{"name": "bench.stl", "format": "stl", "sha": "bench"}]
        mended_key = stages.mended_key_of(files, False)
        key, facts = stages.mended(cache, files, [Path(path)], False, lambda *_: None, look)
        standing = guessed_standing(facts.up_order[0], facts.size)
        small_pictures.first_look(cache, key, standing, Rig(Lamp(40, 60)), Exposure())
        began = time.perf_counter()
        surface_key = stages.surface(cache, key, standing, None, lambda *_: None)
        laid = time.perf_counter()
        site = Site(stages.load_surface(cache, surface_key))
        stages.rough(cache, surface_key, site.surface)
        end = time.perf_counter()  # the bench opens; its picture for the shelf can wait
        small_pictures.thumb(cache, [surface_key], site, Rig(Lamp(40, 60)), Exposure())
        peak = highest()
        alone = time.perf_counter()  # once more, without the picture that is drawn beside it
        stages.mended(FolderCache(Path(folder) / "again"), files, [Path(path)], False, lambda *_: None)
        mended = time.perf_counter() - alone
    print(first - start, mended, laid - began, end - start, peak)


def bench_import(folder: Path) -> None:
    head("From file to first lit picture (read, mend, stand, light, draw; a process of its own)")
    for triangles, target in ((1_000_000, "5 s"), (4_000_000, "8 s")):
        path = stl_of(triangles, folder)
        runs = []
        for _ in range(RUNS if triangles < 2e6 else 2):
            out = subprocess.run(
                [sys.executable, __file__, "--first-picture", str(path)], capture_output=True, text=True, check=True
            )
            runs.append([float(x) for x in out.stdout.split()])
        look, mended, laid, ready, peak = (statistics.median(r) for r in zip(*runs, strict=True))
        row(
            f"{triangles:,} triangles, {path.stat().st_size / 1e6:.0f} MB",
            f"{look:.2f} s",
            f"≤ {target}",
        )
        million = triangles < 2e6
        row("    read and mended", f"{mended:.2f} s", "≤ 1.5 s" if million else "")
        row("    laid out", f"{laid:.2f} s", "≤ 2.5 s" if million else "")
        row("    until the bench is ready", f"{ready:.2f} s", "≤ 5 s" if million else "")
        row("    peak memory", f"{peak:.2f} GB", "≤ 1.5 GB")


def laid_out(samples):
    from dusk_lamp.core.sculpt.mend import mend
    from dusk_lamp.core.sculpt.stand import Standing, stand
    from dusk_lamp.core.sculpt.surface import working_surface

    mended = mend(warden_mesh())
    return working_surface(stand(mended.mesh, Standing(height_mm=40)), mended.shell, samples=samples)


def bench_light(_folder: Path) -> None:
    from dusk_lamp.core.light.key import key_light
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.rig import MOVING_RAYS, Rig, light_on
    from dusk_lamp.core.sculpt.site import Site
    from dusk_lamp.core.sculpt.surface import quick_samples
    from dusk_lamp.core.sculpt.visibility import visibility_of

    surface = laid_out(137_000)
    surface.caster, surface.origins  # noqa: B018
    head(f"Light on {len(surface):,} samples of the wick-warden")
    lamps = iter([Lamp(a, 50) for a in range(0, 3600, 7)])
    hard = median(lambda: key_light(surface, next(lamps)), 9)
    row("hard key, relight", f"{hard * 1e3:.0f} ms", "≤ 50 ms")
    row("soft key, 16° wide, 32 rays", f"{median(lambda: key_light(surface, Lamp(40, 50, 16), 32)) * 1e3:.0f} ms")
    first = []
    start = time.perf_counter()
    view = visibility_of(surface, glimpsed=lambda _: first.append(time.perf_counter() - start))
    row("the first 64 directions of the sky", f"{first[0]:.2f} s", "≤ 2 s")
    row("sky, 256 directions", f"{time.perf_counter() - start:.2f} s", "≤ 6 s")
    quick = Site(surface, view).only(*quick_samples(surface))
    rigs = iter([Rig(Lamp(a, 50, 16), 0.25, "overcast", 0.15) for a in range(0, 3600, 7)])
    row(
        "lamp in motion, lamp + sky + bounce, quick samples",
        f"{median(lambda: light_on(quick, next(rigs), MOVING_RAYS), 9) * 1e3:.0f} ms",
    )

    head("Occlusion rays, the same ones each time (front-facing samples toward one direction)")
    direction = Lamp(40, 50).direction
    origins = surface.origins[surface.normals @ direction > 0]
    many = np.ascontiguousarray(np.broadcast_to(direction, origins.shape))
    ours = median(lambda: surface.caster.blocked(origins, direction), 7)
    row(f"ours, {len(origins):,} rays", f"{len(origins) / ours / 1e6:.2f} M/s")

    import trimesh
    from trimesh.ray.ray_pyembree import RayMeshIntersector

    plain = RayMeshIntersector(trimesh.Trimesh(surface.points, surface.faces, process=False))
    theirs = median(lambda: plain.intersects_any(origins, many))
    row(
        "trimesh's ray interface over the same library",
        f"{len(origins) / theirs / 1e6:.2f} M/s",
        "",
        f"ours is {theirs / ours:.1f} × as fast",
    )
    import point_cloud_utils as pcu

    other = pcu.RayMeshIntersector(surface.points.astype(np.float32), surface.faces)
    theirs = median(lambda: other.intersect_rays(origins, many))
    row("point-cloud-utils", f"{len(origins) / theirs / 1e6:.2f} M/s", "", f"ours is {theirs / ours:.1f} × as fast")


def bench_regions(_folder: Path) -> None:
    from dusk_lamp.core.sculpt.marking import Marking
    from dusk_lamp.core.sculpt.regions import grow
    from dusk_lamp.core.sculpt.relief import Bends, cavity, exposed, lines

    surface = laid_out(137_000)
    head(f"Regions and relief on {len(surface):,} samples of the wick-warden")
    bends = Bends(surface)
    seed = surface.points[np.argmin(np.linalg.norm(surface.points - [0, 6, 15], axis=1))]
    marking = Marking(np.zeros(len(surface), np.uint8))
    row(
        "pick: grow a region from a spot and mark it",
        f"{median(lambda: marking.painted(grow(surface, seed, 40, bends), None), 7) * 1e3:.0f} ms",
        "≤ 100 ms",
    )
    from dusk_lamp.core.sculpt.brush import dab, likeness
    from dusk_lamp.core.sculpt.parts import spot
    from dusk_lamp.core.sculpt.pieces import guess, pieces_of

    eye, toward = np.array([0, 99, 15], np.float32), np.array([0, -1, 0], np.float32)
    row(
        "brush: find the spot and what one dab touches",
        f"{median(lambda: dab(surface, spot(surface, eye, toward)[1], -toward, 1.0), 9) * 1e3:.1f} ms",
        "≤ 30 ms to new pixels",
    )
    row(
        "first guess of the regions",
        f"{median(lambda: guess(pieces_of(surface, surface.areas > 0, bends)), 1):.2f} s",
    )
    from painter import COPIES, measured

    found = measured(70_000)
    for copy in COPIES:
        first, named, done, took = (float(np.mean([r[k] for r in found if r[1] == copy])) for k in (2, 3, 4, 5))
        row(f"pieces, {copy}: first guess of eight", f"{first:.2f}", "≥ 0.65", f"the tree takes {took:.1f} s")
        row(f"pieces, {copy}: after twelve clicks", f"{done:.2f}", "≥ 0.88", f"named, before the first: {named:.2f}")
    for name, copy, first, _, done, _ in sorted(found, key=lambda r: r[4])[:4]:
        row(f"worst: {name}, {copy}", f"{done:.2f}", "", f"first guess {first:.2f}")
    row("curvature at two scales (once per sculpt)", f"{median(lambda: likeness(surface, bends), 1) * 1e3:.0f} ms")
    row("how faces meet (once per sculpt)", f"{median(lambda: Bends(surface)) * 1e3:.0f} ms")
    row("cavity and exposedness", f"{median(lambda: (cavity(surface), exposed(surface)), 1):.2f} s", "≤ 4 s")
    row("crests and creases as lines", f"{median(lambda: lines(surface, None, bends), 1):.2f} s", "≤ 1 s")


def bench_paint(_folder: Path) -> None:
    from dusk_lamp.core.paint.colour import colour_of_hex
    from dusk_lamp.core.paint.film import coats, film
    from dusk_lamp.core.paint.mix import match
    from dusk_lamp.core.paint.rack import rack_from_csv

    rack = rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())
    head("Paint")
    own = rack.mixable()
    K, S = (np.stack([getattr(p.pigment, k) for p in own[:6]]) for k in "KS")
    thickness = np.random.default_rng(1).uniform(0, 25, (6, 150_000)).astype(np.float32)
    ground = np.full(36, 0.4)
    coats(K, S, thickness[:, :100], ground)  # compiled once
    ours = median(lambda: coats(K, S, thickness, ground), 3)
    row("stack of 6 coats on 150,000 spots × 36 bands", f"{ours:.2f} s", "≤ 0.5 s")

    def plainly():
        out = np.broadcast_to(ground, (150_000, 36))
        for k, s, d in zip(K, S, thickness, strict=True):
            out = film(k, s, d, out)

    theirs = median(plainly, 1)
    row("    the same formula in plain numpy", f"{theirs:.2f} s", "", f"ours is {theirs / ours:.1f} × as fast")
    wanted = colour_of_hex("#7f5a6b")
    row(f"match among {len(own)} paints, three of them", f"{median(lambda: match(wanted, own), 3):.2f} s", "≤ 2 s")


def bench_undercoat(_folder: Path) -> None:
    from dusk_lamp.core.coat.spray import Spray, roughly, spray
    from dusk_lamp.core.coat.stack import appearance
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.rig import Rig
    from dusk_lamp.core.paint.mix import only
    from dusk_lamp.core.paint.rack import rack_from_csv
    from dusk_lamp.core.plan.features.undercoat.pots import pots_from
    from dusk_lamp.core.plan.features.undercoat.schools import school_coats
    from dusk_lamp.core.plan.features.undercoat.schools.school import Kit, primed
    from dusk_lamp.core.plan.features.undercoat.spray_fit import fit
    from dusk_lamp.core.plan.outcome import outcome
    from dusk_lamp.core.sculpt.site import Site
    from dusk_lamp.core.sculpt.visibility import visibility_of
    from dusk_lamp.core.target.exposure import Exposure, laid_between
    from dusk_lamp.core.target.target import target

    surface = laid_out(133_000)
    surface.caster, surface.origins  # noqa: B018
    head(f"Undercoat on {len(surface):,} samples of the wick-warden")
    bare, site = Site(surface), Site(surface, visibility_of(surface))

    def off(found, wanted):
        rms = np.sqrt(np.average((found - wanted) ** 2, weights=site.areas))
        return f"{rms / np.average(wanted, weights=site.areas):.3f} of the mean film off (rms)"

    row("one burst", f"{median(lambda: spray(site, Spray(40, 60, way='burst')), 3):.2f} s", "≤ 0.3 s")
    for words, pass_ in (("one stroke", Spray(40, 60)), ("one turn, all round", Spray(40, 60, way="turn"))):
        cast = median(lambda p=pass_: spray(bare, p), 3)
        wanted = spray(bare, pass_).film
        for how, laid in (("rays where in doubt", spray), ("no ray at all", roughly)):
            own = median(lambda p=pass_, by=laid: by(site, p), 3)
            more = f"cast whole {cast / own:.1f} × as long; {off(laid(site, pass_).film, wanted)}"
            row(f"{words}, {how}", f"{own:.2f} s", "≤ 0.3 s", more)
    pots = pots_from(rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes()))
    rig = Rig(Lamp(40, 58, 16), 0.22, "overcast", 0.15)
    exposure = Exposure()
    wanted = laid_between(target(site, rig, exposure=exposure).value, exposure, pots.darkest, pots.lightest)
    coats = school_coats("ladder", Kit(surface, rig.lamp, pots))
    films = [c.film(site) for c in coats]
    row(
        "looks after one more coat",
        f"{median(lambda: appearance([(coats[1], films[1])], len(surface))) * 1e3:.0f} ms",
    )
    found = []
    took = median(lambda: found.append(fit(site, wanted, rig.lamp, only(pots.primer), pots.greys)), 3)
    row("fit of the passes", f"{took:.1f} s", "≤ 6 s")
    for name, plan in (("fitted passes", [primed(only(pots.primer), ""), *found[0].coats]), ("grey ladder", coats)):
        within = outcome(site, plan, wanted, steps=False).within
        row(f"{name}: area within half a value", f"{within:.0%}", "≥ 85 %" if name[0] == "f" else "")


def bench_colour(_folder: Path) -> None:
    """The warden's own regions in colours of the demo rack, over a grey ladder of its light."""
    from dataclasses import replace

    from dusk_lamp.cli.common import the_rack
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.rig import Rig
    from dusk_lamp.core.light.tint import Tints
    from dusk_lamp.core.plan.brief import brief_of, seen_after
    from dusk_lamp.core.plan.features.colour.ways import ways
    from dusk_lamp.core.plan.features.undercoat.pots import pots_from
    from dusk_lamp.core.plan.features.undercoat.school_fit import fit_school
    from dusk_lamp.core.plan.features.undercoat.schools import school_coats
    from dusk_lamp.core.plan.features.undercoat.schools.school import Kit
    from dusk_lamp.core.plan.nearness import nearness
    from dusk_lamp.core.plan.simulation import Simulation
    from dusk_lamp.core.sculpt.marking import Marking
    from dusk_lamp.core.sculpt.masks import read_mask
    from dusk_lamp.core.sculpt.site import Site
    from dusk_lamp.core.sculpt.stand import Standing, placing
    from dusk_lamp.core.sculpt.visibility import visibility_of
    from dusk_lamp.core.target.exposure import Exposure, laid_between
    from dusk_lamp.core.target.local import local_of, usual_local
    from dusk_lamp.core.target.target import sketched, target

    surface = laid_out(150_000)
    with tempfile.NamedTemporaryFile(suffix=".ply") as f:
        f.write(lzma.decompress((files("dusk_lamp.demo") / "wick-warden.ply.xz").read_bytes()))
        f.flush()
        mask = read_mask(f.name, "ply")
    marking = mask.on(surface, placing(warden_mesh(), Standing("z", "-y", 54.0)))
    colours = (
        "Harbour Grey",
        "Tan Bark",
        "Saddle",
        "Cockle Red",
        "Mud Bank",
        "Deep Channel",
        "Tide Blue",
        "Freckle",
        "Sailcloth",
        "Driftwood",
        "Rain Barrel",
        "Marigold",
    )
    regions = tuple(replace(r, colour=colours[k % len(colours)]) for k, r in enumerate(marking.regions))
    site, rack = Site(surface, visibility_of(surface), marking=Marking(marking.labels, regions)), the_rack(None)
    head(f"Colour, {len(surface):,} samples, {len(regions)} regions")
    rig, exposure = Rig(Lamp(40, 55, 14), 0.25, "overcast", 0.15), Exposure()
    grey, locals_ = (
        target(site, rig, exposure=exposure),
        [usual_local("stone"), *(local_of(r, rack.find(r.colour).looks.hex) for r in regions)],
    )
    row(
        "sketch in colour, one region changed",
        f"{median(lambda: sketched(site, grey, exposure, locals_)) * 1e3:.0f} ms",
        "≤ 200 ms",
    )
    warm = Tints("#ffb070", "#a0b0ff", "#803020")
    row(
        "    with coloured light",
        f"{median(lambda: sketched(site, grey, exposure, locals_, warm)) * 1e3:.0f} ms",
        "≤ 200 ms",
    )
    wanted = sketched(site, grey, exposure, locals_)
    kit = Kit(surface, rig.lamp, pots_from(rack))
    coats, _ = fit_school(site, school_coats("ladder", kit), laid_between(grey.value, exposure, 0, 1))
    under = Simulation(site).reflectance(coats)
    tasks = [brief_of(site, wanted, k, under, rack) for k in range(1, len(regions) + 1)]
    for way in (w for w in ways().values() if not w.only_for):
        start = time.perf_counter()
        found = [way.coats(task) for task in tasks]
        took = time.perf_counter() - start
        near = [nearness(task, seen_after(task, own)) for task, own in zip(tasks, found, strict=True)]
        areas = np.array([task.weight().sum() for task in tasks])
        within = float(np.average([n.within for n in near], weights=areas))
        worst = min(zip(near, tasks, strict=True), key=lambda pair: pair[0].within)
        count = sum(map(len, found))
        row(
            f"{way.title}: {count} coats on all regions",
            f"{took:.1f} s",
            "≤ 15 s",
            f"{within:.0%} within ΔE 5, worst {worst[1].name} {worst[0].within:.0%}",
        )


def warden_site(samples):
    """The wick-warden laid out with its own regions and what it sees of its surroundings."""
    from dusk_lamp.core.sculpt.masks import read_mask
    from dusk_lamp.core.sculpt.site import Site
    from dusk_lamp.core.sculpt.stand import Standing, placing
    from dusk_lamp.core.sculpt.visibility import visibility_of

    surface = laid_out(samples)
    with tempfile.NamedTemporaryFile(suffix=".ply") as f:
        f.write(lzma.decompress((files("dusk_lamp.demo") / "wick-warden.ply.xz").read_bytes()))
        f.flush()
        mask = read_mask(f.name, "ply")
    marking = mask.on(surface, placing(warden_mesh(), Standing(height_mm=40)))
    return Site(surface, visibility_of(surface), marking=marking)


def bench_glow(_folder: Path) -> None:
    from dusk_lamp.core.light.emitter import FEW_PLACES, Source, faces_of, glow_of
    from dusk_lamp.core.light.flame import flamed
    from dusk_lamp.core.light.glint import glinting
    from dusk_lamp.core.light.heat import heated
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.planes import plane_at
    from dusk_lamp.core.light.rig import Rig
    from dusk_lamp.core.plan.features.glow.glows import WishedGlow, glowing, reached
    from dusk_lamp.core.target.exposure import Exposure, value_of_light
    from dusk_lamp.core.target.local import usual_local
    from dusk_lamp.core.target.target import sketched, target

    site = warden_site(150_000)
    surface, names = site.surface, [r.name for r in site.marking.regions]
    lamp = Source("region", names.index("Flame") + 1 if "Flame" in names else 1)
    head(
        f"Glow of a region of {len(faces_of(site, lamp.region)):,} faces on {len(site):,} samples of the wick-warden"
    )
    first = median(lambda: glow_of(site, lamp, FEW_PLACES), 3)
    final = median(lambda: glow_of(site, lamp), 3)
    row("first usable", f"{first:.2f} s", "≤ 1 s")
    row("final, 64 places of the source", f"{final:.2f} s", "≤ 3 s", f"{final / first:.1f} × the first")
    row("a plane beside it", f"{median(lambda: glow_of(site, plane_at(surface, 'left')), 1):.2f} s", "≤ 3 s")
    rig, exposure = Rig(Lamp(40, 55, 14), 0.25, "overcast", 0.15), Exposure()
    grey, locals_ = target(site, rig, exposure=exposure), [usual_local("stone")] * (len(names) + 1)
    glow, gloss = glow_of(site, lamp), np.full(len(site), 0.4, np.float32)

    def dragged(strength):
        light = glowing(grey.light.dimmed(0.5), [(WishedGlow(lamp, strength=strength), glow)], rig.full)
        value = value_of_light(light.total, exposure, rig.full)
        return sketched(site, type(grey)(value, grey.gloss, light), exposure, locals_)

    row("reach, colour or dusk dragged (no new rays)", f"{median(lambda: dragged(2.0), 7) * 1e3:.0f} ms", "≤ 100 ms")
    row("glints on shiny spots", f"{median(lambda: glinting(surface, glow, gloss, (0, 8)), 5) * 1e3:.0f} ms")
    light = grey.light.total
    row(
        "bands and edges in its reach",
        f"{median(lambda: reached(site, WishedGlow(lamp), glow, light, exposure, rig.full), 3):.2f} s",
    )
    foot = [surface.points[np.argmin(surface.points[:, 1])].tolist()]
    row("heat along the skin", f"{median(lambda: heated(site, foot, 8.0), 3):.2f} s", "≤ 1 s")
    row("flame", f"{median(lambda: flamed(site, foot, 8.0), 3):.2f} s", "≤ 1 s")


def bench_economy(folder: Path) -> None:
    """Plans for one, two and four hours on the demo sculpts, in the colours of the demo and of their materials,
    of the regions that no glow covers."""
    from dataclasses import replace

    from dusk_lamp.cli.plan import context_from
    from dusk_lamp.core.plan.economy.budget import Budget
    from dusk_lamp.core.plan.features.colour.feature import FEATURE
    from dusk_lamp.core.sculpt.masks import read_mask
    from dusk_lamp.demo.plans import DEMO

    head("Plans door to door: undercoat, pots / puddles / steps; within ΔE00 5 by attention, within 8, bands")
    for name in ("wick-warden", "sluice-knight", "kiln-keeper", "reed-runner-1"):
        demo = next(d for d in DEMO if d.file == name)
        file = folder / f"{name}.ply"
        file.write_bytes(lzma.decompress((files("dusk_lamp.demo") / f"{name}.ply.xz").read_bytes()))
        plan = demo.plan(read_mask(str(file), "ply").marking)
        own = {k: v for k, v in plan.wishes.items() if k in ("undercoat", "metal", "glow")}
        rest = ("colour", "face", "metal", "edges", "glow", "wear")
        plan = replace(plan, sculpt=replace(plan.sculpt, samples=30_000), wishes=own, settled=rest)
        usual = tuple(replace(r, colour="", dark="", bright="") for r in plan.regions)
        for colours, regions in (("", plan.regions), (", usual colours", usual)):
            context = context_from(replace(plan, regions=regions), folder, argparse.Namespace(json=True))
            context.target("metal")
            for minutes in (60.0, 120.0, 240.0):
                began = time.perf_counter()
                found = FEATURE.economy(context, Budget.usual(minutes))
                took = time.perf_counter() - began
                counts = f"{len(found.pots)} / {len(found.puddles)} / {len(found.under) + len(found.steps)}"
                row(
                    f"{name}{colours}, {minutes:.0f} min: {FEATURE.ground(context, found.budget)}, {counts}",
                    f"{found.near_5_weighted:.0%}, {found.near_8:.0%}, {found.bands:.2f}",
                    {60.0: "≥ 78 % in 8", 120.0: "≥ 85 %", 240.0: "≥ 90 %"}[minutes],
                    f"{found.minutes:.0f} min, planned in {took:.1f} s",
                )


def bench_metal(_folder: Path) -> None:
    from dusk_lamp.core.coat.technique import technique
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.light.reflect import WORLDS, mirrored
    from dusk_lamp.core.plan.features.edges.lines import crests_of
    from dusk_lamp.core.sculpt.facets import facets

    site = warden_site(150_000)
    _ = site.lines, site.relief
    head(f"Metal, edges and wear on {len(site):,} samples of the wick-warden")
    look = lambda rough: mirrored(site.surface, site.visibility, (0, 8), WORLDS["noon"], rough)  # noqa: E731
    mirror, rough = median(lambda: look(0.0), 7), median(lambda: look(0.3), 7)
    row("horizon or view changed, a mirror", f"{mirror * 1e3:.0f} ms", "≤ 150 ms")
    row(
        "the same, rough (32 directions each)",
        f"{rough * 1e3:.0f} ms",
        "≤ 150 ms",
        f"{rough / mirror:.1f} × the mirror",
    )
    row("facets", f"{median(lambda: facets(site.surface, site.bends)):.2f} s", "≤ 1 s")
    row("edges the lamp and the view see", f"{median(lambda: crests_of(site, Lamp(30, 50), (0, 8))):.2f} s", "≤ 1 s")
    for name in ("chips", "streaks", "dust", "verdigris", "line"):
        own = technique(name)
        row(name, f"{median(lambda own=own: own.film(site, own.Settings())):.2f} s", "≤ 1 s")


def bench_day(folder: Path) -> None:
    """The day's clock, a squad, the log."""
    import contextlib
    import io
    import json

    from dusk_lamp.cli import main as command
    from dusk_lamp.cli.plan import context_from
    from dusk_lamp.core.log.entry import Entry
    from dusk_lamp.core.plan.document import read_plan
    from dusk_lamp.core.plan.run import run
    from dusk_lamp.core.plan.steps.care import nth_share
    from dusk_lamp.core.schedule.before import before_each
    from dusk_lamp.core.schedule.day import Day, clock_of
    from dusk_lamp.core.schedule.jobs import jobs_of
    from dusk_lamp.core.schedule.worth import worths_of
    from dusk_lamp.core.squad.work import puddle_keys
    from dusk_lamp.store import log
    from dusk_lamp.store.store import Store

    head("The day: clock, squad, log")
    plans = folder / "plans"
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        command(["demo", "--plans", str(plans)])
    files_ = sorted(p.name for p in plans.glob("*eed*unner*.json"))
    squad = {"squad": 1, "name": "Ten", "scheme": files_[0], "models": [{"file": f, "count": 2} for f in files_]}
    (plans / "squad.json").write_text(json.dumps(squad))
    start = time.perf_counter()
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        command(["squad", str(plans / "squad.json"), "-o", str(folder / "ten"), "--json"])
    took = time.perf_counter() - start
    row("ten runners on five sculpts carried over, laying them out included", f"{took:.0f} s", "≤ 60 s")

    plan = read_plan((plans / files_[0]).read_bytes())
    done = run(context_from(plan, plans, argparse.Namespace(json=True)))
    worths = worths_of(done.context, done.coats)
    worth = {s.number: w for s, w in zip(done.steps, worths, strict=True) if w is not None}
    before = before_each(done.context.site, done.coats, done.films)
    jobs = jobs_of(done.steps, before, worth, done.context.tools.room, puddle_keys(done.steps))
    day = Day((tuple(jobs),) * 10, (), None, {}, ((0.0,) * len(jobs),) * 10, nth_share)
    for words, seconds, target in (
        ("looking for a better order", 4.0, "≤ 5 s"),
        ("at the bench, replanned", 0.8, "≤ 2 s"),
    ):
        start = time.perf_counter()
        found = clock_of(day, seconds)
        took = time.perf_counter() - start
        gap = f"{found.schedule.gap:.1%} over the bound"
        row(f"ten models of {len(jobs)} steps, {words}", f"{took:.1f} s", target, gap)

    store = Store(folder / "log")
    with store.saving() as session:
        for k in range(10_000):
            at = f"2026-{1 + k % 12:02d}-{1 + k % 28:02d}T20:00:00Z"
            log.add(session, Entry(at=at, how="done", model=f"Model {k % 90}", title=f"Cloak: layer {k % 7}"))
    with store.session() as session:
        took = median(lambda: log.search(session, "model 47 layer", None, 40))
    store.close()
    row("a log of 10,000 entries searched", f"{1000 * took:.0f} ms", "≤ 100 ms")


def bench_check(_folder: Path) -> None:
    """A photo against its plan."""
    from dusk_lamp.core.check.align import aligned
    from dusk_lamp.core.check.booth import Booth, photograph
    from dusk_lamp.core.check.compare import compared
    from dusk_lamp.core.check.outline import proposed_pose
    from dusk_lamp.core.check.photo import read_photo
    from dusk_lamp.core.check.pinhole import Pinhole
    from dusk_lamp.core.check.pose import pose_of
    from dusk_lamp.core.paint.colour import reflectance_from_hex

    site = warden_site(120_000)
    head(f"Check of a photo of 1600 × 1200, {len(site):,} samples of the wick-warden")
    points = site.surface.points
    middle = (points.max(axis=0) + points.min(axis=0)) / 2
    camera = Pinhole.looking_at(middle, 15, 12, 3.3 * site.surface.size, 60, (1600, 1200))
    seen = np.tile(reflectance_from_hex("#8a7a68").astype(np.float32), (len(site), 1))
    seen *= (0.6 + 0.4 * np.clip(site.surface.normals[:, 2:], -1, 1)).astype(np.float32)
    photo = read_photo(photograph(site, seen, camera, Booth())[0])
    first = proposed_pose(site, seen, photo)
    places = points[::200].astype(float)
    true = camera.sized(*photo.size).project(places)[0]

    def off(own):
        missed = np.linalg.norm(own.sized(*photo.size).project(places)[0] - true, axis=1)
        return f"{100 * np.median(missed) / np.ptp(true[:, 1]):.2f} % of its height off"

    took = median(lambda: proposed_pose(site, seen, photo), 1)
    row("the pose by the outline, all round", f"{took:.1f} s", "≤ 5 s", off(first.camera))
    size = (round(photo.size[0] * photo.times), round(photo.size[1] * photo.times))
    took = median(lambda: pose_of(first.photo, first.sculpt, size))
    row("the pose by eight matched spots", f"{took:.2f} s", "≤ 1 s")
    laid = aligned(site, seen, photo, first.camera)
    row(
        "laid over the photo", f"{median(lambda: aligned(site, seen, photo, first.camera)):.2f} s", "≤ 1 s", off(laid)
    )
    row("compared, light and all", f"{median(lambda: compared(site, seen, photo, laid)):.2f} s", "≤ 2 s")


def grows(what, sizes, seconds):
    """A row of how long something takes at one, two and four times the work, and with what power of it that grows."""
    power = np.polyfit(np.log(sizes), np.log(seconds), 1)[0]
    row(what, " / ".join(f"{t:.2g}" for t in seconds) + " s", "", f"n^{power:.2f}")


def bench_growth(folder: Path) -> None:
    """Seconds at one, two and four times the triangles, samples, coats and regions."""
    from dataclasses import replace

    from dusk_lamp.cli.plan import context_from
    from dusk_lamp.core.coat.coat import usual_coat
    from dusk_lamp.core.coat.stack import appearance
    from dusk_lamp.core.light.key import key_light
    from dusk_lamp.core.light.lamp import Lamp
    from dusk_lamp.core.paint.mix import only
    from dusk_lamp.core.plan.economy.budget import Budget
    from dusk_lamp.core.plan.economy.plan import economy
    from dusk_lamp.core.plan.features.colour.feature import FEATURE
    from dusk_lamp.core.plan.run import laid
    from dusk_lamp.core.sculpt.masks import read_mask
    from dusk_lamp.core.sculpt.relief import relief_of
    from dusk_lamp.core.sculpt.visibility import visibility_of
    from dusk_lamp.demo.plans import DEMO

    head("Growth: 1, 2 and 4 times the work")
    triangles, runs = (400_000, 800_000, 1_600_000), []
    for count in triangles:
        out = subprocess.run(
            [sys.executable, __file__, "--first-picture", str(stl_of(count, folder))],
            capture_output=True,
            text=True,
            check=True,
        )
        runs.append([float(x) for x in out.stdout.split()])
    look, mended, lay, ready, peak = zip(*runs, strict=True)
    for what, seconds in (("read and mended", mended), ("first picture", look), ("laid out", lay), ("ready", ready)):
        grows(f"triangles, 0.4 to 1.6 M: {what}", triangles, seconds)
    row("    peak memory", " / ".join(f"{p:.2g}" for p in peak) + " GB")

    samples = (45_000, 90_000, 180_000)
    surfaces = [laid_out(n) for n in samples]
    sites = [warden_site(n) for n in samples]
    counts = [len(s) for s in surfaces]
    lamps = iter(Lamp(a, 50) for a in range(0, 36_000, 7))
    for surface in surfaces:
        surface.caster, surface.origins  # noqa: B018
    every = f"samples, {counts[0]:,} to {counts[-1]:,}"
    grows(f"{every}: hard light", counts, [median(lambda s=s: key_light(s, next(lamps))) for s in surfaces])
    grows(f"{every}: sky, 256 directions", counts, [median(lambda s=s: visibility_of(s), 1) for s in surfaces])
    grows(f"{every}: cavities", counts, [median(lambda s=s: relief_of(s), 1) for s in surfaces])

    demo = next(d for d in DEMO if d.file == "wick-warden")
    file = folder / "wick-warden.ply"
    file.write_bytes(lzma.decompress((files("dusk_lamp.demo") / "wick-warden.ply.xz").read_bytes()))
    plan = demo.plan(read_mask(str(file), "ply").marking)
    own = {k: v for k, v in plan.wishes.items() if k == "undercoat"}
    plan = replace(plan, wishes=own, settled=("colour", "face", "metal", "edges", "glow", "wear", "finish"))
    contexts = []
    for n in samples:
        at = replace(plan, sculpt=replace(plan.sculpt, samples=n))
        context, _ = laid(context_from(at, folder, argparse.Namespace(json=True)))
        context.target("metal"), context.seen_before("colour")
        contexts.append(context)
    rack = contexts[0].rack
    stroke = usual_coat("spray", only(rack.find("Gull")))
    washes = [usual_coat("brush", only(rack.find(n))) for n in ("Soot", "Gull", "Chalk", "Heron", "Saddle", "Reed")]
    grows(f"{every}: one stroke sprayed", counts, [median(lambda s=s: stroke.film(s)) for s in sites])
    stacks = [[(c, c.film(s)) for c in washes] for s in sites]
    grows(
        f"{every}: what six coats look like",
        counts,
        [median(lambda k=k: appearance(stacks[k], counts[k])) for k in range(3)],
    )
    grows(
        "coats, 6 to 24, on all of them: what they look like",
        (6, 12, 24),
        [median(lambda n=n: appearance(stacks[-1] * n, counts[-1])) for n in (1, 2, 4)],
    )

    def layered(context, regions):
        fresh = forgetful(context)
        for number in range(1, regions + 1):
            FEATURE.tried(fresh, number, "layers")

    several = (3, 6, 12)
    grows(f"{every}: all regions in layers", counts, [median(lambda c=c: layered(c, 12), 1) for c in contexts])
    grows(
        "regions, 3 to 12, 45,000 samples: in layers",
        several,
        [median(lambda n=n: layered(contexts[0], n), 1) for n in several],
    )
    grows(
        "regions, 3 to 12, 45,000 samples: a plan for two hours",
        several,
        [median(lambda n=n: economy(contexts[0], Budget.usual(), numbers=range(1, n + 1)), 1) for n in several],
    )


def forgetful(context):
    """The same context with nothing remembered."""
    from dusk_lamp.core.plan.context import Context

    return Context(
        context.plan, context.site, context.rack, context.tools, context.placing, features=context.features
    )


def bench_browser(folder: Path) -> None:
    """Gesture to new pixels, in Debian's Chromium with WebGL in software: the worst case a painter could have."""
    sys.path.insert(0, str(Path(__file__).parent.parent))
    from playwright.sync_api import sync_playwright

    from tests.browser.conftest import ARGUMENTS, CHROMIUM, Server

    head("In the browser (Chromium, WebGL drawn by the processor on the same cores as the server)")
    path = folder / "wick-warden.ply"
    path.write_bytes(lzma.decompress((files("dusk_lamp.demo") / "wick-warden.ply.xz").read_bytes()))
    server = Server(folder / "data")
    try:
        with sync_playwright() as p:
            browser = p.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(server.address)
            page.set_input_files('input[type="file"]', str(path))
            page.wait_for_selector(".card-sculpt:not([hx-trigger]) img", timeout=120_000)
            own = page.locator(".card-sculpt .picture a").first.get_attribute("href")
            page.goto(f"{server.address}{own.rsplit('/', 1)[0]}/light")
            page.wait_for_selector("#bench[data-drawn]", timeout=60_000)
            page.wait_for_timeout(3000)
            for name, size in (("hard lamp", 0), ("lamp 16° wide", 16)):
                page.evaluate(
                    f"() => {{ const s = document.getElementById('size'); s.value = {size}; s.dispatchEvent(new "
                    f"Event('input')); s.dispatchEvent(new Event('change')); }}"
                )
                page.wait_for_timeout(5000)
                times = page.evaluate(DRAG)
                row(
                    f"dragging a {name}: gesture to new pixels, median of {len(times)}",
                    f"{statistics.median(times):.0f} ms",
                    "≤ 80 ms",
                    f"worst {max(times):.0f} ms",
                )
            page.goto(page.url.replace("/light", "/regions"))
            page.wait_for_selector('#bench[data-drawn="true"]', timeout=60_000)
            page.locator('[name="tool"][value="brush"]').check(force=True)
            page.locator('[name="mode"][value="new"]').check(force=True)
            box = page.locator("#turntable").bounding_box()
            x, y = box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.6
            page.mouse.move(x, y)
            page.mouse.down()
            times = []
            for k in range(25):
                page.mouse.move(x + 5 * k, y + k)
                page.wait_for_timeout(150)
                times.append(float(page.get_attribute("#turntable", "data-dab")))
            page.mouse.up()
            row(
                f"a dab of the brush: gesture to new pixels, median of {len(times)}",
                f"{statistics.median(times):.0f} ms",
                "≤ 30 ms",
                f"worst {max(times):.0f} ms",
            )
            browser.close()
    finally:
        server.end()


DRAG = """async () => {
    const canvas = document.getElementById("turntable"), dial = document.getElementById("dial"), times = [];
    const box = dial.getBoundingClientRect(), middle = [box.x + box.width / 2, box.y + box.height / 2];
    const at = (type, x) => dial.dispatchEvent(new PointerEvent(
        type, { clientX: x, clientY: middle[1] + 20, pointerId: 1, buttons: 1, bubbles: true }));
    dial.setPointerCapture = () => {};
    at("pointerdown", middle[0] - 40);
    await new Promise((r) => setTimeout(r, 1500));
    for (let i = 0; i < 15; i += 1) {
        const painted = new Promise((r) => canvas.addEventListener("painted", r, { once: true }));
        const start = performance.now();
        at("pointermove", middle[0] - 40 + 5 * i);
        await painted;
        const gl = canvas.getContext("webgl2");
        gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); // waits until it is really drawn
        times.push(performance.now() - start);
        await new Promise((r) => setTimeout(r, 60));
    }
    at("pointerup", middle[0]);
    return times;
}"""


def bench_scale(_folder: Path) -> None:
    """What a painter of a club costs, and how a bench of two machines grows; see bench/club.py."""
    from club import scale

    for words, figure in scale():
        print(f"  {words:62} {figure}")


def main() -> None:
    if sys.argv[1:2] == ["--first-picture"]:
        first_picture(sys.argv[2])
        return
    parts = {
        "import": bench_import,
        "light": bench_light,
        "regions": bench_regions,
        "paint": bench_paint,
        "undercoat": bench_undercoat,
        "colour": bench_colour,
        "glow": bench_glow,
        "economy": bench_economy,
        "metal": bench_metal,
        "day": bench_day,
        "check": bench_check,
        "scale": bench_scale,
        "growth": bench_growth,
        "browser": bench_browser,
    }
    reader = argparse.ArgumentParser(
        prog="bin/bench", description="Speed and memory of the work a painter waits for, as a table of medians."
    )
    named = ", ".join(parts)
    reader.add_argument("part", nargs="*", metavar="PART", help=f"{named}; all of them where none is named")
    wanted = reader.parse_args().part
    if strange := [name for name in wanted if name not in parts]:
        reader.error(f"there is no part called {strange[0]}; there are {named}")
    print(f"{os.cpu_count()} cores, Python {sys.version.split()[0]}, numpy {np.__version__}")
    print(f"ten million steps of a plain loop: {pace():.1f} s")
    with tempfile.TemporaryDirectory() as folder:
        for name in wanted or parts:
            parts[name](Path(folder))
    missed = [what for what, good in judged if not good]
    print(f"\n{len(judged) - len(missed)} of {len(judged)} targets met; ten million steps: {pace():.1f} s")
    for what in missed:
        print(f"  missed: {what}")


if __name__ == "__main__":
    main()
