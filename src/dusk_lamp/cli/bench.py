"""The bench for a browser: serve, demo."""

import argparse
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
        command.set_defaults(run=_serve, with_demo=with_demo)


def _serve(args: argparse.Namespace) -> None:
    from ..web.serve import serve

    serve(args.host, args.port, args.data, with_demo=args.with_demo)
