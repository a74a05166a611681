"""A bench of many painters and machines: pages, worker, painter, move."""

import argparse
import os
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    pages = commands.add_parser("pages", help="serve the pages alone; workers are started beside them")
    pages.add_argument("--port", type=int, default=5151)
    pages.add_argument("--host", default="127.0.0.1", help="behind a proxy: loopback")
    pages.set_defaults(run=_pages)
    worker = commands.add_parser("worker", help="work through what waits, on this machine")
    worker.set_defaults(run=_worker)

    painter = commands.add_parser("painter", help="painters of a bench of many")
    what = painter.add_subparsers(required=True, metavar="WHAT")
    invite = what.add_parser("invite", help="the link that lets one painter in, once")
    invite.add_argument("--looks-after", action="store_true", help="this painter looks after the bench")
    invite.add_argument("--address", default="http://localhost:5151", help="of the bench (http://localhost:5151)")
    invite.set_defaults(run=_invite)
    listed = what.add_parser("list", help="who is there, and what each takes up")
    listed.set_defaults(run=_list)
    export = what.add_parser("export", help="everything of a painter in one zip file")
    export.add_argument("name", metavar="NAME")
    export.add_argument("-o", "--out", required=True, type=Path, metavar="OUT.zip")
    export.set_defaults(run=_export)
    remove = what.add_parser("remove", help="let go of a painter and of everything that is theirs, for good")
    remove.add_argument("name", metavar="NAME")
    remove.add_argument("--yes", action="store_true", help="do not ask")
    remove.set_defaults(run=_remove)

    move = commands.add_parser("move", help="move everything from one database to another, counted")
    move.add_argument("--to", required=True, metavar="ADDRESS", help="postgresql+psycopg://…, or a folder for SQLite")
    move.set_defaults(run=_move)
    for command in (pages, worker, invite, listed, export, remove, move):
        command.add_argument("--data", type=Path, metavar="DIR", help="the data folder of this machine")


def _folder(args: argparse.Namespace) -> Path:
    from ..web.serve import data_folder

    folder = data_folder(args.data)
    folder.mkdir(parents=True, exist_ok=True)
    os.chmod(folder, 0o700)
    return folder


def _store(args: argparse.Namespace):
    from ..settings import settings_from
    from ..store.store import Store

    return Store(_folder(args), settings_from())


def _pages(args: argparse.Namespace) -> None:
    from ..web.serve import serve_pages

    serve_pages(args.host, args.port, _folder(args))


def _worker(args: argparse.Namespace) -> None:
    from ..jobs.worker import work

    _store(args).close()  # brings the database to the newest shape
    work(_folder(args))


def _invite(args: argparse.Namespace) -> None:
    from ..store import accounts

    store = _store(args)
    with store.saving() as session:
        token = accounts.invite(session, args.looks_after)
    print(f"{args.address.rstrip('/')}/invited/{token}")
    if not store.settings.accounts:
        print("Set DUSK_LAMP_ACCOUNTS=1 for a bench of many painters.", file=sys.stderr)


def _list(args: argparse.Namespace) -> None:
    from ..store import accounts

    store = _store(args)
    with store.session() as session:
        for p in accounts.takes(session, store):
            seen = f", last here {p.seen_at:%Y-%m-%d}" if p.seen_at else ""
            after = ", looks after the bench" if p.looks_after else ""
            print(f"{p.name}: {p.sculpts} sculpts, {p.megabytes:g} MB, {p.seconds:g} s of work{seen}{after}")


def _named(session: Any, name: str) -> Any:
    from ..store import accounts

    found = next((p for p in accounts.all_painters(session) if p.name.casefold() == name.casefold()), None)
    if found is None:
        raise SettingError(f"no painter of this bench is called '{name[:60]}'")
    return found


def _export(args: argparse.Namespace) -> None:
    from ..store import accounts

    store = _store(args)
    with store.session() as session:
        painter_id = _named(session, args.name).id
    accounts.leaving(store, painter_id, args.out)
    print(args.out)


def _remove(args: argparse.Namespace) -> None:
    from ..store import accounts

    store = _store(args)
    with store.saving() as session:
        painter = _named(session, args.name)
        if (
            not args.yes
            and input(f"Remove {painter.name} and everything of theirs, for good? Type the name: ") != painter.name
        ):
            raise SettingError("nothing was removed")
        accounts.remove_painter(session, painter.id)


def _move(args: argparse.Namespace) -> None:
    from ..settings import settings_from
    from ..store.move import move

    for table, count in move(_folder(args), settings_from(), args.to).items():
        print(f"{table}: {count}")
