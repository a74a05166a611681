"""The undercoat: a school or a fit for a sculpt's file, and its sheet; one spray; one coat of any technique."""

import argparse
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from ..core.units import per_cent
from .common import add_sculpt_options, lamp_from_text, surface_of, the_rack, the_tools, write_whole

SCHOOLS = (
    "ladder",
    "twotone",
    "drybrush",
    "bright-first",
    "shadow-first",
    "coloured",
    "oils",
    "primer",
)  # named here so that a parser loads no core
SAMPLES = 60_000  # enough to plan passes on, and soon laid out


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    undercoat = commands.add_parser(
        "undercoat", help="the coats of a school, or fitted passes, and what they come to"
    )
    sheet = commands.add_parser("sheet", help="the whole plan sheet of a school, or of fitted passes, as PDF or JSON")
    sheet.add_argument(
        "--display",
        type=float,
        nargs=2,
        default=(0.0, 10.0),
        metavar=("AZ", "EL"),
        help="where the finished model is shown from (0 10)",
    )
    for command in (undercoat, sheet):
        _add_plan_options(command)
    undercoat.add_argument("--json", type=Path, metavar="PLAN.json", help="write the coats and the errors there")
    undercoat.set_defaults(run=_undercoat)
    sheet.set_defaults(run=_sheet)

    spray = commands.add_parser("spray", help="where one burst of a spray lands, µm of dry paint")
    spray.add_argument("--from", dest="from_", required=True, metavar="AZ,EL", help="where the nozzle is, degrees")
    spray.add_argument(
        "--distance", type=float, required=True, metavar="MM", help="from the nozzle to the model's middle"
    )
    spray.add_argument("--paint", default="Chalk", metavar="PAINT", help="(Chalk)")
    spray.add_argument("--amount", type=float, required=True, metavar="SECONDS", help="on the trigger")
    spray.add_argument("--way", default="burst", choices=("burst", "stroke", "turn"), help="(burst)")
    spray.add_argument("--tool", default="airbrush", choices=("airbrush", "can"))
    spray.add_argument("--needle", type=float, default=0.3, metavar="MM")
    spray.add_argument("--psi", type=float, default=20.0)
    spray.add_argument("--trigger", type=float, default=1.0, metavar="SHARE", help="how far it is drawn (1)")
    spray.add_argument("--water", type=float, default=1.0, metavar="PARTS", help="of thinner to one of paint (1)")
    spray.add_argument("--drift", type=float, default=None, metavar="SHARE", help="carried round corners (0.04)")
    spray.set_defaults(run=_spray)

    coat = commands.add_parser("coat", help="one coat of any technique: its film, cost, cautions and how it is done")
    coat.add_argument("--by", required=True, metavar="TECHNIQUE", help="such as wash; --by list names them")
    coat.add_argument("--paint", default="Soot", metavar="PAINT", help="(Soot)")
    coat.add_argument(
        "--set", action="append", default=[], metavar="NAME=VALUE", help="a setting; --set list names them"
    )
    coat.set_defaults(run=_coat)

    for command in (undercoat, sheet, spray, coat):
        add_sculpt_options(command, SAMPLES)
        command.add_argument(
            "-o", "--out", required=command is not coat, metavar="PLAN.pdf|.json" if command is sheet else "OUT.ply"
        )


def _add_plan_options(command: Any) -> None:
    """The light, the paints and the tools that a plan is made for."""
    command.add_argument("--school", required=True, choices=(*SCHOOLS, "fit"))
    command.add_argument("--lamp", default="0,90,12", metavar="AZ,EL[,SIZE]", help="degrees (0,90,12)")
    command.add_argument(
        "--sky", type=float, default=0.25, metavar="W", help="open dome on an upward plane, 0..2 (0.25)"
    )
    command.add_argument(
        "--bounce", type=float, default=0.15, metavar="ALBEDO", help="what the ground sends back (0.15)"
    )
    command.add_argument("--steps", type=int, default=5, metavar="N", help="greys with the primer, 2 to 9 (5)")
    command.add_argument("--most", type=int, default=8, metavar="N", help="passes of a fit at most (8)")
    command.add_argument("--primer", metavar="PAINT", help="(the darkest on the rack)")
    command.add_argument("--through", metavar="PAINT", help="the colour of a coloured ladder")
    command.add_argument(
        "--own", type=Path, metavar="FILE", help="JSON of your tools; see docs/formats.md (everything)"
    )
    command.add_argument("--models", type=int, default=1, metavar="N", help="how many are painted side by side (1)")


def _undercoat(args: argparse.Namespace) -> None:
    import numpy as np

    from ..core.plan.steps.step import row_of
    from ..core.view.formats import lit_ply

    laid = _laid(args)
    e, judged = laid.result.figures(), laid.judged()
    plan = {
        "school": args.school,
        "coats": [row_of(step, laid.site) for step in laid.steps],
        "errors": e,
        **judged,
    }
    fields = {"target": laid.wanted, "value": laid.result.value}
    fields |= {c: np.ascontiguousarray(laid.result.levels[:, k]) for k, c in enumerate(("red", "green", "blue"))}
    write_whole(Path(args.out), lit_ply(laid.site.surface, fields))
    if args.json:
        write_whole(args.json, json.dumps(plan, indent=2, ensure_ascii=False).encode())
    print(
        f"{len(laid.coats)} coats; off by {e['mean']:.2f} values on average, {e['p95']:.2f} at the 95th percentile; "
        f"{per_cent(e['within_half'])} within half a value; order {per_cent(judged['rank_agreement'])}"
    )


@dataclass(frozen=True)
class _Laid:
    """A school or a fit on a file: what both commands that lay one need."""

    site: Any
    rig: Any
    pots: Any
    tools: Any
    span: Any
    wanted: Any
    coats: list[Any]
    steps: list[Any]
    result: Any
    school: str
    models: int

    def judged(self) -> dict[str, Any]:
        """How well it tells the light in its own key; of a fit also what is left for the brush."""
        from ..core.coat.stack import appearance
        from ..core.plain import plain
        from ..core.plan.features.undercoat.school_fit import light_match
        from ..core.plan.features.undercoat.touch_up import touch_ups, with_all
        from ..core.plan.outcome import outcome
        from ..core.plan.steps.times import times_of

        found = light_match(self.site, self.result.value, self.span.share(self.wanted), self.span)
        out = {
            "key": plain(found.span),
            **{k: v for k, v in plain(found).items() if k != "span"},
            "times": plain(times_of(self.steps, self.models)),
        }
        if self.school == "fit":
            stack = list(zip(self.coats, self.result.films, strict=True))
            patches = touch_ups(self.site, appearance(stack, len(self.site)), self.wanted, self.pots, self.tools)
            then = outcome(self.site, with_all(self.coats, patches), self.wanted, steps=False)
            out["touch_ups"] = [{k: v for k, v in plain(p).items() if k != "coat"} for p in patches]
            out["within_half_with_touch_ups"] = round(then.within, 4)
        return out


def _laid(args: argparse.Namespace) -> _Laid:
    from ..core.light.lamp import Lamp
    from ..core.light.rig import Rig
    from ..core.paint.mix import only
    from ..core.plan.features.undercoat.feature import COMPARED
    from ..core.plan.features.undercoat.pots import pots_from
    from ..core.plan.features.undercoat.school_fit import fewest_of_the_nearest, fit_school
    from ..core.plan.features.undercoat.schools import school_coats
    from ..core.plan.features.undercoat.schools.school import Kit, primed
    from ..core.plan.features.undercoat.spray_fit import fit
    from ..core.plan.outcome import outcome
    from ..core.plan.steps.step import steps_of
    from ..core.sculpt.site import Site
    from ..core.sculpt.visibility import visibility_of
    from ..core.target.exposure import Exposure, laid_between
    from ..core.target.target import target

    if not 2 <= args.steps <= 9:
        raise SettingError(f"a ladder has 2 to 9 greys, not {args.steps}")
    if not 1 <= args.most <= 12:
        raise SettingError(f"a fit has 1 to 12 passes, not {args.most}")
    if not 1 <= args.models <= 100:
        raise SettingError(f"a plan is for 1 to 100 models, not {args.models}")
    lamp = lamp_from_text(args.lamp)
    rig = Rig(lamp, args.sky, "overcast", args.bounce)
    pots = pots_from(the_rack(args.rack), args.steps, args.primer, args.through)
    tools = the_tools(args.own)
    surface = surface_of(args)
    site = Site(surface, visibility_of(surface))
    share = laid_between(target(site, rig, exposure=Exposure()).value, Exposure(), 0, 1)
    lamp = lamp or Lamp(0, 90)
    if args.school == "fit":
        span = pots.span
        greys = pots.colour if args.through else pots.greys
        found = fit(site, span.of(share), lamp, only(pots.primer), greys, args.most, tools)
        coats_here = [primed(only(pots.primer), "primer everywhere", tools), *found.coats]
        kit = Kit(surface, lamp, pots, tools)
        offers = [(coats_here, span), *(fit_school(site, school_coats(name, kit), share) for name in COMPARED)]
        offers = [o for o in offers if len(o[0]) <= args.most + 1]
        coats, span = offers[fewest_of_the_nearest(site, share, offers)]
    else:
        coats, span = fit_school(site, school_coats(args.school, Kit(surface, lamp, pots, tools)), share)
    wanted = span.of(share)
    result = outcome(site, coats, wanted)
    steps = steps_of(site, coats, result.films, tools, args.models, [result.bare, *result.after])
    return _Laid(site, rig, pots, tools, span, wanted, coats, steps, result, args.school, args.models)


def _sheet(args: argparse.Namespace) -> None:
    from ..core.plan.features.undercoat.schools import school_title
    from ..core.plan.features.undercoat.twins import twins_of
    from ..core.plan.palette.puddles import palette_for, palette_words, puts_of
    from ..core.plan.steps.cards import cards_of
    from ..core.plan.steps.step import rig_words, row_of
    from ..core.plan.steps.times import times_of
    from ..core.view.camera import VIEWS, Camera
    from ..core.view.formats import png_bytes
    from ..core.view.sheet import plan_pdf
    from ..core.view.sheet_facts import SheetFacts
    from ..core.view.step_picture import coat_picture, look_picture, sheet_shot

    out = Path(args.out)
    if out.suffix.lower() not in (".pdf", ".json"):
        raise SettingError(f"a sheet is written as .pdf or .json, not '{out.name}'")
    laid = _laid(args)
    site, result = laid.site, laid.result
    cards = cards_of(site, laid.coats)
    puddles, letters = palette_for(laid.coats, [s.all_ml for s in laid.steps], laid.tools.drops_per_ml)
    twins = twins_of(laid.coats, the_rack(args.rack))
    if out.suffix.lower() == ".json":
        plan = {
            "school": args.school,
            "light": rig_words(laid.rig),
            "steps": [row_of(s, site) for s in laid.steps],
            "cards": [{"title": c.title, "steps": [laid.steps[k].number for k in c.steps]} for c in cards],
            "palette": [
                {"letter": p.letter, "parts": p.parts, "added_to": p.added_to or None, "drops": p.drops}
                for p in puddles
            ],
            "twins": [
                {
                    "of": t.of.words(),
                    "mix": t.mix and t.mix.counted(),
                    "delta_e": round(t.delta_e, 2),
                    "words": t.words,
                }
                for t in twins
            ],
            **laid.judged(),
        }
        write_whole(out, json.dumps(plan, indent=2, ensure_ascii=False).encode())
        return
    from ..core.coat.stack import appearance, looks

    display = Camera(args.display[0], args.display[1])
    cameras = {**{view: Camera.named(view) for view in VIEWS}, "display": display}
    shots = {view: sheet_shot(site, camera, display) for view, camera in cameras.items()}
    seen = [appearance([], len(site))]
    for coat, film in zip(laid.coats, result.films, strict=True):
        seen.append(appearance([(coat, film)], len(site), seen[-1]))
    levels = [looks(s)[1] for s in seen]

    def picture(k: int, view: str) -> bytes:
        return png_bytes(coat_picture(site, shots[view], cameras[view], result.films[k], levels[k], levels[k + 1]))

    facts = SheetFacts(
        Path(args.file).stem,
        rig_words(laid.rig),
        site.surface.height,
        float(site.areas.sum()),
        "",
        [],
        school_title(args.school),
        result.within,
        times_of(laid.steps, args.models).words,
        args.models,
        "",
        cards,
        list(dict.fromkeys(name for c in laid.coats for name in c.mix.counted())),
        [(p.mix.colour.hex, p.words, "") for p in puddles],
        puts_of(puddles, letters, [s.number for s in laid.steps]),
        [t.words for t in twins],
        palette_words(puddles),
    )
    finished = png_bytes(look_picture(site, shots["display"], levels[-1]))
    write_whole(out, plan_pdf(facts, laid.steps, picture, finished))


def _spray(args: argparse.Namespace) -> None:
    from ..core.coat.coat import Coat
    from ..core.coat.spray import USUAL_DRIFT, Spray, spray, spray_troubles
    from ..core.paint.mix import only
    from ..core.sculpt.site import Site
    from ..core.view.formats import lit_ply

    try:
        azimuth, elevation = (float(x) for x in args.from_.split(","))
    except ValueError:
        raise SettingError(f"--from is AZ,EL in degrees, not '{args.from_}'") from None
    drift = USUAL_DRIFT if args.drift is None else args.drift
    pass_ = Spray(
        azimuth,
        elevation,
        args.distance,
        args.amount,
        args.way,
        args.tool,
        args.needle,
        args.psi,
        drift,
        trigger=args.trigger,
        water=args.water,
    )
    coat = Coat("spray", only(the_rack(args.rack).find(args.paint)), pass_)
    surface = surface_of(args)
    landed = spray(Site(surface), pass_, coat.solids)
    write_whole(Path(args.out), lit_ply(surface, {"film_um": landed.film}))
    print(
        json.dumps(
            {
                "sprayed_mm3": round(landed.sprayed, 4),
                "landed_mm3": round(landed.landed, 4),
                "waste_mm3": round(landed.waste, 4),
                "most_um": round(float(landed.film.max()), 3),
                "warnings": spray_troubles(pass_, landed.film, coat.solids),
            },
            ensure_ascii=False,
        )
    )


def _coat(args: argparse.Namespace) -> None:
    from ..core.coat.coat import usual_coat
    from ..core.coat.technique import technique, techniques
    from ..core.paint.mix import only
    from ..core.plan.steps.step import row_of, step_of
    from ..core.sculpt.site import Site
    from ..core.view.formats import lit_ply

    if args.by == "list":
        print("\n".join(f"{name}: {t.title.lower()}" for name, t in techniques().items()))
        return
    by = technique(args.by)
    if args.set == ["list"]:
        for name, r in by.described().items():
            what = ", ".join(map(str, r.options)) if r.options else f"{r.low:g} to {r.high:g} {r.unit}"
            print(f"{name}: {r.words}, {what}")
        return
    given: dict[str, Any] = {}
    for word in args.set:
        name, equals, value = word.partition("=")
        if not equals or name not in by.described():
            raise SettingError(f"--set is NAME=VALUE with one of {', '.join(by.described())}, not '{word}'")
        given[name] = value if by.described()[name].options else _number(word, value)
    coat = usual_coat(args.by, only(the_rack(args.rack).find(args.paint))).with_settings(given)
    surface = surface_of(args)
    site = Site(surface)
    film = coat.film(site)
    if args.out:
        write_whole(Path(args.out), lit_ply(surface, {"film_um": film}))
    print(json.dumps(row_of(step_of(1, coat, film, site), site), ensure_ascii=False, indent=2))


def _number(word: str, value: str) -> float:
    try:
        return float(value)
    except ValueError as e:
        raise SettingError(f"--set {word}: that is no number") from e
