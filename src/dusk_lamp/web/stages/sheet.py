"""The plan sheet: the plan's own coats as steps, on screen, for the printer, and as PDF."""

from dataclasses import replace
from typing import Any

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as AnyResponse

from ...core.errors import SettingError
from ...core.plan.features.decals.feature import DecalWishes
from ...core.plan.features.finish.feature import NONE, FinishWishes
from ...core.plan.features.prepare.feature import PrepareWishes
from ...core.plan.features.prepare.wishes import BASES
from ...core.plan.features.undercoat.schools import school_title, schools
from ...core.plan.run import relaid
from ...core.plan.steps.cards import pictures_of
from ...core.plan.steps.step import rig_words
from ...core.units import counted
from ...core.view.camera import VIEWS
from ...core.view.sheet_facts import READING, SheetFacts, views_of
from ...store import plans
from ..bench import waiting
from ..body import Body
from ..editing import ELSEWHERE, Edit, OpenPlan, changed, with_kept_coats
from ..ranges import within
from ..responses import download
from ..responses import picture as png
from ..sheets import PlanSheet, drawn_ahead, picture_key, picture_of, seams_of, sheet_of, still_working
from ..stage_registry import STAGES, mark_done, state_of, string_of
from ..workshop import the_sculpt, workshop

blueprint = Blueprint("sheet", __name__)


@blueprint.get("/sculpts/<int:sculpt_id>/sheet")
def sheet(sculpt_id: int) -> str | tuple[Response, int]:
    """Every step with its mix, where from, how long, its pictures, and what to mind."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return waiting(sculpt, "sheet")

        if waiting_for := still_working(sculpt, "sheet"):
            return waiting_for
        news = sculpt.held.coats_key and state_of(sculpt, next(s for s in STAGES if s.name == "sheet")) != "done"
    if news:  # it is being looked at
        with workshop().store.saving() as session:
            mark_done(the_sculpt(session, sculpt_id), "sheet")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        keys = {
            (step.number, view): picture_key(sculpt, plan, str(k), view)[:12]
            for k, step in enumerate(plan.steps, 1)
            for view in views_of(step, list(VIEWS))
        }
        return render_template(
            "stages/sheet.html",
            sculpt=sculpt,
            stages=string_of(sculpt, "sheet"),
            plan=plan,
            views=list(VIEWS),
            views_of=views_of,
            seams=seams_of(sculpt, plan.site, plan.value),
            words=rig_words(plan.context.plan.light),
            surface=plan.site.surface,
            whole=float(plan.bands.area_mm2.sum()),
            keys=keys,
            school=school_title(plan.school),
            schools=schools(),
            finished=picture_key(sculpt, plan, "finished", "display")[:12],
            reading=READING,
            around=_choices(plan),
            turn=sculpt.plan_id,
        )


def _choices(plan: PlanSheet) -> dict[str, Any]:
    """What can be chosen around the paint, and what is."""
    context = plan.context
    prepare, decals, finish = (context.wishes(name) for name in ("prepare", "decals", "finish"))
    chosen = [
        f"base {prepare.base}" if prepare.base != BASES[0] else "",
        "gaps filled" if prepare.gaps else "",
        f"decals on {counted(len(decals.regions), 'region', 'regions')}" if decals.regions else "",
        f"rim in {finish.rim}" if finish.rim else "",
        f"{finish.varnish} varnish" if finish.varnish != NONE else "",
    ]
    paints = [p.name for p in context.rack if p.kind in ("base", "layer")]
    return {
        "words": ", ".join(filter(None, chosen)) or "base, decals, rim, varnish",
        "prepare": prepare,
        "decals": decals,
        "finish": finish,
        "bases": BASES,
        "varnishes": (NONE, *context.tools.varnishes),
        "rims": paints,
        "regions": context.site.marking.regions,
    }


def seam_words(seam: dict[str, Any]) -> str:
    """One seam in a line."""
    return "{a} on {b}: N {value_a:.1f} against N {value_b:.1f}, along {length:.0f} mm".format(**seam)


@blueprint.post("/sculpts/<int:sculpt_id>/around")
def around(sculpt_id: int) -> AnyResponse | tuple[Response, int]:
    """What is done around the paint: base, gaps, decals (ids of regions), rim, varnish; `turn` says what it was made
    on."""
    form = request.form
    turn = form.get("turn", "")
    done = changed(sculpt_id, Body(turn=int(turn) if turn.isdecimal() else None), _around)
    if not isinstance(done, int):
        raise SettingError(ELSEWHERE)
    return redirect(url_for(".sheet", sculpt_id=sculpt_id))


def _around(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    form = request.form
    decals = tuple(int(i) for i in form.getlist("decal") if i.isdecimal() and int(i) in open_plan.site.marking.ids)
    plan = open_plan.kept.plan.with_wishes("prepare", PrepareWishes(form.get("base", BASES[0]), "gaps" in form))
    plan = plan.with_wishes("decals", DecalWishes(decals))
    plan = plan.with_wishes("finish", FinishWishes(form.get("rim", ""), form.get("varnish", NONE)))
    context = open_plan.context
    for name in ("prepare", "decals", "finish"):
        context = context.on(context.plan.with_wishes(name, plan.wishes_of(name)))
    context = relaid(context, "decals", "finish")
    return Edit(with_kept_coats(plan, context.plan.coats), "work around the paint chosen")


@blueprint.post("/sculpts/<int:sculpt_id>/models")
def models(sculpt_id: int) -> AnyResponse:
    """How many models the plan is painted on."""
    count = int(within(request.form.get("models", ""), "models"))
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        kept = plans.kept_of(session, sculpt)
        new = replace(kept, plan=replace(kept.plan, models=count))
        plans.keep(session, sculpt, new, f"painted on {counted(count, 'model', 'models')}")
    return redirect(url_for(".sheet", sculpt_id=sculpt_id))


@blueprint.get("/sculpts/<int:sculpt_id>/steps/<which>/<view>.png")
def picture(sculpt_id: int, which: str, view: str) -> Response:
    """A step's picture (numbered from 1) from one view, or `finished`."""
    if view not in (*VIEWS, "display") or not (which == "finished" or which.isdecimal()):
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, plan = sheet_of(session, sculpt)
        if which != "finished" and not 1 <= int(which) <= len(plan.steps):
            abort(404)
        return png(picture_of(sculpt, laid, plan, workshop().store.cache, which, view))


@blueprint.get("/sculpts/<int:sculpt_id>/plan.pdf")
def pdf(sculpt_id: int) -> Response:
    """The sheet as PDF."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, plan = sheet_of(session, sculpt)
        if not plan.steps:
            raise SettingError("there is no coat in this plan yet; lay an undercoat first")
        cache = workshop().store.cache
        facts = SheetFacts(
            sculpt.name,
            rig_words(plan.context.plan.light),
            plan.site.surface.height,
            float(plan.bands.area_mm2.sum()),
            plan.bands.notice,
            [seam_words(seam) for seam in seams_of(sculpt, plan.site, plan.value)],
            school_title(plan.school),
            plan.near,
            plan.times.words,
            plan.context.plan.models,
            plan.whole.words if plan.whole else "",
            plan.cards,
            plan.pots,
            plan.puddle_rows,
            plan.puts,
            plan.twins,
            plan.mixing,
        )
        shown = [one for card in plan.cards for one in pictures_of(card, plan.steps)]
        with drawn_ahead(sculpt, laid, plan, cache, shown) as picture_:
            from ...core.view.sheet import plan_pdf  # while the first pictures are drawn

            finished = picture_of(sculpt, laid, plan, cache, "finished", "display")
            content = plan_pdf(facts, plan.steps, picture_, finished)
        return download(content, "application/pdf", f"{sculpt.name} plan.pdf")
