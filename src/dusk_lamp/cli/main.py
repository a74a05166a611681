"""The program: its parser, and how it ends."""

import argparse
import gc
import os
import sys
from functools import cache
from typing import NoReturn

from .. import __version__
from ..core.errors import DuskLampError
from ..heap import look_seldom
from . import bench, card, check, club, drill, economy, glow, log, metal, paint, plan, sculpt, squad, undercoat

# options whose value may begin with a minus
SIGNED = (
    "--lamp",
    "--up",
    "--front",
    "--seed",
    "--from",
    "--left",
    "--right",
    "--at",
    "--hot",
    "--source",
    "--view",
    "--pose",
)


def main(argv: list[str] | None = None) -> int:
    """Run one command; 0 when it worked, 2 with one line on stderr when the input is bad."""
    if argv is not None:
        return _run(argv)
    look_seldom()
    _results_alone()
    try:
        return _run(sys.argv[1:])
    finally:
        gc.freeze()  # all goes with the process: nothing needs to be looked through once more


def _run(argv: list[str]) -> int:
    args = _parser().parse_args(_with_signs(argv))
    try:
        return args.run(args) or 0
    except DuskLampError as e:
        print(f"dusk-lamp: {e}", file=sys.stderr)
        return 2
    except OSError as e:
        print(f"dusk-lamp: {e.strerror or e}: {e.filename}", file=sys.stderr)
        return 2


def _results_alone() -> None:
    """A solver now and then writes a line of its own to the output, where a program reads JSON: whatever is not ours
    goes to the error stream."""
    results = os.dup(1)
    os.dup2(2, 1)
    sys.stdout = os.fdopen(results, "w", encoding=sys.stdout.encoding, errors=sys.stdout.errors)


class _OneLineParser(argparse.ArgumentParser):
    """Says what is wrong in one line, as every other bad input does."""

    def error(self, message: str) -> NoReturn:
        print(f"dusk-lamp: {message}; see {self.prog} --help", file=sys.stderr)
        sys.exit(2)


def _with_signs(argv: list[str]) -> list[str]:
    """Values that begin with a minus (`--lamp -45,30`, `--up -z`) glued to their option, or they read as options."""
    out: list[str] = []
    for word in argv:
        if out and out[-1] in SIGNED and word.startswith("-") and not word.startswith("--") and word != "-o":
            out[-1] += f"={word}"
        else:
            out.append(word)
    return out


@cache
def _parser() -> argparse.ArgumentParser:
    parser = _OneLineParser(
        prog="dusk-lamp", description="Where light and shadow fall on a miniature, and a plan to paint by."
    )
    parser.add_argument("--version", action="version", version=f"dusk-lamp {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for family in (sculpt, paint, undercoat, plan, economy, squad, glow, metal, log, check, drill, card, bench, club):
        family.add_commands(commands)
    return parser
