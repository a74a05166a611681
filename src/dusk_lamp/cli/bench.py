"""The bench for a browser: serve, demo."""

import argparse
import json
from datetime import datetime
from pathlib import Path
from typing import Any


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    serve = commands.add_parser("serve", help="open the bench for a browser on this machine")
    demo = commands.add_parser("demo", help="the same, with the demo sculpts laid out")
    for command, with_demo in ((serve, False), (demo, True)):
        command.add_argument("--port", type=int, default=5151)
        command.add_argument("--host", default="127.0.0.1", help="only change this on a network you trust")
        command.add_argument("--data", type=Path, metavar="DIR", help="where sculpts and plans are kept")
        command.set_defaults(run=_serve, with_demo=with_demo, plans=None)
    demo.add_argument(
        "--plans", type=Path, metavar="DIR", help="only write the demo plans, each with its sculpt beside it"
    )

    room = commands.add_parser("room", help="what the room's sensor reads, and how long paint dries there")
    room.add_argument("--sensor", default="simulated", metavar="FILE", help="its last reading, as JSON (simulated)")
    room.add_argument("--json", action="store_true", help="print it as JSON")
    room.set_defaults(run=_room)

    backup = commands.add_parser("backup", help="keep everything in a data folder in one file")
    restore = commands.add_parser("restore", help="bring it back, into an empty folder")
    for command, run in ((backup, _backup), (restore, _restore)):
        command.add_argument("file", type=Path, metavar="FILE.zip")
        command.add_argument("--data", type=Path, metavar="DIR", help="where sculpts and plans are kept")
        command.set_defaults(run=run)


def _room(args: argparse.Namespace) -> None:
    from ..core.plain import plain
    from ..core.workplace.room_sensor import read

    now = datetime.now()
    room = read(args.sensor, now.hour * 60 + now.minute)
    words = f"{room.drying_words} {room.words}".strip()
    if args.json:
        print(json.dumps({**plain(room), "words": words}))
    else:
        print(f"{room.temperature:g} °C, {room.humidity:g} % humidity. {words}")


def _backup(args: argparse.Namespace) -> None:
    from ..settings import settings_from
    from ..store.backup import backup
    from ..web.serve import data_folder

    kept = backup(data_folder(args.data), args.file, settings_from())
    print(f"{kept['sculpts']} sculpts and {kept['files']} files are kept in {args.file}")


def _restore(args: argparse.Namespace) -> None:
    from ..store.backup import restore
    from ..web.serve import data_folder

    folder = data_folder(args.data)
    kept = restore(args.file, folder)
    print(f"{kept['sculpts']} sculpts and {kept['files']} files are back in {folder}")


def _serve(args: argparse.Namespace) -> None:
    if args.plans is not None:
        from ..demo.load import write_plans

        for path in write_plans(args.plans):
            print(path)
        return
    from ..web.serve import serve

    serve(args.host, args.port, args.data, with_demo=args.with_demo)
