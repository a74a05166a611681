"""Painted metal, edges and wear: metal, edges, wear."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import (
    add_light_options,
    add_sculpt_options,
    lit_site,
    place_from_text,
    rig_of,
    with_materials,
    write_whole,
)
from .glow import lit_ply_of

KINDS = ("chips", "streaks", "dust", "verdigris")


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    metal = commands.add_parser("metal", help="what painted metal should show from one view, as PLY columns")
    add_light_options(metal)
    metal.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    metal.add_argument("--view", default="0,8", metavar="AZ,EL", help="degrees: where it is looked at from (0,8)")
    metal.add_argument("--world", default="noon", metavar="NAME|FILE.json", help="what is mirrored (noon)")
    metal.add_argument("--roughness", type=float, default=0.25, metavar="R", help="0 a mirror, 1 dull (0.25)")
    metal.add_argument("--school", default="lamp", metavar="NAME", help="layered, lamp or facet (lamp)")
    metal.add_argument(
        "--cut",
        action="append",
        default=[],
        metavar="X,Y,Z:X,Y,Z",
        help="cut the facet under a stroke from one place to another in two; mm on the bench",
    )
    metal.add_argument("--json", action="store_true", help="print what was found, as JSON")
    metal.set_defaults(run=_metal)

    edges = commands.add_parser(
        "edges", help="edge highlights: crests the lamp sees, and strokes in an order for the hand"
    )
    add_light_options(edges)
    edges.add_argument("-o", "--out", required=True, metavar="OUT.json|OUT.svg")
    edges.add_argument("--scale", type=float, metavar="MM", help="what counts as a crest (by the height)")
    edges.add_argument("--view", metavar="AZ,EL", help="only what is seen from there counts")
    edges.set_defaults(run=_edges)

    wear = commands.add_parser("wear", help="chips, streaks, dust or verdigris, as a PLY column")
    add_sculpt_options(wear, 120_000)
    wear.add_argument("--as-is", action="store_true", help="keep the file's own vertices, axes and units")
    wear.add_argument("-o", "--out", required=True, metavar="OUT.ply")
    wear.add_argument("--kind", required=True, metavar="KIND", help=", ".join(KINDS))
    wear.add_argument("--amount", type=float, default=0.3, metavar="A", help="0 to 1 (0.3)")
    wear.add_argument("--seed", type=int, default=1, metavar="N")
    wear.add_argument(
        "--material",
        action="append",
        default=[],
        metavar="REGION:NAME",
        help=(
            "what a region of the PLY is made of; its name suggests one. Chips keep to metal and painted armour, "
            "and so on"
        ),
    )
    wear.set_defaults(run=_wear)


def _view(text: str) -> tuple[float, float]:
    azimuth, elevation = place_from_text("--view", text, 2)
    if not -90 <= elevation <= 90:
        raise SettingError("a view is from −90 to 90 degrees high")
    return azimuth, elevation


def _stroke(text: str) -> tuple[Any, Any]:
    start, _, end = text.partition(":")
    return place_from_text("--cut", start, 3), place_from_text("--cut", end, 3)


def _world(name: str) -> Any:
    from ..core.light.reflect import WORLDS, world_called, world_from

    if name in WORLDS or not name.lower().endswith(".json"):
        return world_called(name)
    try:
        return world_from(Path(name).read_bytes())
    except OSError as e:
        raise SettingError(f"the world '{Path(name).name}' cannot be opened: {e.strerror or e}") from e


def _metal(args: argparse.Namespace) -> None:
    from ..core.light.lamp import Lamp
    from ..core.light.reflect import mirrored
    from ..core.plan.features.metal.schools import metal_school
    from ..core.plan.features.metal.schools.school import Shine, value_of
    from ..core.sculpt.facets import FacetCut
    from ..core.sculpt.visibility import visibility_of

    world, view, school = _world(args.world), _view(args.view), metal_school(args.school)
    cuts = tuple(FacetCut(*_stroke(text)) for text in args.cut)
    shine, rig = Shine(view, args.roughness, cuts=cuts), rig_of(args)
    site = lit_site(args, rig)
    if site.visibility is None:
        site.visibility = visibility_of(site.surface)
    share = school.shares(site, shine, world, rig.lamp or Lamp(0, 60))
    shown = mirrored(site.surface, site.visibility, view, world, args.roughness)
    value = value_of(share, shine)
    write_whole(Path(args.out), lit_ply_of(site, {"reflect": shown, "value": value}))
    if args.json:
        from ..core.directions import direction_of
        from ..core.plan.features.metal.schools.facet import ends_of, runs_of
        from ..core.plan.features.metal.schools.school import facets_of

        lamp = rig.lamp or Lamp(0, 60)
        found = facets_of(site, shine)
        runs = runs_of(found, direction_of(lamp.azimuth, lamp.elevation).astype(float))
        rows = [
            {
                "number": k,
                "kind": f.kind,
                "hollow": f.hollow,
                "normal": f.normal.round(4).tolist(),
                "mm2": round(f.mm2, 2),
                "along": f.along.round(4).tolist(),
                "length": round(f.length, 2),
                "width": round(f.width, 2),
                "values": [round(v, 2) for v in ends_of(run, shine)],
                "touches": [n + 1 for n in f.neighbours],
            }
            for k, (f, run) in enumerate(zip(found, runs, strict=True), 1)
        ]
        kinds = {k: sum(f.kind == k for f in found) for k in ("flat", "cylinder", "ball")}
        ends = {"darkest": round(float(value.min()), 2), "lightest": round(float(value.max()), 2)}
        print(json.dumps({"facets": rows, "kinds": kinds, **ends}))


def _edges(args: argparse.Namespace) -> None:
    from ..core.plan.features.edges.lines import crests_of, drawn_svg

    rig, view = rig_of(args), _view(args.view) if args.view else None
    if args.scale is not None and not 0 < args.scale <= 100:
        raise SettingError(f"a scale is a length in mm, such as 0.5, not {args.scale:g}")
    site = lit_site(args, rig)
    found = crests_of(site, rig.lamp, view, args.scale)
    out = Path(args.out)
    if out.suffix.lower() == ".svg":
        write_whole(out, drawn_svg(found, view or (0.0, 8.0)).encode())
        return
    if out.suffix.lower() != ".json":
        raise SettingError(f"edges are written as .json or .svg, not '{out.suffix}'")
    crests = [
        {
            "length_mm": round(c.length_mm, 3),
            "lit_mm": round(c.lit_mm, 3),
            "seen_mm": round(c.seen_mm, 3),
            "width_mm": round(c.width_mm, 3),
            "value": round(c.value, 2),
        }
        for c in found.crests
    ]
    strokes = [{"crest": s.crest, "mm": round(s.mm, 3), "places": s.places.round(3).tolist()} for s in found.strokes]
    said = {
        "total_mm": round(found.total_mm, 3),
        "lit_mm": round(found.lit_mm, 3),
        "minutes": round(found.minutes, 1),
    }
    write_whole(out, json.dumps({"crests": crests, **said, "strokes": strokes}).encode())


def _wear(args: argparse.Namespace) -> None:
    from ..core.coat.technique import technique
    from ..core.light.rig import Rig
    from ..core.plan.features.wear.layers import film_by_material

    if args.kind not in KINDS:
        raise SettingError(f"--kind is one of {', '.join(KINDS)}, not '{args.kind[:40]}'")
    site = lit_site(args, Rig(None, 0, bounce=0), marked=True)
    marking = with_materials(site.marking, args.material)
    technique(args.kind).Settings(amount=args.amount, seed=args.seed)  # refused here where it makes no sense
    film = film_by_material(site.marked(marking), args.kind, args.amount, args.seed)
    write_whole(Path(args.out), lit_ply_of(site, {"film_um": film}))
