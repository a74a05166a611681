"""The value sketch in colour, and a whole plan: sketch."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import add_light_options, lit_site, rig_of, write_whole

GROUND_BOUNCE = 0.15  # of a ground whose colour was given, but not how much it sends back


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    sketch = commands.add_parser("sketch", help="what one local colour ought to look like in a light, as PLY columns")
    add_light_options(sketch)
    sketch.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    sketch.add_argument("--material", default="cloth", metavar="NAME", help="such as cloth, leather or metal (cloth)")
    sketch.add_argument("--colour", metavar="#RRGGBB", help="its local colour (what the material usually has)")
    sketch.add_argument("--attention", default="important", metavar="RANK", help="focal point, important or quiet")
    sketch.add_argument("--key", metavar="LOW,HIGH", help="values in no light and in full light (by the material)")
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


def _sketch(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.light.key import RAYS
    from ..core.light.tint import Tints
    from ..core.target.local import USUAL, Local
    from ..core.target.target import target
    from ..core.view.formats import lit_ply

    low = high = None
    if args.key:
        try:
            low, high = (float(x) for x in args.key.split(","))
        except ValueError:
            raise SettingError(f"--key is LOW,HIGH in Munsell values, such as 2,8, not '{args.key}'") from None
    local = Local(
        args.colour or USUAL.get(args.material, "#808080"),
        args.material,
        args.attention,
        low,
        high,
        None,
        args.shadow,
        args.light,
    )
    tints = Tints(_light_colour(args.lamp_colour), _light_colour(args.sky_colour), args.ground or "#ffffff")
    rig = rig_of(args, GROUND_BOUNCE if args.ground else 0.0)
    site = lit_site(args, rig)
    wanted = target(site, rig, [local], tints, rays=RAYS)
    lab, levels = wanted.lab.astype(np.float32), wanted.colour
    fields = {"value": wanted.value, "gloss": wanted.gloss}
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
