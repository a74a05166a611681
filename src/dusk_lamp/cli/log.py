"""The log: log export, log import, log teaches."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import write_whole


def add_commands(commands: Any) -> None:
    """Add the command to the program's own."""
    log = commands.add_parser("log", help="what was painted: given out, taken in, and what it teaches")
    kinds = log.add_subparsers(required=True, metavar="WHAT")
    export = kinds.add_parser("export", help="all entries as CSV or JSON")
    export.add_argument("--format", choices=("csv", "json"), default="csv")
    export.add_argument("-o", "--out", type=Path, metavar="FILE", help="where to (standard output)")
    bring = kinds.add_parser("import", help="take entries in that are not there yet")
    bring.add_argument("file", type=Path, metavar="FILE.csv|FILE.json")
    teaches = kinds.add_parser("teaches", help="the pace, drops and paints that a log shows")
    teaches.add_argument("--file", type=Path, metavar="FILE", help="a log as CSV or JSON (the one that is kept)")
    teaches.add_argument("--json", action="store_true", help="print it as JSON")
    for command, run in ((export, _export), (bring, _bring), (teaches, _teaches)):
        command.add_argument("--data", type=Path, metavar="DIR", help="where sculpts and plans are kept")
        command.set_defaults(run=run)


def _store(args: argparse.Namespace):
    from ..store.store import Store
    from ..web.serve import data_folder

    return Store(data_folder(args.data))


def _read(path: Path) -> Any:
    from ..core.log.export import from_csv, from_json

    try:
        text = path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as e:
        raise SettingError(f"'{path.name}' is not written in UTF-8; save it as that") from e
    return from_json(text) if path.suffix.lower() == ".json" else from_csv(text)


def _export(args: argparse.Namespace) -> None:
    from ..core.log.export import as_csv, as_json
    from ..store import log

    store = _store(args)
    with store.session() as session:
        entries = log.entries(session)
    store.close()
    text = as_csv(entries) if args.format == "csv" else as_json(entries)
    if args.out:
        write_whole(args.out, text.encode())
        print(f"{len(entries)} entries are in {args.out}")
    else:
        sys.stdout.write(text)


def _bring(args: argparse.Namespace) -> None:
    from ..store import log

    found, store = _read(args.file), _store(args)
    with store.saving() as session:
        count = log.bring_log(session, found)
    store.close()
    print(f"{count} of {len(found)} entries were taken in; the others were there already")


def _teaches(args: argparse.Namespace) -> None:
    from ..core.coat.technique import techniques
    from ..core.log.pace import pace_of, pace_words
    from ..core.log.paints import drops_seen, used_of
    from ..core.plain import plain
    from ..core.workplace.tools import Tools

    tools = Tools()
    if args.file:
        entries = _read(args.file)
    else:
        from ..store import log, painters

        store = _store(args)
        with store.session() as session:
            entries, tools = log.entries(session), painters.tools_of(session)
        store.close()
    pace = pace_of(entries)
    words = pace_words(pace, {name: used_paint.title for name, used_paint in techniques().items()})
    drops, used = drops_seen(entries, tools.drops_per_ml), used_of(entries, None, tools.drops_per_ml)
    if args.json:
        report = {
            "entries": len(entries),
            "pace": plain(pace),
            "drops_per_ml": round(drops[0], 2) if drops else None,
            "used": [plain(u) for u in used],
            "words": words,
        }
        print(json.dumps(report, indent=2, ensure_ascii=False))
        return
    for sentence in words or ["Nothing yet: it takes six steps of a kind with their times."]:
        print(sentence)
    for used_paint in used:
        print(f"{used_paint.paint}: {used_paint.ml:.2f} ml in {used_paint.steps} steps")
