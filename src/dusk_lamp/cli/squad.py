"""Squads, the clock, and what a brush gets at: squad, clock, reach."""

import argparse
import json
import shutil
import sys
from pathlib import Path
from typing import Any

from ..core.errors import SettingError
from .common import the_rack, write_whole


def add_commands(commands: Any) -> None:
    """Add the commands of this family to the program's own."""
    squad = commands.add_parser("squad", help="one scheme on several sculpts: a plan for each, and the paint for all")
    squad.add_argument("file", metavar="SQUAD.json", help="see docs/formats.md")
    squad.add_argument("-o", "--out", required=True, type=Path, metavar="OUTDIR")
    squad.add_argument("--rack", type=Path, metavar="FILE", help="CSV of your paints, to tell what must be bought")
    squad.add_argument("--files-from", type=Path, metavar="DIR", help="where its files are (beside the squad)")
    squad.add_argument("--json", action="store_true", help="print it as JSON")
    squad.set_defaults(run=_squad)

    clock = commands.add_parser("clock", help="when what is painted: a plan or a squad on a clock")
    clock.add_argument("file", metavar="PLAN.json|SQUAD.json")
    clock.add_argument("--models", type=int, metavar="N", help="paint a plan on so many models (as it says)")
    clock.add_argument("--from", dest="start", metavar="DAYTIME", help="such as 2026-12-05T10:00 (any time)")
    clock.add_argument("--hours", default="", metavar="H-H,H-H", help="when you paint each day, such as 10-13,14-18")
    clock.add_argument("--until", metavar="DAYTIME", help="leave out what is worth least to be done by then")
    clock.add_argument("--zone", metavar="NAME", help="time zone, such as Europe/Lisbon (this machine's)")
    clock.add_argument("--done", type=int, default=0, metavar="N", help="the first N steps are done and dry")
    clock.add_argument("--no-airbrush", action="store_true", help="as if you had none")
    clock.add_argument(
        "--dryer", action="store_true", help="as if you had a hair dryer: a third of the wait, never oils"
    )
    clock.add_argument("--seconds", type=float, default=4.0, metavar="S", help="to look for a better order (4)")
    clock.add_argument("--files-from", type=Path, metavar="DIR", help="where the files are (beside the plan)")
    form = clock.add_mutually_exclusive_group()
    form.add_argument("--json", action="store_true", help="print it as JSON")
    form.add_argument("--ics", action="store_true", help="print it as a calendar with alarms")
    form.add_argument("--svg", action="store_true", help="print the timeline as SVG")
    clock.set_defaults(run=_clock)

    reach = commands.add_parser("reach", help="what of a model a brush gets at, and what is best painted apart")
    reach.add_argument("file", metavar="IN", help="a plan, or STL, OBJ, PLY, GLB, 3MF or OFF")
    reach.add_argument(
        "--parts", nargs="*", type=Path, default=[], metavar="FILE", help="more files of the same sculpt"
    )
    reach.add_argument("--up", default="z", metavar="AXIS", help="axis of the file that points up (z)")
    reach.add_argument("--front", metavar="AXIS", help="axis of the file that the figure faces")
    reach.add_argument("--height", type=float, metavar="MM", help="true height; without it the file is taken as mm")
    reach.add_argument("--samples", type=int, metavar="N", help="about how many samples to lay out")
    reach.add_argument("--length", type=float, metavar="MM", help="of the brush, from its tip to the fingers (28)")
    reach.add_argument("--angle", type=float, metavar="DEG", help="of the brush, from its axis to its side (6)")
    reach.add_argument("--hand", type=float, metavar="MM", help="radius of the fingers (11); 0 for none")
    reach.add_argument("-o", "--out", type=Path, metavar="OUT.png", help="a picture with what is out of reach marked")
    reach.add_argument("--view", type=_view, metavar="AZ,EL", help="of that picture (0,0)")
    reach.add_argument("--files-from", type=Path, metavar="DIR", help="where the plan's files are (beside it)")
    reach.add_argument("--json", action="store_true", help="print it as JSON")
    reach.set_defaults(run=_reach)


def _view(text: str) -> tuple[float, float]:
    from .common import place_from_text

    azimuth, elevation = place_from_text("--view", text, 2)
    return azimuth, elevation


def _json_of(path: Path) -> Any:
    try:
        return json.loads(path.read_bytes())
    except (ValueError, RecursionError) as e:
        raise SettingError(f"'{path.name[:60]}' is no JSON, or is cut short") from e


# --- squads
def _together(squad: Any, folder: Path, args: argparse.Namespace, rack: Any = None):
    """A squad worked out, and where each of its files lies."""
    from ..core.plan.document import Plan, SculptFile, read_plan
    from ..core.squad.work import worked_out
    from .plan import context_from, file_in

    def read(name: str, like: Any = None) -> Any:
        path = file_in(folder, name)
        if path.suffix.lower() == ".json":
            return read_plan(path.read_bytes())
        sculpt_file = SculptFile(name, (), like.up, like.front, like.height) if like else SculptFile(name)
        return Plan(sculpt=sculpt_file)  # a bare sculpt stands as the scheme's does

    scheme = read(squad.scheme)
    contexts, known = [], {}
    first = context_from(scheme, folder, args)
    for member in squad.models:
        if member.file not in known:
            is_scheme = member.file == squad.scheme
            known[member.file] = (
                first if is_scheme else context_from(read(member.file, scheme.sculpt), folder, args),
                is_scheme,
            )
        contexts.append((member, *known[member.file]))
    say = lambda step, _=0.0: print(f"{step} …", file=sys.stderr)  # noqa: E731
    return worked_out(squad, first, contexts, rack, say)


def _squad(args: argparse.Namespace) -> None:
    from dataclasses import replace

    from ..core.plan.document import document_of
    from ..core.squad.document import read_squad

    path = Path(args.file)
    squad = read_squad(path.read_bytes())
    folder = args.files_from or path.parent
    rack = the_rack(args.rack) if args.rack else None
    found = _together(squad, folder, args, rack)
    args.out.mkdir(parents=True, exist_ok=True)
    rows: list[dict[str, Any]] = []
    names: set[str] = set()
    for model in found.models:
        name = _free(model.name, names)
        plan = model.run.context.plan
        for file_name in (plan.sculpt.file, *plan.sculpt.more):
            if not (args.out / file_name).exists():
                (args.out / file_name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(folder / file_name, args.out / file_name)
        plan = replace(plan, models=model.count)
        if len(plan.regions) > 1 and not plan.marking and (folder / plan.sculpt.file).suffix.lower() != ".ply":
            raise SettingError(f"{model.name}: its regions lie nowhere; give its plan a marking")
        write_whole(args.out / f"{name}.json", json.dumps(document_of(plan), ensure_ascii=False).encode())
        rows.append(_model_row(model, f"{name}.json"))
    report = {
        "name": squad.name,
        "models": rows,
        "count": squad.count,
        "hand_minutes": round(found.hand_minutes, 1),
        "shared": round(found.shared, 4),
        "paint": [{"paint": n.paint, "ml": round(n.ml, 3), "drops": n.drops} for n in found.needed],
        "to_buy": list(found.missing),
    }
    text = json.dumps(report, indent=2, ensure_ascii=False)
    write_whole(args.out / "squad.json", text.encode())
    if args.json:
        print(text)
        return
    for row in rows:
        print(f"{row['name']} ({row['count']}): {len(row['steps'])} steps")
        for match in row["matches"]:
            print(f"  {match['region']}: {match['scheme'] or 'by itself'} ({match['how']})")
    for need in found.needed:
        print(f"{need.paint}: {need.ml:.2f} ml, {need.drops} drops")
    if found.missing:
        print(f"To buy: {', '.join(found.missing)}")


def _free(name: str, taken: set[str]) -> str:
    """A name for a file that no other has."""
    safe = "".join(c if c.isalnum() or c in " -_" else "-" for c in name).strip().replace(" ", "-")[:60] or "model"
    out, k = safe.lower(), 2
    while out in taken or out == "squad":
        out, k = f"{safe.lower()}-{k}", k + 1
    taken.add(out)
    return out


def _model_row(model: Any, file: str) -> dict[str, Any]:
    from ..core.plain import plain

    return {
        "name": model.name,
        "file": file,
        "count": model.count,
        "matches": [plain(m) for m in model.matches],
        "steps": [
            {
                "number": s.number,
                "stage": s.stage,
                "region": s.goes_on,
                "technique": s.technique,
                "label": s.purpose,
                "paint": s.paint,
                "minutes": round(s.hand_minutes, 1),
                "key": key,
            }
            for s, key in zip(model.steps, model.keys, strict=True)
        ],
        "minutes": round(sum(s.hand_minutes for s in model.steps), 1),
        "near": {
            model.run.context.site.marking.regions[k - 1].name: round(n.within, 4) for k, n in model.run.near.items()
        },
    }


# --- the clock
def _models(args: argparse.Namespace) -> tuple[str, list[Any], list[str]]:
    """A name, the jobs of every model, and their names."""
    from ..core.plan.document import MOST_MODELS, read_plan
    from ..core.plan.run import run
    from ..core.schedule.before import before_each
    from ..core.schedule.jobs import jobs_of
    from ..core.schedule.worth import worths_of
    from ..core.squad.document import squad_of
    from ..core.squad.work import puddle_keys
    from .plan import context_from

    path = Path(args.file)
    given, folder = _json_of(path), args.files_from or path.parent
    if isinstance(given, dict) and "squad" in given:
        if args.models is not None:
            raise SettingError("a squad says itself how many models it has; leave --models out")
        found = _together(squad_of(given), folder, args)
        jobs, names = [], []
        for model in found.models:
            context = model.run.context
            worth = _by_number(model.steps, worths_of(context, model.run.coats))
            before = before_each(context.site, model.run.coats, model.run.films)
            day_steps = jobs_of(model.steps, before, worth, context.tools.room, model.keys)
            for k in range(model.count):
                jobs.append(day_steps)
                names.append(model.name if model.count == 1 else f"{model.name} {k + 1}")
        return found.squad.name, jobs, names
    plan = _with_tools(read_plan(path.read_bytes()), args)
    count = plan.models if args.models is None else args.models
    if not 1 <= count <= MOST_MODELS:
        raise SettingError(f"a clock is for 1 to {MOST_MODELS} models, not {count}")
    context = context_from(plan, folder, args)
    done = run(context, lambda step, _: print(f"{step} …", file=sys.stderr))
    worth = _by_number(done.steps, worths_of(done.context, done.coats))
    before = before_each(done.context.site, done.coats, done.films)
    day_steps = jobs_of(done.steps, before, worth, done.context.tools.room, puddle_keys(done.steps))
    name = Path(plan.sculpt.file).stem
    return name, [day_steps] * count, [name if count == 1 else f"{name} {k + 1}" for k in range(count)]


def _by_number(steps: Any, worths: Any) -> dict[int, float]:
    """Worths by the numbers of steps, of those that may be left out."""
    done = [s for s in steps if not s.muted]
    return {s.number: w for s, w in zip(done, worths, strict=True) if w is not None}


def _with_tools(plan: Any, args: argparse.Namespace) -> Any:
    """A plan as it would be laid with other tools."""
    from dataclasses import replace

    from ..core.schedule.what_if import without_airbrush

    if args.dryer:
        plan = replace(plan, tools=replace(plan.tools, dryer=True))
    return without_airbrush(plan, plan.tools)[0] if args.no_airbrush else plan


def _clock(args: argparse.Namespace) -> None:
    from datetime import datetime

    from ..core.plan.steps.care import nth_share
    from ..core.schedule.day import Day, clock_of
    from ..core.schedule.jobs import left_of
    from ..core.view.timeline import timeline_svg
    from ..days import Hours, calendar_file, moment_from, spans_from, zone_from

    zone = zone_from(args.zone) if args.zone else None
    start = moment_from(args.start, "--from") if args.start else datetime(2000, 1, 1)
    hours = Hours(start, spans_from(args.hours), zone)
    until = None
    if args.until:
        until = hours.minutes(moment_from(args.until, "--until"))
        if until <= 0:
            raise SettingError("--until lies before --from; give a later one")
    name, models, names = _models(args)
    if not any(models):
        raise SettingError("this plan has no steps yet; give it wishes or coats")
    ended = [
        {k: -1e6 for k, j in enumerate(jobs) if 0 < j.step <= args.done or _before(jobs, k, args.done)}
        for jobs in models
    ]
    rest = [left_of(jobs, done) for jobs, done in zip(models, ended, strict=True)]
    day = Day(
        tuple(tuple(j) for j, _ in rest),
        hours.windows(),
        until,
        earliest=tuple(tuple(e) for _, e in rest),
        practice=nth_share,
    )
    clock = clock_of(day, args.seconds)
    if args.ics:
        sys.stdout.buffer.write(calendar_file(clock, hours, name))
        return
    if args.svg:
        print(timeline_svg(clock, names, hours.moment if args.start else None))
        return
    report = clock_report(clock, names, hours, args)
    if args.json:
        print(json.dumps(report, indent=2, ensure_ascii=False))
        return
    print(clock.words)
    seen = set()
    for slot in clock.slots:
        if slot.batch in seen:
            continue
        seen.add(slot.batch)
        when = hours.moment(slot.start)
        count = sum(s.batch == slot.batch for s in clock.slots)
        head = f"{when:%a %H:%M}" if args.start else f"{slot.start:6.0f} min"
        print(f"{head}  {slot.title}" + (f" ({count} models)" if count > 1 else ""))


def _before(jobs: Any, k: int, done: int) -> bool:
    """Whether a task comes before the last of the steps that are done."""
    return jobs[k].step == 0 and done > 0 and any(0 < j.step <= done for j in jobs[k + 1 :])


def clock_report(clock: Any, names: Any, hours: Any, args: argparse.Namespace) -> dict[str, Any]:
    """A clock as plain values."""
    rows = []
    for slot in clock.slots:
        rows.append(
            {
                "number": slot.number,
                "model": slot.model + 1,
                "name": names[slot.model],
                "title": slot.title,
                "stage": slot.stage,
                "region": slot.region,
                "technique": slot.technique,
                "paint": slot.paint,
                "batch": slot.batch + 1,
                "lane": "hands",
                "start": round(slot.start, 1),
                "end": round(slot.end, 1),
                "dry_at": round(slot.dry_at, 1),
                **({"at": hours.moment(slot.start).isoformat()} if args.start else {}),
            }
        )
    dropped = [
        {
            "number": clock.day.models[m][k].step,
            "model": m + 1,
            "title": clock.day.models[m][k].title,
            "region": clock.day.models[m][k].region,
            "minutes": round(clock.day.models[m][k].hand, 1),
            "worth": clock.day.models[m][k].worth,
        }
        for m, k in clock.dropped
    ]
    return {
        "steps": rows,
        "from": args.start,
        "hours": args.hours or None,
        "models": len(clock.day.models),
        "makespan_minutes": round(clock.makespan, 1),
        "dry_minutes": round(clock.dry, 1),
        "lower_bound_minutes": round(clock.bound, 1),
        "gap": round(clock.schedule.gap, 4),
        "hand_minutes": round(clock.hand_minutes, 1),
        "waits": [{"start": round(a, 1), "end": round(b, 1)} for a, b in clock.waits],
        "dropped": dropped,
        "words": clock.words,
    }


# --- reach
def _reach(args: argparse.Namespace) -> None:
    from dataclasses import replace

    from ..core.plain import plain
    from ..core.plan.document import Plan, SculptFile, read_plan
    from ..core.reach.assembly import reach_words, spots_in_reach
    from ..core.reach.tool import BRUSH, NOZZLE
    from ..core.sculpt.parts import Part, glue_faces
    from ..core.view.camera import Camera
    from ..core.view.formats import png_bytes
    from ..core.view.step_picture import marked_picture
    from .plan import context_from

    own_brush = (("length", args.length), ("angle", args.angle), ("hand", args.hand))
    brush = replace(BRUSH, **{k: v for k, v in own_brush if v is not None})
    path = Path(args.file)
    if path.suffix.lower() == ".json":
        plan, folder = read_plan(path.read_bytes()), args.files_from or path.parent
    else:
        front = args.front or None
        sculpt_file = SculptFile(
            path.name, tuple(p.name for p in args.parts), args.up, front, args.height, args.samples
        )
        plan, folder = Plan(sculpt=sculpt_file), path.parent
        away = [p for p in args.parts if p.resolve().parent != path.resolve().parent]
        if away:
            raise SettingError(f"'{away[0].name}' lies elsewhere; put the files of a sculpt side by side")
    context = context_from(plan, folder, argparse.Namespace(**{**vars(args), "json": True}))
    site = context.site
    count = int(site.surface.part.max(initial=0)) + 1
    named = [*plan.parts[:count], *(Part(f"Part {k + 1}") for k in range(len(plan.parts), count))]
    found = spots_in_reach(site, named, brush, NOZZLE)
    loose = {*found.apart, *(k for k, p in enumerate(named) if p.apart)}
    report = {
        "brush": plain(brush),
        "regions": [plain(r) for r in found.regions],
        "parts": [p.name for p in named],
        "apart": [named[k].name for k in found.apart],
        "seams": [{"a": named[a].name, "b": named[b].name, "mm": mm} for a, b, mm in found.seams],
        "out_of_reach_mm2": round(found.mm2, 2),
        "left_mm2": round(found.left, 2),
        "glue_mm2": round(float(site.surface.areas[glue_faces(site.surface, loose, site.paintable)].sum()), 2),
        "words": reach_words(found, named),
    }
    if args.out:
        camera = Camera.named("front") if not args.view else Camera(*args.view)
        write_whole(args.out, png_bytes(marked_picture(site, camera, found.missed(site), 900, 1100)))
    if args.json:
        print(json.dumps(report, indent=2, ensure_ascii=False))
        return
    for sentence in report["words"]:
        print(sentence)
