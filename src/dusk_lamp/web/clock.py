"""The clock: when a model, or a squad, is painted; what is left out to be done in time; the calendar."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request, url_for
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.plan.context import Context
from ..core.plan.run import run
from ..core.plan.steps.care import nth_share
from ..core.results import result
from ..core.schedule.before import Before, before_each
from ..core.schedule.day import Clock, Day, clock_of
from ..core.schedule.jobs import DayStep, ended_of, jobs_of, left_of
from ..core.schedule.what_if import with_dryer, without_airbrush
from ..core.schedule.worth import worths_of
from ..core.squad.work import puddle_keys
from ..core.units import counted, minutes_words, per_cent
from ..core.view.formats import png_bytes
from ..core.view.step_picture import GROUND, look_picture
from ..core.view.timeline import timeline_svg
from ..days import Hours, calendar_file, moment_from, spans_from, zone_from
from ..store import painters, progress
from ..store.models import Sculpt
from .background import Say, in_background
from .ranges import within
from .responses import download, picture
from .sheets import PlanSheet, camera_of, plain_key, sheet_of, shot_of, still_working
from .stage_registry import string_of
from .workshop import the_sculpt, workshop

blueprint = Blueprint("clock", __name__)
USUAL_HOURS = "19-22"
MOST_PINS = 60
BENCH_SECONDS, PAGE_SECONDS = 0.8, 2.5  # that a better order is looked for


@dataclass(frozen=True)
class Asked:
    """What a clock is asked for. hours: when somebody paints; until: minute by which it has to be done. models: how
    many. dryer, by_brush: as if there were a hair dryer, or no airbrush. pins: minute of a batch, by numbers of its
    first model and step."""

    hours: Hours
    hours_text: str
    start_text: str
    until_text: str
    until: float | None
    models: int
    dryer: bool
    by_brush: bool
    pins: tuple[tuple[int, int, float], ...]

    @property
    def query(self) -> dict[str, Any]:
        """The same as an address has it."""
        out: dict[str, Any] = {"from": self.start_text, "hours": self.hours_text, "models": self.models}
        out |= {"until": self.until_text} if self.until_text else {}
        out |= {"dryer": 1} if self.dryer else {}
        out |= {"by_brush": 1} if self.by_brush else {}
        out |= {"zone": str(self.hours.zone)} if self.hours.zone else {}
        return out | ({"pin": [f"{m}.{k}={at:g}" for m, k, at in self.pins]} if self.pins else {})


def asked_for(session: Session, models: int) -> Asked:
    """What the address asks for; what it leaves out is as the painter usually paints.

    Raises:
        SettingError: a day, an hour, a zone, a number or a pin that cannot be read.
    """
    given = request.args
    zone = zone_from(given["zone"]) if given.get("zone") else None
    habits = painters.habits_of(session)
    hours = given.get("hours", habits.get("hours", USUAL_HOURS))
    spans = spans_from(hours)
    start_text = given.get("from", "")
    start = moment_from(start_text, "The beginning") if start_text else next_evening(spans, datetime.now(zone))
    hours_wanted = Hours(start.replace(tzinfo=None), spans, zone)
    until_text = given.get("until", "")
    until = hours_wanted.minutes(moment_from(until_text, "The end").replace(tzinfo=None)) if until_text else None
    if until is not None and until <= 0:
        raise SettingError("the time to be done by lies before the beginning; give a later one")
    count = int(within(given.get("models", str(models)), "models"))
    pins = tuple(_pin(text) for text in given.getlist("pin")[:MOST_PINS])
    dryer, brush = bool(given.get("dryer")), bool(given.get("by_brush"))
    return Asked(
        hours_wanted, hours, f"{hours_wanted.start:%Y-%m-%dT%H:%M}", until_text, until, count, dryer, brush, pins
    )


def next_evening(spans: Sequence[Any], now: datetime) -> datetime:
    """The next moment at which somebody paints: now, where it is within the hours, else the next beginning."""
    now = now.replace(second=0, microsecond=0, tzinfo=None)
    if not spans:
        return now
    for day in range(2):
        date = now.date() + timedelta(days=day)
        for low, high in spans:
            begin = datetime.combine(date, low)
            end = (
                datetime.combine(date, high)
                if high
                else datetime.combine(date + timedelta(days=1), datetime.min.time())
            )
            if begin >= now:
                return begin
            if now < end:
                return now
    return now


def _pin(text: str) -> tuple[int, int, float]:
    where, _, at = text.partition("=")
    model, _, job = where.partition(".")
    try:
        return int(model[:4]), int(job[:5]), float(at[:12])
    except ValueError as e:
        raise SettingError("a pin did not arrive whole; pin it again") from e


# --- one sculpt
@result(most=2, depends=lambda context, plan: tuple(plan.marks))
def _worths(context: Context, plan: PlanSheet) -> list[float | None]:
    """What would be lost without each coat."""
    return worths_of(context, plan.coats)


@result(most=2, depends=lambda context, plan: tuple(plan.marks))
def _before(context: Context, plan: PlanSheet) -> list[list[Before]]:
    """What has to be done and dry before each coat."""
    return before_each(plan.site, plan.coats, context.simulation.films(plan.coats))


def jobs_on(plan: PlanSheet, dryer: bool = False) -> list[DayStep]:
    """The jobs of a plan that is worked out, those that may be left out with what that costs."""
    worths = _worths(plan.context, plan)
    by_number = {s.number: w for s, w in zip(plan.steps, worths, strict=True) if w is not None}
    steps = with_dryer(plan.steps, plan.coats, plan.context.tools) if dryer else plan.steps
    return jobs_of(steps, _before(plan.context, plan), by_number, plan.context.tools.room, puddle_keys(steps))


def by_brush(plan: PlanSheet, say: Say = lambda *_: None) -> PlanSheet:
    """The same plan as it would be laid without an airbrush."""
    return _by_brush(plan.context, plan, say)


@result(most=2, depends=lambda context, plan, say: (*plan.marks, plain_key(context)))
def _by_brush(context: Context, plan: PlanSheet, say: Say) -> PlanSheet:
    done = run(context.on(*without_airbrush(context.plan, context.tools)), say)
    return replace(plan, context=done.context, coats=done.coats, steps=done.steps, looks=[])


def done_of(
    session: Session, sculpt: Sculpt, plan: PlanSheet, jobs: Sequence[DayStep], now: datetime
) -> dict[int, float]:
    """The minute, from now on, at which each job that is ended was ended."""
    keys = progress.keys_of(plan.coats)
    ends = progress.painting_state(session, sculpt, keys).ends
    numbers = (s.number for s in plan.steps)
    return ended_of(jobs, progress.minutes_when_ended(ends, zip(numbers, keys, strict=True), now))


def _of_sculpt(session: Session, sculpt: Sculpt, wishes: Asked, seconds: float) -> tuple[PlanSheet, Clock]:
    _, plan = sheet_of(session, sculpt)
    if not plan.steps:
        raise SettingError("this plan has no steps yet: lay an undercoat first")
    if wishes.by_brush:
        plan = by_brush(plan)
    jobs = jobs_on(plan, wishes.dryer)
    now = wishes.hours.moment(0.0).astimezone(UTC)
    left, earliest = left_of(jobs, done_of(session, sculpt, plan, jobs, now))
    if not left:
        raise SettingError("all of it is painted: there is nothing left to put on the clock")
    pins = pinned(wishes, [left] * wishes.models)
    day = Day(
        (tuple(left),) * wishes.models,
        wishes.hours.windows(),
        wishes.until,
        pins,
        (tuple(earliest),) * wishes.models,
        nth_share,
    )
    return plan, clock_of(day, seconds)


def pinned(wishes: Asked, models: Sequence[Sequence[DayStep]]) -> dict[tuple[str, int], float]:
    """The minute of each pinned batch, by its key and its first model."""
    out = {}
    for m, step, at in wishes.pins:
        job = next((j for j in models[m] if j.step == step > 0), None) if 0 <= m < len(models) else None
        if job is not None:
            out[job.key, m] = at
    return out


@blueprint.get("/sculpts/<int:sculpt_id>/clock")
def of_sculpt(sculpt_id: int) -> Any:
    """The clock of one sculpt's plan."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if waiting_for := still_working(sculpt, "paint"):
            if "HX-Request" in request.headers:
                return _waits(sculpt, {"step": "Working the plan out", "share": 0.0})
            return waiting_for
        _, plan = sheet_of(session, sculpt)
        if request.args.get("by_brush") and plan.steps:
            key = ("by brush", sculpt_id, sculpt.plan_id)
            if working := in_background(key, lambda say: by_brush(plan, say)):
                return _waits(sculpt, working)
        shown = _shown(session, sculpt, plan)
        if "HX-Request" in request.headers:
            return render_template("_clock.html", **shown)
        return render_template("clock.html", sculpt=sculpt, stages=string_of(sculpt, "paint"), **shown)


def _waits(sculpt: Sculpt, working: dict[str, Any]) -> str:
    """What stands in the place of a clock that is being worked out; it asks again by itself."""
    shown: dict[str, Any] = {
        "working": working,
        "url": url_for(".of_sculpt", sculpt_id=sculpt.id),
        "again": request.full_path,
    }
    if "HX-Request" in request.headers:
        return render_template("_clock.html", **shown)
    given = {k: request.args.get(k, "") for k in ("from", "hours", "until")}
    shown |= {"asked": None, "given": given, "count": request.args.get("models", "1")}
    return render_template("clock.html", sculpt=sculpt, stages=string_of(sculpt, "paint"), **shown)


def _shown(session: Session, sculpt: Sculpt, plan: PlanSheet) -> dict[str, Any]:
    """What the page shows: the clock, or why there is none."""
    url = url_for(".of_sculpt", sculpt_id=sculpt.id)
    try:
        wishes = asked_for(session, plan.context.plan.models)
    except SettingError as e:
        plain_args = {k: request.args.get(k, "") for k in ("from", "hours", "until")}
        return {
            "trouble": str(e),
            "asked": None,
            "given": plain_args,
            "url": url,
            "count": request.args.get("models", 1),
        }
    shown: dict[str, Any] = {"asked": wishes, "url": url, "trouble": "", "count": wishes.models}
    try:
        plan, clock = _of_sculpt(session, sculpt, wishes, PAGE_SECONDS)
    except SettingError as e:
        return shown | {"trouble": str(e)}
    names = [sculpt.name if wishes.models == 1 else f"{sculpt.name} {k + 1}" for k in range(wishes.models)]
    return shown | clock_shown(
        clock, wishes, names, url, sculpt.id, any(c.by.tool(c.settings) == "airbrush" for c in plan.coats)
    )


def clock_shown(
    clock: Clock, wishes: Asked, names: list[str], url: str, sculpt_id: int | None, sprayed: bool = False
) -> dict[str, Any]:
    """A clock for a template: its words, its timeline, what is left out, what could be changed. sprayed: whether an
    airbrush is in it."""
    finish, dry = wishes.hours.moment(clock.makespan), wishes.hours.moment(clock.dry)
    gone: dict[str, dict[str, Any]] = {}
    for m, k in clock.dropped:
        job = clock.day.models[m][k]
        left_out = gone.setdefault(
            job.key, {"title": job.title, "number": job.step, "minutes": 0.0, "worth": 0.0, "models": 0}
        )
        left_out["minutes"] += job.hand
        left_out["worth"] += (job.worth or 0.0) / len(clock.day.models)
        left_out["models"] += 1
    rows = []
    for n in dict.fromkeys(s.batch for s in clock.slots):
        slots = [s for s in clock.slots if s.batch == n]
        rows.append(
            {
                "at": wishes.hours.moment(slots[0].start),
                "minutes": minutes_words(max(s.end for s in slots) - slots[0].start),
                "title": slots[0].title,
                "number": slots[0].number,
                "hex": slots[0].hex,
                "models": len(slots),
                "dry": wishes.hours.moment(max(s.dry_at for s in slots)),
            }
        )
    query = wishes.query
    earlier = (finish - timedelta(hours=1)).replace(tzinfo=None)
    return {
        "clock": clock,
        "words": clock.words,
        "svg": timeline_svg(clock, names, wishes.hours.moment),
        "finish": finish,
        "dry": dry,
        "rows": rows,
        "gone": [g | {"lost": per_cent(g["worth"])} for g in gone.values()],
        "gone_numbers": ",".join(str(g["number"]) for g in gone.values()),
        "hand": minutes_words(clock.hand_minutes),
        "waits": minutes_words(sum(b - a for a, b in clock.waits)),
        "gap": per_cent(clock.schedule.gap) if clock.schedule.gap >= 0.005 else "",
        "sculpt_id": sculpt_id,
        "by_brush": wishes.by_brush or None,
        "what_ifs": [
            ("One more model", {**query, "models": wishes.models + 1}),
            ("An hour earlier", {**query, "until": f"{earlier:%Y-%m-%dT%H:%M}"}),
            *([("With a hair dryer", {**query, "dryer": 1})] if not wishes.dryer else []),
            *([("Without an airbrush", {**query, "by_brush": 1})] if sprayed and not wishes.by_brush else []),
            *(
                [("With the airbrush", {k: v for k, v in query.items() if k != "by_brush"})]
                if wishes.by_brush
                else []
            ),
            *(
                [("As long as it takes", {k: v for k, v in query.items() if k != "until"})]
                if wishes.until_text
                else []
            ),
            *([("Free all pins", {k: v for k, v in query.items() if k != "pin"})] if wishes.pins else []),
        ],
        "query": query,
        "ics": url + ".ics",
    }


@blueprint.get("/sculpts/<int:sculpt_id>/clock.ics")
def calendar(sculpt_id: int) -> Response:
    """The clock as a calendar with alarms for what is dry."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        wishes = asked_for(session, plan.context.plan.models)
        _, clock = _of_sculpt(session, sculpt, wishes, PAGE_SECONDS)
    return download(calendar_file(clock, wishes.hours, sculpt.name), "text/calendar", f"{sculpt.name}.ics")


@blueprint.get("/sculpts/<int:sculpt_id>/clock/without.png")
def without(sculpt_id: int) -> Response:
    """The model as it comes out without some steps, by their numbers."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        open_sculpt, plan = sheet_of(session, sculpt)
    if request.args.get("by_brush"):
        plan = by_brush(plan)
    gone = {int(n) for n in request.args.get("steps", "").split(",") if n.isdecimal() and len(n) < 6}
    left = [c for c, s in zip(plan.coats, plan.steps, strict=True) if s.number not in gone]
    from ..core.coat.stack import looks

    camera = camera_of(plan, "display")
    shot = shot_of(open_sculpt, plan, camera)
    levels = looks(plan.context.simulation.reflectance(left))[1]
    return picture(png_bytes(look_picture(plan.site, shot, levels, GROUND)))


@blueprint.post("/clock/hours")
def keep_hours() -> Response:
    """Keep when the painter usually paints."""
    hours = request.form.get("hours", "")
    spans_from(hours)
    with workshop().store.saving() as session:
        painters.keep_habits(session, hours=hours[:120])
    return Response(status=204)


# --- while painting
@blueprint.get("/sculpts/<int:sculpt_id>/paint/clock.json")
def at_the_bench(sculpt_id: int) -> Response:
    """From where the painter is: when it is done, and what would have to be skipped to be done by a time (until)."""
    given = request.args
    zone = zone_from(given["zone"]) if given.get("zone") else None
    now = datetime.now(UTC)
    hours = Hours(now, (), zone)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        keys = progress.keys_of(plan.coats)
        jobs = jobs_on(plan)
        left, earliest = left_of(jobs, done_of(session, sculpt, plan, jobs, now))
    if not left:
        return jsonify(words="All steps are ended.", skip=[], late=0)
    models = plan.context.plan.models
    day = Day((tuple(left),) * models, (), None, {}, (tuple(earliest),) * models, nth_share)
    whole = clock_of(day, 0.0)
    finish = hours.moment(whole.makespan)
    if not given.get("until"):
        return jsonify(words=f"At this pace the brush is down at {finish:%H:%M}.", skip=[], late=0)
    wanted = _today_at(given["until"], hours, now)
    until = hours.minutes(wanted)
    if whole.makespan <= until + 0.5:
        spare = until - whole.makespan
        tail = f", {minutes_words(spare)} to spare" if spare >= 5 else ""
        return jsonify(words=f"In time: the brush is down at {finish:%H:%M}{tail}.", skip=[], late=0)
    late = minutes_words(whole.makespan - until)
    try:
        short = clock_of(replace(day, until=until), BENCH_SECONDS)
    except SettingError:
        words = f"You are {late} over, and nothing left can be skipped: done at {finish:%H:%M}."
        return jsonify(words=words, skip=[], late=round(whole.makespan - until))
    numbers = sorted({left[k].step for _, k in short.dropped})
    by_number = {s.number: key for s, key in zip(plan.steps, keys, strict=True)}
    which = ", ".join(str(n) for n in numbers)
    words = (
        f"You are {late} over. Skip {counted(len(numbers), 'step', 'steps')} ({which}) to be done at "
        f"{wanted:%H:%M}, or finish at {finish:%H:%M}."
    )
    return jsonify(words=words, skip=[by_number[n] for n in numbers], late=round(whole.makespan - until))


def _today_at(text: str, hours: Hours, now: datetime) -> datetime:
    """A time of day from now on: past midnight, where it has gone by today."""
    spans = spans_from(f"0-{text.strip()}") if text.strip() not in ("0:00", "00:00", "24:00") else ()
    local = now.astimezone(hours.zone)
    end = spans[0][1] if spans else None
    date = local.date() + timedelta(days=0 if end else 1)
    moment = datetime.combine(date, end or datetime.min.time())
    if hours.minutes(moment) <= 0:
        moment += timedelta(days=1)
    return moment if hours.zone is None else moment.replace(tzinfo=hours.zone)
