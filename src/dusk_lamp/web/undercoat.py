"""The undercoat stage: schools as pictures of this very model, coats to scrub through, what is too light or too dark."""

import json
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request, url_for
from sqlalchemy.orm import Session

from ..core.coat.coat import Coat, by_hand, with_amount, with_settings
from ..core.coat.spray import Spray
from ..core.errors import SettingError
from ..core.paint.mix import only
from ..core.plan.undercoat import HALF_STEP, SCHOOLS, Tins, more_dark, school, told
from ..core.sculpt.surface import Surface
from ..core.units import DROPS_PER_ML, KPA_PER_PSI
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.raster import colour_picture
from ..store import paints, undercoats
from ..store.cache import key_of
from ..store.models import Sculpt
from ..store.scenes import Laid
from ..store.store import new_job
from .app import workshop
from .bench import laid_out, packed
from .common import the_sculpt

blueprint = Blueprint("undercoat", __name__)
PICTURES = 2
PICTURE_SIZE = (132, 168)
TOO_LIGHT, TOO_DARK = 1, 2
PASS_NUMBERS = ("azimuth", "elevation", "distance", "seconds", "trigger", "water", "needle", "psi")
_drawing = threading.Lock()  # six pictures are asked for at once and each is heavy


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat.json")
def shown(sculpt_id: int) -> Response:
    """The coats as a painter reads them, and how near they come."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        try:
            undercoats.tins_of(session, sculpt)
        except SettingError as e:  # a rack that lacks something is no mistake of the page's: say what to put on it
            return jsonify(trouble=str(e))
        return _answer(session, sculpt)


def _opened(session: Session, sculpt: Sculpt) -> tuple[Laid, Any, np.ndarray, list[Coat]]:
    laid = laid_out(sculpt)
    if laid.site.outlook is None:
        abort(409)
    tins = undercoats.tins_of(session, sculpt)
    return laid, tins, undercoats.target_of(sculpt, laid, tins), undercoats.coats_of(session, sculpt, laid)


def _answer(session: Session, sculpt: Sculpt) -> Response:
    job = sculpt.latest_job
    session.refresh(sculpt, ["undercoat"])  # after the job was read: one that is done has its coats here
    laid, tins, target, coats = _opened(session, sculpt)
    cache, key = workshop().store.cache, str(sculpt.surface_key)
    after = undercoats.after(cache, key, laid, coats, target)
    films = [undercoats.film_of(cache, key, laid, c) for c in coats]
    rows = told(laid.site.surface, coats, films, laid.site.paintable, DROPS_PER_ML)
    middle = (laid.site.surface.points.min(axis=0) + laid.site.surface.points.max(axis=0)) / 2
    for k, (row, coat) in enumerate(zip(rows, coats, strict=True)):
        row |= {"within": round(after[k + 1].within, 4), "adds": round(after[k + 1].within - after[k].within, 4)}
        if coat.pass_ is not None:
            p = coat.pass_
            row |= {
                "tool": p.tool, "needle": p.needle, "psi": round(p.psi, 1), "kpa": round(p.psi * KPA_PER_PSI),
                "runs": f"{p.wet_ml * 1000 / max(p.seconds, 1e-9):.0f} µl a second",
                "nozzle": _nozzle(middle, p), "spread": round(float(np.tan(p.cone) * p.distance), 2),
            }  # fmt: skip
        row["picture"] = url_for(
            ".after_png", sculpt_id=sculpt.id, number=k + 1, v=_look_key(sculpt, coats[: k + 1])[:12]
        )
    return jsonify(
        school=sculpt.undercoat.get("school", "ladder"),
        turn=undercoats.turn_of(sculpt),
        coats=rows,
        undo=bool(sculpt.undercoat.get("past")),
        middle=middle.tolist(),
        size=_outline(laid.site.surface),
        figures={"mean": round(after[-1].mean, 2), "p95": round(after[-1].p95, 2), "within": round(after[-1].within, 4)},
        total={k: round(sum(r[k] for r in rows if not r["muted"]), 2) for k in ("ml", "drops", "minutes")},
        primer={"name": tins.primer.name, "hex": tins.primer.looks.hex},
        through=tins.through,
        fit={"state": job.state, "share": job.share, "step": job.step, "message": job.message, "id": job.id} if job and job.kind == "fit" else None,
        schools=[
            {"name": n, "when": when, "weak": weak, "picture": url_for(".school_png", sculpt_id=sculpt.id, name=n, v=_school_key(sculpt, tins, n)[:12]), "near": url_for(".school_json", sculpt_id=sculpt.id, name=n)}
            for n, (when, weak) in SCHOOLS.items()
        ],
    )  # fmt: skip


def _outline(surface: Surface) -> list[float]:
    """Breadth and height, mm, for a drawing to scale."""
    broad = float(np.ptp(surface.points[:, :2], axis=0).max())
    return [round(broad, 1), round(float(np.ptp(surface.points[:, 2])), 1)]


def _nozzle(middle: np.ndarray, p: Spray) -> list[float]:
    from ..core.directions import direction_of

    return (middle + p.distance * direction_of(p.azimuth, p.elevation)).round(2).tolist()


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.bin")
def after_bin(sculpt_id: int, number: int) -> Response:
    """The model after so many coats: four bytes for every sample, three of colour and one that says whether it is near the target
    (0), too light (1) or too dark (2)."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, _, target, coats = _opened(session, sculpt)
        if not 0 <= number <= len(coats):
            abort(404)
        look = undercoats.after(workshop().store.cache, str(sculpt.surface_key), laid, coats[:number], target)[-1]
    off = look.value - target
    mark = np.where(off > HALF_STEP, TOO_LIGHT, np.where(off < -HALF_STEP, TOO_DARK, 0)).astype(np.uint8)
    areas = np.where(laid.site.paintable, laid.site.surface.areas, 0)
    heading = {
        "number": number, "within": round(look.within, 4), "mean": round(look.mean, 2),
        "too_light_mm2": round(float(areas[mark == TOO_LIGHT].sum()), 1),
        "too_dark_mm2": round(float(areas[mark == TOO_DARK].sum()), 1),
    }  # fmt: skip
    return packed(heading, np.column_stack([look.levels, mark]))


def _look_key(sculpt: Sculpt, coats: list[Coat]) -> str:
    return key_of(
        "undercoat",
        PICTURES,
        sculpt.surface_key,
        sculpt.display["azimuth"],
        sculpt.display["elevation"],
        [c.as_dict() for c in coats],
    )


def _school_key(sculpt: Sculpt, tins: Tins, name: str) -> str:
    return key_of(
        "school", PICTURES, sculpt.surface_key, sculpt.rig, sculpt.display["azimuth"], name,
        sculpt.exposure, [m.words() + m.colour.hex for m in (tins.colour if name == "coloured" else tins.greys)], tins.primer.name,
    )  # fmt: skip


def _drawn(sculpt: Sculpt, laid: Laid, levels: Callable[[], np.ndarray], key: str) -> Response:
    cache = workshop().store.cache
    with _drawing:
        if key not in cache:
            camera = Camera(sculpt.display["azimuth"], sculpt.display["elevation"])
            cache.put(
                key,
                blobs={"look.png": png_bytes(colour_picture(laid.site.surface, levels(), camera, *PICTURE_SIZE))},
            )
    return Response(
        cache.blob(key, "look.png"), mimetype="image/png", headers={"Cache-Control": "private, max-age=86400"}
    )


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<int:number>.png")
def after_png(sculpt_id: int, number: int) -> Response:
    """A picture of the model after so many coats, from the display view."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, _, target, coats = _opened(session, sculpt)
        if not 0 <= number <= len(coats):
            abort(404)
        cache, key = workshop().store.cache, str(sculpt.surface_key)

        def levels() -> np.ndarray:
            return undercoats.after(cache, key, laid, coats[:number], target)[-1].levels

        return _drawn(sculpt, laid, levels, _look_key(sculpt, coats[:number]))


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.png")
def school_png(sculpt_id: int, name: str) -> Response:
    """A picture of this very model in one school."""
    key = _schooled(sculpt_id, name)
    return Response(
        workshop().store.cache.blob(key, "look.png"),
        mimetype="image/png",
        headers={"Cache-Control": "private, max-age=86400"},
    )


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/<name>.school.json")
def school_json(sculpt_id: int, name: str) -> Response:
    """How near a school comes to the target, roughly."""
    return Response(workshop().store.cache.blob(_schooled(sculpt_id, name), "near.json"), mimetype="application/json")


def _schooled(sculpt_id: int, name: str) -> str:
    """Works a school out, once. Returns the key its picture and its figure are kept under."""
    if name not in SCHOOLS:
        abort(404)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, tins, target, _ = _opened(session, sculpt)
        key, cache = _school_key(sculpt, tins, name), workshop().store.cache
        with _drawing:
            if key not in cache:
                coats = school(name, laid.site.surface, undercoats.lamp_of(sculpt), tins)
                levels, within = undercoats.roughly(cache, str(sculpt.surface_key), laid, coats, target)
                camera = Camera(sculpt.display["azimuth"], sculpt.display["elevation"])
                picture = colour_picture(laid.site.surface, levels, camera, *PICTURE_SIZE)
                near = json.dumps({"within": round(within, 3)}).encode()
                cache.put(key, blobs={"look.png": png_bytes(picture), "near.json": near})
    return key


@blueprint.post("/sculpts/<int:sculpt_id>/undercoat")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: school (name), primer (name), colour (name: of a coloured ladder), mute, remove, up, down (number, from 1), amount
    (number, amount), pass (number and azimuth, elevation, distance, seconds, trigger, water, way, tool, needle, psi), setting
    (number and those of a technique by hand), paint (number, name), add (technique, paint), dark (bring it back), fit, undo.

    `turn` says which state it was made on; one made on older coats is refused with 409.
    """
    given = request.get_json()
    job_id = None
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, tins, _, coats = _opened(session, sculpt)
        what = given.get("do")
        if given.get("turn", undercoats.turn_of(sculpt)) != undercoats.turn_of(sculpt):
            return jsonify(
                error="The coats were changed in another tab; they are shown as they are now. Change again."
            ), 409
        try:
            if what == "undo":
                undercoats.undo(sculpt)
            elif what == "fit":
                job_id = new_job(session, sculpt, "fit").id
            else:
                changed, name, chosen = _changed(session, sculpt, laid, tins, coats, str(what), given)
                undercoats.keep(session, sculpt, changed, name, laid, **chosen)
        except (KeyError, TypeError, ValueError, IndexError) as e:
            if isinstance(e, SettingError):
                raise
            raise SettingError("the change that arrived is incomplete; reload the page") from e
        session.flush()
        answer = _answer(session, sculpt)
    if job_id is not None:
        workshop().queue.add(job_id)
    return answer


def _changed(
    session: Session, sculpt: Sculpt, laid: Laid, tins: Tins, coats: list[Coat], what: str, given: dict[str, Any]
) -> tuple[list[Coat], str, dict[str, Any]]:
    """The coats after a change, what they are called, and what else was chosen with it."""
    surface, lamp = laid.site.surface, undercoats.lamp_of(sculpt)
    name = str(sculpt.undercoat.get("school", "ladder"))
    if what == "school":
        chosen = str(given["name"])
        return school(chosen, surface, lamp, tins), chosen, {"in_colour": chosen == "coloured"}
    if what == "primer":
        other = undercoats.tins_of(session, sculpt, primer=str(given["name"]))
        kept = {"primer": other.primer.name}
        if name in SCHOOLS:
            return school(name, surface, lamp, other), name, kept
        return [replace(c, mix=only(other.primer)) if c.technique == "prime" else c for c in coats], name, kept
    if what == "colour":
        other = undercoats.tins_of(session, sculpt, through=str(given["name"]))
        return school("coloured", surface, lamp, other), "coloured", {"through": other.through, "in_colour": True}
    if what == "dark":
        return more_dark(coats, tins, surface, lamp), name, {}
    if what == "add":
        return [*coats, _new_coat(session, coats, tins, lamp, given)], name, {}
    k = int(given["number"]) - 1
    if not 0 <= k < len(coats):
        raise SettingError("this coat is not there any more; reload the page")
    own = coats[k]
    if what == "mute":
        own = replace(own, muted=not own.muted)
    elif what == "remove":
        return coats[:k] + coats[k + 1 :], name, {}
    elif what in ("up", "down"):
        to = max(0, min(len(coats) - 1, k + (-1 if what == "up" else 1)))
        rest = coats[:k] + coats[k + 1 :]
        return [*rest[:to], own, *rest[to:]], name, {}
    elif what == "amount":
        own = with_amount(own, float(given["amount"]))
    elif what == "paint":
        called = paints.colour_called(session, str(given["name"]))
        if called is None:
            raise SettingError(f"there is no paint or recipe called “{given['name']}” any more")
        own = replace(own, mix=called)
    elif what == "pass" and own.pass_ is not None:
        numbers = {n: float(given[n]) for n in PASS_NUMBERS if n in given}
        words = {n: str(given[n]) for n in ("way", "tool") if n in given}
        own = replace(own, pass_=replace(own.pass_, **numbers, **words))  # type: ignore[arg-type]
    elif what == "setting":
        own = with_settings(own, given)
        undercoats.film_of(
            workshop().store.cache, str(sculpt.surface_key), laid, own
        )  # refused here where it cannot be
    else:
        raise SettingError("this bench does not know that change; reload the page")
    return [*coats[:k], own, *coats[k + 1 :]], name, {}


def _new_coat(session: Session, coats: list[Coat], tins: Tins, lamp: Any, given: dict[str, Any]) -> Coat:
    mix = paints.colour_called(session, str(given["paint"])) or only(tins.white)
    technique = str(given["technique"])
    if technique != "spray":
        return by_hand(technique, mix, "added by hand")
    usual = next((c.pass_ for c in reversed(coats) if c.pass_), None) or Spray(lamp.azimuth, lamp.elevation)
    own = replace(usual, azimuth=lamp.azimuth, elevation=lamp.elevation, way="stroke")
    return Coat("spray", mix, own, label="added by hand")


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
    given = request.get_json()
    with workshop().store.session() as session:
        first = the_sculpt(session, sculpt_id)
        _, tins, _, coats = _opened(session, first)
        others = [int(n) for n in given.get("sculpts", [])][:12]
        rows: list[dict[str, Any]] = []
        paint: dict[str, float] = {}
        for number in [sculpt_id, *[n for n in others if n != sculpt_id]]:
            sculpt = the_sculpt(session, number)
            own = laid_out(sculpt)
            target = undercoats.target_of(sculpt, own, tins)
            key, cache = str(sculpt.surface_key), workshop().store.cache
            look = undercoats.after(cache, key, own, coats, target)[-1]
            films = [undercoats.film_of(cache, key, own, c) for c in coats]
            for row in told(own.site.surface, coats, films, own.site.paintable):
                if not row["muted"]:
                    paint[row["paint"]] = paint.get(row["paint"], 0.0) + row["ml"]
            rows.append({"name": sculpt.name, "within": round(look.within, 4), "mean": round(look.mean, 2)})
    return jsonify(
        sculpts=rows,
        paint=[{"paint": k, "ml": round(v, 2), "drops": round(v * DROPS_PER_ML)} for k, v in paint.items()],
    )
