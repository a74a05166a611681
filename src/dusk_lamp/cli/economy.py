"""Few pots and puddles: economy."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import write_whole


def add_commands(commands: Any) -> None:
    """Add the command to the program's own."""
    parser = commands.add_parser("economy", help="the best plan for the time, the pots and the puddles one has")
    parser.add_argument("file", metavar="PLAN.json", help="see dusk-lamp schema")
    parser.add_argument("-o", "--out", required=True, metavar="PLAN2.json", help="the same plan with these coats")
    parser.add_argument("--minutes", type=float, metavar="M", help="of work, door to door (120)")
    parser.add_argument("--pots", type=int, metavar="N", help="at most so many (12; 20 beyond two hours and a half)")
    parser.add_argument(
        "--puddles", type=int, metavar="N", help="at most so many (18; 40 beyond two hours and a half)"
    )
    parser.add_argument("--steps", type=int, metavar="N", help="at most so many")
    parser.add_argument("--only-own", action="store_true", help="only the pots that the plan brings in its rack")
    parser.add_argument("--only", metavar="POT,POT…", help="only these pots")
    parser.add_argument(
        "--steps-on", action="append", default=[], metavar="REGION:N", help="a region in so many steps"
    )
    parser.add_argument("--no-blends", action="store_true", help="hard edges only")
    parser.add_argument("--neat", action="store_true", help="every base as it comes from the pot")
    parser.add_argument(
        "--front",
        action="store_true",
        help="half an hour to five hours, as a list; the plan kept is the one for --minutes",
    )
    parser.add_argument(
        "--files-from", type=Path, metavar="DIR", help="where the sculpt's files are (beside the plan)"
    )
    parser.add_argument("--json", action="store_true", help="print it as JSON")
    parser.set_defaults(run=_economy)


def _budget(args: argparse.Namespace, minutes: float, plan: Any) -> Any:
    from dataclasses import replace

    from ..core.plan.economy.budget import Budget

    budget = Budget.usual(minutes)
    only = tuple(n.strip() for n in args.only.split(",") if n.strip()) if args.only else ()
    if args.only_own:
        if not plan.rack:
            raise SettingError("the plan brings no rack of its own; leave --only-own out")
        only = only or tuple(p.name for p in plan.rack)
    given = {"pots": args.pots, "puddles": args.puddles, "steps": args.steps}
    steps_on = dict(_steps_on(words, plan) for words in args.steps_on)
    return replace(
        budget,
        only=only,
        blends=not args.no_blends,
        neat=args.neat,
        steps_on=steps_on,
        **{k: v for k, v in given.items() if v is not None},
    )


def _steps_on(words: str, plan: Any) -> tuple[str, int]:
    """A pin such as “Cloak:4”: the region's id and its steps."""
    name, _, count = words.rpartition(":")
    found = next((r for r in plan.regions if r.name.casefold() == name.strip().casefold()), None)
    if found is None or not count.strip().isdecimal():
        names = ", ".join(r.name for r in plan.regions)
        raise SettingError(f"--steps-on is REGION:N such as Cloak:4, not '{words[:60]}'; the regions are {names}")
    return str(found.id), int(count[:6])


def _economy(args: argparse.Namespace) -> None:
    from dataclasses import replace

    from ..core.plain import plain
    from ..core.plan.document import document_of, read_plan
    from ..core.plan.economy.plan import FRONT, Economy, no_worse
    from ..core.plan.features.colour.feature import FEATURE as COLOUR
    from ..core.plan.features.undercoat.schools import SUITED
    from ..core.plan.registry import features
    from ..core.plan.run import laid
    from ..core.plan.whole import whole_of
    from .plan import context_from

    given = read_plan(Path(args.file).read_bytes())
    minutes = 120.0 if args.minutes is None else args.minutes
    wanted = _budget(args, minutes, given)
    others = sorted({*FRONT, minutes}) if args.front else [minutes]
    wishes = replace(given.wishes_of("colour"), budget=wanted)
    free = given.wishes_of("undercoat").school == SUITED
    under = () if free else tuple(c for c in given.coats if c.stage == "undercoat")
    settled = () if free or not under else ("undercoat",)
    bare = replace(given, coats=under, settled=settled).with_wishes("colour", wishes)
    context = context_from(bare, args.files_from or Path(args.file).parent, args)
    say = lambda step, _=0.0: print(f"{step} …", file=sys.stderr)  # noqa: E731
    done, _ = laid(context, say)
    free_again = done.on(replace(done.plan, settled=settled))
    found: list[Economy] = []
    for m in others:
        say(f"Choosing for {m:.0f} minutes")
        try:
            found.append(no_worse(COLOUR.economy(free_again, _budget(args, m, given)), found))
        except SettingError as e:  # the shortest of a front may be too short for priming
            if m == minutes:
                raise
            say(str(e))
    kept = next(e for e in found if e.budget.minutes == minutes)
    plan = replace(done.plan, settled=tuple(features()), marking=given.marking)
    if not plan.marking and len(plan.regions) > 1:  # they came from the sculpt's own file
        plan = replace(plan, regions=given.regions)
    text = json.dumps(document_of(plan), ensure_ascii=False)
    write_whole(Path(args.out), text.encode())
    rows = [_row(e, done) for e in found]
    rows[found.index(kept)]["whole"] = plain(whole_of(done))
    if args.json:
        print(json.dumps(rows if args.front else rows[found.index(kept)], indent=2, ensure_ascii=False))
        return
    for e in found:
        print(e.words)
    for puddle in kept.puddles:
        print(puddle.words)


def _row(found: Any, context: Any) -> dict[str, Any]:
    """A plan for a budget as plain values."""
    names = {r.id: r.name for r in context.site.marking.regions}
    return {
        "budget": found.budget.minutes,
        "pots": list(found.pots),
        "puddles": [
            {
                "letter": p.letter,
                "parts": p.parts,
                "added_to": p.added_to or None,
                "takes": p.takes,
                "drops": p.drops,
                "ml": round(p.ml, 4),
                "left": p.left,
            }
            for p in found.puddles
        ],
        "steps": [
            {
                "number": k,
                "region": names.get(c.region),
                "puddle": letter,
                "technique": s.technique,
                "label": s.purpose,
                "covers_mm2": round(s.covers_mm2, 1),
                "minutes": round(s.hand_minutes, 1),
                "how": s.how,
            }
            for k, (s, c, letter) in enumerate(zip(found.steps, found.coats, found.letters, strict=True), 1)
        ],
        "undercoat": {
            "name": ", ".join(c.label or c.by.title for c in found.under if c.stage == "undercoat"),
            "cups": found.cups,
            "minutes": round(found.under_minutes, 1),
        },
        "minutes": round(found.minutes, 1),
        "wait_minutes": round(found.wait, 1),
        "bands": round(found.bands, 3),
        "near_5": round(found.near_5, 4),
        "near_8": round(found.near_8, 4),
        "near_5_weighted": round(found.near_5_weighted, 4),
        "mean_de": round(found.mean_de, 2),
        "gap": round(found.gap, 4),
        "seconds": round(found.seconds, 2),
        "bare": list(found.bare),
        "words": found.words,
    }
