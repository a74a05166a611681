"""A sculpt's file: shade, inspect, regions, relief."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import add_light_options, lit_site, rig_of, write_whole


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    shade = commands.add_parser("shade", help="light a sculpt's file and write a PLY with the light on its vertices")
    shade.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    add_light_options(shade)
    shade.set_defaults(run=_shade)

    inspect = commands.add_parser("inspect", help="say what a sculpt's file holds and what had to be mended")
    inspect.add_argument("file", metavar="IN")
    inspect.add_argument("--json", action="store_true", help="as JSON")
    inspect.set_defaults(run=_inspect)

    regions = commands.add_parser(
        "regions",
        help="grow a region from a spot to the nearest creases, or cut the sculpt into pieces, as a PLY column",
    )
    regions.add_argument("file", metavar="IN")
    which = regions.add_mutually_exclusive_group(required=True)
    which.add_argument("--seed", metavar="X,Y,Z", help="a spot on the sculpt, in the file's units")
    which.add_argument("--pieces", type=int, metavar="N", help="the first guess, in at most so many pieces")
    regions.add_argument("--crease", type=float, default=40.0, metavar="DEG", help="sharpest bend to grow over (40)")
    regions.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    regions.set_defaults(run=_regions)

    relief = commands.add_parser("relief", help="cavity and exposedness as PLY columns, crests and creases as JSON")
    relief.add_argument("file", metavar="IN")
    relief.add_argument("--scale", type=float, metavar="MM", help="what counts as small (0.5 mm at 32 mm of height)")
    relief.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    relief.set_defaults(run=_relief)


def _shade(args: argparse.Namespace) -> None:
    from ..core.light.key import RAYS
    from ..core.paint.value import grey_srgb
    from ..core.target.target import target
    from ..core.view.formats import lit_ply

    rig = rig_of(args)
    site = lit_site(args, rig)
    wanted = target(site, rig, rays=RAYS)
    grey = grey_srgb(wanted.value)
    fields = {
        "light": wanted.light.total,
        "visible": wanted.light.visible,
        "value": wanted.value,
        "red": grey,
        "green": grey,
        "blue": grey,
    }
    write_whole(Path(args.out), lit_ply(site.surface, fields))


def _inspect(args: argparse.Namespace) -> None:
    from ..core.sculpt.inspect import inspected
    from ..core.sculpt.mend import mend
    from ..core.sculpt.read import read_sculpt

    facts = inspected(mend(read_sculpt(args.file)))
    if args.json:
        print(json.dumps(facts, indent=2, ensure_ascii=False))
        return
    size = " × ".join(f"{s:g}" for s in facts["size"])
    volume = "not closed, so no volume" if facts["volume"] is None else f"volume {facts['volume']:,.1f}"
    print(
        f"{facts['triangles']:,} triangles in {len(facts['parts'])} part(s); {size}; area {facts['area']:,.1f}; "
        f"{volume}"
    )
    for sentence in facts["said"]:
        print(sentence)


def _as_filed(path: str):
    """The working surface of a file in the file's own axes and units."""
    from ..core.sculpt.mend import mend
    from ..core.sculpt.read import read_sculpt
    from ..core.sculpt.surface import working_surface

    mended = mend(read_sculpt(path))
    return working_surface(mended.mesh, mended.shell)


def _regions(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.sculpt.pieces import MOST_PIECES, guess, pieces_of
    from ..core.sculpt.regions import grow
    from ..core.view.formats import lit_ply

    if args.pieces is not None:
        if not 1 <= args.pieces <= MOST_PIECES:
            raise SettingError(f"--pieces is a number between 1 and {MOST_PIECES}, not {args.pieces}")
        surface = _as_filed(args.file)
        found = guess(pieces_of(surface), args.pieces)
        write_whole(Path(args.out), lit_ply(surface, {"region": found.labels.astype(np.int32)}, found.regions))
        return
    try:
        seed = np.array([float(part) for part in args.seed.split(",")])
    except ValueError as e:
        raise SettingError(f"--seed is three numbers X,Y,Z, not '{args.seed}'") from e
    surface = _as_filed(args.file)
    region = grow(surface, seed, args.crease)
    write_whole(Path(args.out), lit_ply(surface, {"region": region.astype(np.uint8)}))


def _relief(args: argparse.Namespace) -> None:
    from ..core.sculpt.relief import cavity, exposed, lines, usual_scale
    from ..core.view.formats import lit_ply

    surface = _as_filed(args.file)
    scale = usual_scale(surface) if args.scale is None else args.scale
    found = lines(surface, scale)
    fields = {"cavity": cavity(surface, scale), "exposed": exposed(surface, scale)}
    write_whole(Path(args.out), lit_ply(surface, fields))

    def report(convex: bool) -> dict:
        chosen = [line for line in found if line.convex == convex]
        return {
            "length": round(sum(line.length for line in chosen), 4),
            "lines": [{"length": round(line.length, 4), "angle": round(line.angle, 2)} for line in chosen],
        }

    print(json.dumps({"scale": scale, "crests": report(True), "creases": report(False)}))
