"""The undercoat stage: schools as pictures of this very model, coats to scrub through, what is too light or too
dark."""

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat, usual_coat
from ...core.coat.spray import Spray, middle_of
from ...core.coat.technique import techniques
from ...core.errors import SettingError
from ...core.paint.mix import only
from ...core.plain import plain
from ...core.plan.cautions import cautions_for
from ...core.plan.fair import told
from ...core.plan.outcome import TOO_DARK, TOO_LIGHT, off_target
from ...core.plan.schools import SCHOOLS, more_dark
from ...core.plan.spray_fit import HELD_DEGREES
from ...core.plan.squad import paint_for
from ...core.plan.step import row_of
from ...core.plan.times import times_of
from ...core.plan.tins import Key, Tins, middles
from ...core.plan.tools import Tools
from ...core.plan.touch_up import TouchUp, touch_ups, with_all
from ...core.sculpt.site import Site
from ...core.sculpt.surface import Surface
from ...core.view.camera import Camera
from ...core.view.formats import png_bytes
from ...core.view.raster import colour_picture
from ...store import markings, painted, painters, paints, schemes, undercoats
from ...store.cache import key_of
from ...store.laid import Laid
from ...store.models import Job, Sculpt
from ...store.schemes import split
from ...store.store import new_job
from ..coats import elsewhere
from ..packet import packed
from ..packet import picture as png
from ..patience import Say, not_yet, patiently
from ..workshop import asked, colour_names, laid_out, shelf_of, the_sculpt, workshop
from . import mark_done, mark_open

blueprint = Blueprint("undercoat", __name__)
PICTURES = 4
PICTURE_SIZE = (132, 168)
MOST_SQUAD = 12
_drawing = threading.Lock()  # six pictures are asked for at once and each is heavy


@dataclass(frozen=True)
class Opened:
    """What the stage works on. seen: the state of the coats that was read; a change made on it holds only if it
    still does."""

    sculpt: Sculpt
    laid: Laid
    site: Site
    tins: Tins
    target: np.ndarray
    coats: list[Coat]
    choice: schemes.Choice
    seen: int
    tools: Tools
    others: list[Coat]  # of later stages, which stay as they are

    @property
    def key(self) -> Key:
        """The values its coats aim at."""
        return undercoats.key_for(self.tins, self.choice)


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows; the coats come as undercoat.json."""
    tools = painters.tools_of(session)
    return {
        "schools": SCHOOLS, "tools": tools, "fits": not tools.lack("fit"), "techniques": techniques(), "held": HELD_DEGREES, "colours": colour_names(session),
        "ladder_colours": middles(paints.rack_of(session)),
        "shelf": [s for s in shelf_of(session) if s.ready and s.id != sculpt.id],
    }  # fmt: skip


def confirm(session: Session, sculpt: Sculpt) -> None:
    """Keep the coats that were shown, where the painter went on without changing any."""
    if sculpt.scheme_id == 0 and sculpt.ready:
        try:
            tins = undercoats.tins_of(session, sculpt)
        except SettingError:  # the rack lacks something: there was nothing to be shown
            return
        tools, cache = painters.tools_of(session), workshop().store.cache
        coats, choice = undercoats.coats_of(session, sculpt, laid_out(sculpt), cache, tins, tools)
        schemes.keep(session, sculpt, coats, choice, 0)


def _opened(session: Session, sculpt_id: int) -> Opened:
    sculpt = the_sculpt(session, sculpt_id)
    laid = laid_out(sculpt)
    if laid.site.outlook is None:
        abort(409)
    site = markings.site_of(session, sculpt, laid, workshop().store.cache)
    tins = undercoats.tins_of(session, sculpt)
    tools = painters.tools_of(session)
    coats, choice = undercoats.coats_of(session, sculpt, laid, workshop().store.cache, tins, tools)
    target = painted.target_of(sculpt, laid, tins, choice.key)
    own, others = split(coats)
    return Opened(sculpt, laid, site, tins, target, own, choice, schemes.state_of(sculpt), tools, others)


def _lay(sculpt_id: int) -> Callable[[Say], None]:
    """Everything that the coats of a sculpt come to, one after another, so that it is at hand."""

    def work(say: Say) -> None:
        say("Looking at the light", 0.05)
        with workshop().store.session() as session:
            opened = _opened(session, sculpt_id)
        painted.after(opened.laid, opened.site, opened.coats, opened.target, lambda step, k: say(step, 0.3 + 0.6 * k))
        say("Reckoning paint and time", 0.95)
        painted.steps(opened.laid, opened.site, opened.coats)

    return work


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """The coats as a painter reads them, and how near they come."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        try:
            undercoats.tins_of(session, sculpt)
        except SettingError as e:  # a rack that lacks something is no mistake of the page's: say what to put on it
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        if told_so_far := patiently(("coats", sculpt_id, sculpt.scheme_id, sculpt.revision), _lay(sculpt_id)):
            return not_yet(told_so_far)
        job = sculpt.latest_job("fit")
        undo, redo = schemes.can_step(session, sculpt)
        opened = _opened(session, sculpt_id)
    after = painted.after(opened.laid, opened.site, opened.coats, opened.target)
    tools, models = opened.tools, sculpt.models
    steps = painted.steps(opened.laid, opened.site, opened.coats, after, tools, models)
    rows = []
    for k, step in enumerate(steps, 1):
        key = _look_key(sculpt, opened.coats[:k])[:12]
        rows.append(
            {
                **row_of(step, opened.site), "words": _words(step),
                "picture": url_for(".after_png", sculpt_id=sculpt_id, number=k, v=key),
            }
        )  # fmt: skip
    kept = [step for step in steps if not step.muted]
    last, choice, times = after[-1], opened.choice, times_of(kept, models)
    tells = told(opened.site, last.value, opened.key.share(opened.target), opened.key)
    return jsonify(
        school=choice.school,
        school_words=f"{SCHOOLS[choice.school].when} {SCHOOLS[choice.school].weak}" if choice.school in SCHOOLS else "Passes fitted to your light.",
        turn=opened.seen,
        coats=rows,
        undo=undo,
        redo=redo,
        middle=plain(middle_of(opened.site.surface)),
        size=_outline(opened.site.surface),
        figures={"mean": round(last.mean, 2), "p95": round(last.p95, 2), "within": round(last.within, 4),
                 "order": round(tells.rank_agreement, 3), "key": plain(opened.key, 1)},
        total={"ml": round(sum(s.all_ml for s in kept), 2), "drops": round(sum(s.drops for s in kept)), "times": times.words,
               "cups": times.cups, "models": models},
        fits=not tools.lack("fit"),
        cautions=cautions_for(*dict.fromkeys(tag for s in kept for tag in s.caution_tags)),
        primer={"name": opened.tins.primer.name, "hex": opened.tins.primer.looks.hex},
        through=opened.tins.through,
        fit=_fit_of(job),
        schools=[
            {"name": n, "title": s.title, "when": s.when, "weak": s.weak, "lack": tools.lack(n),
             "picture": url_for(".school_png", sculpt_id=sculpt_id, name=n, v=_school_picture(opened, n)[:12]),
             "near": url_for(".school_json", sculpt_id=sculpt_id, name=n)}
            for n, s in SCHOOLS.items()
        ],
    )  # fmt: skip


def _fit_of(job: Job | None) -> dict[str, Any] | None:
    return (
        None
        if job is None
        else {"state": job.state, "share": job.share, "step": job.step, "message": job.message, "id": job.id}
    )


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
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    if not 0 <= number <= len(opened.coats):
        abort(404)
    look = painted.after(opened.laid, opened.site, opened.coats[:number], opened.target)[-1]
    mark, areas = off_target(look.value, opened.target), opened.site.areas
    heading = {
        "number": number, "within": round(look.within, 4), "mean": round(look.mean, 2),
        "too_light_mm2": round(float(areas[mark == TOO_LIGHT].sum()), 1),
        "too_dark_mm2": round(float(areas[mark == TOO_DARK].sum()), 1),
    }  # fmt: skip
    return packed(heading, np.column_stack([look.levels, mark])[opened.site.shown])


def _look_key(sculpt: Sculpt, coats: list[Coat]) -> str:
    view = [sculpt.display["azimuth"], sculpt.display["elevation"]]
    return key_of("undercoat", PICTURES, sculpt.surface_key, view, plain(coats), sculpt.marking_number)


def _school_picture(opened: Opened, name: str) -> str:
    """The key of a school's picture."""
    display = opened.sculpt.display
    own = undercoats.school_key(opened.sculpt, name, opened.tins, opened.tools)
    return key_of("school picture", PICTURES, own, display["azimuth"], display["elevation"])


def _camera(sculpt: Sculpt) -> Camera:
    return Camera(sculpt.display["azimuth"], sculpt.display["elevation"])


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.png")
def after_png(sculpt_id: int, number: int) -> Response:
    """A picture of the model after so many coats, from the display view."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    if not 0 <= number <= len(opened.coats):
        abort(404)
    cache, coats = workshop().store.cache, opened.coats[:number]
    key = _look_key(opened.sculpt, coats)
    with _drawing:
        if key not in cache:
            look = painted.after(opened.laid, opened.site, coats, opened.target)[-1]
            drawn = colour_picture(
                opened.site.surface, look.levels[opened.site.shown], _camera(opened.sculpt), *PICTURE_SIZE
            )
            cache.put(key, blobs={"look.png": png_bytes(drawn)})
    return png(cache.blob(key, "look.png"))


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.png")
def school_png(sculpt_id: int, name: str) -> Response:
    """A picture of this very model in one school, fitted to its light."""
    opened, found = _schooled(sculpt_id, name)
    cache, key = workshop().store.cache, _school_picture(opened, name)
    with _drawing:
        if key not in cache:
            share = painted.share_of(opened.sculpt, opened.laid)
            levels, _, _ = painted.roughly(opened.laid, found.coats, share, found.told.key)
            drawn = colour_picture(
                opened.site.surface, levels[opened.site.shown], _camera(opened.sculpt), *PICTURE_SIZE
            )
            cache.put(key, blobs={"look.png": png_bytes(drawn)})
    return png(cache.blob(key, "look.png"))


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.json")
def school_json(sculpt_id: int, name: str) -> Response:
    """How well a school tells the light: order and nearness in its own key; and what it takes."""
    _, found = _schooled(sculpt_id, name)
    return jsonify(
        {**plain(found.told), "minutes": found.minutes, "wait": found.wait, "cups": found.cups, "ml": found.ml}
    )


def _schooled(sculpt_id: int, name: str) -> tuple[Opened, undercoats.Schooled]:
    if name not in SCHOOLS:
        abort(404)
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    with _drawing:
        cache = workshop().store.cache
        return opened, undercoats.schooled(opened.sculpt, opened.laid, cache, name, opened.tins, opened.tools)


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: school (name), primer (name), colour (name: of a coloured ladder), mute, remove, up, down (number, from
    1), set (number and settings of its technique), paint (number, name), add (technique, paint), dark (bring it
    back), fit, undo, redo.

    `turn` says which state it was made on; one made on older coats is refused with 409.
    """
    given = asked()
    store, what = workshop().store, str(given.get("do"))
    with store.session() as session:
        opened = _opened(session, sculpt_id)
        if given.get("turn", opened.seen) != opened.seen:
            return elsewhere()
        changed = None if what in ("undo", "redo", "fit") else _changed(session, opened, what, given)
    try:
        with store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if what == "fit":
                job_id = new_job(session, sculpt, "fit").id
            elif changed is None:
                schemes.step(session, sculpt, -1 if what == "undo" else 1, opened.seen)
            else:
                own, choice = changed
                schemes.keep(session, sculpt, [*own, *opened.others], choice, opened.seen)
            (mark_done if sculpt.scheme_id or what == "fit" else mark_open)(sculpt, "undercoat")
    except schemes.ChangedElsewhereError:
        return elsewhere()
    if what == "fit":
        workshop().queue.add(job_id)
    return shown(sculpt_id)


def _changed(session: Session, opened: Opened, what: str, given: dict[str, Any]) -> tuple[list[Coat], schemes.Choice]:
    """The coats after a change, and how they came about."""
    try:
        return _after_change(session, opened, what, given)
    except SettingError:
        raise
    except (KeyError, TypeError, ValueError, IndexError) as e:
        raise SettingError("the change that arrived is incomplete; reload the page") from e


def _after_change(
    session: Session, opened: Opened, what: str, given: dict[str, Any]
) -> tuple[list[Coat], schemes.Choice]:
    surface, lamp, tins = opened.site.surface, undercoats.lamp_of(opened.sculpt), opened.tins
    coats, choice = opened.coats, opened.choice

    def as_school(name: str, choice: schemes.Choice, tins: Tins) -> tuple[list[Coat], schemes.Choice]:
        found = undercoats.schooled(opened.sculpt, opened.laid, workshop().store.cache, name, tins, opened.tools)
        return found.coats, replace(choice.of(name, found.told.key), in_colour=name == "coloured")

    if what == "school":
        chosen = str(given["name"])
        if chosen not in SCHOOLS:
            raise SettingError("this bench does not know that school; reload the page")
        return as_school(chosen, choice, tins)
    if what == "primer":
        choice = replace(choice, primer=str(given["name"]))
        other = undercoats.tins_of(session, opened.sculpt, choice)
        choice = replace(choice, primer=other.primer.name)
        if choice.school in SCHOOLS:
            return as_school(choice.school, choice, other)
        return [replace(c, mix=only(other.primer)) if c.technique == "prime" else c for c in coats], choice
    if what == "colour":
        choice = replace(choice, through=str(given["name"]))
        other = undercoats.tins_of(session, opened.sculpt, choice)
        return as_school("coloured", replace(choice, through=other.through), other)
    if what == "dark":
        return more_dark(coats, tins, surface, lamp, opened.tools), choice
    if what == "touch":
        return _touched(opened, given), choice
    if what == "add":
        return [*coats, _new_coat(session, opened, given)], choice
    k = int(given["number"]) - 1
    if not 0 <= k < len(coats):
        raise SettingError("this coat is not there any more; reload the page")
    own, rest = coats[k], coats[:k] + coats[k + 1 :]
    if what == "remove":
        return rest, choice
    if what in ("up", "down"):
        to = max(0, min(len(coats) - 1, k + (-1 if what == "up" else 1)))
        return [*rest[:to], own, *rest[to:]], choice
    if what == "mute":
        own = replace(own, muted=not own.muted)
    elif what == "paint":
        called = paints.colour_called(session, str(given["name"]))
        if called is None:
            raise SettingError(f"there is no paint or recipe called “{given['name']}” any more")
        own = replace(own, mix=called)
    elif what == "set":
        own = own.with_settings(dict(given["settings"]))
        painted.film_of(opened.laid, own, opened.site)  # refused here where it cannot be
    else:
        raise SettingError("this bench does not know that change; reload the page")
    return [*coats[:k], own, *coats[k + 1 :]], choice


def _touched(opened: Opened, given: dict[str, Any]) -> list[Coat]:
    """The coats with touch-ups: the one at a place of the list, or all of them."""
    found = _touch_ups(opened)
    if given.get("all"):
        return with_all(opened.coats, found)
    k = int(given["place"])
    if not 0 <= k < len(found):
        raise SettingError("this touch-up is not there any more; look again")
    return with_all(opened.coats, [found[k]])


def _touch_ups(opened: Opened) -> list[TouchUp]:
    """What is left for the brush, worked out once for what is painted."""
    names = [plain(opened.coats), plain(opened.key), opened.sculpt.rig, opened.sculpt.exposure, plain(opened.tools)]
    key = key_of("touch-ups", 1, *names, [plain(m) for m in opened.tins.shades], opened.sculpt.marking_number)

    def make() -> list[TouchUp]:
        seen = painted.seen(opened.laid, opened.site, opened.coats)
        return touch_ups(opened.site, seen, opened.target, opened.tins, opened.tools)

    return opened.laid.touched.of(key, make)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/touch-ups")
def to_touch_up(sculpt_id: int) -> Response | tuple[Response, int]:
    """What the nozzle could not reach, as a short list for the brush."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)

    def look(say: Say) -> None:
        say("Looking for what the nozzle cannot reach", 0.3)
        _touch_ups(opened)

    if told_so_far := patiently(("touch", sculpt_id, opened.seen), look):
        return not_yet(told_so_far)
    found = _touch_ups(opened)
    near = painted.after(opened.laid, opened.site, opened.coats, opened.target)[-1].within
    rows = [
        {**plain(replace(p, coat=None)), "words": p.words, "hex": p.coat.mix.colour.hex if p.coat else ""}
        for p in found
    ]
    return jsonify(
        turn=opened.seen,
        touch_ups=rows,
        within=round(near, 4),
        then=round(min(1.0, near + sum(p.gains for p in found)), 4),
    )


def _new_coat(session: Session, opened: Opened, given: dict[str, Any]) -> Coat:
    mix = paints.colour_called(session, str(given["paint"])) or only(opened.tins.white)
    name, lamp = str(given["technique"]), undercoats.lamp_of(opened.sculpt)
    coat = usual_coat(name, mix, "added by hand")
    if not isinstance(coat.settings, Spray):
        return coat
    last = next((c.settings for c in reversed(opened.coats) if isinstance(c.settings, Spray)), coat.settings)
    own = replace(last, azimuth=lamp.azimuth, elevation=lamp.elevation, way="stroke")
    return replace(coat, settings=own)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/primers")
def primers(sculpt_id: int) -> Response:
    """The primers on the rack, the one that costs the fewest coats for this sculpt's colours first, and why."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid = laid_out(sculpt)
        verdicts, missing = undercoats.weighed_primers(session, sculpt, laid, workshop().store.cache)
        names = [v.primer.name for v in verdicts]
        others = [p for p in paints.rack_of(session) if p.kind == "primer" and p.name not in names]
    return jsonify(
        missing=missing,
        primers=[
            {"name": v.primer.name, "hex": v.primer.looks.hex, "value": round(v.primer.looks.value, 1), "coats": round(v.coats, 1), "minutes": round(v.minutes)}
            for v in verdicts
        ] + [{"name": p.name, "hex": p.looks.hex, "value": round(p.looks.value, 1), "coats": None, "minutes": None} for p in others],
    )  # fmt: skip


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat/squad")
def squad(sculpt_id: int) -> Response:
    """The same coats on other sculpts: how near each comes, and the paint for all of them."""
    given = asked()
    rows: list[dict[str, Any]] = []
    every = []
    with workshop().store.session() as session:
        first = _opened(session, sculpt_id)
        try:
            others = [int(n) for n in given.get("sculpts", [])][:MOST_SQUAD]
        except (TypeError, ValueError) as e:
            raise SettingError("the list of sculpts that arrived is none; reload the page") from e
        members = [the_sculpt(session, n) for n in [sculpt_id, *[n for n in others if n != sculpt_id]]]
        laid = [laid_out(sculpt) for sculpt in members]
    for sculpt, own in zip(members, laid, strict=True):
        wanted = painted.target_of(sculpt, own, first.tins, first.choice.key)
        coats = [c for c in first.coats if c.where.kind != "mask"]  # a touch-up is one model's own
        look = painted.after(own, own.site, coats, wanted)[-1]
        every.append(painted.steps(own, own.site, coats, tools=first.tools))
        rows.append({"name": sculpt.name, "within": round(look.within, 4), "mean": round(look.mean, 2)})
    with workshop().store.saving() as session:
        the_sculpt(session, sculpt_id).models = len(members)
    return jsonify(sculpts=rows, paint=plain(paint_for(every, first.tools.drops_per_ml)))
