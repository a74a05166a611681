"""Light of its own: glow, lens, heat."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import add_light_options, lit_site, place_from_text, rig_of, write_whole

SOURCES = "region:NAME, ball:X,Y,Z,R or plane:X,Y,Z,NX,NY,NZ,WIDTH,HEIGHT"


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    glow = commands.add_parser("glow", help="what a glowing region, ball or plane throws on a sculpt, as PLY columns")
    add_light_options(glow)
    glow.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    glow.add_argument("--source", required=True, metavar="SOURCE", help=SOURCES)
    glow.add_argument("--colour", default="#ffb347", metavar="#RRGGBB")
    much = glow.add_mutually_exclusive_group(required=True)
    much.add_argument("--reach", type=float, metavar="MM", help="how far it is read over the lamp")
    much.add_argument(
        "--strength", type=float, metavar="S", help="light 1 mm off a ball; radiosity of a region or plane"
    )
    glow.add_argument("--dusk", type=float, default=1.0, metavar="SHARE", help="of the lamp's light that is left (1)")
    glow.add_argument("--no-shadow", action="store_true", help="the sculpt hides nothing of it")
    glow.add_argument(
        "--gloss", type=float, default=0.0, metavar="G", help="0 matt to 1 a mirror: adds what it mirrors (0)"
    )
    glow.add_argument("--view", default="0,8", metavar="AZ,EL", help="degrees: where that is looked at from (0,8)")
    glow.add_argument("--json", action="store_true", help="print strength, reach, bands and crests")
    glow.set_defaults(run=_glow)

    lens = commands.add_parser("lens", help="crescents, line and dot of a lens, gem or eye, flat at 10×, as SVG")
    add_light_options(lens)
    lens.add_argument("-o", "--out", required=True, metavar="OUT.svg")
    lens.add_argument("--region", required=True, metavar="NAME", help="the lens; of a pair, both pieces of it")
    lens.add_argument("--brush", type=float, default=0.2, metavar="MM", help="the mark of your finest brush (0.2)")
    lens.add_argument("--colour", default="#3f9f6a", metavar="#RRGGBB")
    lens.add_argument("--json", action="store_true", help="print what is drawn")
    lens.set_defaults(run=_lens)

    heat = commands.add_parser("heat", help="heats laid along a surface from hot spots, or flame, as PLY columns")
    add_light_options(heat)
    heat.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    heat.add_argument("--hot", required=True, metavar="X,Y,Z[;X,Y,Z…]", help="mm: the hot spots")
    heat.add_argument("--length", required=True, type=float, metavar="MM", help="from the hottest to the cool end")
    heat.add_argument("--flame", action="store_true", help="licks of flame upward instead of glowing metal")
    heat.add_argument(
        "--mark", type=float, default=0.8, metavar="MM", help="the narrowest band that can be painted (0.8)"
    )
    heat.add_argument("--seed", type=int, default=1)
    heat.add_argument("--json", action="store_true", help="print the bands")
    heat.set_defaults(run=_heat)


def source_from_text(text: str, site: Any):
    """The source that is written as SOURCES.

    Raises:
        SettingError: it is not, or there is no such region.
    """
    from ..core.light.emitter import Source

    kind, _, rest = text.partition(":")
    if kind == "region":
        return Source("region", region_called(site, rest))
    if kind == "ball":
        x, y, z, radius = place_from_text("--source ball", rest, 4)
        return Source("ball", middle=(x, y, z), radius=radius)
    if kind == "plane":
        x, y, z, nx, ny, nz, width, height = place_from_text("--source plane", rest, 8)
        return Source("plane", middle=(x, y, z), normal=(nx, ny, nz), width=width, height=height)
    raise SettingError(f"--source is {SOURCES}, not '{text[:60]}'")


def region_called(site: Any, name: str) -> int:
    """The number of a region.

    Raises:
        SettingError: there is none of that name; it says which there are.
    """
    names = [r.name for r in site.marking.regions]
    for k, called in enumerate(names, 1):
        if called.casefold() == name.strip().casefold():
            return k
    choices = ", ".join(names) or "none: mark them first, or give a PLY with a region property"
    raise SettingError(f"there is no region “{name[:60]}”; there are {choices}")


def _glow(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.light.emitter import glow_of
    from ..core.light.glint import glinting
    from ..core.light.rig import light_on
    from ..core.plain import plain
    from ..core.plan.features.glow.glows import (
        WishedGlow,
        band_rows,
        glow_reach,
        reached,
        readable,
        strength_of,
        strongest,
    )
    from ..core.target.exposure import Exposure

    if not 0 <= args.dusk <= 1:
        raise SettingError(f"--dusk is a share of the lamp's light between 0 and 1, not {args.dusk:g}")
    rig = rig_of(args)
    site = lit_site(args, rig, marked=True)
    source, exposure = source_from_text(args.source, site), Exposure()
    glow = glow_of(site, source, shadow=not args.no_shadow)
    if args.gloss:
        if not 0 <= args.gloss <= 1:
            raise SettingError(f"--gloss is between 0 and 1, not {args.gloss:g}")
        azimuth, elevation = place_from_text("--view", args.view, 2)
        glow = glinting(site.surface, glow, np.full(len(site), args.gloss, np.float32), (azimuth, elevation))
    lamp = light_on(site, rig).total * np.float32(args.dusk)
    weight = site.areas.astype(np.float64)
    least = readable(float(np.average(lamp, weights=weight)), exposure, rig.full)
    strength = args.strength if args.reach is None else strength_of(source, glow.area, args.reach, least)
    wish = WishedGlow(source, args.colour, strength, shadow=not args.no_shadow)
    found = reached(site, wish, glow, lamp, exposure, rig.full)
    fields = {"glow": found.light, "light": lamp + found.light, "visible": glow.visible, "band": found.band}
    write_whole(Path(args.out), lit_ply_of(site, fields))
    reach, limit = glow_reach(source, glow.area, strength, least), strongest(wish, glow, lamp, rig.full)
    if args.json:
        crests = [
            {"length_mm": round(c.length, 2), "lit_mm": round(c.lit, 2), "lit": round(c.lit / max(c.length, 1e-9), 3)}
            for c in found.catches
        ]
        names = {n: r.name for n, r in enumerate(site.marking.regions, 1)}
        bands = [
            {
                **{k: v for k, v in row.items() if k != "regions"},
                "regions": {names.get(n, "the rest"): s for n, s in row["regions"].items()},
            }
            for row in band_rows(site, found.band)
        ]
        said = {
            "strength": strength,
            "reach_mm": round(reach, 4),
            "outshone_from": limit if np.isfinite(limit) else None,
        }
        print(json.dumps({**plain(said), "bands": bands, "crests": crests}))
        return
    print(f"Strength {strength:.3g}: it is read {reach:.1f} mm from its middle.")
    if strength > limit:
        print(
            f"Mind: from {limit:.3g} on it lights something as brightly as it glows itself; the source must be "
            "lightest."
        )
    if not (found.band > 0).any():
        print("Mind: nothing of the sculpt is in its reach.")


def lit_ply_of(site: Any, fields: dict[str, Any]) -> bytes:
    """Fields on the surface of a site, as PLY."""
    from ..core.view.formats import lit_ply

    return lit_ply(site.surface, fields)


def _lens(args: argparse.Namespace) -> None:
    from ..core.light.lamp import Lamp
    from ..core.plan.features.glow.lens import STEPS, lens_pair_words, lenses
    from ..core.view.flat import lens_svg

    rig = rig_of(args)
    site = lit_site(args, rig, marked=True)
    found = lenses(site, region_called(site, args.region), rig.lamp or Lamp(0, 90), args.brush, args.colour)
    write_whole(Path(args.out), lens_svg(found).encode())
    if args.json:
        rows = [
            {"width_mm": round(o.width, 3), "crescents": len(o.crescents), "dot": [round(v, 3) for v in o.dot]}
            for o in found
        ]
        print(json.dumps({"lenses": rows, "steps": STEPS, "worse": lens_pair_words(found)}))
        return
    for lens in found:
        print(lens.words)
    print("\n".join([*STEPS, *filter(None, [lens_pair_words(found)])]))


def _heat(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.light.flame import flamed
    from ..core.light.heat import heated
    from ..core.plain import plain

    site = lit_site(args, rig_of(args))
    spots = [place_from_text("--hot", one) for one in args.hot.split(";") if one.strip()]
    if args.flame:
        flame = flamed(site, spots, args.length, seed=args.seed)
        field, levels, said = flame.flame, flame.colour, {"hues": list(flame.colours)}
    else:
        hot = heated(site, spots, args.length, args.mark, args.seed)
        field, levels, said = hot.heat, hot.colour, {"bands": plain(hot.bands), "dropped": list(hot.dropped)}
    colours = {c: np.ascontiguousarray(levels[:, k]) for k, c in enumerate(("red", "green", "blue"))}
    write_whole(Path(args.out), lit_ply_of(site, {"heat": field, **colours}))
    if args.json:
        print(json.dumps(said))
    elif said.get("dropped"):
        print(f"No room for {', '.join(said['dropped'])}: a band would be narrower than your mark.")
