"""Planted errors: how many of them do the tests notice? `bin/mutate [--count N] [--seed S] [--only ROOM]`: so many in
each room.

An error is one small change somewhere in the core: a sign turned, a comparison widened, a number half as large
again, a condition turned round, the larger taken for the smaller. (Half of 1e-9 is no error: such numbers only keep
divisions from nothing.) It is planted in a copy of the sources, and the tests nearest to it are run until the first
fails. What cannot change anything (words, hints on types) is not touched.
"""

import argparse
import ast
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parent.parent
CORE = Path("src/dusk_lamp/core")
NEAR = {  # the tests beside each room, the quickest first; a file belongs to the innermost room that it is in
    "coat": ["test_coat.py", "test_finish.py", "test_oils_and_ink.py", "test_undercoat.py"],
    "paint": [
        "test_value.py",
        "test_film.py",
        "test_colour.py",
        "test_mixing.py",
        "test_rack.py",
        "test_undercoat.py",
    ],
    "plan": [
        "test_finish.py",
        "test_oils_and_ink.py",
        "test_trade.py",
        "test_edge_lift.py",
        "test_around.py",
        "test_undercoat.py",
        "test_plan.py",
        "test_details.py",
        "test_ways.py",
        "test_metal.py",
        "test_glow.py",
        "test_document.py",
    ],
    "plan/economy": ["test_one_palette.py", "test_economy.py"],
    "plan/palette": ["test_one_palette.py", "test_economy.py", "test_ways.py"],
    "plan/steps": ["test_plan.py", "test_trade.py", "test_around.py", "test_economy.py"],
    "plan/features/colour": ["test_ways.py", "test_details.py", "test_metal.py"],
    "plan/features/metal": ["test_metal.py", "test_details.py"],
    "plan/features/undercoat": ["test_undercoat.py"],
    "plan/features/glow": ["test_glow.py", "test_details.py"],
    "plan/features/edges": ["test_details.py", "test_edge_lift.py"],
    "plan/features": [
        "test_around.py",
        "test_economy.py",
        "test_details.py",
        "test_document.py",
        "test_glow.py",
        "test_plan.py",
        "test_metal.py",
        "test_undercoat.py",
    ],
    "sculpt": [
        "test_read.py",
        "test_texture.py",
        "test_health.py",
        "test_display.py",
        "test_facets.py",
        "test_surface.py",
        "test_decimate.py",
        "test_regions.py",
        "test_relief.py",
        "test_parts.py",
        "test_brush.py",
        "test_mend.py",
        "test_stand.py",
        "test_pieces.py",
        "test_marking.py",
        "test_curvature.py",
        "test_scheme.py",
    ],
    "view": ["test_view.py", "test_strokes.py", "test_schedule.py", "test_ways.py", "test_metal.py"],
    "target": [
        "test_sketch.py",
        "test_hue_path.py",
        "test_scheme.py",
        "test_value.py",
        "test_greys.py",
        "test_around.py",
    ],
    "light": ["test_key.py", "test_sky.py", "test_glow.py", "test_metal.py", "test_parts.py", "test_view.py"],
    "squad": ["test_squad.py", "../test_day_cli.py"],
    "schedule": ["test_schedule.py"],
    "reach": ["test_reach.py"],
    "log": ["test_log.py"],
    "check": ["test_check.py"],
    "card": ["test_card.py"],
    "drill": ["test_drill.py"],
}
SKIP = {"make_bands.py"}
COMPARE = {ast.Lt: ast.GtE, ast.LtE: ast.Gt, ast.Gt: ast.LtE, ast.GtE: ast.Lt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq}
COUNT = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
SWAP = {
    "min": "max",
    "max": "min",
    "minimum": "maximum",
    "maximum": "minimum",
    "any": "all",
    "all": "any",
    "sin": "cos",
    "cos": "sin",
    "floor": "ceil",
    "argmin": "argmax",
    "argmax": "argmin",
    "exp": "log1p",
}
FIGURES = json.loads((ROOT / "tests" / "data" / "figures.json").read_text()).keys()  # rooms whose figures are kept
TINY = 1e-6  # a number this small is there to keep a division from nothing
PATIENCE_S = 400


@dataclass(frozen=True)
class Error:
    """One change: the file, the line, what it was and what it is."""

    path: Path
    line: int
    was: str
    now: str
    source: str


def places(path: Path) -> list[Error]:
    """Every small error that could be planted in a file."""
    source = (ROOT / path).read_text()
    tree = ast.parse(source)
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef | ast.ClassDef | ast.Module):
            node.body = [
                n for n in node.body if not (isinstance(n, ast.Expr) and isinstance(n.value, ast.Constant))
            ] or node.body
    silent = {
        id(part)
        for node in ast.walk(tree)
        if isinstance(node, ast.Raise | ast.JoinedStr | ast.arg | ast.AnnAssign) and not getattr(node, "value", None)
        for part in ast.walk(node)
    }
    # what a decorator or a hint says is not what happens
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef):
            for part in [*node.decorator_list, *([node.returns] if node.returns else [])]:
                silent |= {id(p) for p in ast.walk(part)}
        if isinstance(node, ast.AnnAssign):
            silent |= {id(p) for p in ast.walk(node.annotation)}
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") in (
            "number",
            "choice",
            "text",
            "rounded",
            "film_um",
        ):
            silent |= {id(p) for p in ast.walk(node)}
    for node in ast.walk(tree):
        if id(node) in silent or not hasattr(node, "lineno"):
            continue
        for new in variants(node):
            text = ast.get_source_segment(source, node)
            if text is None or "\n" in text:
                continue
            lines = source.split("\n")
            line = lines[node.lineno - 1].encode()
            start, end = node.col_offset, node.end_col_offset
            replaced = line[:start] + f"({ast.unparse(new)})".encode() + line[end:]
            lines[node.lineno - 1] = replaced.decode()
            found.append(Error(path, node.lineno, text, ast.unparse(new), "\n".join(lines)))
    return found


def variants(node: ast.AST) -> list[ast.expr]:
    """What a node could be by mistake."""
    if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARE:
        return [ast.Compare(node.left, [COMPARE[type(node.ops[0])]()], node.comparators)]
    if isinstance(node, ast.BinOp) and type(node.op) in COUNT:
        return [ast.BinOp(node.left, COUNT[type(node.op)](), node.right)]
    if (
        isinstance(node, ast.Constant)
        and type(node.value) in (int, float)
        and node.value not in (0, 1, -1, 2, 3)
        and abs(node.value) > TINY
    ):
        return [
            ast.Constant(node.value * 1.5 if isinstance(node.value, float) else node.value + max(1, node.value // 2))
        ]
    if isinstance(node, ast.Call):
        func = node.func
        name = func.attr if isinstance(func, ast.Attribute) else getattr(func, "id", "")
        if name in SWAP:
            other = (
                ast.Attribute(func.value, SWAP[name], ast.Load())
                if isinstance(func, ast.Attribute)
                else ast.Name(SWAP[name], ast.Load())
            )
            return [ast.Call(other, node.args, node.keywords)]
    if (
        isinstance(node, ast.UnaryOp)
        and isinstance(node.op, ast.USub | ast.Not)
        and not isinstance(node.operand, ast.Constant)
    ):
        return [node.operand]
    if isinstance(node, ast.IfExp):
        return [ast.IfExp(node.test, node.orelse, node.body)]
    return []


def room_of(path: Path) -> str:
    """The innermost room that a file is in."""
    inside = path.relative_to(CORE).as_posix()
    return max((room for room in NEAR if inside.startswith(f"{room}/")), key=len, default="")


def noticed(error: Error, folder: Path) -> tuple[bool, float]:
    """Whether the tests beside an error fail with it, and after how many seconds."""
    target = folder / error.path
    original = target.read_text()
    target.write_text(error.source)
    room = room_of(error.path)
    kept = f"{ROOT / 'tests' / 'core' / 'test_figures.py'}::test_the_figures_of_a_room_are_as_they_were[{room}]"
    tests = [*([kept] if room in FIGURES else []), *(str(ROOT / "tests" / "core" / name) for name in NEAR[room])]
    start = time.monotonic()
    try:
        done = subprocess.run(
            [
                sys.executable,
                "-m",
                "pytest",
                "-x",
                "-q",
                "-n0",
                "-p",
                "no:cacheprovider",
                "--durations=0",
                "-o",
                "addopts=",
                *tests,
            ],
            cwd=ROOT,
            env={
                **os.environ,
                "PYTHONPATH": str(folder / "src"),
                "NUMBA_NUM_THREADS": "1",
                "PYTHONDONTWRITEBYTECODE": "",
            },
            capture_output=True,
            timeout=PATIENCE_S,
            check=False,
        )
        failed = done.returncode != 0
    except subprocess.TimeoutExpired:
        failed = True  # a test that never ends is noticed, too
    finally:
        target.write_text(original)
    return failed, time.monotonic() - start


def main() -> None:
    """Plant, run, count, tell."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--count", type=int, default=12, help="of errors in each room")
    parser.add_argument("--seed", type=int, default=20)
    parser.add_argument("--only", help="one room of the core")
    args = parser.parse_args()
    rooms = [args.only] if args.only else list(NEAR)
    files = [p.relative_to(ROOT) for p in sorted((ROOT / CORE).rglob("*.py")) if p.name not in SKIP]
    within = {
        room: [e for p in files if len(p.relative_to(CORE).parts) > 1 and room_of(p) == room for e in places(p)]
        for room in rooms
    }
    draw = random.Random(args.seed)
    chosen = [e for every in within.values() for e in draw.sample(every, min(args.count, len(every)))]
    print(f"{sum(map(len, within.values()))} places; {len(chosen)} errors planted, seed {args.seed}", flush=True)
    workers = max(1, (os.cpu_count() or 2))
    with tempfile.TemporaryDirectory() as base:
        folders = [Path(base) / str(k) for k in range(workers)]
        for folder in folders:
            # with what was compiled: to compile all of it anew takes longer than a test may
            shutil.copytree(ROOT / "src", folder / "src", ignore=shutil.ignore_patterns("static"))
        free = list(folders)

        def one(error: Error) -> tuple[Error, bool, float]:
            folder = free.pop()
            try:
                return error, *noticed(error, folder)
            finally:
                free.append(folder)

        caught: dict[str, list[bool]] = {room: [] for room in rooms}
        with ThreadPoolExecutor(workers) as pool:
            for error, failed, took in pool.map(one, chosen):
                caught[room_of(error.path)].append(failed)
                where = f"{error.path.relative_to(CORE)}:{error.line}"
                print(
                    f"{'noticed' if failed else 'MISSED '}  {took:5.1f} s  {where:32}  {error.was}  →  {error.now}",
                    flush=True,
                )
    print(f"\n{'room':14}{'planted':>9}{'noticed':>9}{'share':>8}")
    for room, results in [*caught.items(), ("all", [r for rs in caught.values() for r in rs])]:
        if results:
            print(f"{room:14}{len(results):9}{sum(results):9}{sum(results) / len(results):8.0%}")


if __name__ == "__main__":
    main()
