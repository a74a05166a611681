"""Cards to print, paint and photograph: card."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import write_whole


def add_commands(commands: Any) -> None:
    """Add the command to the program's own."""
    parser = commands.add_parser(
        "card", help="a card to print and paint; a photo of it graded, or paints measured by it"
    )
    parser.add_argument("name", metavar="NAME|list", help="of the card; list for all of them")
    parser.add_argument("-o", "--out", type=Path, metavar="OUT.pdf", help="the card to print (PDF or PNG)")
    parser.add_argument("--photo", type=Path, metavar="PHOTO.jpg", help="the painted card, to be graded")
    parser.add_argument("--flat", type=Path, metavar="OUT.png", help="the photo laid flat, its light taken out")
    parser.add_argument(
        "--simulate", type=Path, metavar="OUT.jpg", help="a photo by the simulated camera, truth beside it"
    )
    parser.add_argument("--no-grey", action="store_true", help="no grey card in the simulated photo")
    parser.add_argument("--noise", type=float, default=1.0, metavar="X", help="times the noise of light itself (1)")
    parser.add_argument("--seed", type=int, default=0, metavar="N", help="of the simulated photo (0)")
    parser.add_argument("--json", action="store_true", help="print the grade as JSON")
    parser.set_defaults(run=_card)


def _card(args: argparse.Namespace) -> None:
    from ..core.card import card_called, cards

    if args.name == "list":
        for one in cards().values():
            print(f"{one.name}: {one.title}. {one.teaches}")
        return
    card = card_called(args.name)
    if not (args.out or args.photo or args.simulate):
        raise SettingError("say what to do: -o CARD.pdf to print it, --photo PHOTO.jpg to grade it")
    if args.out:
        _drawn(card, args.out)
    if args.simulate:
        from ..core.card.simulated import Snap, card_photo

        content, truth = card_photo(card, args.seed, Snap(noise=args.noise, grey=not args.no_grey))
        write_whole(args.simulate, content)
        write_whole(args.simulate.with_suffix(".json"), json.dumps(truth, indent=1).encode())
    if args.photo:
        _graded(card, args)


def _drawn(card: Any, out: Path) -> None:
    from ..core.card.drawing import card_pdf, card_picture
    from ..core.view.formats import png_bytes

    write_whole(out, png_bytes(card_picture(card)) if out.suffix.lower() == ".png" else card_pdf(card))


def _graded(card: Any, args: argparse.Namespace) -> None:
    from ..core.card.reading import flat_card
    from ..core.check.photo import read_photo
    from ..core.plain import plain
    from ..core.view.formats import png_bytes

    flat = flat_card(card, read_photo(args.photo.read_bytes()))
    if args.flat:
        write_whole(args.flat, png_bytes(flat.picture))
    grade = card.graded(flat)
    if args.json:
        print(json.dumps({"card": card.name, **plain(grade)}, ensure_ascii=False, indent=1))
        return
    for line in (*grade.troubles, *grade.words):
        print(line)
