"""Squads: one scheme on several sculpts; carried over, side by side, the paint for all, and their clock."""

from dataclasses import replace
from typing import Any, NamedTuple

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SettingError
from ..core.paint.cost import drops_for
from ..core.plain import one_line
from ..core.plan.steps.care import nth_share
from ..core.schedule.day import Clock, Day, clock_of
from ..core.schedule.jobs import DayStep
from ..core.squad.matching import regions_matched
from ..core.squad.work import shared_of
from ..core.units import minutes_words
from ..days import calendar_file
from ..store import painters, paints, plans, squads
from ..store.models import LOOKED_AT, Sculpt, SquadRow
from ..store.squads import Enlisted
from ..store.store import new_job
from .background import Say, in_background, not_yet
from .clock import PAGE_SECONDS, Asked, asked_for, clock_shown, pinned
from .facts import Facts, plan_facts_of
from .ranges import within
from .responses import download
from .workshop import shelf_of, the_sculpt, workshop

blueprint = Blueprint("squads", __name__)
KIND = "squad"


@blueprint.get("/squads")
def index() -> str:
    """All squads, and a form for another."""
    with workshop().store.session() as session:
        rows = [
            {"squad": s, "members": squads.members_of(session, s), "scheme": session.get(Sculpt, s.scheme_id)}
            for s in squads.squads(session)
        ]
        ready = [s for s in shelf_of(session) if s.ready]
        return render_template("squads.html", squads=rows, sculpts=ready)


@blueprint.post("/squads")
def make() -> AnyResponse:
    """A new squad: `scheme`, and the sculpts that take it."""
    form = request.form
    chosen = [int(n) for n in form.getlist("sculpt") if n.isdecimal()]
    scheme_id = form.get("scheme", "")
    if not scheme_id.isdecimal():
        raise SettingError("choose whose scheme the others take")
    with workshop().store.saving() as session:
        scheme = the_sculpt(session, int(scheme_id))
        members = [the_sculpt(session, n) for n in dict.fromkeys(chosen)]
        if not members:
            raise SettingError("choose the sculpts of the squad")
        squad = squads.make(session, one_line(form.get("name", "") or f"{scheme.name}'s squad"), scheme, members)
        squad_id = squad.id
    return redirect(url_for(".squad", squad_id=squad_id))


@blueprint.get("/squads/<int:squad_id>")
def squad(squad_id: int) -> str:
    """One squad: its models side by side, how their regions match, what is an exception."""
    with workshop().store.session() as session:
        squad = squads.the_squad(session, squad_id)
        scheme = session.get(Sculpt, squad.scheme_id)
        if scheme is None:
            raise SettingError("the sculpt whose scheme they take is not there any more; make a new squad")
        regions = plans.plan_of(session, scheme).regions
        rows: list[dict[str, Any]] = []
        for member, sculpt in squads.members_of(session, squad):
            mine = plans.plan_of(session, sculpt).regions
            try:
                found, trouble = regions_matched(mine, regions, member.matches), ""
            except SettingError as e:
                found, trouble = regions_matched(mine, regions), str(e)
            job = sculpt.latest_job(KIND)
            rows.append(
                {
                    "member": member,
                    "sculpt": sculpt,
                    "matches": found,
                    "trouble": trouble,
                    "job": job if job and (job.open or job.state == "failed") else None,
                    "own": sculpt.id == scheme.id,
                    "carried": sculpt.id == scheme.id or sculpt.held.action == CARRIED,
                }
            )
        colours = [p.name for p in paints.rack_of(session) if p.kind in ("base", "layer")]
        return render_template(
            "squad.html",
            squad=squad,
            scheme=scheme,
            rows=rows,
            regions=regions,
            colours=colours,
            count=sum(r["member"].count for r in rows),
            others=[s for s in shelf_of(session) if s.ready and all(s.id != r["sculpt"].id for r in rows)],
        )


CARRIED = "the squad's scheme"  # what a plan's history calls it


@blueprint.post("/squads/<int:squad_id>")
def change(squad_id: int) -> AnyResponse:
    """do: count, match (region, scheme), except (region, colour), add, remove, rename, delete; of a sculpt."""
    form = request.form
    what = form.get("do", "")
    with workshop().store.saving() as session:
        squad = squads.the_squad(session, squad_id)
        members = [m for m, _ in squads.members_of(session, squad)]
        if what == "rename":
            squad.name = one_line(form.get("name", ""))[:120] or squad.name
        elif what == "delete":
            session.delete(squad)
        elif what == "add":
            sculpt = the_sculpt(session, int(form.get("sculpt", "0") or 0))
            squads.keep_squad(squad, [*members, Enlisted(sculpt.id)])
        else:
            squads.keep_squad(squad, _changed(members, what, form))
    return redirect(url_for(".index") if what == "delete" else url_for(".squad", squad_id=squad_id))


def _changed(members: list[Enlisted], what: str, form: Any) -> list[Enlisted]:
    sculpt_id = int(form.get("sculpt", "0") or 0)
    member = next((m for m in members if m.sculpt_id == sculpt_id), None)
    if member is None:
        raise SettingError("this model is not in the squad any more; reload the page")
    region = form.get("region", "")
    if what == "remove":
        return [m for m in members if m is not member]
    if what == "count":
        new = replace(member, count=int(within(form.get("count", ""), "models")))
    elif what == "match":
        taken = {k: v for k, v in member.matches.items() if k != region}
        new = replace(member, matches=taken if form.get("as_usual") else {**taken, region: form.get("scheme", "")})
    elif what == "except":
        left = {k: v for k, v in member.changes.items() if k != region}
        colour = one_line(form.get("colour", ""))
        new = replace(member, changes={**left, region: {"colour": colour}} if colour else left)
    else:
        raise SettingError("this change of a squad is not known; reload the page")
    return [new if m is member else m for m in members]


@blueprint.post("/squads/<int:squad_id>/carry")
def carry(squad_id: int) -> AnyResponse:
    """Carry the scheme over to every model, one job each."""
    with workshop().store.saving() as session:
        squad = squads.the_squad(session, squad_id)
        members = squads.members_of(session, squad)
        jobs = [new_job(session, s, KIND, LOOKED_AT).id for _, s in members if s.id != squad.scheme_id]
    for job_id in jobs:
        workshop().queue.add(job_id)
    return redirect(url_for(".squad", squad_id=squad_id))


# --- what they take together
class _Ready(NamedTuple):
    """A squad whose models are all worked out."""

    squad: SquadRow
    models: list[tuple[Enlisted, Sculpt, Facts]]


def _facts(squad_id: int) -> _Ready | tuple[Response, int]:
    """The facts of every model; or how far they are worked out."""
    with workshop().store.session() as session:
        squad = squads.the_squad(session, squad_id)
        members = squads.members_of(session, squad)
        turns = [(s.id, s.plan_id) for _, s in members]

    def work(say: Say) -> None:
        for k, (sculpt_id, _) in enumerate(turns):
            with workshop().store.session() as session:
                sculpt = the_sculpt(session, sculpt_id)
                say(f"Working out {sculpt.name}", k / max(len(turns), 1))
                plan_facts_of(session, sculpt)

    progress = in_background(("squad", squad_id, tuple(turns)), work)
    if progress is not None:
        return not_yet(progress)
    with workshop().store.session() as session:
        squad = squads.the_squad(session, squad_id)
        scheme = session.get(Sculpt, squad.scheme_id)
        regions = plans.plan_of(session, scheme).regions if scheme else ()
        out = []
        for member, sculpt in squads.members_of(session, squad):
            facts = plan_facts_of(session, sculpt)
            found = regions_matched(plans.plan_of(session, sculpt).regions, regions, member.matches)
            names = {m.region: m.scheme for m in found if m.scheme}
            out.append((member, sculpt, replace(facts, jobs=tuple(_like_the_scheme(j, names) for j in facts.jobs))))
        return _Ready(squad, out)


def _like_the_scheme(job: DayStep, names: dict[str, str]) -> DayStep:
    """A job by the name of the region it takes after, so that it is done with those of the other models."""
    other = names.get(job.region)
    return job if other in (None, job.region) else replace(job, key=job.key.replace(job.region, str(other), 1))


@blueprint.get("/squads/<int:squad_id>/paint.json")
def paint(squad_id: int) -> Response | tuple[Response, int]:
    """The paint for all models, in ml and drops, what has to be bought, and the time at the models."""
    found = _facts(squad_id)
    if not isinstance(found, _Ready):
        return found
    _, models = found
    with workshop().store.session() as session:
        rack, tools = paints.rack_of(session), painters.tools_of(session)
    ml: dict[str, float] = {}
    parts: dict[str, dict[str, int]] = {}
    single: dict[str, float] = {}
    for member, _, facts in models:
        for mix, amount in (facts.ml or {}).items():
            ml[mix] = ml.get(mix, 0.0) + member.count * amount
            parts[mix] = (facts.parts or {})[mix]
    for mix, amount in ml.items():
        whole = sum(parts[mix].values())
        for name, n in parts[mix].items():
            single[name] = single.get(name, 0.0) + amount * n / whole
    stock = {p.name: p.stock_ml for p in rack}
    buy = [n for n, amount in single.items() if n not in stock or 0 < stock[n] < amount]
    rows = [
        {"mix": mix, "ml": round(amount, 2), "drops": drops_for(parts[mix], amount, tools.drops_per_ml)}
        for mix, amount in ml.items()
    ]
    minutes = sum(sum(nth_share(k + 1) for k in range(m.count)) * f.minutes for m, _, f in models)
    pots = [{"name": n, "ml": round(amount, 2)} for n, amount in sorted(single.items(), key=lambda p: -p[1])]
    shared = round(shared_of([[j.key for j in f.jobs if j.step] for _, _, f in models]), 3)
    pictures = [
        url_for("sheet.picture", sculpt_id=s.id, which="finished", view="display", v=s.plan_id) for _, s, _ in models
    ]
    return jsonify(rows=rows, pots=pots, buy=buy, time=minutes_words(minutes), shared=shared, pictures=pictures)


@blueprint.get("/squads/<int:squad_id>/clock")
def clock(squad_id: int) -> Any:
    """The squad on the clock."""
    found = _facts(squad_id)
    if not isinstance(found, _Ready):
        if "HX-Request" in request.headers or "X-Waits" in request.headers:
            return found
        return render_template("squad_waits.html", squad_id=squad_id)
    squad, models = found
    url = url_for(".clock", squad_id=squad_id)
    with workshop().store.session() as session:
        try:
            wishes = asked_for(session, 1)
        except SettingError as e:
            given = {k: request.args.get(k, "") for k in ("from", "hours", "until")}
            shown: dict[str, Any] = {"trouble": str(e), "asked": None, "given": given, "url": url, "count": 1}
        else:
            shown = {"asked": wishes, "url": url, "trouble": "", "count": 1}
            try:
                made, names = _on_the_clock(models, wishes)
                shown |= clock_shown(made, wishes, names, url, None)
            except SettingError as e:
                shown["trouble"] = str(e)
    if "HX-Request" in request.headers:
        return render_template("_clock.html", **shown)
    return render_template("squad_clock.html", squad=squad, **shown)


def _on_the_clock(models: list[tuple[Enlisted, Sculpt, Facts]], wishes: Asked) -> tuple[Clock, list[str]]:
    jobs: list[tuple[DayStep, ...]] = []
    names: list[str] = []
    for member, sculpt, facts in models:
        for k in range(member.count):
            jobs.append(facts.jobs)
            names.append(sculpt.name if member.count == 1 else f"{sculpt.name} {k + 1}")
    if not any(jobs):
        raise SettingError("none of these plans has steps yet: carry the scheme over first")
    day = Day(tuple(jobs), wishes.hours.windows(), wishes.until, pinned(wishes, jobs), None, nth_share)
    return clock_of(day, PAGE_SECONDS), names


@blueprint.get("/squads/<int:squad_id>/clock.ics")
def calendar(squad_id: int) -> Response | tuple[Response, int]:
    """The squad's clock as a calendar with alarms."""
    found = _facts(squad_id)
    if not isinstance(found, _Ready):
        return found
    squad, models = found
    with workshop().store.session() as session:
        wishes = asked_for(session, 1)
    made, _ = _on_the_clock(models, wishes)
    return download(calendar_file(made, wishes.hours, squad.name), "text/calendar", f"{squad.name}.ics")
