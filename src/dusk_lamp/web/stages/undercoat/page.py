"""The undercoat as a page shows it: schools, coats, how near they come."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Response, jsonify, url_for
from sqlalchemy.orm import Session

from ....core.coat.spray import middle_of
from ....core.coat.technique import techniques
from ....core.errors import SettingError
from ....core.plain import plain
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.features.undercoat.pots import middles
from ....core.plan.features.undercoat.school_fit import light_match
from ....core.plan.features.undercoat.schools import SUITED, schools
from ....core.plan.features.undercoat.spray_fit import HELD_DEGREES
from ....core.plan.steps.cautions import cautions_for
from ....core.plan.steps.step import row_of
from ....core.plan.steps.times import times_of
from ....core.results import known
from ....core.sculpt.surface import Surface
from ....store import painters, paints, plans
from ....store.models import JobRow, Sculpt
from ....store.open_sculpts import OpenSculpt
from ...background import Say, not_yet, waited_for
from ...editing import Edit, OpenPlan, keep_edit, opened, shown_once, with_kept_coats
from ...workshop import colour_names, shelf_of, the_sculpt, workshop
from .common import blueprint, look_key, looks_of, school_picture, undercoats

LEFT = " A plan for your time takes another where the colours would cover this one."


def panel(session: Session, sculpt: Sculpt, open_sculpt: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; the coats come as undercoat.json."""
    tools = painters.tools_of(session)
    return {
        "schools": schools(),
        "tools": tools,
        "fits": not tools.lack("airbrush"),
        "techniques": techniques(),
        "held": HELD_DEGREES,
        "colours": colour_names(session),
        "ladder_colours": middles(paints.rack_of(session)),
        "shelf": [s for s in shelf_of(session) if s.ready and s.id != sculpt.id],
    }


def confirm(sculpt_id: int) -> None:
    """Keep the coats that were shown, where the painter went on without changing any."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if "undercoat" in sculpt.document["settled"] or not sculpt.ready or sculpt.sky_key is None:
            return
        try:
            open_plan = opened(session, sculpt_id)
        except SettingError:  # the rack lacks something: there was nothing to be shown
            return
    keep_edit(
        sculpt_id,
        open_plan,
        Edit(with_kept_coats(open_plan.kept.plan, open_plan.plan.coats), "undercoat laid"),
    )


def _work(sculpt_id: int) -> Callable[[Say], None]:
    """Everything that the coats of a sculpt come to, one after another, so that it is at hand."""

    def work(say: Say) -> None:
        say("Looking at the light", 0.05)
        with workshop().store.session() as session:
            open_plan = opened(session, sculpt_id)
        looks_of(open_plan, undercoats(open_plan), lambda step, k: say(step, 0.3 + 0.6 * k))
        say("Counting paint and time", 0.95)
        open_plan.steps(undercoats(open_plan))

    return work


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """The coats as a painter reads them, and how near they come."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
    try:
        with workshop().store.session() as session:
            open_plan = opened(session, sculpt_id)
            job = open_plan.sculpt.latest_job("fit")
            undo, redo = plans.can_step(session, open_plan.sculpt)
        if working := waited_for(known(_facts, open_plan), ("coats", sculpt_id, sculpt.plan_id), _work(sculpt_id)):
            return not_yet(working)
        facts = _facts(open_plan)
    except SettingError as e:  # a rack that lacks something is no mistake of the page's: say what to put on it
        return jsonify(trouble=str(e), rack=url_for("rack.rack"))
    return jsonify(turn=open_plan.turn, undo=undo, redo=redo, fit=_fit_of(job), **facts)


@shown_once()
def _facts(open_plan: OpenPlan) -> dict[str, Any]:
    """What the page says of the coats as they are."""
    pots = FEATURE.pots(open_plan.context)
    context, coats, tools, models = (
        open_plan.context,
        undercoats(open_plan),
        open_plan.context.tools,
        open_plan.plan.models,
    )
    kit = FEATURE.kit(context)
    after = looks_of(open_plan, coats)
    steps = [
        replace(s, within=b.within, adds=b.within - a.within)
        for s, a, b in zip(open_plan.steps(coats), after, after[1:], strict=False)
    ]
    rows = [
        {
            **row_of(step, open_plan.site),
            "words": _words(step),
            "picture": url_for(
                ".after_png", sculpt_id=open_plan.sculpt.id, number=k, v=look_key(open_plan, coats[:k])[:12]
            ),
        }
        for k, step in enumerate(steps, 1)
    ]
    kept = [step for step in steps if not step.muted]
    last, school, times, span = after[-1], FEATURE.school(context), times_of(kept, models), FEATURE.span(context)
    match = light_match(open_plan.site, last.value, context.share, span)
    free = context.wishes(FEATURE.name).school == SUITED
    ml, by = sum(s.all_ml for s in kept), schools().get(school)
    return {
        "school": school,
        "school_words": f"{by.when} {by.weak}{LEFT if free else ''}" if by else "Passes fitted to your light.",
        "free": free,
        "coats": rows,
        "middle": plain(middle_of(open_plan.site.surface)),
        "size": _outline(open_plan.site.surface),
        "figures": {
            "mean": round(last.mean, 2),
            "p95": round(last.p95, 2),
            "within": round(last.within, 4),
            "order": round(match.rank_agreement, 3),
            "key": plain(span, 1),
        },
        "words": (
            f"Every shade and light comes from the brush. {ml:.1f} ml: {times.words}."
            if all(c.by.primes for c in coats)
            else f"{100 * last.within:.0f} % of the surface is within half a value of the light, laid from value "
            f"{span.darkest:.1f} to {span.lightest:.1f}; lights and darks come in the right order "
            f"({100 * match.rank_agreement:.0f} %); it is off by {last.mean:.1f} of a value on average. {ml:.1f} "
            f"ml{f' for {models} models' if models > 1 else ''}: {times.words}."
        ),
        "total": {
            "ml": round(ml, 2),
            "drops": round(sum(s.drops for s in kept)),
            "times": times.words,
            "cups": times.cups,
            "models": models,
        },
        "fits": not tools.lack("airbrush"),
        "cautions": cautions_for(*dict.fromkeys(tag for s in kept for tag in s.caution_tags)),
        "primer": {"name": pots.primer.name, "hex": pots.primer.looks.hex},
        "through": pots.through,
        "schools": [
            {
                "name": n,
                "title": s.title,
                "when": s.when,
                "weak": s.weak,
                "lack": s.lack(kit),
                "picture": url_for(
                    ".school_png", sculpt_id=open_plan.sculpt.id, name=n, v=school_picture(open_plan, n)[:12]
                ),
                "near": url_for(".school_json", sculpt_id=open_plan.sculpt.id, name=n),
            }
            for n, s in schools().items()
        ],
    }


def _fit_of(job: JobRow | None) -> dict[str, Any] | None:
    if job is None:
        return None
    return {"state": job.state, "share": job.share, "step": job.step, "message": job.message, "id": job.id}


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/fit")
def fit_now(sculpt_id: int) -> Response:
    """How far the fit is, and nothing else: a page that asks every second must not hold it up."""
    with workshop().store.session() as session:
        return jsonify(fit=_fit_of(the_sculpt(session, sculpt_id).latest_job("fit")))


def _words(step: Any) -> str:
    """A coat in the strip: paint, how much, from where."""
    much = f"{step.seconds:g} s" if step.seconds is not None else f"{step.laid_um:g} µm"
    return ", ".join(w for w in (step.paint, much, step.where_from, "left out" if step.muted else "") if w)


def _outline(surface: Surface) -> list[float]:
    """Breadth and height, mm, for a drawing to scale."""
    broad = float(np.ptp(surface.outermost[:, :2], axis=0).max())
    return [round(broad, 1), round(surface.height, 1)]
