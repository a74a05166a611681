"""The undercoat: a school or a fit for a sculpt's file; one spray; one coat of any technique. Options come from the registry."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import add_sculpt_options, laid_out, lamp_from_text, the_rack, write_whole

SCHOOLS = (
    "ladder",
    "twotone",
    "drybrush",
    "bright-first",
    "shadow-first",
    "coloured",
)  # named here so that a parser loads no core
SAMPLES = 60_000  # enough to plan passes on, and soon laid out


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
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

    coat = commands.add_parser("coat", help="one coat of any technique: its film, cost, cautions and how it is done")
    coat.add_argument("--by", required=True, metavar="TECHNIQUE", help="such as wash; --by list names them")
    coat.add_argument("--paint", default="Soot", metavar="PAINT", help="(Soot)")
    coat.add_argument(
        "--set", action="append", default=[], metavar="NAME=VALUE", help="a setting; --set list names them"
    )
    coat.set_defaults(run=_coat)

    for command in (undercoat, spray, coat):
        add_sculpt_options(command, SAMPLES)
        command.add_argument("-o", "--out", required=command is not coat, metavar="OUT.ply")


def _undercoat(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.light.lamp import Lamp
    from ..core.light.rig import Rig
    from ..core.paint.mix import only
    from ..core.plan.outcome import outcome
    from ..core.plan.schools import primed, school
    from ..core.plan.spray_fit import fit
    from ..core.plan.step import row_of, steps_of
    from ..core.plan.tins import tins_from
    from ..core.sculpt.outlook import look_out
    from ..core.sculpt.site import Site
    from ..core.target.exposure import Exposure, laid_between
    from ..core.target.target import target
    from ..core.view.formats import lit_ply

    if not 2 <= args.steps <= 9:
        raise SettingError(f"a ladder has 2 to 9 greys, not {args.steps}")
    if not 1 <= args.most <= 12:
        raise SettingError(f"a fit has 1 to 12 passes, not {args.most}")
    lamp = lamp_from_text(args.lamp)
    rig = Rig(lamp, args.sky, "overcast", args.bounce)
    tins = tins_from(the_rack(args.rack), args.steps, args.primer, args.through)
    surface = laid_out(args)
    site = Site(surface, look_out(surface))
    exposure = Exposure()
    wanted = laid_between(target(site, rig, exposure=exposure).value, exposure, tins.darkest, tins.lightest)
    lamp = lamp or Lamp(0, 90)
    if args.school == "fit":
        greys = tins.colour if args.through else tins.greys
        found = fit(site, wanted, lamp, only(tins.primer), greys, args.most)
        coats = [primed(only(tins.primer), "primer everywhere"), *found.coats]
    else:
        coats = school(args.school, surface, lamp, tins)
    result = outcome(site, coats, wanted)
    fields = {"target": wanted, "value": result.value}
    fields |= {c: np.ascontiguousarray(result.levels[:, k]) for k, c in enumerate(("red", "green", "blue"))}
    steps = steps_of(site, coats, result.films, within=[result.bare, *result.after])
    plan = {
        "school": args.school,
        "coats": [row_of(step, site) for step in steps],
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
    from ..core.coat.coat import Coat
    from ..core.coat.spray import USUAL_DRIFT, Spray, spray, troubles
    from ..core.paint.mix import only
    from ..core.sculpt.site import Site
    from ..core.view.formats import lit_ply

    try:
        azimuth, elevation = (float(x) for x in args.from_.split(","))
    except ValueError:
        raise SettingError(f"--from is AZ,EL in degrees, not '{args.from_}'") from None
    drift = USUAL_DRIFT if args.drift is None else args.drift
    pass_ = Spray(azimuth, elevation, args.distance, args.amount, args.way, args.tool, args.needle, args.psi, drift,
        trigger=args.trigger, water=args.water,
    )  # fmt: skip
    coat = Coat("spray", only(the_rack(args.rack).find(args.paint)), pass_)
    surface = laid_out(args)
    landed = spray(Site(surface), pass_, coat.solids)
    write_whole(Path(args.out), lit_ply(surface, {"film_um": landed.film}))
    print(
        json.dumps(
            {
                "sprayed_mm3": round(landed.sprayed, 4), "landed_mm3": round(landed.landed, 4),
                "waste_mm3": round(landed.waste, 4), "most_um": round(float(landed.film.max()), 3),
                "warnings": troubles(pass_, landed.film, coat.solids),
            },
            ensure_ascii=False,
        )
    )  # fmt: skip


def _coat(args: argparse.Namespace) -> None:
    from ..core.coat.coat import usual_coat
    from ..core.coat.technique import technique, techniques
    from ..core.paint.mix import only
    from ..core.plan.step import row_of, step_of
    from ..core.sculpt.site import Site
    from ..core.view.formats import lit_ply

    if args.by == "list":
        print("\n".join(f"{name}: {t.title.lower()}" for name, t in techniques().items()))
        return
    own = technique(args.by)
    if args.set == ["list"]:
        for name, r in own.described().items():
            what = ", ".join(map(str, r.options)) if r.options else f"{r.low:g} to {r.high:g} {r.unit}"
            print(f"{name}: {r.words}, {what}")
        return
    given: dict[str, Any] = {}
    for word in args.set:
        name, equals, value = word.partition("=")
        if not equals or name not in own.described():
            raise SettingError(f"--set is NAME=VALUE with one of {', '.join(own.described())}, not '{word}'")
        given[name] = value if own.described()[name].options else _number(word, value)
    coat = usual_coat(args.by, only(the_rack(args.rack).find(args.paint))).with_settings(given)
    surface = laid_out(args)
    site = Site(surface)
    film = coat.film(site)
    if args.out:
        write_whole(Path(args.out), lit_ply(surface, {"film_um": film}))
    print(json.dumps(row_of(step_of(1, coat, film, site), site), ensure_ascii=False, indent=2))


def _number(word: str, value: str) -> float:
    try:
        return float(value)
    except ValueError as e:
        raise SettingError(f"--set {word}: that is no number") from e
