"""A sculpt's file: shade, inspect, regions, relief."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import lamp_from_text, write_whole

SHADE_BUDGET = 40_000_000  # rays spent on the sky: small files get more directions, so small tests are exact


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    shade = commands.add_parser("shade", help="light a sculpt's file and write a PLY with the light on its vertices")
    shade.add_argument("file", metavar="IN", help="STL, OBJ, PLY, GLB, 3MF or OFF")
    shade.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    shade.add_argument("--up", default="z", metavar="AXIS", help="axis of the file that points up: z, -z, y … (z)")
    shade.add_argument(
        "--front", metavar="AXIS", help="axis of the file that the figure faces (-y, or z when y is up)"
    )
    shade.add_argument("--height", type=float, metavar="MM", help="true height; without it the file is taken as mm")
    shade.add_argument("--lamp", default="0,90,0", metavar="AZ,EL[,SIZE]", help="degrees, or off (0,90,0)")
    shade.add_argument("--sky", type=float, default=0.0, metavar="W", help="open dome on an upward plane, 0..2 (0)")
    shade.add_argument("--sky-kind", default="uniform", choices=("uniform", "overcast"))
    shade.add_argument(
        "--bounce", type=float, default=0.0, metavar="ALBEDO", help="what the ground sends back, 0..1 (0)"
    )
    shade.add_argument("--samples", type=int, metavar="N", help="about how many samples to lay out")
    shade.add_argument("--as-is", action="store_true", help="keep the file's own vertices, axes and units")
    shade.set_defaults(run=_shade)

    inspect = commands.add_parser("inspect", help="say what a sculpt's file holds and what had to be mended")
    inspect.add_argument("file", metavar="IN")
    inspect.add_argument("--json", action="store_true", help="as JSON")
    inspect.set_defaults(run=_inspect)

    regions = commands.add_parser("regions", help="grow a region from a spot to the nearest creases, as a PLY column")
    regions.add_argument("file", metavar="IN")
    regions.add_argument("--seed", required=True, metavar="X,Y,Z", help="a spot on the sculpt, in the file's units")
    regions.add_argument("--crease", type=float, default=40.0, metavar="DEG", help="sharpest bend to grow over (40)")
    regions.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    regions.set_defaults(run=_regions)

    relief = commands.add_parser("relief", help="cavity and exposedness as PLY columns, crests and creases as JSON")
    relief.add_argument("file", metavar="IN")
    relief.add_argument("--scale", type=float, metavar="MM", help="what counts as small (0.5 mm at 32 mm of height)")
    relief.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    relief.set_defaults(run=_relief)


def _shade(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.light.key import RAYS
    from ..core.light.rig import Rig
    from ..core.paint.value import grey_srgb
    from ..core.sculpt.mend import mend
    from ..core.sculpt.outlook import DIRECTIONS, look_out
    from ..core.sculpt.read import read_sculpt
    from ..core.sculpt.site import Site
    from ..core.sculpt.stand import Standing, fronts_for, guess_units, stand
    from ..core.sculpt.surface import as_is_surface, working_surface
    from ..core.target.target import target
    from ..core.view.formats import lit_ply

    rig = Rig(lamp_from_text(args.lamp), args.sky, args.sky_kind, args.bounce)
    raw = read_sculpt(args.file)
    if args.as_is:
        surface = as_is_surface(raw)
    else:
        if args.up.lstrip("-") not in ("x", "y", "z"):
            raise SettingError(f"--up is one of z, -z, y, -y, x, -x, not '{args.up}'")
        standing = Standing(args.up, args.front or fronts_for(args.up)[0], args.height)
        mended = mend(raw)
        mesh = stand(mended.mesh, standing)
        if args.height is None:
            guess = guess_units(float(np.ptp(mesh.bounds[:, 2])))
            if not guess.sure:
                print(f"dusk-lamp: note: {guess.sentence} Taken as mm; --height sets it.", file=sys.stderr)
        for sentence in mended.findings.sentences():
            print(f"dusk-lamp: note: {sentence}", file=sys.stderr)
        surface = working_surface(mesh, mended.shell, args.samples)
    view = None
    if rig.sky or rig.bounce:
        directions = int(np.clip(SHADE_BUDGET // max(len(surface), 1) // 8 * 8, DIRECTIONS, 16 * DIRECTIONS))
        view = look_out(surface, directions)
    wanted = target(Site(surface, view), rig, rays=RAYS)
    grey = grey_srgb(wanted.value)
    fields = {
        "light": wanted.light.total,
        "visible": wanted.light.visible,
        "value": wanted.value,
        "red": grey,
        "green": grey,
        "blue": grey,
    }
    write_whole(Path(args.out), lit_ply(surface, fields))


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
        f"{facts['triangles']:,} triangles in {len(facts['parts'])} part(s); {size}; area {facts['area']:,.1f}; {volume}"
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

    from ..core.sculpt.regions import grow
    from ..core.view.formats import lit_ply

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
