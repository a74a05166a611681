"""The command line's undercoat: a school or a fit for a sculpt's file, and one pass alone. Adds its commands to a parser."""

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np

from .cli_paint import the_rack
from .core.errors import SettingError
from .core.light.rig import light_on

SCHOOLS = (
    "ladder",
    "twotone",
    "drybrush",
    "bright-first",
    "shadow-first",
    "coloured",
)  # named here so that a parser loads no core
SAMPLES = 60_000  # enough to plan passes on, and soon laid out


def add_undercoat_commands(commands: Any) -> None:
    """Add the two commands to the program's own."""
    undercoat = commands.add_parser(
        "undercoat", help="the coats of a school, or fitted passes, and what they come to"
    )
    undercoat.add_argument("--school", required=True, choices=(*SCHOOLS, "fit"))
    undercoat.add_argument("--lamp", default="0,90,12", metavar="AZ,EL[,SIZE]", help="degrees (0,90,12)")
    undercoat.add_argument(
        "--sky", type=float, default=0.25, metavar="W", help="open dome on an upward plane, 0..2 (0.25)"
    )
    undercoat.add_argument(
        "--bounce", type=float, default=0.15, metavar="ALBEDO", help="what the ground sends back (0.15)"
    )
    undercoat.add_argument("--steps", type=int, default=5, metavar="N", help="greys with the primer, 2 to 9 (5)")
    undercoat.add_argument("--most", type=int, default=8, metavar="N", help="passes of a fit at most (8)")
    undercoat.add_argument("--primer", metavar="PAINT", help="(the darkest on the rack)")
    undercoat.add_argument("--through", metavar="PAINT", help="the colour of a coloured ladder")
    undercoat.add_argument("--json", type=Path, metavar="PLAN.json", help="write the coats and the errors there")
    undercoat.set_defaults(run=_undercoat)

    spray = commands.add_parser("spray", help="where one burst of a spray lands, µm of dry paint")
    spray.add_argument("--from", dest="from_", required=True, metavar="AZ,EL", help="where the nozzle is, degrees")
    spray.add_argument(
        "--distance", type=float, required=True, metavar="MM", help="from the nozzle to the model's middle"
    )
    spray.add_argument("--paint", default="Chalk", metavar="PAINT", help="(Chalk)")
    spray.add_argument("--amount", type=float, required=True, metavar="SECONDS", help="on the trigger")
    spray.add_argument("--way", default="burst", choices=("burst", "stroke", "turn"), help="(burst)")
    spray.add_argument("--tool", default="airbrush", choices=("airbrush", "can"))
    spray.add_argument("--needle", type=float, default=0.3, metavar="MM")
    spray.add_argument("--psi", type=float, default=20.0)
    spray.add_argument("--trigger", type=float, default=1.0, metavar="SHARE", help="how far it is drawn (1)")
    spray.add_argument("--water", type=float, default=1.0, metavar="PARTS", help="of thinner to one of paint (1)")
    spray.add_argument("--drift", type=float, default=None, metavar="SHARE", help="carried round corners (0.04)")
    spray.set_defaults(run=_spray)

    for command in (undercoat, spray):
        command.add_argument("file", metavar="IN", help="STL, OBJ, PLY, GLB, 3MF or OFF")
        command.add_argument("-o", "--out", required=True, metavar="OUT.ply")
        command.add_argument("--up", default="z", metavar="AXIS")
        command.add_argument("--front", metavar="AXIS")
        command.add_argument(
            "--height", type=float, metavar="MM", help="true height; without it the file is taken as mm"
        )
        command.add_argument("--samples", type=int, default=SAMPLES, metavar="N")
        command.add_argument("--rack", type=Path, metavar="FILE", help="CSV of your paints (the demo rack)")


def _laid_out(args: argparse.Namespace):
    from .core.sculpt.mend import mend
    from .core.sculpt.read import read_sculpt
    from .core.sculpt.stand import Standing, fronts_for, stand
    from .core.sculpt.surface import working_surface

    standing = Standing(args.up, args.front or fronts_for(args.up)[0], args.height)
    mended = mend(read_sculpt(args.file))
    return working_surface(stand(mended.mesh, standing), mended.shell, args.samples)


def _undercoat(args: argparse.Namespace) -> None:
    from .cli import lamp_from_text, write_whole
    from .core.light.lamp import Lamp
    from .core.light.rig import Rig
    from .core.paint.mix import only
    from .core.plan.spray_fit import fit
    from .core.plan.target import Exposure, target_value
    from .core.plan.undercoat import outcome, paint_target, primed, school, tins_from, told
    from .core.sculpt.outlook import look_out
    from .core.sculpt.relief import Relief, cavity, exposed
    from .core.sculpt.site import Site
    from .core.view.formats import lit_ply

    if not 2 <= args.steps <= 9:
        raise SettingError(f"a ladder has 2 to 9 greys, not {args.steps}")
    if not 1 <= args.most <= 12:
        raise SettingError(f"a fit has 1 to 12 passes, not {args.most}")
    lamp = lamp_from_text(args.lamp)
    rig = Rig(lamp, args.sky, "overcast", args.bounce)
    tins = tins_from(the_rack(args.rack), args.steps, args.primer, args.through)
    surface = _laid_out(args)
    site = Site(surface, look_out(surface))
    exposure = Exposure()
    value = target_value(light_on(site, rig).total, exposure, rig.full)
    target = paint_target(value, tins, exposure.primer, exposure.white)
    lamp = lamp or Lamp(0, 90)
    if args.school == "fit":
        greys = tins.colour if args.through else tins.greys
        found = fit(surface, target, site.paintable, lamp, only(tins.primer), greys, args.most)
        coats = [primed(only(tins.primer), "primer everywhere"), *found.coats]
    else:
        coats = school(args.school, surface, lamp, tins)
    felt = (
        Relief(cavity(surface), exposed(surface))
        if any(c.technique in ("drybrush", "wash", "oil wipe") for c in coats)
        else None
    )
    result = outcome(surface, coats, target, site.paintable, felt)
    fields = {
        "target": target, "value": result.value,
        "red": np.ascontiguousarray(result.levels[:, 0]), "green": np.ascontiguousarray(result.levels[:, 1]),
        "blue": np.ascontiguousarray(result.levels[:, 2]),
    }  # fmt: skip
    plan = {
        "school": args.school,
        "coats": told(surface, coats, result.films, site.paintable),
        "errors": result.figures(),
    }
    write_whole(Path(args.out), lit_ply(surface, fields))
    if args.json:
        write_whole(args.json, json.dumps(plan, indent=2, ensure_ascii=False).encode())
    e = result.figures()
    print(
        f"{len(coats)} coats; off by {e['mean']:.2f} values on the mean, {e['p95']:.2f} at the 95th percentile; {e['within_half']:.0%} within half a value"
    )


def _spray(args: argparse.Namespace) -> None:
    from .cli import write_whole
    from .core.coat.coat import Coat
    from .core.coat.spray import USUAL_DRIFT, Spray, spray, troubles
    from .core.paint.mix import only
    from .core.view.formats import lit_ply

    try:
        azimuth, elevation = (float(x) for x in args.from_.split(","))
    except ValueError:
        raise SettingError(f"--from is AZ,EL in degrees, not '{args.from_}'") from None
    drift = USUAL_DRIFT if args.drift is None else args.drift
    pass_ = Spray(azimuth, elevation, args.distance, args.amount, args.way, args.tool, args.needle, args.psi, drift,
        trigger=args.trigger, water=args.water,
    )  # fmt: skip
    coat = Coat("spray", only(the_rack(args.rack).find(args.paint)), pass_)
    surface = _laid_out(args)
    landed = spray(surface, pass_, coat.solids)
    write_whole(Path(args.out), lit_ply(surface, {"film_um": landed.film}))
    print(
        json.dumps(
            {
                "sprayed_mm3": round(landed.sprayed, 4), "landed_mm3": round(landed.landed, 4),
                "waste_mm3": round(landed.waste, 4), "most_um": round(float(landed.film.max()), 3),
                "warnings": troubles(pass_, landed, coat.solids),
            },
            ensure_ascii=False,
        )
    )  # fmt: skip
