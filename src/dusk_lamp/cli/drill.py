"""Exercises for the eye: drill."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import write_whole

SAMPLES = 40_000


def add_commands(commands: Any) -> None:
    """Add the command to the program's own."""
    parser = commands.add_parser("drill", help="an exercise made from a sculpt, and an answer graded")
    parser.add_argument("name", metavar="NAME|list", help="of the drill; list for all of them")
    parser.add_argument("file", nargs="?", metavar="IN", help="STL, OBJ, PLY, GLB, 3MF or OFF")
    parser.add_argument("--up", default="z", metavar="AXIS", help="axis of the file that points up (z)")
    parser.add_argument("--front", metavar="AXIS", help="axis of the file that the figure faces")
    parser.add_argument("--height", type=float, metavar="MM")
    parser.add_argument("--seed", type=int, default=0, metavar="N", help="which question (0)")
    parser.add_argument("--answer", metavar="JSON", help="a number, a list of numbers, or of true and false")
    parser.add_argument("--picture", type=Path, metavar="OUT.png", help="what is asked about")
    parser.add_argument("--solved", type=Path, metavar="OUT.png", help="the same with the answer in it")
    parser.add_argument("--json", action="store_true", help="print it as JSON")
    parser.set_defaults(run=_drill, samples=SAMPLES)


def _drill(args: argparse.Namespace) -> None:
    from ..core.drill import drill, drills
    from ..core.plain import plain
    from ..core.view.formats import png_bytes

    if args.name == "list":
        for one in drills().values():
            print(f"{one.name}: {one.title} {one.teaches}")
        return
    exercise = drill(args.name)
    if args.file is None:
        raise SettingError("say which sculpt the drill is made from: dusk-lamp drill NAME IN")
    site = _site(args)
    question = exercise.make(site, args.seed)
    if args.picture:
        write_whole(args.picture, png_bytes(exercise.picture(site, question)))
    if args.solved:
        write_whole(args.solved, png_bytes(exercise.picture(site, question, True)))
    shown = {k: v for k, v in plain(question).items() if k not in ("truth", "why")}
    if args.answer is None:
        print(json.dumps(shown, ensure_ascii=False, indent=1) if args.json else question.question)
        return
    try:
        answer = json.loads(args.answer)
    except (ValueError, RecursionError) as e:
        raise SettingError("--answer is a number, or a list such as [1, 0, 1]") from e
    grade = exercise.grade(question, answer)
    if args.json:
        report = {
            "drill": exercise.name,
            "seed": args.seed,
            **plain(grade),
            "truth": question.truth,
            "teaches": exercise.teaches,
        }
        print(json.dumps(report, ensure_ascii=False, indent=1))
    else:
        print(grade.words)


def _site(args: argparse.Namespace):
    from ..core.sculpt.site import seen_site
    from .common import surface_of

    return seen_site(surface_of(args))
