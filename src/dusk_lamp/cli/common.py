"""What several commands need: lamps and racks as they are written, files written whole, a sculpt laid out."""

import argparse
import json
from importlib.resources import files
from pathlib import Path
from typing import Any

from ..core.errors import SettingError


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


def write_whole(path: Path, content: bytes) -> None:
    """Write a file all at once: whoever reads it never sees half of it."""
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
    from ..core.plan.tools import Tools

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


def laid_out(args: argparse.Namespace):
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
