"""The undercoat stage: schools as pictures of this very model, coats to scrub through, what is too light or too dark."""

import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat
from ...core.coat.spray import middle_of
from ...core.coat.technique import techniques
from ...core.errors import SettingError
from ...core.paint.mix import only
from ...core.plain import plain
from ...core.plan.cautions import cautions_for
from ...core.plan.outcome import TOO_DARK, TOO_LIGHT, Look, looks_after, off_target
from ...core.plan.pots import middles
from ...core.plan.school_fit import light_match
from ...core.plan.schools import FIT, schools
from ...core.plan.schools.school import more_dark
from ...core.plan.spray_fit import HELD_DEGREES
from ...core.plan.squad import paint_for
from ...core.plan.stages.undercoat import STAGE, UndercoatWishes
from ...core.plan.step import row_of
from ...core.plan.times import times_of
from ...core.plan.touch_up import TouchUp, touch_ups, with_all
from ...core.sculpt.surface import Surface
from ...core.units import counted, minutes_words
from ...core.view.camera import Camera
from ...core.view.formats import png_bytes
from ...core.view.raster import colour_picture
from ...store import painters, paints, plans
from ...store.cache import key_of
from ...store.models import Job, Sculpt
from ...store.open_sculpts import OpenSculpt
from ...store.store import new_job
from ..background import Say, in_background, not_yet
from ..coat_editing import ACTIONS, ONE_COAT, by_hand, changed_coats, mix_called
from ..editing import Edit, Opened, change, elsewhere, keep, opened, settled
from ..primers import weighed_primers
from ..responses import packed
from ..responses import picture as png
from ..workshop import asked, colour_names, shelf_of, the_sculpt, workshop
from . import mark_done

blueprint = Blueprint("undercoat", __name__)
PICTURES = 5
PICTURE_SIZE = (132, 168)
MOST_SQUAD = 12
_drawing = threading.Lock()  # six pictures are asked for at once and each is heavy


def panel(session: Session, sculpt: Sculpt, own: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; the coats come as undercoat.json."""
    tools = painters.tools_of(session)
    return {
        "schools": schools(), "tools": tools, "fits": not tools.lack("airbrush"), "techniques": techniques(), "held": HELD_DEGREES,
        "colours": colour_names(session), "ladder_colours": middles(paints.rack_of(session)),
        "shelf": [s for s in shelf_of(session) if s.ready and s.id != sculpt.id],
    }  # fmt: skip


def confirm(sculpt_id: int) -> None:
    """Keep the coats that were shown, where the painter went on without changing any."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if "undercoat" in sculpt.document["settled"] or not sculpt.ready or sculpt.sky_key is None:
            return
        try:
            own = opened(session, sculpt_id)
        except SettingError:  # the rack lacks something: there was nothing to be shown
            return
    keep(sculpt_id, own, Edit(settled(own.kept.plan, own.context, own.plan.coats), "undercoat laid"))


def _coats(own: Opened) -> list[Coat]:
    return own.context.coats(STAGE.name)


def _looks(own: Opened, coats: list[Coat], say: Say = lambda *_: None) -> list[Look]:
    return looks_after(own.context.simulation, coats, STAGE.values(own.context), say)


def _work(sculpt_id: int) -> Callable[[Say], None]:
    """Everything that the coats of a sculpt come to, one after another, so that it is at hand."""

    def work(say: Say) -> None:
        say("Looking at the light", 0.05)
        with workshop().store.session() as session:
            own = opened(session, sculpt_id)
        _looks(own, _coats(own), lambda step, k: say(step, 0.3 + 0.6 * k))
        say("Counting paint and time", 0.95)
        own.steps(_coats(own))

    return work


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """The coats as a painter reads them, and how near they come."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
    try:
        if working := in_background(("coats", sculpt_id, sculpt.plan_id), _work(sculpt_id)):
            return not_yet(working)
        with workshop().store.session() as session:
            own = opened(session, sculpt_id)
            job = own.sculpt.latest_job("fit")
            undo, redo = plans.can_step(session, own.sculpt)
        pots = STAGE.pots(own.context)
    except SettingError as e:  # a rack that lacks something is no mistake of the page's: say what to put on it
        return jsonify(trouble=str(e), rack=url_for("rack.rack"))
    context, coats, tools, models = own.context, _coats(own), own.context.tools, own.plan.models
    after = _looks(own, coats)
    steps = [
        replace(s, within=b.within, adds=b.within - a.within)
        for s, a, b in zip(own.steps(coats), after, after[1:], strict=False)
    ]
    rows = [
        {
            **row_of(step, own.site), "words": _words(step),
            "picture": url_for(".after_png", sculpt_id=sculpt_id, number=k, v=_look_key(own, coats[:k])[:12]),
        }
        for k, step in enumerate(steps, 1)
    ]  # fmt: skip
    kept = [step for step in steps if not step.muted]
    last, school, times, span = after[-1], STAGE.school(context), times_of(kept, models), STAGE.span(context)
    match = light_match(own.site, last.value, context.share, span)
    ml, by = sum(s.all_ml for s in kept), schools().get(school)
    return jsonify(
        school=school, school_words=f"{by.when} {by.weak}" if by else "Passes fitted to your light.", turn=own.turn, coats=rows,
        undo=undo, redo=redo, middle=plain(middle_of(own.site.surface)), size=_outline(own.site.surface),
        figures={"mean": round(last.mean, 2), "p95": round(last.p95, 2), "within": round(last.within, 4),
                 "order": round(match.rank_agreement, 3), "key": plain(span, 1)},
        words=(
            f"{100 * last.within:.0f} % of the surface is within half a value of the light, laid from value {span.darkest:.1f} to "
            f"{span.lightest:.1f}; its values are in order to {100 * match.rank_agreement:.0f} %; it is off by {last.mean:.1f} of a value "
            f"on average. {ml:.1f} ml{f' for {models} models' if models > 1 else ''}: {times.words}."
        ),
        total={"ml": round(ml, 2), "drops": round(sum(s.drops for s in kept)), "times": times.words, "cups": times.cups,
               "models": models},
        fits=not tools.lack("airbrush"), cautions=cautions_for(*dict.fromkeys(tag for s in kept for tag in s.caution_tags)),
        primer={"name": pots.primer.name, "hex": pots.primer.looks.hex}, through=pots.through, fit=_fit_of(job),
        schools=[
            {"name": n, "title": s.title, "when": s.when, "weak": s.weak, "lack": tools.lack(*s.needs),
             "picture": url_for(".school_png", sculpt_id=sculpt_id, name=n, v=_school_picture(own, n)[:12]),
             "near": url_for(".school_json", sculpt_id=sculpt_id, name=n)}
            for n, s in schools().items()
        ],
    )  # fmt: skip


def _fit_of(job: Job | None) -> dict[str, Any] | None:
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


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.bin")
def after_bin(sculpt_id: int, number: int) -> Response:
    """The model after so many coats: four bytes for every sample, three of colour and one that says whether it is
    near the target (0), too light (1) or too dark (2)."""
    own = _opened_at(sculpt_id, number)
    look = _looks(own, _coats(own)[:number])[-1]
    mark, areas = off_target(look.value, STAGE.values(own.context)), own.site.areas
    heading = {
        "number": number, "within": round(look.within, 4), "mean": round(look.mean, 2),
        "too_light_mm2": round(float(areas[mark == TOO_LIGHT].sum()), 1),
        "too_dark_mm2": round(float(areas[mark == TOO_DARK].sum()), 1),
    }  # fmt: skip
    return packed(heading, np.column_stack([look.levels, mark])[own.site.shown])


def _opened_at(sculpt_id: int, number: int) -> Opened:
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    if not 0 <= number <= len(_coats(own)):
        abort(404)
    return own


def _look_key(own: Opened, coats: list[Coat]) -> str:
    view = [*own.context.view, own.sculpt.held.labels_key]
    return key_of("undercoat", PICTURES, own.open.surface_key, view, plain(coats))


def _school_picture(own: Opened, name: str) -> str:
    """The key of a school's picture."""
    return key_of("school picture", PICTURES, STAGE.key(own.context, name), *own.context.view)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.png")
def after_png(sculpt_id: int, number: int) -> Response:
    """A picture of the model after so many coats, from the display view."""
    own = _opened_at(sculpt_id, number)
    coats = _coats(own)[:number]
    return _drawn(own, _look_key(own, coats), lambda: _looks(own, coats)[-1].levels)


def _drawn(own: Opened, key: str, levels: Callable[[], np.ndarray]) -> Response:
    """A picture of the model in levels (N, 3) from the display view, drawn once."""
    cache = workshop().store.cache
    with _drawing:
        if key not in cache:
            shown = levels()[own.site.shown]
            drawn = colour_picture(own.site.surface, shown, Camera(*own.context.view), *PICTURE_SIZE)
            cache.put(key, blobs={"look.png": png_bytes(drawn)})
    return png(cache.blob(key, "look.png"))


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.png")
def school_png(sculpt_id: int, name: str) -> Response:
    """A picture of this very model in one school, fitted to its light."""
    own = _with_school(sculpt_id, name)

    def levels() -> np.ndarray:
        found = STAGE.fitted(own.context, name)
        return STAGE.roughly(own.context, found.coats, found.match.span)[0][own.open.nearest]

    return _drawn(own, _school_picture(own, name), levels)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.json")
def school_json(sculpt_id: int, name: str) -> Response:
    """How well a school renders the light: order and nearness in its own values; and what it takes."""
    own = _with_school(sculpt_id, name)
    with _drawing:
        found = STAGE.fitted(own.context, name)
    match, cups = found.match, counted(found.cups, "cup", "cups") if found.cups else "no cup"
    return jsonify(
        key=plain(match.span), rank_agreement=round(match.rank_agreement, 4), within_half=round(match.within_half, 4),
        minutes=round(found.minutes), wait=round(found.wait), cups=found.cups, ml=round(found.ml, 2),
        short=f"{round(found.minutes)} min, {cups}",
        words=(
            f"{100 * match.within_half:.0f} % of the surface is within half a value of your light, between value "
            f"{match.span.darkest:.1f} and {match.span.lightest:.1f}; its values are in order to {100 * match.rank_agreement:.0f} %. "
            f"{minutes_words(found.minutes)} of work, {minutes_words(found.wait)} of drying, {found.ml:.1f} ml."
        ),
    )  # fmt: skip


def _with_school(sculpt_id: int, name: str) -> Opened:
    if name not in schools():
        abort(404)
    with workshop().store.session() as session:
        return opened(session, sculpt_id)


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat")
def change_coats(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: school (name), primer (name), colour (name: of a coloured ladder), mute, remove, up, down (number, from
    1), set (number and settings of its technique), paint (number, name), add (technique, paint), dark (bring it
    back), touch (place, or all), fit. `turn` says which revision it was made on."""
    given = asked()
    if given.get("do") == "fit":
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if given.get("turn") != sculpt.plan_id:
                return elsewhere(sculpt.plan_id)
            job_id = new_job(session, sculpt, "fit").id
            mark_done(sculpt, "undercoat")
        workshop().queue.add(job_id)
        return shown(sculpt_id)
    done = change(sculpt_id, _changed)
    return shown(sculpt_id) if isinstance(done, int) else done


def _changed(session: Session, own: Opened, what: str, given: dict[str, Any]) -> Edit:
    context, coats, wishes = own.context, _coats(own), own.context.wishes(STAGE.name)
    action = ACTIONS.get(what, "undercoat changed")

    def as_school(name: str, wishes: UndercoatWishes) -> tuple[list[Coat], UndercoatWishes]:
        found = STAGE.fitted(context, name, wishes)
        return list(found.coats), replace(wishes.of(name, found.match.span), in_colour=name == "coloured")

    if what == "school":
        chosen = str(given["name"])
        if chosen not in schools():
            raise SettingError("this school is not known; reload the page")
        coats, wishes = as_school(chosen, wishes)
        action = f"school chosen: {schools()[chosen].title}"
    elif what == "primer":
        wishes = replace(wishes, primer=str(given["name"]))
        primer = STAGE.pots(context, wishes).primer
        wishes, action = replace(wishes, primer=primer.name), f"primer chosen: {primer.name}"
        if wishes.school == FIT:
            coats = [replace(c, mix=only(primer)) if c.by.primes else c for c in coats]
        else:
            coats, wishes = as_school(STAGE.school(context), wishes)
    elif what == "colour":
        wishes = replace(wishes, through=str(given["name"]))
        through = STAGE.pots(context, wishes).through
        coats, wishes = as_school("coloured", replace(wishes, through=through))
        action = f"colour of the ladder chosen: {through}"
    elif what == "dark":
        coats, action = more_dark(coats, STAGE.kit(context)), "dark brought back"
    elif what == "touch":
        coats, action = _touched(own, given), "touch-ups taken"
    elif what == "add":
        mix = mix_called(session, given["paint"])
        coats, action = (
            [*coats, by_hand(own, str(given["technique"]), mix, "added by hand", STAGE.name)],
            "coat added",
        )
    elif what in ONE_COAT:
        coats = changed_coats(session, own, coats, what, given)
    else:
        raise SettingError("this change of the undercoat is not known; reload the page")
    plan = own.kept.plan.with_wishes(STAGE.name, wishes)
    return Edit(settled(plan, context, [*coats, *context.after(STAGE.name)]), action, done=("undercoat",))


def _touched(own: Opened, given: dict[str, Any]) -> list[Coat]:
    """The coats with touch-ups: the one at a place of the list, or all of them."""
    found, coats = _touch_ups(own), _coats(own)
    if given.get("all"):
        return with_all(coats, found)
    k = int(given["place"])
    if not 0 <= k < len(found):
        raise SettingError("this touch-up is not there any more; look again")
    return with_all(coats, [found[k]])


def _touch_ups(own: Opened) -> list[TouchUp]:
    """What is left for the brush, worked out once for what is painted."""
    context, values, pots = own.context, STAGE.values(own.context), STAGE.pots(own.context)
    chain = context.simulation.chain(_coats(own))[-1]
    key = key_of(
        "touch-ups",
        2,
        chain,
        plain(STAGE.span(context)),
        plain(context.tools),
        [plain(m) for m in pots.shades],
        context.target_key(),
    )

    def make() -> list[TouchUp]:
        return touch_ups(own.site, context.simulation.reflectance(_coats(own)), values, pots, context.tools)

    return context.memory.of("touch-up", key, make)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/touch-ups")
def to_touch_up(sculpt_id: int) -> Response | tuple[Response, int]:
    """What the nozzle could not reach, as a short list for the brush."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)

    def look(say: Say) -> None:
        say("Looking for what the nozzle cannot reach", 0.3)
        _touch_ups(own)

    if working := in_background(("touch", sculpt_id, own.turn), look):
        return not_yet(working)
    found, near = _touch_ups(own), _looks(own, _coats(own))[-1].within
    then = min(1.0, near + sum(p.gains for p in found))
    rows = [
        {
            **plain(replace(p, coat=None)), "words": p.words, "hex": p.coat.mix.colour.hex if p.coat else "",
            "gain_words": f"{counted(p.spots, 'spot', 'spots')}, {p.mm2:.0f} mm²: +{100 * p.gains:.1f} %. Take it",
        }
        for p in found
    ]  # fmt: skip
    words = (
        f"{100 * near:.1f} % is near now; with all of these {100 * then:.1f} %. Take what is worth it to you and leave the rest."
        if found
        else f"{100 * near:.1f} % of the surface is near: nothing is worth a brush."
    )
    return jsonify(turn=own.turn, touch_ups=rows, within=round(near, 4), then=round(then, 4), words=words)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/primers")
def primers(sculpt_id: int) -> Response:
    """The primers on the rack, the one that costs the fewest coats for this sculpt's colours first, and why."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id, sky=False)
        weighed, missing = weighed_primers(session, own)
    every = [p for p in own.context.rack if p.kind == "primer"]
    rows = [
        {
            "name": v.primer.name, "hex": v.primer.looks.hex, "value": round(v.primer.looks.value, 1), "coats": round(v.coats, 1),
            "minutes": round(v.minutes),
            "words": f"value {v.primer.looks.value:.1f}; your colours cover it in {v.coats:.1f} coats on average, {v.minutes / 60:.1f} h with drying",
        }
        for v in weighed
    ]  # fmt: skip
    others = [p for p in every if p.name not in {r["name"] for r in rows}]
    rows += [
        {"name": p.name, "hex": p.looks.hex, "value": round(p.looks.value, 1), "coats": None, "minutes": None,
         "words": f"value {p.looks.value:.1f}"}
        for p in others
    ]  # fmt: skip
    words = "The first costs the fewest coats for the colours of your regions"
    words += f"; without a colour yet: {', '.join(missing)}." if missing else "."
    if not weighed:
        words = "Give your regions colours, and the primers are weighed by the coats they cost."
    return jsonify(missing=missing, primers=rows, words=words if rows else "No primer on the rack.")


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat/squad")
def squad(sculpt_id: int) -> Response:
    """The same coats on other sculpts: how near each comes, and the paint for all of them."""
    given = asked()
    rows: list[dict[str, Any]] = []
    every = []
    with workshop().store.session() as session:
        first = opened(session, sculpt_id)
        try:
            others = [int(n) for n in given.get("sculpts", [])][:MOST_SQUAD]
        except (TypeError, ValueError) as e:
            raise SettingError("the list of sculpts that arrived is garbled; reload the page") from e
        members = [sculpt_id, *[n for n in others if n != sculpt_id]]
        opened_ = [first, *(opened(session, n, undercoat=False) for n in members[1:])]
    span = STAGE.span(first.context)
    coats = [c for c in _coats(first) if c.where.kind != "mask"]  # a touch-up is one model's own
    for own in opened_:
        wanted = span.of(own.context.share).astype(np.float32)
        look = looks_after(own.context.simulation, coats, wanted)[-1]
        every.append(own.steps(coats))
        rows.append({"name": own.sculpt.name, "within": round(look.within, 4), "mean": round(look.mean, 2)})
    edit = Edit(replace(first.kept.plan, models=len(members)), "number of models set")
    keep(sculpt_id, first, edit)
    needed = paint_for(every, first.context.tools.drops_per_ml)
    words = ", ".join(f"{p.paint} {p.ml:.1f} ml ({counted(p.drops, 'drop', 'drops')})" for p in needed)
    return jsonify(sculpts=rows, paint=plain(needed), words=f"Paint for all: {words}.")
