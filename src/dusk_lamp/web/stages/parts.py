"""The parts of a sculpt: names, pictures, painted apart, seams to match, files replaced; and the sculpt's health."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, redirect, request, url_for
from numpy.typing import NDArray
from sqlalchemy.orm import Session
from werkzeug.datastructures import FileStorage
from werkzeug.wrappers import Response as AnyResponse

from ...core.errors import SculptFileError, SettingError
from ...core.paint.value import grey_srgb
from ...core.plain import built, plain
from ...core.plan.context import Context
from ...core.plan.simulation import digest
from ...core.reach.assembly import Reach, marks_of, reach_words, spots_in_reach
from ...core.results import result
from ...core.sculpt import parts as taking_apart
from ...core.sculpt.parts import Part
from ...core.sculpt.read import bounds_of
from ...core.sculpt.surface import smoothed
from ...core.target.exposure import Exposure, value_of_light
from ...core.view.camera import Camera
from ...core.view.raster import cut_out
from ...store import plans
from ...store import preparing as stages
from ...store.cache import code_mark, key_of
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ...store.store import lay_out_again
from ..background import Say, in_background, not_yet
from ..bench import url_for_stage
from ..body import Body
from ..editing import Edit, OpenPlan, change, opened
from ..responses import drawn_once, packed
from ..sheets import seams_of
from ..workshop import laid_out, read_apart, taken_in, the_sculpt, workshop

blueprint = Blueprint("parts", __name__)
REACH_SPOTS = 5_000  # that a page asks for: the picture is as good, in a third of the time
PART_SIZE = (132, 132)


def panel(session: Session, sculpt: Sculpt, laid: OpenSculpt) -> dict[str, Any]:
    """What the panel shows: all of it comes as parts.json."""
    return {}


@blueprint.get("/sculpts/<int:sculpt_id>/parts.json")
def listed(sculpt_id: int) -> Response:
    """The parts, how far each is pulled when the sculpt is taken apart, the files, and the seams to be matched."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    sculpt, laid = open_plan.sculpt, open_plan.open
    surface, named = laid.site.surface, sculpt.named_parts
    areas = taking_apart.areas(surface, len(named), laid.site.paintable)
    parts = [
        {
            **plain(part),
            "number": k,
            "area": round(float(areas[k]), 1),
            "pull": laid.pulled[k].tolist() if k < len(laid.pulled) else [0, 0, 0],
            "picture": url_for(".picture", sculpt_id=sculpt.id, number=k, v=(sculpt.surface_key or "")[:10]),
        }
        for k, part in enumerate(named)
    ]
    seams = seams_of(sculpt, laid.site, open_plan.context.grey.value) if any(p.apart for p in named) else []
    files = [
        {"name": f["name"], "former": next((o["name"] for o in sculpt.former_files if o["number"] == k), None)}
        for k, f in enumerate(sculpt.files)
    ]
    return jsonify(parts=parts, seams=seams, files=files, sky=sculpt.sky_key is not None, turn=open_plan.turn)


@result(
    most=2,
    depends=lambda context, named, stopped: digest(
        plain(named), context.site.labels, [r.name for r in context.site.marking.regions]
    ),
)
def _reached(context: Context, named: list[Part], stopped: Callable[[], bool]) -> Reach:
    return spots_in_reach(context.site, named, stopped=stopped, most=REACH_SPOTS)


@blueprint.get("/sculpts/<int:sculpt_id>/reach.bin")
def reach(sculpt_id: int) -> Response | tuple[Response, int]:
    """What a brush and a nozzle get at: a JSON heading (words, regions, parts to paint apart), then for each sample
    what to draw on it (see marks_of)."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, undercoat=False)
    site, named = open_plan.site, open_plan.sculpt.named_parts

    def work(say: Say) -> Reach:
        say("Reaching in from every side with brush and nozzle", 0.1)

        def stopped() -> bool:
            say("Reaching in from every side with brush and nozzle", 0.4)
            return False

        return _reached(open_plan.context, named, stopped)

    if working := in_background(("reach", sculpt_id, open_plan.turn), work):
        return not_yet(working)
    found = work(lambda *_: None)
    heading = {
        "words": reach_words(found, named)[-1],  # the table has the rest
        "regions": [plain(r) for r in found.regions if r.brush >= 1.0],
        "apart": [k for k in found.apart if not named[k].apart],
    }
    return packed(heading, marks_of(found, site))


@blueprint.post("/sculpts/<int:sculpt_id>/parts")
def describe(sculpt_id: int) -> tuple[Response, int] | Response:
    """Change one part: its name, whether it is painted apart, which parts do not cast on it. JSON with `number`; or
    `numbers` of the parts to paint apart."""
    done = change(sculpt_id, _described, sky=False)
    return listed(sculpt_id) if isinstance(done, int) else done


def _described(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    named = list(open_plan.kept.plan.parts)
    if "numbers" in given:
        numbers = set(given.wholes("numbers"))
        named = [replace(p, apart=p.apart or k in numbers) for k, p in enumerate(named)]
        return Edit(replace(open_plan.kept.plan, parts=tuple(named)), "parts painted apart", done=("parts",))
    number = given.whole("number")
    if not 0 <= number < len(named):
        raise SettingError("this part is not there any more; reload the page")
    wishes = plain(named[number])
    if "name" in given:
        wishes["name"] = " ".join(str(given["name"]).split())
    if "apart" in given:
        wishes["apart"] = bool(given["apart"])
    if "uncast" in given:
        wishes["uncast"] = sorted({k for k in given.wholes("uncast") if 0 <= k < len(named)} - {number})
    named[number] = built(Part, wishes, "this part")
    return Edit(
        replace(open_plan.kept.plan, parts=tuple(named)), f"part “{named[number].name}” changed", done=("parts",)
    )


@blueprint.get("/sculpts/<int:sculpt_id>/parts/<int:number>.png")
def picture(sculpt_id: int, number: int) -> Response:
    """A small picture of one part alone."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        surface = laid_out(sculpt).site.surface
        key = key_of("part", code_mark(), sculpt.surface_key, number)
    if not (surface.part == number).any():
        abort(404)

    def draw() -> NDArray:
        lifted = taking_apart.lifted_out(surface, number)
        camera = Camera(25, 15)
        shade = 0.25 + 0.75 * np.clip(lifted.normals @ (0.7 * camera.toward + 0.5 * camera.up), 0, 1)
        value = value_of_light(smoothed(lifted, shade.astype(np.float32), 2), Exposure())
        return cut_out(lifted, grey_srgb(value), camera, *PART_SIZE)

    return drawn_once(key, draw, sculpt.surface_key)


@blueprint.post("/sculpts/<int:sculpt_id>/files")
def replace_file(sculpt_id: int) -> tuple[Response, int] | AnyResponse:
    """Put another file in the place of one: form with `number`, `file`, and `anyway` if it need not match; or with
    `back` instead of a file, to have the former one again. Names, regions and light stay."""
    number = request.form.get("number", 0, int)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not 0 <= number < len(sculpt.files) or sculpt.mended_key is None:
            raise SettingError("this file is not there any more; reload the page")
        former = {o["number"]: o for o in sculpt.former_files}
        facts = stages.facts_of(workshop().store.cache, sculpt.mended_key)
    if request.form.get("back"):
        if number not in former:
            raise SettingError("there is no former file to put back")
        new = {k: former[number][k] for k in ("name", "format", "sha")}
        bounds = _bounds(new)
    else:
        new = _brought(request.files.get("file"))
        bounds = _bounds(new)
        how = taking_apart.mismatch(np.array(facts.bounds[number]), bounds.astype(float))
        if how and not request.form.get("anyway"):
            raise SculptFileError(
                f"“{new['name']}” does not match: {how}. Export it from the same scene, in place; or tick “even "
                "if it does not match”"
            )
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        files, kept = sculpt.files, plans.kept_of(session, sculpt)
        if number >= len(files):
            raise SettingError("this file is not there any more; reload the page")
        former[number] = {"number": number, **files[number]}
        sculpt.former_files = list(former.values())
        files[number] = new
        sculpt.files = files
        sculpt_file = replace(kept.plan.sculpt, file=files[0]["name"], more=tuple(f["name"] for f in files[1:]))
        if sculpt_file.up and sculpt_file.height:
            bounds_before, axis = np.array(facts.bounds, float), "xyz".index(sculpt_file.up[-1])
            sculpt_file = replace(
                sculpt_file, height=taking_apart.height_with(bounds_before, number, bounds, axis, sculpt_file.height)
            )
        plan = replace(kept.plan, sculpt=sculpt_file)
        plans.amend(session, sculpt, plan)  # the file itself cannot be undone here: it is put back by its own button
        job_id = lay_out_again(session, sculpt).id
    workshop().queue.add(job_id)
    return redirect(url_for_stage("parts", sculpt_id))


def _brought(file: FileStorage | None) -> dict[str, str]:
    if file is None or not file.filename:
        raise SculptFileError("no file came along; choose one")
    return taken_in(file)


def _bounds(file: dict[str, str]) -> np.ndarray:
    """(2, 3) lowest and highest corner of a kept file, in its own units."""
    path = workshop().store.upload_path(file["sha"], file["format"])
    return read_apart(bounds_of, path, file["format"])
