"""Photos: camera, check, lamp-of."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import place_from_text, write_whole


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    camera = commands.add_parser("camera", help="the simulated bench camera: a photo of a plan as it was painted")
    camera.add_argument("file", metavar="PLAN.json", help="see dusk-lamp schema")
    camera.add_argument("-o", "--out", required=True, type=Path, metavar="PHOTO.jpg", help="JPEG or PNG")
    camera.add_argument("--pose", default="15,12,180", metavar="AZ,EL,DIST", help="degrees, degrees, mm (15,12,180)")
    camera.add_argument(
        "--lens", default="60", metavar="MM[,K1]", help="of a full-frame camera, and its distortion (60)"
    )
    camera.add_argument("--size", default="1600,1200", metavar="W,H", help="pixels (1600,1200)")
    camera.add_argument("--step", type=int, metavar="N", help="after so many steps (all)")
    camera.add_argument(
        "--mistake", action="append", default=[], metavar="KIND:REGION:AMOUNT", help="light, dark, grey, missing, hue"
    )
    camera.add_argument("--ambient", type=float, default=0.75, metavar="SHARE", help="of light from all over (0.75)")
    camera.add_argument("--lamp", default="-35,50", metavar="AZ,EL", help="of the rest of the light (-35,50)")
    camera.add_argument("--exposure", type=float, default=0.0, metavar="STOPS")
    camera.add_argument("--white-balance", default="1,1", metavar="R,B", help="of red and blue (1,1)")
    camera.add_argument("--noise", type=float, default=1.0, metavar="TIMES", help="of the light's own (1)")
    camera.add_argument("--glare", type=float, default=0.0, metavar="SHARE")
    camera.add_argument("--card", action="store_true", help="with a grey card beside the model")
    camera.add_argument(
        "--points", type=int, default=6, metavar="N", help="matched points in the truth beside it (6)"
    )
    camera.add_argument("--hand", type=float, default=0.0, metavar="PX", help="how far those points are off (0)")
    camera.add_argument("--seed", type=int, default=0, metavar="N")
    camera.set_defaults(run=_camera)

    check = commands.add_parser("check", help="a photo of the painted model against its plan")
    check.add_argument("file", metavar="PLAN.json")
    check.add_argument("photo", type=Path, metavar="PHOTO.jpg")
    check.add_argument(
        "--points", type=Path, metavar="PTS.json", help="matched points; docs/formats.md (by the model's outline)"
    )
    check.add_argument("--step", type=int, metavar="N", help="after so many steps (all)")
    check.add_argument("--grey", metavar="X,Y", help="pixel of a grey card (18 %%)")
    check.add_argument(
        "--also",
        action="append",
        default=[],
        metavar="PHOTO.jpg[:PTS.json]",
        help="another photo of the same step, to be judged with it",
    )
    check.add_argument("-o", "--out", required=True, type=Path, metavar="OUTDIR")
    check.set_defaults(run=_check)

    lamp = commands.add_parser("lamp-of", help="where the desk lamp shines, by a photo of the primed model")
    lamp.add_argument("photo", type=Path, metavar="PHOTO.jpg")
    lamp.add_argument("file", metavar="PLAN.json")
    lamp.add_argument("--points", type=Path, metavar="PTS.json", help="matched points (by the model's outline)")
    lamp.add_argument("--step", type=int, default=1, metavar="N", help="after so many steps (1: the primer)")
    lamp.add_argument("--json", action="store_true", help="print it as JSON")
    lamp.set_defaults(run=_lamp_of)

    shine = commands.add_parser("shine-of", help="where metal shone, by a photo of the glossed model")
    shine.add_argument("photo", type=Path, metavar="PHOTO.jpg")
    shine.add_argument("file", metavar="PLAN.json")
    shine.add_argument("--region", required=True, metavar="NAME")
    shine.add_argument("--points", type=Path, metavar="PTS.json", help="matched points (by the model's outline)")
    shine.add_argument("--step", type=int, metavar="N", help="after so many steps (all)")
    shine.add_argument(
        "-o", "--out", required=True, type=Path, metavar="OUT.ply", help="1 where it shone, 2 where most"
    )
    shine.add_argument("--json", action="store_true", help="print it as JSON")
    shine.set_defaults(run=_shine_of)
    for command in (camera, check, lamp, shine):
        command.add_argument(
            "--files-from", type=Path, metavar="DIR", help="where the sculpt's files are (beside it)"
        )


def _painted(args: argparse.Namespace):
    """A plan that was run, and its coats up to the step that was asked for."""
    from ..core.plan.document import read_plan
    from ..core.plan.run import run
    from .plan import context_from

    plan = read_plan(Path(args.file).read_bytes())
    quiet = argparse.Namespace(**{**vars(args), "json": True})
    done = run(context_from(plan, args.files_from or Path(args.file).parent, quiet), _say)
    step = args.step
    if step is not None and not 0 <= step <= len(done.coats):
        raise SettingError(f"the plan has {len(done.coats)} steps; --step is 0 to that, not {step}")
    return done, done.coats if step is None else done.coats[:step]


def _say(step: str, _: float = 0.0) -> None:
    print(f"{step} …", file=sys.stderr)


def _numbers(option: str, text: str, least: int, most: int) -> list[float]:
    parts = text.split(",")
    if not least <= len(parts) <= most:
        raise SettingError(f"{option} has {least} to {most} numbers with commas between them, not '{text[:40]}'")
    return list(place_from_text(option, text, len(parts)))


def _camera(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.check.booth import Booth, mistaken, photograph
    from ..core.check.pinhole import Pinhole
    from ..core.plain import plain

    az, el, distance = _numbers("--pose", args.pose, 3, 3)
    lens = _numbers("--lens", args.lens, 1, 2)
    width, height = (int(n) for n in _numbers("--size", args.size, 2, 2))
    if not (100 <= width <= 8000 and 100 <= height <= 8000 and width * height <= 24_000_000):
        raise SettingError("a photo has 100 to 8000 pixels a side, and 24 megapixels at most")
    if not (10 <= lens[0] <= 600 and 5 <= distance <= 100_000 and -90 <= el <= 90):
        raise SettingError("a lens has 10 to 600 mm, a distance 5 mm to 100 m, a height −90 to 90°")
    mistakes = [_mistake(text) for text in args.mistake]
    azimuth, elevation = _numbers("--lamp", args.lamp, 2, 2)
    red, blue = _numbers("--white-balance", args.white_balance, 2, 2)
    quality = 0 if args.out.suffix.lower() == ".png" else 92
    booth = Booth(
        args.ambient, azimuth, elevation, args.exposure, red, blue, args.noise, args.glare, quality, args.card
    )
    done, coats = _painted(args)
    site, simulation = done.context.site, done.context.simulation
    points = site.surface.points
    middle = (points.max(axis=0) + points.min(axis=0)) / 2
    camera = Pinhole.looking_at(middle, az, el, distance, lens[0], (width, height), lens[1] if len(lens) > 1 else 0.0)
    bare = simulation.reflectance([c for c in coats if c.stage == "undercoat"])
    seen = mistaken(site, simulation.reflectance(coats), bare, mistakes)
    content, card = photograph(site, seen, camera, booth, args.seed)
    write_whole(args.out, content)
    truth = {
        "pose": _pose(camera),
        "points": _points(site, camera, args.points, args.hand, np.random.default_rng(args.seed)),
        "grey": None if card is None else [round(c, 1) for c in card],
        "mistakes": [plain(m) for m in mistakes],
        "light": plain(booth),
    }
    write_whole(args.out.with_suffix(".json"), json.dumps(truth, indent=1, ensure_ascii=False).encode())


def _mistake(text: str):
    from ..core.check.booth import Mistake

    kind, _, rest = text.partition(":")
    region, _, amount = rest.rpartition(":")
    try:
        return Mistake(kind, region, float(amount))
    except ValueError as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError(f"--mistake is KIND:REGION:AMOUNT such as light:Cloak:1, not '{text[:60]}'") from e


def _pose(camera: Any) -> dict[str, Any]:
    return {
        "position": [round(n, 4) for n in camera.position],
        "toward": [round(n, 6) for n in camera.toward],
        "up": [round(n, 6) for n in camera.up],
        "focal_px": round(camera.focal_px, 2),
        "k1": round(camera.k1, 5),
        "size": [camera.width, camera.height],
    }


def _points(site: Any, camera: Any, count: int, hand: float, rng: Any) -> list[dict[str, Any]]:
    """Places in sight, far from each other, with their pixels: what a painter would click on."""
    import numpy as np

    from ..core.check.perspective import seen_by
    from ..core.directions import far_apart

    shot = seen_by(site.surface, camera, 320, round(320 * camera.height / camera.width))
    spots = np.unique(shot.corners[shot.seen][:, 0])
    if not len(spots) or count < 1:
        return []
    places = site.surface.points[rng.choice(spots, min(400, len(spots)), replace=False)].astype(float)
    chosen = far_apart(places, count, int(np.argmax(places[:, 2])))
    pixels = camera.project(places[chosen])[0] + rng.normal(0, hand, (len(chosen), 2))
    return [
        {"photo": [round(float(n), 2) for n in px], "sculpt": [round(float(n), 4) for n in place]}
        for px, place in zip(pixels, places[chosen], strict=True)
    ]


def _read_points(path: Path):
    from ..core.check.pose import points_from

    try:
        given = json.loads(path.read_bytes())
    except (ValueError, RecursionError) as e:
        raise SettingError(f"'{path.name}' is no JSON, or is cut short") from e
    if isinstance(given, dict):
        given = given.get("points")  # the truth beside a simulated photo
    if not isinstance(given, list):
        raise SettingError('points are a list such as [{"photo": [x, y], "sculpt": [x, y, z]}]')
    return points_from(given)


def _matched(points: Path | None, context: Any, coats: Any, photo: Any):
    """The points that were given, or those of the pose that fits the model's outline."""
    from ..core.check.outline import proposed_pose

    if points:
        return _read_points(points)
    _say("Laying the sculpt over the outline of the model")
    found = proposed_pose(context.site, context.simulation.reflectance(coats), photo, context.view)
    return found.photo, found.sculpt


def _check(args: argparse.Namespace) -> None:
    from ..core.check.photo import read_photo
    from ..core.check.whole import checked_photo, map_picture
    from ..core.plain import plain
    from ..core.view.formats import png_bytes

    photo = read_photo(args.photo.read_bytes())
    grey = None
    if args.grey:
        x, y = _numbers("--grey", args.grey, 2, 2)
        grey = (x, y)
    done, coats = _painted(args)
    site = done.context.site
    points = _matched(args.points, done.context, coats, photo)
    found = checked_photo(site, done.context.simulation, coats, photo, points, grey, done.coats)
    if args.also:
        found = _with_others(args.also, done, coats, found)
    args.out.mkdir(parents=True, exist_ok=True)
    write_whole(args.out / "map.png", png_bytes(map_picture(site, found.comparison, photo, found.camera)))
    by_region = {f.number: f for f in found.faults}
    report = {
        "pose": _pose(found.camera),
        "clicked_pose": _pose(found.pose.camera),
        "reprojection_px": round(found.pose.reprojection_px, 3),
        "left_out": list(found.pose.outliers),
        "map": "map.png",
        "near": round(found.comparison.near(site), 3),
        "overall_off": None if found.comparison.overall is None else round(found.comparison.overall, 3),
        "troubles": list(found.troubles),
        "regions": [
            {
                **plain(r),
                "verdict": by_region[r.number].kind if r.number in by_region else "right",
                "words": by_region[r.number].words if r.number in by_region else "",
                "mend": by_region[r.number].mend if r.number in by_region else "",
            }
            for r in found.comparison.regions
        ],
        "verdict": list(found.words),
    }
    text = json.dumps(report, indent=2, ensure_ascii=False)
    write_whole(args.out / "check.json", text.encode())
    print(text)


def _with_others(also: list[str], done: Any, coats: Any, found: Any):
    """A check with more photos of the same step judged together with it."""
    from dataclasses import replace

    from ..core.check.photo import read_photo
    from ..core.check.whole import checked_photo, judged_together

    site, simulation = done.context.site, done.context.simulation
    comparisons = [found.comparison]
    for text in also:
        name, _, points = text.rpartition(":") if text.lower().endswith(".json") else (text, "", "")
        photo = read_photo(Path(name).read_bytes())
        matched = _matched(Path(points) if points else None, done.context, coats, photo)
        comparisons.append(checked_photo(site, simulation, coats, photo, matched).comparison)
    together, faults, words = judged_together(site, simulation.reflectance(coats), comparisons, done.coats)
    return replace(found, comparison=together, faults=faults, words=words)


def _shine_of(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.check.photo import read_photo
    from ..core.check.whole import shone_in_photo
    from ..core.view.formats import lit_ply

    photo = read_photo(args.photo.read_bytes())
    done, coats = _painted(args)
    site = done.context.site
    names = {r.name.casefold(): k for k, r in enumerate(site.marking.regions, 1)}
    if args.region.casefold() not in names:
        raise SettingError(f"there is no region '{args.region[:40]}'; there is {', '.join(names) or 'none'}")
    number = names[args.region.casefold()]
    seen = done.context.simulation.reflectance(coats)
    found = shone_in_photo(site, seen, photo, _matched(args.points, done.context, coats, photo), number)
    pattern = (found.broad.astype(np.uint8) + found.core).astype(np.uint8)
    write_whole(args.out, lit_ply(site.surface, {"shone": pattern}, site.marking.regions))
    if args.json:
        report = {"region": args.region, "mm2": round(found.broad_mm2, 2), "core_mm2": round(found.core_mm2, 2)}
        print(json.dumps(report, ensure_ascii=False))
    else:
        print(found.words(site.marking.regions[number - 1].name))


def _lamp_of(args: argparse.Namespace) -> None:
    from ..core.check.photo import read_photo
    from ..core.check.whole import lamp_in_photo

    photo = read_photo(args.photo.read_bytes())
    done, coats = _painted(args)
    seen = done.context.simulation.reflectance(coats)
    points = _matched(args.points, done.context, coats, photo)
    found = lamp_in_photo(done.context.site, seen, photo, points)
    report = {
        "azimuth": found.lamp.azimuth,
        "elevation": found.lamp.elevation,
        "size": found.lamp.size,
        "ambient": round(found.ambient, 3),
        "sure_degrees": found.sure,
        "unexplained": round(found.off, 3),
    }
    if args.json:
        print(json.dumps(report, indent=2))
        return
    print(found.words)
