"""The parts of a sculpt: names, pictures, painted apart, seams to match, files replaced; and the sculpt's health."""

import numpy as np
from flask import Blueprint, Response, abort, jsonify, redirect, render_template, request, url_for
from sqlalchemy.orm import Session
from werkzeug.datastructures import FileStorage
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SculptFileError, SettingError
from ..core.paint.value import grey_srgb
from ..core.plan.target import Exposure, target_value
from ..core.sculpt import parts as taking_apart
from ..core.sculpt.health import Find, examined
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.parts import Part
from ..core.sculpt.read import read_sculpt
from ..core.sculpt.site import Site
from ..core.sculpt.surface import smoothed
from ..core.view.camera import Camera
from ..core.view.formats import png_bytes
from ..core.view.raster import grey_picture
from ..core.view.step_picture import marked_picture
from ..store import stages
from ..store.cache import key_of
from ..store.models import Sculpt
from ..store.plans import plan_of
from ..store.scenes import Laid
from ..store.store import new_job
from .app import workshop
from .bench import laid_out
from .common import stages_of, taken_in, the_sculpt
from .sheet import seams_of

blueprint = Blueprint("parts", __name__)
PICTURES = 3  # version of the code that draws parts and finds
PART_SIZE, FIND_SIZE = (132, 132), (420, 420)
MOST_TIMES, MOST_AWAY = 2.5, 1.5  # a replacing file this much larger or smaller, or further off, is another part


@blueprint.get("/sculpts/<int:sculpt_id>/parts.json")
def listed(sculpt_id: int) -> Response:
    """The parts, how far each is pulled when the sculpt is taken apart, the files, and the seams to be matched."""
    with workshop().store.session() as session:
        return _answer(the_sculpt(session, sculpt_id))


def _answer(sculpt: Sculpt) -> Response:
    laid = laid_out(sculpt)
    surface, named = laid.site.surface, sculpt.named_parts
    areas = taking_apart.areas(surface, len(named), laid.site.paintable)
    parts = [
        {
            **part.as_dict(),
            "number": k,
            "area": round(float(areas[k]), 1),
            "pull": laid.pulled[k].tolist() if k < len(laid.pulled) else [0, 0, 0],
            "picture": url_for(".picture", sculpt_id=sculpt.id, number=k, v=(sculpt.surface_key or "")[:10]),
        }
        for k, part in enumerate(named)
    ]
    seams = seams_of(sculpt, laid.site, plan_of(sculpt, laid.site).value) if any(p.apart for p in named) else []
    files = [
        {"name": f["name"], "former": next((o["name"] for o in sculpt.former_files if o["number"] == k), None)}
        for k, f in enumerate(sculpt.files)
    ]
    return jsonify(parts=parts, seams=seams, files=files, sky=sculpt.sky_key is not None)


@blueprint.post("/sculpts/<int:sculpt_id>/parts")
def describe(sculpt_id: int) -> Response:
    """Change one part: its name, whether it is painted apart, which parts do not cast on it. JSON with `number`."""
    given = request.get_json()
    job_id = None
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        named, before = sculpt.named_parts, sculpt.shadowless
        try:
            number = int(given["number"])
            told = named[number].as_dict()
            if "name" in given:
                told["name"] = " ".join(str(given["name"]).split())
            if "apart" in given:
                told["apart"] = bool(given["apart"])
            if "uncast" in given:
                told["uncast"] = sorted({int(k) for k in given["uncast"] if 0 <= int(k) < len(named)} - {number})
            if number < 0:
                raise IndexError
            named[number] = Part.from_dict(told)
        except (KeyError, TypeError, ValueError, IndexError) as e:
            if isinstance(e, SettingError):
                raise
            raise SettingError("this part is not there any more; reload the page") from e
        sculpt.parts = [p.as_dict() for p in named]
        if sculpt.shadowless != before:
            sculpt.sky_key = None  # until the changed part has looked at the sky again
            job_id = new_job(session, sculpt).id
        answer = _answer(sculpt)
    if job_id is not None:
        workshop().queue.add(job_id)
    return answer


@blueprint.get("/sculpts/<int:sculpt_id>/parts/<int:number>.png")
def picture(sculpt_id: int, number: int) -> Response:
    """A small picture of one part alone."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        surface = laid_out(sculpt).site.surface
        key = key_of("part", PICTURES, sculpt.surface_key, number)
    cache = workshop().store.cache
    if key not in cache:
        if not (surface.part == number).any():
            abort(404)
        own = taking_apart.lifted_out(surface, number)
        camera = Camera(25, 15)
        shade = 0.25 + 0.75 * np.clip(own.normals @ (0.7 * camera.toward + 0.5 * camera.up), 0, 1)
        value = target_value(smoothed(own, shade.astype(np.float32), 2), Exposure())
        cache.put(key, blobs={"part.png": png_bytes(grey_picture(own, grey_srgb(value), camera, *PART_SIZE))})
    return Response(
        cache.blob(key, "part.png"), mimetype="image/png", headers={"Cache-Control": "private, max-age=86400"}
    )


@blueprint.post("/sculpts/<int:sculpt_id>/files")
def replace_file(sculpt_id: int) -> tuple[Response, int] | AnyResponse:
    """Put another file in the place of one: form with `number`, `file`, and `anyway` if it need not match; or with
    `back` instead of a file, to have the former one again. Names, regions and light stay."""
    number = request.form.get("number", 0, int)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        files = sculpt.files
        if not 0 <= number < len(files) or sculpt.mended_key is None:
            raise SettingError("this file is not there any more; reload the page")
        former = {o["number"]: o for o in sculpt.former_files}
        facts = stages.facts_of(workshop().store.cache, sculpt.mended_key)
        if request.form.get("back"):
            if number not in former:
                raise SettingError("there is no former file to put back")
            new = {k: former[number][k] for k in ("name", "format", "sha")}
            bounds = read_sculpt(workshop().store.upload_path(new["sha"], new["format"]), new["format"]).bounds
        else:
            new, mesh = _brought(request.files.get("file"))
            bounds = mesh.bounds
            if not request.form.get("anyway"):
                _must_match(np.array(facts.bounds[number]), bounds.astype(float), new["name"])
        former[number] = {"number": number, **files[number]}
        sculpt.former_files = list(former.values())
        files[number] = new
        sculpt.files = files
        _keep_scale(sculpt, facts, number, bounds)
        sculpt.revision += 1
        job_id = _again(session, sculpt)
    workshop().queue.add(job_id)
    return redirect(url_for("bench.parts", sculpt_id=sculpt_id))


def _brought(file: FileStorage | None) -> tuple[dict[str, str], Mesh]:
    if file is None or not file.filename:
        raise SculptFileError("no file came along; choose one")
    kept = taken_in(file)
    return kept, read_sculpt(workshop().store.upload_path(kept["sha"], kept["format"]), kept["format"])


def _must_match(was: np.ndarray, now: np.ndarray, name: str) -> None:
    size, new_size = float(np.ptp(was, axis=0).max()), float(np.ptp(now, axis=0).max())
    times = new_size / max(size, 1e-30)
    away = float(np.linalg.norm(was.mean(axis=0) - now.mean(axis=0)))
    if times > MOST_TIMES or times < 1 / MOST_TIMES:
        how = f"it is {times:.3g} times as large as the one it replaces"
    elif away > MOST_AWAY * size:
        how = f"it lies {away:.0f} units away from where the one it replaces was"
    else:
        return
    raise SculptFileError(
        f"“{name}” does not match: {how}. Export it from the same site, in place; or tick “even if it does not match”"
    )


def _keep_scale(sculpt: Sculpt, facts: stages.MendedFacts, number: int, bounds: np.ndarray) -> None:
    """A taller part makes the whole taller; the rest must not shrink for it."""
    if sculpt.up is None or not sculpt.height_mm:
        return
    axis = "xyz".index(sculpt.up[-1])
    all_bounds = np.array(facts.bounds, float)
    before = np.ptp(all_bounds[:, :, axis])
    all_bounds[number] = bounds
    sculpt.height_mm = float(sculpt.height_mm * np.ptp(all_bounds[:, :, axis]) / max(before, 1e-30))


# --- health


@blueprint.get("/sculpts/<int:sculpt_id>/health")
def health(sculpt_id: int) -> str:
    """What is wrong with the surface, where, and what mends it or why it need not be mended."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return render_template(
                "waiting.html", sculpt=sculpt, stages=stages_of(sculpt, "parts"), stages_of=stages_of
            )
        finds = _finds(sculpt, laid_out(sculpt))
        return render_template(
            "health.html", sculpt=sculpt, stages=stages_of(sculpt, "parts"), finds=finds,
            key=_health_key(sculpt)[:10],
        )  # fmt: skip


def _health_key(sculpt: Sculpt) -> str:
    return key_of("health", PICTURES, sculpt.surface_key, sculpt.sky_key is not None)


def _finds(sculpt: Sculpt, laid: Laid) -> list[Find]:
    cache = workshop().store.cache
    mended_key = sculpt.mended_key or abort(409)
    facts = stages.facts_of(cache, mended_key)
    finds = examined(
        stages.load_mended(cache, mended_key), laid.placing, laid.site.surface, laid.site.paintable,
        closed=facts.closed,
    )  # fmt: skip
    key = _health_key(sculpt)
    if key not in cache:
        cache.put(key, blobs={f"{find.kind}.png": _drawn(laid.site, find) for find in finds})
    return finds


def _drawn(site: Site, find: Find) -> bytes:
    """A picture from the side where most of it can be seen."""
    surface, marks = site.surface, find.marks
    camera = Camera(0, 8)
    if marks.any():
        best = -1.0
        for azimuth in range(-180, 180, 45):
            for elevation in (-35, 8, 50):
                here = Camera(azimuth, elevation)
                shown = float(surface.areas[marks] @ np.clip(surface.normals[marks] @ here.toward, 0, 1))
                if shown > best * 1.02:
                    best, camera = shown, here
    return png_bytes(marked_picture(site, camera, marks, *FIND_SIZE))


@blueprint.get("/sculpts/<int:sculpt_id>/health/<kind>.png")
def find_picture(sculpt_id: int, kind: str) -> Response:
    """The picture of one find."""
    with workshop().store.session() as session:
        key = _health_key(the_sculpt(session, sculpt_id))
    if not kind.isalpha():
        abort(404)
    try:
        return Response(workshop().store.cache.blob(key, f"{kind}.png"), mimetype="image/png")
    except KeyError:
        abort(404)


@blueprint.post("/sculpts/<int:sculpt_id>/mend")
def mend(sculpt_id: int) -> AnyResponse:
    """Close the holes, or open them again: form with `what`."""
    wanted = {"close_holes": True, "open_holes": False}.get(request.form.get("what", ""))
    if wanted is None:
        raise SettingError("this bench does not know that mending")
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        sculpt.holes_closed = wanted
        sculpt.revision += 1
        job_id = _again(session, sculpt)
    workshop().queue.add(job_id)
    return redirect(url_for(".health", sculpt_id=sculpt_id))


def _again(session: Session, sculpt: Sculpt) -> int:
    """Lay it out anew: until that is done there is nothing to show."""
    sculpt.surface_key = sculpt.sky_key = None
    return new_job(session, sculpt).id
