"""Paint: mix, ladder, coats, match."""

import argparse
import json
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import the_rack


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    mix = commands.add_parser("mix", help="what a mix of paints looks like, and a film of it")
    mix.add_argument("paints", nargs="+", metavar="PAINT:PARTS", help="such as Soot:1 Gull:2, or #8a3f2a@0.95:1")
    mix.add_argument("--film", type=float, metavar="UM", help="dry thickness of a film, µm")
    mix.add_argument("--over", default="white", metavar="GROUND", help="black or white card, or #RRGGBB (white)")
    mix.set_defaults(run=_mix)

    ladder = commands.add_parser("ladder", help="mixes from dark to light in even steps of value")
    ladder.add_argument("--dark", required=True, metavar="PAINT")
    ladder.add_argument("--light", required=True, metavar="PAINT")
    ladder.add_argument("--mid", metavar="PAINT")
    ladder.add_argument("--steps", type=int, default=5, metavar="N", help="2 to 12 (5)")
    ladder.set_defaults(run=_ladder)

    coats = commands.add_parser("coats", help="how many coats of a paint hide another, and what undercoat saves some")
    coats.add_argument("paint", metavar="PAINT")
    coats.add_argument("--over", required=True, metavar="GROUND", help="a paint, black or white card, or #RRGGBB")
    coats.add_argument(
        "--area", type=float, default=250.0, metavar="MM2", help="what it is laid on, for the minutes (250)"
    )
    coats.set_defaults(run=_coats)

    match = commands.add_parser("match", help="the best mix of paints on the rack for a colour")
    match.add_argument("colour", metavar="#RRGGBB")
    match.add_argument("--most", type=int, default=3, metavar="N", help="paints in the mix, 1 to 3 (3)")
    match.set_defaults(run=_match)

    glaze = commands.add_parser("glaze", help="how far a paint is thinned to glaze, and in how many passes")
    glaze.add_argument("paint", metavar="PAINT")
    glaze.add_argument(
        "--keep", type=float, default=0.7, metavar="SHARE", help="of the sketch's range of value (0.7)"
    )
    glaze.set_defaults(run=_glaze)

    for command in (mix, ladder, coats, match, glaze):
        command.add_argument("--rack", type=Path, metavar="FILE", help="CSV of your paints (the demo rack)")
        command.add_argument("--json", action="store_true", help="as JSON")


def _written_mix(words: list[str], rack):
    """The mix of `PAINT:PARTS` words; parts are 1 where they are left out."""
    from ..core.paint.mix import MOST_PAINTS_IN_A_MIX, Mix, coloured

    paints, parts = [], []
    for word in words:
        name, colon, count = word.rpartition(":")
        if not colon:
            name, count = word, "1"
        try:
            parts.append(int(count))
        except ValueError:
            raise SettingError(f"'{word}' is not PAINT:PARTS with whole parts, such as Gull:2") from None
        paints.append(rack.find(name))
    if len(paints) > MOST_PAINTS_IN_A_MIX:
        raise SettingError(f"a mix holds up to {MOST_PAINTS_IN_A_MIX} paints: more turn to mud")
    return coloured(Mix(tuple(paints), tuple(parts)))


def _mix(args: argparse.Namespace) -> None:
    from ..core.paint.colour import colour_of
    from ..core.paint.film import card_reflectance
    from ..core.plain import plain

    mix = _written_mix(args.paints, the_rack(args.rack))
    report: dict[str, Any] = {"parts": mix.counted(), "colour": plain(mix.colour)}
    lines = [f"{mix.words()}: {_words(mix.colour)}"]
    if args.film is not None:
        if not 0 <= args.film <= 10_000:
            raise SettingError(f"a film is 0 to 10000 µm, not {args.film:g}")
        seen = colour_of(mix.pigment.film(args.film, card_reflectance(args.over)))
        ratio = mix.pigment.contrast_ratio(args.film)
        report |= {"film": plain(seen), "contrast_ratio": round(ratio, 4)}
        lines.append(f"{args.film:g} µm over {args.over}: {_words(seen)}; contrast ratio {ratio:.3f}")
    _say(args, report, lines)


def _ladder(args: argparse.Namespace) -> None:
    from ..core.paint.ladder import ladder, ladder_unevenness

    rack = the_rack(args.rack)
    middle = rack.find(args.mid) if args.mid else None
    steps = ladder(rack.find(args.dark), rack.find(args.light), middle, args.steps)
    report = {"steps": [s.report() for s in steps], "unevenness": round(ladder_unevenness(steps), 2)}
    lines = [
        f"{k}. {s.mix.words()}: {_words(s.mix.colour)} (wanted N {s.wanted:.1f})" for k, s in enumerate(steps, 1)
    ]
    _say(args, report, lines)


def _coats(args: argparse.Namespace) -> None:
    from ..core.coat.technique import technique
    from ..core.paint.film import card_reflectance
    from ..core.paint.hiding import MOST_COATS, coats_over, underpaint_for
    from ..core.paint.mix import only
    from ..core.plain import plain
    from ..core.plan.steps.care import hand_minutes
    from ..core.units import minutes_words

    rack = the_rack(args.rack)
    ground = args.over.strip()
    bare = ground in ("black", "white") or (ground.startswith("#") and "@" not in ground)
    under = card_reflectance(ground) if bare else rack.find(ground).pigment.masstone
    found = coats_over(only(rack.find(args.paint)), under)
    below = underpaint_for(found, under, rack.mixable())
    if not 0 < args.area <= 1e6:
        raise SettingError(f"--area is mm² between 0 and a million, not {args.area:g}")
    brush = technique("brush")
    hand = hand_minutes(brush, brush.usual(found.mix), args.area, False, found.coats or MOST_COATS)
    report = {
        "coats": found.coats,
        "delta_e": round(found.delta_e, 2),
        "contrast_ratio": round(found.contrast_ratio, 4),
        "hiding_coats": found.hiding_coats,
        "colour": plain(found.colour),
        "area_mm2": args.area,
        "minutes": round(hand, 1),
        "wait_minutes": round(found.minutes, 1),
        "undercoat": below
        and {"paint": below.paint.name, "coats": below.coats, "then": below.then, "minutes": below.minutes},
    }
    count = f"{found.coats} coats" if found.coats else f"more than {MOST_COATS} coats"
    times = f"{minutes_words(hand)} at {args.area:g} mm², {minutes_words(found.minutes)} drying"
    lines = [
        f"{count} of {args.paint} over {ground} (ΔE00 {found.delta_e:.1f}, contrast {found.contrast_ratio:.3f}): "
        f"{times}"
    ]
    if below:
        lines.append(f"cheaper: {below.coats} of {below.paint.name}, then {below.then}")
    _say(args, report, lines)


def _match(args: argparse.Namespace) -> None:
    from ..core.paint.colour import colour_of_hex
    from ..core.paint.mix import EARNS, match

    wanted, paints = colour_of_hex(args.colour), the_rack(args.rack).mixable()
    best = match(wanted, paints, args.most)[0]
    simple = match(wanted, paints, args.most, earns=EARNS)[0]
    lines = [f"{best.mix.words()}: {_words(best.mix.colour)}; off by ΔE00 {best.delta_e:.1f}"]
    if simple.mix != best.mix:
        lines.append(f"simpler: {simple.mix.words()}: {_words(simple.mix.colour)}; off by ΔE00 {simple.delta_e:.1f}")
    _say(args, best.report(), lines)


def _glaze(args: argparse.Namespace) -> None:
    from ..core.paint.glaze import thinning_for
    from ..core.paint.mix import only
    from ..core.plain import plain

    found = thinning_for(only(the_rack(args.rack).find(args.paint)), args.keep)
    _say(args, plain(found), [found.reason])


def _words(colour) -> str:
    return f"{colour.hex}, value N {colour.value:.1f}, L* {colour.L:.0f}"


def _say(args: argparse.Namespace, report: dict[str, Any], lines: list[str]) -> None:
    print(json.dumps(report, ensure_ascii=False) if args.json else "\n".join(lines))
