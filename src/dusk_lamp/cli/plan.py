"""The value sketch in colour, and whole plans: sketch, plan, schema."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from ..core.units import per_cent
from .common import (
    add_light_options,
    add_sculpt_options,
    lit_site,
    place_from_text,
    rig_of,
    surface_of,
    the_rack,
    write_whole,
)

GROUND_BOUNCE = 0.15  # of a ground whose colour was given, but not how much it sends back


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    sketch = commands.add_parser("sketch", help="what one local colour ought to look like in a light, as PLY columns")
    add_light_options(sketch)
    sketch.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    sketch.add_argument("--material", default="cloth", metavar="NAME", help="such as cloth, leather or metal (cloth)")
    sketch.add_argument(
        "--colour", metavar="#RRGGBB|WHITE", help="its local colour, or cool white, blue black … (as usual)"
    )
    sketch.add_argument("--attention", default="important", metavar="RANK", help="focal point, important or quiet")
    sketch.add_argument("--key", metavar="LOW,HIGH", help="values in no light and in full light (by the material)")
    sketch.add_argument(
        "--path",
        metavar="DARK,BRIGHT|usual",
        help="colours that its hue goes to in shadow and in light, such as #46122c,#f2b04a",
    )
    sketch.add_argument("--shadow", default="neutral", metavar="CAST", help="neutral, cool, warm or complement")
    sketch.add_argument("--light", default="neutral", metavar="CAST", help="neutral, cool, warm or complement")
    sketch.add_argument("--lamp-colour", default="#ffffff", metavar="#RRGGBB|KELVIN", help="(#ffffff)")
    sketch.add_argument("--sky-colour", default="#ffffff", metavar="#RRGGBB|KELVIN", help="(#ffffff)")
    sketch.add_argument(
        "--ground",
        metavar="#RRGGBB",
        help=f"the ground's colour; it then sends back {GROUND_BOUNCE:g} if nothing else is said",
    )
    sketch.add_argument("--json", action="store_true", help="print the key and what to mind, as JSON")
    sketch.set_defaults(run=_sketch)

    plan = commands.add_parser(
        "plan", help="work out a whole plan: target, the model after every coat, steps, pictures"
    )
    plan.add_argument("file", metavar="PLAN.json", help="see dusk-lamp schema")
    plan.add_argument("-o", "--out", required=True, metavar="OUTDIR")
    plan.add_argument("--json", action="store_true", help="print the steps as JSON too")
    plan.add_argument("--no-pictures", action="store_true", help="leave the PNGs out")
    plan.add_argument("--files-from", type=Path, metavar="DIR", help="where the sculpt's files are (beside the plan)")
    plan.set_defaults(run=_plan)

    face = commands.add_parser("face", help="where the pupils go, so that both eyes look at one point, as SVG at 10×")
    add_sculpt_options(face, 120_000)
    face.add_argument("-o", "--out", required=True, metavar="OUT.svg")
    for side in ("left", "right"):
        face.add_argument(
            f"--{side}", required=True, metavar="X,Y,Z", help=f"mm: the model's own {side} eye, as it stands"
        )
    face.add_argument("--at", metavar="X,Y,Z", help="mm: what they look at (straight ahead)")
    face.add_argument("--json", action="store_true", help="print where each pupil goes, as JSON")
    face.set_defaults(run=_face)

    schema = commands.add_parser("schema", help="the JSON Schema of a plan's file")
    schema.set_defaults(run=_schema)


def _light_colour(text: str) -> str:
    from ..core.light.tint import of_temperature

    if text.startswith("#"):
        return text
    try:
        return of_temperature(float(text.rstrip("kK")))
    except ValueError as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError(f"a light's colour is #rrggbb or a temperature such as 2700, not '{text[:40]}'") from e


def _path(args: argparse.Namespace) -> tuple[str, str]:
    """The hue path that was asked for, as two colours; "" and "" for none."""
    from ..core.datasets.materials import TABLE
    from ..core.target.hue import usual_path

    if not args.path:
        return "", ""
    if args.path == "usual":
        colour = (
            args.colour
            if args.colour and args.colour.startswith("#")
            else (TABLE[args.material].colour if args.material in TABLE else "#808080")
        )
        found = usual_path(colour)
        return found.dark, found.bright
    dark, comma, bright = args.path.partition(",")
    if not comma:
        raise SettingError(f"--path is DARK,BRIGHT such as #46122c,#f2b04a, or usual, not '{args.path[:40]}'")
    return dark.strip(), bright.strip()


def _sketch(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.light.key import RAYS
    from ..core.light.tint import Tints
    from ..core.paint.whites import white_called
    from ..core.sculpt.marking import Region
    from ..core.target.local import local_of
    from ..core.target.target import target
    from ..core.view.formats import lit_ply

    low = high = None
    if args.key:
        try:
            low, high = (float(x) for x in args.key.split(","))
        except ValueError:
            raise SettingError(f"--key is LOW,HIGH in Munsell values, such as 2,8, not '{args.key}'") from None
    named = args.colour if args.colour and white_called(args.colour) else ""
    region = Region(
        "The model", args.material, args.attention, named, low, None, high, args.shadow, args.light, *_path(args)
    )
    local = local_of(region, None if named else args.colour)
    tints = Tints(_light_colour(args.lamp_colour), _light_colour(args.sky_colour), args.ground or "#ffffff")
    rig = rig_of(args, GROUND_BOUNCE if args.ground else 0.0)
    site = lit_site(args, rig)
    wanted = target(site, rig, [local], tints, rays=RAYS)
    lab, levels = wanted.lab.astype(np.float32), wanted.colour
    fields: dict[str, np.ndarray] = {"value": wanted.value, "gloss": wanted.gloss}
    fields |= {name: np.ascontiguousarray(lab[:, k]) for k, name in enumerate("Lab")}
    fields |= {name: np.ascontiguousarray(levels[:, k]) for k, name in enumerate(("red", "green", "blue"))}
    write_whole(Path(args.out), lit_ply(site.surface, fields))
    low, middle, high = local.key
    if args.json:
        key = {"low": round(low, 2), "middle": round(middle, 2), "high": round(high, 2)}
        print(
            json.dumps(
                {"colour": local.colour, "own_value": round(local.own_value, 2), "key": key, "mind": local.troubles}
            )
        )
    else:
        for sentence in local.troubles:
            print(f"Mind: {sentence}")


def _face(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.plain import plain
    from ..core.plan.features.face.eyes import eye_words, face_of
    from ..core.view.flat import face_svg

    left, right = (np.array(place_from_text(f"--{s}", getattr(args, s))) for s in ("left", "right"))
    at = np.array(place_from_text("--at", args.at)) if args.at else None
    face = face_of(surface_of(args), left, right, at)
    write_whole(Path(args.out), face_svg(face).encode())
    if args.json:
        print(json.dumps({**plain(face), "dots": face.dots}))
    else:
        for sentence in (eye_words(face.right), eye_words(face.left), *face.words):
            print(sentence)


def _schema(_args: argparse.Namespace) -> None:
    from ..core.plan.document import schema

    print(json.dumps(schema(), indent=2, ensure_ascii=False))


def _plan(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.coat.stack import appearance, looks
    from ..core.paint.colour import lab, xyz
    from ..core.plain import plain
    from ..core.plan.document import read_plan
    from ..core.plan.run import run
    from ..core.plan.steps.times import times_of
    from ..core.plan.whole import whole_of
    from ..core.view.camera import VIEWS, Camera
    from ..core.view.formats import lit_ply, png_bytes
    from ..core.view.step_picture import coat_picture, sheet_shot

    context = context_from(read_plan(Path(args.file).read_bytes()), args.files_from or Path(args.file).parent, args)
    done = run(context, lambda step, _: print(f"{step} …", file=sys.stderr))
    out = Path(args.out)
    out.mkdir(parents=True, exist_ok=True)
    site, plan, regions = done.context.site, done.context.plan, done.context.site.marking.regions
    simulation, surface = done.context.simulation, site.surface

    def columns(value: Any, colour: Any, levels: Any, more: dict[str, Any]) -> bytes:
        fields = {"value": value, **{n: np.ascontiguousarray(colour[:, k], np.float32) for k, n in enumerate("Lab")}}
        fields |= {n: np.ascontiguousarray(levels[:, k]) for k, n in enumerate(("red", "green", "blue"))}
        return lit_ply(surface, {**fields, **more, "region": site.labels}, regions)

    aim = done.target
    write_whole(out / "target.ply", columns(aim.value, aim.lab, aim.colour, {"gloss": aim.gloss}))
    display = Camera(plan.display.azimuth, plan.display.elevation)
    cameras = {**{view: Camera.named(view) for view in VIEWS}, "display": display}
    shots = {} if args.no_pictures else {view: sheet_shot(site, camera, display) for view, camera in cameras.items()}
    seen = simulation.reflectance([])
    before = looks(seen)[1]
    rows = []
    for step, coat, film in zip(done.steps, done.coats, done.films, strict=True):
        seen = appearance([(coat, film)], len(site), seen)
        value, levels = looks(seen)
        write_whole(out / f"after-{step.number:02d}.ply", columns(value, lab(xyz(seen)), levels, {"film_um": film}))
        for view, shot in shots.items():
            drawn = coat_picture(site, shot, cameras[view], film, before, levels, drawn_out=coat.by.drawn_out)
            write_whole(out / f"step-{step.number:02d}-{view}.png", png_bytes(drawn))
        covered = (film > 0) & (site.areas > 0)
        middle = (
            np.average(seen[covered], axis=0, weights=site.areas[covered]) if covered.any() else seen.mean(axis=0)
        )
        L, a, b = lab(xyz(middle)).tolist()
        rows.append(
            {
                "number": step.number,
                "stage": step.stage,
                "region": _region_of(site, coat),
                "technique": step.technique,
                "way": coat.way,
                "label": step.purpose,
                "paint": step.paint,
                "parts": step.parts,
                "drops": step.drops_of_one,
                "water": round(step.water, 2),
                "film_um": round(step.film_um, 2),
                "covers_mm2": round(float(site.areas[covered].sum()), 1),
                "minutes": round(step.hand_minutes, 1),
                "wait_minutes": round(step.wait_minutes, 1),
                "how": step.how,
                "warnings": list(step.warnings),
                "before": _tasks(step.before),
                "then": _tasks(step.after),
                "cautions": list(step.cautions),
                "colour": step.hex,
                "after": {"L": round(L, 1), "a": round(a, 1), "b": round(b, 1)},
            }
        )
        before = levels
    near: dict[str, dict[str, Any]] = {
        regions[k - 1].name: {"within": round(n.within, 4), "mean_delta_e": round(n.mean, 2), "mind": n.words}
        for k, n in done.near.items()
    }
    stages = [{"name": s.name, "coats": s.coats, "as_listed": s.settled, "did": s.words} for s in done.done]
    whole = whole_of(done.context)
    minutes = round(times_of(done.steps).work, 1)
    text = json.dumps(
        {"steps": rows, "regions": near, "minutes": minutes, "whole": plain(whole), "stages": stages},
        indent=2,
        ensure_ascii=False,
    )
    write_whole(out / "steps.json", text.encode())
    if args.json:
        print(text)
        return
    for stage in done.done:
        print(f"{stage.title}: {stage.words}")
    if whole is not None:
        print(f"{whole.words} {minutes:.0f} minutes door to door, without drying.")
    for name, nearness in near.items():
        print(f"{name}: {per_cent(nearness['within'])} near{'; ' + nearness['mind'] if nearness['mind'] else ''}")


def _tasks(tasks: Any) -> list[dict[str, Any]]:
    """Tasks around a step as plain values, with their cautions."""
    from ..core.plain import plain

    return [{**plain(task), "cautions": task.cautions} for task in tasks]


def _region_of(site: Any, coat: Any) -> str | None:
    """The name of the region a coat is for; None where it is for the whole model."""
    from ..core.plan.steps.order import WHOLE_MODEL, region_of

    number = region_of(site, coat)
    if number == WHOLE_MODEL or coat.where.kind == "whole":
        return None
    return site.marking.regions[number - 1].name if number else "the rest"


def context_from(plan: Any, folder: Path, args: argparse.Namespace):
    """A plan on its sculpt, laid out from the files beside it.

    Raises:
        SettingError: a file lies elsewhere, or the regions do not fit the sculpt.
    """
    import numpy as np

    from ..core.plan.context import Context
    from ..core.plan.registry import features
    from ..core.sculpt.marking import Marking
    from ..core.sculpt.masks import mask_of, read_mask
    from ..core.sculpt.mend import holes_closed, mend, put_together
    from ..core.sculpt.parts import gathered
    from ..core.sculpt.read import read_sculpt
    from ..core.sculpt.site import seen_site
    from ..core.sculpt.stand import Standing, fronts_for, placing, stand
    from ..core.sculpt.surface import working_surface

    sculpt_file = plan.sculpt
    paths = [file_in(folder, name) for name in (sculpt_file.file, *sculpt_file.more)]
    up = sculpt_file.up or "z"
    standing = Standing(up, sculpt_file.front or fronts_for(up)[0], sculpt_file.height)
    mended, _ = put_together([mend(read_sculpt(str(path))) for path in paths])
    if sculpt_file.holes_closed:
        mended = holes_closed(mended)
    part = gathered(mended.shell, mended.mesh.face_areas())
    standing_mesh = stand(mended.mesh, standing)
    surface = working_surface(standing_mesh, part, sculpt_file.samples, sculpt_file.most_samples)
    placed = placing(mended.mesh, standing)
    carried = None
    if plan.marking:
        carried = mask_of(
            {"regions": [], **plan.marking} if plan.regions else plan.marking, len(plan.regions) or None
        )
    elif len(plan.regions) != 1 and paths[0].suffix.lower() == ".ply":
        carried = read_mask(str(paths[0]), "ply")
    if carried is not None:
        marking = carried.on(surface, placed)
        if plan.regions and len(plan.regions) != len(marking.regions):
            raise SettingError("the plan has another number of regions than its marking; leave one of them out")
        marking = Marking(marking.labels, plan.regions or marking.regions, plan.last_id)
    else:
        if len(plan.regions) > 1:
            raise SettingError("several regions need a marking that says where each lies; see docs/formats.md")
        marking = Marking(np.full(len(surface), len(plan.regions), np.uint8), plan.regions, plan.last_id)
    if not plan.regions and marking.regions and not args.json:
        print(f"{len(marking.regions)} regions come from {paths[0].name}", file=sys.stderr)
    site = seen_site(surface, plan.shadowless, marking=marking, loose=plan.loose, mesh=standing_mesh)
    rack = plan.own_rack or the_rack(None)
    return Context(plan.marked(marking), site, rack, plan.tools, placed, features=features())


def file_in(folder: Path, name: str) -> Path:
    """A file of a folder by its name.

    Raises:
        SettingError: no name, or it leads out of the folder.
    """
    if not name or "\0" in name:
        raise SettingError("this plan names no sculpt file, or one whose name no file can have")
    path = folder / name
    try:
        inside = path.resolve().is_relative_to(folder.resolve())
    except (OSError, ValueError, UnicodeError) as e:
        raise SettingError("this plan names a sculpt file that no file can be called; rename it") from e
    if not inside or Path(name).is_absolute():
        raise SettingError(
            f"'{name[:60]}' is not in the plan's folder; put it beside the plan, or say --files-from DIR"
        )
    return path
