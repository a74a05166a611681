"""The plan sheet: the plan's own coats as steps, on screen, for the printer, and as PDF."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, redirect, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as AnyResponse

from ...core.errors import SettingError
from ...core.plan.schools import SCHOOLS, school_title
from ...core.plan.step import rig_words
from ...core.sculpt.parts import seams
from ...core.sculpt.site import Site
from ...core.view.camera import VIEWS
from ...core.view.sheet import READING, SheetFacts, plan_pdf, views_of
from ...store.laid import Laid
from ...store.models import Sculpt
from ...store.plans import Plan, picture_key, picture_of, plan_of
from ..bench import waiting
from ..edge import number_of
from ..packet import download
from ..packet import picture as png
from ..patience import Say, not_yet, patiently
from ..workshop import laid_out, the_sculpt, wants_json, workshop
from . import STAGES, mark_done, state_of, string_of

blueprint = Blueprint("sheet", __name__)
MOST_MODELS = 100


def plan_for(session: Session, sculpt: Sculpt, say: Say = lambda *_: None) -> tuple[Laid, Plan]:
    """The plan of a sculpt as it is kept now."""
    laid = laid_out(sculpt)
    return laid, plan_of(session, sculpt, laid, workshop().store.cache, say)


def still_laying(sculpt: Sculpt, stage: str) -> str | tuple[Response, int] | None:
    """The page, or for a script the words, that say how far a sculpt's plan is; None once it is at hand."""
    sculpt_id = sculpt.id

    def lay(say: Say) -> None:
        say("Looking at the light", 0.02)
        with workshop().store.session() as session:
            plan_for(session, the_sculpt(session, sculpt_id), say)

    told = patiently(("plan", sculpt_id, sculpt.scheme_id, sculpt.revision), lay)
    if told is None:
        return None
    if wants_json():
        return not_yet(told)
    return render_template("waiting_plan.html", sculpt=sculpt, stages=string_of(sculpt, stage), told=told)


@blueprint.get("/sculpts/<int:sculpt_id>/sheet")
def sheet(sculpt_id: int) -> str | tuple[Response, int]:
    """Every step with its mix, where from, how long, its pictures, and what to mind."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return waiting(sculpt, "sheet")

        if waiting_for := still_laying(sculpt, "sheet"):
            return waiting_for
        news = sculpt.scheme_id and state_of(sculpt, next(s for s in STAGES if s.name == "sheet")) != "done"
    if news:  # it is being looked at
        with workshop().store.saving() as session:
            mark_done(the_sculpt(session, sculpt_id), "sheet")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = plan_for(session, sculpt)
        keys = {
            (step.number, view): picture_key(sculpt, plan, str(k), view)[:12]
            for k, step in enumerate(plan.steps, 1)
            for view in views_of(step, list(VIEWS))
        }
        return render_template(
            "stages/sheet.html", sculpt=sculpt, stages=string_of(sculpt, "sheet"), plan=plan, views=list(VIEWS), views_of=views_of,
            seams=seams_of(sculpt, plan.site, plan.value), words=rig_words(plan.rig), surface=plan.site.surface,
            whole=float(plan.bands.area_mm2.sum()), keys=keys, school=school_title(plan.school), schools=SCHOOLS,
            finished=picture_key(sculpt, plan, "finished", "display")[:12], reading=READING,
        )  # fmt: skip


def seams_of(sculpt: Sculpt, site: Site, value: np.ndarray) -> list[dict[str, Any]]:
    """The seams to be matched, with the value (N,) on either side and the length in mm, as plain values."""
    named, out = sculpt.named_parts, []
    for seam in seams(site.surface, named, site.paintable):
        on_a, on_b = seam.either_side(site.surface, value)
        out.append(
            {
                "a": named[seam.a].name, "b": named[seam.b].name, "value_a": round(on_a, 1),
                "value_b": round(on_b, 1), "length": round(seam.length, 1),
            }
        )  # fmt: skip
    return out


def seam_words(seam: dict[str, Any]) -> str:
    """One seam in a line."""
    return "{a} on {b}: N {value_a:.1f} against N {value_b:.1f}, along {length:.0f} mm".format(**seam)


@blueprint.post("/sculpts/<int:sculpt_id>/models")
def models(sculpt_id: int) -> AnyResponse:
    """How many models the plan is painted on."""
    count = number_of(request.form.get("models", ""), "the number of models", 1, MOST_MODELS)
    with workshop().store.saving() as session:
        the_sculpt(session, sculpt_id).models = int(count)
    return redirect(url_for(".sheet", sculpt_id=sculpt_id))


@blueprint.get("/sculpts/<int:sculpt_id>/steps/<which>/<view>.png")
def picture(sculpt_id: int, which: str, view: str) -> Response:
    """A step's picture (numbered from 1) from one view, or `finished`."""
    if view not in (*VIEWS, "display") or not (which == "finished" or which.isdecimal()):
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, plan = plan_for(session, sculpt)
        if which != "finished" and not 1 <= int(which) <= len(plan.steps):
            abort(404)
        return png(picture_of(sculpt, laid, plan, workshop().store.cache, which, view))


@blueprint.get("/sculpts/<int:sculpt_id>/plan.pdf")
def pdf(sculpt_id: int) -> Response:
    """The sheet as PDF."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, plan = plan_for(session, sculpt)
        if not plan.steps:
            raise SettingError("there is no coat in this plan yet; lay an undercoat first")
        cache = workshop().store.cache
        facts = SheetFacts(
            sculpt.name,
            rig_words(plan.rig),
            plan.site.surface.height,
            float(plan.bands.area_mm2.sum()),
            plan.bands.notice,
            [seam_words(seam) for seam in seams_of(sculpt, plan.site, plan.value)],
            school_title(plan.school),
            plan.near,
            plan.times.words,
            plan.models,
            plan.coloured,
        )
        content = plan_pdf(
            facts, plan.steps, list(VIEWS),
            lambda k, view: picture_of(sculpt, laid, plan, cache, str(k + 1), view),
            picture_of(sculpt, laid, plan, cache, "finished", "display"),
        )  # fmt: skip
        return download(content, "application/pdf", f"{sculpt.name} plan.pdf")
