"""What several commands need: lamps and racks as they are written, files written whole, a sculpt laid out."""

import argparse
import json
import math
import sys
from importlib.resources import files
from pathlib import Path
from typing import Any

from ..core.errors import SettingError

SKY_BUDGET = 40_000_000  # rays spent on the sky: small files get more directions, so small tests are exact


def lamp_from_text(text: str):
    """The lamp of `AZ,EL[,SIZE]` in degrees, or None for `off`.

    Raises:
        SettingError: not two or three numbers, or outside their ranges.
    """
    from ..core.light.lamp import Lamp

    if text.strip().lower() == "off":
        return None
    try:
        numbers = [float(part) for part in text.split(",")]
    except ValueError:
        numbers = []
    if len(numbers) not in (2, 3):
        raise SettingError(f"--lamp is AZ,EL or AZ,EL,SIZE in degrees, or off, not '{text}'")
    return Lamp(*numbers)


def place_from_text(option: str, text: str, count: int = 3) -> tuple[float, ...]:
    """The numbers of `X,Y,Z`.

    Raises:
        SettingError: not so many numbers.
    """
    try:
        numbers = tuple(float(part) for part in text.split(","))
    except ValueError:
        numbers = ()
    if len(numbers) != count or not all(math.isfinite(n) for n in numbers):
        raise SettingError(f"{option} is {count} numbers with commas between them, not '{text[:60]}'")
    return numbers


def write_whole(path: Path, content: bytes) -> None:
    """Write a file all at once: nobody who reads it sees half of it."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(content)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def the_rack(path: Path | None):
    """The rack in a file, or the demo rack."""
    from ..core.paint.rack import RackError, rack_from_csv, rack_from_gpl

    if path is None:
        return rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())
    try:
        content = path.read_bytes()
    except OSError as e:
        raise RackError(f"the rack '{path.name}' cannot be opened: {e.strerror or e}") from e
    return rack_from_gpl(content) if path.suffix.lower() == ".gpl" else rack_from_csv(content)


def the_tools(path: Path | None):
    """The tools in a JSON file, or everything.

    Raises:
        SettingError: there is none, or it is garbled.
    """
    from ..core.plain import built
    from ..core.workplace.tools import Tools

    if path is None:
        return Tools()
    try:
        return built(Tools, json.loads(path.read_text()), f"'{path.name}'")
    except OSError as e:
        raise SettingError(f"the tools '{path.name}' cannot be opened: {e.strerror or e}") from e
    except ValueError as e:
        raise SettingError(f"'{path.name}' is no JSON") from e


def add_sculpt_options(command: Any, samples: int) -> None:
    """The file that a command reads, and how it stands."""
    command.add_argument("file", metavar="IN", help="STL, OBJ, PLY, GLB, 3MF or OFF")
    command.add_argument("--up", default="z", metavar="AXIS", help="axis of the file that points up (z)")
    command.add_argument("--front", metavar="AXIS", help="axis of the file that the figure faces")
    command.add_argument("--height", type=float, metavar="MM", help="true height; without it the file is taken as mm")
    command.add_argument("--samples", type=int, default=samples, metavar="N")
    command.add_argument("--rack", type=Path, metavar="FILE", help="CSV of your paints (the demo rack)")


def add_light_options(command: Any) -> None:
    """The file that is lit, how it stands, and by what."""
    command.add_argument("file", metavar="IN", help="STL, OBJ, PLY, GLB, 3MF or OFF")
    command.add_argument("--up", default="z", metavar="AXIS", help="axis of the file that points up: z, -z, y … (z)")
    command.add_argument(
        "--front", metavar="AXIS", help="axis of the file that the figure faces (-y, or z when y is up)"
    )
    command.add_argument("--height", type=float, metavar="MM", help="true height; without it the file is taken as mm")
    command.add_argument("--lamp", default="0,90,0", metavar="AZ,EL[,SIZE]", help="degrees, or off (0,90,0)")
    command.add_argument("--sky", type=float, default=0.0, metavar="W", help="open dome on an upward plane, 0..2 (0)")
    command.add_argument("--sky-kind", default="uniform", choices=("uniform", "overcast"))
    command.add_argument("--bounce", type=float, metavar="ALBEDO", help="what the ground sends back, 0..1 (0)")
    command.add_argument("--samples", type=int, metavar="N", help="about how many samples to lay out")
    command.add_argument("--as-is", action="store_true", help="keep the file's own vertices, axes and units")


def rig_of(args: argparse.Namespace, bounce: float = 0.0):
    """What lights the file. bounce: of the ground where nothing was said."""
    from ..core.light.rig import Rig

    return Rig(lamp_from_text(args.lamp), args.sky, args.sky_kind, bounce if args.bounce is None else args.bounce)


def lit_site(args: argparse.Namespace, rig: Any, marked: bool = False):
    """The site of a command's file, with what it sees of its surroundings where the light asks for that. marked: with
    the regions that the file carries."""
    import numpy as np

    from ..core.sculpt.mend import mend
    from ..core.sculpt.read import read_sculpt
    from ..core.sculpt.site import Site
    from ..core.sculpt.stand import Standing, fronts_for, guess_units, placing, stand
    from ..core.sculpt.surface import as_is_surface, working_surface
    from ..core.sculpt.visibility import DIRECTIONS, visibility_of

    raw = read_sculpt(args.file)
    if args.as_is:
        surface, placed, mesh = as_is_surface(raw), None, raw
    else:
        if args.up.lstrip("-") not in ("x", "y", "z"):
            raise SettingError(f"--up is one of z, -z, y, -y, x, -x, not '{args.up}'")
        standing = Standing(args.up, args.front or fronts_for(args.up)[0], args.height)
        mended = mend(raw)
        mesh, placed = stand(mended.mesh, standing), placing(mended.mesh, standing)
        if args.height is None:
            guess = guess_units(float(np.ptp(mesh.bounds[:, 2])))
            if not guess.sure:
                print(f"dusk-lamp: note: {guess.sentence} Taken as mm; --height sets it.", file=sys.stderr)
        for sentence in mended.findings.sentences():
            print(f"dusk-lamp: note: {sentence}", file=sys.stderr)
        surface = working_surface(mesh, mended.shell, args.samples)
    view = None
    if rig.sky or rig.bounce:
        directions = int(np.clip(SKY_BUDGET // max(len(surface), 1) // 8 * 8, DIRECTIONS, 16 * DIRECTIONS))
        view = visibility_of(surface, directions)
    marking = _own_marking(args, surface, placed) if marked else None
    return Site(surface, view, marking=marking, mesh=lambda: mesh)


def with_materials(marking: Any, given: list[str]):
    """A marking with what its regions are made of: as REGION:NAME says, else as their names suggest."""
    from dataclasses import replace

    from ..core.sculpt.marking import MATERIALS

    regions = list(marking.regions)
    for words in given:
        name, _, material = (w.strip() for w in words.rpartition(":"))
        named = [k for k, r in enumerate(regions) if r.name.casefold() == name.casefold()]
        if not named:
            names = ", ".join(r.name for r in regions) or "none: the file carries no regions"
            raise SettingError(f"--material is REGION:NAME; there is no region '{name[:40]}' (there is {names})")
        if material.casefold() not in MATERIALS:
            raise SettingError(f"a material is one of {', '.join(MATERIALS)}, not '{material[:40]}'")
        regions[named[0]] = replace(regions[named[0]], material=material.casefold())
    return replace(marking, regions=tuple(regions))


def _own_marking(args: argparse.Namespace, surface: Any, placed: Any):
    """The regions that a PLY carries on its vertices; None where it has none."""
    from ..core.sculpt.marking import Marking
    from ..core.sculpt.masks import read_mask

    mask = read_mask(args.file, "ply") if str(args.file).lower().endswith(".ply") else None
    if mask is None:
        return None
    return Marking(mask.labels, mask.regions) if placed is None else mask.on(surface, placed)


def surface_of(args: argparse.Namespace):
    """The working surface of a command's file."""
    from ..core.sculpt.mend import mend
    from ..core.sculpt.read import read_sculpt
    from ..core.sculpt.stand import Standing, fronts_for, stand
    from ..core.sculpt.surface import working_surface

    if args.up.lstrip("-") not in ("x", "y", "z"):
        raise SettingError(f"--up is one of z, -z, y, -y, x, -x, not '{args.up}'")
    standing = Standing(args.up, args.front or fronts_for(args.up)[0], args.height)
    mended = mend(read_sculpt(args.file))
    return working_surface(stand(mended.mesh, standing), mended.shell, args.samples)
